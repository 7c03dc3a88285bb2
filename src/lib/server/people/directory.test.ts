import { expect, test } from 'vitest';
import { run } from '../db';
import { Harness } from '../testing/harness';
import { everybody } from './directory';

test('everybody is read once, and again when somebody comes, changes, goes, or a site changes its zone', async () => {
	const { db } = await Harness.of();
	const first = everybody(db);
	expect(first.find((p) => p.login === 'cleo')).toMatchObject({ team: 'harbour', zone: 'Europe/Oslo', managed: false });
	expect(everybody(db)).toBe(first);
	const after = (sql: string) => {
		const before = everybody(db);
		run(db, sql);
		expect(everybody(db)).not.toBe(before);
		return everybody(db);
	};
	const came = after(
		`INSERT INTO people(login, name, site_id, team_id, pattern, profile, managed, address) VALUES ('fay', 'Fay Buoy', 'isle', 'visitors', 'none', 0, 1, '10.2.0.9')`
	);
	expect(came.map((p) => p.login)).toEqual([...first.map((p) => p.login), 'fay']);
	expect(after(`UPDATE people SET team_id = 'harbour' WHERE login = 'fay'`).at(-1)).toMatchObject({ team: 'harbour' });
	expect(after(`UPDATE sites SET time_zone = 'Asia/Kathmandu' WHERE id = 'isle'`).at(-1)).toMatchObject({
		zone: 'Asia/Kathmandu'
	});
	expect(after(`DELETE FROM people WHERE login = 'fay'`)).toHaveLength(first.length);
});
