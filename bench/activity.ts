import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { openDb, putSetting, run, type Db } from '$lib/server/db';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { packDay } from '$lib/server/activity/packed';
import { hitsByRule, reachedBy, totalsOf } from '$lib/server/activity/queries';
import { sumUp } from '$lib/server/activity/rolling';
import { COLUMNS, ROLLED, takeActivity } from '$lib/server/activity/write';
import type { Flow } from '$lib/server/providers';

type Report = (name: string, value: number, unit: string, aim: string, met: boolean) => void;
type Median = (work: () => unknown, n?: number) => number;

const ROWS = 20_000_000;
const PEOPLE = 2500;
const DAYS = 400;
const TARGETS = 3000;
/** People who are there in an hour. */
const AT_ONCE = 400;
const START = Date.UTC(2026, 0, 1);

/** Batches of what is told in a minute. */
const BATCHES = 300;
const BATCH = 500;

const flowsOf = (batch: number): Flow[] =>
	Array.from({ length: BATCH }, (_v, i): Flow => {
		const n = batch * BATCH + i;
		const until = START + batch * MINUTE;
		return {
			person: `p${(n * 7919) % PEOPLE}`,
			endpoint: null,
			machine: `m${n % 400}`,
			address: `10.1.${n % 8}.${n % 250}`,
			target: { kind: 'site', name: `s${(n * 104_729) % TARGETS}.example` },
			way: 'device',
			rule: `r${n % 40}`,
			effect: 'allow',
			through: true,
			asked: null,
			since: until - 5 * MINUTE,
			until,
			decisions: 12,
			down: 40_000,
			up: 2000
		};
	});

/** As quickly as rows of the same columns can be written at all: prepared once, a batch in one transaction, nothing looked up. */
function bare(folder: string, table: 'activity' | 'activity_now', batches: readonly Flow[][]): number {
	const db = openDb(join(folder, `bare-${table}.db`));
	const insert = db.prepare(`INSERT INTO ${table}(${COLUMNS}) VALUES (${Array(17).fill('?').join()})`);
	let id = 1;
	const began = performance.now();
	for (const flows of batches)
		db.transaction(() => {
			for (const [i, f] of flows.entries()) {
				const { since, until, decisions, down, up } = f;
				insert.run(
					Math.floor(until / HOUR),
					((id * 7919) % PEOPLE) + 1,
					id++,
					since,
					until,
					(i % TARGETS) + 1,
					(i % 40) + 1,
					0,
					1,
					null,
					0,
					null,
					1,
					(i % 8) + 1,
					decisions,
					down,
					up
				);
			}
		}).immediate();
	const took = performance.now() - began;
	db.close();
	return took;
}

/** The same through what takes it in: each row looked at, and names looked up; and how long hours take to be summed up as they end. */
function taken(folder: string, batches: readonly Flow[][]): { taking: number; summing: number } {
	const db = openDb(join(folder, 'taken.db'));
	const known = {
		machine: (name: string) => Number(name.slice(1)) + 1,
		person: (login: string) => Number(login.slice(1)) + 1
	};
	let summing = 0;
	const began = performance.now();
	batches.forEach((flows, n) => {
		const at = START + n * MINUTE;
		db.transaction(() => takeActivity(db, { kind: 'activity', seq: n, at, flows }, known))();
		if (n % 10 > 0) return;
		const before = performance.now();
		sumUp(db, at);
		summing += performance.now() - before;
	});
	const took = performance.now() - began;
	db.close();
	return { taking: took - summing, summing };
}

