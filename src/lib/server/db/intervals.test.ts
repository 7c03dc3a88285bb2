import { beforeEach, describe, expect, test } from 'vitest';
import { FOREVER } from '$lib/core/time/units';
import { all, openDb, run, type Db } from './index';
import { asOf, asOfByEnd, changeAt, closeAllAt, closeAt, INTERVALS, openAt, putAt, rowAt } from './intervals';
import { intervalProblems } from '../verify';

let db: Db;
beforeEach(() => {
	db = openDb(':memory:');
});
const rows = () => all(db, 'SELECT subject, since, until, rule FROM follow_rules ORDER BY subject, since');
const rule = (subject: string, text: string) => ({ subject, rule: text, takes_at: '"now"', rollout_id: null });

describe('tables of intervals', () => {
	test('are all declared: whatever has a beginning and an end', () => {
		const tables = all<{ name: string }>(db, `SELECT name FROM sqlite_master WHERE type = 'table'`)
			.map((t) => t.name)
			.filter((name) => {
				const columns = (db.pragma(`table_info(${name})`) as { name: string }[]).map((c) => c.name);
				return columns.includes('since') && columns.includes('until');
			});
		expect(tables.sort()).toEqual(Object.keys(INTERVALS).sort());
	});
	test('have the columns of their key', () => {
		for (const [table, { key, within }] of Object.entries(INTERVALS)) {
			const columns = (db.pragma(`table_info(${table})`) as { name: string }[]).map((c) => c.name);
			expect(columns).toEqual(expect.arrayContaining([...key]));
			if (within) expect(Object.keys(INTERVALS)).toContain(within);
		}
	});
});

describe('what is put at a moment', () => {
	test('takes the place of what was in force, of its own key alone', () => {
		putAt(db, 'follow_rules', rule('pool/a', '1'), 10);
		putAt(db, 'follow_rules', rule('pool/b', '1'), 10);
		putAt(db, 'follow_rules', rule('pool/a', '2'), 20);
		expect(rows()).toEqual([
			{ subject: 'pool/a', since: 10, until: 20, rule: '1' },
			{ subject: 'pool/a', since: 20, until: FOREVER, rule: '2' },
			{ subject: 'pool/b', since: 10, until: FOREVER, rule: '1' }
		]);
	});
	test('at the same moment as another leaves no trace of that one', () => {
		putAt(db, 'follow_rules', rule('pool/a', '1'), 10);
		putAt(db, 'follow_rules', rule('pool/a', '2'), 20);
		putAt(db, 'follow_rules', rule('pool/a', '3'), 20);
		expect(rows()).toMatchObject([
			{ rule: '1', until: 20 },
			{ rule: '3', since: 20, until: FOREVER }
		]);
		closeAt(db, 'follow_rules', { subject: 'pool/a' }, 20);
		expect(rows()).toMatchObject([{ rule: '1', until: 20 }]);
	});
	test('in the past of what is in force undoes what began since', () => {
		putAt(db, 'follow_rules', rule('pool/a', '1'), 10);
		putAt(db, 'follow_rules', rule('pool/a', '2'), 30);
		closeAt(db, 'follow_rules', { subject: 'pool/a' }, 20);
		expect(rows()).toMatchObject([{ rule: '1', since: 10, until: 20 }]);
	});
	test('is the row in force with some of its columns changed', () => {
		putAt(db, 'follow_rules', rule('pool/a', '1'), 10);
		expect(changeAt(db, 'follow_rules', { subject: 'pool/a' }, { rule: '2' }, 20)).toBe(true);
		expect(changeAt(db, 'follow_rules', { subject: 'nobody' }, { rule: '2' }, 20)).toBe(false);
		expect(rows()).toMatchObject([
			{ rule: '1', until: 20 },
			{ rule: '2', since: 20, until: FOREVER }
		]);
		expect(all(db, 'SELECT takes_at FROM follow_rules')).toEqual([{ takes_at: '"now"' }, { takes_at: '"now"' }]);
	});
});

