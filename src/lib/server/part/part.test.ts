import { beforeAll, describe, expect, it } from 'vitest';
import { all, one, putSetting, run, type Db } from '../db';
import { ENDPOINTS } from '../house/endpoints';
import { mayAsk } from '../calls/need';
import { ROUTES } from '../house/routes';
import { LISTS } from '../house/lists';
import { HOUR } from '$lib/core/time/units';
import { may } from '$lib/core/access/rights';
import { actIn, assign, callerNow } from '../identity/accounts';
import { assignmentsOf } from '../identity/assignments';
import { CONSENT } from '../plans/consent';
import { commitPlan, consentTo, discardPlan, draftPlan, openDrafts, planById, recomputePlan } from '../plans';
import { runtime, seeing } from '../runtime';
import { OWNER, type Harness } from '../testing/harness';
import { asPart, inFile } from '../testing/part';
import { livedIn } from '../testing/lived';
import { askApi, askPage, PAGE_ROUTES, serveFrom } from '../testing/pages';
import { OBJECT_KINDS } from './kinds';
import { TABLES } from './tables';
import { inPart } from './view';

let h: Harness;
let whole: Db;
const PART = 'site:isle';

/** What is of the other site, in names that nothing of this one has: whoever is there for this one alone meets none of it. */
const ELSEWHERE =
	/Anna Quill|Bo Rigg|Cleo Mast|Eve Sloop|"anna"|"cleo"|"eve"|Desks Quay|Own machines|quay-h\d|quay-v\d|quay-\d\d|own-\d\d|box-1|Testbay Quay/;

beforeAll(async () => {
	h = await livedIn();
	const ctx = inFile(h);
	whole = ctx.db;
	Object.assign(h, { ctx, db: whole });
	serveFrom(h);
});

const text = (body: unknown) => (typeof body === 'string' ? body : JSON.stringify(body));
const leaks = (said: string): string[] => {
	const found = [];
	for (let rest = said, m; (m = ELSEWHERE.exec(rest)); rest = rest.slice(m.index + m[0].length))
		found.push(rest.slice(Math.max(0, m.index - 60), m.index + m[0].length + 20));
	return found.slice(0, 2);
};

