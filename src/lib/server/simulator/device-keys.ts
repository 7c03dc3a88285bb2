import 'reflect-metadata';
import { createHash, webcrypto, X509Certificate } from 'node:crypto';
import * as x509 from '@peculiar/x509';
import { ED25519, keyPairOf, spkiOf } from '../ed25519';

/** What the key of a device of the lab follows from: what it is called, so that every run has the same. */
const seedOf = (id: string): Buffer => createHash('sha256').update(`device ${id}`).digest();

const printOf = (spki: Buffer): string => createHash('sha256').update(spki).digest('hex');

/** The fingerprint of a device's key. */
export const keyPrint = (id: string): string => printOf(spkiOf(seedOf(id)));

/** What a device asks for a certificate with: signed by its key, for the serial number that it has. */
export async function requestOf(id: string, serial: string): Promise<string> {
	x509.cryptoProvider.set(webcrypto as Crypto);
	const request = await x509.Pkcs10CertificateRequestGenerator.create({
		name: new x509.Name([{ CN: [{ utf8String: serial }] }]),
		keys: await keyPairOf(seedOf(id)),
		signingAlgorithm: ED25519
	});
	return request.toString('pem');
}

/** What a device keeps of a certificate that it is given; null where it is not for its key and its serial number. */
export function certificateFor(
	device: { serial: string; key: string },
	pem: string
): { number: string; ends: number } | null {
	const c = new X509Certificate(pem);
	const spki = c.publicKey.export({ format: 'der', type: 'spki' });
	return printOf(spki) === device.key && c.toLegacyObject().subject.CN === device.serial
		? { number: c.serialNumber.toLowerCase(), ends: Date.parse(c.validTo) }
		: null;
}
