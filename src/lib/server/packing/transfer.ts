import {
	copyFileSync,
	createReadStream,
	createWriteStream,
	existsSync,
	mkdirSync,
	readdirSync,
	readFileSync,
	renameSync,
	rmSync,
	statSync,
	type WriteStream
} from 'node:fs';
import { createHash, randomUUID } from 'node:crypto';
import { open } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';
import { pack, type Header } from 'tar-stream';
import * as v from 'valibot';
import { climbs } from '$lib/core/packages/inventory';
import { LayerProblem, LayerTree } from '$lib/core/packages/layers';
import { sizeWords } from '$lib/core/time/units';
import { BlobStore, Meter } from './blobs';
import { closed } from './closing';
import { type KeptPackage } from './layout';
import { ROLE, TYPES, type Descriptor, type ImageConfig, type Manifest } from './oci';
import { bytesOfEntry, definitionOf, eachEntry, JSON_MOST } from './reading';

/** Something that is no package that can be trusted, in words. Nothing of it was kept. */
export class PackageProblem extends Error {
	constructor(message: string) {
		super(message);
		this.name = 'PackageProblem';
	}
}

/** What unpacking may come to at most, whatever a file says of itself. */
export interface Limits {
	/** Bytes unpacked. */
	bytes: number;
	entries: number;
	/** Times as large as packed, beyond the first 64 MB. */
	ratio: number;
}
export const LIMITS: Limits = { bytes: 64e9, entries: 2_000_000, ratio: 200 };

const digest = v.pipe(v.string(), v.regex(/^sha256:[0-9a-f]{64}$/));
const size = v.pipe(v.number(), v.integer(), v.minValue(0));
const descriptor = v.object({
	mediaType: v.string(),
	digest,
	size,
	annotations: v.optional(v.record(v.string(), v.string()))
});
const indexSchema = v.object({ schemaVersion: v.literal(2), manifests: v.pipe(v.array(descriptor), v.minLength(1)) });
const manifestSchema = v.object({
	schemaVersion: v.literal(2),
	config: descriptor,
	layers: v.pipe(v.array(descriptor), v.minLength(1)),
	annotations: v.optional(v.record(v.string(), v.string()), {})
});
const configSchema = v.object({
	architecture: v.string(),
	os: v.string(),
	rootfs: v.object({ type: v.literal('layers'), diff_ids: v.array(digest) })
});
/** Everything that a manifest names, itself included; each once. */
export function blobsOf(store: BlobStore, manifest: string): Descriptor[] {
	const bytes = readFileSync(store.pathOf(manifest));
	const m = JSON.parse(bytes.toString('utf8')) as Manifest;
	return [{ mediaType: TYPES.manifest, digest: manifest, size: bytes.length }, m.config, ...m.layers];
}

/** Writes a package as one tar that holds an OCI image layout: what common tools call an OCI archive. */
export async function exportPackage(store: BlobStore, manifest: string, out: NodeJS.WritableStream): Promise<void> {
	const blobs = blobsOf(store, manifest);
	const { annotations } = JSON.parse(readFileSync(store.pathOf(manifest), 'utf8')) as Manifest;
	const version = annotations['org.opencontainers.image.version']!;
	const index = {
		schemaVersion: 2,
		mediaType: TYPES.index,
		manifests: [{ ...blobs[0]!, annotations: { 'org.opencontainers.image.ref.name': version } }]
	};
	const tar = pack();
	const writing = pipeline(tar as unknown as Readable, out);
	const head = { mode: 0o644, mtime: new Date(annotations['org.opencontainers.image.created']!), uid: 0, gid: 0 };
	const text = (name: string, content: string) =>
		tar.entry({ ...head, name, size: Buffer.byteLength(content) }, content);
	text('oci-layout', JSON.stringify({ imageLayoutVersion: '1.0.0' }));
	text('index.json', JSON.stringify(index));
	const fill = (async () => {
		for (const b of [...blobs].sort((x, y) => (x.digest < y.digest ? -1 : 1))) {
			await new Promise<void>((done, wrong) => {
				const entry = tar.entry({ ...head, name: `blobs/sha256/${b.digest.slice(7)}`, size: b.size }, (e) =>
					e ? wrong(e) : done()
				);
				const from = store.open(b.digest);
				from.on('error', (e) => {
					entry.destroy(e);
					wrong(e);
				});
				from.pipe(entry as unknown as NodeJS.WritableStream);
			});
		}
		tar.finalize();
	})().catch((e: Error) => {
		tar.destroy(e);
		throw e;
	});
	await Promise.all([writing, fill]);
}

