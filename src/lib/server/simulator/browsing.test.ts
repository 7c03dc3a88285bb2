import { beforeEach, describe, expect, test } from 'vitest';
import type { Estate } from '$lib/core/estate/schema';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { all } from '../db';
import { tellRules } from '../reach';
import { Harness, testEstate } from '../testing/harness';
import type { Flow } from '../providers';
import { changePerson, personComes } from './directory';
import { Lab } from './lab';

/** What people reach in a lab of two sites. */
const HABIT = { who: [] as string[], during: 'work' as const, busy: 1, asks: 6, says: [] as string[] };
const toReach = (reach: string, down = 1_000_000) => ({ reach, weight: 1, down, up: 1000 });
const rule = (id: string, decide: 'allow' | 'refuse', more: object) => ({
	id,
	name: id,
	decide,
	who: [],
	but: [],
	on: [],
	what: [],
	except: [],
	from: [],
	through: [],
	...more
});
const withSites = (e: Estate) => {
	e.access.sites = {
		categories: new Map([
			['films', 'Films'],
			['news', 'News']
		]),
		sites: new Map([
			['films.example', 'films'],
			['news.example', 'news']
		])
	};
};

let h: Harness;
const made = async (change: (e: Estate) => void) => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			withSites(e);
			change(e);
		})
	);
};
/** What has been told since, with what is still going on. */
const flows = (): Flow[] => [
	...h.lab.world.observations.flatMap((o) => (o.kind === 'activity' ? o.flows : [])),
	...h.lab.world.flows.values()
];