describe('whoever is there for a part of the estate', () => {
	it('has each table looked at: one that is new is seen by nobody until it stands in the list', () => {
		const tables = all<{ name: string }>(
			whole,
			`SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' ORDER BY name`
		).map((t) => t.name);
		expect(Object.keys(TABLES).sort()).toEqual(tables);
	});

	it('sees what is there, and nothing of elsewhere', () => {
		const view = inPart(whole, PART, h.lab.now);
		const names = (sql: string) => all<{ n: string }>(view, sql).map((r) => r.n);
		expect(names('SELECT login AS n FROM people ORDER BY 1')).toEqual(['dag', 'fay']);
		expect(names('SELECT DISTINCT pool_id AS n FROM machines')).toEqual(['isle']);
		expect(names('SELECT id AS n FROM sites')).toEqual(['isle']);
		expect(names('SELECT name AS n FROM hosts')).toEqual(['isle-h1']);
		expect(names('SELECT DISTINCT name AS n FROM pools')).toEqual(['Desks Isle']);
		expect(() => view.prepare(`DELETE FROM people`).run()).toThrow();
		expect(() => view.prepare(`DELETE FROM main.people`).run()).toThrow(/readonly/);
	});

	it('sees nothing at all by a part that cannot be read, or of what is not there', () => {
		for (const part of ['site:moon', 'strain>5', 'moon'])
			expect(one<{ n: number }>(inPart(whole, part, h.lab.now), 'SELECT count(*) AS n FROM people')!.n, part).toBe(0);
	});

	it('follows what is written: who comes, moves and is given something, and what is made', () => {
		const db = inFile(h).db;
		const at = h.lab.now;
		const sees = (sql: string) => all<{ n: string }>(inPart(db, PART, at, true), sql).map((r) => r.n);
		const revision = () => one<{ n: number }>(db, 'SELECT number AS n FROM part_revision')!.n;
		sees('SELECT name AS n FROM machines');
		const anna = one<{ id: number }>(db, `SELECT id FROM people WHERE login = 'anna'`)!.id;
		run(db, 'UPDATE person_facts SET until = ? WHERE person_id = ?', [at - 1, anna]);
		run(
			db,
			`INSERT INTO person_facts(person_id, since, until, login, name, employment, site_id, pattern, begins, ends)
			 SELECT person_id, ?, 9007199254740991, login, name, employment, 'isle', pattern, begins, ends FROM person_facts WHERE person_id = ? LIMIT 1`,
			[at - 1, anna]
		);
		expect(sees('SELECT login AS n FROM people ORDER BY 1')).toContain('anna');
		for (const [what, sql] of [
			[
				'a machine',
				`INSERT INTO machines(id, name, pool_id, site_id, since, until) VALUES (900, 'isle-99', 'isle', 'isle', 1, 9007199254740991)`
			],
			[
				'a host',
				`INSERT INTO hosts SELECT 900, 'isle-h9', site_id, cores, memory, gpus, price_hour FROM hosts WHERE name = 'isle-h1'`
			],
			['a machine that moves', `UPDATE machines SET site_id = 'quay' WHERE id = 900`],
			['a grant that ends', `UPDATE grants SET until = 5 WHERE id = (SELECT min(id) FROM grants)`],
			['a pool that ends', `UPDATE pools SET until = until WHERE id = 'isle'`]
		] as const) {
			const before = revision();
			run(db, sql);
			expect(revision(), what).toBeGreaterThan(before);
		}
		expect(sees('SELECT name AS n FROM hosts')).toContain('isle-h9');
		expect(sees('SELECT name AS n FROM machines')).not.toContain('isle-99');
		db.close();
	});

	it('is answered whatever stands in a column of JSON', () => {
		const corrupted = inFile(h).db;
		for (const odd of ['{', '', '7', '{"people":[7,"x",null]}', '[[]]']) {
			run(corrupted, 'UPDATE plans SET effects = ?, touches = ?', [odd, odd]);
			run(corrupted, 'UPDATE publications SET pools = ?', [odd]);
			const view = inPart(corrupted, PART, h.lab.now, true);
			for (const table of Object.keys(TABLES))
				expect(() => all(view, `SELECT * FROM ${table} LIMIT 50`), `${table} ${odd}`).not.toThrow();
			expect(all(view, 'SELECT login FROM people')).toHaveLength(2);
		}
		corrupted.close();
	});

	it('meets nothing of elsewhere in any list, its CSV, its cards, or any address of the API', async () => {
		const wrong: string[] = [];
		let asked = 0;
		let seen = '';
		for (const role of ['owner', 'helpdesk', 'auditor'] as const) {
			const caller = asPart(role, PART);
			for (const e of ENDPOINTS) {
				if (e.method !== 'GET' || mayAsk(e.need, caller.rights) !== 'yes') continue;
				const kind = [...LISTS.values()].find((k) => e.path === `/${k.name}/{id}`);
				// Each row that the whole has is asked for by name.
				const ids = kind
					? kind
							.page(whole, { at: h.lab.now, scope: { terms: [] }, sort: '', descending: false, limit: 60, offset: 0 })
							.rows.map((r) => kind.idOf(r as never))
					: e.path.includes('{')
						? ['anna', 'quay', 'quay-01', '1', 'boat', 'bo', 'dag', 'isle']
						: [''];
				for (const id of new Set(ids)) {
					const path = e.path.replace(/\{\w+\}/g, encodeURIComponent(id));
					const query = e.path === '/search' ? '?q=a' : '?person=bo&pool=quay&machine=quay-01&q=quay';
					const answer = await seeing(PART, () =>
						askApi(
							{ ...h, ctx: { ...h.ctx, db: runtime().db } } as Harness,
							'GET',
							`/api/v1${path}${query}`,
							undefined,
							caller
						)
					);
					asked++;
					if (answer.status === null || answer.status >= 500)
						wrong.push(
							`${role} ${path}: ${answer.status} ${String(answer.body).slice(0, 200)} ${String(answer.error).slice(0, 200)}`
						);
					// What is asked for may be said again in the refusal.
					else if (answer.status === 200) {
						seen += text(answer.body);
						for (const leak of leaks(text(answer.body))) wrong.push(`${role} ${path}: …${leak}…`);
					}
				}
			}
		}
		expect(asked).toBeGreaterThan(500);
		expect(seen).toContain('Dag Keel');
		expect(seen).toContain('isle-01');
		expect(wrong).toEqual([]);
	});

	it('meets nothing of elsewhere on any page', async () => {
		const wrong: string[] = [];
		const caller = asPart('owner', PART);
		const cards = [
			'',
			'&card=person/anna',
			'&card=machine/quay-01',
			'&card=pool/quay',
			'&card=site/quay',
			'&card=pool/isle'
		];
		for (const { file, id } of PAGE_ROUTES) {
			if (!id.startsWith('/(console)')) continue;
			const need = ROUTES[id]?.GET;
			if (need && mayAsk(need, caller.rights) !== 'yes') continue;
			for (const more of id === '/(console)' ? cards : ['']) {
				const answer = await seeing(PART, () =>
					askPage(file, `/x?person=bo&pool=quay${more}`, { id: '1', joining: '1', capture: 'x' }, caller)
				);
				if (answer.status === null) wrong.push(`${id}${more}: ${String((answer.error as Error)?.stack).slice(0, 300)}`);
				else for (const leak of leaks(text(answer.body ?? ''))) wrong.push(`${id}${more}: …${leak}…`);
			}
		}
		expect(wrong).toEqual([]);
	});
});

