import { beforeEach, describe, expect, test } from 'vitest';
import { EVERYTHING, parseScope } from '$lib/core/scope/scope';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { changesBefore } from '../changes';
import { all, one } from '../db';
import { needsAt } from '../house/needs';
import { personCard } from '../people/cards';
import { draftUndo } from '../plans';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { cardOf } from '../house/cards';
import { endpointsIn } from './lists';
import { startsBefore } from './queries';
import { endpointsView } from './view';

/** Everybody of the quay sits at a box of their own but cleo, who shares none; there is a copy of the first, and a spare one. */
let h: Harness;
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			e.sites[0]!.endpoint_ranges = ['10.1.4.0/24'];
			const fleet = {
				kind: 'desk box' as const,
				firmware: '4.1.9',
				each: 1,
				spare: 0,
				roams: 0,
				breaks: 0,
				lost: 0,
				clones: 0
			};
			e.endpoints = {
				firmware: [],
				fleets: [
					{
						...fleet,
						id: 'boxes',
						model: 'Tern 5',
						site: 'quay',
						naming: 'box-##',
						serials: 'TB-',
						spare: 1,
						clones: 1
					}
				],
				branches: [
					{ id: 'all', name: 'All' },
					{ id: 'quay', name: 'Quay', parent: 'all', site: 'quay' },
					{ id: 'loft', name: 'Loft', parent: 'quay' },
					{ id: 'other', name: 'Other', parent: 'all' }
				],
				rules: [
					{
						name: 'By site',
						condition: 'address in 10.1.4.0/24',
						into: 'all',
						by_site: true,
						whom: 'all',
						often: 'start',
						deeper: 'stay'
					}
				]
			};
		})
	);
	await h.live(10 * HOUR, 20_000);
});

const items = (scope = '', at = h.lab.now) => endpointsIn(h.db, parseScope(scope).scope, at).items;
const called = (name: string, at = h.lab.now) => items('', at).find((e) => e.name === name)!;
const cardFor = (id: number, at = h.lab.now) => cardOf(h.ctx, 'endpoint', String(id), { at, live: true });
const start = async (id: string) => {
	await h.live(MINUTE);
	h.lab.apply({ kind: 'switch on', endpoint: id });
	await h.live(MINUTE);
};
const undo = async () => {
	const plan = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
	return h.finish(await h.commit(plan.id));
};
const wrong = (kind: string, input: object) =>
	h.draft(kind, input).then(
		() => [],
		(e: { problems: { field: string; words: string }[] }) => e.problems.map((p) => [p.field, p.words])
	);

