import { beforeEach, describe, expect, test } from 'vitest';
import { EVERYTHING, parseScope } from '$lib/core/scope/scope';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { changesBefore } from '../changes';
import { cardOf } from '../house/cards';
import { needsAt } from '../house/needs';
import { checksAt } from '../network';
import { draftUndo } from '../plans';
import { letAllIn } from '../testing/estates';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { announcedAt, announcedBySite } from './announced';
import { endpointsIn } from './lists';
import { comingView } from './view';

/** Three new boxes at the isle, in a half-hour zone; its network tells them the right address, whose name does not resolve there. */
let h: Harness;
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			e.sites[1]!.time_zone = 'Asia/Kathmandu';
			e.sites[1]!.endpoint_ranges = ['10.2.4.0/24'];
			const opens = e.lab.opens;
			letAllIn(e, [
				{ id: 'new', site: 'isle', naming: 'new-##', serials: 'TB-9', first: 101, spare: 3, spare_on: opens + 2 * HOUR }
			]);
			e.endpoints.called_at = 'sextant.testbay.example:8443';
			e.faults = [{ kind: 'calling-unresolved', target: 'isle', at: opens }];
		})
	);
	await h.live(MINUTE);
});

const SERIALS = ['TB-9101', 'TB-9102', 'TB-9103'];
const announce = (more: object = {}) =>
	h.carryOut('endpoint.announce', { site: 'isle', from: '2026-11-17', serials: SERIALS, ...more });
const states = () => announcedAt(h.db, h.lab.now).map((a) => a.state);
const items = () => endpointsIn(h.db, EVERYTHING, h.lab.now).items;
const need = () => needsAt(h.db, EVERYTHING, h.lab.now).needs.find((n) => n.title.includes('not called in'));
const check = () => checksAt(h.db, 'isle', h.lab.now).find((c) => c.name === 'devices')!;
const mend = () => {
	const fault = h.lab.world.faults.find((f) => f.kind === 'calling-unresolved')!;
	h.lab.apply({ kind: 'clear fault', id: fault.id });
};
const wrong = (kind: string, input: object) =>
	h.draft(kind, input).then(
		() => [],
		(e: { problems: { field: string; words: string }[] }) => e.problems.map((p) => [p.field, p.words])
	);
const undo = async () => {
	const plan = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
	return h.finish(await h.commit(plan.id));
};

describe('announced endpoints', () => {
	test('that are not told where to call stay away: a finding with what puts it right, until they arrive', async () => {
		await announce();
		expect(states()).toEqual(['expected', 'expected', 'expected']);
		await h.live(3 * HOUR, 20_000);
		// Switched on, and nobody answers: nothing is known of them.
		expect(items()).toEqual([]);
		expect(check()).toMatchObject({ ok: false, remedy: expect.stringMatching(/^Put sextant\.testbay\.example into/) });
		const before = needsAt(h.db, EVERYTHING, h.lab.now).needs.filter((n) => n.card === 'site/isle');
		expect(before).toMatchObject([{ title: 'Isle: new devices there do not find Sextant', count: 1, unit: 'site' }]);
		await h.live(DAY, 5 * MINUTE);
		expect(states()).toEqual(['stays away', 'stays away', 'stays away']);
		expect(need()).toMatchObject({
			title: '3 endpoints announced for Isle have not called in',
			count: 3,
			unit: 'endpoints',
			card: 'site/isle'
		});
		expect(need()!.facts.map((f) => f.words)).toEqual([
			'expected from Tue 17 Nov on: TB-9101, TB-9102, TB-9103',
			expect.stringMatching(/^Do its devices learn where to call\? .* does not resolve there$/),
			expect.stringMatching(/^Put sextant\.testbay\.example into the name service of this site, as 10\.1\.0\.7$/)
		]);
		mend();
		await h.live(HOUR, 5 * MINUTE);
		expect(states()).toEqual(['called in', 'called in', 'called in']);
		expect(items().map((e) => [e.name, e.branch])).toEqual([
			['new-01', 'all'],
			['new-02', 'all'],
			['new-03', 'all']
		]);
		expect(check().ok).toBe(true);
		expect(need()).toBeUndefined();
		// What was, is as it was.
		expect(announcedBySite(h.db, h.lab.now - 2 * HOUR).find((s) => s.id === 'isle')!.away).toHaveLength(3);
		expect(
			comingView(h.db, {
				at: h.lab.now,
				scope: parseScope('site:isle').scope,
				sort: 'id',
				descending: true,
				limit: 2,
				offset: 0
			})
		).toMatchObject({
			calledAt: 'sextant.testbay.example:8443',
			elsewhere: 'rules',
			sites: [{ id: 'isle', ranges: ['10.2.4.0/24'], announced: 3, calledIn: 3, away: 0 }],
			rows: [{ id: 'TB-9103', name: 'new-03' }, { id: 'TB-9102' }],
			total: 3
		});
	});

	test('are refused beside what is wrong with them, and nothing of them is kept', async () => {
		await announce({ serials: ['TB-9101'] });
		expect(
			await wrong('endpoint.announce', { site: 'moon', from: 'soon', serials: ['a b', 'x', 'x', 'TB-9101'] })
		).toEqual([
			['site', 'There is no site moon.'],
			['from', 'Write a day such as 2026-11-23.'],
			['serials.0', 'a·b is no serial number: it has a gap in it.'],
			['serials.2', 'x is named twice.'],
			['serials.3', 'TB-9101 is announced for Isle already.']
		]);
		expect(await wrong('endpoint.announce', { site: null, from: '2026-02-30', serials: [] })).toEqual([
			['serials', 'Write serial numbers, one on a line.']
		]);
		expect(announcedAt(h.db, h.lab.now)).toHaveLength(1);
		const plan = await h.draft('endpoint.withdraw', { serials: ['nobody'] });
		expect(plan.blocks.map((b) => b.words)).toEqual(['none of them is announced']);
	});

	test('are taken from the list, and come back as they were', async () => {
		await announce();
		await h.live(MINUTE);
		await h.carryOut('endpoint.announce', { site: null, from: '2026-11-20', serials: ['elsewhere-1'] });
		const before = announcedAt(h.db, h.lab.now).map(({ since: _, ...a }) => a);
		await h.live(MINUTE);
		await h.carryOut('endpoint.withdraw', { serials: ['TB-9102', 'elsewhere-1'] });
		expect(announcedAt(h.db, h.lab.now).map((a) => a.serial)).toEqual(['TB-9101', 'TB-9103']);
		await h.live(MINUTE);
		await undo();
		expect(announcedAt(h.db, h.lab.now).map(({ since: _, ...a }) => a)).toEqual(before);
	});
});

