import { execFileSync } from 'node:child_process';
import {
	existsSync,
	mkdirSync,
	mkdtempSync,
	readdirSync,
	readFileSync,
	rmSync,
	symlinkSync,
	writeFileSync
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterEach, beforeEach, expect, test } from 'vitest';
import { FOREVER } from '$lib/core/time/units';
import { backUp, restore, verifyPackages } from './backup';
import { one, openDb, run, type Db } from './db';
import { BlobStore } from './packing/blobs';

let dir: string;
let db: Db;
const data = () => join(dir, 'data');
const copy = () => join(dir, 'copy');
const put = (path: string, content: string) => {
	mkdirSync(dirname(join(dir, path)), { recursive: true });
	writeFileSync(join(dir, path), content);
};
/** A package whose layers are the given texts. */
function keep(name: string, ...layers: string[]): string[] {
	const store = new BlobStore(join(data(), 'packages'));
	const [config, ...parts] = ['{}', ...layers].map((text) => store.put(Buffer.from(text)));
	const manifest = store.put(Buffer.from(JSON.stringify({ config, layers: parts }))).digest;
	run(db, 'INSERT INTO packages VALUES (?, 1, ?)', [name, 'test']);
	run(db, 'INSERT INTO package_versions VALUES (?, ?, ?, ?, 1, 1, 1, 1, 0, 1, ?, ?, NULL)', [
		name,
		'1.0.0',
		manifest,
		'{}',
		'test',
		FOREVER
	]);
	return [manifest, ...parts.map((p) => p.digest)];
}

beforeEach(() => {
	dir = mkdtempSync(join(tmpdir(), 'sextant-backup-'));
	mkdirSync(data());
	db = openDb(join(data(), 'sextant.db'));
});
afterEach(() => {
	db.close();
	rmSync(dir, { recursive: true });
});

test('a copy holds the database, packages and captures, nothing half made, and is a tar that others check too', async () => {
	const [manifest] = keep('logline', 'files of it');
	put('data/captures/3/root/Program Files/a.txt', 'captured');
	put('data/packages/making-1', 'half');
	put('data/packages/blobs/sha256/abc.making', 'half');
	put('data/vault.key', 'secret');
	expect(await backUp(data(), copy())).toBeGreaterThan(1000);
	await expect(backUp(data(), copy())).rejects.toThrow(/is there already/);

	await restore(copy(), join(dir, 'new'));
	expect(readdirSync(join(dir, 'new')).sort()).toEqual(['captures', 'packages', 'sextant.db']);
	expect(readFileSync(join(dir, 'new/captures/3/root/Program Files/a.txt'), 'utf8')).toBe('captured');
	expect(readdirSync(join(dir, 'new/packages/blobs/sha256'))).toHaveLength(3);
	const restored = openDb(join(dir, 'new/sextant.db'));
	expect(one(restored, 'SELECT manifest FROM package_versions')).toEqual({ manifest });
	expect(await verifyPackages(restored, join(dir, 'new'))).toEqual([]);
	restored.close();

	mkdirSync(join(dir, 'by-hand'));
	execFileSync('tar', ['-xf', copy(), '-C', join(dir, 'by-hand')]);
	expect(execFileSync('sha256sum', ['-c', 'SHA256SUMS'], { cwd: join(dir, 'by-hand') }).toString()).not.toMatch(
		/FAILED/
	);
});

test('data that are there already stay; a copy that is damaged, cut short or none is refused and leaves nothing', async () => {
	keep('logline', 'files of it');
	await backUp(data(), copy());
	await expect(restore(copy(), data())).rejects.toThrow(/holds data already/);
	const bytes = readFileSync(copy());
	const at = bytes.indexOf('files of it');
	const damaged = Buffer.from(bytes);
	damaged[at] = 'F'.charCodeAt(0);
	// Wherever it is cut short: a file that was about to be made when it broke off is gone as well.
	const cuts = Array.from({ length: 40 }, (_v, i) => [bytes.subarray(0, 600 + i * 731), /cannot be restored/] as const);
	for (const [wrong, words] of [
		[damaged, /is not what was copied/],
		[bytes.subarray(0, 30_000), /cannot be restored/],
		...cuts,
		[Buffer.from('SQLite format 3'), /cannot be restored/]
	] as const) {
		writeFileSync(join(dir, 'wrong'), wrong);
		await expect(restore(join(dir, 'wrong'), join(dir, 'new'))).rejects.toThrow(words);
		expect(readdirSync(join(dir, 'new'))).toEqual([]);
	}
	await expect(restore(join(dir, 'none'), join(dir, 'new'))).rejects.toThrow(/there is no file/);
	expect(existsSync(`${copy()}.making`)).toBe(false);
});

test('a copy that cannot be written says what the disk said, and leaves nothing', async () => {
	keep('logline', 'x'.repeat(400_000));
	// A device that is always full.
	symlinkSync('/dev/full', `${copy()}.making`);
	await expect(backUp(data(), copy())).rejects.toThrow(/copy cannot be written: ENOSPC/);
	expect(readdirSync(dir)).toEqual(['data']);
	expect(await backUp(data(), copy())).toBeGreaterThan(400_000);
});

test('packages whose content is gone or another are named', async () => {
	const [manifest] = keep('logline', 'files of it');
	const [, layer] = keep('gaugetalk', 'other files');
	const store = new BlobStore(join(data(), 'packages'));
	expect(await verifyPackages(db, data())).toEqual([]);
	store.remove(manifest!);
	writeFileSync(store.pathOf(layer!), 'something else');
	expect(await verifyPackages(db, data())).toEqual([
		`package gaugetalk 1.0.0: ${layer} is damaged`,
		`package logline 1.0.0: ${manifest} is not there`
	]);
});
