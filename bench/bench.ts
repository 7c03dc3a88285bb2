import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { stringify } from 'yaml';
import { generateEstate } from '$lib/core/estate/generate';
import { readEstate } from '$lib/core/estate/read';
import type { Estate } from '$lib/core/estate/schema';
import { parseScope } from '$lib/core/scope/scope';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { openDb, type Db } from '$lib/server/db';
import { settleEstate } from '$lib/server/settle';
import { configureBroker } from '$lib/server/publishing';
import { Engine } from '$lib/server/engine/engine';
import { vaultOf } from '$lib/server/vault';
import { makePacker } from '$lib/server/packing/packer';
import { Observer } from '$lib/server/engine/observer';
import { beginning } from '$lib/core/estate/schema';
import { wholeDirectory } from '$lib/server/simulator/directory';
import { Lab } from '$lib/server/simulator/lab';
import { LabServer } from '$lib/server/simulator/server';
import { buildBench } from './build';
import { forecastBench } from './forecast';
import { growthBench } from './growth';
import { flood, loadBench } from './load';
import { packagesBench } from './packages';
import { endpointsBench } from './endpoints';
import { secureBench } from './secure';
import { activityBench } from './activity';
import { settingsBench } from './settings';
import { peopleBench } from './people';
import { drawCell, drawCells } from '$lib/ui/marks/cells';
import { cellsAt, figuresAt, machinesPage, sessionsPage } from '$lib/server/watch';
import type { PageAsk } from '$lib/server/lists/kind';

/** Measures Sextant as ratios in one run: against the same query written bare, the same rows inserted bare. */

const PEOPLE = Number(process.env.BENCH_PEOPLE ?? 50_000);
const MACHINES = Number(process.env.BENCH_MACHINES ?? 20_000);
const results: { name: string; value: number; unit: string; aim: string; met: boolean }[] = [];

let estate: Estate;
let folder: string;
let lab: Lab;

function report(name: string, value: number, unit: string, aim: string, met: boolean): void {
	results.push({ name, value: Number(value.toFixed(3)), unit, aim, met });
	console.log(`${met ? 'met   ' : 'MISSED'}  ${name.padEnd(62)} ${value.toFixed(2)} ${unit}   (aim: ${aim})`);
}

/** Median time of a call in ms: warmed up, then `n` times. */
function median(work: () => unknown, n = 15): number {
	// Warm: as a server that has been up for a while does it.
	const warm = performance.now();
	for (let i = 0; i < 3 || performance.now() - warm < 200; i++) work();
	const times = Array.from({ length: n }, () => {
		const began = performance.now();
		work();
		return performance.now() - began;
	}).sort((a, b) => a - b);
	return times[Math.floor(n / 2)]!;
}

if (process.argv[2] === 'flood') {
	await flood(process.argv[3]!);
	process.exit();
}

/** What can be measured by itself: `npm run bench -- AREA`. Without one, everything but `load` and `growth`, which take servers and estates of their own. */
const AREAS = [
	'forecast',
	'cells',
	'lists',
	'samples',
	'build',
	'packages',
	'people',
	'endpoints',
	'settings',
	'secure',
	'load',
	'growth'
] as const;
const area = process.argv[2];
if (area !== undefined && !(AREAS as readonly string[]).includes(area)) {
	console.error(`There is no bench called ${area}: choose one of ${AREAS.join(', ')}.`);
	process.exit(2);
}
const wanted = (name: (typeof AREAS)[number]) =>
	area === name || (area === undefined && name !== 'load' && name !== 'growth');

if (wanted('load')) await loadBench(report);
if (wanted('growth')) await growthBench(report);
if (wanted('forecast')) forecastBench(report);
if (wanted('cells')) await cells();
if (wanted('people')) await peopleBench(report, median);
if (wanted('endpoints')) endpointsBench(report, median);
if (wanted('settings')) settingsBench(report, median);
if (wanted('secure')) await secureBench(report, median);
if (wanted('secure')) activityBench(report, median);
if (wanted('lists') || wanted('samples') || wanted('build') || wanted('packages')) await overAnEstate();
writeResults();
process.exit(results.every((r) => r.met) || area === undefined ? 0 : 1);

