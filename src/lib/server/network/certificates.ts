import { isIP } from 'node:net';
import { X509Certificate } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import { judgeCertificate, type Certificate, type Standing } from '$lib/core/network/certificates';
import type { Explained } from '$lib/core/why/explained';

const oneLine = (name: string) => name.split('\n').join(', ');

interface Read {
	x: X509Certificate;
	certificate: Certificate;
}
/** Certificates are looked at again and again, and each is what it is: those of late are read, and their signatures checked, once. */
const KEPT_AT_MOST = 20_000;
const known = new LRUCache<string, Read>({ max: 200 });
const issued = new LRUCache<string, boolean>({ max: 1000 });

/** Throws an Error when it is none. */
function read(pem: string): Read {
	const before = known.get(pem);
	if (before) return before;
	const x = new X509Certificate(pem);
	const names = (x.subjectAltName ?? '').split(', ').filter(Boolean);
	const certificate = {
		subject: oneLine(x.subject),
		issuer: oneLine(x.issuer),
		from: Date.parse(x.validFrom),
		until: Date.parse(x.validTo),
		fingerprint: x.fingerprint256,
		names: names.map((n) => n.slice(n.indexOf(':') + 1))
	};
	const now = { x, certificate };
	if (pem.length <= KEPT_AT_MOST) known.set(pem, now);
	return now;
}

/** Whether `by` signed `of`, whatever the day. */
function signs(by: Read, of: Read): boolean {
	const pair = `${by.certificate.fingerprint} ${of.certificate.fingerprint}`;
	const before = issued.get(pair);
	if (before !== undefined) return before;
	const now = of.x.checkIssued(by.x) && of.x.verify(by.x.publicKey);
	issued.set(pair, now);
	return now;
}

/** Reads a certificate from its PEM form. Throws an Error when it is none. */
export const readCertificate = (pem: string): Certificate => structuredClone(read(pem).certificate);

/** Judges the certificate that a host presents, `authorities` being those that the directory vouches for, as PEM. */
export function lookAt(
	pem: string,
	host: string,
	authorities: string[],
	confirmed: string | null,
	now: number
): { certificate: Certificate; standing: Explained<Standing> } {
	const own = read(pem);
	const signer = authorities.map(read).find((a) => now < a.certificate.until && signs(a, own));
	return {
		certificate: readCertificate(pem),
		standing: judgeCertificate(own.certificate, {
			host,
			now,
			matches: (isIP(host) ? own.x.checkIP(host) : own.x.checkHost(host)) !== undefined,
			authority: signer ? signer.certificate.subject : null,
			confirmed
		})
	};
}
