import { beforeAll, describe, expect, it } from 'vitest';
import { readPart, type Part } from '$lib/core/access/part';
import { HOUR } from '$lib/core/time/units';
import { all, type Db } from '../db';
import type { Context } from '../context';
import { cardOf } from '../house/cards';
import { LISTS } from '../house/lists';
import { needsAt } from '../house/needs';
import { searchFor } from '../house/search';
import { Harness, testEstate } from '../testing/harness';
import { inFile } from '../testing/part';
import { figuresAt } from '../watch';
import { inPart } from './view';

/**
 * Parts of an estate of another kind: half-hour zones, names in several scripts, people in nested teams. What is in each is worked out here
 * once more, by hand from the rows, and no list, card or search may name anybody or anything else.
 */
let h: Harness;
let ctx: Context;
let whole: Db;
beforeAll(async () => {
	h = await Harness.of(testEstate('e2e/upland.yaml'));
	await h.live(8 * HOUR, 20_000);
	ctx = inFile(h);
	whole = ctx.db;
});

const PARTS = [
	'site:howe',
	'site:kathmandu',
	'site:howe,johns',
	'team:dams',
	'team:models',
	'team:gauges',
	'team:gauges site:johns',
	'team:dams site:howe',
	'pool:POOL',
	'line:LINE',
	'site:kathmandu line:LINE'
];
/** With a pool and a line that there are. */
const named = (text: string) =>
	text
		.replace('POOL', all<{ id: string }>(whole, 'SELECT DISTINCT id FROM pools ORDER BY id')[0]!.id)
		.replace(
			'LINE',
			all<{ line: string }>(whole, 'SELECT DISTINCT line_id AS line FROM pools ORDER BY line_id')[0]!.line
		);

interface Rows {
	people: { id: number; login: string; name: string; site: string; teams: Set<string> }[];
	machines: { id: number; name: string; site: string; pool: string; line: string; owner: number | null }[];
	open: { person: number; machine: number; pool: string }[];
}
/** The estate as its rows have it, without a condition of SQL that says what is of what. */
function rows(): Rows {
	const at = h.lab.now;
	const above = new Map<string, string[]>();
	for (const n of all<{ team_id: string; above_id: string; until: number }>(whole, 'SELECT * FROM team_nesting'))
		if (n.until > at) above.set(n.team_id, [...(above.get(n.team_id) ?? []), n.above_id]);
	const memberships = all<{ person_id: number; team_id: string; since: number; until: number }>(
		whole,
		'SELECT * FROM memberships'
	);
	const facts = all<{ person_id: number; name: string; site_id: string; since: number }>(
		whole,
		'SELECT person_id, name, site_id, since FROM person_facts ORDER BY since'
	).filter((f) => f.since <= at);
	const lines = new Map(
		all<{ id: string; line_id: string; until: number }>(whole, 'SELECT id, line_id, until FROM pools')
			.filter((p) => p.until > at)
			.map((p) => [p.id, p.line_id])
	);
	const spots = all<{ machine_id: number; owner_id: number | null; until: number }>(
		whole,
		'SELECT machine_id, owner_id, until FROM machine_spots'
	).filter((s) => s.until > at);
	const machines = all<{ id: number; name: string; site_id: string; pool_id: string }>(whole, 'SELECT * FROM machines');
	return {
		people: all<{ id: number; login: string }>(whole, 'SELECT id, login FROM people').map((p) => {
			const last = facts.filter((f) => f.person_id === p.id).at(-1);
			const own = memberships.filter((m) => m.person_id === p.id && m.until > at && m.since <= at);
			return {
				...p,
				name: last?.name ?? '',
				site: last?.site_id ?? '',
				teams: new Set(own.flatMap((m) => above.get(m.team_id) ?? []))
			};
		}),
		machines: machines.map((m) => ({
			id: m.id,
			name: m.name,
			site: m.site_id,
			pool: m.pool_id,
			line: lines.get(m.pool_id) ?? '',
			owner: spots.find((s) => s.machine_id === m.id)?.owner_id ?? null
		})),
		open: all<{ person_id: number; machine_id: number; until: number; since: number }>(whole, 'SELECT * FROM sessions')
			.filter((s) => s.until > at)
			.map((s) => ({
				person: s.person_id,
				machine: s.machine_id,
				pool: machines.find((m) => m.id === s.machine_id)!.pool_id
			}))
	};
}

const has = (values: string[] | undefined, one: string | Set<string>): boolean =>
	values === undefined || values.some((v) => (typeof one === 'string' ? one === v : one.has(v)));

/** The machines of a part, worked out by hand. */
const machinesOf = (part: Part, r: Rows) =>
	r.machines.filter(
		(m) =>
			has(part.site, m.site) &&
			has(part.pool, m.pool) &&
			has(part.line, m.line) &&
			(part.team === undefined ||
				[m.owner, ...r.open.filter((s) => s.machine === m.id).map((s) => s.person)].some((id) => {
					const p = r.people.find((x) => x.id === id);
					return p !== undefined && has(part.team, p.teams);
				}))
	);

