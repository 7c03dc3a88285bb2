import { createPrivateKey, createPublicKey, webcrypto, type JsonWebKey } from 'node:crypto';
import { LRUCache } from 'lru-cache';

export const ED25519 = { name: 'Ed25519' };

/** A key of Ed25519, 32 bytes and its public part, as a JSON Web Key (RFC 8037 §2): read in a fifteenth of the time that PKCS #8 takes. */
const jwkOf = (seed: Buffer, publicPart: Buffer): JsonWebKey => ({
	kty: 'OKP',
	crv: 'Ed25519',
	d: seed.toString('base64url'),
	x: publicPart.toString('base64url')
});

/** What may be known of the key of Ed25519 that 32 bytes are (SubjectPublicKeyInfo, RFC 8410 §4). */
export function spkiOf(seed: Buffer): Buffer {
	// The public part follows from the seed, whatever is said of it here.
	const key = createPrivateKey({ key: jwkOf(seed, seed), format: 'jwk' });
	return createPublicKey(key).export({ format: 'der', type: 'spki' });
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
	return {
		privateKey: await subtle.importKey('jwk', jwkOf(seed, publicPart), ED25519, false, ['sign']),
		publicKey: await subtle.importKey('raw', publicPart, ED25519, true, ['verify'])
	} as CryptoKeyPair;
}
