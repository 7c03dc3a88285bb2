import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';

/**
 * A new secret for a token, and the SHA-256 hash by which Sextant knows it: the secret itself never leaves the page. Not by the browser's own
 * digest, which there is none of over plain HTTP.
 */
export function newTokenSecret(): { secret: string; hash: string } {
	const random = crypto.getRandomValues(new Uint8Array(32));
	const secret = `sxt_${btoa(String.fromCharCode(...random))
		.replaceAll('+', '-')
		.replaceAll('/', '_')
		.replaceAll('=', '')}`;
	return { secret, hash: bytesToHex(sha256(utf8ToBytes(secret))) };
}