describe('endpoints', () => {
	test('are known from their first call: who sits at them, where, awake while somebody works', async () => {
		const anna = items().find((e) => e.person === 'anna')!;
		expect(anna).toMatchObject({ site: 'quay', model: 'Tern 5', branch: 'quay', branchName: 'Quay' });
		expect(items('person:anna')).toHaveLength(1);
		expect(items('branch:all').length).toBe(items('branch:quay').length);
		expect(items('branch:other')).toEqual([]);
		expect(
			items('model:"Tern 5" state:awake').length + items('state:asleep').length + items('state:waits').length
		).toBe(items().length);
		// Known to nobody before it called, and awake in the middle of its day.
		const from = one<{ at: number }>(h.db, 'SELECT min(first_at) AS at FROM endpoints')!.at;
		expect(items('', from - 1)).toEqual([]);
		expect(called(anna.name, from + HOUR)?.state ?? 'awake').toBe('awake');
		const states = all<{ state: string }>(
			h.db,
			'SELECT DISTINCT state FROM endpoint_states WHERE endpoint_id = ? ORDER BY state',
			[anna.id]
		).map((s) => s.state);
		expect(states).toEqual(['asleep', 'awake']);
		const card = (await cardFor(anna.id))!;
		expect(card.rows).toContainEqual(expect.objectContaining({ name: 'branch', value: 'All › Quay' }));
		// Their day is over: it sleeps. In the middle of it what they reach was theirs.
		const reaches = async (at: number) =>
			(await cardOf(h.ctx, 'endpoint', String(anna.id), { at, live: false }))!.rows.find((r) => r.name === 'reaches')!
				.value;
		const by: Record<string, string> = {
			asleep: 'nothing: it sleeps',
			awake: 'what access rules let Anna Quill reach'
		};
		expect(await reaches(h.lab.now)).toBe(by[anna.state]);
		expect(await reaches(from + HOUR)).toBe(by[called(anna.name, from + HOUR)?.state ?? 'awake']);
		expect(card.facts[0]!.words).toBe('rule 1, By site, fits: Quay');
		expect(
			(await cardOf(h.ctx, 'person', 'anna', { at: h.lab.now, live: true }))!.sections.flatMap((s) =>
				s.kind === 'lines' && s.title === 'Sits at' ? s.lines.map((l) => l.words) : []
			)
		).toEqual([anna.name]);
		expect(personCard(h.ctx, 'anna', { at: h.lab.now, live: true } as never)).not.toBeNull();
	});

	test('a copy waits with both keys said, until somebody lets it in; what the rules are does not matter', async () => {
		const copy = [...h.lab.world.endpoints.values()].find((e) => e.id.includes('/'))!;
		await start(copy.serial);
		await start(copy.id);
		const waits = items('state:waits');
		expect(waits.map((e) => e.serial)).toEqual([copy.serial]);
		const card = (await cardFor(waits[0]!.id))!;
		expect(card.facts.map((f) => f.words)).toEqual([
			'another device has called in with this serial number and another key',
			expect.stringMatching(/^the other’s key is /)
		]);
		const need = needsAt(h.db, EVERYTHING, h.lab.now).needs.find((n) => n.key === 'endpoints-waiting')!;
		expect(need.title).toBe('1 endpoint waits to be let in');
		await start(copy.id);
		expect(items('state:waits')).toHaveLength(1);
		const plan = await h.draft('endpoint.move', { endpoints: [waits[0]!.id], branch: 'other' });
		expect(plan.title).toBe(`Let ${waits[0]!.name} in, into Other`);
		expect(plan.warnings.map((f) => f.words)).toContain(
			`${waits[0]!.name}: another device has the serial number ${copy.serial}`
		);
		await h.finish(await h.commit(plan.id));
		expect(items('state:waits')).toEqual([]);
		await undo();
		expect(items('state:waits')).toHaveLength(1);
		// Where it stood, and by whom, is on record: nobody says so for somebody else.
		expect(
			await wrong('endpoint.put-back', { endpoints: [waits[0]!.id], then: h.lab.now, by: 'Somebody Else' })
		).toEqual([['by', expect.any(String)]]);
	});

	test('one that no rule lets in waits, and is put once a rule fits at a start', async () => {
		await h.carryOut('rules.set', { rules: [] });
		const spare = [...h.lab.world.endpoints.values()].find((e) => e.users.length === 0 && !e.id.includes('/'))!;
		await start(spare.id);
		expect(called(spare.name)).toMatchObject({ state: 'waits', branch: null });
		await h.carryOut('rules.set', {
			rules: [{ name: 'All of it', condition: 'any device', into: 'other', whom: 'new' }]
		});
		await start(spare.id);
		expect(called(spare.name)).toMatchObject({ branch: 'other' });
		// A rule for new devices leaves those alone that stand somewhere.
		expect(items('branch:quay').length).toBeGreaterThan(0);
	});

	test('moved by hand they stay deeper, and go back where a rule says so, which the plan tells', async () => {
		const anna = items().find((e) => e.person === 'anna')!;
		const deeper = await h.draft('endpoint.move', { endpoints: [anna.id], branch: 'loft' });
		expect(deeper.warnings).toEqual([]);
		expect(deeper.effects.people.map((p) => p.how)).toEqual([`${anna.name} stands in Loft`]);
		await h.finish(await h.commit(deeper.id));
		await start([...h.lab.world.endpoints.values()].find((e) => e.name === anna.name)!.id);
		expect(called(anna.name).branch).toBe('loft');
		expect((await cardFor(anna.id))!.facts.map((f) => f.words)).toContain(
			'somebody has put it deeper, into Loft, and it is left there'
		);
		const away = await h.draft('endpoint.move', { endpoints: [anna.id], branch: 'other' });
		expect(away.warnings.map((f) => f.words)).toEqual([
			`${anna.name}: the rule By site would take it back to Quay at its next start`
		]);
		await h.finish(await h.commit(away.id));
		const [rule] = endpointsView(h.db, EVERYTHING, h.lab.now).rules;
		expect(rule!.remarks).toEqual(['takes back 1 that somebody has put elsewhere']);
		await start([...h.lab.world.endpoints.values()].find((e) => e.name === anna.name)!.id);
		expect(called(anna.name).branch).toBe('quay');
		const stood = all<{ branch: string }>(
			h.db,
			'SELECT branch_id AS branch FROM endpoint_spots WHERE endpoint_id = ? ORDER BY since',
			[anna.id]
		).map((s) => s.branch);
		expect(stood).toEqual(['quay', 'loft', 'other', 'quay']);
		expect(await wrong('endpoint.move', { endpoints: [anna.id, 999], branch: 'other' })).toEqual([
			['endpoints.1', 'There is no endpoint 999.']
		]);
		expect(await wrong('endpoint.move', { endpoints: [anna.id], branch: 'none' })).toEqual([
			['branch', 'There is no branch none.']
		]);
	});
});

