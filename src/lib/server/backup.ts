import { createHash } from 'node:crypto';
import {
	createReadStream,
	createWriteStream,
	existsSync,
	mkdirSync,
	readdirSync,
	readFileSync,
	renameSync,
	rmSync,
	statSync
} from 'node:fs';
import { readFile } from 'node:fs/promises';
import { dirname, join, relative } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import Database from 'better-sqlite3';
import { pack, type Pack } from 'tar-stream';
import { FOREVER } from '$lib/core/time/units';
import { all, type Db } from './db';
import { BlobStore, Meter } from './packing/blobs';
import { blobsOf, PackageProblem, unpackFolder } from './packing/transfer';
import { LabStore } from './simulator/store';

/** Why a copy cannot be made or put back, in words. Nothing of it was kept. */
export class BackupProblem extends Error {}

const ESTATE = 'sextant.db';
const LAB = 'lab.db';
/** Digests of all that the file holds, as `sha256sum` writes and checks them. */
const SUMS = 'SHA256SUMS';
/** What lies beside the databases and cannot be made again: contents of packages, and of captures on the way to them. */
const CONTENTS = ['packages/blobs', 'captures'];
/** Files up to this size, bytes, are read at once, so that one that is just being written is still of one size. */
const AT_ONCE = 64e6;

/**
 * Copies the data of a folder into one tar, while the server runs: both databases, packages, captures, and the digests of them all.
 * The key of the vault is no part of it.
 * @returns bytes that it holds
 * @throws BackupProblem when the file is there already or cannot be written; nothing is left of it then
 */
export async function backUp(dataDir: string, file: string): Promise<number> {
	if (existsSync(file)) throw new BackupProblem(`${file} is there already`);
	mkdirSync(dirname(file), { recursive: true });
	const making = `${file}.making`;
	const copy = `${making}.db`;
	const tar = pack();
	let unwritten: Error | null = null;
	const out = createWriteStream(making);
	// The pipeline says what went wrong; either may say so once more after that has ended, when nobody else would hear it.
	const heard = () => undefined;
	tar.on('error', heard);
	out.on('error', heard);
	const writing = pipeline(tar as unknown as Readable, out).catch((e: Error) => {
		unwritten = e;
	});
	const sums = new Map<string, string>();
	let bytes = 0;
	const take = async (name: string, path: string) => {
		const { size, sha256 } = await addFile(tar, name, path);
		sums.set(name, sha256);
		bytes += size;
	};
	const takeContents = async () => {
		for (const name of CONTENTS.flatMap((folder) => filesUnder(dataDir, folder)))
			if (!sums.has(name) && existsSync(join(dataDir, name))) await take(name, join(dataDir, name));
	};
	const takeDatabase = async (name: string) => {
		const db = new Database(join(dataDir, name), { readonly: true });
		await db.backup(copy);
		db.close();
		// A copy that goes elsewhere cannot have a log beside it.
		const still = new Database(copy);
		still.pragma('journal_mode = DELETE');
		still.close();
		await take(name, copy);
		rmSync(copy);
	};
	try {
		// Contents twice: what the estate's copy names may have come while the first were taken, or go while the last are.
		await takeContents();
		// The estate before the lab: the lab's copy is then never behind what the estate has seen.
		await takeDatabase(ESTATE);
		if (existsSync(join(dataDir, LAB))) await takeDatabase(LAB);
		await takeContents();
		const lines = [...sums].map(([name, sha256]) => `${sha256}  ${name}\n`).join('');
		tar.entry({ name: SUMS }, lines);
		tar.finalize();
		await writing;
		if (unwritten) throw unwritten;
		renameSync(making, file);
		return bytes;
	} catch (e) {
		tar.destroy();
		await writing;
		// What the disk said comes before what followed from it; where it said nothing, the copying itself went wrong.
		throw new BackupProblem(`${file} cannot be written: ${failedFirst(unwritten, e as Error).message}`);
	} finally {
		rmSync(making, { force: true });
		rmSync(copy, { force: true });
	}
}

const failedFirst = (unwritten: Error | null, e: Error): Error =>
	unwritten && !/premature close|destroyed/i.test(unwritten.message) ? unwritten : e;

/** Names of all files under a folder of the data, in order; those that are still being made are left out. */
function filesUnder(dataDir: string, folder: string): string[] {
	if (!existsSync(join(dataDir, folder))) return [];
	return readdirSync(join(dataDir, folder), { recursive: true, withFileTypes: true })
		.filter((f) => f.isFile())
		.map((f) => relative(dataDir, join(f.parentPath, f.name)))
		.filter((name) => !name.startsWith('packages/') || /\/[0-9a-f]{64}$/.test(name))
		.sort();
}

