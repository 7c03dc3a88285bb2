import { createHash, randomUUID } from 'node:crypto';
import {
	createReadStream,
	createWriteStream,
	existsSync,
	mkdirSync,
	renameSync,
	rmSync,
	statSync,
	writeFileSync
} from 'node:fs';
import { join } from 'node:path';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { closed } from './closing';

/** A piece of content, named by what it is. */
export interface Blob {
	/** `sha256:` and 64 hexadecimal digits. */
	digest: string;
	size: number;
}

/** A blob that was put, and whether it was not there before. */
export type PutBlob = Blob & { isNew: boolean };

/** Content by its digest, in a folder laid out as an OCI image layout has it. What is there is never written again. */
export class BlobStore {
	constructor(readonly folder: string) {
		mkdirSync(join(folder, 'blobs/sha256'), { recursive: true });
	}

	pathOf(digest: string): string {
		const hex = /^sha256:([0-9a-f]{64})$/.exec(digest)?.[1];
		if (!hex) throw new Error(`${digest} is no digest`);
		return join(this.folder, 'blobs/sha256', hex);
	}

	has(digest: string): boolean {
		return existsSync(this.pathOf(digest));
	}

	sizeOf(digest: string): number {
		return statSync(this.pathOf(digest)).size;
	}

	open(digest: string): Readable {
		return createReadStream(this.pathOf(digest), { highWaterMark: 1 << 20 });
	}

	/** Keeps bytes. */
	put(bytes: Uint8Array): PutBlob {
		const digest = `sha256:${createHash('sha256').update(bytes).digest('hex')}`;
		const path = this.pathOf(digest);
		const isNew = !existsSync(path);
		if (isNew) {
			const making = `${path}.${randomUUID()}`;
			writeFileSync(making, bytes);
			renameSync(making, path);
		}
		return { digest, size: bytes.length, isNew };
	}

	/** Keeps what a stream gives; nothing is kept when it fails on the way. */
	async putStream(stream: Readable, ...through: Transform[]): Promise<PutBlob> {
		const making = join(this.folder, `making-${randomUUID()}`);
		const meter = new Meter();
		const out = createWriteStream(making);
		try {
			await pipeline([stream, ...through, meter, out]);
		} catch (e) {
			await closed(out);
			rmSync(making, { force: true });
			throw e;
		}
		const { digest } = meter;
		const isNew = !this.has(digest);
		if (isNew) renameSync(making, this.pathOf(digest));
		else rmSync(making);
		return { digest, size: meter.size, isNew };
	}

	remove(digest: string): void {
		rmSync(this.pathOf(digest), { force: true });
	}
}

/** Counts and hashes what passes. */
export class Meter extends Transform {
	private readonly hash = createHash('sha256');
	private done: string | null = null;
	size = 0;

	override _transform(
		chunk: Buffer,
		_encoding: BufferEncoding,
		callback: (e: Error | null, data: Buffer) => void
	): void {
		this.hash.update(chunk);
		this.size += chunk.length;
		callback(null, chunk);
	}

	/** Of all that has passed; nothing more may pass after it was asked. */
	get digest(): string {
		this.done ??= `sha256:${this.hash.digest('hex')}`;
		return this.done;
	}
}
