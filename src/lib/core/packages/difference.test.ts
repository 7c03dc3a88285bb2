import * as fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { Difference, type Change } from './difference';
import { differenceOf, HEADING } from './fixtures';
import {
	byKey,
	climbs,
	entryKey,
	inventoryLine,
	InventoryProblem,
	InventoryReader,
	linesOf,
	type FileEntry,
	type InventoryEntry
} from './inventory';

const sha = (text: string) =>
	text
		.padEnd(64, '0')
		.slice(0, 64)
		.replace(/[^0-9a-f]/g, 'a');
const file = (path: string, content = path, more: Partial<FileEntry> = {}): FileEntry => ({
	file: path,
	kind: 'file',
	size: content.length,
	mode: '0644',
	mtime: 1,
	sha256: sha(content),
	...more
});
const folder = (path: string): FileEntry => ({ file: path, kind: 'folder', size: 0, mode: '0755', mtime: 1 });
const setting = (key: string, name: string, value: string): InventoryEntry => ({
	setting: key,
	name,
	type: 'text',
	value
});
const said = (changes: Change[]) =>
	changes.map((c) => `${c.kind} ${entryKey(c.entry).replaceAll('\0', '|').replace('\uffff', '')}`);

describe('the difference of two inventories', () => {
	test('tells added, changed, removed, moved and permissions apart, for files and settings', () => {
		const before = [
			file('a/same'),
			file('a/other', 'one'),
			file('a/gone'),
			file('a/here', 'walks'),
			file('a/mode'),
			file('a/touched'),
			setting('Machine/A', 'x', '1'),
			setting('Machine/A', 'y', '1'),
			setting('Machine/A', 'z', '1')
		];
		const after = [
			file('a/same'),
			file('a/other', 'two'),
			file('b/here', 'walks'),
			file('a/mode', 'a/mode', { mode: '0600' }),
			// Only its time is another: nothing in it has changed.
			file('a/touched', 'a/touched', { mtime: 99 }),
			file('b/new'),
			folder('b'),
			setting('Machine/A', 'x', '1'),
			setting('Machine/A', 'y', '2'),
			setting('Machine/B', 'w', '1')
		];
		expect(said(differenceOf(before, after))).toEqual([
			'removed a/gone',
			'mode a/mode',
			'changed a/other',
			'added b',
			'moved b/here',
			'added b/new',
			'changed Machine/A|y',
			'removed Machine/A|z',
			'added Machine/B|w'
		]);
	});
	test('a file that became a link, or a link that leads elsewhere, has changed', () => {
		const link = (target: string): FileEntry => ({ file: 'l', kind: 'link', size: 0, mode: '0777', mtime: 1, target });
		expect(said(differenceOf([link('a')], [link('b')]))).toEqual(['changed l']);
		expect(said(differenceOf([file('l')], [link('b')]))).toEqual(['changed l']);
	});
	test('of several of the same content, the one of the same name is the one that moved; empty ones never are', () => {
		const changes = differenceOf(
			[file('x/one', 'same'), file('x/two', 'same'), file('x/empty', '')],
			[file('y/two', 'same'), file('y/empty', '')]
		);
		const moved = changes.find((c) => c.kind === 'moved')!;
		expect(moved).toMatchObject({ entry: { file: 'y/two' }, was: { file: 'x/two' } });
		expect(said(changes)).toEqual(['removed x/empty', 'removed x/one', 'added y/empty', 'moved y/two']);
	});
	test('many files of one content that were moved are each paired, the one of the same name where there is one', () => {
		const of = (folder: string, from: number) =>
			Array.from({ length: 150_000 }, (_v, i) => file(`${folder}/${String(from + i).padStart(7, '0')}`, 'all alike'));
		const changes = differenceOf(of('x', 0), of('y', 75_000));
		expect(changes).toHaveLength(150_000);
		const names = changes.map((c) =>
			c.kind === 'moved' ? c.entry.file.slice(2) === c.was.file.slice(2) : expect.unreachable()
		);
		expect(names.filter(Boolean)).toHaveLength(75_000);
	});
	test('an entry that stands twice or out of order is refused at its line, whether it was there before or not', () => {
		const lines = (...entries: InventoryEntry[]) => [HEADING, ...entries].map(inventoryLine);
		const both = (before: string[], after: string[]) => {
			const d = new Difference();
			d.before.give(before);
			d.after.give(after);
			d.before.end();
			d.after.end();
			expect(d.go()).toBeNull();
		};
		const one = lines(file('a'), file('b'));
		expect(() => both(lines(file('a'), file('a')), [])).toThrow('a stands twice');
		expect(() => both(lines(file('b'), file('a')), [])).toThrow('a stands behind b');
		expect(() => both(one, lines(file('a'), file('a')))).toThrow('a stands twice');
		expect(() => both(one, lines(file('a'), file('a', 'other')))).toThrow('a stands twice');
		expect(() => both(one, lines(file('b'), file('a')))).toThrow('a stands behind b');
		expect(() => both(one, lines(setting('Machine', 'x', '1'), file('a')))).toThrow('a stands behind Machine x');
		expect(() => both(one, lines(file('a'), file('b'), setting('Machine', 'x', '1')))).not.toThrow();
		try {
			both(one, [...one, one.at(-1)!]);
			expect.unreachable();
		} catch (e) {
			expect(e).toMatchObject({ line: 4, message: 'b stands twice' });
		}
	});
	test('comes out the same in whatever pieces the lines come, with lines left empty', () => {
		const name = fc.constantFrom('a', 'a/b', 'a/c', 'd/e', 'd/f', 'g');
		const entry = fc.oneof(
			fc.record({ name, content: fc.constantFrom('1', '22') }).map((e) => file(e.name, e.content)),
			fc.record({ name, content: fc.constantFrom('1', '22') }).map((e) => setting('Machine', e.name, e.content))
		);
		const entries = fc.uniqueArray(entry, { selector: entryKey, maxLength: 9 });
		const sizes = fc.infiniteStream(fc.nat(3));
		fc.assert(
			fc.property(entries, entries, sizes, fc.boolean(), (before, after, size, gaps) => {
				const d = new Difference();
				const rest = new Map(
					(
						[
							[d.before, before],
							[d.after, after]
						] as const
					).map(([side, list]) => [
						side,
						[HEADING, ...[...list].sort(byKey)].flatMap((e) => (gaps ? ['', inventoryLine(e)] : [inventoryLine(e)]))
					])
				);
				for (let side = d.go(); side; side = d.go()) {
					const lines = rest.get(side)!;
					if (lines.length) side.give(lines.splice(0, size.next().value));
					else side.end();
				}
				expect(d.changes()).toEqual(differenceOf(before, after));
				expect([d.before.count, d.after.count]).toEqual([before.length, after.length]);
			})
		);
	});
	test('applied to the inventory before, it gives the one after; whatever it was', () => {
		const path = fc.constantFrom('a', 'a/b', 'a/c', 'd/e', 'd/f', 'g');
		const content = fc.constantFrom('1', '22', '333', '');
		const entries = fc.uniqueArray(fc.record({ path, content, mode: fc.constantFrom('0644', '0600') }), {
			selector: (e) => e.path,
			maxLength: 6
		});
		fc.assert(
			fc.property(entries, entries, (b, a) => {
				const [before, after] = [b, a].map((list) => list.map((e) => file(e.path, e.content, { mode: e.mode }))) as [
					FileEntry[],
					FileEntry[]
				];
				const state = new Map(before.map((e) => [e.file, e]));
				for (const c of differenceOf(before, after)) {
					const e = c.entry as FileEntry;
					if (c.kind === 'removed') state.delete(e.file);
					else {
						if (c.kind === 'moved') {
							expect(c.was.sha256).toBe(e.sha256);
							state.delete(c.was.file);
						}
						state.set(e.file, e);
					}
				}
				expect([...state.values()].sort(byPath)).toEqual([...after].sort(byPath));
			})
		);
	});
});
const byPath = (a: FileEntry, b: FileEntry) => (a.file < b.file ? -1 : 1);