/** What is measured over an estate that has been lived in. */
async function overAnEstate(): Promise<void> {
	folder = mkdtempSync(join(tmpdir(), 'sextant-bench-'));
	console.log(
		`An estate of ${PEOPLE} people and ${MACHINES} machines is made and lived in (some minutes at the full size) …`
	);
	const read = readEstate(stringify(generateEstate(PEOPLE, MACHINES, 1)), 'bench.yaml', () => null);
	if ('problems' in read) throw new Error(read.problems[0]!.message);
	({ estate } = read);
	estate.lab.opens = Date.parse('2026-11-17T10:00:00+01:00');
	estate.lab.history_days = 4 / 24;

	const db = openDb(join(folder, 'bench.db'));
	db.pragma('synchronous = OFF');
	const { labMs, lived, ...made } = await live(db);
	lab = made.lab;
	db.pragma('optimize');
	const personDays = (PEOPLE * lived) / (24 * HOUR);
	console.log(
		`The lab lived ${(lived / HOUR).toFixed(1)} h; ${one(db, 'SELECT count(*) AS n FROM sessions')} sessions, ${one(db, 'SELECT count(*) AS n FROM samples_1m')} samples.\n`
	);
	report(
		'lab speed, simulated person-days a second',
		personDays / (labMs / 1000),
		'person-days/s',
		'over 100',
		personDays / (labMs / 1000) > 100
	);

	if (wanted('lists')) queries(db);
	if (wanted('samples')) inserts(db);
	if (wanted('build')) await buildBench(db, lab.now, report, median);
	if (wanted('packages')) await packagesBench(report, median);
	db.close();
	rmSync(folder, { recursive: true, force: true });
}

function one(d: Db, sql: string): number {
	return (d.prepare(sql).get() as { n: number }).n;
}

/** Lives the history through, as the server does; time spent in the lab is measured apart. */
async function live(d: Db) {
	const world = new Lab(estate);
	const server = new LabServer(world);
	const from = beginning(estate);
	const vault = vaultOf(Buffer.alloc(32, 1));
	settleEstate(d, estate, from, { directory: wholeDirectory(estate, world.world), vault });
	const ctx = {
		db: d,
		providers: server.providers,
		clock: { now: () => world.now, speed: () => 0 },
		vault,
		packer: makePacker(folder)
	};
	const engine = new Engine(ctx);
	engine.observer.keepMinutesFrom = estate.lab.opens - 10 * MINUTE;
	await engine.observe();
	await configureBroker(ctx);
	let spent = 0;
	while (world.now < estate.lab.opens) {
		const began = performance.now();
		server.advance(Math.min(estate.lab.opens, world.now + MINUTE));
		spent += performance.now() - began;
		await engine.observe();
		await engine.minute(world.now, { sweepEvery: 60 * MINUTE, forecast: false });
	}
	return { lab: world, labMs: spent, lived: estate.lab.opens - from };
}

