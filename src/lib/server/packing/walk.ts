import { createHash } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { lstat, open, readdir, readFile, readlink } from 'node:fs/promises';
import { basename, join, relative, resolve, sep } from 'node:path';
import { once } from 'node:events';
import { pipeline } from 'node:stream/promises';
import {
	byKey,
	entryKey,
	inventoryLine,
	isFile,
	InventoryReader,
	linesOf,
	type FileEntry,
	type InventoryEntry,
	type InventoryHeading,
	type SettingEntry
} from '$lib/core/packages/inventory';
import { readIniText, readJsonSettings, readRegistryText } from '$lib/core/packages/settings';

/** Files are hashed so many at once: reading is what takes the time. */
const AT_ONCE = 8;
/** Files up to this are read whole, larger ones in pieces. */
const WHOLE = 1 << 20;

/** Every file, folder and link below a folder, by path. What is neither is left out: it has no content. `left`: paths that cannot be read. */
export async function* walkFolder(root: string, left: string[] = []): AsyncGenerator<FileEntry> {
	// Entries are hashed ahead, and come out in the order of the walk.
	const ahead: Promise<FileEntry | null>[] = [];
	for await (const path of pathsBelow(root, '')) {
		ahead.push(entryOf(root, path, left));
		if (ahead.length >= AT_ONCE) {
			const e = await ahead.shift()!;
			if (e) yield e;
		}
	}
	for (const pending of ahead) {
		const e = await pending;
		if (e) yield e;
	}
}

/** Paths in the order of their text: what is in a folder comes behind names that go on with a letter less than a slash. */
async function* pathsBelow(root: string, folder: string): AsyncGenerator<string> {
	const names = (await readdir(join(root, folder), { withFileTypes: true }))
		.flatMap((d) => (d.isDirectory() ? [d.name, `${d.name}/`] : [d.name]))
		.sort();
	for (const name of names) {
		const path = folder ? `${folder}/${name}` : name;
		if (name.endsWith('/')) yield* pathsBelow(root, path.slice(0, -1));
		else yield path;
	}
}

async function entryOf(root: string, path: string, left: string[]): Promise<FileEntry | null> {
	const full = join(root, path);
	try {
		return await readEntry(full, path);
	} catch (e) {
		// A name that is no text, a file that nobody may read or that has just gone: one of them does not end the whole inventory.
		if (!/^E(NOENT|ACCES|PERM|LOOP|NAMETOOLONG|IO)$/.test((e as NodeJS.ErrnoException).code ?? '')) throw e;
		left.push(path);
		return null;
	}
}

async function readEntry(full: string, path: string): Promise<FileEntry | null> {
	const s = await lstat(full);
	const common = {
		file: path,
		mode: (s.mode & 0o7777).toString(8).padStart(4, '0'),
		// Some archives set times before 1970.
		mtime: Math.max(0, Math.floor(s.mtimeMs))
	};
	if (s.isDirectory()) return { ...common, kind: 'folder', size: 0 };
	if (s.isSymbolicLink()) return { ...common, kind: 'link', size: 0, target: await readlink(full) };
	if (!s.isFile()) return null;
	return { ...common, kind: 'file', size: s.size, sha256: await sha256Of(full, s.size) };
}

/** SHA-256 of a file's content, hexadecimal. */
export async function sha256Of(path: string, size: number): Promise<string> {
	const hash = createHash('sha256');
	if (size <= WHOLE) return hash.update(await readFile(path)).digest('hex');
	await pipeline(createReadStream(path, { highWaterMark: WHOLE }), hash);
	return hash.digest('hex');
}

/** Settings of a file, by its ending: `.reg` a registry export, `.json`, else INI. Throws SettingsProblem. */
export async function settingsOf(file: string): Promise<SettingEntry[]> {
	const bytes = await readFile(file);
	// Registry exports are commonly UTF-16.
	const text = new TextDecoder(bytes[0] === 0xff && bytes[1] === 0xfe ? 'utf-16le' : 'utf-8').decode(bytes);
	const name = basename(file);
	if (/\.reg$/i.test(name)) return readRegistryText(text);
	const root = `Machine/Files/${name}`;
	return /\.json$/i.test(name) ? readJsonSettings(text, root) : readIniText(text, root);
}

