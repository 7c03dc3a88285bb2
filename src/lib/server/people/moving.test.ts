import { beforeEach, describe, expect, test } from 'vitest';
import { DAY, MINUTE } from '$lib/core/time/units';
import { momentOf, wallTime } from '$lib/core/time/zone';
import { changesBefore } from '../changes';
import { run } from '../db';
import { openAt } from '../db/intervals';
import { personCalled, recordOf } from '../directory';
import { keptOf } from '../endpoints';
import { draftUndo } from '../plans';
import { shelfOf } from '../shelf';
import { Harness, OWNER, QUIET, testEstate } from '../testing/harness';
import { moverNow } from './move-plans';

/** Fay is of our own list, of the harbour, at the quay, and keeps a machine there. */
let h: Harness;
const today = () => wallTime('Europe/Oslo', h.lab.now).day;
const dayOf = (n: number) => new Date((today() + n) * DAY).toISOString().slice(0, 10);
const problems = (input: object) =>
	h.draft('people.move', input).then(
		() => [],
		(e: { problems: { field: string; words: string }[] }) => e.problems.map((p) => p.field)
	);
const shelf = (at = h.lab.now) => shelfOf(h.db, 'fay', at, true)!.map((s) => s.id);

beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	await h.carryOut('people.put', {
		people: [{ login: 'fay', name: 'Fay Buoy', site: 'quay', team: 'harbour' }]
	});
	await h.live(3 * MINUTE);
	await h.carryOut('machine.give', { machine: 'own-01', person: 'fay' });
	await h.carryOut('grant.add', { publication: 'own', team: 'visitors', channels: [] });
});