function queries(d: Db): void {
	const now = lab.now;
	const bare = new Database(join(folder, 'bench.db'), { readonly: true });
	bare.pragma('cache_size = -65536');
	bare.pragma('mmap_size = 268435456');
	const sampled = Math.floor(now / MINUTE) * MINUTE;
	const ask = (scope: string, at: number, sort: string): PageAsk => ({
		at,
		scope: parseScope(scope).scope,
		sort,
		descending: true,
		limit: 100,
		offset: 0
	});

	const columns = `m.id, m.name, m.pool_id, m.site_id, h.name, pl.line_id, pl.version, pl.address, st.state, st.since,
		(SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.since <= @at AND s.until > @at) AS sessions, x.strain, x.cores, x.memory`;
	const from = `FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.since <= @at AND pl.until > @at JOIN hosts h ON h.id = pl.host_id
		JOIN machine_states st ON st.machine_id = m.id AND st.since = (SELECT max(since) FROM machine_states y WHERE y.machine_id = m.id AND y.since <= @at)
		LEFT JOIN samples_1m x ON x.at = @sampled AND x.machine_id = m.id WHERE m.since <= @at AND m.until > @at`;
	const compare = (name: string, ours: () => unknown, sql: string, count: string, params: Record<string, unknown>) => {
		const rows = bare.prepare(sql);
		const total = bare.prepare(count);
		const a = median(ours);
		const b = median(() => [rows.all(params), total.get(params)]);
		report(`${name}: server time against the bare query`, a / b, '×', 'under 1.5', a / b < 1.5);
		report(`${name}: server time`, a, 'ms', 'under 60', a < 60);
	};
	const at = { at: now, sampled };
	compare(
		'machine list by strain',
		() => machinesPage(d, ask('', now, 'strain')),
		`SELECT ${columns} ${from} ORDER BY x.strain DESC, m.name LIMIT 100`,
		`SELECT count(*) ${from}`,
		at
	);
	compare(
		'scope query: a site by sessions',
		() => machinesPage(d, ask('site:north', now, 'sessions')),
		`SELECT ${columns} ${from} AND m.site_id = 'north' ORDER BY sessions DESC, m.name LIMIT 100`,
		`SELECT count(*) ${from} AND m.site_id = 'north'`,
		at
	);
	const past = { at: now - HOUR, sampled: sampled - HOUR };
	compare(
		'as-of query: the list an hour ago',
		() => machinesPage(d, ask('', now - HOUR, 'name')),
		`SELECT ${columns} ${from} ORDER BY m.name DESC LIMIT 100`,
		`SELECT count(*) ${from}`,
		past
	);

	const sessions = median(() => sessionsPage(d, ask('', now, 'signin')), 7);
	console.log(
		`        session list (not aimed at): ${sessions.toFixed(0)} ms; figures of the scope line: ${median(() => figuresAt(d, parseScope('').scope, now), 5).toFixed(0)} ms; cells: ${median(() => cellsAt(d, parseScope('').scope, now), 5).toFixed(0)} ms`
	);
	bare.close();
}

function inserts(d: Db): void {
	const path = join(folder, 'bare.db');
	const bare = new Database(path);
	bare.pragma('journal_mode = WAL');
	bare.pragma('synchronous = OFF');
	bare.pragma('cache_size = -65536');
	bare.pragma('mmap_size = 268435456');
	bare.exec(
		'CREATE TABLE samples_1m(at INTEGER NOT NULL, machine_id INTEGER NOT NULL, cores INTEGER NOT NULL, memory INTEGER NOT NULL, disk INTEGER NOT NULL, gpu INTEGER NOT NULL, input INTEGER NOT NULL, trip INTEGER NOT NULL, sessions INTEGER NOT NULL, strain INTEGER NOT NULL, PRIMARY KEY (at, machine_id)) STRICT, WITHOUT ROWID'
	);
	const insert = bare.prepare('INSERT OR REPLACE INTO samples_1m VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)');
	const observer = new Observer(d);
	const names = [...observer.machines.keys()];
	const values = new Float64Array(names.length * 7).map((_v, i) =>
		i % 7 === 3 ? -1 : i % 7 === 6 ? 2 : (i % 97) / 100
	);
	const rounds = 20;
	const ids = [...observer.machines.values()].map((m) => m.id);
	const first = Math.ceil(lab.now / (15 * MINUTE)) * 15 * MINUTE + MINUTE;
	const time = (work: (round: number) => void) => {
		const began = performance.now();
		for (let i = 0; i < rounds; i++) work(i);
		return performance.now() - began;
	};
	// Turn about, so that neither has the warmer disk.
	let ours = 0;
	let theirs = 0;
	for (let turn = 0; turn < 3; turn++) {
		theirs += time((i) =>
			bare.transaction(() =>
				ids.forEach((id, k) =>
					insert.run(first + (turn * rounds + i) * 1000, id, 10 + (k % 900), 300, 900, -1, 18_000, 3000, 2, 14)
				)
			)()
		);
		ours += time((i) =>
			observer.take([
				{
					seq: observer.seq + 1,
					at: first + (turn * rounds + i) * 1000,
					kind: 'samples',
					machines: names,
					values,
					hosts: [],
					hostValues: new Float64Array()
				}
			])
		);
	}
	const rate = (ms: number) => (3 * rounds * names.length) / (ms / 1000);
	report(
		`samples stored a second (${Math.round(rate(ours) / 1000)} thousand) against bare batched inserts`,
		rate(ours) / rate(theirs),
		'×',
		'over 0.85',
		rate(ours) / rate(theirs) > 0.85
	);
	bare.close();
	if (one(d, `SELECT count(*) AS n FROM machines WHERE until = ${FOREVER}`) !== names.length)
		throw new Error('machines were lost');
}