describe('enrolment rules', () => {
	const bySite = { id: 1, name: 'By site', condition: 'address in 10.1.4.0/24', into: 'all', bySite: true };
	test('are tried before they are saved: who would move, who would wait, what never decides', async () => {
		const known = items('branch:quay').length;
		const plan = await h.draft('rules.set', {
			rules: [
				{ name: 'Terns', condition: 'model ~ Tern* and firmware < 4.2', into: 'other' },
				bySite,
				{ name: 'Inside', condition: 'address in 10.1.4.128/25', into: 'loft' }
			]
		});
		expect(plan.effects.endpoints).toHaveLength(known);
		expect(plan.effects.endpoints![0]!.how).toBe('Quay → Other');
		expect(plan.reasons.map((f) => f.words)).toContain(`${known} endpoints at Quay would move at their next start`);
		expect(plan.warnings.map((f) => f.words)).toEqual([
			'By site has decided nothing: all that it fits, earlier rules have, as far as devices are known',
			'Inside never decides: rule 2 has all of it'
		]);
		const starts = startsBefore(h.db, h.lab.now).reduce((n, s) => n + s.times, 0);
		expect(plan.reasons.at(-1)!.words).toBe(`tried on ${starts} starts of the last 30 days`);
		expect((await h.draft('rules.set', { rules: [bySite] })).blocks.map((f) => f.words)).toEqual([
			'they are so already'
		]);
		expect((await h.draft('rules.set', { rules: [] })).warnings.map((f) => f.words)).toEqual([
			`${starts} starts of the last 30 days more would have been let in by no rule`
		]);
	});
	test('are refused beside what is wrong with them, and nothing of them is saved', async () => {
		expect(
			await wrong('rules.set', {
				rules: [
					bySite,
					{ name: 'by site', condition: 'address in', into: 'none' },
					{ id: 9, name: 'b', condition: 'site is atlantis', into: 'all' },
					{ id: 1, name: 'c', condition: 'team is none', into: 'all' }
				]
			})
		).toEqual([
			['rules.1.name', 'Another rule is called so.'],
			['rules.1.into', 'There is no branch none.'],
			['rules.1.condition', 'At sign 11: Here a range such as 10.21.0.0/22 is missing.'],
			['rules.2.id', 'There is no rule 9.'],
			['rules.2.condition', 'There is no site atlantis.'],
			['rules.3.id', 'It is named twice.'],
			['rules.3.condition', 'There is no team none.']
		]);
		expect(endpointsView(h.db, EVERYTHING, h.lab.now).rules.map((r) => r.name)).toEqual(['By site']);
	});
	test('have bounds together, since all of them are tried on every start of a month', async () => {
		const long = (n: number) => Array.from({ length: 50 }, (_v, i) => `name ~ x${n}-${i}*`).join(' or ');
		const rules = (count: number) =>
			Array.from({ length: count }, (_v, n) => ({ name: `r${n}`, condition: long(n), into: 'other' }));
		expect(await wrong('rules.set', { rules: rules(41) })).toEqual([
			['rules', 'At most 2000 parts in the conditions of all rules together.']
		]);
		expect(await wrong('rules.set', { rules: rules(40) })).toEqual([]);
		expect((await wrong('rules.set', { rules: rules(201) }))[0]).toEqual(['rules', 'At most 200 rules.']);
	});
	test('count what they decide for whoever looks, also a moment before a change that is written already', async () => {
		const { id: _id, ...again } = bySite;
		await h.carryOut('rules.set', { rules: [bySite, { ...again, name: 'Again' }] });
		const seen = (at: number) => endpointsView(h.db, EVERYTHING, at).rules.map((r) => [r.name, typeof r.starts]);
		expect(seen(h.lab.now - 1)).toEqual([['By site', 'number']]);
		expect(seen(h.lab.now)).toEqual([
			['By site', 'number'],
			['Again', 'number']
		]);
	});
	test('count the starts that they decide, keep those of thirty days, and are as they were in the past', async () => {
		const [rule] = endpointsView(h.db, EVERYTHING, h.lab.now).rules;
		expect(rule!.starts).toBe(one<{ n: number }>(h.db, 'SELECT count(*) AS n FROM endpoint_starts')!.n);
		const then = h.lab.now;
		await h.live(MINUTE);
		await h.carryOut('rules.set', { rules: [{ ...bySite, name: 'All by site' }] });
		expect(endpointsView(h.db, EVERYTHING, then).rules[0]!.name).toBe('By site');
		expect(endpointsView(h.db, EVERYTHING, h.lab.now).rules[0]!.name).toBe('All by site');
		await undo();
		expect(endpointsView(h.db, EVERYTHING, h.lab.now).rules[0]).toMatchObject({ id: 1, name: 'By site' });
		h.lab.apply({ kind: 'fault', fault: 'directory-slow', target: 'quay', value: 2 });
		await h.live(31 * DAY, HOUR);
		const old = one<{ at: number }>(h.db, 'SELECT min(at) AS at FROM endpoint_starts')!.at;
		expect(old).toBeGreaterThan(h.lab.now - 30 * DAY - 2 * HOUR);
	});
});

