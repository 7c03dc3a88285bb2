import { beforeAll, describe, expect, test } from 'vitest';
import { DAY, HOUR } from '$lib/core/time/units';
import { ROWS, specProblems } from '$lib/core/reports/spec';
import { parseScope } from '$lib/core/scope/scope';
import { unusedAccess } from '../access/sources';
import { activitySources } from '../activity/sources';
import { sumUp } from '../activity/rolling';
import { entriesBefore } from '../record';
import { titlesBetween } from '../changes';
import { all, one, run } from '../db';
import { assign, callerNow } from '../identity/accounts';
import { asRole } from '../identity/caller';
import { inPart } from '../part';
import { commitPlan, draftPlan, NotAllowed } from '../plans';
import type { Flow } from '../providers';
import { flow, tellFlows } from '../testing/flows';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { livedIn } from '../testing/lived';
import { askApi, askPage, serveFrom } from '../testing/pages';
import { inFile } from '../testing/part';
import { columnsOf, sourcesDeclared } from '../lists/sources';
import { makeReport } from './making';
import { documentOf } from './pdf';
import type { KeptReport } from './report';
import { stretches } from './letters';
import { reportAt, reportsAt, runById, runsAt } from './queries';
import { letReportsGo, reportSteps } from './steps';

let h: Harness;
let upland: Harness;
let empty: Harness;
beforeAll(async () => {
	h = await livedIn();
	upland = await Harness.of(testEstate('e2e/upland.yaml'));
	await upland.live(3 * HOUR, 20_000);
	empty = await Harness.of(testEstate('demo/empty.yaml'));
});

const STATES = {
	name: 'States',
	question: 'How many machines are in which state?',
	source: 'machines',
	columns: ['name', 'sessions'],
	group: { column: 'state', by: 'value' },
	chart: 'rows'
};
const last = (report: string) => runById(h.db, runsAt(h.db, h.lab.now, 1, report)[0]!.id)!;
const problem = (input: unknown) =>
	h.draft('report.put', input).then(
		() => [],
		(e: { problems?: { field: string }[] }) => e.problems?.map((p) => p.field)
	);

