import fc from 'fast-check';
import { beforeEach, describe, expect, test } from 'vitest';
import { parseScope } from '$lib/core/scope/scope';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one, run } from '../db';
import { cardOf } from '../house/cards';
import type { Flow } from '../providers';
import { Harness, OWNER, QUIET, testEstate } from '../testing/harness';
import { recordOf } from '../directory';
import { verifyData } from '../verify';
import { draftedView, draftOn } from '../reach';
import { activityView, hitsView, reachedView, unusedRules } from './view';
import { looksAt, LOOK_LASTS, openLook } from './looking';
import { packed, packedProblems, PackedProblem, Unpacking, type Sum } from './packed';
import {
	hitsByRule,
	peopleOf,
	reachedBy,
	rulesOf,
	sumOf,
	sumsByHour,
	targetsOf,
	totalsOf,
	usersOf,
	type Asked
} from './queries';
import { letGo, sumUp } from './rolling';
import { narrowerAt, usedOf } from './used';
import { forgetNames, takeActivity } from './write';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
});

const START = Date.parse('2026-11-10T00:00:00Z');
const flow = (more: Partial<Flow> = {}): Flow => ({
	person: 'anna',
	endpoint: null,
	machine: null,
	address: '10.1.0.20',
	target: { kind: 'site', name: 'news.example' },
	way: 'device',
	rule: 'news',
	effect: 'allow',
	through: true,
	asked: null,
	since: START,
	until: START + 5 * MINUTE,
	decisions: 3,
	down: 100,
	up: 10,
	...more
});
const known = { machine: () => undefined, person: (login: string) => recordOf(h.db, login, h.lab.now)?.id };
let seq = 0;
const take = (flows: Flow[], at = Math.max(START, ...flows.map((f) => f.until).filter(Number.isFinite))) =>
	takeActivity(h.db, { kind: 'activity', seq: seq++, at, flows }, known);
const idOf = (login: string) => recordOf(h.db, login, h.lab.now)!.id;
const everything = (at: number, days = 7) => ({ at, days, people: null });

/** Flows of some days, each told in the order in which they ended. */
const someFlows = fc.array(
	fc.record({
		person: fc.constantFrom('anna', 'bo', 'eve', null),
		target: fc.constantFrom(
			{ kind: 'site' as const, name: 'news.example' },
			{ kind: 'site' as const, name: 'films.example' },
			{ kind: 'service' as const, name: 'depot' }
		),
		rule: fc.constantFrom('news', 'films', ''),
		through: fc.boolean(),
		minute: fc.integer({ min: 0, max: 3 * 1440 }),
		lasts: fc.integer({ min: 1, max: 30 }),
		decisions: fc.integer({ min: 1, max: 9 }),
		down: fc.integer({ min: 0, max: 1000 })
	}),
	{ minLength: 1, maxLength: 40 }
);

function grouped(flows: Flow[], by: (f: Flow) => string): Map<string, Flow[]> {
	const of = new Map<string, Flow[]>();
	for (const f of flows) of.set(by(f), [...(of.get(by(f)) ?? []), f]);
	return of;
}

const scope = (text: string) => parseScope(text).scope;

const sumsByRule = (asked: Asked) => rulesOf(h.db, totalsOf(h.db, asked));
const sumsByTarget = (asked: Asked) => targetsOf(h.db, totalsOf(h.db, asked));

/** How many rows there are of hours that go on, and of those that are over. */
const rows = () => one<{ n: number }>(h.db, 'SELECT count(*) AS n FROM activity_now')!.n;
const rowsThen = () => one<{ n: number }>(h.db, 'SELECT count(*) AS n FROM activity')!.n;