describe('a plan of somebody who is there for a part', () => {
	const draft = (kind: string, input: unknown, part = PART, role: 'owner' | 'helpdesk' = 'owner') =>
		draftPlan(h.ctx, asPart(role, part), kind, input, 'test');

	it('reaches what is there', async () => {
		const plan = await draft('machine.start', { machines: ['isle-01'] });
		expect(plan.effects.machines.map((m) => m.id)).toEqual(['isle-01']);
		await draft('note.write', { about: 'person/dag', text: 'has a new desk' }, PART, 'helpdesk');
		await draft('policy.set', { pool: 'isle', headroomIn: 2 });
		await draft('grant.add', { publication: 'desk', person: 'dag', channels: [] });
		await draft('gateway.set-port', { gateway: 'isle-gw', protocol: 'stream', port: 4000 });
	});

	it.each([
		['machine.start', { machines: ['quay-01'] }, /no machine|quay-01/i],
		['machine.start', { machines: ['isle-01', 'quay-01'] }, /no machine|quay-01/i],
		['policy.set', { pool: 'quay', headroomIn: 2 }, /no pool/i],
		['note.write', { about: 'person/anna', text: 'x' }, /no person/i],
		[
			'people.put',
			{ people: [{ login: 'gus', name: 'Gus', site: 'quay', team: 'harbour', begins: '2026-11-23' }] },
			/./
		],
		// Of a team there are some elsewhere.
		['grant.add', { publication: 'desk', team: 'visitors', channels: [] }, /of it/],
		['access-rules.change', { edits: [{ remove: 'depot' }] }, /of it|whole estate/],
		['operator.disable', { login: 'owner', disabled: true }, /may not/],
		['image.hold', { line: 'desk', number: '1.0.0', held: true }, /of it/],
		['gateway.set-port', { gateway: 'quay-gw', protocol: 'stream', port: 4000 }, /of it/]
	])('%s %j does not reach elsewhere', async (kind, input, words) => {
		const before = openDrafts(whole).length;
		await expect(draft(kind, input)).rejects.toThrow(words);
		expect(openDrafts(whole)).toHaveLength(before);
	});

	it('says how much lies outside, and names nothing of it', async () => {
		const e = await draft('grant.add', { publication: 'desk', team: 'visitors', channels: [] }).catch((x: Error) => x);
		expect((e as Error).message).toMatch(/^You are there in Isle: this touches .*outside of it\.$/);
		expect((e as Error).message).not.toMatch(ELSEWHERE);
	});

	it('that somebody else drafted is not theirs to commit, to discard or to see where it lies elsewhere', async () => {
		const plan = await h.draft('policy.set', { pool: 'quay', headroomIn: 5 });
		const caller = asPart('owner', PART);
		for (const attempt of [
			() => commitPlan(h.ctx, caller, plan.id, null, 'test'),
			() => recomputePlan(h.ctx, caller, plan.id),
			async () => discardPlan(h.ctx, caller, plan.id)
		])
			await expect(attempt()).rejects.toThrow(`There is no plan ${plan.id}`);
		expect(planById(whole, plan.id)?.state).toBe('draft');
		const own = await h.draft('policy.set', { pool: 'isle', headroomIn: 2 });
		discardPlan(h.ctx, caller, own.id);
		expect(planById(whole, own.id)?.state).toBe('discarded');
	});

	it('may speak of a line, or of a team, where that is their part', async () => {
		await draft('image.hold', { line: 'desk', number: '1.0.0', held: true }, 'line:desk');
		await draft('grant.add', { publication: 'desk', team: 'visitors', channels: [] }, 'team:visitors');
		await expect(
			draft('grant.add', { publication: 'boat', team: 'harbour', channels: [] }, 'team:visitors')
		).rejects.toThrow(/of it/);
	});
});

