import { beforeAll, describe, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { all } from '../db';
import { tellRules } from '../reach';
import { contradictionsAt } from '../reach/relying';
import { publicationsAt } from '../publications';
import { insideName, landingOf } from '../publishing';
import { shelfOf } from '../shelf';
import { recordOf } from '../directory';
import { callerNow } from '../identity/accounts';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { act, askPage, serveFrom } from '../testing/pages';

let h: Harness;
const BOOK = {
	edits: [
		{
			put: {
				id: 'picture',
				decide: 'window',
				say: 'As a picture alone.',
				who: ['team/visitors'],
				what: ['service/depot']
			}
		},
		{
			put: {
				id: 'shut',
				name: 'Bo stays out',
				decide: 'refuse',
				say: 'Not today.',
				who: ['person/bo'],
				what: ['service/depot']
			}
		},
		{ put: { id: 'code', decide: 'factor', who: ['person/cleo'], what: ['service/depot'] } },
		{ put: { id: 'crew', decide: 'allow', who: ['team/harbour'], what: ['service/depot'] } }
	]
};
const PUBLISHED = { name: 'Depot', internalName: 'Depot inside', icon: 'wave', reaches: 'service/depot' };
const inside = (login: string, factor = false, id = 'depot', reason: string | null = null) =>
	h.ctx.providers.broker.inside(login, { kind: 'service', id }, factor, reason);
const problem = (input: object) =>
	h.draft('publication.create', { ...PUBLISHED, name: 'Other', internalName: 'Other', ...input }).then(
		() => [],
		(e: { problems?: { field: string }[] }) => e.problems!.map((p) => p.field)
	);

beforeAll(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	await h.live(6 * MINUTE, MINUTE);
	await h.carryOut('inner-gateway.put', { name: 'Quay gate', site: 'quay', address: 'gate.testbay.example:8443' });
	await h.carryOut('private-service.put', { name: 'Depot', group: 'Stores', hosts: ['10.1.0.9'], ports: ['5432'] });
	await h.carryOut('access-rules.change', BOOK);
	expect((await h.carryOut('publication.create', PUBLISHED)).error).toBeNull();
	await h.carryOut('grant.add', { publication: 'depot-inside', team: 'harbour', channels: [], kind: 'required' });
	await tellRules(h.ctx);
});