describe('sums', () => {
	test('are the same, exactly, whether hours were summed up or not, at any moment, for everybody and for some', () => {
		fc.assert(
			fc.property(
				someFlows,
				fc.integer({ min: 0, max: 3 * 1440 }),
				fc.integer({ min: 0, max: 3 * 1440 }),
				fc.constantFrom(1, 2, 7),
				(made, rolledAt, lookedAt, days) => {
					for (const table of [
						'activity',
						'activity_now',
						'activity_days',
						'activity_packed',
						...['person', 'rule'].map((k) => `activity_${k}_hours`)
					])
						h.db.exec(`DELETE FROM ${table}`);
					h.db.exec("DELETE FROM settings WHERE key = 'activity summed up'");
					forgetNames(h.db);
					const flows = made
						.map(({ minute, lasts, ...f }) =>
							flow({ ...f, since: START + minute * MINUTE, until: START + (minute + lasts) * MINUTE })
						)
						.sort((a, b) => a.until - b.until);
					// Some are told before the hours are summed up, the others after.
					const middle = START + rolledAt * MINUTE;
					take(flows.filter((f) => f.until <= middle));
					sumUp(h.db, middle);
					take(flows.filter((f) => f.until > middle));
					const at = START + lookedAt * MINUTE;
					const first = (Math.floor(at / DAY) - days + 1) * DAY;
					for (const logins of [null, ['anna', 'bo']]) {
						const asked = { at, days, people: logins && logins.map(idOf) };
						// An hour of the past that was summed up is known to the end of what was told of it, flow by flow.
						const seen = flows.filter(
							(f) =>
								f.until <= at && Math.floor(f.until / HOUR) * HOUR >= first && (!logins || logins.includes(f.person!))
						);
						const sum = (of: Flow[]) => ({
							decisions: of.reduce((n, f) => n + f.decisions, 0),
							refused: of.reduce((n, f) => n + (f.through ? 0 : f.decisions), 0),
							down: of.reduce((n, f) => n + f.down, 0),
							up: of.reduce((n, f) => n + f.up, 0),
							people: new Set(of.flatMap((f) => f.person ?? [])).size
						});
						expect(totalsOf(h.db, asked).all).toEqual(sum(seen));
						expect(packedProblems(h.db)).toEqual([]);
						const byRule = grouped(seen, (f) => f.rule);
						expect(Object.fromEntries(sumsByRule(asked).map(({ rule, ...s }) => [rule, s]))).toEqual(
							Object.fromEntries([...byRule].map(([rule, of]) => [rule, sum(of)]))
						);
						for (const [rule, of] of byRule) if (rule) expect(sumOf(h.db, asked, { rule })).toEqual(sum(of));
						const byTarget = grouped(seen, (f) => f.target.name);
						expect(Object.fromEntries(sumsByTarget(asked).map(({ kind: _, target, ...s }) => [target, s]))).toEqual(
							Object.fromEntries([...byTarget].map(([target, of]) => [target, sum(of)]))
						);
						for (const [target, of] of byTarget)
							expect(sumOf(h.db, asked, { ...of[0]!.target, kind: of[0]!.target.kind, target })).toEqual(sum(of));
						const hours = sumsByHour(h.db, asked, 200);
						const all = flows.filter((f) => f.until <= at && (!logins || logins.includes(f.person!)));
						expect(hours.reduce((n, x) => n + x.decisions, 0)).toBe(sum(all).decisions);
						expect(hours.reduce((n, x) => n + x.refused, 0)).toBe(sum(all).refused);
					}
					const hits = hitsByRule(h.db, at, 30);
					for (const [rule, of] of grouped(
						flows.filter((f) => f.until <= at),
						(f) => f.rule
					))
						expect(hits.get(rule)?.decisions).toBe(of.reduce((n, f) => n + f.decisions, 0));
					const anna = flows.filter((f) => f.person === 'anna' && f.until <= at);
					expect(
						reachedBy(h.db, idOf('anna'), at, 30, 1000)
							.map((r) => r.decisions)
							.sort()
					).toEqual(anna.map((f) => f.decisions).sort());
				}
			),
			{ numRuns: 60 }
		);
	});

	test('count whoever reached something, not whoever was refused it', () => {
		take([
			flow({ target: { kind: 'service', name: 'depot' } }),
			flow({ person: 'bo', target: { kind: 'service', name: 'depot' }, through: false, effect: 'refuse' }),
			flow({ person: null, target: { kind: 'service', name: 'depot' }, through: false, asked: 'sign in' })
		]);
		expect(usersOf(h.db, everything(START + HOUR), 'service', 'depot')).toEqual([idOf('anna')]);
		expect(sumsByTarget(everything(START + HOUR))[0]).toMatchObject({
			target: 'depot',
			refused: 6,
			people: 2
		});
	});

	test('take what is told late of an hour that was summed up into the first that was not', () => {
		take([flow()]);
		sumUp(h.db, START + 3 * HOUR);
		expect(one(h.db, 'SELECT count(*) AS n FROM activity_rule_hours')).toEqual({ n: 1 });
		take([flow({ person: 'bo' })]);
		sumUp(h.db, START + 9 * HOUR);
		expect(totalsOf(h.db, everything(START + 9 * HOUR)).all).toMatchObject({ decisions: 6, people: 2 });
		expect(hitsByRule(h.db, START + 9 * HOUR, 1).get('news')?.decisions).toBe(6);
	});
});

