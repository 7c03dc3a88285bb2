import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from 'vitest';
import { readEstate } from '$lib/core/estate/read';
import { beginning, type Estate } from '$lib/core/estate/schema';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { actProblems } from './acts';
import { all, openDb, type Db } from './db';
import { makeHistory } from './history';
import type { Lab } from './simulator/lab';
import { Twin, type Aside, type Reached, type Told } from './simulator/twin';
import { verifyData } from './verify';
import { vaultOf } from './vault';

const folders: string[] = [];
afterAll(() => folders.forEach((f) => rmSync(f, { recursive: true, force: true })));

/** Two days of the test estate in which people reach web sites, rules change, machines come and go, and reports are made of who reached what. */
const WORKED = `${readFileSync('e2e/small.yaml', 'utf8').replace(/history_days: [\d.]+/, 'history_days: 2')}
operators:
  - { login: ida, name: Ida Rask, role: owner }
acts:
  - { at: 2026-11-16T09:00:00+01:00, by: ida, plan: pool.grow, input: { pool: isle, count: 1 } }
  - { at: 2026-11-16T09:11:30+01:00, by: ida, plan: report.run, input: { report: largest-transfers, why: asked by the board } }
  - { at: 2026-11-16T09:20:00+01:00, by: ida, plan: report.schedule, input: { report: largest-transfers, why: every morning, rule: FREQ=DAILY, begins: "2026-11-16T10:07", zone: Europe/Oslo } }
  - { at: 2026-11-16T11:00:00+01:00, by: ida, plan: report.run, input: { report: largest-transfers, why: at noon }, start: 2026-11-16T12:34:00+01:00 }
  - { at: 2026-11-16T11:47:00+01:00, by: ida, plan: access-rules.change, input: { edits: [{ put: { name: No films, decide: refuse, what: [category/films] } }] } }
  - { at: 2026-11-16T12:14:00+01:00, by: ida, plan: publication.change, input: { id: desk, name: My desk, internalName: Desk, pools: [isle] } }
  - { at: 2026-11-16T12:23:58+01:00, by: ida, plan: pool.remove, input: { pool: quay } }
`;
const NEWS = { reach: 'category/news', weight: 2, down: 1_000_000, up: 2000 };
const HABIT = { who: [], during: 'work' as const, busy: 0.6, asks: 4, says: [] };

function worked(): Estate {
	const read = readEstate(WORKED, 'worked.yaml', () => null, actProblems);
	if ('problems' in read) throw new Error(read.problems.map((p) => `${p.line}: ${p.path}: ${p.message}`).join('\n'));
	const { access } = read.estate;
	access.sites = {
		categories: new Map([
			['news', 'News'],
			['films', 'Films']
		]),
		// So many that something comes to its end each minute.
		sites: new Map([
			...Array.from({ length: 12 }, (_v, i) => [`news-${i}.example`, 'news'] as const),
			['films.example', 'films']
		])
	};
	access.habits = [{ ...HABIT, what: [NEWS, { ...NEWS, reach: 'category/films', weight: 1, down: 40_000_000 }] }];
	return read.estate;
}

/** A twin that does nothing before somebody waits for it, and then no more than has to be done. */
class Late implements Aside {
	private readonly twin: Twin;
	private readonly told: Told[] = [];
	private here: Reached[] = [];
	private upTo = -Infinity;
	/** How far behind it was when somebody came, at most, ms. */
	behind = 0;

	constructor(estate: Estate) {
		this.twin = new Twin(estate);
	}

	private liveUntil(come: () => boolean): void {
		while (this.told.length && !come()) {
			const next = this.told.shift()!;
			this.here.push(...this.twin.live(next));
			this.upTo = next.at;
		}
	}

	tell(told: Told): void {
		this.told.push(structuredClone(told));
	}

	async reached(at: number): Promise<Reached[]> {
		this.liveUntil(() => this.upTo >= at);
		this.behind = Math.max(this.behind, (this.told.at(-1)?.at ?? 0) - this.upTo);
		const reached = this.here.filter((o) => o.at <= at);
		this.here = this.here.filter((o) => o.at > at);
		return structuredClone(reached);
	}

	async standing() {
		this.liveUntil(() => false);
		return structuredClone(this.twin.standing);
	}
}

async function lived(estate: Estate, aside?: Aside): Promise<{ db: Db; lab: Lab }> {
	const folder = mkdtempSync(join(tmpdir(), 'sextant-test-history-'));
	folders.push(folder);
	const db = openDb(':memory:');
	const lab = await makeHistory(db, estate, vaultOf(Buffer.alloc(32)), folder, () => {}, aside);
	return { db, lab };
}

/** What is drawn by chance, or by the wall's clock, and what hangs on it; and how observations were numbered. */
const CHANCE: Record<string, readonly string[]> = {
	changes: ['before', 'hash'],
	site_providers: ['secret', 'join_secret'],
	record_entries: ['wall', 'before', 'hash']
};

/** The rows of a table, without what comes by chance. */
const rowsOf = (db: Db, table: string) =>
	all<Record<string, unknown>>(db, `SELECT * FROM "${table}"`)
		.filter((row) => !(table === 'settings' && row.key === 'observed') && row.kind !== 'record.head')
		.map((row) => Object.fromEntries(Object.entries(row).filter(([column]) => !CHANCE[table]?.includes(column))));

describe('a history', () => {
	test('comes out the same whether the lab or its twin works out what people reach', async () => {
		const estate = worked();
		const alone = await lived(estate);
		const aside = new Late(estate);
		const both = await lived(estate, aside);
		const tables = all<{ name: string }>(alone.db, `SELECT name FROM sqlite_master WHERE type = 'table'`);
		for (const { name } of tables) expect(rowsOf(both.db, name), name).toEqual(rowsOf(alone.db, name));
		// All that was to happen did, and the twin was behind where it may be.
		const kinds = all<{ kind: string; state: string }>(both.db, 'SELECT kind, state FROM plans');
		expect(kinds).toHaveLength(8);
		expect(kinds.every((p) => p.state === 'committed')).toBe(true);
		expect(all(both.db, 'SELECT * FROM report_runs WHERE rows > 0')).toHaveLength(3);
		expect(rowsOf(both.db, 'activity').length).toBeGreaterThan(100);
		expect(aside.behind).toBe(15 * MINUTE);
		expect(verifyData(both.db)).toEqual([]);

		// The lab has all that it needs to go on by itself.
		const onwards = ({ lab }: { lab: Lab }) => {
			lab.world.observations.length = 0;
			lab.advance(lab.now + 2 * HOUR);
			return lab.world.observations.map(({ seq: _, ...o }) => o);
		};
		const went = onwards(both);
		expect(went).toEqual(onwards(alone));
		expect(went.some((o) => o.kind === 'activity' && o.flows.length > 0)).toBe(true);
	});

	test('is not made where the twin has come to live another life', () => {
		const estate = worked();
		const twin = new Twin(estate);
		const at = beginning(estate) + HOUR;
		expect(() => twin.live({ command: null, at, happened: 3 })).toThrow('twin is at');
	});
});