/** Takes the inventory of a folder and of files of settings. Returns how much was written. */
export async function takeInventory(
	folder: string,
	settings: readonly string[],
	out: string,
	heading: InventoryHeading
): Promise<{ files: number; settings: number; bytes: number; left: string[] }> {
	const counts = { files: 0, settings: 0, bytes: 0, left: [] as string[] };
	// A setting that several files name is as the last of them has it.
	const byName = new Map((await Promise.all(settings.map(settingsOf))).flat().map((s) => [entryKey(s), s]));
	const found = [...byName.values()].sort(byKey);
	const root = resolve(folder);
	// The inventory itself is no part of what it tells of.
	const own = relative(root, resolve(out)).split(sep).join('/');
	async function* lines(): AsyncGenerator<string> {
		yield `${inventoryLine(heading)}\n`;
		let part = '';
		for await (const e of walkFolder(root, counts.left)) {
			if (e.file === own) continue;
			counts.files++;
			counts.bytes += e.size;
			part += `${inventoryLine(e)}\n`;
			if (part.length > WHOLE) {
				yield part;
				part = '';
			}
		}
		for (const s of found) {
			counts.settings++;
			part += `${inventoryLine(s)}\n`;
		}
		yield part;
	}
	await pipeline(lines, createWriteStream(out));
	return counts;
}

/** Reads an inventory from a file, line by line. Throws InventoryProblem. */
export async function readInventory(
	path: string,
	each: (line: string, reader: InventoryReader) => void
): Promise<InventoryHeading> {
	const reader = new InventoryReader();
	for await (const lines of linesIn(path)) for (const line of lines) each(line, reader);
	return reader.heading;
}

/** The lines of a file, many at a time. */
export async function* linesIn(path: string): AsyncGenerator<string[]> {
	yield* linesOf(createReadStream(path, { encoding: 'utf8', highWaterMark: WHOLE }));
}

/** All entries of an inventory in a file. */
export async function entriesOf(path: string): Promise<{ heading: InventoryHeading; entries: InventoryEntry[] }> {
	const entries: InventoryEntry[] = [];
	const heading = await readInventory(path, (line, reader) => {
		const e = reader.read(line);
		if (e) entries.push(e);
	});
	return { heading, entries };
}

/** The folders of an inventory that stand at some paths, by path. */
export async function foldersOf(path: string, wanted: ReadonlySet<string>): Promise<Map<string, FileEntry>> {
	const found = new Map<string, FileEntry>();
	if (wanted.size)
		await readInventory(path, (line, reader) => {
			// Most lines are of files: they are passed over unread.
			if (!line.includes('"kind":"folder"')) return reader.headed ? reader.pass(line) : void reader.read(line);
			const e = reader.read(line);
			if (e && isFile(e) && e.kind === 'folder' && wanted.has(e.file)) found.set(e.file, e);
		});
	return found;
}

/** The heading alone. */
export async function headingOf(path: string): Promise<InventoryHeading> {
	const file = await open(path);
	try {
		const { buffer, bytesRead } = await file.read(Buffer.alloc(65536), 0, 65536, 0);
		const reader = new InventoryReader();
		reader.read(buffer.toString('utf8', 0, bytesRead).split('\n')[0]!.trim());
		return reader.heading;
	} finally {
		await file.close();
	}
}

/** Writes lines to a stream as fast as it takes them. */
export async function writeLines(path: string, lines: Iterable<string>): Promise<void> {
	const out = createWriteStream(path);
	let part = '';
	for (const line of lines) {
		part += `${line}\n`;
		if (part.length > WHOLE) {
			if (!out.write(part)) await once(out, 'drain');
			part = '';
		}
	}
	out.end(part);
	await once(out, 'close');
}