describe('what is told', () => {
	test('keeps a site, a service and a channel of one name apart, and names that objects have of themselves', () => {
		const kinds = ['site', 'service', 'channel'] as const;
		for (const name of ['depot', 'constructor', '__proto__', 'Überseetor'])
			take(
				kinds.flatMap((kind, i) => Array.from({ length: i + 1 }, () => flow({ target: { kind, name }, decisions: 1 })))
			);
		const sums = sumsByTarget(everything(START + HOUR));
		for (const name of ['depot', 'constructor', '__proto__', 'Überseetor'])
			expect(kinds.map((kind) => sums.find((t) => t.kind === kind && t.target === name)?.decisions)).toEqual([1, 2, 3]);
		expect(sums).toHaveLength(12);
	});
	test('is written down the same in one go of hundreds and one by one', () => {
		const flows = Array.from({ length: 300 }, (_v, i) =>
			flow({
				person: ['anna', 'bo', 'eve', null][i % 4]!,
				rule: `rule-${i % 7}`,
				address: `10.1.0.${i % 11}`,
				target: { kind: 'site', name: `s${i % 13}.example` },
				until: START + (i % 50) * MINUTE,
				decisions: 1 + (i % 5)
			})
		);
		const of = () => [sumsByRule(everything(START + 2 * HOUR)), sumsByTarget(everything(START + 2 * HOUR))];
		take(flows);
		const atOnce = of();
		h.db.exec('DELETE FROM activity_now');
		for (const f of flows) take([f]);
		expect(of()).toEqual(atOnce);
	});
	test('is left out where it cannot be so, and names that were not kept are not counted on', () => {
		take([
			flow({ decisions: -1 }),
			flow({ down: Number.NaN }),
			flow({ until: START - 1 }),
			flow({ person: 'stranger' }),
			flow({ target: { kind: 'site', name: 'x'.repeat(4000) } }),
			flow({ effect: 'perhaps' as Flow['effect'] }),
			flow({ way: 'wire' as Flow['way'] }),
			flow({ asked: 'nicely' as unknown as Flow['asked'] })
		]);
		// What lies ahead would stand above all that is to come.
		take([flow({ until: START + 900 * DAY })], START);
		expect([rows(), rowsThen()]).toEqual([0, 0]);
		const batch = h.db.transaction(() => {
			take([flow({ rule: 'gone' })]);
			throw new Error('the disk is full');
		});
		expect(batch).toThrow('full');
		forgetNames(h.db);
		take([flow({ rule: 'other' }), flow({ rule: 'gone' })]);
		expect(
			sumsByRule(everything(START + HOUR))
				.map((r) => r.rule)
				.sort()
		).toEqual(['gone', 'other']);
	});

	test('is forgotten once it was kept for long enough: sums stay, and nothing goes that was not summed up', async () => {
		take([flow(), flow({ since: START + 2 * DAY, until: START + 2 * DAY + MINUTE })]);
		letGo(h.db, START + 400 * DAY);
		expect([rows(), rowsThen()]).toEqual([2, 0]);
		sumUp(h.db, START + 400 * DAY);
		expect([rows(), rowsThen()]).toEqual([0, 2]);
		for (let n = 0; n < 3; n++) letGo(h.db, START + 400 * DAY);
		expect([rows(), rowsThen()]).toEqual([0, 0]);
		expect(all(h.db, 'SELECT 1 FROM activity_days')).toEqual([]);
		expect(all(h.db, 'SELECT 1 FROM reached_targets')).toEqual([]);
		// The same name, told again, is found again.
		take([flow({ since: START + 401 * DAY, until: START + 401 * DAY + MINUTE })]);
		expect(sumsByTarget(everything(START + 401 * DAY + HOUR)).map((t) => t.target)).toEqual(['news.example']);
		expect(hitsByRule(h.db, START + 3 * DAY, 30).get('news')?.decisions).toBe(6);
	});

	test('is kept for as many days as a plan says', async () => {
		take([flow()]);
		sumUp(h.db, h.lab.now);
		const plan = await h.draft('activity.keep', { days: 2 });
		expect(plan.warnings[0]?.words).toMatch(/1 hours? of people lie further back/);
		await h.finish(await h.commit(plan.id));
		await expect(h.draft('activity.keep', { days: 0 })).rejects.toThrow();
		await h.live(2 * HOUR, 10 * MINUTE);
		expect([rows(), rowsThen()]).toEqual([0, 0]);
	});
});