describe('branches', () => {
	test('are a tree: none below itself, none of a name twice in one place, none gone that something stands in', async () => {
		expect(await wrong('branch.change', { branch: 'all', parent: 'loft' })).toEqual([
			['parent', 'It would hang below itself.']
		]);
		expect(await wrong('branch.add', { name: 'Loft', parent: 'quay', site: 'none' })).toEqual([
			['site', 'There is no site none.'],
			['name', 'There is a branch of this name beside it.']
		]);
		expect((await h.draft('branch.remove', { branch: 'quay' })).blocks.map((f) => f.words)).toEqual([
			expect.stringMatching(/endpoints? stands? in it$/),
			'Loft hangs below it'
		]);
		expect((await h.draft('branch.remove', { branch: 'all' })).blocks.map((f) => f.words)).toContain(
			'the rule By site leads to it'
		);
		await h.carryOut('branch.add', { name: 'Loft', parent: 'other' });
		expect(all(h.db, `SELECT id FROM branches WHERE id = 'loft-2'`)).toHaveLength(1);
	});
	test('hang at most twenty deep', async () => {
		let parent = 'all';
		for (let n = 2; n <= 20; n++) {
			await h.carryOut('branch.add', { name: `b${n}`, parent });
			parent = `b${n}`;
		}
		expect(await wrong('branch.add', { name: 'deeper', parent })).toEqual([
			['parent', 'Branches hang at most 20 deep.']
		]);
		expect(await wrong('branch.change', { branch: 'quay', parent: 'b19' })).toEqual([
			['parent', 'Branches hang at most 20 deep.']
		]);
	});
	test('of another site let its devices move, and the plan says how many', async () => {
		const known = items('branch:quay').length;
		const plan = await h.draft('branch.change', { branch: 'quay', site: null });
		expect(plan.effects.endpoints).toHaveLength(known);
		expect(plan.effects.endpoints![0]!.how).toBe('Quay → All');
	});
});