describe('somebody moves', () => {
	test('and their grants follow: what they gain and lose, by which grant, stands in the plan', async () => {
		expect(shelf()).toEqual(['desk']);
		const plan = await h.draft('people.move', { person: 'fay', team: 'visitors' });
		expect(plan.title).toBe('Move Fay Buoy to Visitors');
		expect(plan.effects.people[0]).toMatchObject({ id: 'fay', how: 'gains My own machine, loses My desk' });
		expect(plan.reasons.map((r) => r.words)).toEqual(
			expect.arrayContaining([
				'My own machine by the grant to Visitors',
				'My desk reaches them no longer: it came by the grant to Harbour'
			])
		);
		await h.finish(await h.commit(plan.id));
		expect(shelf()).toEqual(['own']);
		expect(personCalled(h.db, 'fay', h.lab.now)!.team).toBe('visitors');
	});

	test('on a day: it is so from then on and not before, whatever else is known to come', async () => {
		await h.carryOut('people.move', { person: 'fay', on: dayOf(9), team: 'harbour', teams: ['visitors'] });
		await h.carryOut('people.move', { person: 'fay', on: dayOf(3), team: 'visitors' });
		const at = (n: number) => momentOf('Europe/Oslo', today() + n, 720);
		expect(shelf()).toEqual(['desk']);
		expect(shelf(at(4))).toEqual(['own']);
		expect(shelf(at(10)).sort()).toEqual(['desk', 'own']);
		expect(recordOf(h.db, 'fay', h.lab.now)!.moves).toHaveLength(2);
	});

	test('with a machine of their own and an endpoint where they go: both are taken back with the move', async () => {
		for (const e of ['q', 'i'])
			run(h.db, `INSERT INTO endpoints(id, serial, key, first_at) VALUES (${e === 'q' ? 1 : 2}, '${e}', '${e}', 0)`);
		const there = (id: number, site: string) => {
			const known = {
				name: `box-${site}`,
				device: 'desk box',
				model: 'Tern 5',
				hardware: '',
				firmware: '1.0.0',
				address: ''
			};
			openAt(h.db, 'endpoint_facts', { endpoint_id: id, ...known, site_id: site, person_id: null }, h.lab.now);
			openAt(h.db, 'endpoint_states', { endpoint_id: id, state: 'asleep', person_id: null }, h.lab.now);
			openAt(
				h.db,
				'endpoint_spots',
				{ endpoint_id: id, branch_id: 'all', rule_id: null, by: null, why: 'x' },
				h.lab.now
			);
		};
		there(1, 'quay');
		there(2, 'isle');
		h.ctx.providers.endpoints.hand = () => Promise.resolve();
		await h.carryOut('endpoint.keep', { give: [{ endpoint: 1, person: 'fay' }] });
		await h.live(MINUTE);
		const own = () => keptOf(h.db, recordOf(h.db, 'fay', h.lab.now)!.id, h.lab.now).map((d) => d.name);
		const plan = await h.draft('people.move', { person: 'fay', site: 'isle', pool: 'own', device: true });
		expect(plan.warnings.map((w) => w.words)).toContain('box-quay, which they sit at, stays at Quay');
		expect(plan.effects.people[0]!.how).toMatch(/sits at box-isle$/);
		await h.finish(await h.commit(plan.id));
		expect(own()).toEqual(['box-isle', 'box-quay']);
		await h.live(MINUTE);
		const undo = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
		expect((await h.finish(await h.commit(undo.id))).state).toBe('done');
		expect([own(), recordOf(h.db, 'fay', h.lab.now)!.site]).toEqual([['box-quay'], 'quay']);
		expect(await problems({ person: 'fay', site: 'isle', pool: 'quay' })).toEqual(['pool']);
		// None is left there.
		await h.carryOut('endpoint.keep', { give: [{ endpoint: 2, person: 'anna' }] });
		const none = await h.draft('people.move', { person: 'fay', site: 'isle', device: true });
		expect(none.warnings.map((w) => w.words)).toContain('no endpoint is free at Isle');
	});

	test('to a site in another zone: the day is one of where they go', async () => {
		run(h.db, `UPDATE sites SET time_zone = 'Asia/Kolkata' WHERE id = 'isle'`);
		const plan = await h.draft('people.move', { person: 'fay', on: dayOf(3), site: 'Isle' });
		expect(plan.blocks).toEqual([]);
		expect(plan.title).toMatch(/^Move Fay Buoy to Isle on /);
		await h.finish(await h.commit(plan.id));
		expect(recordOf(h.db, 'fay', h.lab.now)!.moves).toEqual([
			{ at: momentOf('Asia/Kolkata', today() + 3, 0), site: 'isle', memberOf: ['harbour'] }
		]);
	});

	test('to another site: files that lie far, and a machine that stays behind, are said', async () => {
		run(h.db, `UPDATE people SET profile = 9000000000 WHERE login = 'fay'`);
		const plan = await h.draft('people.move', { person: 'fay', site: 'isle' });
		expect(plan.title).toBe('Move Fay Buoy to Isle');
		expect(plan.effects.bytes).toBe(9e9);
		const warned = plan.warnings.map((w) => w.words);
		expect(warned[0]).toMatch(/^9 GB of files lie at Quay: about .* over the link$/);
		expect(warned[1]).toBe('own-01, which they keep, stands at Quay, and no personal pool is at Isle');
		expect(plan.reasons.map((r) => r.words)).toContain('My desk opens from Desks Isle there');
	});

	test('what is wrong is said beside its field; what is so already, and whom others tell of, is blocked', async () => {
		expect(await problems({ person: 'nobody' })).toEqual(['person']);
		expect(await problems({ person: 'fay', on: 'soon' })).toEqual(['on']);
		expect(await problems({ person: 'fay', on: dayOf(0), team: 'visitors' })).toEqual(['on']);
		expect(await problems({ person: 'fay', team: 'none' })).toEqual(['team']);
		expect(await problems({ person: 'fay', on: dayOf(2), site: 'none' })).toEqual(['site']);
		const blocks = async (input: object) => (await h.draft('people.move', input)).blocks.map((b) => b.words);
		expect(await blocks({ person: 'fay', team: 'harbour', site: 'quay' })).toEqual(['they are there already']);
		expect((await blocks({ person: 'anna', team: 'visitors' })).join()).toMatch(/is kept by .*: change it there/);
		expect(moverNow(h.db, 'anna', h.lab.now)!.told).toMatch(/is kept by/);
		expect(moverNow(h.db, 'fay', h.lab.now)).toMatchObject({ site: 'quay', team: 'harbour', told: null });
	});
});