describe('looking at what somebody reached', () => {
	test('asks why, which stays on record, and ends by itself', async () => {
		take([flow(), flow({ through: false, effect: 'refuse', rule: 'gone', down: 0 })]);
		expect(openLook(h.db, 'anna', OWNER, h.lab.now)).toBeNull();
		await expect(h.draft('activity.look', { person: 'anna', why: ' ' })).rejects.toThrow();
		await expect(h.draft('activity.look', { person: 'nobody', why: 'curious' })).rejects.toThrow();
		expect((await h.carryOut('activity.look', { person: 'anna', why: 'they asked what shut the news' })).state).toBe(
			'done'
		);
		const { now } = h.lab;
		expect(openLook(h.db, 'anna', OWNER, now)).toMatchObject({ why: 'they asked what shut the news', by: OWNER.name });
		expect(openLook(h.db, 'bo', OWNER, now)).toBeNull();
		expect(openLook(h.db, 'anna', { kind: 'operator', id: 2, name: OWNER.name }, now)).toBeNull();
		expect(openLook(h.db, 'anna', { kind: 'token', id: 1, name: OWNER.name }, now)).toBeNull();
		expect(openLook(h.db, 'anna', OWNER, now + LOOK_LASTS)).toBeNull();
		expect(looksAt(h.db, now, 10)).toHaveLength(1);
		expect(one(h.db, "SELECT count(*) AS n FROM changes WHERE kind = 'activity.look'")).toEqual({ n: 1 });
		const rows = reachedView(h.db, idOf('anna'), now, 30, 10, 0);
		expect(rows.map((r) => [r.name, r.through, r.ruleName])).toEqual([
			['news.example', false, 'gone, which is not there any more'],
			['news.example', true, 'news, which is not there any more']
		]);
		const card = (await cardOf(h.ctx, 'person', 'anna', { at: now, live: true }))!;
		expect(JSON.stringify(card.sections)).toContain('they asked what shut the news');
	});

	test('says what passed a session, and what they said that it is for; that goes with the rest of it', () => {
		const out = { kind: 'channel', name: 'clipboard-out' } as const;
		take([
			flow({ target: out, effect: 'reason', said: 'the count' }),
			flow({ target: out, said: 'x'.repeat(500), since: START + 6 * MINUTE, until: START + 7 * MINUTE }),
			flow({ person: null, said: 'nobody says anything' }),
			flow({ said: 5 as never }),
			flow({ target: { kind: 'smells' as never, name: 'salt' } })
		]);
		const rows = reachedView(h.db, idOf('anna'), START + HOUR, 7, 10, 0);
		expect(rows.map((r) => [r.kind, r.name, r.said?.length, r.category])).toEqual([
			['channel', 'clipboard out of the session', 200, null],
			['channel', 'clipboard out of the session', 'the count'.length, null]
		]);
		expect(sumsByTarget(everything(START + HOUR)).map((t) => [t.kind, t.target])).toEqual([
			['channel', 'clipboard-out'],
			['site', 'news.example']
		]);
		sumUp(h.db, START + 400 * DAY);
		for (let n = 0; n < 3; n++) letGo(h.db, START + 400 * DAY);
		expect(all(h.db, 'SELECT 1 FROM activity_reasons')).toEqual([]);
	});

	test('is not done by sums: of fewer than five people, or of everybody but one, there are none', () => {
		take([flow()]);
		const at = START + HOUR;
		expect(activityView(h.db, scope('person:anna'), at, 7)).toMatchObject({ few: 1, sums: null });
		expect(activityView(h.db, scope('team:visitors'), at, 7)).toMatchObject({ few: 1, sums: null });
		expect(activityView(h.db, scope('-person:anna'), at, 7).sums).toBeNull();
		expect(activityView(h.db, scope('quill'), at, 7).sums).toBeNull();
		expect(activityView(h.db, scope(''), at, 7).sums).toMatchObject({ decisions: 3, people: 1 });
		// What says nothing of people leaves everybody.
		expect(peopleOf(h.db, scope('protocol:stream'), at)).toMatchObject({ people: null, left: [{ facet: 'protocol' }] });
	});
});

