import { readFileSync } from 'node:fs';
import { createGunzip } from 'node:zlib';
import { extract, type Header } from 'tar-stream';
import { pipeline } from 'node:stream/promises';
import type { Duplex, Readable, Transform } from 'node:stream';
import type { FileEntry, SettingEntry } from '$lib/core/packages/inventory';
import { wrongWithFiles, wrongWithSettings, wrongWithSpec } from '$lib/core/packages/spec-schema';
import { sizeWords } from '$lib/core/time/units';
import { packagedPath, type PackageSpec } from '$lib/core/packages/spec';
import type { BlobStore } from './blobs';
import { ROLE, type ImageConfig, type Layer, type Manifest } from './oci';

/** What a package says of itself, and the layers of its files. */
export interface Definition {
	spec: PackageSpec;
	files: FileEntry[];
	settings: SettingEntry[];
	layers: Layer[];
}

/** The most that a manifest or a configuration may hold, bytes. */
export const JSON_MOST = 1 << 20;

/** A small document of the store. Throws when it is larger than any such document. */
export function readJson<T>(store: BlobStore, digest: string): T {
	if (store.sizeOf(digest) > JSON_MOST) throw new Error(`${digest} is larger than any manifest or configuration`);
	return JSON.parse(readFileSync(store.pathOf(digest), 'utf8')) as T;
}

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

/** The content of an entry, whole; throws as soon as it is more than it may be, whatever its head says of it. */
export async function bytesOfEntry(body: AsyncIterable<Buffer>, most: number, what: string): Promise<Buffer> {
	const parts: Buffer[] = [];
	let size = 0;
	for await (const part of body) {
		size += part.length;
		if (size > most) throw new Error(`${what} is larger than ${sizeWords(most)}`);
		parts.push(part);
	}
	return Buffer.concat(parts);
}

/** The parts of a definition that are read, and the most bytes that each may have; all else in its layer is passed over. */
const PARTS = { package: 16 << 20, files: 256 << 20, settings: 128 << 20 } as const;
type Part = keyof typeof PARTS;

/**
 * Reads the definition of a package that is in the store: never more of it than it may have, and only of the form that the product
 * itself writes. Throws in words otherwise.
 */
export async function definitionOf(store: BlobStore, manifest: string): Promise<Definition> {
	const m = readJson<Manifest>(store, manifest);
	const config = readJson<ImageConfig>(store, m.config.digest);
	const definitions = m.layers.flatMap((l, i) => (l.annotations?.[ROLE] === 'definition' ? [i] : []));
	if (definitions.length === 0) throw new Error('it has no layer that tells what it is');
	if (definitions.length > 1) throw new Error('it has more than one layer that tells what it is');
	const at = definitions[0]!;
	const texts = new Map<Part, string>();
	await eachEntry([store.open(m.layers[at]!.digest), createGunzip()], async ({ head, body }) => {
		const name = /^sextant\/(package|files|settings)\.json$/.exec(head.name)?.[1] as Part | undefined;
		if (!name || head.type !== 'file') return;
		if (texts.has(name)) throw new Error(`it has two files ${head.name}`);
		texts.set(name, (await bytesOfEntry(body, PARTS[name], head.name)).toString('utf8'));
	});
	const part = <T>(name: Part, wrong: (value: unknown) => string | null): T => {
		const text = texts.get(name);
		if (text === undefined) throw new Error(`it has no sextant/${name}.json`);
		const value = parsed(text, `sextant/${name}.json`);
		texts.delete(name);
		const problem = wrong(value);
		if (problem !== null) throw new Error(`sextant/${name}.json is not what a package has to say: ${problem}`);
		return value as T;
	};
	return {
		// Whoever vouched for another system did so elsewhere: that does not travel.
		spec: { ...part<PackageSpec>('package', wrongWithSpec), vouched: [] },
		files: part<FileEntry[]>('files', wrongWithFiles),
		settings: part<SettingEntry[]>('settings', wrongWithSettings),
		layers: m.layers.flatMap((descriptor, i) => (i === at ? [] : [{ descriptor, diffId: config.rootfs.diff_ids[i]! }]))
	};
}

function parsed(text: string, what: string): unknown {
	try {
		return JSON.parse(text);
	} catch {
		throw new Error(`${what} is not JSON`);
	}
}

/** Files that are asked for one at a time (icons, menu entries) are no larger. */
const FILE_MOST = 16 << 20;

/** One file of a package, from the newest layer that has it; null where none has. */
export async function fileIn(store: BlobStore, manifest: string, name: string): Promise<Uint8Array | null> {
	const { files, layers } = await definitionOf(store, manifest);
	if (!files.some((f) => packagedPath(f.file) === name)) return null;
	for (const { descriptor } of layers.toReversed()) {
		let found: Buffer | null = null;
		await eachEntry([store.open(descriptor.digest), createGunzip()], async ({ head, body }) => {
			if (head.name === name && head.type === 'file') found = await bytesOfEntry(body, FILE_MOST, name);
		});
		if (found) return found;
	}
	return null;
}