describe('a publication that a browser alone opens', () => {
	test('stands on the shelf, needs no machine, and is not the gateways’', () => {
		const p = publicationsAt(h.db, h.lab.now).find((x) => x.id === 'depot-inside')!;
		expect([p.reaches, p.pools]).toEqual(['service/depot', []]);
		expect(insideName(h.db, p.reaches!, h.lab.now)).toBe('Depot');
		expect(shelfOf(h.db, 'anna', h.lab.now, false)!.find((s) => s.id === 'depot-inside')).toMatchObject({
			standing: 'required',
			allowed: true,
			reaches: 'service/depot'
		});
		expect(h.lab.world.broker.publications.some((x) => x.id === 'depot-inside')).toBe(false);
		expect(landingOf(h.db, 'anna', 'depot-inside', h.lab.now)!.facts[0]!.words).toContain('on no machine');
	});

	test('is decided by the rules that were told, in the browser or as a picture', async () => {
		expect(await inside('anna')).toMatchObject({ through: true, rule: 'crew', way: 'browser' });
		const bo = await inside('bo');
		expect(bo).toMatchObject({ through: false, rule: 'shut', words: 'Not today.', picture: null });
		expect(await inside('cleo')).toMatchObject({ through: false, asked: 'factor', picture: null });
		expect(await inside('cleo', true)).toMatchObject({ through: true });
		expect(await inside('eve')).toMatchObject({
			through: true,
			rule: 'picture',
			way: 'window',
			words: 'As a picture alone.'
		});
		expect(await inside('nobody')).toMatchObject({ through: false, asked: 'sign in' });
		expect(await inside('anna', false, 'elsewhere')).toMatchObject({ through: false });
	});

	test('shows a picture without scripts, whatever somebody is called', async () => {
		const { picture } = await inside('anna');
		expect(picture).toMatch(/^<svg /);
		expect(picture).toContain('Depot');
		expect(picture).not.toMatch(/<script|onload|href/);
		// In an isolated window it is seen whose it is.
		expect(picture).not.toContain('Anna Quill');
		expect((await inside('eve')).picture).toContain('Eve Sloop');
	});

	test('tells what came of it as activity', async () => {
		await inside('anna');
		await h.live(6 * MINUTE, MINUTE);
		const rows = all(
			h.db,
			'SELECT DISTINCT a.through, t.name FROM activity_now a JOIN reached_targets t ON t.id = a.target_id'
		);
		expect(rows).toContainEqual({ through: 1, name: 'depot' });
		expect(rows).toContainEqual({ through: 0, name: 'depot' });
	});

	test('asks what for where the rules do, and what is said is kept with what was reached', async () => {
		await h.carryOut('access-rules.change', {
			edits: [
				{
					put: { id: 'why', name: 'Say why', decide: 'reason', who: ['person/dag'], what: ['service/depot'] },
					before: 'crew'
				}
			]
		});
		await tellRules(h.ctx);
		expect(await inside('dag')).toMatchObject({ through: false, asked: 'reason', picture: null });
		expect(await inside('dag', false, 'depot', 'the harbour count')).toMatchObject({ through: true, rule: 'why' });
		// Nobody else is asked, and nothing of what they say is kept.
		expect(await inside('anna', false, 'depot', 'whatever')).toMatchObject({ through: true, rule: 'crew' });
		await h.live(6 * MINUTE, MINUTE);
		expect(all(h.db, 'SELECT words, person_id FROM activity_reasons')).toEqual([
			{ words: 'the harbour count', person_id: recordOf(h.db, 'dag', h.lab.now)!.id }
		]);
		serveFrom(h);
		const page = '/src/routes/(portal)/my/inside/[publication]/+page.server.ts';
		const dag = callerNow(h.db, 'person', recordOf(h.db, 'dag', h.lab.now)!.id, h.lab.now)!;
		const say = (words: string) => act(page, 'say', { for: words }, { publication: 'depot-inside' }, dag);
		const look = () => askPage(page, '/', { publication: 'depot-inside' }, dag);
		expect(await look()).toMatchObject({ body: { inside: { through: false, asked: 'reason' } } });
		for (const odd of ['', '   ', 'x'.repeat(201)])
			expect(await say(odd)).toMatchObject({ body: { status: 422, data: { given: 'reason' } } });
		expect((await say('the count')).status).toBe(200);
		// Whoever looks again is not asked again, nor is it told that they were refused.
		expect(await look()).toMatchObject({ body: { inside: { through: true } } });
		expect(await look()).toMatchObject({ body: { inside: { through: true } } });
		await h.live(6 * MINUTE, MINUTE);
		const { refused } = all<{ refused: number }>(
			h.db,
			`SELECT sum(decisions) AS refused FROM activity_now a WHERE person_id = ${recordOf(h.db, 'dag', h.lab.now)!.id} AND through = 0`
		)[0]!;
		expect(refused).toBe(2);
	});

	test('contradicts rules that shut it to whom it is granted', () => {
		const { found } = contradictionsAt(h.db, h.lab.now);
		expect(found.find((c) => c.publication === 'depot-inside')?.people.map((p) => p.login)).toEqual(['bo']);
	});

	test('is opened by its person alone, who shows a second factor where the rules ask for one', async () => {
		serveFrom(h);
		const page = '/src/routes/(portal)/my/inside/[publication]/+page.server.ts';
		const person = (login: string) => callerNow(h.db, 'person', recordOf(h.db, login, h.lab.now)!.id, h.lab.now)!;
		const open = (login: string, publication = 'depot-inside') => askPage(page, '/', { publication }, person(login));
		expect(await open('anna')).toMatchObject({ status: 200, body: { inside: { through: true, way: 'browser' } } });
		expect(await open('bo')).toMatchObject({ status: 200, body: { rule: 'Bo stays out', inside: { picture: null } } });
		expect(await open('cleo')).toMatchObject({ body: { inside: { asked: 'factor' }, factor: { on: false } } });
		// It is granted to a team that Eve is not of, and a desktop is opened elsewhere.
		expect((await open('eve')).status).toBe(404);
		expect((await open('anna', 'nothing')).status).toBe(404);
		expect((await open('anna', 'desk')).status).toBe(303);
		for (const form of [{ code: '123456' }, { code: '' }, { answer: '{' }, {}] as Record<string, string>[])
			expect(await act(page, 'give', form, { publication: 'depot-inside' }, person('cleo'))).toMatchObject({
				status: 200,
				body: { status: 422, data: { problem: expect.stringMatching(/./) } }
			});
	});

	test('is refused to whoever asks again and again, and to nobody else for that', async () => {
		const page = '/src/routes/(portal)/my/inside/[publication]/+page.server.ts';
		const person = (login: string) => callerNow(h.db, 'person', recordOf(h.db, login, h.lab.now)!.id, h.lab.now)!;
		const statuses = await Promise.all(
			Array.from(
				{ length: 100 },
				async () => (await askPage(page, '/', { publication: 'depot-inside' }, person('dag'))).status
			)
		);
		// A minute has sixty, and some of them may have gone before.
		expect(statuses.filter((s) => s === 200).length).toBeGreaterThan(50);
		expect(statuses.filter((s) => s === 429).length).toBeGreaterThanOrEqual(40);
		expect((await askPage(page, '/', { publication: 'depot-inside' }, person('anna'))).status).toBe(200);
	});

	test('has each mistake beside its field', async () => {
		expect(await problem({ reaches: 'service/nothing' })).toEqual(['reaches']);
		expect(await problem({ reaches: 'site/not a host' })).toEqual(['reaches']);
		expect(await problem({ reaches: 'site/*.tides.example' })).toEqual(['reaches']);
		expect(await problem({ reaches: 'depot' })).toEqual(['reaches']);
		expect(await problem({ pools: ['quay'] })).toEqual(['pools']);
		expect(await problem({ reaches: null })).toEqual(['pools']);
		expect(await problem({ reaches: 'site/tides.example' })).toEqual([]);
	});
});
