import * as v from 'valibot';
import { beforeEach, describe, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { run } from '../db';
import { InputProblem } from '../plans/kind';
import { Harness, testEstate } from '../testing/harness';
import { changeRules } from './rule-plans';
import { triedReach, type Tried } from './tester';
import { bookAt, cataloguedAt, categoriesAt, servicesAt } from './queries';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml'));
	await h.live(MINUTE);
	await h.carryOut('private-service.put', {
		name: 'Tide archive',
		group: 'Stores',
		hosts: ['Archive.testbay.example', '10.1.0.9'],
		ports: ['443', '8000 - 8010']
	});
	await h.carryOut('site-categories.bring', {
		text: 'category;name\nMoving pictures;films.example\nMoving pictures;shorts.example\nNews of the day;news.example\n'
	});
});

const change = (input: object) => h.carryOut('access-rules.change', input);
const wrongIn = async (kind: string, input: object): Promise<string[]> => {
	try {
		await h.draft(kind, input);
	} catch (e) {
		if (e instanceof InputProblem) return e.problems.map((p) => `${p.field}: ${p.words}`);
		throw e;
	}
	return [];
};

describe('a draft of access rules', () => {
	test('says who loses what and by which rule, and is undone', async () => {
		await change({
			edits: [{ put: { id: 'harbour', decide: 'allow', who: ['team/harbour'], what: ['service/tide-archive'] } }]
		});
		const plan = await h.draft('access-rules.change', {
			edits: [
				{
					put: { id: 'isle', decide: 'refuse', say: 'From Quay alone.', from: ['site/isle'], what: ['group/Stores'] },
					before: 'harbour'
				},
				{ put: { id: 'bo', decide: 'refuse', who: ['person/bo'] }, before: null }
			]
		});
		expect(plan.title).toBe('Change 2 access rules');
		expect(plan.warnings.map((f) => f.words)).toContain('4 people lose something');
		expect(plan.reasons.map((f) => f.words)).toEqual(
			expect.arrayContaining([
				expect.stringMatching(
					/^4 people lose Tide archive: “Refuse” by rule 1 instead of “Allow” by rule 1, only from Isle$/
				),
				expect.stringMatching(/^1 person loses .*: “Refuse” by rule 3 instead of “Allow” by the end of the list$/)
			])
		);
		expect(plan.effects.people.find((p) => p.id === 'dag')!.how).toMatch(/^loses Tide archive: “Refuse” by rule 1/);
		expect(plan.effects.people.map((p) => p.id).sort()).toEqual(['anna', 'bo', 'cleo', 'dag']);
		await h.finish(await h.commit(plan.id));
		expect(bookAt(h.db, h.lab.now).rules.map((r) => r.id)).toEqual(['isle', 'harbour', 'bo']);
		// Those that stand as they stood were not touched.
		expect(bookAt(h.db, h.lab.now).rows[1]!.since).toBeLessThan(h.lab.now);
	});
	test('says of everywhere but a site that it is everywhere else', async () => {
		const plan = await h.draft('access-rules.change', {
			edits: [
				{ put: { id: 'isle', decide: 'allow', what: ['web'], from: ['site/isle'] } },
				{ put: { id: 'shut', decide: 'refuse', what: ['web'] } }
			]
		});
		expect(plan.reasons.map((f) => f.words)).toContainEqual(expect.stringMatching(/only from outside Isle$/));
	});
	test('that breaks a test is blocked; one that was broken before is not held against it', async () => {
		const tests = [
			{ name: 'Harbour reaches the archive', who: 'team/harbour', what: 'service/tide-archive', expect: 'reach' }
		];
		const broken = await h.draft('access-rules.change', { tests });
		expect(broken.blocks.map((f) => f.words)).toEqual([
			'“Harbour reaches the archive” fails: Anna Quill comes to “refuse” by the end of the list'
		]);
		await change({ edits: [{ put: { id: 'all', decide: 'allow', what: ['services'] } }], tests });
		const shut = { edits: [{ put: { id: 'dag', decide: 'refuse', who: ['person/dag'] }, before: 'all' }] };
		expect((await h.draft('access-rules.change', shut)).blocks.map((f) => f.words)).toEqual([
			'“Harbour reaches the archive” fails: Dag Keel comes to “refuse” by rule 1'
		]);
		// The end of the list opens as well, and the rule says what follows it.
		const same = await h.draft('access-rules.change', {
			edits: [{ put: { id: 'all', decide: 'allow', what: ['services'], name: 'Inside' } }],
			otherwise: { web: 'allow', services: 'allow' }
		});
		expect(same.warnings.map((f) => f.words)).toEqual(['rule 1, Inside, would say what follows it says as well']);
	});
	test('warns of rules that would never decide', async () => {
		const plan = await h.draft('access-rules.change', {
			edits: [
				{ put: { id: 'films', decide: 'refuse', what: ['category/moving-pictures'] } },
				{ put: { id: 'bo', decide: 'allow', who: ['person/bo'], what: ['site/films.example'] } }
			]
		});
		expect(plan.warnings.map((f) => f.words)).toContain('rule 2 would never decide: rule 1 has all of it');
	});
	test('is refused beside what is wrong, and nothing is written', async () => {
		expect(
			await wrongIn('access-rules.change', {
				edits: [{ put: { id: 'a', decide: 'allow', who: ['team/harbor'], what: ['service/tide'] } }]
			})
		).toEqual([
			'edits.0.put.who.0: There is no team harbor. Do you mean harbour?',
			'edits.0.put.what.0: There is no service tide. Do you mean tide-archive?'
		]);
		expect(
			v
				.safeParse(changeRules.schema, { edits: [{ put: { id: 'a', decide: 'alow' } }, {}] })
				.issues!.map((i) => [v.getDotPath(i), i.message])
		).toEqual([
			['edits.0.put.decide', 'One of allow, reason, factor, window, refuse.'],
			['edits.1', 'An edit puts a rule, moves one, or removes one.']
		]);
		expect(await wrongIn('access-rules.change', { edits: [{ move: 'x', before: null }] })).toEqual([
			'edits.0.move: There is no rule x.'
		]);
		expect(
			await wrongIn('access-rules.change', { edits: [{ put: { id: 'a', decide: 'allow' }, before: 'b' }] })
		).toEqual(['edits.0.before: There is no rule b.']);
		expect(await wrongIn('access-rules.bring', { text: 'access-rules: 1\nrules: []\n' })).toEqual([
			'text: Line 1, column 1: “otherwise” is missing.'
		]);
		expect(await wrongIn('private-service.put', { name: 'tide archive', hosts: ['a b'], ports: ['0', '9-3'] })).toEqual(
			[
				'hosts.0: Write a name, an address or a range.',
				'ports.0: Write a port such as 5432, or some such as 8000-8010.',
				'ports.1: Write a port such as 5432, or some such as 8000-8010.',
				'name: Another service is called so.'
			]
		);
		expect(await wrongIn('site-categories.bring', { text: 'name,category\nfilms.example,\n10.0.0.1,Films\n' })).toEqual(
			['text: Line 2: Write a category of at most 60 characters.', 'text: Line 3: 10.0.0.1 is no name of a web site.']
		);
		expect(bookAt(h.db, h.lab.now).rules).toEqual([]);
	});
	test('of nothing is blocked', async () => {
		expect((await h.draft('access-rules.change', {})).blocks.map((f) => f.words)).toEqual(['it is so already']);
	});
});

