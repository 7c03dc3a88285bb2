import { createHash } from 'node:crypto';
import { constants, createGzip } from 'node:zlib';
import { Transform, type Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { pack, type Pack } from 'tar-stream';
import { baseName, folderOf, type FileEntry } from '$lib/core/packages/inventory';
import { sameSystem, systemWords } from '$lib/core/packages/fits';
import { linkInPackage, packagedPath, type Contents, type PackageSpec } from '$lib/core/packages/spec';
import { Meter, type Blob, type BlobStore, type PutBlob } from './blobs';
import { ROLE, TYPES, UNPACKED, type ImageConfig, type Layer, type Manifest } from './oci';
import { packageBom } from './package-bom';
import { definitionOf } from './reading';

/** A package version as it is kept: its manifest, and what reading it found. */
export interface BuiltPackage {
	manifest: string;
	/** Bytes of all its blobs, shared ones included. */
	size: number;
	/** Bytes that were not there before. */
	added: number;
	/** Bytes unpacked. */
	unpacked: number;
	files: number;
	settings: number;
}

/** A package version with what it says of itself. */
export interface KeptPackage extends BuiltPackage {
	spec: PackageSpec;
}

/** The level that gzip itself takes when nobody says another. */
const LEVEL = 6;
/** Files are read ahead of the packing, so many at once, as long as they are not large. */
const AHEAD = 16;
const SMALL = 1 << 20;
/** After so many layers upon each other a package is packed whole again. */
const MOST_LAYERS = 24;

/** A file whose content is not what its inventory says. */
export class ContentProblem extends Error {}

/** Where the content of files comes from: a folder, or a machine. */
export interface Source {
	/** The whole content; for files up to a megabyte. */
	read(file: FileEntry): Promise<Uint8Array>;
	open(file: FileEntry): Readable;
}

/**
 * Builds a package version: a layer of files, or, upon an earlier version, one of what is new in it, then a layer that tells what
 * it is. Names are in order, owners 0, times those of the capture: the same contents give the same digests.
 * Fails, and keeps nothing but blobs that no manifest names, when a file's content is not what its inventory says.
 */
export async function buildPackage(
	store: BlobStore,
	spec: PackageSpec,
	contents: Contents,
	source: Source,
	base: string | null = null
): Promise<BuiltPackage> {
	const under = base === null ? null : await definitionOf(store, base);
	if (under && (under.spec.name !== spec.name || !sameSystem(under.spec.system, spec.system)))
		throw new ContentProblem(
			`${under.spec.name} ${under.spec.version} for ${systemWords(under.spec.system)} is another app or another system: ${spec.name} cannot be packed upon it`
		);
	const stack = under && under.layers.length < MOST_LAYERS ? under : null;
	const then = new Map((stack?.files ?? []).map((f) => [f.file, f]));
	const fresh = contents.files.filter((f) => !sameFile(then.get(f.file), f));
	for (const f of contents.files) then.delete(f.file);
	const gone = takenAway([...then.keys()], contents.files);
	const layers: Layer[] = [...(stack?.layers ?? [])];
	let added = 0;
	const keep = <B extends PutBlob>(blob: B): B => {
		if (blob.isNew) added += blob.size;
		return blob;
	};
	if (fresh.length || gone.length) layers.push(keep(await packFiles(store, fresh, gone, source)));
	const definition = keep(await packDefinition(store, spec, contents));
	const all = [...layers, definition];
	const created = new Date(spec.capturedAt).toISOString();
	const labels = {
		'org.opencontainers.image.title': spec.name,
		'org.opencontainers.image.version': spec.version,
		'org.opencontainers.image.created': created,
		...(spec.note ? { 'org.opencontainers.image.description': spec.note } : {})
	};
	const config: ImageConfig = {
		created,
		architecture: 'amd64',
		os: 'linux',
		config: { Labels: labels },
		rootfs: { type: 'layers', diff_ids: all.map((l) => l.diffId) },
		history: all.map((l) => ({ created, created_by: l.descriptor.annotations![ROLE]! }))
	};
	const configBlob = keep(putJson(store, config));
	const manifest: Manifest = {
		schemaVersion: 2,
		mediaType: TYPES.manifest,
		config: { mediaType: TYPES.config, ...plain(configBlob) },
		layers: all.map((l) => l.descriptor),
		annotations: {
			...labels,
			'sextant.system': `${spec.system.name} ${spec.system.version} ${spec.system.users}`.trim()
		}
	};
	const blob = keep(putJson(store, manifest));
	return {
		manifest: blob.digest,
		size: [blob, configBlob, ...all.map((l) => l.descriptor)].reduce((n, b) => n + b.size, 0),
		added,
		unpacked: contents.files.reduce((n, f) => n + f.size, 0),
		files: contents.files.filter((f) => f.kind !== 'folder').length,
		settings: contents.settings.length
	};
}

/**
 * What has to be taken away from the layers below. Whatever lies below a folder goes with it, and a folder that has become a file or a
 * link is replaced by that: a whiteout below it would reach through the link.
 */
function takenAway(gone: readonly string[], files: readonly FileEntry[]): string[] {
	const going = new Set(gone);
	const now = new Map(files.map((f) => [f.file, f.kind]));
	return gone.filter((path) => {
		for (let at = folderOf(path); at !== ''; at = folderOf(at))
			if (going.has(at) || (now.has(at) && now.get(at) !== 'folder')) return false;
		return true;
	});
}

const plain = ({ digest, size }: Blob): Blob => ({ digest, size });

const sameFile = (a: FileEntry | undefined, b: FileEntry): boolean =>
	a !== undefined && a.kind === b.kind && a.mode === b.mode && a.sha256 === b.sha256 && a.target === b.target;

const putJson = (store: BlobStore, value: unknown): PutBlob => store.put(Buffer.from(JSON.stringify(value)));

/** Packs a tar through gzip into the store; `fill` writes its entries. */
async function packLayer(
	store: BlobStore,
	role: string,
	fill: (tar: Pack) => Promise<number>
): Promise<Layer & PutBlob> {
	const tar = pack();
	const raw = new Meter();
	let unpacked = 0;
	let failed: Error | null = null;
	const filled = fill(tar).then(
		(bytes) => {
			unpacked = bytes;
			tar.finalize();
		},
		(e: Error) => {
			failed = e;
			tar.destroy(e);
		}
	);
	const gzip = createGzip({ level: LEVEL, chunkSize: 1 << 18, strategy: constants.Z_DEFAULT_STRATEGY });
	const blob = await store.putStream(tar as unknown as Readable, raw, gzip as never).catch((e: Error) => {
		// What `fill` met comes before what the streams made of it.
		throw failed ?? e;
	});
	await filled;
	if (failed) throw failed;
	return {
		...blob,
		diffId: raw.digest,
		descriptor: {
			mediaType: TYPES.layer,
			...plain(blob),
			annotations: { [ROLE]: role, [UNPACKED]: String(unpacked) }
		}
	};
}

/** A layer of files, with a whiteout for each that the layers below have and this version has not. */
function packFiles(
	store: BlobStore,
	files: readonly FileEntry[],
	gone: readonly string[],
	source: Source
): Promise<Layer & PutBlob> {
	return packLayer(store, gone.length || files.length === 0 ? 'changed files' : 'files', async (tar) => {
		let bytes = 0;
		const entries = [
			...files.map((f) => ({ path: packagedPath(f.file), file: f as FileEntry | null })),
			...gone.map((path) => ({ path: whiteout(packagedPath(path)), file: null }))
		].sort((a, b) => (a.path < b.path ? -1 : 1));
		const ahead: (Promise<Uint8Array> | null)[] = [];
		const look = (i: number) => {
			const f = entries[i]?.file;
			ahead[i] = f?.kind === 'file' && f.size <= SMALL ? source.read(f) : null;
			// A failure is met when its turn comes, not before.
			ahead[i]?.catch(() => {});
		};
		for (let i = 0; i < Math.min(AHEAD, entries.length); i++) look(i);
		for (let i = 0; i < entries.length; i++) {
			const { path, file: f } = entries[i]!;
			if (f === null)
				await written(tar, (done) =>
					tar.entry({ name: path, size: 0, mode: 0o644, mtime: new Date(0), uid: 0, gid: 0 }, Buffer.alloc(0), done)
				);
			else {
				const head = headOf(f);
				if (f.kind === 'folder') tar.entry({ ...head, name: `${path}/`, type: 'directory' });
				else if (f.kind === 'link') tar.entry({ ...head, name: path, type: 'symlink', linkname: linkInPackage(f) });
				else if (ahead[i]) {
					const content = await ahead[i]!;
					if (content.length !== f.size || digestOf(content) !== f.sha256) throw changedMeanwhile(f.file);
					await written(tar, (done) =>
						tar.entry(
							{ ...head, type: 'file', name: path, size: f.size },
							Buffer.from(content.buffer, content.byteOffset, content.length),
							done
						)
					);
				} else await stream(tar, source, f, { ...head, name: path, size: f.size });
				bytes += f.size;
			}
			ahead[i] = null;
			look(i + AHEAD);
		}
		return bytes;
	});
}

/** The last second that the tar library can write by itself; later ones go into an extended header (POSIX pax, `mtime`). */
const LAST_SECOND = 2 ** 31 - 1;

function headOf(f: FileEntry) {
	const seconds = Math.floor(f.mtime / 1000);
	return {
		// The library takes 0 for “not said”; it keeps the lower twelve bits alone.
		mode: Number.parseInt(f.mode, 8) || 0o10000,
		mtime: new Date(Math.min(seconds, LAST_SECOND) * 1000),
		...(seconds > LAST_SECOND ? { pax: { mtime: String(seconds) } } : {}),
		uid: 0,
		gid: 0
	};
}

const digestOf = (bytes: Uint8Array) => createHash('sha256').update(bytes).digest('hex');
const changedMeanwhile = (path: string) =>
	new ContentProblem(`${path} is not what its inventory says: it has been changed since`);

/** Waits until the tar has room for more. */
function written(tar: Pack, write: (done: (e?: Error | null) => void) => unknown): Promise<void> {
	return new Promise((resolve, reject) => {
		write((e) => (e ? reject(e) : resolve()));
	});
}

/**
 * Writes a file that is too large to be held. It has to be as long as its inventory says: a tar's head comes before its content. Whatever
 * goes wrong, in the file or in the tar, ends the entry and is thrown here; no stream is left that could complain to nobody.
 */
async function stream(tar: Pack, source: Source, f: FileEntry, head: { name: string; size: number }): Promise<void> {
	const meter = new Meter();
	const entry = tar.entry({ type: 'file', ...head });
	// The pack tells of an entry that was cut short, too: once is enough.
	entry.on('error', () => {});
	let left = f.size;
	const exactly = new Transform({
		transform(part: Buffer, _encoding, callback) {
			left -= part.length;
			callback(left < 0 ? changedMeanwhile(f.file) : null, part);
		},
		flush(callback) {
			callback(left === 0 ? null : changedMeanwhile(f.file));
		}
	});
	try {
		await pipeline(source.open(f), exactly, meter, entry as unknown as NodeJS.WritableStream);
	} catch (e) {
		throw e instanceof ContentProblem ? e : new ContentProblem(`${f.file} cannot be read: ${(e as Error).message}`);
	}
	if (meter.digest !== `sha256:${f.sha256!}`) throw changedMeanwhile(f.file);
}

const whiteout = (path: string) => `${folderOf(path)}/.wh.${baseName(path)}`;

/** The layer that tells what the package is: its definition, its settings, the list of its files, its bill of materials. */
function packDefinition(store: BlobStore, spec: PackageSpec, contents: Contents): Promise<Layer & PutBlob> {
	const files: [string, string][] = [
		['sextant/bom.cdx.json', packageBom(spec, contents)],
		['sextant/files.json', JSON.stringify(contents.files)],
		['sextant/package.json', JSON.stringify(spec, null, 2)],
		['sextant/settings.json', JSON.stringify(contents.settings)]
	];
	return packLayer(store, 'definition', async (tar) => {
		let bytes = 0;
		const head = { mode: 0o644, mtime: new Date(Math.floor(spec.capturedAt / 1000) * 1000), uid: 0, gid: 0 };
		tar.entry({ ...head, name: 'sextant/', type: 'directory', mode: 0o755 });
		for (const [name, text] of files) {
			const content = Buffer.from(text);
			await written(tar, (done) => tar.entry({ ...head, name, size: content.length }, content, done));
			bytes += content.length;
		}
		return bytes;
	});
}