describe('what people reach', () => {
	test('is nothing before anybody was told who may; then whoever has a session reaches it, from the machine', async () => {
		await made((e) => void (e.access.habits = [{ ...HABIT, what: [toReach('category/news')] }]));
		await h.live(HOUR, MINUTE);
		expect(h.lab.world.sessions.size).toBeGreaterThan(0);
		h.lab.world.rules = null;
		h.lab.world.flows.clear();
		const before = h.lab.now;
		h.lab.advance(before + 20 * MINUTE);
		expect(flows().filter((f) => f.since >= before)).toEqual([]);
		await tellRules(h.ctx);
		h.lab.advance(h.lab.now + 20 * MINUTE);
		const seen = flows().filter((f) => f.since > before);
		expect(new Set(seen.map((f) => f.person))).toEqual(
			new Set([...h.lab.world.sessions.values()].map((s) => s.person))
		);
		for (const f of seen)
			expect(f).toMatchObject({
				through: true,
				effect: 'allow',
				rule: '',
				target: { kind: 'site', name: 'news.example' },
				machine: expect.stringMatching(/^(quay|isle|own)-/) as string
			});
		expect(seen.every((f) => f.until > f.since && f.decisions > 0 && f.down > 0)).toBe(true);
		// Whoever cannot be here, or has no session, reaches nothing.
		expect(seen.some((f) => f.person === 'eve')).toBe(false);
	});

	test('is refused as rules say from the moment at which they are told, and ends with the session', async () => {
		await made((e) => void (e.access.habits = [{ ...HABIT, what: [toReach('category/news')] }]));
		await h.live(HOUR, MINUTE);
		const before = h.lab.now;
		await h.carryOut('access-rules.change', {
			edits: [{ put: { name: 'No news', decide: 'refuse', what: ['category/news'] } }]
		});
		h.lab.advance(h.lab.now + 10 * MINUTE);
		const since = flows().filter((f) => f.since > before + MINUTE);
		expect(since.length).toBeGreaterThan(0);
		expect(since.every((f) => !f.through && f.rule === 'no-news' && f.down === 0)).toBe(true);
		for (const s of [...h.lab.world.sessions.values()]) h.lab.stage.does.signOut(s, 'a test');
		h.lab.advance(h.lab.now + MINUTE);
		const out = h.lab.now;
		h.lab.advance(out + 5 * MINUTE);
		const later = flows().filter((f) => f.since > out && f.machine !== null);
		const back = new Set([...h.lab.world.sessions.values()].map((s) => s.person));
		expect(later.every((f) => back.has(f.person!))).toBe(true);
	});

	test('says what for where it is asked, in words of the habit; and is nothing while what is reached is down', async () => {
		await made((e) => {
			e.access.gateways = [{ id: 'gate', name: 'Gate', site: 'quay', address: 'gate.testbay.example:8443' }];
			e.access.services = [
				{ id: 'depot', name: 'Depot', hosts: ['10.1.0.9'], ports: ['5432'], protocol: 'tcp', gateway: 'gate' }
			] as Estate['access']['services'];
			e.access.habits = [{ ...HABIT, says: ['the count', 'the tender'], what: [toReach('service/depot')] }];
			e.access.rules = [rule('why', 'allow', { what: ['service/depot'] })] as Estate['access']['rules'];
			e.access.rules[0]!.decide = 'reason';
		});
		await h.live(2 * HOUR, MINUTE);
		const told = flows();
		const said = new Set(told.filter((f) => f.through).map((f) => f.said));
		expect([...said].sort()).toEqual(['the count', 'the tender']);
		// Some say nothing, and are not let through.
		expect(told.filter((f) => !f.through).every((f) => f.asked === 'reason' && f.said === undefined)).toBe(true);
		for (const [kind, target] of [
			['service-down', 'depot'],
			['inner-gateway-down', 'gate']
		] as const) {
			h.lab.advance(h.lab.now + 5 * MINUTE);
			const id = h.lab.apply({ kind: 'fault', fault: kind, target, value: null }) as number;
			const from = h.lab.now + MINUTE;
			h.lab.advance(from + 20 * MINUTE);
			expect(flows().some((f) => f.through && f.until > from + MINUTE)).toBe(false);
			h.lab.apply({ kind: 'clear fault', id });
		}
		const back = h.lab.now;
		h.lab.advance(back + 20 * MINUTE);
		expect(flows().some((f) => f.through && f.until > back)).toBe(true);
	});

	test('stops when the share of a day is used up, for each person by themselves, and comes back with their midnight', async () => {
		await made((e) => {
			e.lab.opens = Date.parse('2026-11-17T20:00:00+01:00');
			e.lab.history_days = 0.01;
			e.access.habits = [{ ...HABIT, during: 'rest', at: ['quay'], what: [toReach('category/films', 400_000)] }];
			e.access.rules = [
				rule('some', 'allow', {
					what: ['category/films'],
					from: ['site/quay'],
					duty: 'off',
					daily: { amount: '30 MB' }
				}),
				rule('none', 'refuse', { what: ['category/films'], say: 'The line is thin.' })
			] as Estate['access']['rules'];
			for (const p of e.directory.people) p.pattern = 'none';
			e.sites[0]!.endpoint_ranges = ['10.1.4.0/24', '198.51.100.0/24'];
		});
		await tellRules(h.ctx);
		h.lab.advance(Date.parse('2026-11-17T22:30:00+01:00'));
		const people = ['anna', 'bo', 'cleo', 'eve'];
		for (const person of people) {
			const of = flows().filter((f) => f.person === person);
			const had = of.filter((f) => f.rule === 'some').reduce((n, f) => n + f.down + f.up, 0);
			// The last minute may go beyond: it had begun while there was something left.
			expect(had).toBeGreaterThanOrEqual(30_000_000);
			expect(had).toBeLessThan(30_000_000 + 40_000_000);
			const last = Math.max(...of.filter((f) => f.rule === 'some').map((f) => f.until));
			const refused = of.filter((f) => f.rule === 'none');
			expect(refused.length).toBeGreaterThan(0);
			expect(refused.every((f) => f.since >= last - MINUTE && !f.through)).toBe(true);
		}
		// Nobody of another site has the habit, and a night has no hours of rest.
		expect(new Set(flows().map((f) => f.person))).toEqual(new Set(people));
		const quiet = Date.parse('2026-11-18T00:00:00+01:00');
		h.lab.advance(quiet + 7 * HOUR);
		const morning = flows().filter((f) => f.since >= quiet);
		expect(morning.every((f) => f.since >= quiet + 6 * HOUR)).toBe(true);
		expect(morning.some((f) => f.rule === 'some' && f.person === 'anna')).toBe(true);
	});

	test('follows people: whoever comes to a site, or is new there, has its habits of their time off, and whoever leaves it has them no longer', async () => {
		await made((e) => {
			e.lab.opens = Date.parse('2026-11-17T18:00:00+01:00');
			e.lab.history_days = 0.01;
			e.access.habits = [{ ...HABIT, during: 'rest', at: ['quay'], what: [toReach('category/films')] }];
			for (const p of e.directory.people) p.pattern = 'none';
		});
		await tellRules(h.ctx);
		const { world, estate } = h.lab;
		const whoRests = () => {
			const from = h.lab.now;
			h.lab.advance(from + 30 * MINUTE);
			return new Set(
				flows()
					.filter((f) => f.until > from + 5 * MINUTE)
					.map((f) => f.person)
			);
		};
		expect(whoRests()).toEqual(new Set(['anna', 'bo', 'cleo', 'eve']));
		changePerson(world, estate, 'dag', { site: 'quay' });
		changePerson(world, estate, 'anna', { site: 'isle' });
		expect(whoRests()).toEqual(new Set(['bo', 'cleo', 'dag', 'eve']));
		personComes(world, estate, { ...estate.directory.people[1]!, login: 'finn', name: 'Finn Oar' });
		expect(whoRests()).toEqual(new Set(['bo', 'cleo', 'dag', 'eve', 'finn']));
	});

	test('is the same for the same estate and commands, also for a lab that was stored in between', async () => {
		const run = async () => {
			await made(
				(e) =>
					void (e.access.habits = [
						{ ...HABIT, busy: 0.6, what: [toReach('category/news'), toReach('category/films')] }
					])
			);
			await h.live(HOUR, MINUTE);
			return h.lab;
		};
		const whole = await run();
		whole.advance(whole.now + 2 * HOUR);
		const first = await run();
		first.advance(first.now + HOUR);
		const { serialize, deserialize } = await import('node:v8');
		const second = new Lab(first.estate, deserialize(serialize(first.world)) as typeof first.world);
		second.advance(second.now + HOUR);
		const told = (lab: Lab) => lab.world.observations.filter((o) => o.kind === 'activity');
		expect(told(whole).length).toBeGreaterThan(0);
		expect(told(second)).toEqual(told(whole));
	});
});

