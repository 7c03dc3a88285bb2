import Database from 'better-sqlite3';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { reachedBy } from '../activity/queries';
import { sumUp } from '../activity/rolling';
import { callerNow, callerOfToken } from '../identity/accounts';
import { makeRecoveryCodes, useRecoveryCode } from '../identity/recovery';
import { verifyData } from '../verify';
import { all, openDb } from './index';

const FILES = import.meta.glob<string>('./migrations/*.sql', { query: '?raw', import: 'default', eager: true });
const SQL = Object.entries(FILES)
	.sort(([a], [b]) => (a < b ? -1 : 1))
	.map(([, sql]) => sql);

const folder = mkdtempSync(join(tmpdir(), 'sextant-migrations-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** A database as an earlier version left it, with whatever is written into it then. */
function earlier(name: string, schema: number, write: (db: Database.Database) => void): string {
	const path = join(folder, name);
	const db = new Database(path);
	db.function('folded', (t: unknown) => t);
	for (const sql of SQL.slice(0, schema)) db.exec(sql);
	db.pragma(`user_version = ${schema}`);
	write(db);
	db.close();
	return path;
}

it('whoever had a role has it for the whole estate and for good; tokens and codes count on', () => {
	const path = earlier('roles.db', 40, (db) => {
		db.exec(`INSERT INTO operators(id, login, name, role, password) VALUES (1, 'runa', 'Runa', 'owner', 'x'), (2, 'chidi', 'Chidi', 'builder', 'x'), (3, 'odd', 'Odd', 'auditor', 'x'), (4, 'sam', 'Sam', 'auditor', 'x'), (5, 'samuel', 'Sam', 'auditor', 'x');
			UPDATE operators SET disabled = 1 WHERE id = 3;
			INSERT INTO tokens(id, name, role, hash, made_at, made_by) VALUES (1, 'night', 'helpdesk', '${'a'.repeat(64)}', 5, 'Runa'), (2, 'twice', 'helpdesk', '${'b'.repeat(64)}', 5, 'Sam');
			INSERT INTO people(id, login, name, profile, address, source) VALUES (7, 'anna', 'Anna', 0, '', 'here')`);
	});
	const db = openDb(path);
	expect(callerNow(db, 'operator', 1, 1000)).toMatchObject({ role: 'owner', part: null });
	expect(callerNow(db, 'operator', 2, 1000)).toMatchObject({ role: 'builder', part: null });
	expect(callerNow(db, 'operator', 3, 1000)).toBeNull();
	expect(callerNow(db, 'token', 1, 1000)).toMatchObject({ role: 'helpdesk', part: null });
	expect(callerOfToken(db, 'nonsense', 1000)).toBeNull();
	expect(all(db, 'SELECT operator_id, role, part, ends FROM assignments ORDER BY operator_id')).toEqual([
		{ operator_id: 1, role: 'owner', part: '', ends: null },
		{ operator_id: 2, role: 'builder', part: '', ends: null },
		{ operator_id: 3, role: 'auditor', part: '', ends: null },
		{ operator_id: 4, role: 'auditor', part: '', ends: null },
		{ operator_id: 5, role: 'auditor', part: '', ends: null }
	]);
	// A name that two have says nothing of who it was.
	expect(all(db, 'SELECT operator_id FROM tokens ORDER BY id')).toEqual([{ operator_id: 1 }, { operator_id: null }]);
	const [code] = makeRecoveryCodes(db, { kind: 'person', id: 7 }, 1);
	expect(useRecoveryCode(db, { kind: 'operator', id: 7 }, code!, 2)).toBe(false);
	expect(useRecoveryCode(db, { kind: 'person', id: 7 }, code!, 2)).toBe(true);
	expect(verifyData(db)).toEqual([]);
	db.close();
});

it('what was reached in an hour that goes on stays with it, and is summed up as the hour ends', () => {
	const at = 1000 * HOUR;
	const path = earlier('reached.db', 48, (db) => {
		db.exec(`INSERT INTO settings(key, value) VALUES ('activity summed up', '998');
			INSERT INTO reached_targets(id, kind, name) VALUES (1, 'site', 'news.example'); INSERT INTO reached_from(id, address) VALUES (1, '10.1.0.9');
			INSERT INTO people(id, login, name, profile, address, source) VALUES (7, 'anna', 'Anna', 0, '', 'here')`);
		for (const [id, hour] of [
			[1, 998],
			[2, 999],
			[3, 1000]
		] as const)
			db.prepare(
				`INSERT INTO activity(hour, person_id, id, began, ended, target_id, rule_id, decided, through, way, from_id, decisions, down, up)
				 VALUES (@hour, 7, @id, @hour * ${HOUR}, @hour * ${HOUR} + 1, 1, 0, 0, 1, 0, 1, 5, 0, 0)`
			).run({ hour, id });
		db.exec(
			`INSERT INTO activity_person_hours(person_id, hour, decisions, refused, down, up) VALUES (7, 998, 5, 0, 0, 0)`
		);
	});
	const db = openDb(path);
	const ids = (table: string) => all<{ id: number }>(db, `SELECT id FROM ${table} ORDER BY id`).map((r) => r.id);
	const seen = () => reachedBy(db, 7, at + HOUR - 1, 30, 10).map((r) => r.id);
	expect([ids('activity'), ids('activity_now'), seen()]).toEqual([[1], [2, 3], [3, 2, 1]]);
	sumUp(db, at + 10 * MINUTE);
	expect([ids('activity'), ids('activity_now'), seen()]).toEqual([[1, 2], [3], [3, 2, 1]]);
	expect(verifyData(db)).toEqual([]);
	db.close();
});

it('what a newer version has written is not opened', () => {
	const path = earlier('newer.db', 1, (db) => db.pragma(`user_version = ${SQL.length + 1}`));
	expect(() => openDb(path)).toThrow(/newer/);
});
