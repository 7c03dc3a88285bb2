import { createWriteStream, existsSync, mkdirSync, rmSync } from 'node:fs';
import { mkdir, rename, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { findClashes, type ClashPair } from '$lib/core/packages/clashes';
import {
	InventoryProblem,
	isFile,
	type FileEntry,
	type InventoryHeading,
	type SettingEntry
} from '$lib/core/packages/inventory';
import type { TargetGroup } from '$lib/core/packages/launch';
import type { Sort, Sorted } from '$lib/core/packages/sorting';
import type { Change } from '$lib/core/packages/difference';
import { contentsOf, foldersAbove, packagedPath, type PackageSpec } from '$lib/core/packages/spec';
import { systemFolders } from '$lib/core/packages/system-folders';
import type { Branch, ChangeTree, Choice } from '$lib/core/packages/tree';
import { BrokenFile, StepFailed } from '../providers';
import { BlobStore } from './blobs';
import { claimsOf, folderSource, readFrom, registeredBy, targetsOf, treeOf } from './capture-files';
import { closed } from './closing';
import { compareInventories, takenOf, type Compared, type ComparedSummary } from './compare';
import { buildPackage, type KeptPackage } from './layout';
import { definitionOf, fileIn } from './reading';
import { blobsOf, exportToFile, importFile, PackageProblem, sweep, unpackFolder } from './transfer';
import { foldersOf, headingOf, readInventory } from './walk';

/** A branch of a capture's tree, with what a page shows of the change that it stands for. */
export interface ShownBranch extends Branch {
	what: Change['kind'] | null;
	sort: Sort | null;
	why: string | null;
	/** Bytes, value or target of what is there now, in words for a line. */
	shows: string | null;
}

/** What a capture comes to, with the choices that were made. */
export interface CaptureResult {
	root: Branch;
	/** Changes that nobody has decided about: doubtful ones that no choice names. */
	undecided: number;
	targets: TargetGroup[];
	left: { path: string; why: string }[];
	/** Files that are taken but whose content is not here. */
	missing: number;
	settings: number;
	services: string[];
	ports: string[];
}

/** Inventories that belong to a capture, by what they are called. */
export const INVENTORIES = ['idle-1', 'idle-2', 'before', 'after'] as const;
export type WhichInventory = (typeof INVENTORIES)[number];

/**
 * Does the work on captures and packages that takes long: it lives in a thread of its own. Everything lies in files of the data
 * folder; what is known of them stands in the database, which it does not touch.
 */
export interface Packer {
	captures: {
		/** Keeps an inventory, whole. */
		keep(capture: number, name: WhichInventory, text: string): Promise<InventoryHeading>;
		/** Takes an inventory in from a file, after reading it whole; answers with its entries. */
		takeInventory(capture: number, name: WhichInventory, path: string): Promise<number>;
		/** Takes in the folder that was captured, from a tar; answers with its files. */
		takeFolder(capture: number, path: string): Promise<number>;
		heading(capture: number, name: WhichInventory): Promise<InventoryHeading>;
		/** Keeps the content of a file that was captured. */
		keepFile(capture: number, path: string, content: Uint8Array): Promise<void>;
		/** Compares the inventories that were kept. */
		compare(capture: number): Promise<ComparedSummary>;
		/** Files whose content a package may need: what is new or changed. */
		wanted(capture: number): Promise<{ path: string; size: number }[]>;
		children(capture: number, choices: Choice[], path: string, sort: Sort | null): Promise<ShownBranch[]>;
		search(capture: number, choices: Choice[], text: string): Promise<ShownBranch[]>;
		result(capture: number, choices: Choice[]): Promise<CaptureResult>;
		discard(capture: number): Promise<void>;
	};
	packages: {
		/** Builds a package of a capture, upon another where one is named. */
		build(
			capture: number,
			choices: Choice[],
			spec: Omit<PackageSpec, 'targets' | 'services' | 'ports'> & { targets: string[] },
			base: string | null
		): Promise<KeptPackage>;
		take(file: string): Promise<KeptPackage>;
		/** Writes a package as one file; answers with its path. */
		write(manifest: string, name: string): Promise<string>;
		/** Bytes of all that a package names, and of what none of the others does. */
		sizeOf(manifest: string, others: string[]): Promise<{ size: number; own: number }>;
		/** The content of one of its files, or null where it has none at that path. */
		file(manifest: string, path: string): Promise<Uint8Array | null>;
		/** What a package holds. */
		contents(manifest: string): Promise<{ spec: PackageSpec; files: FileEntry[]; settings: SettingEntry[] }>;
		/** The clashes of packages, the first of the list winning. */
		clashes(packages: { id: string; manifest: string }[]): Promise<ClashPair[]>;
		/** Lets go of a package's content that none of the others needs; answers with the bytes freed. */
		remove(manifest: string, others: string[]): Promise<number>;
	};
}

interface Loaded {
	compared: Compared & { summary: ComparedSummary };
	tree: ChangeTree;
	/** The choices that the tree stands at. */
	at: string;
}

/** So many captures are kept in memory. */
const LOADED = 4;

export function makePacker(dataDir: string): Packer {
	const store = new BlobStore(join(dataDir, 'packages'));
	const writing = new Map<string, Promise<void>>();
	const loaded = new Map<number, Loaded>();
	const folderOf = (capture: number) => join(dataDir, 'captures', String(capture));
	const pathOf = (capture: number, name: WhichInventory) => join(folderOf(capture), `${name}.jsonl`);

	async function load(capture: number): Promise<Loaded> {
		const known = loaded.get(capture);
		if (known) return known;
		const has = (name: WhichInventory) => existsSync(pathOf(capture, name));
		if (!has('before') || !has('after')) throw new StepFailed('one of its two inventories is missing');
		const compared = await compareInventories(
			pathOf(capture, 'before'),
			pathOf(capture, 'after'),
			has('idle-1') && has('idle-2') ? [pathOf(capture, 'idle-1'), pathOf(capture, 'idle-2')] : null
		).catch((e: Error) => {
			throw new BrokenFile(e.message);
		});
		const fresh: Loaded = { compared, tree: treeOf(compared, []), at: '[]' };
		loaded.set(capture, fresh);
		while (loaded.size > LOADED) loaded.delete([...loaded.keys()][0]!);
		return fresh;
	}
	async function chosen(capture: number, choices: Choice[]): Promise<Loaded> {
		const l = await load(capture);
		const at = JSON.stringify(choices);
		if (l.at !== at) {
			l.tree.choose(choices);
			l.at = at;
		}
		return l;
	}
	const show = (l: Loaded, b: Branch): ShownBranch => {
		const change = b.change === undefined ? null : l.compared.changes[b.change]!;
		const sorted: Sorted | null = b.change === undefined ? null : l.compared.sorted[b.change]!;
		return {
			...b,
			what: change?.kind ?? null,
			sort: sorted?.sort ?? null,
			why: sorted?.why ?? null,
			shows: change ? shownOf(change) : null
		};
	};
	const contentsAt = async (capture: number, choices: Choice[]) => {
		const l = await chosen(capture, choices);
		const { changes } = takenOf(l.compared.changes, l.tree.takes);
		return { ...l, contents: contentsOf(changes, await foldersOf(pathOf(capture, 'after'), foldersAbove(changes))) };
	};
	const root = (capture: number) => join(folderOf(capture), 'root');
	/** On a capture machine only what is new can be read; what was there before is known by the inventory. */
	const readOr = (capture: number) => readFrom(root(capture));

	return {
		captures: {
			keep: async (capture, name, text) => {
				await mkdir(folderOf(capture), { recursive: true });
				await writeFile(pathOf(capture, name), text);
				loaded.delete(capture);
				return headingOf(pathOf(capture, name));
			},
			takeInventory: async (capture, name, path) => {
				let entries = 0;
				try {
					await readInventory(path, (line, reader) => {
						if (reader.read(line)) entries++;
					});
				} catch (e) {
					if (e instanceof InventoryProblem) throw new BrokenFile(`line ${e.line}, column ${e.column}: ${e.message}`);
					throw e;
				}
				await mkdir(folderOf(capture), { recursive: true });
				await rename(path, pathOf(capture, name));
				loaded.delete(capture);
				return entries;
			},
			takeFolder: async (capture, path) => {
				try {
					return await unpackFolder(path, root(capture));
				} catch (e) {
					if (e instanceof PackageProblem) throw new BrokenFile(e.message);
					throw e;
				}
			},
			heading: async (capture, name) => headingOf(pathOf(capture, name)),
			keepFile: async (capture, path, content) => {
				const to = join(root(capture), path);
				await mkdir(dirname(to), { recursive: true });
				await writeFile(to, content);
			},
			compare: async (capture) => (await load(capture)).compared.summary,
			wanted: async (capture) => {
				const { changes, sorted } = (await load(capture)).compared;
				return changes.flatMap((c, i) =>
					isFile(c.entry) && c.entry.kind === 'file' && c.kind !== 'removed' && sorted[i]!.sort !== 'noise'
						? [{ path: c.entry.file, size: c.entry.size }]
						: []
				);
			},
			children: async (capture, choices, path, sort) => {
				const l = await chosen(capture, choices);
				return l.tree.children(path, sort).map((b) => show(l, b));
			},
			search: async (capture, choices, text) => {
				const l = await chosen(capture, choices);
				return l.tree.search(text).map((b) => show(l, b));
			},
			result: async (capture, choices) => {
				const { compared, tree, contents } = await contentsAt(capture, choices);
				return {
					root: tree.root,
					undecided: compared.sorted.filter((s, i) => s.sort === 'doubtful' && tree.decided[i] === 0).length,
					targets: targetsOf(contents, readOr(capture), thereBefore(compared)),
					left: contents.left,
					missing: contents.files.filter((f) => f.kind === 'file' && !existsSync(join(root(capture), f.file))).length,
					settings: contents.settings.length,
					...registeredBy(contents.settings)
				};
			},
			discard: async (capture) => {
				loaded.delete(capture);
				rmSync(folderOf(capture), { recursive: true, force: true });
			}
		},
		packages: {
			build: async (capture, choices, spec, base) => {
				const { compared, contents } = await contentsAt(capture, choices);
				const groups = targetsOf(contents, readOr(capture), thereBefore(compared));
				const whole: PackageSpec = {
					...spec,
					targets: groups.filter((g) => spec.targets.includes(g.best.id)).map((g) => g.best),
					...registeredBy(contents.settings)
				};
				try {
					return { ...(await buildPackage(store, whole, contents, folderSource(root(capture)), base)), spec: whole };
				} catch (e) {
					throw new StepFailed((e as Error).message);
				}
			},
			take: async (file) => {
				try {
					return await importFile(store, file);
				} catch (e) {
					if (e instanceof PackageProblem) throw new BrokenFile(e.message);
					throw e;
				}
			},
			write: async (manifest, name) => {
				const folder = join(dataDir, 'packages/out');
				mkdirSync(folder, { recursive: true });
				const path = join(folder, `${name}.tar`);
				if (!existsSync(path)) {
					// Who asks while it is being written waits for that one.
					const running = writing.get(path) ?? exportToFile(store, manifest, path).finally(() => writing.delete(path));
					writing.set(path, running);
					await running;
				}
				return path;
			},
			sizeOf: async (manifest, others) => {
				const theirs = new Set(others.flatMap((m) => blobsOf(store, m).map((b) => b.digest)));
				const blobs = blobsOf(store, manifest);
				const sum = (list: typeof blobs) => list.reduce((n, b) => n + b.size, 0);
				return { size: sum(blobs), own: sum(blobs.filter((b) => !theirs.has(b.digest))) };
			},
			file: (manifest, path) => fileIn(store, manifest, packagedPath(path)),
			contents: async (manifest) => {
				const { spec, files, settings } = await definitionOf(store, manifest);
				return { spec, files, settings };
			},
			clashes: async (packages) => {
				const claimants = await Promise.all(
					packages.map(async ({ id, manifest }, order) => {
						const { spec, files, settings } = await definitionOf(store, manifest);
						return { id, order, claims: claimsOf(files, settings, spec.targets, spec) };
					})
				);
				return findClashes(claimants);
			},
			remove: async (manifest, others) => {
				rmSync(join(dataDir, 'packages/out'), { recursive: true, force: true });
				return sweep(store, manifest, others, Date.now());
			}
		}
	};
}

/** What was on the machine before, as far as the comparison tells: nothing that was removed or is new. */
function thereBefore(compared: Compared): (path: string) => boolean {
	const fresh = new Set(
		compared.changes.flatMap((c) =>
			isFile(c.entry) && c.kind !== 'changed' && c.kind !== 'mode' ? [c.entry.file] : []
		)
	);
	// What the inventories have in common is not kept: a path of the system is taken to be there.
	const system = systemFolders(compared.after.system);
	return (path) => !fresh.has(path) && system.file(path);
}

function shownOf(c: Change): string {
	const value = (e: Change['entry']) =>
		isFile(e)
			? e.kind === 'link'
				? `→ ${e.target!}`
				: e.kind === 'folder'
					? 'folder'
					: ''
			: e.value.replaceAll('\n', ', ');
	if (c.kind === 'changed' && !isFile(c.entry)) return `${value(c.was)} → ${value(c.entry)}`;
	if (c.kind === 'moved') return `from ${c.was.file}`;
	if (c.kind === 'mode') return `${c.was.mode} → ${c.entry.mode}`;
	return value(c.entry);
}

/** Receives an upload into a file, up to a size; nothing is left of one that is too large. */
export async function receiveUpload(body: ReadableStream<Uint8Array>, to: string, most: number): Promise<number> {
	await mkdir(dirname(to), { recursive: true });
	let size = 0;
	const meter = new Transform({
		transform(part: Uint8Array, _encoding, callback) {
			size += part.length;
			if (size > most) callback(new BrokenFile(`the file is larger than ${Math.round(most / 1e6)} MB`));
			else callback(null, part);
		}
	});
	const out = createWriteStream(to);
	try {
		await pipeline(Readable.fromWeb(body as never), meter, out);
		return size;
	} catch (e) {
		await closed(out);
		rmSync(to, { force: true });
		throw e;
	}
}