/** Draws every machine as a level cell in a real browser, as Today does, and takes the median time of a drawing. */
async function cells(): Promise<void> {
	const executablePath = [process.env.CHROMIUM, '/usr/bin/chromium-headless-shell', '/usr/bin/chromium'].find(
		(p) => p && existsSync(p)
	);
	if (!executablePath) {
		console.log('        level cells are not measured: there is no Chromium here (npm test installs it)');
		return;
	}
	const { chromium } = await import('@playwright/test');
	const browser = await chromium.launch({
		executablePath,
		args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run']
	});
	const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
	const { whole, next } = await page.evaluate(
		([grid, cell, count]) => {
			const draw = new Function(`return ${grid}`)() as typeof drawCells;
			const drawOne = new Function(`return ${cell}`)() as typeof drawCell;
			const marks = ['use', 'ready', 'off', 'starting', 'trouble'] as const;
			const list = Array.from({ length: Number(count) }, (_, i) => ({
				mark: marks[i % 17 === 0 ? 4 : i % 4]!,
				strain: (i * 7) % 100
			}));
			const canvas = document.createElement('canvas');
			canvas.width = 1200;
			canvas.height = Math.ceil(list.length / 109) * 11;
			document.body.append(canvas);
			const g = canvas.getContext('2d')!;
			const paint = {
				sheet: '#fff',
				sea: '#0a5c7d',
				sea2: '#5b9cb5',
				sand: '#8a5f10',
				buoy: '#b83f17',
				off: '#ddd8cb'
			};
			const middle = (ms: number[]) => ms.sort((a, b) => a - b)[Math.floor(ms.length / 2)]!;
			const timed = (kept: object) => {
				const began = performance.now();
				draw(g, list, { columns: 109, size: 9, gap: 2, ratio: 1 }, paint, kept, drawOne);
				// Reading a pixel back waits until everything has been drawn.
				g.getImageData(0, 0, 1, 1);
				return performance.now() - began;
			};
			const kept: { image?: ImageData } = {};
			timed(kept);
			const whole = middle(Array.from({ length: 15 }, () => timed({ image: kept.image })));
			const next = Array.from({ length: 25 }, (_, turn) => {
				// As a live view moves on: one in ten looks otherwise than before, all over the estate.
				for (let i = turn % 10; i < list.length; i += 10) list[i] = { mark: 'use', strain: (i * 7 + turn * 13) % 100 };
				return timed(kept);
			});
			return { whole, next: middle(next) };
		},
		[drawCells.toString(), drawCell.toString(), MACHINES] as const
	);
	await browser.close();
	const frames = (ms: number) => ms / (1000 / 60);
	report(`${MACHINES} level cells, all of them new`, frames(whole), 'frames', 'under 1.5', frames(whole) < 1.5);
	report(`${MACHINES} level cells, a tenth of them new`, frames(next), 'frames', 'under 0.5', frames(next) < 0.5);
}

function writeResults(): void {
	mkdirSync('.sextant', { recursive: true });
	writeFileSync('.sextant/bench.json', JSON.stringify({ people: PEOPLE, machines: MACHINES, results }, null, 2));
	console.log('\nWritten to .sextant/bench.json');
}