/**
 * Takes a package in from such a tar. Every blob is hashed as it arrives and has to be what its name says; every layer is
 * unpacked in passing, to see that it is what the configuration says and that nothing in it leaves the package. Whatever is
 * wrong throws PackageProblem, and nothing is kept; only when all is well do the blobs go to the store.
 */
export async function importPackage(store: BlobStore, from: Readable, limits: Limits = LIMITS): Promise<KeptPackage> {
	const making = join(store.folder, `import-${randomUUID()}`);
	mkdirSync(making, { recursive: true });
	try {
		const stage = new BlobStore(making);
		const { index } = await receive(stage, from, limits);
		const manifest = pickManifest(index);
		const { bytes, tree } = await verify(stage, manifest, limits);
		const definition = await definitionOf(stage, manifest.digest).catch((e: Error) => {
			throw new PackageProblem(`it is an image, but not one of a package: ${e.message}`);
		});
		try {
			tree.followLinks();
		} catch (e) {
			throw e instanceof LayerProblem ? new PackageProblem(e.message) : e;
		}
		const differs = tree.differsFrom(definition.files);
		if (differs !== null) throw new PackageProblem(differs);
		let added = 0;
		const blobs = blobsOf(stage, manifest.digest);
		for (const b of blobs)
			if (!store.has(b.digest)) {
				added += b.size;
				renameSync(stage.pathOf(b.digest), store.pathOf(b.digest));
			}
		return {
			manifest: manifest.digest,
			spec: definition.spec,
			size: blobs.reduce((n, b) => n + b.size, 0),
			added,
			unpacked: bytes,
			files: definition.files.filter((f) => f.kind !== 'folder').length,
			settings: definition.settings.length
		};
	} finally {
		rmSync(making, { recursive: true, force: true });
	}
}

