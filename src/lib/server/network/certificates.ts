import { isIP } from 'node:net';
import { X509Certificate } from 'node:crypto';
import { judgeCertificate, type Certificate, type Standing } from '$lib/core/network/certificates';
import type { Explained } from '$lib/core/why/explained';

const oneLine = (name: string) => name.split('\n').join(', ');

/** Reads a certificate from its PEM form. Throws an Error when it is none. */
export function readCertificate(pem: string): Certificate {
	const x = new X509Certificate(pem);
	return {
		subject: oneLine(x.subject),
		issuer: oneLine(x.issuer),
		from: Date.parse(x.validFrom),
		until: Date.parse(x.validTo),
		fingerprint: x.fingerprint256,
		names: (x.subjectAltName ?? '')
			.split(', ')
			.filter(Boolean)
			.map((n) => n.slice(n.indexOf(':') + 1))
	};
}

/** Judges the certificate that a host presents, `authorities` being those that the directory vouches for, as PEM. */
export function lookAt(
	pem: string,
	host: string,
	authorities: string[],
	confirmed: string | null,
	now: number
): { certificate: Certificate; standing: Explained<Standing> } {
	const x = new X509Certificate(pem);
	const certificate = readCertificate(pem);
	const signer = authorities
		.map((a) => new X509Certificate(a))
		.find((a) => now < Date.parse(a.validTo) && x.checkIssued(a) && x.verify(a.publicKey));
	return {
		certificate,
		standing: judgeCertificate(certificate, {
			host,
			now,
			matches: (isIP(host) ? x.checkIP(host) : x.checkHost(host)) !== undefined,
			authority: signer ? oneLine(signer.subject) : null,
			confirmed
		})
	};
}