test('a service and a catalogue are kept as they are compared', () => {
	expect(servicesAt(h.db, h.lab.now)).toMatchObject([
		{
			id: 'tide-archive',
			hosts: ['archive.testbay.example', '10.1.0.9/32'],
			ports: ['443', '8000-8010'],
			protocol: 'tcp'
		}
	]);
	expect(categoriesAt(h.db, h.lab.now)).toMatchObject([
		{ id: 'moving-pictures', name: 'Moving pictures', sites: 2 },
		{ id: 'news-of-the-day', sites: 1 }
	]);
	expect(cataloguedAt(h.db, h.lab.now).get('shorts.example')).toBe('moving-pictures');
});

test('a service that rules speak of stays; a category as well', async () => {
	await change({
		edits: [{ put: { id: 'a', decide: 'allow', what: ['service/tide-archive', 'category/moving-pictures'] } }]
	});
	expect((await h.draft('private-service.remove', { service: 'tide-archive' })).blocks.map((f) => f.words)).toEqual([
		'1 access rule speaks of it: a'
	]);
	expect(
		await wrongIn('site-categories.put', {
			remove: ['films.example', 'shorts.example'],
			removeCategories: ['moving-pictures', 'news-of-the-day']
		})
	).toEqual(['removeCategories.0: An access rule speaks of it.', 'removeCategories.1: Web sites are of it.']);
});