describe('a device that nobody is on', () => {
	beforeEach(async () => {
		await made((e) => {
			e.access.habits = [{ ...HABIT, during: 'signed-out', what: [toReach('category/news')] }];
			e.sites[0]!.endpoint_ranges = ['10.1.4.0/24'];
			e.endpoints.fleets = [
				{
					id: 'boxes',
					site: 'quay',
					kind: 'desk box',
					model: 'Tern 5',
					firmware: '4.1.9',
					serials: 'TB-',
					naming: 'box-##',
					each: 1,
					spare: 2,
					spare_on: e.lab.opens,
					clones: 0
				} as unknown as Estate['endpoints']['fleets'][number]
			];
		});
	});

	test('reaches nothing, whatever the rules allow, and that is told as nobody’s', async () => {
		await tellRules(h.ctx);
		for (const e of h.lab.world.endpoints.values()) h.lab.apply({ kind: 'switch on', endpoint: e.id });
		h.lab.advance(h.lab.now + 5 * MINUTE);
		const seen = flows();
		expect(seen.length).toBeGreaterThan(0);
		for (const f of seen) expect(f).toMatchObject({ person: null, through: false, asked: 'sign in', down: 0, up: 0 });
		await h.engine.observe();
		h.lab.advance(h.lab.now + 40 * MINUTE);
		await h.engine.observe();
		expect(
			all(h.db, 'SELECT person_id, through FROM activity UNION SELECT person_id, through FROM activity_now')
		).toEqual([{ person_id: 0, through: 0 }]);
	});

	test('is let through where the door of its site is broken; the check of the site sees it, and sees it mended', async () => {
		const door = () =>
			all<{ ok: number; saw: string }>(
				h.db,
				`SELECT ok, saw FROM site_checks WHERE name = 'door' AND site_id = 'quay' AND until = ${FOREVER}`
			);
		await h.live(6 * MINUTE, MINUTE);
		expect(door()).toEqual([{ ok: 1, saw: 'www.example was tried by a device that nobody is on, and was shut' }]);
		const fault = h.lab.apply({ kind: 'fault', fault: 'door-open', target: 'quay', value: null }) as number;
		for (const e of h.lab.world.endpoints.values()) h.lab.apply({ kind: 'switch on', endpoint: e.id });
		await h.live(11 * MINUTE, MINUTE);
		expect(door()).toEqual([{ ok: 0, saw: 'www.example was reached by a device that nobody is on' }]);
		expect(flows().some((f) => f.person === null && f.through)).toBe(true);
		h.lab.apply({ kind: 'clear fault', id: fault });
		await h.live(11 * MINUTE, MINUTE);
		expect(door()[0]!.ok).toBe(1);
		expect([...h.lab.world.flows.values()].every((f) => !f.through || f.until < h.lab.now - MINUTE)).toBe(true);
	});
});
