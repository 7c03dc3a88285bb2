import { beforeAll, describe, expect, test } from 'vitest';
import { FOREVER, HOUR } from '$lib/core/time/units';
import { Engine } from '../engine/engine';
import { configureBroker } from '../publishing';
import { tellAgents } from '../packages';
import { JobRunner } from '../engine/runner';
import { Harness, NEW_POOL, testEstate } from '../testing/harness';
import { keepPackage } from '../testing/packages';
import { askPage, PAGE_ROUTES, serveFrom } from '../testing/pages';
import { all, one, run } from './index';
import { isReadable, JSON_COLUMNS, unreadable, type JsonColumnName } from './json';
import { verifyData } from '../verify';

/** What a disk, a hand or another version may have left. */
const ODD = ['{', '5', 'null', '[null]', '{"a":1}', '"x"'];
const COLUMNS = Object.keys(JSON_COLUMNS) as JsonColumnName[];

let h: Harness;
beforeAll(async () => {
	h = await Harness.of(testEstate());
	serveFrom(h);
	keepPackage(h, 'logline', '1.0.0');
	keepPackage(h, 'gaugetalk', '1.0.0');
	await h.live(2 * HOUR, 20_000);
	await h.carryOut('role.put', { name: 'Night desk', rights: { sessions: 'commit', estate: 'read' } });
	await h.carryOut('report.put', {
		name: 'Machines',
		question: 'Which are there?',
		source: 'machines',
		columns: ['name', 'state'],
		group: { column: 'state', by: 'value' },
		chart: 'rows'
	});
	await h.carryOut('report.run', { report: 'machines' });
	run(
		h.db,
		`INSERT INTO unusual_activity(person_id, hour, bits, aspects, found_at)
		 SELECT min(id), 1, 13, '[{"aspect":"hour","bits":13,"words":"x"}]', ? FROM people`,
		[h.lab.now]
	);
	await h.carryOut('pool.create', NEW_POOL);
	await h.carryOut('package.deliver', { package: 'logline', pools: ['quay'], version: '1.0.0' });
	await h.draft('policy.set', { pool: 'quay', patience: 20 * 60_000 });
	await h.carryOut('schedule.add', {
		title: 'Weekly',
		kind: 'image.rebuild',
		input: { line: 'desk' },
		rule: 'FREQ=WEEKLY',
		zone: 'Europe/Oslo',
		begins: '2026-12-01T03:00'
	});
	run(
		h.db,
		`INSERT INTO consents(plan_id, asked_at, by, by_kind, by_id, via, why) SELECT max(id), 1, 'x', 'operator', 1, 'screen', '[{"words":"because"}]' FROM plans`
	);
	const system = JSON.stringify({ name: 'Fjord', version: '7', users: 'single' });
	run(h.db, 'INSERT INTO package_vouches VALUES (?, ?, ?, ?, ?, ?)', ['logline', '1.0.0', system, 'x', 1, 'y']);
	run(
		h.db,
		`INSERT INTO captures(name, by, since, until, state, system, summary) VALUES ('a', 'x', ?, ?, 'sorted', ?, 'null')`,
		[h.lab.now - HOUR, 9007199254740991, system]
	);
	run(h.db, `INSERT INTO joinings(by, since, until, answers) VALUES ('x', ?, 9007199254740991, '{}')`, [h.lab.now]);
	run(h.db, `INSERT INTO package_clashes VALUES ('gaugetalk', 'logline', 1, 9007199254740991, 1, '{"file":1}', '[]')`);
	run(h.db, `INSERT INTO warm_ups VALUES ('logline', '1.0.0', 1, 9007199254740991, '[]', 'x')`);
	run(
		h.db,
		`INSERT INTO follow_rules VALUES ('pool/quay', 1, 9007199254740991, '{"takes":"newest"}', '"next start"', NULL)`
	);
	run(h.db, `INSERT INTO coming_moves SELECT min(id), 1e13, 1, 9007199254740991, 'isle', '["harbour"]' FROM people`);
	run(
		h.db,
		`INSERT INTO handovers SELECT max(id), 1, ${FOREVER}, 'agreed', 'ask', 'x', min(id), 'remove', 30, '{"answersFor":[],"reports":[],"schedules":[]}', 'x' FROM people`
	);
	run(h.db, `INSERT INTO own_settings VALUES (0, '{"id":"sonar.range","type":{"is":"switch"}}')`);
	run(
		h.db,
		`INSERT INTO settings_groups VALUES ('a', 1, ${FOREVER}, 'A', '', 100, '{"lock.after":"5 min"}', '["everything"]', '["machines"]', 'x')`
	);
	run(
		h.db,
		`INSERT INTO private_services VALUES ('depot', 1, ${FOREVER}, 'Depot', NULL, '["10.1.0.9/32"]', '["443"]', 'tcp', 'x', NULL)`
	);
	run(h.db, `INSERT INTO site_holidays VALUES ('quay', 1, ${FOREVER}, '[{"day":"2026-12-24","name":""}]', 'x')`);
	run(h.db, `INSERT INTO relied_services VALUES ('desk', 1, ${FOREVER}, '["depot"]', 'x')`);
	run(h.db, `INSERT INTO access_rules VALUES ('depot', 1, ${FOREVER}, '{"id":"depot","decide":"allow"}', 'x')`);
	run(h.db, `DELETE FROM access_rulebook`);
	run(
		h.db,
		`INSERT INTO access_rulebook VALUES ('book', 1, ${FOREVER}, '["depot"]', '[{"name":"a","who":"team/harbour","what":"service/depot","expect":"allow"}]', 'allow', 'refuse', 'x', 'allow')`
	);
	run(h.db, `INSERT INTO kept_pools VALUES ('quay', 1, ${FOREVER}, 'harbour', '{"employment":"nobody"}', 1, 'x')`);
	fill();
});

