import { DAY } from '../time/units';

/**
 * How a device proves what it is: it has made a key of its own, and asks for a certificate of it by a request (PKCS #10, RFC 2986) that the key has
 * signed. Sextant's own authority issues certificates (X.509, RFC 5280), renews them, and revokes them.
 */

/** How long a certificate is good, ms. */
export const GOOD_FOR = 90 * DAY;
/** It is renewed once less than this is left, ms: a device that is started once a month is not left behind. */
export const RENEWED_WITHIN = 30 * DAY;
/** The longest request that is read. */
export const LONGEST_REQUEST = 8192;

/** What a request says, as it was read. */
export interface Request {
	/** The serial number that it is for. */
	serial: string;
	/** Fingerprint of its key: SHA-256 of the key as it is written down (SubjectPublicKeyInfo), in hexadecimal. */
	key: string;
	/** Whether that key has signed it. */
	signed: boolean;
}

/** Why a request is refused that a device has made; null where nothing is wrong with it. What could not be read is null. */
export function requestProblem(device: { serial: string; key: string }, request: Request | null): string | null {
	if (!request) return 'its certificate request cannot be read';
	if (!request.signed) return 'its certificate request is not signed by the key that it is for';
	if (request.serial !== device.serial)
		return `its certificate request is for the serial number ${request.serial.slice(0, 64) || '(none)'}, and it calls itself ${device.serial}`;
	return request.key === device.key ? null : 'its certificate request is for another key than it calls in with';
}

/**
 * What a device shows of itself where somebody signs in from it: a certificate that is good, one that has ended or was revoked, or none of
 * Sextant's. `name`: what it is called; null where nothing is known of it.
 */
export interface DeviceProof {
	name: string | null;
	certificate: 'good' | 'ended' | 'revoked' | 'none';
}

/** A device of which nothing is known. */
export const UNKNOWN_DEVICE: DeviceProof = { name: null, certificate: 'none' };

/** What a device shows, in words. */
export function proofWords({ name, certificate }: DeviceProof): string {
	const it = name ?? 'what they ask from';
	switch (certificate) {
		case 'good':
			return `${it} is managed: it has a certificate that is good`;
		case 'ended':
			return `the certificate of ${it} has ended`;
		case 'revoked':
			return `${it} is shut out: its certificate was revoked`;
		case 'none':
			return `${it} is not managed: it has no certificate`;
	}
}

/** How a certificate stands at a moment. */
export const CERTIFICATE_STATES = ['good', 'renewed', 'revoked', 'ended'] as const;
export type CertificateState = (typeof CERTIFICATE_STATES)[number];
