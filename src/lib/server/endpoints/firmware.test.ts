import { beforeEach, describe, expect, test } from 'vitest';
import { EVERYTHING } from '$lib/core/scope/scope';
import { HOUR, MB, MINUTE } from '$lib/core/time/units';
import { changesBefore } from '../changes';
import { all, one } from '../db';
import { cardOf } from '../house/cards';
import { draftUndo } from '../plans';
import { ProviderError } from '../providers';
import { letAllIn } from '../testing/estates';
import { Harness, OWNER, QUIET, testEstate } from '../testing/harness';
import { firmwareRows } from './firmware';
import { endpointFirmware } from './lists';

/** Two boxes at the quay, which has a fast link, one at the isle behind a thin one; 4.3.0 can be had for them. */
let h: Harness;
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			QUIET(e);
			e.sites[0]!.endpoint_ranges = ['10.1.4.0/24'];
			e.sites[1]!.endpoint_ranges = ['10.2.4.0/24'];
			e.sites[0]!.links[0]!.mbit = 200;
			e.sites[1]!.links = [{ ...e.sites[0]!.links[0]!, to: 'quay', mbit: 0.5 }];
			letAllIn(e, [
				{ id: 'boxes', site: 'quay', naming: 'box-##', serials: 'TB-', first: 1, spare: 2 },
				{ id: 'far', site: 'isle', naming: 'far-##', serials: 'TF-', first: 1, spare: 1 }
			]);
			e.endpoints.firmware = [
				{ model: 'Tern 5', version: '4.1.0', size: 200 * MB },
				{ model: 'Tern 5', version: '4.3.0', size: 240 * MB }
			];
		})
	);
	await h.live(MINUTE);
	for (const id of ['TB-1', 'TB-2', 'TF-1']) h.lab.apply({ kind: 'switch on', endpoint: id });
	await h.live(30 * MINUTE);
});

const want = { branch: 'all', model: 'Tern 5', version: '4.3.0' };
const stands = () =>
	Object.fromEntries(firmwareRows(h.db, h.lab.now).map((r) => [r.name, `${r.firmware} ${r.standing}: ${r.why.words}`]));
const wake = async (id: string, ms = MINUTE) => {
	h.lab.apply({ kind: 'switch on', endpoint: id });
	await h.live(ms);
};

