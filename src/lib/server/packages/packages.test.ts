import { createHash } from 'node:crypto';
import {
	mkdirSync,
	mkdtempSync,
	readdirSync,
	readFileSync,
	rmSync,
	symlinkSync,
	utimesSync,
	writeFileSync,
	chmodSync
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { Readable } from 'node:stream';
import { createGunzip, gzipSync } from 'node:zlib';
import { extract, pack } from 'tar-stream';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import { isFile, type FileEntry } from '$lib/core/packages/inventory';
import { systemOf } from '$lib/core/packages/fits';
import { bareSpec, contentsOf, leads, packagedPath, packageNameFor, type PackageSpec } from '$lib/core/packages/spec';
import { BlobStore } from '../packing/blobs';
import {
	folderSource,
	linkedTo,
	openedBy,
	registeredBy,
	takenChanges,
	targetsOf,
	readFrom,
	claimsOf
} from '../packing/capture-files';
import { compareInventories, keepChanges } from '../packing/compare';
import { buildPackage } from '../packing/layout';
import { TYPES, type ImageConfig, type Manifest } from '../packing/oci';
import { bytesOfEntry, definitionOf, eachEntry, readJson } from '../packing/reading';
import { blobsOf, exportToFile, importFile, importPackage, LIMITS, sweep } from '../packing/transfer';
import { entriesOf, headingOf, settingsOf, takeInventory } from '../packing/walk';

let dir: string;
beforeEach(() => (dir = mkdtempSync(join(tmpdir(), 'sextant-packages-'))));
afterEach(() => rmSync(dir, { recursive: true, force: true }));

const put = (path: string, content: string | Buffer, mode = 0o644) => {
	mkdirSync(join(dir, path, '..'), { recursive: true });
	writeFileSync(join(dir, path), content);
	chmodSync(join(dir, path), mode);
};
const HEADING = { inventory: 1, of: 'test', at: 1_760_000_000_000 } as const;
const SPEC: PackageSpec = {
	...bareSpec('logline', '1.0.0', systemOf('Meridian Desktop 11', 'single'), HEADING.at),
	note: 'an old forms app'
};

/** A program is put into a folder that held something before. */
async function captured(
	files: Record<string, string | Buffer>
): Promise<Awaited<ReturnType<typeof compareInventories>>> {
	put('root/opt/old.txt', 'was here');
	await takeInventory(join(dir, 'root'), [], join(dir, 'before.jsonl'), HEADING);
	for (const [path, content] of Object.entries(files)) put(`root/${path}`, content);
	await takeInventory(join(dir, 'root'), [], join(dir, 'after.jsonl'), HEADING);
	return compareInventories(join(dir, 'before.jsonl'), join(dir, 'after.jsonl'));
}
const store = (name = 'store') => new BlobStore(join(dir, name));
async function built(
	s: BlobStore,
	files: Record<string, string | Buffer>,
	version = '1.0.0',
	base: string | null = null
) {
	const compared = await captured(files);
	const contents = contentsOf(takenChanges(compared, [{ pattern: '**', take: true }]).changes);
	return {
		contents,
		...(await buildPackage(s, { ...SPEC, version }, contents, folderSource(join(dir, 'root')), base))
	};
}
const APP = {
	'opt/logline/bin/logline': '#!/bin/sh\necho hello\n',
	'opt/logline/data/large.bin': Buffer.alloc(3 << 20, 'depth '),
	'opt/logline/data/empty': ''
};

describe('an inventory of a real folder', () => {
	test('names every file, folder and link, with content by its digest; itself left out', async () => {
		put('root/a/b.txt', 'hello', 0o640);
		// A time before 1970, as some archives have it.
		utimesSync(join(dir, 'root/a/b.txt'), new Date(-1_000_000), new Date(-1_000_000));
		symlinkSync('b.txt', join(dir, 'root/a/link'));
		put('settings.ini', '[Paths]\ndata=/opt\n');
		const counts = await takeInventory(join(dir, 'root'), [join(dir, 'settings.ini')], join(dir, 'root/inv.jsonl'), {
			...HEADING,
			system: SPEC.system
		});
		const { heading, entries } = await entriesOf(join(dir, 'root/inv.jsonl'));
		expect(heading).toMatchObject({ of: 'test', system: { name: 'Meridian Desktop' } });
		expect(await headingOf(join(dir, 'root/inv.jsonl'))).toEqual(heading);
		expect(
			entries.map((e) => (isFile(e) ? `${e.kind} ${e.file} ${e.mode}` : `${e.setting} ${e.name}=${e.value}`))
		).toEqual(['folder a 0755', 'file a/b.txt 0640', 'link a/link 0777', 'Machine/Files/settings.ini/Paths data=/opt']);
		expect(entries[1]).toMatchObject({ size: 5, mtime: 0, sha256: createHash('sha256').update('hello').digest('hex') });
		expect(counts).toEqual({ files: 3, settings: 1, bytes: 5, left: [] });
	});
	test('a name that is no text does not end the whole inventory: it is told of', async () => {
		put('root/a', 'a');
		writeFileSync(Buffer.concat([Buffer.from(join(dir, 'root/')), Buffer.from([0x62, 0xff])]), 'b');
		const counts = await takeInventory(join(dir, 'root'), [], join(dir, 'inv.jsonl'), HEADING);
		expect(counts).toMatchObject({ files: 1, left: [expect.stringMatching(/^b/)] });
	});
	test('what changes its type and not its text is a change', async () => {
		const kinds = async (name: string, text: string) => {
			put(name, text);
			return (await settingsOf(join(dir, name))).map((s) => `${s.type} ${s.value}`);
		};
		expect(await kinds('a.json', '{"a":true}')).toEqual(['flag true']);
		expect(await kinds('b.json', '{"a":"true"}')).toEqual(['text true']);
		expect(await kinds('a.reg', 'REGEDIT4\n[HKCU\\A]\n"x"=hex(2):61,00,00,00\n"y"="a"\n')).toEqual([
			'expandable a',
			'text a'
		]);
	});
	test('settings come from registry exports, INI and JSON; a bad line is named', async () => {
		put(
			'x.reg',
			Buffer.from(
				'\uFEFFWindows Registry Editor Version 5.00\r\n\r\n[HKEY_LOCAL_MACHINE\\Software\\Logline]\r\n"Path"="C:\\\\L"\r\n@="own"\r\n"Count"=dword:0000001f\r\n"List"=hex(7):61,00,00,00,62,\\\r\n  00,00,00,00,00\r\n"Raw"=hex:01,ff\r\n"Long"=hex(b):00,00,00,00,01,00,00,00\r\n"Gone"=-\r\n[-HKEY_CURRENT_USER\\Gone]\r\n"x"="y"\r\n',
				'utf16le'
			)
		);
		expect((await settingsOf(join(dir, 'x.reg'))).map((s) => `${s.setting} ${s.name}: ${s.type} ${s.value}`)).toEqual([
			'Machine/Software/Logline Path: text C:\\L',
			'Machine/Software/Logline : text own',
			'Machine/Software/Logline Count: number 31',
			'Machine/Software/Logline List: list a\nb',
			'Machine/Software/Logline Raw: bytes 01ff',
			'Machine/Software/Logline Long: number 4294967296'
		]);
		put('x.json', '{"a":{"b":1,"c":["x","y"]},"d":true}');
		expect((await settingsOf(join(dir, 'x.json'))).map((s) => `${s.setting} ${s.name}: ${s.type} ${s.value}`)).toEqual([
			'Machine/Files/x.json/a b: number 1',
			'Machine/Files/x.json/a c: list x\ny',
			'Machine/Files/x.json d: flag true'
		]);
		put('bad.reg', 'REGEDIT4\n[HKCU\\A]\nnonsense\n');
		await expect(settingsOf(join(dir, 'bad.reg'))).rejects.toMatchObject({ line: 3 });
		put('type.reg', '[HKCU\\A]\n"x"=float:1\n');
		await expect(settingsOf(join(dir, 'type.reg'))).rejects.toMatchObject({ line: 2 });
		put('bad.ini', '[a]\nb\n');
		await expect(settingsOf(join(dir, 'bad.ini'))).rejects.toMatchObject({ line: 2 });
		put('bad.json', '{"a":1,\n"b" 2}');
		await expect(settingsOf(join(dir, 'bad.json'))).rejects.toMatchObject({ line: 2 });
	});
	test('an entry that stands twice is refused at its line', async () => {
		put('before.jsonl', '{"inventory":1,"of":"x","at":1}\n');
		const line = JSON.stringify({ file: 'a', kind: 'folder', size: 0, mode: '0755', mtime: 1 });
		put('after.jsonl', `{"inventory":1,"of":"x","at":1}\n${line}\n${line}\n`);
		await expect(compareInventories(join(dir, 'before.jsonl'), join(dir, 'after.jsonl'))).rejects.toMatchObject({
			line: 3,
			message: 'a stands twice'
		});
	});
});

describe('a captured package', () => {
	test('holds exactly the files that were added, byte for byte, and nothing of what was there', async () => {
		const s = store();
		const b = await built(s, APP);
		const m = readJson<Manifest>(s, b.manifest);
		const seen = new Map<string, Buffer>();
		for (const layer of m.layers)
			await eachEntry([s.open(layer.digest), createGunzip()], async ({ head, body }) => {
				if (head.type === 'file') seen.set(head.name, await bytesOfEntry(body, 1e9, head.name));
			});
		const files = [...seen.keys()].filter((n) => n.startsWith('files/'));
		expect(files.sort()).toEqual(Object.keys(APP).map(packagedPath).sort());
		for (const [path, content] of Object.entries(APP))
			expect(seen.get(packagedPath(path))!.equals(Buffer.from(content))).toBe(true);
		expect(JSON.parse(seen.get('sextant/package.json')!.toString())).toMatchObject({
			name: 'logline',
			version: '1.0.0'
		});
		const bom = JSON.parse(seen.get('sextant/bom.cdx.json')!.toString()) as {
			bomFormat: string;
			components: { hashes: unknown[] }[];
		};
		expect(bom.bomFormat).toBe('CycloneDX');
		expect(bom.components).toHaveLength(3);
		expect(bom.components.every((c) => c.hashes.length === 1)).toBe(true);
	});
	test('is an OCI image: media types, digests and diff ids are what the specification asks for', async () => {
		const s = store();
		const b = await built(s, APP);
		for (const blob of blobsOf(s, b.manifest)) {
			const bytes = readFileSync(s.pathOf(blob.digest));
			expect(bytes.length).toBe(blob.size);
			expect(`sha256:${createHash('sha256').update(bytes).digest('hex')}`).toBe(blob.digest);
		}
		const m = readJson<Manifest>(s, b.manifest);
		const config = readJson<ImageConfig>(s, m.config.digest);
		expect(m.mediaType).toBe(TYPES.manifest);
		expect(config.rootfs.diff_ids).toHaveLength(m.layers.length);
		expect(m.annotations['org.opencontainers.image.version']).toBe('1.0.0');
	});
	test('the same capture has the same digest, in another store, from another folder', async () => {
		const first = await built(store('one'), APP);
		const again = await buildPackage(store('two'), SPEC, first.contents, folderSource(join(dir, 'root')));
		expect(again.manifest).toBe(first.manifest);
	});
	test('a second version stores only what is new, takes away what is gone, and shares the rest', async () => {
		const s = store();
		const first = await built(s, APP);
		const contents = {
			...first.contents,
			files: first.contents.files.filter((f) => f.file !== 'opt/logline/data/empty')
		};
		put('root/opt/logline/bin/logline', '#!/bin/sh\necho better\n');
		const text = readFileSync(join(dir, 'root/opt/logline/bin/logline'));
		contents.files = contents.files.map((f) =>
			f.file.endsWith('bin/logline')
				? { ...f, size: text.length, sha256: createHash('sha256').update(text).digest('hex') }
				: f
		);
		const second = await buildPackage(
			s,
			{ ...SPEC, version: '1.0.1' },
			contents,
			folderSource(join(dir, 'root')),
			first.manifest
		);
		expect(second.added).toBeLessThan(first.size / 2);
		const [a, b] = [first, second].map((x) => readJson<Manifest>(s, x.manifest).layers.map((l) => l.digest)) as [
			string[],
			string[]
		];
		expect(b).toContain(a[0]);
		expect(b).toHaveLength(3);
		const d = await definitionOf(s, second.manifest);
		expect(d.files.map((f) => f.file)).not.toContain('opt/logline/data/empty');
		// Everything of the first is still there; swept, only what the second needs is left.
		expect(sweep(s, null, [first.manifest, second.manifest], Date.now())).toBe(0);
		// What nobody names yet may belong to what is being packed: it stays, unless it is old or its package goes.
		const waiting = s.put(Buffer.from('just brought'));
		expect(sweep(s, first.manifest, [second.manifest], Date.now())).toBeGreaterThan(0);
		expect(s.has(waiting.digest)).toBe(true);
		expect(sweep(s, null, [second.manifest], Date.now() + 25 * 3_600_000)).toBe(waiting.size);
		expect(s.has(a[0]!)).toBe(true);
	});
	test('is not built when a file has been changed since its inventory, and keeps nothing half', async () => {
		const compared = await captured(APP);
		const contents = contentsOf(takenChanges(compared, []).changes);
		put('root/opt/logline/bin/logline', '#!/bin/sh\necho other\n');
		const s = store();
		await expect(buildPackage(s, SPEC, contents, folderSource(join(dir, 'root')))).rejects.toThrow(
			/has been changed since/
		);
		expect(readdirSync(join(dir, 'store')).filter((n) => n.startsWith('making'))).toEqual([]);
		put('root/opt/logline/data/large.bin', Buffer.alloc(3 << 20, 'other '));
		put('root/opt/logline/bin/logline', APP['opt/logline/bin/logline']);
		await expect(buildPackage(s, SPEC, contents, folderSource(join(dir, 'root')))).rejects.toThrow(
			/large.bin is not what/
		);
	});
	test('links that lead out are left out, with the reason; folders above a file are there', () => {
		const link = (file: string, target: string) =>
			({ kind: 'added', entry: { file, kind: 'link', size: 0, mode: '0777', mtime: 1, target } }) as const;
		const { files, left } = contentsOf([
			link('opt/a/out', '../../../etc/passwd'),
			link('opt/a/abs', '/etc/passwd'),
			link('opt/a/in', '../b/x'),
			{
				kind: 'added',
				entry: { file: 'opt/b/x', kind: 'file', size: 0, mode: '0644', mtime: 1, sha256: '0'.repeat(64) }
			}
		]);
		expect(files.map((f) => f.file)).toEqual(['opt', 'opt/a', 'opt/a/in', 'opt/b', 'opt/b/x']);
		expect(left.map((l) => l.path)).toEqual(['opt/a/out', 'opt/a/abs']);
		expect(leads(link('a/b', '/opt/x').entry, (p) => p === 'opt/x')).toBe(null);
		expect(packageNameFor('C:/Programs/Log Line 2.exe')).toBe('log-line-2');
	});
	test('what it opens, serves and listens on is read from its settings, and claimed', async () => {
		const settings = [
			{ setting: 'Machine/Classes/File types/.sv1', name: '', type: 'text', value: '"C:\\L\\logline.exe" "%1"' },
			{ setting: 'Machine/System/Services/logline-sync', name: 'Port', type: 'number', value: '7071' }
		] as const;
		expect([...openedBy(settings)]).toEqual([['c:/l/logline.exe', ['.sv1']]]);
		expect(registeredBy(settings)).toEqual({ services: ['logline-sync'], ports: ['7071'] });
		const claims = [
			...claimsOf([], settings, [{ opens: ['.sv1'], command: 'x' }], {
				name: 'logline',
				services: ['s'],
				ports: ['7071']
			})
		];
		expect(claims.map((c) => c.kind)).toEqual(['setting', 'setting', 'file type', 'service', 'port']);
	});
	test('launch targets of its files', async () => {
		const compared = await captured({
			...APP,
			'usr/share/applications/logline.desktop':
				'[Desktop Entry]\nName=Logline\nExec=/opt/logline/bin/logline\nIcon=logline\n',
			'usr/share/icons/hicolor/48x48/apps/logline.png': 'a picture'
		});
		const contents = contentsOf(takenChanges(compared, []).changes);
		const [group] = targetsOf(contents, readFrom(join(dir, 'root')));
		expect(group).toMatchObject({
			best: {
				name: 'Logline',
				command: 'opt/logline/bin/logline',
				icon: 'usr/share/icons/hicolor/48x48/apps/logline.png'
			},
			problems: []
		});
	});
	test('a menu entry that is a link is what it leads to in the capture, and never a file of this computer', async () => {
		const outside = join(dir, 'outside.desktop');
		writeFileSync(outside, '[Desktop Entry]\nName=Outside\nExec=/opt/logline/bin/logline\n');
		const menu = 'usr/share/applications';
		const compared = await captured({
			...APP,
			'opt/logline/share/logline.desktop': '[Desktop Entry]\nName=Logline\nExec=/opt/logline/bin/logline\n',
			'opt/alias/x': 'a file'
		});
		const made = contentsOf(takenChanges(compared, []).changes);
		const root = join(dir, 'root');
		const links: [string, string][] = [
			[`${menu}/inside.desktop`, '../../../opt/logline/share/logline.desktop'],
			[`${menu}/whole.desktop`, '/opt/logline/share/logline.desktop'],
			[`${menu}/over.desktop`, '/opt/other/share/logline.desktop'],
			['opt/other', 'logline'],
			[`${menu}/grows.desktop`, 'grows.desktop/'.repeat(120)],
			[`${menu}/out.desktop`, outside],
			[`${menu}/climbs.desktop`, '../../../../outside.desktop'],
			[`${menu}/round.desktop`, 'round.desktop'],
			[`${menu}/gone.desktop`, 'nothing.desktop']
		];
		const late = (file: string): FileEntry => ({ file, kind: 'file', size: 9, mode: '0644', mtime: 0, sha256: '' });
		const files = [
			...made.files,
			...links.map(([file, target]): FileEntry => {
				mkdirSync(join(root, file, '..'), { recursive: true });
				symlinkSync(target, join(root, file));
				return { file, kind: 'link', target, size: 0, mode: '0777', mtime: 0 };
			}),
			// The inventory calls it a file; in the folder it is a link by now.
			late('opt/alias/late.desktop'),
			late('opt/beyond/outside.desktop')
		];
		symlinkSync(outside, join(root, 'opt/alias/late.desktop'));
		symlinkSync(dir, join(root, 'opt/beyond'));
		const groups = targetsOf({ ...made, files }, readFrom(root));
		const named = groups.flatMap((g) => [g.best, ...g.others]).filter((t) => t.from.endsWith('.desktop'));
		expect(new Set(named.map((t) => t.name))).toEqual(new Set(['Logline']));
		expect(named.map((t) => t.from).sort()).toEqual([
			'opt/logline/share/logline.desktop',
			`${menu}/inside.desktop`,
			`${menu}/over.desktop`,
			`${menu}/whole.desktop`
		]);
	});
	test('links are followed only where a start is described, and no further than a system would', async () => {
		const link = (file: string, target: string): FileEntry => ({
			file,
			kind: 'link',
			target,
			size: 0,
			mode: '0777',
			mtime: 0
		});
		let asked = 0;
		class Counting extends Map<string, FileEntry> {
			override get(key: string) {
				asked++;
				return super.get(key);
			}
		}
		const long = link('menu/long.desktop', 'q/'.repeat(2000));
		expect(linkedTo(long, new Counting([[long.file, long]]))).toBeNull();
		expect(asked).toBeLessThan(1000);
		const entry: FileEntry = { file: 'app/a.desktop', kind: 'file', size: 9, mode: '0644', mtime: 0, sha256: '' };
		const many = Array.from({ length: 6000 }, (_v, i) => link(`menu/${i}.desktop`, '../app/a.desktop'));
		const plain = Array.from({ length: 6000 }, (_v, i) => link(`lib/${i}.so`, '../app/a.desktop'));
		let read = 0;
		targetsOf({ files: [entry, ...plain, ...many], settings: [], left: [] }, () => {
			read++;
			return null;
		});
		expect(read).toBeLessThanOrEqual(5001);
	});
	test('changes are kept a line each', async () => {
		const compared = await captured(APP);
		await keepChanges(join(dir, 'changes.jsonl'), compared.changes, compared.sorted);
		const lines = readFileSync(join(dir, 'changes.jsonl'), 'utf8').trim().split('\n');
		expect(lines).toHaveLength(compared.changes.length);
		expect(JSON.parse(lines[0]!)).toHaveLength(2);
	});
});

describe('a package that comes back', () => {
	const archive = () => join(dir, 'p.tar');
	/** The archive with its entries changed. */
	async function changed(
		change: (name: string, body: Buffer) => { name: string; body: Buffer } | null,
		extra: [string, string | Buffer, object?][] = []
	): Promise<Buffer> {
		const out = pack();
		const tar = extract();
		Readable.from([readFileSync(archive())]).pipe(tar as never);
		for await (const entry of tar) {
			const parts: Buffer[] = [];
			for await (const part of entry) parts.push(part as Buffer);
			const to = change(entry.header.name, Buffer.concat(parts));
			if (to) out.entry({ name: to.name, size: to.body.length }, to.body);
		}
		for (const [name, body, head] of extra) {
			const bytes = Buffer.from(body);
			out.entry({ name, size: bytes.length, ...head } as never, bytes);
		}
		out.finalize();
		const parts: Buffer[] = [];
		for await (const part of out) parts.push(part as Buffer);
		return Buffer.concat(parts);
	}
	const same = (name: string, body: Buffer) => ({ name, body });
	async function refused(bytes: Buffer, words: RegExp, limits = LIMITS): Promise<void> {
		const s = store('other');
		await expect(importPackage(s, Readable.from([bytes]), limits)).rejects.toThrow(words);
		// Nothing is kept.
		expect(readdirSync(join(dir, 'other/blobs/sha256'))).toEqual([]);
		expect(readdirSync(join(dir, 'other'))).toEqual(['blobs']);
	}

	test('written six times at once is whole, and leaves nothing else', async () => {
		const s = store();
		const b = await built(s, APP);
		await Promise.all(Array.from({ length: 6 }, () => exportToFile(s, b.manifest, archive())));
		expect((await importFile(store('other'), archive())).manifest).toBe(b.manifest);
		expect(readdirSync(dirname(archive())).filter((name) => name.endsWith('.making'))).toEqual([]);
	});
	test('is the same package, to the digest', async () => {
		const s = store();
		const b = await built(s, APP);
		await exportToFile(s, b.manifest, archive());
		expect(readdirSync(dirname(archive())).filter((name) => name.endsWith('.making'))).toEqual([]);
		const back = await importFile(store('other'), archive());
		expect(back).toMatchObject({
			manifest: b.manifest,
			size: b.size,
			added: b.size,
			files: 3,
			spec: { name: 'logline' }
		});
		expect(back.unpacked).toBe(b.unpacked);
		// A second time there is nothing new.
		expect((await importFile(store('other'), archive())).added).toBe(0);
	});
	test('with one byte changed, or a blob missing, is refused', async () => {
		const s = store();
		const b = await built(s, APP);
		await exportToFile(s, b.manifest, archive());
		const layer = readJson<Manifest>(s, b.manifest).layers[0]!.digest.slice(7);
		await refused(
			await changed((name, body) => {
				if (name.endsWith(layer)) body[100]! ^= 1;
				return { name, body };
			}),
			/has been changed or damaged/
		);
		await refused(await changed((name, body) => (name.endsWith(layer) ? null : { name, body })), /a layer is missing/);
		await refused(
			await changed((name, body) => (name === 'oci-layout' ? null : { name, body })),
			/no OCI image layout/
		);
		await refused(await changed(same, [['../../evil', 'x']]), /has no place in a package/);
		await refused(
			await changed(same, [['blobs/sha256/x', '', { type: 'symlink', linkname: '/etc' }]]),
			/made of files alone/
		);
		await refused(Buffer.from('this is no tar at all'), /no OCI image layout|no tar/);
	});

	/** A package made by somebody who means no good: a layer of entries as given. */
	async function evil(entries: [object, string][], layerOf = (raw: Buffer) => gzipSync(raw)): Promise<Buffer> {
		const s = store(`evil-${Math.random()}`);
		const b = await built(s, { 'opt/logline/x': 'x' });
		const m = readJson<Manifest>(s, b.manifest);
		const config = readJson<ImageConfig>(s, m.config.digest);
		const tar = pack();
		for (const [head, body] of entries) tar.entry({ ...head, size: body.length } as never, body);
		tar.finalize();
		const parts: Buffer[] = [];
		for await (const part of tar) parts.push(part as Buffer);
		const raw = Buffer.concat(parts);
		const layer = s.put(layerOf(raw));
		m.layers[0] = { mediaType: TYPES.layer, digest: layer.digest, size: layer.size, annotations: {} };
		config.rootfs.diff_ids[0] = `sha256:${createHash('sha256').update(raw).digest('hex')}`;
		const c = s.put(Buffer.from(JSON.stringify(config)));
		m.config = { ...m.config, digest: c.digest, size: c.size };
		await exportToFile(s, s.put(Buffer.from(JSON.stringify(m))).digest, join(dir, 'evil.tar'));
		return readFileSync(join(dir, 'evil.tar'));
	}
	test.each<[string, [object, string][], RegExp]>([
		['a path that climbs', [[{ name: 'files/../../etc/passwd' }, 'x']], /climbs out of the package/],
		['an absolute path', [[{ name: '/etc/passwd' }, 'x']], /climbs out|has no place/],
		['a path beside its own', [[{ name: 'etc/passwd' }, 'x']], /has no place in a package/],
		[
			'a link that leaves',
			[[{ name: 'files/a', type: 'symlink', linkname: '../../etc' }, '']],
			/the link files\/a leaves the package/
		],
		['a link to the root', [[{ name: 'files/a', type: 'symlink', linkname: '/etc' }, '']], /leaves the package/],
		[
			'a hard link',
			[[{ name: 'files/a', type: 'link', linkname: '/etc/passwd' }, '']],
			/files, folders and links alone/
		],
		['a device', [[{ name: 'files/a', type: 'character-device' }, '']], /files, folders and links alone/],
		[
			'a file behind a link',
			[
				[{ name: 'files/a', type: 'symlink', linkname: 'b' }, ''],
				[{ name: 'files/a/x' }, 'x']
			],
			/lies behind the link files\/a/
		]
	])('with %s is refused', async (_name, entries, words) => {
		await refused(await evil(entries), words);
	});
	test('that unpacks to far more than it is, is refused before it does', async () => {
		const bomb = await evil([[{ name: 'files/a' }, '\0'.repeat(80_000_000)]]);
		await refused(bomb, /unpacks to more than 200 times as much/);
		await refused(bomb, /unpacks to more than 10 MB/, { ...LIMITS, bytes: 10e6 });
		await refused(
			await evil(Array.from({ length: 30 }, (_v, i) => [{ name: `files/${i}` }, 'x'] as [object, string])),
			/holds more than 20 entries/,
			{ ...LIMITS, entries: 20 }
		);
	});
	test('whose layer is not what its configuration says, or is no image of a package, is refused', async () => {
		await refused(
			await evil([[{ name: 'files/a' }, 'x']], () => gzipSync('other')),
			/cannot be unpacked|is not what the configuration says/
		);
		const s = store();
		const b = await built(s, APP);
		const m = readJson<Manifest>(s, b.manifest);
		const config = readJson<ImageConfig>(s, m.config.digest);
		m.layers.pop();
		config.rootfs.diff_ids.pop();
		const c = s.put(Buffer.from(JSON.stringify(config)));
		m.config = { ...m.config, digest: c.digest, size: c.size };
		await exportToFile(s, s.put(Buffer.from(JSON.stringify(m))).digest, archive());
		await refused(readFileSync(archive()), /an image, but not one of a package/);
	});
});
