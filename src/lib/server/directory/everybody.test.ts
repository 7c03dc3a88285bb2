import { expect, test } from 'vitest';
import { FOREVER } from '$lib/core/time/units';
import { run } from '../db';
import { Harness } from '../testing/harness';
import { everybody } from './everybody';

test('everybody is read once, and again when somebody comes, changes, goes, or a site changes its zone', async () => {
	const { db, lab } = await Harness.of();
	const first = everybody(db, lab.now);
	expect(first.find((p) => p.login === 'cleo')).toMatchObject({
		team: 'harbour',
		zone: 'Europe/Oslo',
		device: { certificate: 'none' }
	});
	expect(everybody(db, lab.now)).toBe(first);
	const after = (sql: string) => {
		const before = everybody(db, lab.now);
		run(db, sql);
		expect(everybody(db, lab.now)).not.toBe(before);
		return everybody(db, lab.now);
	};
	run(db, `INSERT INTO people(login, name, profile, address) VALUES ('fay', 'Fay Buoy', 0, '10.2.0.9')`);
	const came = after(
		`INSERT INTO person_facts(person_id, since, until, login, name, employment, site_id, pattern, begins, ends)
		 SELECT id, ${lab.now}, ${FOREVER}, 'fay', 'Fay Buoy', 'employee', 'isle', 'none', 0, ${FOREVER} FROM people WHERE login = 'fay'`
	);
	expect(came.map((p) => p.login)).toEqual([...first.map((p) => p.login), 'fay']);
	expect(
		after(`INSERT INTO memberships SELECT id, 'harbour', ${lab.now}, ${FOREVER}, 1 FROM people WHERE login = 'fay'`).at(
			-1
		)
	).toMatchObject({ team: 'harbour' });
	expect(after(`UPDATE sites SET time_zone = 'Asia/Kathmandu' WHERE id = 'isle'`).at(-1)).toMatchObject({
		zone: 'Asia/Kathmandu'
	});
	run(db, `DELETE FROM memberships WHERE team_id = 'harbour' AND since = ${lab.now}`);
	expect(after(`UPDATE person_facts SET ends = ${lab.now} WHERE login = 'fay'`)).toHaveLength(first.length);
});
