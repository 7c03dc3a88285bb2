import { readFileSync } from 'node:fs';
import { createGunzip } from 'node:zlib';
import { extract, type Header } from 'tar-stream';
import { pipeline } from 'node:stream/promises';
import type { Duplex, Readable, Transform } from 'node:stream';
import type { FileEntry, SettingEntry } from '$lib/core/packages/inventory';
import { packagedPath, type PackageSpec } from '$lib/core/packages/spec';
import type { BlobStore } from './blobs';
import { ROLE, type ImageConfig, type Layer, type Manifest } from './layout';

/** What a package says of itself, and the layers of its files. */
export interface Definition {
	spec: PackageSpec;
	files: FileEntry[];
	settings: SettingEntry[];
	layers: Layer[];
}

export const readJson = <T>(store: BlobStore, digest: string): T =>
	JSON.parse(readFileSync(store.pathOf(digest), 'utf8')) as T;

/** One entry of a tar while it is read. */
export interface TarEntry {
	head: Header;
	/** Its content; what is not read is passed over. */
	body: AsyncIterable<Buffer>;
}

/**
 * Reads a tar that comes through some streams, entry by entry. Whatever goes wrong, in a stream or in `each`, ends them all and
 * is thrown once.
 */
export async function eachEntry(
	streams: [Readable, ...(Transform | Duplex)[]],
	each: (entry: TarEntry) => Promise<void>
): Promise<void> {
	const tar = extract();
	const fed = pipeline([...streams, tar as unknown as NodeJS.WritableStream]);
	// Met again below, once the entries that came are read.
	fed.catch(() => {});
	try {
		for await (const entry of tar) {
			// An entry that is cut short complains by itself, too.
			entry.on('error', () => {});
			await each({ head: entry.header, body: entry as unknown as AsyncIterable<Buffer> });
			entry.resume();
		}
	} catch (e) {
		streams[0].destroy();
		const first = await fed.then(
			() => null,
			(wrong: NodeJS.ErrnoException) => wrong
		);
		// What a stream found comes before what followed from it.
		throw e instanceof Error && first && isAfterwards(e) ? first : e;
	}
	await fed;
}

const isAfterwards = (e: Error) => /premature close|destroyed|aborted|unexpected end/i.test(e.message);

export async function bytesOfEntry(body: AsyncIterable<Buffer>): Promise<Buffer> {
	const parts: Buffer[] = [];
	for await (const part of body) parts.push(part);
	return Buffer.concat(parts);
}

/** Files of a packed tar by name, whole: for layers whose files are small. */
export async function filesIn(packed: Readable): Promise<Map<string, Buffer>> {
	const files = new Map<string, Buffer>();
	await eachEntry([packed, createGunzip()], async ({ head, body }) => {
		const bytes = await bytesOfEntry(body);
		if (head.type === 'file') files.set(head.name, bytes);
	});
	return files;
}

/** Reads the definition of a package that is in the store. */
export async function definitionOf(store: BlobStore, manifest: string): Promise<Definition> {
	const m = readJson<Manifest>(store, manifest);
	const config = readJson<ImageConfig>(store, m.config.digest);
	const at = m.layers.findIndex((l) => l.annotations?.[ROLE] === 'definition');
	if (at < 0) throw new Error('it has no layer that tells what it is');
	const files = await filesIn(store.open(m.layers[at]!.digest));
	const part = <T>(name: string): T => {
		const text = files.get(`sextant/${name}.json`);
		if (text === undefined) throw new Error(`it has no sextant/${name}.json`);
		return JSON.parse(text.toString('utf8')) as T;
	};
	return {
		spec: part<PackageSpec>('package'),
		files: part<FileEntry[]>('files'),
		settings: part<SettingEntry[]>('settings'),
		layers: m.layers.flatMap((descriptor, i) => (i === at ? [] : [{ descriptor, diffId: config.rootfs.diff_ids[i]! }]))
	};
}

/** One file of a package, from the newest layer that has it; null where none has. */
export async function fileIn(store: BlobStore, manifest: string, name: string): Promise<Uint8Array | null> {
	const { files, layers } = await definitionOf(store, manifest);
	if (!files.some((f) => packagedPath(f.file) === name)) return null;
	for (const { descriptor } of layers.toReversed()) {
		let found: Buffer | null = null;
		await eachEntry([store.open(descriptor.digest), createGunzip()], async ({ head, body }) => {
			if (head.name === name && head.type === 'file') found = await bytesOfEntry(body);
		});
		if (found) return found;
	}
	return null;
}