test('a rule that cannot be read lets nobody through behind it', async () => {
	await change({ edits: [{ put: { id: 'a', decide: 'allow' } }, { put: { id: 'b', decide: 'allow' } }] });
	run(h.db, `UPDATE access_rules SET spec = '{"id":' WHERE id = 'a'`, []);
	expect(bookAt(h.db, h.lab.now).rules.map((r) => r.effect)).toEqual(['refuse', 'allow']);
});

test('the tester says which rule decides, and why those before it do not', async () => {
	await change({
		edits: [
			{ put: { id: 'managed', decide: 'allow', what: ['service/tide-archive'], device: { managed: true } } },
			{
				put: {
					id: 'night',
					decide: 'window',
					who: ['team/everybody'],
					what: ['services'],
					hours: 'Mon-Fri 20:00-06:00'
				}
			}
		]
	});
	const ask = (more: Partial<Tried>) =>
		triedReach(h.db, { person: 'cleo', what: 'service/tide-archive', ...more }, h.lab.now);
	expect(ask({ managed: 'no', when: 'Tue 21:00' })).toMatchObject({
		decides: 'window',
		asks: 'window',
		rule: 'night',
		number: 2,
		facts: [{ words: 'rule 2 fits' }, { words: 'rule 1 does not fit: the device is not managed' }]
	});
	expect(ask({ managed: 'yes', when: 'Tue 21:00' })).toMatchObject({ decides: 'allow', number: 1 });
	expect(ask({ managed: 'no', when: 'Tue 12:00' })).toMatchObject({ decides: 'refuse', number: null, rule: '' });
});

test('what passes sessions is told apart by so many sizes alone, and the tester tries any of them', async () => {
	const bounded = (n: number) => ({
		put: { id: `up-${n}`, decide: 'allow', what: [`channel/clipboard-out up to ${n} B`] }
	});
	const many = Array.from({ length: 51 }, (_, i) => bounded(i + 1));
	await expect(h.draft('access-rules.change', { edits: many })).rejects.toThrow(/at most 50 sizes/);
	await change({ edits: [bounded(1000), { put: { id: 'rest', decide: 'refuse', what: ['channel/clipboard'] } }] });
	const ask = (what: string) => triedReach(h.db, { person: 'cleo', what }, h.lab.now);
	expect(ask('channel/clipboard-out of 1 KB')).toMatchObject({
		rule: 'up-1000',
		target: expect.stringContaining('1 KB')
	});
	expect(ask('channel/clipboard-out of 1 KB').facts.at(-1)!.words).toContain('has to give clipboard');
	expect(ask('channel/clipboard-out of 2 KB')).toMatchObject({ decides: 'refuse', rule: 'rest' });
	for (const odd of ['channel/', 'channel/smells', 'channel/printers of 2 KB', 'channel/clipboard-out of much'])
		expect(() => ask(odd)).toThrow(/Write/);
});

test('what passes sessions where no rule says so is a default of its own, told before it is saved, and undone', async () => {
	const ends = () => bookAt(h.db, h.lab.now).otherwise.channels;
	const shut = { otherwise: { web: 'allow', services: 'refuse', channels: 'refuse' } };
	const draft = await h.draft('access-rules.change', shut);
	expect(draft.warnings.map((w) => w.words).join()).toMatch(/people lose something/);
	expect(draft.reasons.map((w) => w.words).join()).toMatch(/lose clipboard into the session, .* other kinds/);
	expect(ends()).toBe('allow');
	await h.finish(await h.commit(draft.id));
	expect(ends()).toBe('refuse');
	// Whoever says nothing of it leaves it as it is.
	await change({ otherwise: { web: 'refuse', services: 'refuse' } });
	expect(ends()).toBe('refuse');
	await h.carryOut(draft.undo!.kind, draft.undo!.input as object);
	expect(ends()).toBe('allow');
});