describe('a report of a list', () => {
	test('is made of how things are, kept, and says the same as the list', async () => {
		expect((await h.carryOut('report.put', STATES)).error).toBeNull();
		expect((await h.carryOut('report.run', { report: 'states' })).error).toBeNull();
		const { made, rows, why } = last('states');
		const machines = one<{ n: number }>(h.db, 'SELECT count(*) AS n FROM machines WHERE since <= ?1 AND until > ?1', {
			1: h.lab.now
		} as never)!.n;
		expect(rows).toBe(machines);
		expect(made.lines.reduce((n, l) => n + (l[1] as number), 0)).toBe(machines);
		expect(made.bars[0]!.value).toBe(made.lines[0]![1]);
		expect(why).toBeNull();
	});

	test('stands in the change log, and is no flag on the ribbon: it changed nothing', () => {
		const log = all<{ kind: string }>(h.db, `SELECT kind FROM changes WHERE kind LIKE 'report.%'`).map((c) => c.kind);
		expect(log).toEqual(expect.arrayContaining(['report.put', 'report.run']));
		const flags = titlesBetween(h.db, 0, h.lab.now + 1).map((c) => c.title);
		expect(flags).toContain('Keep the report States');
		expect(flags).not.toContain('Make the report States');
	});

	test('leaves as CSV and as PDF', async () => {
		const { id } = last('states');
		const csv = await askApi(h, 'GET', `/api/v1/report-runs/${id}/made.csv`);
		expect(String(csv.body).split('\r\n')[0]).toBe('state,rows,different name,sessions');
		const pdf = await askApi(h, 'GET', `/api/v1/report-runs/${id}/made.pdf`);
		expect(pdf.status).toBe(200);
		expect(String(pdf.body).slice(0, 8)).toMatch(/^%PDF-1\./);
	});

	test('is narrowed by its scope, and says what of it says nothing', async () => {
		await h.carryOut('report.put', { ...STATES, name: 'Quay', scope: 'site:quay' });
		await h.carryOut('report.run', { report: 'quay' });
		expect(last('quay').rows).toBeLessThan(last('states').rows);
		const hosts = { source: 'hosts', columns: ['name'], group: null, chart: null };
		await h.carryOut('report.put', { ...STATES, ...hosts, name: 'Hosts', scope: 'site:quay team:harbour' });
		await h.carryOut('report.run', { report: 'hosts' });
		expect(last('hosts').made.left).toHaveLength(1);
	});

	test('has each mistake beside its field', async () => {
		expect(await problem({ ...STATES, name: '', question: '' })).toEqual(['name', 'question']);
		expect(await problem({ ...STATES, name: 'A', source: 'nothing' })).toEqual(['source']);
		expect(await problem({ ...STATES, name: 'A', scope: 'site:nowhere' })).toEqual(['scope']);
		expect(await problem({ ...STATES, name: 'A', columns: ['nothing'] })).toEqual(['columns']);
		expect(await problem({ ...STATES, name: 'A', chart: 'name' })).toEqual(['chart']);
		expect(await problem({ ...STATES, name: 'A', zone: 'Nowhere/There' })).toEqual(['zone']);
		expect(await problem({ ...STATES, name: 'states' })).toEqual(['name']);
		expect(await problem({ ...STATES, id: 'never-was' })).toEqual(['id']);
	});

	test('of one that ships, kept otherwise, is again what it was once it is taken away', async () => {
		const shipped = reportAt(h.db, 'unused-services', h.lab.now)!;
		await h.carryOut('report.put', {
			id: 'unused-services',
			name: 'Idle services',
			question: 'Which?',
			source: 'unused-services',
			columns: ['name']
		});
		expect(reportAt(h.db, 'unused-services', h.lab.now)).toMatchObject({ name: 'Idle services', ships: false });
		await h.carryOut('report.remove', { report: 'unused-services' });
		expect(reportAt(h.db, 'unused-services', h.lab.now)).toEqual(shipped);
	});

	test('is made again and again, and is not taken away meanwhile', async () => {
		const set = { report: 'states', rule: 'FREQ=HOURLY', begins: '2026-11-16T00:00', zone: 'Asia/Kolkata' };
		await expect(h.draft('report.schedule', set)).rejects.toMatchObject({ problems: [{ field: 'rule' }] });
		expect((await h.carryOut('report.schedule', { ...set, rule: 'FREQ=DAILY' })).error).toBeNull();
		expect((await h.draft('report.remove', { report: 'states' })).blocks[0]!.words).toContain('again and again');
		const before = runsAt(h.db, h.lab.now, 50, 'states').length;
		await h.live(25 * HOUR, 20_000);
		expect(runsAt(h.db, h.lab.now, 50, 'states')).toHaveLength(before + 1);
		expect((await h.carryOut('report.unschedule', { report: 'states' })).error).toBeNull();
	});

	test('is kept so often, and no more', async () => {
		for (let i = 0; i < 26; i++)
			run(
				h.db,
				`INSERT INTO report_runs(report_id, name, question, source, scope, days, zone, at, by, why, part, lines, rows, made, size)
				 SELECT report_id, name, question, source, scope, days, zone, at - ?, by, why, part, lines, rows, made, size FROM report_runs WHERE report_id = 'states' ORDER BY id LIMIT 1`,
				[i + 1]
			);
		await h.carryOut('report.run', { report: 'states' });
		expect(runsAt(h.db, h.lab.now, 100, 'states')).toHaveLength(24);
		// All of them together are no larger than the disk is to be.
		run(h.db, 'UPDATE report_runs SET size = 100000000');
		await h.carryOut('report.run', { report: 'states' });
		expect(runsAt(h.db, h.lab.now, 100)).toHaveLength(4);
		run(h.db, 'UPDATE report_runs SET size = 1000');
	});
});

