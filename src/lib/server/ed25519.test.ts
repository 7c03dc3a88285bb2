import { createPublicKey, verify, webcrypto } from 'node:crypto';
import { describe, expect, test } from 'vitest';
import { ED25519, keyPairOf, spkiOf } from './ed25519';

/** RFC 8032 §7.1: seed, public key, message, signature. */
const VECTORS = [
	[
		'9d61b19deffd5a60ba844af492ec2cc44449c5697b326919703bac031cae7f60',
		'd75a980182b10ab7d54bfed3c964073a0ee172f3daa62325af021a68f707511a',
		'',
		'e5564300c360ac729086e2cc806e828a84877f1eb8e5d974d873e065224901555fb8821590a33bacc61e39701cf9b46bd25bf5f0595bbe24655141438e7a100b'
	],
	[
		'4ccd089b28ff96da9db6c346ec114e0f5b8a319f35aba624da8cf6ed4fb8a6fb',
		'3d4017c3e843895a92b70aa74d1b7ebc9c982ccf2ec4968cc0cd55f12af4660c',
		'72',
		'92a009a9f0d4cab8720e820b5f642540a2b27b5416503f8fb3762223ebdb69da085ac1e43e15996e458f3613d0f11d8c387b2eaeb4302aeeb00d291612bb0c00'
	]
].map((v) => v.map((hex) => Buffer.from(hex, 'hex'))) as [Buffer, Buffer, Buffer, Buffer][];

describe('keys that follow from 32 bytes', () => {
	test.each(VECTORS)('are those of RFC 8032, and sign as these do', async (seed, known, message, signature) => {
		const spki = spkiOf(seed);
		expect(spki.subarray(-32)).toEqual(known);
		const { privateKey, publicKey } = await keyPairOf(seed);
		const { subtle } = webcrypto;
		expect(Buffer.from(await subtle.sign(ED25519, privateKey, message))).toEqual(signature);
		expect(await subtle.verify(ED25519, publicKey, signature, message)).toBe(true);
		expect(verify(null, message, createPublicKey({ key: spki, format: 'der', type: 'spki' }), signature)).toBe(true);
	});

	test('say the same again, and of other bytes something else', async () => {
		const [one, other] = [Buffer.alloc(32, 41), Buffer.alloc(32, 42)];
		const said = Buffer.from('what is said');
		const spki = (of: Buffer) => createPublicKey({ key: spkiOf(of), format: 'der', type: 'spki' });
		for (let again = 0; again < 2; again++) {
			const { privateKey } = await keyPairOf(one);
			const signature = Buffer.from(await webcrypto.subtle.sign(ED25519, privateKey, said));
			expect(verify(null, said, spki(one), signature)).toBe(true);
			expect(verify(null, said, spki(other), signature)).toBe(false);
		}
	});
});