describe('an inventory', () => {
	test('is read back as it was written, line by line, wherever the parts are cut', async () => {
		const entries = [folder('a'), file('a/b'), setting('Machine/Ä', 'ü', 'line\nbreak')];
		const text = [HEADING, ...entries].map((e) => `${inventoryLine(e)}\n`).join('');
		await fc.assert(
			fc.asyncProperty(fc.array(fc.nat(text.length), { maxLength: 5 }), async (cuts) => {
				const at = [0, ...cuts.sort((a, b) => a - b), text.length];
				const parts = at.slice(1).map((end, i) => text.slice(at[i], end));
				const reader = new InventoryReader();
				const read: InventoryEntry[] = [];
				for await (const lines of linesOf(parts))
					for (const line of lines) {
						const e = reader.read(line);
						if (e) read.push(e);
					}
				expect(read).toEqual(entries);
				expect(reader.heading).toEqual(HEADING);
			}),
			{ numRuns: 40 }
		);
	});
	test('of another system has its lines ended by two characters, wherever the parts are cut', async () => {
		const text = '{"a":1}\r\n\r\n{"b":"\\r"}\r\nlast\r';
		for (let cut = 0; cut <= text.length; cut++) {
			const read: string[] = [];
			for await (const lines of linesOf([text.slice(0, cut), text.slice(cut)])) read.push(...lines);
			expect(read).toEqual(['{"a":1}', '', '{"b":"\\r"}', 'last']);
		}
	});
	test.each([
		['{"inventory":2,"of":"x","at":1}', 'inventories of format 2 are not known here'],
		['{"of":"x"}', 'no heading'],
		['{"inventory":1,"at":1}', 'does not say what'],
		['nonsense', 'not JSON'],
		['[]', 'an entry is an object']
	])('with the first line %s is refused', (line, words) => {
		expect(() => new InventoryReader().read(line)).toThrow(words);
	});
	test.each([
		[{ ...file('../up') }, 'climbs'],
		[{ ...file('/etc/passwd') }, 'climbs'],
		[{ ...file('a//b') }, 'climbs'],
		[{ ...file('a'), kind: 'pipe' }, 'file, folder or link'],
		[{ ...file('a'), mode: '999' }, 'octal'],
		[{ ...file('a'), size: -1 }, 'whole number of bytes'],
		[{ ...file('a'), mtime: 1.5 }, 'whole number of ms'],
		[{ ...file('a'), sha256: 'abc' }, '64 hexadecimal'],
		[{ ...folder('a'), kind: 'link' }, 'target'],
		[{ name: 'x' }, '“file” or a “setting”'],
		[{ setting: 'k', name: 1, type: 'text', value: '' }, '“name”'],
		[{ setting: 'k', name: '', type: 'float', value: '' }, '“type”'],
		[{ setting: 'k', name: '', type: 'text', value: 1 }, '“value”']
	])('with the entry %j is refused at its line', (entry, words) => {
		const reader = new InventoryReader();
		reader.read(inventoryLine(HEADING));
		reader.read('');
		try {
			reader.read(JSON.stringify(entry));
			expect.unreachable();
		} catch (e) {
			expect(e).toBeInstanceOf(InventoryProblem);
			expect((e as InventoryProblem).line).toBe(3);
			expect((e as Error).message).toContain(words);
		}
	});
	test('without a line has no heading', () => {
		expect(() => new InventoryReader().heading).toThrow('empty');
	});
	test('paths that climb are known, and names with dots are not taken for them', () => {
		expect(['../a', 'a/../b', 'a/./b', '/a', 'a//b', 'a/', 'a/..'].every(climbs)).toBe(true);
		expect(['a', 'a/b.c', '.config/x', 'a/..b', 'a/b..', 'C:/x'].some(climbs)).toBe(false);
	});
});
