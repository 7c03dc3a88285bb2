import { beforeEach, describe, expect, test } from 'vitest';
import type { Circumstances } from '$lib/core/reach/rules';
import { MINUTE } from '$lib/core/time/units';
import { isoDate } from '$lib/core/time/zone';
import { cardOf } from '../house/cards';
import { everybody, personCalled } from '../directory';
import { InputProblem } from '../plans/kind';
import { Harness, testEstate } from '../testing/harness';
import { decidesNow, grouped, passingOf, reachableBy, reachersView, whoReaches } from './reaching';
import { triedReach } from './tester';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml'));
	await h.live(MINUTE);
	await h.carryOut('private-service.put', { name: 'Archive', hosts: ['archive.testbay.example'], ports: ['443'] });
	await h.carryOut('private-service.put', { name: 'Ledger', hosts: ['ledger.testbay.example'], ports: ['8443'] });
	await h.carryOut('site-categories.bring', {
		text: 'category,name\nFilms,films.example\nFilms,shorts.example\nNews,news.example\n'
	});
	await h.carryOut('access-rules.change', {
		edits: [
			{
				put: { id: 'isle', decide: 'refuse', say: 'Not from the isle.', from: ['site/isle'], what: ['service/archive'] }
			},
			{ put: { id: 'harbour', name: 'Harbour', decide: 'allow', who: ['team/harbour'], what: ['services'] } },
			{ put: { id: 'films', decide: 'window', what: ['category/films'] } },
			{ put: { id: 'shorts', decide: 'refuse', what: ['site/shorts.example'] } }
		]
	});
});

const archive = { kind: 'service', id: 'archive' } as const;

describe('who reaches something', () => {
	test('is what the tester says of each, and all of them are there once', () => {
		const now = h.lab.now;
		const all = whoReaches(h.db, archive, now);
		expect(all.map((r) => r.person.login)).toEqual(everybody(h.db, now).map((p) => p.login));
		for (const { person, effect, number } of all)
			expect([effect, number]).toEqual(
				(({ decides, number: n }) => [decides, n])(
					triedReach(h.db, { person: person.login, what: 'service/archive' }, now)
				)
			);
		const groups = grouped(all);
		expect(groups.map((g) => [g.number, g.effect])).toEqual(
			[
				[1, 'refuse'],
				[2, 'allow'],
				[null, 'refuse']
			].filter(([n]) => groups.some((g) => g.number === n))
		);
		expect(groups.reduce((n, g) => n + g.people.length, 0)).toBe(all.length);
	});
	test('is listed by rule, and a page at a time', () => {
		const now = h.lab.now;
		const every = reachersView(h.db, 'host/archive.testbay.example', null, 0, now);
		expect([every.target, every.total]).toEqual(['Archive', everybody(h.db, now).length]);
		const [first] = every.groups;
		const some = reachersView(h.db, 'service/archive', first!.by, 0, now);
		expect([some.total, some.rows.every((r) => String(r.number ?? 'end') === first!.by)]).toEqual([
			first!.people,
			true
		]);
		expect(reachersView(h.db, 'service/archive', null, every.total, now).rows).toEqual([]);
		expect(() => reachersView(h.db, 'service/nothing', null, 0, now)).toThrow(InputProblem);
	});
	test('stands on the card of a service, a category and a rule', async () => {
		const then = { at: h.lab.now, live: true };
		const service = (await cardOf(h.ctx, 'private-service', 'archive', then))!;
		const words = service.sections.flatMap((s) => (s.kind === 'lines' ? s.lines.map((l) => l.words) : []));
		for (const g of grouped(whoReaches(h.db, archive, h.lab.now)))
			expect(
				words.some(
					(w) => w.startsWith(`${g.people.length} `) && w.includes(g.number === null ? 'the end' : `rule ${g.number}`)
				)
			).toBe(true);
		expect(words).toContain('2: Allow Harbour · all private services');
		expect(await cardOf(h.ctx, 'site-category', 'films', then)).toMatchObject({ sub: 'site category, 2 names' });
		const rule = (await cardOf(h.ctx, 'access-rule', 'shorts', then))!;
		// The window before it has all of it.
		expect(rule.facts.map((f) => f.words)).toContainEqual(expect.stringMatching(/^it never decides/));
		expect(rule.rows).toContainEqual({ name: 'decides now for', value: '0 people' });
		for (const kind of ['private-service', 'site-category', 'access-rule'])
			expect(await cardOf(h.ctx, kind, 'nothing', then)).toBeNull();
	});
});

test('how many a rule decides for is how many it decides anything for', () => {
	const now = h.lab.now;
	const asked = ['archive', 'ledger'].map((id) => whoReaches(h.db, { kind: 'service', id }, now));
	const logins = new Set(asked.flat().flatMap((r) => (r.rule === 'harbour' ? [r.person.login] : [])));
	expect(decidesNow(h.db, 'harbour', now)).toBe(logins.size);
	expect(logins.size).toBeGreaterThan(0);
});