describe('what happened', () => {
	const wait = { person_id: 1, publication_id: 'desk' };
	const waits = () => all(db, 'SELECT since, until, pools FROM waits ORDER BY since');
	beforeEach(() => {
		db.pragma('foreign_keys = OFF');
	});
	test('stays on record, for a millisecond at least', () => {
		openAt(db, 'waits', { ...wait, pools: '[]' }, 10);
		closeAt(db, 'waits', wait, 10);
		expect(waits()).toEqual([{ since: 10, until: 11, pools: '[]' }]);
	});
	test('is over once: what has ended does not end again, nor begin again at the same moment', () => {
		openAt(db, 'waits', { ...wait, pools: '[]' }, 10);
		closeAt(db, 'waits', wait, 20);
		closeAt(db, 'waits', wait, 15);
		expect(openAt(db, 'waits', { ...wait, pools: '["a"]' }, 10, 'keep')).toBeNull();
		expect(waits()).toEqual([{ since: 10, until: 20, pools: '[]' }]);
	});
	test('says at its end how it ended, and its number at its beginning', () => {
		const opening = { line_id: 'desk', number: '1.0.0', machine: 'm', by: 'bo' };
		const first = openAt(db, 'openings', opening, 10);
		closeAt(db, 'openings', { line_id: 'desk' }, 20, { outcome: 'thrown away' });
		const second = openAt(db, 'openings', opening, 30)!;
		// Never two at once, and never in silence.
		expect(() => openAt(db, 'openings', opening, 35)).toThrow(/UNIQUE/);
		expect(second).toBeGreaterThan(first!);
		closeAllAt(db, 'openings', { id: second }, 40, { outcome: 'closed' });
		expect(all(db, 'SELECT since, until, outcome FROM openings ORDER BY since')).toEqual([
			{ since: 10, until: 20, outcome: 'thrown away' },
			{ since: 30, until: 40, outcome: 'closed' }
		]);
	});
	test('never counts longer than what it belongs to: nothing within something else is on record for having begun as that ended', () => {
		for (const [table, { within, happened }] of Object.entries(INTERVALS))
			if (within) expect([table, happened]).toEqual([table, false]);
	});
});

test('what was in force at a moment is read whole, and all with some values is closed at once', () => {
	for (const subject of ['pool/a', 'pool/b']) putAt(db, 'follow_rules', rule(subject, '1'), 10);
	putAt(db, 'follow_rules', { ...rule('pool/c', '1'), rollout_id: null, takes_at: '"later"' }, 10);
	expect(closeAllAt(db, 'follow_rules', { takes_at: '"now"' }, 20)).toBe(2);
	expect(rowAt(db, 'follow_rules', { subject: 'pool/a' }, 19)).toEqual({
		...rule('pool/a', '1'),
		since: 10,
		until: 20
	});
	expect(rowAt(db, 'follow_rules', { subject: 'pool/a' }, 20)).toBeUndefined();
	expect(rowAt(db, 'follow_rules', { subject: 'pool/c' }, 20)).toMatchObject({ until: FOREVER });
});

test.each(Object.keys(INTERVALS))(
	'verifying finds an interval of %s that ends before it begins, and one that overlaps',
	(table) => {
		// A copy without constraints, so that any row can be put in.
		const columns = (db.pragma(`table_info(${table})`) as { name: string }[]).map((c) => c.name);
		db.pragma('foreign_keys = OFF');
		run(db, `DROP TABLE ${table}`);
		run(db, `CREATE TABLE ${table}(${columns.join(', ')})`);
		const put = (since: number, until: number) =>
			run(
				db,
				`INSERT INTO ${table}(${columns.join(', ')}) VALUES (${columns.map(() => '?').join(', ')})`,
				columns.map((c) => (c === 'since' ? since : c === 'until' ? until : '1'))
			);
		put(10, 5);
		put(20, 40);
		put(30, 50);
		const found = intervalProblems(db).filter((p) => p.startsWith(`${table}:`));
		expect(found).toContain(`${table}: 1 intervals end before they begin`);
		expect(found).toContain(`${table}: 1 intervals overlap the one before`);
	}
);

test.each(Object.entries(INTERVALS).flatMap(([table, { key, within }]) => (within ? [[table, key[0], within]] : [])))(
	'verifying finds an interval of %s that belongs to nothing, and one that goes on after what it belongs to',
	(table, key, within) => {
		db.pragma('foreign_keys = OFF');
		for (const t of [table, within]) {
			const columns = (db.pragma(`table_info(${t})`) as { name: string }[]).map((c) => c.name);
			run(db, `DROP TABLE ${t}`);
			run(db, `CREATE TABLE ${t}(${columns.join(', ')})`);
		}
		run(db, `INSERT INTO ${within}(id, since, until) VALUES (7, 10, 20)`);
		run(db, `INSERT INTO ${table}(${key}, since, until) VALUES (7, 12, 18), (8, 12, 18)`);
		expect(intervalProblems(db)).toEqual([`${table}: 1 intervals belong to nothing in ${within}`]);
		run(db, `DELETE FROM ${table} WHERE ${key} = 8`);
		run(db, `UPDATE ${table} SET until = 21`);
		expect(intervalProblems(db)).toEqual([`${table}: 1 intervals go on after what they belong to has ended`]);
	}
);
test('what intervals belong to is all that their tables refer to and that may end', () => {
	for (const [table, { key, within }] of Object.entries(INTERVALS)) {
		const refers = (db.pragma(`foreign_key_list(${table})`) as { from: string; table: string }[]).find(
			(f) => f.from === key[0]
		)?.table;
		if (refers && refers in INTERVALS) expect([table, within]).toEqual([table, refers]);
	}
});

test('what is in force at a moment is asked of tables that are declared', () => {
	expect(asOf('pools')).toBe('since <= @at AND until > @at');
	expect(asOf('pools p', '?1')).toBe('p.since <= ?1 AND p.until > ?1');
	expect(asOfByEnd('sessions s')).toBe('+s.since <= @at AND s.until > @at');
	// @ts-expect-error: there is no such table of intervals
	asOf('boats b');
});