describe('what tells what single people reached', () => {
	test('is made saying why, which stays on record, and each time it is read does', async () => {
		await expect(h.draft('report.run', { report: 'largest-transfers' })).rejects.toMatchObject({
			problems: [{ field: 'why' }]
		});
		expect((await h.carryOut('report.run', { report: 'largest-transfers', why: 'the line is full' })).error).toBeNull();
		const made = last('largest-transfers');
		expect(made.made.lines[0]!.slice(0, 3)).toEqual(['Anna Quill', 'Harbour', 'Depot']);
		const looked = () => entriesBefore(h.db, h.lab.now + 1, 5).filter((e) => e.kind === 'looked');
		expect(looked()[0]!.words).toContain('the line is full');
		const n = looked().length;
		expect((await askApi(h, 'GET', `/api/v1/report-runs/${made.id}/made`)).status).toBe(200);
		expect(looked().length).toBe(n + 1);
		// Made again for the same reason at once, it is on record again.
		await h.carryOut('report.run', { report: 'largest-transfers', why: 'the line is full' });
		expect(looked().filter((e) => e.words.endsWith('saying why: the line is full'))).toHaveLength(2);
	});

	test('is not shown before, nor to whoever may not read it', async () => {
		const asked = await askApi(h, 'GET', '/api/v1/report-preview?source=transfers&columns=name,up');
		expect(asked.status).toBe(403);
		const caller = { ...OWNER, ...asRole('helpdesk'), rights: { estate: 'read', reports: 'commit' } as const };
		await expect(
			draftPlan(h.ctx, caller, 'report.run', { report: 'largest-transfers', why: 'curious' }, 'screen')
		).rejects.toThrow(NotAllowed);
		await expect(
			draftPlan(
				h.ctx,
				caller,
				'report.put',
				{ ...STATES, name: 'Mine', source: 'transfers', columns: ['name'], group: null, chart: null },
				'screen'
			)
		).rejects.toThrow(NotAllowed);
		const id = last('largest-transfers').id;
		expect((await askApi(h, 'GET', `/api/v1/report-runs/${id}/made.csv`, undefined, caller)).status).toBe(403);
	});

	test('is let go with what it tells of', () => {
		const of = () => all(h.db, 'SELECT 1 FROM report_runs WHERE why IS NOT NULL').length;
		const others = () => all(h.db, 'SELECT 1 FROM report_runs WHERE why IS NULL').length;
		const kept = others();
		expect(of()).toBe(2);
		letReportsGo(h.db, h.lab.now - HOUR);
		expect(of()).toBe(2);
		letReportsGo(h.db, h.lab.now + 1);
		expect([of(), others()]).toEqual([0, kept]);
	});
});

test('of a part of the estate only what is in it is told, to those of that part', async () => {
	const ctx = inFile(h);
	const at = h.lab.now;
	run(ctx.db, `INSERT INTO operators(id, login, name, password) VALUES (7, 'part', 'Pia Part', 'x')`);
	assign(ctx.db, 'part', { role: 'helpdesk', part: 'site:isle', ends: null, by: 'owner' }, at);
	const caller = callerNow(ctx.db, 'operator', 7, at)!;
	const plan = await draftPlan(ctx, caller, 'report.run', { report: 'states' }, 'screen');
	const job = await commitPlan(ctx, caller, plan.id, null, 'screen');
	const step = { ctx, input: { report: 'states', why: null }, job: { id: job, by: 'Pia Part' } };
	const outcome = await reportSteps['report.make'].run(step as never);
	outcome!.write!(ctx.db);
	const isle = all(ctx.db, `SELECT 1 FROM machines WHERE site_id = 'isle' AND until > ?`, [at]).length;
	const view = inPart(ctx.db, 'site:isle', at, true);
	// Of what was made of the whole they see nothing, and others of another part nothing of theirs.
	expect(runsAt(view, at, 50).map((r) => [r.by, r.rows, r.scope])).toEqual([['Pia Part', isle, 'site:isle']]);
	expect(runsAt(inPart(ctx.db, 'site:quay', at, true), at, 50)).toEqual([]);
	expect(runsAt(ctx.db, at, 50).length).toBeGreaterThan(1);
	// Nor do they read what others look at elsewhere.
	const known = reportsAt(view, at).map((r) => r.id);
	expect([known.includes('states'), known.includes('quay')]).toEqual([true, false]);
	ctx.db.close();
});