it('what waits for the consent of another is shown and answered within the part alone', async () => {
	putSetting(whole, CONSENT, JSON.stringify({ kinds: ['policy.set'], people: null, sessions: null, machines: null }));
	const asked = async (pool: string) => {
		const plan = await h.draft('policy.set', { pool, headroomIn: 7 });
		await expect(commitPlan(h.ctx, { ...OWNER, id: 9, assignment: null }, plan.id, null, 'screen')).rejects.toThrow(
			/consent/
		);
		return plan.id;
	};
	const [near, far] = [await asked('isle'), await asked('quay')];
	const ask = (id: number) =>
		seeing(PART, () =>
			askApi(
				{ ...h, ctx: { ...h.ctx, db: runtime().db } } as Harness,
				'GET',
				`/api/v1/plans/${id}/consent`,
				undefined,
				asPart('owner', PART),
				h.ctx
			)
		);
	const shown = await ask(near);
	expect([shown.status, String(shown.body)]).toEqual([200, expect.stringContaining('"against"')]);
	expect((await ask(far)).status).toBe(404);
	await expect(consentTo(h.ctx, asPart('owner', PART), far)).rejects.toThrow(`There is no plan ${far}`);
	putSetting(whole, CONSENT, JSON.stringify({ kinds: [], people: null, sessions: null, machines: null }));
});

describe('an assignment', () => {
	it('is followed at once, comes to its end by itself, and one acts in one at a time', () => {
		const at = h.lab.now;
		run(whole, `INSERT INTO operators(id, login, name, password) VALUES (7, 'part', 'Pia Part', 'x')`);
		assign(whole, 'part', { role: 'helpdesk', part: PART, ends: null, by: 'owner' }, at);
		assign(whole, 'part', { role: 'builder', part: 'line:desk', ends: at + HOUR, by: 'owner' }, at);
		const [first, second] = assignmentsOf(whole, 7, at);
		const caller = callerNow(whole, 'operator', 7, at)!;
		expect(caller).toMatchObject({ role: 'helpdesk', part: PART, assignment: first!.id });
		expect(may(caller.rights, 'identity', 'read')).toBe(false);
		expect(callerNow(whole, 'operator', 7, at, second!.id)).toMatchObject({ role: 'builder', part: 'line:desk' });
		expect(callerNow(whole, 'operator', 7, at + HOUR, second!.id)).toBeNull();
		expect(assignmentsOf(whole, 7, at + HOUR)).toHaveLength(1);
		run(whole, `INSERT INTO sign_ins(token, operator_id, factor, began, seen) VALUES ('key', 7, 0, ?, ?)`, [
			Date.now(),
			Date.now()
		]);
		const signedIn = { ...caller, signIn: 'key' };
		expect(actIn(whole, signedIn, second!.id, at)).toBe(true);
		expect(actIn(whole, signedIn, 1, at)).toBe(false);
		expect(one(whole, `SELECT assignment_id AS id FROM sign_ins WHERE token = 'key'`)).toEqual({ id: second!.id });
	});
});

it('nothing is given away that its giver has not', async () => {
	const clerk = { ...asPart('owner', ''), part: null, rights: { identity: 'commit', estate: 'read' } as const };
	for (const [kind, input] of [
		['assignment.give', { login: 'owner', role: 'operator' }],
		['role.put', { name: 'More', rights: { sessions: 'commit' } }],
		['token.create', { name: 'more', role: 'builder', hash: 'c'.repeat(64) }]
	] as const)
		await expect(draftPlan(h.ctx, clerk, kind, input, 'test'), kind).rejects.toThrow(/more than you have/);
	await draftPlan(h.ctx, clerk, 'role.put', { name: 'Less', rights: { estate: 'read' } }, 'test');
});

it('every kind of object that a plan has ever changed here is known to be of a part or of the whole', () => {
	const kinds = all<{ kind: string }>(
		whole,
		`SELECT DISTINCT substr(o.value, 1, instr(o.value, '/') - 1) AS kind FROM changes, json_each(objects) o`
	).map((r) => r.kind);
	const ofTheWhole = ['people', 'endpoints', 'rules', 'settings', 'role'];
	expect(kinds.filter((k) => !Object.hasOwn(OBJECT_KINDS, k) && !ofTheWhole.includes(k))).toEqual([]);
});