/** Takes the parts of the tar in: nothing but the layout's own files, each blob as its name says. */
async function receive(stage: BlobStore, from: Readable, limits: Limits): Promise<{ index: string }> {
	let index: string | null = null;
	let layout = false;
	let bytes = 0;
	const problem = (words: string) => new PackageProblem(words);
	await eachEntry([from], async ({ head, body }) => {
		const name = head.name.replace(/^\.\//, '');
		bytes += head.size ?? 0;
		if (bytes > limits.bytes) throw problem(`it is larger than ${sizeWords(limits.bytes)}`);
		if (head.type === 'directory') return;
		if (head.type !== 'file') throw problem(`${name} is a ${head.type ?? 'thing'}: a package is made of files alone`);
		const hex = /^blobs\/sha256\/([0-9a-f]{64})$/.exec(name)?.[1];
		if (hex) {
			const blob = await stage.putStream(Readable.from(body));
			if (blob.digest !== `sha256:${hex}`)
				throw problem(`the content of ${name} has the SHA-256 ${blob.digest.slice(7)}: it has been changed or damaged`);
			return;
		}
		if (name !== 'index.json' && name !== 'oci-layout') throw problem(`${name} has no place in a package`);
		if ((head.size ?? 0) > JSON_MOST) throw problem(`${name} is larger than any such file`);
		const text = (await bytesOfEntry(body, JSON_MOST, name)).toString('utf8');
		if (name === 'index.json') index = text;
		else layout = true;
	}).catch((e: Error) => {
		throw e instanceof PackageProblem ? e : problem(`it is no tar that can be read: ${e.message}`);
	});
	if (!layout || index === null) throw problem('it is no OCI image layout: oci-layout or index.json is missing');
	return { index };
}

function pickManifest(text: string): Descriptor {
	const index = parse(indexSchema, text, 'index.json');
	if (index.manifests.length !== 1)
		throw new PackageProblem(`it holds ${index.manifests.length} images; a package is one`);
	return index.manifests[0] as Descriptor;
}

function parse<S extends v.GenericSchema>(schema: S, text: string, what: string): v.InferOutput<S> {
	let value: unknown;
	try {
		value = JSON.parse(text);
	} catch {
		throw new PackageProblem(`${what} is not JSON`);
	}
	const read = v.safeParse(schema, value);
	if (!read.success)
		throw new PackageProblem(
			`${what} is not as the specification has it: ${read.issues[0].path?.map((p) => String(p.key)).join('.') ?? ''} ${read.issues[0].message}`
		);
	return read.output;
}

/** Sees that everything that a manifest names is there and is what it says. Returns the bytes of its layers unpacked, and what they come to. */
async function verify(
	stage: BlobStore,
	manifest: Descriptor,
	limits: Limits
): Promise<{ bytes: number; tree: LayerTree }> {
	const text = (d: Descriptor, what: string): string => {
		if (!stage.has(d.digest)) throw new PackageProblem(`${what} is missing: ${d.digest}`);
		if (stage.sizeOf(d.digest) !== d.size) throw new PackageProblem(`${what} has another size than is said of it`);
		if (d.size > JSON_MOST) throw new PackageProblem(`${what} is larger than any such file`);
		return readFileSync(stage.pathOf(d.digest), 'utf8');
	};
	const m = parse(manifestSchema, text(manifest, 'the manifest'), 'the manifest') as Manifest;
	const config = parse(configSchema, text(m.config, 'the configuration'), 'the configuration') as ImageConfig;
	if (config.os !== 'linux' || config.architecture !== 'amd64')
		throw new PackageProblem(`it is for ${config.os}/${config.architecture}; packages here are for linux/amd64`);
	if (config.rootfs.diff_ids.length !== m.layers.length)
		throw new PackageProblem('the configuration names another number of layers than the manifest');
	const budget = { bytes: limits.bytes, entries: limits.entries };
	const tree = new LayerTree();
	let total = 0;
	for (let i = 0; i < m.layers.length; i++) {
		const layer = m.layers[i]!;
		if (layer.mediaType !== TYPES.layer)
			throw new PackageProblem(`a layer is of the type ${layer.mediaType}; ${TYPES.layer} is wanted`);
		if (!stage.has(layer.digest)) throw new PackageProblem(`a layer is missing: ${layer.digest}`);
		if (stage.sizeOf(layer.digest) !== layer.size)
			throw new PackageProblem(`a layer has another size than is said of it: ${layer.digest}`);
		const definition = layer.annotations?.[ROLE] === 'definition';
		if (definition && i !== m.layers.length - 1)
			throw new PackageProblem('the layer that tells what it is has to be its last');
		const found = await readLayer(stage, layer, config.rootfs.diff_ids[i]!, limits, budget, definition ? null : tree);
		total += definition ? 0 : found;
	}
	return { bytes: total, tree };
}

/** Unpacks a layer in passing, into `tree` where it is one of files; returns its bytes. */
async function readLayer(
	stage: BlobStore,
	layer: Descriptor,
	diffId: string,
	limits: Limits,
	budget: { bytes: number; entries: number },
	tree: LayerTree | null
): Promise<number> {
	let content = 0;
	let unpacked = 0;
	const most = Math.max(64e6, layer.size * limits.ratio);
	const guard = new Transform({
		transform(chunk: Buffer, _encoding, callback) {
			unpacked += chunk.length;
			budget.bytes -= chunk.length;
			if (unpacked > most)
				callback(
					new PackageProblem(
						`a layer of ${sizeWords(layer.size)} unpacks to more than ${limits.ratio} times as much: it is not taken`
					)
				);
			else if (budget.bytes < 0)
				callback(new PackageProblem(`it unpacks to more than ${sizeWords(limits.bytes)}: it is not taken`));
			else callback(null, chunk);
		}
	});
	const meter = new Meter();
	tree?.nextLayer();
	await eachEntry([stage.open(layer.digest), createGunzip(), guard, meter], async ({ head, body }) => {
		if (--budget.entries < 0) throw new PackageProblem(`it holds more than ${limits.entries} entries: it is not taken`);
		const name = head.name.replace(/\/$/, '');
		const kind = KINDS.get(head.type as 'file');
		if (!kind)
			throw new PackageProblem(`${name} is a ${head.type ?? 'thing'}: files, folders and links alone are taken`);
		content += head.size ?? 0;
		if (tree === null) {
			if (name !== 'sextant' && !(kind === 'file' && /^sextant\/[a-z.]+$/.test(name)))
				throw new PackageProblem(`${name} has no place in the layer that tells what a package is`);
			return;
		}
		tree.add({
			name,
			kind,
			mode: (head.mode ?? 0) & 0o7777,
			size: head.size ?? 0,
			...(kind === 'file' ? { sha256: await hashOf(body) } : {}),
			...(kind === 'link' ? { target: head.linkname ?? '' } : {})
		});
	}).catch((e: Error) => {
		if (e instanceof PackageProblem) throw e;
		throw new PackageProblem(e instanceof LayerProblem ? e.message : `a layer cannot be unpacked: ${e.message}`);
	});
	if (meter.digest !== diffId) throw new PackageProblem(`a layer is not what the configuration says: ${layer.digest}`);
	return content;
}

const KINDS = new Map([
	['file', 'file'],
	['directory', 'folder'],
	['symlink', 'link']
] as const);

async function hashOf(body: AsyncIterable<Buffer>): Promise<string> {
	const hash = createHash('sha256');
	for await (const part of body) hash.update(part);
	return hash.digest('hex');
}

/**
 * Unpacks a tar (packed with gzip or not) of a folder that was captured; answers with how many files it held. Links are known
 * by the inventory and are not made; a path that climbs out is refused, and then nothing is kept.
 */
export async function unpackFolder(path: string, to: string, limits: Limits = LIMITS): Promise<number> {
	const making = `${to}-${randomUUID()}`;
	const file = await open(path);
	const { buffer } = await file.read(Buffer.alloc(2), 0, 2, 0);
	await file.close();
	const from = createReadStream(path, { highWaterMark: 1 << 20 });
	let files = 0;
	let entries = 0;
	let bytes = 0;
	let out: WriteStream | null = null;
	try {
		await eachEntry(
			buffer[0] === 0x1f && buffer[1] === 0x8b ? [from, createGunzip()] : [from],
			async ({ head, body }) => {
				const name = head.name.replace(/^\.\//, '').replace(/\/$/, '');
				if (name === '' || name === '.') return;
				if (climbs(name)) throw new PackageProblem(`the path ${head.name} climbs out of the folder`);
				bytes += head.size ?? 0;
				if (bytes > limits.bytes) throw new PackageProblem(`it unpacks to more than ${sizeWords(limits.bytes)}`);
				if (++entries > limits.entries) throw new PackageProblem(`it holds more than ${limits.entries} entries`);
				if (isSparse(head))
					throw new PackageProblem(`${name} is packed as a sparse file: pack the folder again without --sparse`);
				const full = join(making, name);
				if (head.type === 'link') {
					const first = (head.linkname ?? '').replace(/^\.\//, '');
					if (climbs(first) || !existsSync(join(making, first)))
						throw new PackageProblem(
							`${name} is the same file as ${head.linkname ?? ''}, which the tar does not hold before it`
						);
					files++;
					mkdirSync(join(full, '..'), { recursive: true });
					copyFileSync(join(making, first), full);
					return;
				}
				if (head.type !== 'file') return;
				files++;
				mkdirSync(join(full, '..'), { recursive: true });
				out = createWriteStream(full);
				await pipeline(Readable.from(body), out);
			}
		);
		rmSync(to, { recursive: true, force: true });
		if (existsSync(making)) renameSync(making, to);
		return files;
	} catch (e) {
		throw e instanceof PackageProblem
			? e
			: new PackageProblem(`it is no tar that can be read: ${(e as Error).message}`);
	} finally {
		await closed(out);
		rmSync(making, { recursive: true, force: true });
	}
}

/** GNU tar marks files with holes in two ways: by a type of its own, or by extended headers. */
const isSparse = (head: Header): boolean =>
	!head.type ||
	(head.type as string) === 'gnu-sparse' ||
	Object.keys(head.pax ?? {}).some((k) => k.startsWith('GNU.sparse.'));

/** Content that nobody names is left alone this long, ms: it may belong to what is being packed or has just been brought. */
const YOUNG = 24 * 3_600_000;

/**
 * Removes what `gone` names and no manifest of `kept` does, and whatever nobody has named for a day. Returns bytes freed.
 * @param now of the wall's clock, ms, as files have it
 */
export function sweep(store: BlobStore, gone: string | null, kept: readonly string[], now: number): number {
	const theirs = new Set(gone !== null && store.has(gone) ? blobsOf(store, gone).map((b) => b.digest) : []);
	const needed = new Set(kept.flatMap((m) => (store.has(m) ? blobsOf(store, m).map((b) => b.digest) : [])));
	let freed = 0;
	const folder = join(store.folder, 'blobs/sha256');
	for (const hex of existsSync(folder) ? readdirSync(folder) : []) {
		const digest_ = `sha256:${hex}`;
		if (!/^[0-9a-f]{64}$/.test(hex) || needed.has(digest_)) continue;
		if (!theirs.has(digest_) && now - statSync(store.pathOf(digest_)).mtimeMs < YOUNG) continue;
		freed += store.sizeOf(digest_);
		store.remove(digest_);
	}
	return freed;
}

/** A package as a file, written whole or not at all, however many write it at once. */
export async function exportToFile(store: BlobStore, manifest: string, path: string): Promise<void> {
	const making = `${path}.${randomUUID()}.making`;
	try {
		await exportPackage(store, manifest, createWriteStream(making));
		renameSync(making, path);
	} catch (e) {
		rmSync(making, { force: true });
		throw e;
	}
}

export const importFile = (store: BlobStore, path: string, limits?: Limits) =>
	importPackage(store, createReadStream(path, { highWaterMark: 1 << 20 }), limits);
