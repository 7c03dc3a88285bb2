import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, test } from 'vitest';
import { FOREVER } from '$lib/core/time/units';
import { all, openDb, run, type Db } from './index';
import { asOf, closeAt, openAt } from './intervals';
import { steady } from './steady';

let folder: string;
let db: Db;

beforeEach(() => {
	folder = mkdtempSync(join(tmpdir(), 'sextant-steady-'));
	db = openDb(join(folder, 'a.db'));
});
afterEach(() => {
	db.close();
	rmSync(folder, { recursive: true });
});

/** Names of what is kept of notes in force, and how often they were read. */
function asked() {
	let times = 0;
	const read = steady(['notes', 'settings'], (of, at) => {
		times++;
		return all<{ id: number }>(of, `SELECT id FROM notes WHERE ${asOf('notes')} ORDER BY id`, { at }).map((n) => n.id);
	});
	return { read: (at: number, of = db) => read(of, at), times: () => times };
}
const note = (id: number, at: number, of = db) =>
	openAt(of, 'notes', { id, kind: 'pool', of: 'wards', text: 'reads slowly', by: 'owner' }, at);

test('what is worked out is kept until one of its tables is written to', () => {
	const { read, times } = asked();
	expect(read(100)).toEqual([]);
	expect(read(200)).toEqual([]);
	expect(times()).toBe(1);
	note(1, 200);
	expect(read(200)).toEqual([1]);
	run(db, "INSERT INTO settings(key, value) VALUES ('x', 'y')");
	read(200);
	run(db, "UPDATE settings SET value = 'z' WHERE key = 'x'");
	read(200);
	run(db, "DELETE FROM settings WHERE key = 'x'");
	read(200);
	expect(times()).toBe(5);
	// What it does not follow from is none of its business.
	run(db, "INSERT INTO folders(name) VALUES ('wards')");
	read(300);
	expect(times()).toBe(5);
});

test('what begins or ends by time alone counts from its moment on', () => {
	const { read, times } = asked();
	note(1, 100);
	note(2, 400);
	closeAt(db, 'notes', { id: 1 }, 600);
	expect([150, 399, 400, 599, 600, 9000].map((at) => read(at))).toEqual([[1], [1], [1, 2], [1, 2], [2], [2]]);
	expect(times()).toBe(3);
	// Before the moment that it was worked out for, it may have been otherwise.
	expect(read(150)).toEqual([1]);
	expect(read(FOREVER - 1)).toEqual([2]);
});

test('what another connection has written is seen', () => {
	const { read } = asked();
	expect(read(100)).toEqual([]);
	const other = openDb(join(folder, 'a.db'));
	note(7, 50, other);
	other.close();
	expect(read(100)).toEqual([7]);
});

test('what was worked out from rows that were taken back is not taken for what stands', () => {
	const { read } = asked();
	const undone = new Error('taken back');
	const without = (id: number, first: () => void = () => {}) =>
		expect(() =>
			db
				.transaction(() => {
					first();
					note(id, 10);
					expect(read(100)).toContain(id);
					throw undone;
				})
				.immediate()
		).toThrow(undone);
	// The first time it is asked at all, and later on.
	without(1);
	expect(read(100)).toEqual([]);
	without(2);
	expect(read(100)).toEqual([]);
	note(3, 10);
	expect(read(100)).toEqual([3]);
	without(4, () => expect(read(100)).toEqual([3]));
	expect(read(100)).toEqual([3]);
});

test('each database has its own', () => {
	const { read } = asked();
	note(1, 10);
	const other = openDb(':memory:');
	expect(read(100)).toEqual([1]);
	expect(read(100, other)).toEqual([]);
	note(2, 10, other);
	expect(read(100)).toEqual([1]);
	expect(read(100, other)).toEqual([2]);
	other.close();
});

test('a connection that sees a part of the estate alone is refused', () => {
	const { read } = asked();
	db.exec('CREATE TEMP VIEW notes AS SELECT * FROM main.notes WHERE id < 5');
	expect(() => read(100)).toThrow('a part of notes');
});