/** A row of each table that two hours of this estate do not come to. */
function fill(): void {
	const now = h.lab.now;
	const job = one<{ id: number; plan: number }>(h.db, 'SELECT id, plan_id AS plan FROM jobs LIMIT 1')!;
	const machine = one<{ id: number; name: string }>(h.db, 'SELECT id, name FROM machines LIMIT 1')!;
	const person = one<{ id: number }>(h.db, 'SELECT id FROM people LIMIT 1')!.id;
	const sheet = one<{ body: string }>(h.db, 'SELECT body FROM sheets LIMIT 1')!.body;
	const facts = '[{"words":"because"}]';
	run(h.db, 'UPDATE versions SET sheet = ?', [sheet]);
	run(h.db, `UPDATE plans SET refused = ? `, [facts]);
	run(
		h.db,
		`UPDATE publications SET app = '{"package":"logline","target":"logline-main"}' WHERE id = (SELECT max(id) FROM publications)`
	);
	run(h.db, `INSERT INTO builds VALUES (NULL, 'desk', '1.9.0', ?, 'done', 0, ?, 1, 2, 'x', '')`, [sheet, job.id]);
	run(h.db, `INSERT INTO waits VALUES (?, 'desk', '["quay"]', ?, ${FOREVER})`, [person, now - 1000]);
	run(
		h.db,
		`INSERT INTO findings(kind, subject_kind, subject_id, since, until, title, people, facts, remedy)
		 VALUES ('runaway machine', 'machine', ?, ?, ${FOREVER}, 'x', 0, ?, '{"kind":"machine.restart","input":{},"words":"x"}')`,
		[machine.name, now - 1000, facts]
	);
	run(h.db, `INSERT INTO moves VALUES (NULL, ?, 'desk', '1.0.0', '1.0.1', 1, 2, 'it broke', ?, 0)`, [
		machine.id,
		facts
	]);
	run(h.db, `INSERT INTO openings VALUES (7, 'desk', '1.0.0', 'x', 'x', NULL, ?, ${FOREVER}, NULL)`, [now - 1000]);
	run(h.db, `INSERT INTO opening_lines VALUES (7, 1, ?, 'x', 'help', '["a"]')`, [now - 500]);
	run(h.db, `INSERT INTO trials VALUES ('desk', '1.0.0', 1, 1, 1, '[{"asks":"a","ok":true,"saw":"b"}]', ?)`, [job.id]);
	run(
		h.db,
		`INSERT INTO shipments VALUES (NULL, ?, 'desk', '1.0.0', 'quay', '{"sites":["quay"],"from":0,"until":60,"share":1,"nights":1}', 'x', 1, ${FOREVER}, NULL, NULL)`,
		[job.id]
	);
	const settings = JSON.stringify(JSON_COLUMNS['rollouts.settings'].instead());
	run(h.db, `INSERT INTO rollouts VALUES (3, ?, 'desk', '1.0.0', ?, 'x', 1, NULL, 'running', 0, NULL)`, [
		job.id,
		settings
	]);
	run(h.db, `INSERT INTO rollout_gates VALUES (3, 0, 1, 'go on', ?)`, [facts]);
	run(h.db, `INSERT OR REPLACE INTO attachments VALUES (?, 'logline', '1.0.0', 1, ${FOREVER}, 'attached', ?)`, [
		machine.id,
		facts
	]);
	run(h.db, `INSERT INTO attach_failures VALUES (?, 'logline', '1.0.0', 1, ${FOREVER}, 'disk', ?, 1)`, [
		machine.id,
		facts
	]);
	run(
		h.db,
		`INSERT INTO package_trials VALUES (NULL, 'logline', '1.0.0', 1, 'x', NULL, 'ada', 'desk', '1.0.0', 1, '{"passed":true,"targets":[],"warmUp":[]}')`
	);
}

