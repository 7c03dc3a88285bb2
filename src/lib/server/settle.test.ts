import { wholeDirectory } from './simulator/directory';
import { Lab } from './simulator/lab';
import { mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { beforeAll, describe, expect, test } from 'vitest';
import { readEstate } from '$lib/core/estate/read';
import type { Estate } from '$lib/core/estate/schema';
import { addressText } from '$lib/core/network/addresses';
import { FOREVER } from '$lib/core/time/units';
import { hoursById, poolsAt } from './pools';
import { linesAt, sheetAt } from './images';
import { grantsAt, publicationsAt } from './publications';
import { all, one, openDb, run, type Db } from './db';
import { vaultOf } from './vault';
import { settleEstate } from './settle';
import { writeHost } from './estate';
import { verifyData } from './verify';

/** The demo estate as declared, and what of it then stands in the database: nothing lost, nothing bent. */

const AT = Date.parse('2026-11-03T12:00:00Z');
let estate: Estate;
let db: Db;
beforeAll(() => {
	const folder = 'demo/kittiwake/';
	const read = readEstate(readFileSync(`${folder}estate.yaml`, 'utf8'), 'estate.yaml', (name) =>
		readFileSync(folder + name, 'utf8')
	);
	if ('problems' in read) throw new Error(read.problems[0]!.message);
	estate = read.estate;
	db = openDb(':memory:');
	settleEstate(db, estate, AT, {
		directory: wholeDirectory(estate, new Lab(estate).world),
		vault: vaultOf(Buffer.alloc(32))
	});
});

const count = (table: string) => one<{ n: number }>(db, `SELECT count(*) AS n FROM ${table}`)!.n;

describe('the demo estate', () => {
	test('is as large as it says it is', () => {
		expect(estate.directory.people.length).toBeGreaterThanOrEqual(1200);
		expect(estate.pools.reduce((n, p) => n + p.count, 0)).toBe(450);
		expect(estate.image_lines).toHaveLength(5);
		expect(estate.pools.length).toBeGreaterThanOrEqual(8);
	});

	test('stands whole in the database, and the database is sound', () => {
		expect(count('people')).toBe(new Lab(estate).world.people.size);
		expect(count('people')).toBeGreaterThanOrEqual(estate.directory.people.filter((p) => p.told === undefined).length);
		expect(count('teams')).toBe(estate.directory.teams.length);
		// What is still to be joined up is not there.
		const joined = new Set(estate.sites.filter((s) => s.joined).map((s) => s.id));
		expect(joined.size).toBeLessThan(estate.sites.length);
		expect(count('sites')).toBe(joined.size);
		expect(count('site_providers')).toBe(joined.size);
		expect(count('hosts')).toBe(estate.hosts.filter((x) => joined.has(x.site)).length);
		expect(count('volumes')).toBe(estate.volumes.filter((x) => joined.has(x.site)).length);
		expect(count('pools')).toBe(estate.pools.length);
		expect(count('grants')).toBe(estate.grants.length);
		expect(count('versions')).toBe(estate.image_lines.reduce((n, l) => n + l.versions.length, 0));
		expect(count('gateway_ports')).toBe(estate.gateways.reduce((n, g) => n + g.protocols.length, 0));
		// Machines are observed, not declared.
		expect(count('machines')).toBe(0);
		expect(verifyData(db)).toEqual([]);
	});

	test('keeps each pool with its size, policy and position', () => {
		const pools = poolsAt(db, AT);
		for (const declared of estate.pools) {
			const pool = pools.find((p) => p.id === declared.id)!;
			expect(pool).toMatchObject({
				name: declared.name,
				site: declared.site,
				line: declared.line,
				version: declared.version,
				perMachine: declared.sessions_per_machine,
				cores: declared.cores,
				memory: declared.memory,
				gpus: declared.gpus,
				disk: declared.disk,
				naming: declared.naming,
				network: declared.network,
				priceHour: Math.round(declared.price_hour * 100)
			});
			expect(pool.policy).toMatchObject({
				headroomIn: declared.policy.headroom_in,
				headroomOut: declared.policy.headroom_out,
				least: declared.policy.least,
				most: declared.policy.most,
				patience: declared.policy.patience,
				hours: hoursById(db).get(declared.policy.hours)
			});
		}
		expect(poolsAt(db, AT - 1)).toEqual([]);
	});

	test('keeps images with their contents, sheets and past runs', () => {
		const lines = linesAt(db, FOREVER - 1);
		for (const declared of estate.image_lines) {
			const line = lines.find((l) => l.id === declared.id)!;
			expect(line.versions.map((v) => v.number).sort()).toEqual(declared.versions.map((v) => v.number).sort());
			for (const v of declared.versions) {
				const kept = line.versions.find((x) => x.number === v.number)!;
				expect(kept).toMatchObject({ builtBy: v.by, held: v.held, builtAt: v.built });
				expect(kept.size).toBe(v.contents.reduce((n, c) => n + c.size, 0));
			}
			const sheet = sheetAt(db, declared.id, AT)!;
			expect(sheet.limit).toBe(declared.sheet.limit);
			expect(sheet.steps).toEqual(declared.sheet.steps.map((s) => s.step));
			const runs = all(db, 'SELECT 1 FROM step_runs WHERE line_id = ?', [declared.id]).length;
			expect(runs).toBe(declared.past_builds.reduce((n, b) => n + b.minutes.length, 0));
		}
	});

	test('keeps publications in their order and grants with their conditions', () => {
		expect(publicationsAt(db, AT).map((p) => p.id)).toEqual(estate.publications.map((p) => p.id));
		const payroll = grantsAt(db, AT).find((g) => g.publication === 'payroll')!;
		expect(payroll.conditions).toMatchObject({
			managedEndpoint: true,
			secondFactor: true,
			networks: ['10.0.0.0/8'],
			hours: { days: [1, 2, 3, 4, 5], from: 420, until: 1140 }
		});
		expect(grantsAt(db, AT).every((g) => g.toName.length > 0)).toBe(true);
	});

	test('nests every team within all those above it', () => {
		const parent = new Map(estate.directory.teams.map((t) => [t.id, t.parent]));
		for (const t of estate.directory.teams) {
			const above = new Set<string>();
			for (let x: string | undefined = t.id; x; x = parent.get(x)) above.add(x);
			const kept = all<{ above_id: string }>(db, 'SELECT above_id FROM team_nesting WHERE team_id = ?', [t.id]);
			expect(new Set(kept.map((k) => k.above_id))).toEqual(above);
		}
	});

	test('keeps addresses as numbers that read back', () => {
		const declared = estate.sites.flatMap((s) => s.networks);
		for (const n of all<{ id: string; first: number; last: number }>(db, 'SELECT * FROM networks')) {
			const d = declared.find((x) => x.id === n.id)!;
			expect([n.first, n.last]).toEqual([d.first, d.last]);
			expect(addressText(n.first)).toMatch(/^10\./);
		}
	});
});

describe('settling', () => {
	test('is all or nothing', () => {
		const other = openDb(':memory:');
		run(other, `INSERT INTO folders VALUES ('desks/bergen')`);
		expect(() =>
			settleEstate(other, estate, AT, {
				directory: wholeDirectory(estate, new Lab(estate).world),
				vault: vaultOf(Buffer.alloc(32))
			})
		).toThrow(/UNIQUE/);
		expect(one<{ n: number }>(other, 'SELECT count(*) AS n FROM sites')!.n).toBe(0);
		expect(one<{ n: number }>(other, 'SELECT count(*) AS n FROM people')!.n).toBe(0);
	});
	test('a database of a newer Sextant is refused, and left as it is', () => {
		const path = join(mkdtempSync(join(tmpdir(), 'sextant-')), 'sextant.db');
		const newer = openDb(path);
		newer.pragma('user_version = 999');
		newer.close();
		expect(() => openDb(path)).toThrow(/newer Sextant \(schema 999/);
		const untouched = new Database(path, { readonly: true });
		expect(untouched.pragma('user_version', { simple: true })).toBe(999);
		untouched.close();
	});
});

test('a host of a name that another site has is refused, not passed over', () => {
	const host = { name: one<{ name: string }>(db, 'SELECT name FROM hosts')!.name, cores: 4, memory: 8, gpus: 0 };
	expect(() => writeHost(db, 'bergen', host, 1)).toThrow(/UNIQUE/);
});