describe.each(PARTS)('%s', (text) => {
	const setUp = () => {
		const written = named(text);
		const { part, problems } = readPart(written);
		expect(problems).toEqual([]);
		return { part, view: inPart(whole, written, h.lab.now, true), r: rows() };
	};

	it('has the people and machines that its rows say, and what hangs on them', () => {
		const { part, view, r } = setUp();
		const seen = (table: string) => all<{ id: number }>(view, `SELECT id FROM ${table} ORDER BY id`).map((x) => x.id);
		const machines = machinesOf(part, r).map((m) => m.id);
		expect(seen('machines')).toEqual(machines.sort((a, b) => a - b));
		const people = seen('people');
		if (!part.pool && !part.line)
			expect(people).toEqual(
				r.people
					.filter((p) => has(part.site, p.site) && has(part.team, p.teams))
					.map((p) => p.id)
					.sort((a, b) => a - b)
			);
		// Whoever is at work in a pool of the part is of it, wherever they sit.
		else if (!part.site) for (const s of r.open) if (machines.includes(s.machine)) expect(people).toContain(s.person);
		expect(people.length).toBeGreaterThan(0);
		const both = all<{ id: number; person_id: number; machine_id: number }>(whole, 'SELECT * FROM sessions')
			.filter((s) => people.includes(s.person_id) && machines.includes(s.machine_id))
			.map((s) => s.id);
		expect(seen('sessions')).toEqual(both);
		for (const s of all<{ session_id: number }>(view, 'SELECT DISTINCT session_id FROM session_states'))
			expect(both).toContain(s.session_id);
		for (const m of all<{ machine_id: number }>(view, 'SELECT DISTINCT machine_id FROM samples_15m'))
			expect(machines).toContain(m.machine_id);
	});

	it('counts the same on the frame, in lists and over all of their pages', () => {
		const { view } = setUp();
		const at = h.lab.now;
		const ask = { at, scope: { terms: [] }, sort: '', descending: false, offset: 0 };
		const figures = figuresAt(view, { terms: [] }, at);
		expect(LISTS.get('machines')!.page(view, { ...ask, limit: 5 }).total).toBe(figures.machines);
		const sessions = LISTS.get('sessions')!.page(view, { ...ask, limit: 500 });
		expect(new Set(sessions.rows.map((s) => (s as { login: string }).login)).size).toBe(figures.people);
	});

	it('names nobody and no machine of elsewhere in any list, card, need or search', async () => {
		const { view, r } = setUp();
		const at = h.lab.now;
		const people = new Set(all<{ id: number }>(view, 'SELECT id FROM people').map((p) => p.id));
		const machines = new Set(all<{ name: string }>(view, 'SELECT name FROM machines').map((m) => m.name));
		const elsewhere = [
			...r.people.filter((p) => !people.has(p.id)).map((p) => p.name),
			...r.machines.filter((m) => !machines.has(m.name)).map((m) => m.name)
		].filter((n) => n.length > 2);
		const wrong: string[] = [];
		const look = (where: string, what: unknown) => {
			const said = JSON.stringify(what);
			for (const name of elsewhere) if (said.includes(name)) wrong.push(`${where}: ${name}`);
		};
		const seen = { ...ctx, db: view };
		for (const kind of LISTS.values()) {
			const ask = { at, scope: { terms: [] }, sort: '', descending: false, limit: 200, offset: 0 };
			const { rows: page } = kind.page(view, ask);
			look(kind.name, page);
			if (kind.card)
				for (const row of page.slice(0, 25))
					look(`${kind.name} ${kind.idOf(row)}`, await cardOf(seen, kind.card, kind.idOf(row), { at, live: true }));
		}
		look('needs', needsAt(view, { terms: [] }, at).needs);
		for (const p of r.people) look(`search ${p.name}`, searchFor(view, p.name, at));
		expect(wrong).toEqual([]);
		for (const p of r.people)
			if (!people.has(p.id)) expect(await cardOf(seen, 'person', p.login, { at, live: true })).toBeNull();
		for (const m of r.machines)
			if (!machines.has(m.name)) expect(await cardOf(seen, 'machine', m.name, { at, live: true })).toBeNull();
	});
});

it('many parts at once, more than are kept, each answer for themselves; one that was thrown out answers what is on its way', () => {
	const first = inPart(whole, 'site:howe', h.lab.now);
	const count = (db: Db) => all<{ n: number }>(db, 'SELECT count(*) AS n FROM people')[0]!.n;
	const there = count(first);
	for (let i = 0; i < 60; i++) {
		const person = `site:howe team:gauges${',x'.repeat(i % 50)}`;
		expect(count(inPart(whole, `${person}${i}`, h.lab.now))).toBeGreaterThanOrEqual(0);
	}
	expect(count(first)).toBe(there);
	expect(count(inPart(whole, 'site:howe', h.lab.now))).toBe(there);
});
