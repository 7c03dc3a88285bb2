import { beforeEach, describe, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { WAYS } from '$lib/core/reach/rules';
import { Harness, testEstate } from '../testing/harness';
import { draftedView, draftOn } from './drafted';
import { editedRule, pickables } from './editing';
import { bookAt } from './queries';
import { triedReach } from './tester';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml'));
	await h.live(MINUTE);
	await h.carryOut('private-service.put', {
		name: 'Archive',
		group: 'Stores',
		hosts: ['archive.testbay.example', '10.1.0.9'],
		ports: ['443']
	});
	await h.carryOut('access-rules.change', {
		edits: [
			{ put: { id: 'harbour', name: 'Harbour', decide: 'allow', who: ['team/harbour'], what: ['service/archive'] } },
			{ put: { id: 'night', decide: 'refuse', what: ['web'], hours: 'Sat,Sun 00:00-24:00', who: ['person/bo'] } },
			{ put: { id: 'films', decide: 'refuse', what: ['site/*.films.example'] } }
		],
		tests: [{ name: 'Harbour reaches it', who: 'team/harbour', what: 'service/archive', expect: 'allow' }]
	});
});

const drafted = async (input: object, kind = 'access-rules.change') => {
	const draft = draftOn(h.db, await h.draft(kind, input), h.lab.now)!;
	if (draft.wrong !== null) throw new Error(draft.wrong);
	return { draft, view: draftedView(h.db, draft, h.lab.now, () => 0) };
};

describe('a draft over what is in force', () => {
	test('shows each rule with what becomes of it', async () => {
		const { view } = await drafted({
			edits: [
				{ move: 'films', before: 'harbour' },
				{ put: { id: 'harbour', name: 'Harbour', decide: 'window', who: ['team/harbour'], what: ['service/archive'] } },
				{ remove: 'night' },
				{ put: { name: 'Für alle', decide: 'allow', what: ['services'] } }
			],
			otherwise: { web: 'refuse', services: 'refuse' },
			tests: []
		});
		expect(view.rules.map((r) => [r.id, r.mark, r.number, r.was])).toEqual([
			['films', 'moved', 1, 3],
			['harbour', 'changed', 2, 1],
			['night', 'gone', null, 2],
			['fur-alle', 'new', 3, null]
		]);
		expect(view.rules[1]!.earlier).toMatchObject({ decides: 'Allow' });
		expect([view.otherwise.web, view.otherwiseWas.web, view.exact]).toEqual(['refuse', 'allow', true]);
	});

	test('each of its differences has an example that the tester answers so, before and after', async () => {
		const { draft, view } = await drafted({
			edits: [
				{ put: { id: 'isle', decide: 'refuse', from: ['site/isle'], what: ['group/Stores'] }, before: 'harbour' },
				{ put: { id: 'night', decide: 'factor', what: ['web'], hours: 'Sat,Sun 00:00-24:00', who: ['person/bo'] } },
				{ put: { id: 'old', decide: 'refuse', what: ['site/news.example'], device: { firmware: '4.2', locks: true } } },
				{ put: { id: 'off', decide: 'reason', what: ['site/chat.example'], duty: 'off', through: ['browser'] } },
				{ put: { id: 'feast', decide: 'refuse', what: ['site/mail.example'], holidays: 'only' } }
			],
			tests: []
		});
		expect(new Set(view.differences.map((d) => d.kind))).toEqual(new Set(['lose', 'gain', 'more']));
		for (const { kind, tries: t } of view.differences) {
			const tried = {
				person: t.who!,
				what: t.service ? `service/${t.service}` : `host/${t.host}`,
				from: t.from,
				managed: t.managed as 'yes' | 'no',
				branch: t.branch,
				firmware: t.firmware,
				locks: t.locks as 'yes' | 'no',
				duty: t.duty as 'on' | 'off',
				holiday: (t.holiday || undefined) as 'yes' | undefined,
				when: t.when,
				through: WAYS.find((w) => w === t.through)
			};
			const was = triedReach(h.db, tried, h.lab.now).decides;
			const is = triedReach(h.db, tried, h.lab.now, draft.book).decides;
			expect([kind, was, is]).toEqual(
				kind === 'lose'
					? [kind, expect.not.stringMatching('refuse'), 'refuse']
					: kind === 'gain'
						? [kind, 'refuse', expect.not.stringMatching('refuse')]
						: [kind, 'allow', expect.stringMatching(/reason|factor/)]
			);
		}
	});

	test('says which tests it breaks, and which were broken', async () => {
		const { view } = await drafted({ edits: [{ remove: 'harbour' }] });
		expect(view.tests).toEqual([
			{
				name: 'Harbour reaches it',
				holds: false,
				held: true,
				words: 'Anna Quill comes to “refuse” by the end of the list',
				tries: expect.objectContaining({ who: 'anna', service: 'archive' }) as unknown,
				written: { name: 'Harbour reaches it', who: 'team/harbour', what: 'service/archive', expect: 'allow' }
			}
		]);
	});

	test('that is a file lies over them as well; another kind of plan, or one that is over, is none', async () => {
		const text = 'access-rules: 1\nrules: []\notherwise: { web: allow, services: refuse }\n';
		const { view } = await drafted({ text }, 'access-rules.bring');
		expect(view.rules.map((r) => r.mark)).toEqual(['gone', 'gone', 'gone']);
		const other = await h.draft('private-service.remove', { service: 'archive' });
		expect(draftOn(h.db, other, h.lab.now)).toBeNull();
		expect(draftOn(h.db, null, h.lab.now)).toBeNull();
		expect(
			draftOn(h.db, { ...other, kind: 'access-rules.change', input: {}, state: 'discarded' }, h.lab.now)
		).toBeNull();
	});

	test('whose rule has gone meanwhile says so instead of failing', async () => {
		const plan = await h.draft('access-rules.change', {
			edits: [{ move: 'films', before: null }, { remove: 'night' }]
		});
		await h.carryOut('access-rules.change', { edits: [{ remove: 'night' }] });
		expect(draftOn(h.db, plan, h.lab.now)).toMatchObject({ plan: plan.id, wrong: 'There is no rule night.' });
		expect(draftOn(h.db, { ...plan, input: { edits: 'what?' } }, h.lab.now)).toMatchObject({
			wrong: expect.stringMatching(/cannot be read any more/) as string
		});
	});
});

test('what the form of a rule begins with is what the rule says, by what the form picks from', () => {
	const now = h.lab.now;
	expect(editedRule(h.db, 'night', null, now)).toEqual({
		written: { id: 'night', decide: 'refuse', who: ['person/bo'], what: ['web'], hours: 'Sat,Sun 00:00-24:00' },
		people: { 'person/bo': expect.any(String) as string }
	});
	expect(editedRule(h.db, 'nothing', null, now)).toBeNull();
	expect(editedRule(h.db, 'night', [], now)).toBeNull();
	const picks = pickables(h.db, now);
	expect(picks.who).toContainEqual({ id: 'team/harbour', name: 'Harbour', sub: 'team' });
	expect(picks.what.map((p) => p.id)).toEqual(
		expect.arrayContaining(['web', 'services', 'service/archive', 'group/Stores'])
	);
	expect(picks.from.map((p) => p.id)).toContain('site/isle');
	// All of it is what a rule can be written with.
	expect(bookAt(h.db, now).rules).toHaveLength(3);
});
