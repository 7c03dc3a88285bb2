import { createHash } from 'node:crypto';
import { linkSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { spawnSync } from 'node:child_process';
import { createGunzip } from 'node:zlib';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import type { FileEntry } from '$lib/core/packages/inventory';
import { bareSpec, contentsOf } from '$lib/core/packages/spec';
import { systemOf } from '$lib/core/packages/fits';
import { asFolder, folder, listed, oddArchive, rightSpec, type Entry, type Odd } from '../testing/archives';
import { BlobStore } from '../packing/blobs';
import { folderSource } from '../packing/capture-files';
import { buildPackage } from '../packing/layout';
import { type Manifest } from '../packing/oci';
import { definitionOf, eachEntry, readJson } from '../packing/reading';
import { importPackage, unpackFolder } from '../packing/transfer';

let dir: string;
beforeEach(() => (dir = mkdtempSync(join(tmpdir(), 'sextant-hostile-'))));
afterEach(() => rmSync(dir, { recursive: true, force: true }));

const take = async (odd: Odd) =>
	importPackage(new BlobStore(join(dir, 'store')), Readable.from([await oddArchive(odd)]));
const OPT: Entry = ['files/opt', '', asFolder];

describe('what a package says of itself', () => {
	test('is taken when it is right; whoever vouched for it elsewhere does not count here', async () => {
		const vouched = [{ system: systemOf('Other 1', 'multi'), by: 'somebody', at: 1, why: 'trust me' }];
		const kept = await take({ spec: { ...rightSpec(), vouched } });
		expect(kept.spec.vouched).toEqual([]);
		expect((await definitionOf(new BlobStore(join(dir, 'store')), kept.manifest)).spec.vouched).toEqual([]);
	});

	test.each<[string, unknown]>([
		['vouched is a number', { ...rightSpec(), vouched: 5 }],
		['vouched is missing', { ...rightSpec(), vouched: undefined }],
		['services is null', { ...rightSpec(), services: null }],
		['warmUp is null', { ...rightSpec(), warmUp: null }],
		['writes is missing', { ...rightSpec(), writes: undefined }],
		['writes has no overlay', { ...rightSpec(), writes: { usual: 'person', branches: [] } }],
		['a target has no arguments', { ...rightSpec(), targets: [{ id: 'a', name: 'a', command: 'a' }] }],
		['its time is no time', { ...rightSpec(), capturedAt: 1e300 }],
		['its note is endless', { ...rightSpec(), note: 'x'.repeat(100_000) }],
		['it is a list', []],
		['it is nothing', null],
		['it is no JSON', '{']
	])('is refused when %s', async (_what, spec) => {
		await expect(take({ spec })).rejects.toThrow(/not one of a package|not JSON/);
		expect(readdirSync(join(dir, 'store/blobs/sha256'))).toEqual([]);
	});

	test.each<[string, Odd]>([
		['its list of files is no list', { files: {} }],
		['an entry is null', { files: [null] }],
		['a path is a number', { files: [{ ...listed('opt/x'), file: 7 }] }],
		['a mode is odd', { files: [folder('opt'), { ...listed('opt/x'), mode: 'rwx' }] }],
		['a setting has no value', { settings: [{ setting: 'a', name: 'b', type: 'text' }] }],
		['a setting stands twice', { settings: [0, 1].map(() => ({ setting: 'a', name: '', type: 'text', value: '' })) }]
	])('is refused when %s', async (_what, odd) => {
		await expect(take(odd)).rejects.toThrow(/not one of a package/);
	});

	test('of gigabytes that pack into little is not read whole', async () => {
		const before = process.memoryUsage().rss;
		// 20 MB of a description pack into 20 KB: more than a description may have.
		await expect(take({ spec: `"${'a'.repeat(20 << 20)}"` })).rejects.toThrow(/larger than/);
		await expect(take({ more: [['sextant/other.json', Buffer.alloc(60 << 20)]] })).resolves.toBeTruthy();
		expect(process.memoryUsage().rss - before).toBeLessThan(600e6);
	});
});

describe('layers', () => {
	const link = (name: string, linkname: string): Entry => [name, '', { type: 'symlink', linkname, mode: 0o777 }];
	const linked = (file: string, target: string) => ({ file, kind: 'link', size: 0, mode: '0777', mtime: 0, target });
	test.each<[string, Odd, RegExp]>([
		['a file that is not listed', { layers: [[OPT, ['files/opt/x', 'x'], ['files/opt/y', 'y']]] }, /not in its list/],
		['a listed file that is not there', { layers: [[OPT]] }, /which no layer holds/],
		['another content than is listed', { layers: [[OPT, ['files/opt/x', 'y']]] }, /another content/],
		['other permissions than are listed', { layers: [[OPT, ['files/opt/x', 'x', { mode: 0o4755 }]]] }, /permissions/],
		['a name twice', { layers: [[OPT, ['files/opt/x', 'y'], ['files/opt/x', 'x']]] }, /stands twice/],
		['something below a file', { layers: [[OPT, ['files/opt/x', 'x'], ['files/opt/x/y', 'y']]] }, /which is a file/],
		[
			'a file over a folder of the same layer',
			{ layers: [[OPT, ['files/opt/x/y', 'y'], ['files/opt/x', 'x']]] },
			/which is no folder/
		],
		[
			'a link that leaves through another link',
			{
				files: [folder('opt'), linked('opt/a', 'b/../../..'), linked('opt/b', 'c/d/e')],
				layers: [[OPT, link('files/opt/a', 'b/../../..'), link('files/opt/b', '../../..')]]
			},
			/leaves the package/
		],
		[
			'links in a circle',
			{
				files: [folder('opt'), linked('opt/a', 'b'), linked('opt/b', 'a')],
				layers: [[OPT, link('files/opt/a', 'b'), link('files/opt/b', 'a')]]
			},
			/leads in a circle/
		],
		['a link to another computer', { layers: [[OPT, link('files/opt/l', '\\\\server\\share')]] }, /leaves the package/],
		['a backslash in a path', { layers: [[['files/C/a\\..\\b', 'x']]] }, /backslash/],
		['a whiteout of nothing', { layers: [[OPT, ['files/opt/.wh.y']]] }, /takes away what no layer below has/],
		['an opaque whiteout', { layers: [[OPT, ['files/opt/.wh..wh..opq']]] }, /no whiteout that is known/],
		['two definitions', { twice: true }, /has to be its last|more than one/],
		['another architecture', { config: { architecture: 'arm64' } }, /linux\/arm64/],
		['a path of a thousand folders', { layers: [[[`files/${'a/'.repeat(1000)}b`, 'x']]] }, /more than 200 folders/]
	])('with %s are refused', async (_what, odd, words) => {
		await expect(take(odd)).rejects.toThrow(words);
	});

	test('one upon the other: what is taken away is gone, with all below it', async () => {
		await expect(
			take({
				files: [folder('opt'), listed('opt/x')],
				layers: [
					[OPT, ['files/opt/d', '', asFolder], ['files/opt/d/a', 'a'], ['files/opt/x', 'old']],
					[
						['files/opt/.wh.d', ''],
						['files/opt/x', 'x']
					]
				]
			})
		).resolves.toBeTruthy();
	});
});

const entry = (file: string, body: string | Buffer, more: Partial<FileEntry> = {}): FileEntry => ({
	file,
	kind: 'file',
	size: Buffer.byteLength(body),
	mode: '0644',
	mtime: 0,
	sha256: createHash('sha256').update(body).digest('hex'),
	...more
});
function put(file: string, body: string | Buffer): void {
	mkdirSync(join(dir, 'root', file, '..'), { recursive: true });
	writeFileSync(join(dir, 'root', file), body);
}
const SPEC = bareSpec('odd', '1.0.0', systemOf('Fjord Desktop 7', 'single'), 1_760_000_000_000);
const build = (files: FileEntry[], base: string | null = null, more: { settings?: never[] } = {}) =>
	buildPackage(
		new BlobStore(join(dir, 'store')),
		SPEC,
		{ files, settings: [], left: [], ...more },
		folderSource(join(dir, 'root')),
		base
	);
async function namesIn(
	manifest: string
): Promise<Map<string, { mode: number; mtime?: string | undefined; link: string | null }>> {
	const store = new BlobStore(join(dir, 'store'));
	const names = new Map<string, { mode: number; mtime?: string | undefined; link: string | null }>();
	for (const layer of readJson<Manifest>(store, manifest).layers)
		await eachEntry([store.open(layer.digest), createGunzip()], async ({ head }) => {
			names.set(head.name, {
				mode: head.mode!,
				mtime: (head.pax as Record<string, string> | undefined)?.mtime,
				link: head.linkname ?? null
			});
		});
	return names;
}

describe('packing', () => {
	const large = Buffer.alloc(3 << 20, 'depth ');
	test.each<[string, Buffer | string]>([
		['longer', Buffer.alloc(4 << 20, 'depth ')],
		['shorter', Buffer.alloc(2 << 20, 'depth ')],
		['empty', ''],
		['other', Buffer.alloc(3 << 20, 'other ')]
	])(
		'a large file that is %s than its inventory says is refused in words, and no stream is left open',
		async (_how, body) => {
			put('opt/large', body);
			await expect(build([entry('opt/large', large)])).rejects.toThrow(/is not what its inventory says/);
			expect(readdirSync(join(dir, 'store')).filter((n) => n.startsWith('making'))).toEqual([]);
		}
	);
	test('a large file that is gone, or a folder, is refused in words', async () => {
		await expect(build([entry('opt/none', large)])).rejects.toThrow(/cannot be read/);
		mkdirSync(join(dir, 'root/opt/dir'), { recursive: true });
		await expect(build([entry('opt/dir', large)])).rejects.toThrow(/cannot be read/);
	});

	test('a folder that becomes a link is replaced by it: nothing is taken away through the link', async () => {
		const folders = (...names: string[]) => names.map((n): FileEntry => ({ ...(folder(n) as FileEntry) }));
		put('opt/live/a', 'live');
		put('opt/app/a', 'a');
		const first = await build([
			...folders('opt', 'opt/app', 'opt/live'),
			entry('opt/app/a', 'a'),
			entry('opt/live/a', 'live')
		]);
		const second = await build(
			[
				...folders('opt', 'opt/live'),
				{ file: 'opt/app', kind: 'link', size: 0, mode: '0777', mtime: 0, target: 'live' },
				entry('opt/live/a', 'live')
			],
			first.manifest
		);
		const names = [...(await namesIn(second.manifest)).keys()];
		expect(names.filter((n) => n.includes('.wh.'))).toEqual([]);
		// Gone with its folder: one whiteout, none for what lay below it.
		const third = await build([...folders('opt', 'opt/live'), entry('opt/live/a', 'live')], first.manifest);
		expect([...(await namesIn(third.manifest)).keys()].filter((n) => n.includes('.wh.'))).toEqual([
			'files/opt/.wh.app'
		]);
	});

	test('permissions of 0000, times beyond 2038 and backslashes in links come out as they went in', async () => {
		put('opt/shut', 'x');
		const seconds = Date.UTC(2045, 0, 1) / 1000;
		const { manifest } = await build([
			folder('opt') as FileEntry,
			{ file: 'opt/link', kind: 'link', size: 0, mode: '0777', mtime: 0, target: 'a\\b' },
			entry('opt/shut', 'x', { mode: '0000', mtime: seconds * 1000 })
		]);
		const names = await namesIn(manifest);
		expect(names.get('files/opt/shut')).toMatchObject({ mode: 0, mtime: String(seconds) });
		expect(names.get('files/opt/link')!.link).toBe('a\\b');
	});

	test('folders that are only on the way keep the permissions of the inventory', () => {
		const change = { kind: 'added', entry: entry('opt/a/x', 'x') } as const;
		const above = new Map([['opt/a', { ...folder('opt/a'), mode: '1777' } as FileEntry]]);
		const { files } = contentsOf([change], above);
		expect(files.find((f) => f.file === 'opt/a')!.mode).toBe('1777');
		expect(contentsOf([{ kind: 'added', entry: entry('opt/.wh.x', 'x') }]).left).toHaveLength(1);
	});
});

test('what a capture takes away from the system is told of: a package only adds', () => {
	const { left } = contentsOf([{ kind: 'removed', entry: entry('opt/system', 'x') }]);
	expect(left).toEqual([{ path: 'opt/system', why: expect.stringMatching(/takes away/) }]);
});

test('a package is not packed upon another app, nor one of another system', async () => {
	put('opt/a', 'a');
	const first = await build([folder('opt') as FileEntry, entry('opt/a', 'a')]);
	const store = new BlobStore(join(dir, 'store'));
	for (const other of [
		{ ...SPEC, name: 'another' },
		{ ...SPEC, system: systemOf('Fjord Desktop 8', 'single') }
	])
		await expect(
			buildPackage(store, other, { files: [], settings: [], left: [] }, folderSource(dir), first.manifest)
		).rejects.toThrow(/another app or another system/);
});

describe('a folder that is brought along', () => {
	const tar = (...args: string[]) =>
		expect(spawnSync('tar', ['-C', join(dir, 'root'), '-cf', join(dir, 'f.tar'), ...args, '.']).status).toBe(0);
	test('hard links are files of their own', async () => {
		put('a', 'same');
		linkSync(join(dir, 'root/a'), join(dir, 'root/b'));
		tar();
		expect(await unpackFolder(join(dir, 'f.tar'), join(dir, 'out'))).toBe(2);
		expect(['a', 'b'].map((n) => readFileSync(join(dir, 'out', n), 'utf8'))).toEqual(['same', 'same']);
	});
	test.each(['--format=gnu', '--format=posix'])(
		'files with holes are refused, with what to do (%s)',
		async (format) => {
			spawnSync('truncate', ['-s', '2M', join(dir, 'hole')]);
			put('hole', readFileSync(join(dir, 'hole')));
			spawnSync('truncate', ['-s', '4M', join(dir, 'root/hole')]);
			tar('--sparse', format);
			await expect(unpackFolder(join(dir, 'f.tar'), join(dir, 'out'))).rejects.toThrow(/without --sparse/);
		}
	);
});