test('what somebody reaches is each service, and the catalogue by rule', async () => {
	const now = h.lab.now;
	const anna = personCalled(h.db, 'anna', now)!;
	const { services, web } = reachableBy(h.db, anna, now);
	expect(services.map((s) => [s.id, s.effect])).toEqual(
		['archive', 'ledger'].map((id) => [id, triedReach(h.db, { person: 'anna', what: `service/${id}` }, now).decides])
	);
	expect(web).toMatchObject([
		{ number: 3, effect: 'window', names: 2, categories: [{ id: 'films', names: 2 }] },
		{ number: null, effect: 'allow', names: 1, categories: [{ id: 'news', name: 'News', names: 1 }] }
	]);
	const card = (await cardOf(h.ctx, 'person', 'anna', { at: now, live: true }))!;
	const section = card.sections.find((s) => s.kind === 'lines' && s.title.startsWith('What they reach'));
	expect(section).toMatchObject({
		lines: expect.arrayContaining([
			expect.objectContaining({ words: '2 web sites of the catalogue: in an isolated window alone, by rule 3' })
		]) as unknown
	});
});

test('a holiday is one at the site of whoever asks, from midnight to midnight there', async () => {
	const zone = (login: string) => personCalled(h.db, login, h.lab.now)!.zone;
	const today = isoDate(zone('anna'), h.lab.now);
	await h.carryOut('access-rules.change', {
		edits: [{ put: { id: 'feast', decide: 'refuse', what: ['site/news.example'], holidays: 'only' } }]
	});
	const asks = (login: string, more = {}) =>
		triedReach(h.db, { person: login, what: 'site/news.example', ...more }, h.lab.now).decides;
	expect([asks('anna'), asks('anna', { holiday: 'yes' })]).toEqual(['allow', 'refuse']);
	await h.carryOut('site.holidays', { site: 'quay', add: `${today} Founders’ Day` });
	const site = (login: string) => personCalled(h.db, login, h.lab.now)!.site;
	for (const { login } of everybody(h.db, h.lab.now))
		expect([login, asks(login)]).toEqual([login, site(login) === 'quay' ? 'refuse' : 'allow']);
	expect(asks('anna', { holiday: 'no' })).toBe('allow');
	const card = (await cardOf(h.ctx, 'site', 'quay', { at: h.lab.now, live: true }))!;
	expect(card.rows).toContainEqual({
		name: 'holidays to come',
		value: expect.stringMatching(/, Founders’ Day$/) as string
	});
	await expect(h.draft('site.holidays', { site: 'quay', add: `${today} again\nsome day` })).rejects.toMatchObject({
		problems: [{ field: 'add', words: expect.stringMatching(/^Line 2: Write a day/) as string }]
	});
	expect((await h.draft('site.holidays', { site: 'quay', add: today })).blocks).toHaveLength(1);
});

describe('what passes the sessions of somebody', () => {
	const ways = (login: string, more: Partial<Circumstances> = {}, factor = false) =>
		Object.fromEntries(
			passingOf(h.db, personCalled(h.db, login, h.lab.now)!, h.lab.now, more, factor).map((p) => [
				p.passage,
				[p.upTo, p.effect, p.number]
			])
		);
	beforeEach(async () => {
		await h.carryOut('access-rules.change', {
			edits: [
				{ put: { id: 'line', decide: 'allow', who: ['team/harbour'], what: ['channel/clipboard-out up to 2 KB'] } },
				{
					put: {
						id: 'more',
						decide: 'allow',
						who: ['team/harbour'],
						what: ['channel/clipboard-out up to 1 MB'],
						on: ['quay']
					}
				},
				{ put: { id: 'none', decide: 'refuse', what: ['channel/clipboard-out', 'channel/printers'] } },
				{ put: { id: 'code', decide: 'factor', what: ['channel/drives'] } }
			]
		});
	});
	test('is as much at once as rules let, by who and where they are, and what keeps the rest', () => {
		expect(ways('anna')).toMatchObject({
			'clipboard-in': [null, 'allow', null],
			'clipboard-out': [2000, 'refuse', 7],
			printers: [0, 'refuse', 7],
			'drives-in': [0, 'factor', 8]
		});
		expect(ways('anna', { pool: 'quay' })['clipboard-out']).toEqual([1_000_000, 'refuse', 7]);
		expect(ways('anna', {}, true)['drives-in']).toEqual([null, 'factor', 8]);
		expect(ways('eve')['clipboard-out']).toEqual([0, 'refuse', 7]);
	});
	test('stands on their card, each with its rule', async () => {
		const card = (await cardOf(h.ctx, 'person', 'anna', { at: h.lab.now, live: true }))!;
		const kept = card.sections!.find((s) => 'title' in s && s.title === 'What rules keep back of their sessions')!;
		expect(kept).toMatchObject({
			lines: expect.arrayContaining([
				{
					words: 'clipboard out of the session: up to 2 KB at once; more may not, by rule 7',
					card: 'access-rule/none'
				},
				{ words: 'printing: may not, by rule 7', card: 'access-rule/none' }
			]) as object[]
		});
	});
});