describe('new endpoints', () => {
	const start = async (id: string) => {
		h.lab.apply({ kind: 'switch on', endpoint: id });
		await h.live(MINUTE);
	};
	test('are let in if they are announced, where a site wants it so; the others wait, and come in once they are', async () => {
		await h.carryOut('endpoint.admit', { site: 'isle', way: 'list' });
		await announce({ serials: ['TB-9101'] });
		await h.live(MINUTE);
		for (const s of SERIALS) await start(s);
		expect(items().map((e) => [e.serial, e.state])).toEqual([
			['TB-9101', 'awake'],
			['TB-9102', 'waits'],
			['TB-9103', 'waits']
		]);
		const id = String(items()[1]!.id);
		const card = (await cardOf(h.ctx, 'endpoint', id, { at: h.lab.now, live: true }))!;
		expect(card.facts.map((f) => f.words)).toEqual([
			'only announced endpoints of this site are let in, and its serial number is not among them'
		]);
		// Rules are not tried on what is not let in.
		const plan = await h.draft('rules.set', { rules: [] });
		expect(plan.effects.endpoints ?? []).toEqual([]);
		await announce({ serials: ['TB-9102'] });
		await start('TB-9102');
		expect(items()[1]).toMatchObject({ state: 'awake', branch: 'all' });
		await h.carryOut('endpoint.admit', { site: 'isle', way: 'rules' });
		await start('TB-9103');
		expect(items()[2]!.branch).toBe('all');
	});

	test('wait for a hand where a site wants it so, and what stands already is left alone', async () => {
		await start('TB-9101');
		await h.carryOut('endpoint.admit', { site: 'isle', way: 'hand' });
		await start('TB-9102');
		await start('TB-9101');
		expect(items().map((e) => e.branch)).toEqual(['all', null]);
		await h.carryOut('endpoint.move', { endpoints: [items()[1]!.id], branch: 'all' });
		await start('TB-9102');
		expect(items().map((e) => e.branch)).toEqual(['all', 'all']);
		expect(await wrong('endpoint.admit', { site: 'moon', way: 'hand' })).toEqual([['site', 'There is no site moon.']]);
	});
});

test('networks tell which site an endpoint is at: they are set, and refused where they are none or another’s', async () => {
	h.lab.apply({ kind: 'switch on', endpoint: 'TB-9101' });
	await h.live(MINUTE);
	expect(items()[0]!.site).toBe('isle');
	expect(
		await wrong('endpoint.networks', { site: 'quay', ranges: ['10.2.4.128/25', 'x', '10.9.0.0/24', '10.9.0.128/25'] })
	).toEqual([
		['ranges.0', '10.2.4.128/25 has addresses in common with 10.2.4.0/24 of Isle.'],
		['ranges.1', 'x is no range such as 10.21.4.0/22.'],
		['ranges.3', '10.9.0.128/25 has addresses in common with 10.9.0.0/24.']
	]);
	expect(await wrong('endpoint.networks', { site: 'moon', ranges: [] })).toEqual([['site', 'There is no site moon.']]);
	expect((await h.draft('endpoint.networks', { site: 'isle', ranges: ['10.2.4.0/24'] })).blocks).toHaveLength(1);
	const plan = await h.draft('endpoint.networks', { site: 'isle', ranges: [] });
	expect(plan.effects.endpoints!.map((e) => [e.name, e.how])).toEqual([
		['new-01', 'at no site from its next start on']
	]);
	await h.finish(await h.commit(plan.id));
	h.lab.apply({ kind: 'switch on', endpoint: 'TB-9101' });
	await h.live(MINUTE);
	expect(items()[0]!.site).toBeNull();
	await undo();
	h.lab.apply({ kind: 'switch on', endpoint: 'TB-9101' });
	await h.live(MINUTE);
	expect(items()[0]!.site).toBe('isle');
});

test('where endpoints call is set with what networks tell them instead, and looked at no more where nothing is said', async () => {
	h.lab.apply({ kind: 'fault', fault: 'calling-unresolved', target: 'isle', value: null });
	const plan = await h.draft('endpoint.called-at', { address: 'other.testbay.example:443' });
	expect(plan.warnings.map((f) => f.words)).toEqual([
		expect.stringMatching(/^Isle: the record .* does not resolve there$/)
	]);
	expect(await wrong('endpoint.called-at', { address: 'nowhere' })).toEqual([
		['address', 'Write a host and a port such as sextant.kept.example:8443.']
	]);
	await h.live(6 * MINUTE);
	expect(check().ok).toBe(false);
	await h.carryOut('endpoint.called-at', { address: '' });
	await h.live(6 * MINUTE);
	expect(check()).toBeUndefined();
});