/** Four hundred days of an organisation, with the sums of its hours. */
function years(db: Db): void {
	db.transaction(() => {
		for (let i = 1; i <= TARGETS; i++)
			run(db, "INSERT INTO reached_targets VALUES (?, 'site', ?)", [i, `s${i}.example`]);
		for (let i = 1; i <= 40; i++) run(db, 'INSERT INTO reached_rules VALUES (?, ?)', [i, `r${i}`]);
		for (let i = 1; i <= 8; i++) run(db, 'INSERT INTO reached_from VALUES (?, ?)', [i, `10.1.${i}.1`]);
		const hour = START / HOUR;
		const each = Math.round(ROWS / (DAYS * 24));
		// Each hour another part of the people is there.
		db.prepare(
			`WITH RECURSIVE h(h) AS (SELECT 0 UNION ALL SELECT h + 1 FROM h WHERE h < ${DAYS * 24 - 1}), n(n) AS (SELECT 0 UNION ALL SELECT n + 1 FROM n WHERE n < ${each - 1})
			 INSERT INTO activity SELECT ${hour} + h, (n * ${AT_ONCE} / ${each} + h * 53) % ${PEOPLE} + 1, h * ${each} + n, (${hour} + h) * ${HOUR} + n * 1000, (${hour} + h) * ${HOUR} + n * 1000 + 60000,
				(n * 104729 + h) % ${TARGETS} + 1, n % 40 + 1, 0, n % 30 > 0, NULL, 0, NULL, NULL, n % 8 + 1, 12, 40000, 2000 FROM h, n`
		).run();
		for (const [of, key] of [
			['person', 'person_id'],
			['rule', 'rule_id']
		])
			run(
				db,
				`INSERT INTO activity_${of}_hours(${key}, hour, decisions, refused, down, up) SELECT ${key}, hour, sum(decisions), 0, sum(down), sum(up) FROM activity GROUP BY hour, ${key}`
			);
		putSetting(db, ROLLED, String(hour + DAYS * 24 - 1));
		// Of the days that are looked at, and of the one that is not over yet.
		run(
			db,
			`INSERT INTO activity_days(day, rule_id, target_id, person_id, through, from_id, way, decisions, down, up)
			 SELECT hour / 24, rule_id, target_id, person_id, through, from_id, way, sum(decisions), sum(down), sum(up) FROM activity WHERE hour >= ?
			 GROUP BY hour / 24, rule_id, target_id, person_id, through, from_id, way`,
			[hour + (DAYS - 31) * 24]
		);
	})();
	for (let n = 0; n < 31; n++) packDay(db);
}

/** What people reached: how quickly it is written down, and found again among twenty million rows. */
export function activityBench(report: Report, median: Median): void {
	const folder = mkdtempSync(join(tmpdir(), 'sextant-bench-activity-'));
	try {
		const batches = Array.from({ length: BATCHES }, (_v, n) => flowsOf(n));
		const runs = Array.from({ length: 5 }, () => {
			const own = mkdtempSync(join(folder, 'run-'));
			// Put at once where it is found by whom it is of; or to the end of a heap, which finds nothing.
			const kept = bare(own, 'activity', batches);
			const heap = bare(own, 'activity_now', batches);
			const { taking, summing } = taken(own, batches);
			return { taken: kept / taking, whole: kept / (taking + summing), heap: heap / taking };
		});
		const middle = (of: (r: (typeof runs)[number]) => number) => runs.map(of).sort((a, b) => a - b)[2]!;
		const share = middle((r) => r.taken);
		report('activity taken in, of what a bare batched insert does', share * 100, '%', 'at least 70', share >= 0.7);
		const whole = middle((r) => r.whole);
		const heap = middle((r) => r.heap);
		report('the same, of a bare insert into a heap', heap * 100, '%', 'at least 70', heap >= 0.7);
		report('with its hours put in order and summed up', whole * 100, '%', 'at least 70', whole >= 0.7);
		const db = openDb(join(folder, 'years.db'));
		// It is thrown away: nothing of it has to outlast a crash.
		for (const pragma of ['journal_mode = OFF', 'synchronous = OFF', 'cache_size = -400000']) db.pragma(pragma);
		years(db);
		const at = START + DAYS * DAY - 1;
		let person = 0;
		let found = 0;
		const look = median(() => {
			person = (person + 397) % PEOPLE;
			found = reachedBy(db, person + 1, at, 30, 100_000).length;
		}, 31);
		if (found < 400) throw new Error(`${found} rows of thirty days are too few to tell anything`);
		report(
			`what one person did in 30 days (${found} rows) of ${ROWS / 1e6} million`,
			look,
			'ms',
			'under 50',
			look < 50
		);
		const rules = median(() => hitsByRule(db, at, 30), 15);
		report('what each rule decided in 30 days of the same', rules, 'ms', 'under 50', rules < 50);
		const asked = { at, days: 30, people: null };
		const seen = totalsOf(db, asked);
		if (seen.all.people !== PEOPLE || seen.targets.size !== TARGETS) throw new Error('not everybody was counted');
		const sums = median(() => totalsOf(db, asked), 15);
		report('who reached what in 30 days, by rule and target, of the same', sums, 'ms', 'under 300', sums < 300);
		run(db, 'DELETE FROM activity_packed');
		const rows = median(() => totalsOf(db, asked), 3);
		report('the same row by row, against packed days', rows / sums, '×', 'over 3', rows / sums > 3);
		db.close();
	} finally {
		rmSync(folder, { recursive: true, force: true });
	}
}
