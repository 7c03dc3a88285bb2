import { createPrivateKey, createPublicKey, webcrypto } from 'node:crypto';
import { LRUCache } from 'lru-cache';

export const ED25519 = { name: 'Ed25519' };
/** A private key of Ed25519 in PKCS #8 (RFC 8410 §7) is these bytes and its 32 own. */
const PKCS8 = Buffer.from('302e020100300506032b657004220420', 'hex');

/** The key of Ed25519 that 32 bytes are: whole (PKCS #8), and what may be known of it (SubjectPublicKeyInfo). */
export function keyOf(seed: Buffer): { pkcs8: Buffer; spki: Buffer } {
	const pkcs8 = Buffer.concat([PKCS8, seed]);
	const spki = createPublicKey(createPrivateKey({ key: pkcs8, format: 'der', type: 'pkcs8' })).export({
		format: 'der',
		type: 'spki'
	});
	return { pkcs8, spki };
}

/** Pairs that were made of their seeds, which are asked for again and again: making one takes longer than signing with it. */
const pairs = new LRUCache<string, Promise<CryptoKeyPair>>({ max: 200 });

/** The same as a pair that certificates are signed with. */
export function keyPairOf(seed: Buffer): Promise<CryptoKeyPair> {
	const key = seed.toString('base64');
	const made = pairs.get(key) ?? pairOf(seed);
	pairs.set(key, made);
	return made;
}

async function pairOf(seed: Buffer): Promise<CryptoKeyPair> {
	const { pkcs8, spki } = keyOf(seed);
	const { subtle } = webcrypto;
	return {
		privateKey: await subtle.importKey('pkcs8', pkcs8, ED25519, false, ['sign']),
		publicKey: await subtle.importKey('spki', spki, ED25519, true, ['verify'])
	} as CryptoKeyPair;
}