describe('what is out of the ordinary, and what is never used', () => {
	const source = (name: string) => activitySources.find((s) => s.name === name)!;
	const ask = { scope: { terms: [] }, sort: '', descending: false, limit: 1000, offset: 0, zone: 'UTC' };
	let e: Harness;
	/** Twelve mornings of work of everybody, and one night of Bo’s. */
	beforeAll(async () => {
		e = await Harness.of(testEstate());
		const now = e.lab.now;
		const people = all<{ login: string }>(e.db, 'SELECT login FROM people ORDER BY id').map((p) => p.login);
		const tell = (flows: Flow[]) => tellFlows(e, now, flows);
		const midnight = Math.floor(now / DAY) * DAY;
		for (let d = 13; d >= 1; d--)
			tell(
				people.flatMap((p) => [
					flow(p, midnight - d * DAY + 9 * HOUR),
					flow(p, midnight - d * DAY + 10 * HOUR, { effect: 'refuse', through: false, down: 0, up: 0 })
				])
			);
		tell([flow('bo', midnight - DAY + 2 * HOUR, { up: 5e9 })]);
		sumUp(e.db, now);
	});

	test('an hour at which somebody hardly ever does anything', () => {
		const { rows } = source('unusual-hours').page(e.db, { ...ask, at: e.lab.now, days: 3 });
		expect(rows).toHaveLength(1);
		expect(rows[0]).toMatchObject({ login: 'bo', usual: 0, up: 5e9 });
	});

	test('the largest transfers first', () => {
		const { rows } = source('transfers').page(e.db, { ...ask, at: e.lab.now, days: 3 });
		expect(rows[0]).toMatchObject({ login: 'bo', target: 'tides.example', up: 5e9 + 500 });
	});

	test('refusals of fewer than five people are told of nobody', () => {
		const { rows } = source('refusals').page(e.db, { ...ask, at: e.lab.now, days: 30 });
		for (const r of rows) expect(r.people).toBeGreaterThanOrEqual(5);
		const total = all(e.db, 'SELECT 1 FROM people').length;
		expect(rows.reduce((n, r) => n + (r.refused as number), 0)).toBeLessThanOrEqual(13 * total);
		expect(rows.length).toBeGreaterThan(0);
		const one = { terms: [{ kind: 'facet' as const, facet: 'person' as const, values: ['bo'], not: true }] };
		expect(source('refusals').page(e.db, { ...ask, scope: one, at: e.lab.now, days: 30 }).rows).toEqual([]);
	});
});

describe('services and access that nobody uses', () => {
	const ask = { sort: '', descending: false, limit: 1000, offset: 0, zone: 'UTC', days: 90 };
	const of = (source: { page: (typeof activitySources)[number]['page'] }, scope = '') =>
		source.page(h.db, { ...ask, at: h.lab.now, scope: parseScope(scope).scope }).rows as Record<string, unknown>[];
	const services = activitySources.find((s) => s.name === 'unused-services')!;

	test('a service that was reached is not among them; one that was not, is', async () => {
		await h.carryOut('private-service.put', { name: 'Attic', group: 'Stores', hosts: ['10.1.0.8'], ports: ['80'] });
		expect(of(services).map((r) => [r.name, r.last, r.refused])).toEqual([['Attic', null, 0]]);
	});

	test('what single people do not reach is told of nobody', () => {
		// Of everybody but Anna, who reached the depot: it would say that she did.
		for (const scope of ['person:anna', '-person:anna', 'anna', 'team:visitors'])
			expect(of(services, scope)).toEqual([]);
	});

	test('what somebody has been given and not opened is told once, by whom it came', () => {
		const rows = of(unusedAccess);
		expect(new Set(rows.map((r) => `${r.login} ${r.publication}`)).size).toBe(rows.length);
		const opened = new Set(
			all<{ key: string }>(
				h.db,
				`SELECT DISTINCT p.login || ' ' || c.publication_id AS key FROM connections c JOIN people p ON p.id = c.person_id WHERE c.session_id IS NOT NULL`
			).map((r) => r.key)
		);
		expect(opened.size).toBeGreaterThan(0);
		for (const r of rows) expect(opened.has(`${r.login as string} ${r.publication as string}`)).toBe(false);
		expect(of(unusedAccess, 'person:eve').every((r) => r.login === 'eve')).toBe(true);
		expect(of(unusedAccess, 'publication:boat').every((r) => r.publication === 'boat')).toBe(true);
	});
});

