import { createPrivateKey, createPublicKey, webcrypto } from 'node:crypto';
import { LRUCache } from 'lru-cache';

export const ED25519 = { name: 'Ed25519' };

/** A private key of Ed25519 in PKCS #8 (RFC 8410 §7) is these bytes and its 32 own. */
const PKCS8 = Buffer.from('302e020100300506032b657004220420', 'hex');

/** What was worked out of seeds: reading a key out of PKCS #8 takes sixteen times as long as reading it where its public part is known. */
const known = new LRUCache<string, Buffer>({ max: 2000 });

/** What may be known of the key of Ed25519 that 32 bytes are (SubjectPublicKeyInfo, RFC 8410 §4). */
export function spkiOf(seed: Buffer): Buffer {
	const of = seed.toString('base64');
	let spki = known.get(of);
	if (!spki) {
		const key = createPrivateKey({ key: Buffer.concat([PKCS8, seed]), format: 'der', type: 'pkcs8' });
		spki = createPublicKey(key).export({ format: 'der', type: 'spki' });
		known.set(of, spki);
	}
	return spki;
}

/** Pairs that were made of their seeds, which are asked for again and again: making one takes longer than signing with it. */
const pairs = new LRUCache<string, Promise<CryptoKeyPair>>({ max: 200 });

/** The key of Ed25519 that 32 bytes are, as a pair that certificates are signed with. */
export function keyPairOf(seed: Buffer): Promise<CryptoKeyPair> {
	const key = seed.toString('base64');
	const made = pairs.get(key) ?? pairOf(seed);
	pairs.set(key, made);
	return made;
}

async function pairOf(seed: Buffer): Promise<CryptoKeyPair> {
	const publicPart = spkiOf(seed).subarray(-32);
	const { subtle } = webcrypto;
	// As a JSON Web Key (RFC 8037 §2), which has both parts.
	const [d, x] = [seed, publicPart].map((part) => part.toString('base64url'));
	return {
		privateKey: await subtle.importKey('jwk', { kty: 'OKP', crv: 'Ed25519', d, x }, ED25519, false, ['sign']),
		publicKey: await subtle.importKey('raw', publicPart, ED25519, true, ['verify'])
	} as CryptoKeyPair;
}
