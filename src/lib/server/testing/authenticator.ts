import { createHash, generateKeyPairSync, randomBytes, sign, type KeyObject } from 'node:crypto';

/** CBOR (RFC 8949) of what an authenticator says: whole numbers, text, bytes and maps. */
function cbor(value: number | string | Uint8Array | Map<number | string, unknown>): Buffer {
	const head = (major: number, n: number): Buffer =>
		n < 24
			? Buffer.from([(major << 5) | n])
			: n < 256
				? Buffer.from([(major << 5) | 24, n])
				: Buffer.from([(major << 5) | 25, n >> 8, n & 255]);
	if (typeof value === 'number') return value < 0 ? head(1, -1 - value) : head(0, value);
	if (typeof value === 'string') return Buffer.concat([head(3, Buffer.byteLength(value)), Buffer.from(value)]);
	if (value instanceof Uint8Array) return Buffer.concat([head(2, value.length), value]);
	return Buffer.concat([
		head(5, value.size),
		...[...value].flatMap(([k, v]) => [cbor(k), cbor(v as Parameters<typeof cbor>[0])])
	]);
}

const sha256 = (data: string | Buffer) => createHash('sha256').update(data).digest();
const PRESENT = 0x01;
const VERIFIED = 0x04;
const ATTESTED = 0x40;

/** A device that makes and shows one passkey (WebAuthn Level 3, ES256), for tests. */
export class Authenticator {
	readonly id = randomBytes(16);
	private readonly key: KeyObject;
	private readonly point: { x: Buffer; y: Buffer };
	count = 0;

	/** @param verifies whether it has its person unlock it */
	constructor(
		private readonly origin: string,
		private readonly host: string,
		private readonly verifies = true
	) {
		const { privateKey, publicKey } = generateKeyPairSync('ec', { namedCurve: 'P-256' });
		this.key = privateKey;
		const { x, y } = publicKey.export({ format: 'jwk' });
		this.point = { x: Buffer.from(x!, 'base64url'), y: Buffer.from(y!, 'base64url') };
	}

	/** What it answers when it is to make one. */
	make(options: { challenge: string }): string {
		const credential = Buffer.concat([
			Buffer.alloc(16),
			Buffer.from([0, this.id.length]),
			this.id,
			cbor(
				new Map<number, number | Buffer>([
					[1, 2],
					[3, -7],
					[-1, 1],
					[-2, this.point.x],
					[-3, this.point.y]
				])
			)
		]);
		return this.answer({
			clientDataJSON: this.client('webauthn.create', options.challenge).toString('base64url'),
			attestationObject: cbor(
				new Map<string, unknown>([
					['fmt', 'none'],
					['attStmt', new Map()],
					['authData', Buffer.concat([this.data(ATTESTED), credential])]
				])
			).toString('base64url'),
			transports: ['internal']
		});
	}

	/** What it answers when it is to show it. */
	show(options: { challenge: string }): string {
		const client = this.client('webauthn.get', options.challenge);
		const data = this.data(0);
		return this.answer({
			clientDataJSON: client.toString('base64url'),
			authenticatorData: data.toString('base64url'),
			signature: sign('sha256', Buffer.concat([data, sha256(client)]), this.key).toString('base64url')
		});
	}

	private answer(response: object): string {
		const id = this.id.toString('base64url');
		return JSON.stringify({ id, rawId: id, type: 'public-key', clientExtensionResults: {}, response });
	}

	private client(type: string, challenge: string): Buffer {
		return Buffer.from(JSON.stringify({ type, challenge, origin: this.origin, crossOrigin: false }));
	}

	private data(flags: number): Buffer {
		const count = Buffer.alloc(4);
		count.writeUInt32BE(++this.count);
		return Buffer.concat([sha256(this.host), Buffer.from([PRESENT | (this.verifies ? VERIFIED : 0) | flags]), count]);
	}
}