describe('firmware that is wished for a branch', () => {
	test('is taken by what is awake and nobody is on; what sleeps waits and takes it when it wakes', async () => {
		await wake('TB-1');
		const plan = await h.draft('firmware.want', want);
		expect(plan.title).toBe('Let Tern 5 in All have firmware 4.3.0');
		expect(plan.effects.endpoints!.map((e) => [e.name, e.how])).toEqual([
			['box-01', '4.2.0 → 4.3.0'],
			['box-02', '4.2.0 → 4.3.0'],
			['far-01', '4.2.0 → 4.3.0']
		]);
		expect(plan.reasons.map((r) => r.words)).toEqual(
			expect.arrayContaining(['2 wait: it sleeps', '1 take it at once'])
		);
		await h.finish(await h.commit(plan.id));
		await h.live(12 * MINUTE);
		expect(stands()).toEqual({
			'box-01': '4.3.0 has it: it has 4.3.0',
			'box-02': '4.2.0 waits: it sleeps',
			'far-01': '4.2.0 waits: it sleeps'
		});
		expect(all(h.db, 'SELECT * FROM firmware_told')).toEqual([]);
		await wake('TB-2', 20 * MINUTE);
		expect(stands()['box-02']).toMatch(/^4\.3\.0 has it/);
		const { rows } = endpointFirmware.page(h.db, {
			at: h.lab.now,
			scope: EVERYTHING,
			sort: 'name',
			descending: false,
			limit: 10,
			offset: 0
		});
		expect(rows.map((r) => [r.name, r.standing])).toEqual([
			['box-01', 'has it'],
			['box-02', 'has it'],
			['far-01', 'waits']
		]);
		const id = one<{ id: number }>(h.db, `SELECT endpoint_id AS id FROM endpoint_facts WHERE name = 'far-01'`)!.id;
		const card = (await cardOf(h.ctx, 'endpoint', String(id), { at: h.lab.now, live: true }))!;
		expect(card.rows.find((r) => r.name === 'firmware')!.value).toBe('4.2.0; 4.3.0 wished by All: it sleeps');
	});

	test('waits for a thin link until somebody lets it go over it', async () => {
		await h.carryOut('firmware.want', want);
		await wake('TF-1', 6 * MINUTE);
		expect(stands()['far-01']).toBe('4.2.0 waits: the link is thin: it would take 1 h 4 min');
		await h.carryOut('firmware.want', { ...want, thin: true });
		await wake('TF-1', 2 * HOUR);
		expect(stands()['far-01']).toMatch(/^4\.3\.0 has it/);
	});

	test('that somebody is on waits until they have gone', async () => {
		await h.carryOut('endpoint.keep', {
			give: [
				{
					endpoint: one<{ id: number }>(h.db, `SELECT endpoint_id AS id FROM endpoint_facts WHERE name = 'box-01'`)!.id,
					person: 'anna'
				}
			]
		});
		h.lab.apply({ kind: 'connect', login: 'anna', publication: 'desk', secondFactor: true, key: 'a' });
		await h.live(6 * MINUTE);
		await h.carryOut('firmware.want', want);
		await h.live(6 * MINUTE);
		expect(stands()['box-01']).toBe('4.2.0 waits: somebody is on it');
	});

	test('comes to nothing where somebody sits down meanwhile: what they are on is not restarted', async () => {
		const box = one<{ id: number }>(h.db, `SELECT endpoint_id AS id FROM endpoint_facts WHERE name = 'box-01'`)!.id;
		await h.carryOut('endpoint.keep', { give: [{ endpoint: box, person: 'anna' }] });
		await wake('TB-1');
		h.lab.apply({ kind: 'device', endpoint: 'TB-1', does: 'firmware', text: '4.3.0', key: 'again' });
		h.lab.apply({ kind: 'connect', login: 'anna', publication: 'desk', secondFactor: true, key: 'a' });
		await h.live(10 * MINUTE);
		expect(h.lab.world.endpoints.get('TB-1')).toMatchObject({ firmware: '4.2.0', awake: true, on: 'anna' });
	});

	test('that is refused is said, and told again after an hour', async () => {
		const { takeFirmware } = h.ctx.providers.endpoints;
		h.ctx.providers.endpoints.takeFirmware = () => Promise.reject(new ProviderError('its disk is full', false));
		await wake('TB-1');
		await h.carryOut('firmware.want', want);
		await h.live(6 * MINUTE);
		expect(stands()['box-01']).toBe('4.2.0 waits: its disk is full; it is told again after an hour');
		h.ctx.providers.endpoints.takeFirmware = takeFirmware;
		await h.live(HOUR);
		await wake('TB-1', 20 * MINUTE);
		expect(stands()['box-01']).toMatch(/^4\.3\.0 has it/);
	});

	test('of an older version is said; undone, nothing is wished, and what has been taken stays', async () => {
		const back = await h.draft('firmware.want', { ...want, version: '4.1.0' });
		expect(back.warnings.map((w) => w.words)).toEqual(['3 endpoints have a newer one, and would go back']);
		await wake('TB-1');
		await h.carryOut('firmware.want', want);
		const undo = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
		expect(undo.title).toBe('Wish no firmware any more for Tern 5 in All');
		await h.finish(await h.commit(undo.id));
		expect(firmwareRows(h.db, h.lab.now)).toEqual([]);
	});

	test('is refused beside its field for another model, version or branch; what is so already is blocked', async () => {
		const field = (input: object) =>
			h.draft('firmware.want', { ...want, ...input }).then(
				() => null,
				(e: { problems: { field: string }[] }) => e.problems[0]!.field
			);
		expect(await field({ model: 'Heron 1' })).toBe('model');
		expect(await field({ version: '9.9.9' })).toBe('version');
		expect(await field({ branch: 'none' })).toBe('branch');
		await h.carryOut('firmware.want', want);
		expect((await h.draft('firmware.want', want)).blocks[0]!.words).toBe('it is so already');
		expect((await h.draft('firmware.want-no-more', { branch: 'all', model: 'Gull 3' })).blocks).toHaveLength(1);
	});
});