describe('of rules', () => {
	test('is said how often each decided, and which have stood for 90 days without deciding anything', async () => {
		await h.carryOut('access-rules.change', {
			edits: [
				{ put: { name: 'News', id: 'news', decide: 'allow', what: ['site/news.example'] } },
				{ put: { name: 'Idle', id: 'idle', decide: 'refuse', what: ['site/idle.example'] } }
			]
		});
		const now = h.lab.now;
		take([flow({ since: now, until: now + MINUTE })]);
		sumUp(h.db, now + 3 * HOUR);
		const later = now + 91 * DAY;
		expect(unusedRules(h.db, now + 89 * DAY)).toEqual([]);
		take([flow({ since: later - HOUR, until: later - MINUTE })]);
		sumUp(h.db, later);
		expect(unusedRules(h.db, later)).toEqual(['idle']);
		expect(hitsView(h.db, later, 30)).toEqual({ news: { decisions: 3, refused: 0 } });
		const card = (await cardOf(h.ctx, 'access-rule', 'idle', { at: later, live: false }))!;
		expect(JSON.stringify(card.sections)).toContain('It decided nothing');
	});

	describe('of more people', () => {
		/** Five of the harbour, and twelve visitors. */
		const harbour = ['anna', 'bo', 'cleo', 'dag', 'finn'];
		beforeEach(async () => {
			h = await Harness.of(
				testEstate('e2e/small.yaml', (e) => {
					QUIET(e);
					const like = (login: string, of: string) => ({
						...e.directory.people.find((p) => p.login === of)!,
						login,
						name: `${login} Other`
					});
					e.directory.people.push(like('finn', 'bo'), ...Array.from({ length: 11 }, (_v, i) => like(`v${i}`, 'eve')));
				})
			);
			await h.carryOut('private-service.put', { name: 'Depot', hosts: ['10.1.0.9'], ports: ['5432'] });
			await h.carryOut('access-rules.change', {
				edits: [
					{ put: { name: 'Depot', id: 'depot', decide: 'allow', what: ['service/depot'] } },
					{ put: { name: 'One', id: 'one', decide: 'allow', who: ['person/anna'], what: ['site/one.example'] } }
				]
			});
		});
		const began = () => Math.floor(h.lab.now / DAY) * DAY - 2 * DAY;
		const reach = (person: string, more: Partial<Flow> = {}) =>
			flow({
				person,
				target: { kind: 'service', name: 'depot' },
				rule: 'depot',
				since: began(),
				until: began() + MINUTE,
				...more
			});
		const draft = async (edit: object) => {
			const plan = await h.draft('access-rules.change', { edits: [edit] });
			const on = draftOn(h.db, plan, h.lab.now);
			if (on?.wrong !== null) throw new Error('no draft');
			return draftedView(h.db, on, h.lab.now, (d, c) => usedOf(h.db, h.lab.now, d, c)).differences;
		};

		test('is said what a narrower one would do as, and how many of those who lose something have used it', async () => {
			take([...harbour.map((p) => reach(p)), reach('eve', { through: false, asked: 'reason' })]);
			sumUp(h.db, h.lab.now);
			const [found] = narrowerAt(h.db, h.lab.now);
			expect(found).toMatchObject({ id: 'depot', number: 1, put: { who: ['team/harbour'], from: ['site/quay'] } });
			expect(found!.words).toBe(
				'All that it let through came from 5 of 17 people, at Quay; it would do as: Harbour · Depot · from Quay'
			);
			expect(await draft({ remove: 'depot' })).toEqual([expect.objectContaining({ kind: 'lose', count: 17, used: 5 })]);
			expect((await draft({ put: found!.put })).filter((d) => !d.only)).toEqual([
				expect.objectContaining({ kind: 'lose', count: 12, used: 0 })
			]);
		});

		test('is nothing said that would tell what a few of them did', async () => {
			take([
				...harbour.slice(0, 4).map((p) => reach(p)),
				reach('anna', { rule: 'one', target: { kind: 'site', name: 'one.example' } })
			]);
			sumUp(h.db, h.lab.now);
			const { now } = h.lab;
			expect(narrowerAt(h.db, now)).toEqual([]);
			expect(
				await draft({ put: { id: 'depot', decide: 'allow', but: ['person/anna'], what: ['service/depot'] } })
			).toEqual([expect.objectContaining({ kind: 'lose', count: 1, used: null })]);
			expect(hitsView(h.db, now, 30)).toMatchObject({ depot: { decisions: 12 }, one: null });
			expect(activityView(h.db, scope(''), now, 30).sums!.rules.map((r) => r.rule)).toEqual(['depot']);
			const card = (await cardOf(h.ctx, 'access-rule', 'one', { at: now, live: true }))!;
			expect(JSON.stringify(card.sections)).toContain('It is about fewer than 5 people');
		});
	});
});