async function addFile(tar: Pack, name: string, path: string): Promise<{ size: number; sha256: string }> {
	const { size } = statSync(path);
	if (size <= AT_ONCE) {
		const body = await readFile(path);
		await new Promise<void>((done, wrong) => tar.entry({ name }, body, (e) => (e ? wrong(e) : done())));
		return { size: body.length, sha256: createHash('sha256').update(body).digest('hex') };
	}
	const meter = new Meter();
	await pipeline(
		createReadStream(path, { highWaterMark: 1 << 20, end: size - 1 }),
		meter,
		tar.entry({ name, size }) as unknown as NodeJS.WritableStream
	);
	return { size, sha256: meter.digest.slice('sha256:'.length) };
}

/**
 * Puts a copy back into a folder that holds no data yet; every digest is checked first.
 * @throws BackupProblem when there are data already, or the copy is damaged: then nothing is put there
 */
export async function restore(file: string, dataDir: string): Promise<void> {
	if (!existsSync(file)) throw new BackupProblem(`there is no file ${file}`);
	if (existsSync(join(dataDir, ESTATE))) throw new BackupProblem(`${dataDir} holds data already; move it away first`);
	mkdirSync(dataDir, { recursive: true });
	const stage = join(dataDir, 'restoring');
	try {
		await unpackFolder(file, stage, { bytes: Infinity, entries: Infinity, ratio: Infinity });
		await checkSums(stage);
		const db = new Database(join(stage, ESTATE), { readonly: true });
		const whole = db.pragma('integrity_check', { simple: true }) === 'ok';
		db.close();
		if (!whole) throw new BackupProblem('its database is damaged');
		if (existsSync(join(stage, LAB))) new LabStore(join(stage, LAB)).close();
		// The database last: with it, the data are there.
		for (const name of [...CONTENTS, LAB, ESTATE]) {
			if (!existsSync(join(stage, name))) continue;
			mkdirSync(dirname(join(dataDir, name)), { recursive: true });
			rmSync(join(dataDir, name), { recursive: true, force: true });
			renameSync(join(stage, name), join(dataDir, name));
		}
	} catch (e) {
		if (e instanceof BackupProblem || e instanceof PackageProblem)
			throw new BackupProblem(`${file} cannot be restored: ${e.message}`);
		throw e;
	} finally {
		rmSync(stage, { recursive: true, force: true });
	}
}

async function checkSums(folder: string): Promise<void> {
	const list = join(folder, SUMS);
	if (!existsSync(list)) throw new BackupProblem('it is not whole');
	const lines = readFileSync(list, 'utf8').split('\n').filter(Boolean);
	for (const line of lines) {
		const name = line.slice(66);
		const path = join(folder, name);
		if (!existsSync(path)) throw new BackupProblem(`it lacks ${name}`);
		if ((await digestOf(path)) !== `sha256:${line.slice(0, 64)}`)
			throw new BackupProblem(`${name} is not what was copied`);
	}
	if (!lines.some((l) => l.endsWith(`  ${ESTATE}`))) throw new BackupProblem('it holds no estate');
}

async function digestOf(path: string): Promise<string> {
	const meter = new Meter();
	meter.resume();
	await pipeline(createReadStream(path, { highWaterMark: 1 << 20 }), meter);
	return meter.digest;
}

/** What is wrong with the contents of the packages that the estate has, one line each. */
export async function verifyPackages(db: Db, dataDir: string): Promise<string[]> {
	const store = new BlobStore(join(dataDir, 'packages'));
	const versions = all<{ name: string; number: string; manifest: string }>(
		db,
		`SELECT name, number, manifest FROM package_versions WHERE gone_at = ${FOREVER}`
	);
	const known = new Map<string, boolean>();
	const isRight = async (digest: string) => {
		let right = known.get(digest);
		if (right === undefined) {
			right = store.has(digest) && (await digestOf(store.pathOf(digest))) === digest;
			known.set(digest, right);
		}
		return right;
	};
	const problems: string[] = [];
	for (const { name, number, manifest } of versions) {
		const wrong = (await isRight(manifest))
			? await firstWrong(
					blobsOf(store, manifest).map((b) => b.digest),
					isRight
				)
			: manifest;
		if (wrong) problems.push(`package ${name} ${number}: ${wrong} is ${store.has(wrong) ? 'damaged' : 'not there'}`);
	}
	return problems;
}

async function firstWrong(digests: string[], isRight: (digest: string) => Promise<boolean>): Promise<string | null> {
	for (const d of digests) if (!(await isRight(d))) return d;
	return null;
}
