import 'reflect-metadata';
import { createHash, webcrypto } from 'node:crypto';
import * as x509 from '@peculiar/x509';
import { GOOD_FOR, LONGEST_REQUEST, type Request } from '$lib/core/endpoints/proof';
import { DAY } from '$lib/core/time/units';
import type { Context } from '../context';
import { ED25519, keyPairOf, spkiOf } from '../ed25519';
import type { Vault } from '../vault';

/** Sextant's own authority for devices. Its key follows from the key of the vault, so that it stands in no table and no copy of one. */
const ABOUT = 'endpoint authority';
const NAME = 'CN=Sextant endpoint authority';
/** It is good from before anything was issued, and for longer than anything is. */
const FROM = new Date(Date.UTC(2020, 0, 1));
const UNTIL = new Date(Date.UTC(2049, 11, 31));

/** Nothing outside has the time of the estate to the second. */
const EARLIER = 5 * 60_000;

interface Authority {
	certificate: x509.X509Certificate;
	keys: CryptoKeyPair;
}
const known = new WeakMap<Vault, Promise<Authority>>();

/** The authority, with its certificate. */
function authorityOf({ vault }: Pick<Context, 'vault'>): Promise<Authority> {
	const made = known.get(vault) ?? make(vault);
	known.set(vault, made);
	return made;
}

async function make(vault: Vault): Promise<Authority> {
	x509.cryptoProvider.set(webcrypto as Crypto);
	const seed = vault.derive(ABOUT);
	const keys = await keyPairOf(seed);
	const certificate = await x509.X509CertificateGenerator.createSelfSigned({
		serialNumber: numberOf(spkiOf(seed).toString('hex')),
		name: NAME,
		notBefore: FROM,
		notAfter: UNTIL,
		signingAlgorithm: ED25519,
		keys,
		extensions: [
			new x509.BasicConstraintsExtension(true, 0, true),
			new x509.KeyUsagesExtension(x509.KeyUsageFlags.keyCertSign | x509.KeyUsageFlags.cRLSign, true),
			await x509.SubjectKeyIdentifierExtension.create(keys.publicKey)
		]
	});
	return { certificate, keys };
}

/** A serial number of a certificate that nobody can foretell who does not know what it is made of (RFC 5280 §4.1.2.2): positive, 16 bytes. */
const numberOf = (of: string): string => {
	const bytes = createHash('sha256').update(of).digest().subarray(0, 16);
	bytes[0] = (bytes[0]! & 0x7f) | 0x40;
	return bytes.toString('hex');
};

/** The authority's certificate, as PEM, with its fingerprint. */
export async function authorityCertificate(ctx: Pick<Context, 'vault'>) {
	const { certificate } = await authorityOf(ctx);
	const print = createHash('sha256').update(Buffer.from(certificate.rawData)).digest('hex');
	return {
		pem: certificate.toString('pem'),
		subject: certificate.subject,
		ends: certificate.notAfter.getTime(),
		fingerprint: print.toUpperCase().match(/../g)!.join(':')
	};
}

/** Reads what a device asks for; null for what is none. The key is given as it is written down, for whoever issues a certificate of it. */
export async function readRequest(pem: string): Promise<(Request & { spki: ArrayBuffer }) | null> {
	if (pem.length > LONGEST_REQUEST) return null;
	x509.cryptoProvider.set(webcrypto as Crypto);
	try {
		const request = new x509.Pkcs10CertificateRequest(pem);
		const spki = request.publicKey.rawData;
		return {
			serial: request.subjectName.getField('CN')[0] ?? '',
			key: createHash('sha256').update(Buffer.from(spki)).digest('hex'),
			// A key of a kind that is not known here cannot be asked, either.
			signed: await request.verify().catch(() => false),
			spki
		};
	} catch {
		return null;
	}
}

/** A certificate as it was issued. */
export interface Issued {
	number: string;
	ends: number;
	pem: string;
}

/** Issues a certificate to a device of this serial number, for its key. `nth`: which of those that it has had. */
export async function issue(
	ctx: Pick<Context, 'vault'>,
	device: { id: number; serial: string },
	spki: ArrayBuffer,
	nth: number,
	now: number
): Promise<Issued> {
	const { certificate: own, keys } = await authorityOf(ctx);
	const number = numberOf(`${ctx.vault.derive(`${ABOUT} numbers`).toString('hex')} ${device.id} ${nth}`);
	const ends = now + GOOD_FOR;
	const certificate = await x509.X509CertificateGenerator.create({
		serialNumber: number,
		subject: new x509.Name([{ CN: [{ utf8String: device.serial }] }]),
		issuer: own.subject,
		notBefore: new Date(now - EARLIER),
		notAfter: new Date(ends),
		signingAlgorithm: ED25519,
		publicKey: new x509.PublicKey(spki),
		signingKey: keys.privateKey,
		extensions: [
			new x509.BasicConstraintsExtension(false, undefined, true),
			new x509.KeyUsagesExtension(x509.KeyUsageFlags.digitalSignature, true),
			new x509.ExtendedKeyUsageExtension([x509.ExtendedKeyUsage.clientAuth]),
			await x509.AuthorityKeyIdentifierExtension.create(keys.publicKey)
		]
	});
	return { number, ends: Math.floor(ends / 1000) * 1000, pem: certificate.toString('pem') };
}

/** The list of certificates that are not to be trusted (RFC 5280 §5), as PEM: good for a day, since it is made anew whenever it is asked for. */
export async function revocationList(
	ctx: Pick<Context, 'vault'>,
	revoked: readonly { number: string; at: number }[],
	now: number
): Promise<string> {
	const { certificate, keys } = await authorityOf(ctx);
	const list = await x509.X509CrlGenerator.create({
		issuer: certificate.subject,
		thisUpdate: new Date(now),
		nextUpdate: new Date(now + DAY),
		signingAlgorithm: ED25519,
		signingKey: keys.privateKey,
		entries: revoked.map((r) => ({ serialNumber: r.number, revocationDate: new Date(r.at) }))
	});
	// The library writes another label than others read (RFC 7468 §6).
	return x509.PemConverter.encode(list.rawData, 'X509 CRL');
}