describe('the sums of a day in one piece', () => {
	const number = fc.oneof(fc.nat(300), fc.nat(), fc.constantFrom(127, 128, 2 ** 31, 2 ** 32, Number.MAX_SAFE_INTEGER));
	const sums = fc
		.array(fc.tuple(fc.integer({ min: 1, max: 400 }), number, fc.nat(), fc.nat(1), number, number, number), {
			minLength: 1,
			maxLength: 60
		})
		.map((list) => list.sort(([a], [b]) => a - b));
	const read = (bytes: Uint8Array): Sum[] => {
		const day = new Unpacking(bytes);
		const found: Sum[] = [];
		while (day.target !== Infinity) {
			const { target } = day;
			day.take((person, rule, through, ...rest) => found.push([target, person, rule, through ? 1 : 0, ...rest]));
		}
		return found;
	};

	test('come out as they went in', () => {
		fc.assert(
			fc.property(sums, (list) => {
				expect(read(packed(list))).toEqual(list);
			})
		);
	});

	test('that are damaged are told apart, or are other sums; none goes on for ever', () => {
		fc.assert(
			fc.property(fc.uint8Array({ maxLength: 200 }), sums, fc.nat(), (noise, list, at) => {
				const whole = packed(list);
				for (const bytes of [noise, whole.slice(0, at % (whole.length + 1)), new Uint8Array([...whole, ...noise])])
					try {
						expect(read(bytes).length).toBeLessThanOrEqual(bytes.length / 5);
					} catch (e) {
						expect(e).toBeInstanceOf(PackedProblem);
					}
			})
		);
	});

	test('are made a day at a time, the oldest first, each once; the sums are the same meanwhile', () => {
		const days = [0, 1, 3, 4];
		take(days.map((d) => flow({ since: START + d * DAY, until: START + d * DAY + MINUTE })));
		const asked = everything(START + 4 * DAY + HOUR);
		const first = Math.floor(START / DAY);
		const seen = days.map(() => {
			sumUp(h.db, START + 4 * DAY + 2 * HOUR);
			expect(totalsOf(h.db, asked).all).toMatchObject({ decisions: 12, people: 1 });
			return all<{ day: number }>(h.db, 'SELECT day FROM activity_packed ORDER BY day').map((r) => r.day - first);
		});
		expect(seen).toEqual([[0], [0, 1], [0, 1, 3], [0, 1, 3]]);
	});

	test('follow the rows: what is damaged is summed up from those, and named', () => {
		take([flow(), flow({ person: 'bo', since: START + MINUTE, until: START + 2 * MINUTE })]);
		take([flow({ since: START + DAY + HOUR, until: START + DAY + HOUR + MINUTE })]);
		sumUp(h.db, START + 2 * DAY);
		expect(all(h.db, 'SELECT day FROM activity_packed')).toEqual([{ day: Math.floor(START / DAY) }]);
		const asked = everything(START + 2 * DAY);
		const right = totalsOf(h.db, asked);
		expect(right.all).toMatchObject({ decisions: 9, people: 2 });
		for (const body of ["x'01'", "x'ffffffffffffffffff'", "x''", "x'0107'"]) {
			run(h.db, `UPDATE activity_packed SET body = ${body}`);
			expect(totalsOf(h.db, asked)).toEqual(right);
			expect(packedProblems(h.db)).toEqual([
				`activity_packed: day ${Math.floor(START / DAY)} is not the sum of its rows`
			]);
			expect(verifyData(h.db)).toContain(packedProblems(h.db)[0]);
		}
		run(h.db, `UPDATE activity_packed SET day = day + 900`);
		expect(packedProblems(h.db)).toContain(`activity_packed: day ${Math.floor(START / DAY)} is missing`);
		run(h.db, 'DELETE FROM activity_packed');
		expect(totalsOf(h.db, asked)).toEqual(right);
		sumUp(h.db, START + 2 * DAY);
		expect(totalsOf(h.db, asked)).toEqual(right);
		letGo(h.db, START + 400 * DAY);
		expect(all(h.db, 'SELECT day FROM activity_packed')).toEqual([]);
	});
});