describe.each([
	['this one', () => h],
	['one in half-hour zones, with names in several scripts', () => upland],
	['one with nothing in it', () => empty]
])('of every source, on %s', (_name, estate) => {
	test('a report is made with all its columns, put together by each that can be, and set on paper', async () => {
		const { db } = estate();
		const at = estate().lab.now;
		for (const source of sourcesDeclared().values()) {
			const columns = columnsOf(source).slice(0, 20);
			const base = { columns: columns.map((c) => c.key), chart: null, sort: '', descending: false, limit: 50 };
			const kept = {
				id: 'x',
				name: 'X',
				question: 'Y?',
				source: source.name,
				scope: '',
				days: 30,
				by: 'x',
				since: 1,
				ships: false
			};
			const make = (spec: Partial<KeptReport['spec']>) => {
				const whole = { ...base, group: null, ...spec };
				const zone = 'Australia/Lord_Howe';
				expect(specProblems({ ...whole, zone }, columns), source.name).toEqual([]);
				return makeReport(db, { ...kept, zone, spec: whole }, at);
			};
			const made = make({});
			const run = {
				...kept,
				report: 'x',
				zone: 'Asia/Kathmandu',
				at,
				why: null,
				lines: made.lines.length,
				rows: made.rows,
				id: 1
			};
			expect(JSON.stringify(documentOf({ ...run, made })), source.name).toContain('Y?');
			for (const c of columns) {
				const by =
					c.kind === 'moment' ? (['day', 'weekday', 'hour'] as const) : c.kind === 'text' ? (['value'] as const) : [];
				for (const how of by) {
					const grouped = make({
						group: { column: c.key, by: how },
						chart: ROWS,
						sort: ROWS,
						descending: true,
						limit: 10_000
					});
					expect(
						grouped.lines.reduce((n, l) => n + (l[1] as number), 0),
						`${source.name} by ${c.key}`
					).toBe(grouped.rows);
				}
			}
		}
	});

	test('each of its lines fits through the wire, and the page shows it to whoever may', async () => {
		serveFrom(estate());
		const page = '/src/routes/(console)/secure/reports/+page.server.ts';
		const none = { ...OWNER, rights: { estate: 'read', reports: 'read' } as const };
		for (const caller of [OWNER, { ...OWNER, ...asRole('auditor') }, none])
			for (const url of [
				'/?',
				'/?make=1&source=hosts',
				'/?report=refused',
				'/?report=largest-transfers&run=1',
				'/?report=refused&run=x'
			])
				expect((await askPage(page, url, {}, caller)).status, url).toBe(200);
		expect((await askPage(page, '/?report=nothing')).status).toBe(404);
		const unusual = '/src/routes/(console)/secure/unusual/+page.server.ts';
		for (const url of ['/?', '/?answered=1', '/?scope=team:nothing'])
			expect((await askPage(unusual, url)).status).toBe(200);
	});
});

describe('on paper', () => {
	test('letters of many scripts have a face; those that have none are counted', () => {
		expect(stretches('Bjørn').stretches).toEqual([{ text: 'Bjørn', font: 'atkinson-hyperlegible-next latin' }]);
		const { stretches: found, lost } = stretches('Łódź Иван Ελένη 漢字');
		expect(found.map((s) => s.text).join('')).toBe('Łódź Иван Ελένη ??');
		expect(new Set(found.map((s) => s.font)).size).toBeGreaterThan(2);
		expect(lost).toBe(2);
	});

	test('the question stands at the top, and what does not stand there is said', () => {
		const run = last('states');
		const words = JSON.stringify(documentOf({ ...run, question: 'How 漢 many?' }));
		expect(words.indexOf('How ? many?')).toBeLessThan(words.indexOf('made by'));
		expect(words).toContain('1 letter could not be set');
	});
});