const textOf = (column: JsonColumnName) => column.split('.') as [string, string];

/** Everything that Sextant does when it starts, and in a minute. */
async function startAndShow(): Promise<string[]> {
	const wrong: string[] = [];
	await configureBroker(h.ctx);
	await tellAgents(h.ctx);
	const engine = new Engine(h.ctx);
	new JobRunner(
		h.ctx,
		() => {},
		async () => {}
	).tick();
	h.server.advance(h.lab.now + 60_000);
	await engine.observe();
	await engine.minute(h.lab.now);
	for (const [part, trouble] of engine.troubles) wrong.push(`${part}: ${trouble.words}`);
	for (const { file, id } of PAGE_ROUTES) {
		if (id.includes('[') || id.includes('portal') || id.includes('welcome')) continue;
		const asked = await askPage(file, '/?card=pool/quay');
		if (asked.status === null) wrong.push(`${id}: ${(asked.error as Error).stack}`);
	}
	return wrong;
}

test('as it is, everything is readable, starts and shows', async () => {
	expect(unreadable(h.db, true)).toEqual([{ column: 'captures.summary', rows: 1 }]);
	expect(await startAndShow()).toEqual([]);
});

test('the estate of this test has something in every column', () => {
	const empty = COLUMNS.filter((column) => {
		const [table, name] = textOf(column);
		return all(h.db, `SELECT 1 FROM ${table} WHERE ${name} IS NOT NULL LIMIT 1`).length === 0;
	});
	expect(empty).toEqual([]);
});

describe('a column of JSON that nobody can read', () => {
	test.each(COLUMNS)('%s: Sextant starts, acts and shows, and says what it cannot read', async (column) => {
		const [table, name] = textOf(column);
		for (const odd of ODD) {
			h.db.exec('SAVEPOINT odd');
			try {
				h.db.exec('DROP TRIGGER IF EXISTS changes_stay');
				const { changes } = run(h.db, `UPDATE ${table} SET ${name} = ?`, [odd]);
				if (changes > 0 && !isReadable(column, odd)) {
					expect(unreadable(h.db, true)).toContainEqual({ column, rows: changes });
					expect(verifyData(h.db).join('\n')).toContain(`${table}: ${name}`);
				}
				expect(await startAndShow(), `${column} is ${odd}`).toEqual([]);
			} finally {
				h.db.exec('ROLLBACK TO odd; RELEASE odd');
			}
		}
	});

	test('all columns that look like JSON are declared', () => {
		const columns = all<{ column: string }>(
			h.db,
			`SELECT m.name || '.' || c.name AS "column" FROM sqlite_master m, pragma_table_info(m.name) c WHERE m.type = 'table' AND c.type = 'TEXT'`
		).map((c) => c.column);
		const undeclared = columns.filter((column) => {
			if (column in JSON_COLUMNS) return false;
			const [table, name] = column.split('.');
			const values = all<{ value: string }>(
				h.db,
				`SELECT ${name} AS value FROM ${table} WHERE ${name} LIKE '[%' OR ${name} LIKE '{%' LIMIT 20`
			);
			return values.length > 0;
		});
		expect(undeclared).toEqual([]);
	});
});
