import { beforeEach, describe, expect, test } from 'vitest';
import { GB, MINUTE, TB } from '$lib/core/time/units';
import { changesBefore } from '../changes';
import { cardOf } from '../house/cards';
import { all, one } from '../db';
import { draftUndo } from '../plans';
import { Harness, OWNER } from '../testing/harness';
import { needsAt } from '../house/needs';
import { parseScope } from '$lib/core/scope/scope';
import { leasesOf } from './queries';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of();
});

const needs = () => needsAt(h.db, parseScope('').scope, h.lab.now).needs;
const fault = (kind: 'volume-full' | 'range-used-up', target: string, value: number | null = null) =>
	h.lab.apply({ kind: 'fault', fault: kind, target, value });

describe('a volume that fills', () => {
	test('stands on Today with the plan that extends it, and is gone once that has run', async () => {
		fault('volume-full', 'isle-v1', 0.95);
		await h.live(6 * MINUTE);
		const need = needs().find((n) => n.card === 'volume/isle-v1')!;
		expect(need.title).toBe('Volume isle-v1 is 95 % full');
		expect(need.plan).toMatchObject({ kind: 'volume.extend', input: { volume: 'isle-v1', size: 4 * TB } });

		const job = await h.carryOut(need.plan!.kind, need.plan!.input);
		expect(job.state).toBe('done');
		expect(needs().some((n) => n.card === 'volume/isle-v1')).toBe(false);
		expect((await h.ctx.providers.compute.volumes()).find((v) => v.id === 'isle-v1')!.size).toBe(4 * TB);
		expect(one<{ size: number }>(h.db, `SELECT size FROM volumes WHERE id = 'isle-v1'`)!.size).toBe(4 * TB);
		await h.live(6 * MINUTE);
		expect(needs().some((n) => n.card === 'volume/isle-v1')).toBe(false);
	});

	test('the plan names what it costs a month, that it cannot be undone, and the share before and after', async () => {
		h.db.prepare(`UPDATE volumes SET price_tb_month = 3000 WHERE id = 'quay-v1'`).run();
		const plan = await h.draft('volume.extend', { volume: 'quay-v1', size: 8 * TB });
		expect(plan.effects.cost).toEqual({ before: 18_000, after: 24_000 });
		expect(plan.effects.machines).toEqual([]);
		expect(plan.undoWords).toMatch(/^No/);
		const used = (await h.ctx.providers.compute.volumes()).find((v) => v.id === 'quay-v1')!.used;
		expect(plan.reasons.map((r) => r.words).join()).toContain(`${Math.round((100 * used) / (8 * TB))} %`);
	});

	test.each([
		[{ volume: 'none', size: 8 * TB }, 'volume', /no volume called none/],
		[{ volume: 'quay-v1', size: 6 * TB }, 'size', /6 TB already/],
		[{ volume: 'quay-v1', size: 10 * GB }, 'size', /does not shrink/],
		[{ volume: 'quay-v1', size: 0 }, 'size', /At least 1 GB/],
		[{ volume: 'quay-v1', size: 7 * TB + 0.5 }, 'size', /whole bytes/],
		[{ volume: '', size: TB * 9 }, 'volume', /Choose a volume/]
	])('%j is refused beside %s', async (input, field, words) => {
		await expect(h.draft('volume.extend', input)).rejects.toMatchObject({
			problems: [{ field, words: expect.stringMatching(words) as string }]
		});
	});

	test('the card offers it, in whole bytes, now and not in the past', async () => {
		expect((await cardOf(h.ctx, 'volume', 'quay-v1', { at: h.lab.now, live: false }))!.actions).toEqual([]);
		h.db.prepare(`UPDATE volumes SET size = ? WHERE id = 'isle-v1'`).run(3 * TB + 1);
		const odd = (await cardOf(h.ctx, 'volume', 'isle-v1', { at: h.lab.now, live: true }))!;
		expect(Number.isInteger((odd.actions[0]!.input as { size: number }).size)).toBe(true);
		const card = (await cardOf(h.ctx, 'volume', 'quay-v1', { at: h.lab.now, live: true }))!;
		expect(card.actions[0]).toMatchObject({ kind: 'volume.extend', input: { volume: 'quay-v1', size: 7.5 * TB } });
	});
});

describe('a network without addresses', () => {
	test('has its stale leases released, and machines can be made again', async () => {
		fault('range-used-up', 'isle-desks');
		await h.live(6 * MINUTE);
		const stale = (await leasesOf(h.ctx, 'isle-desks'))!.stale;
		expect(stale).toBeGreaterThan(10);
		const blocked = await h.draft('pool.grow', { pool: 'isle', count: 1 });
		expect(blocked.blocks.map((b) => b.words).join()).toMatch(/address/);

		const need = needs().find((n) => n.card === 'network/isle-desks')!;
		expect(need.plan!.words).toBe(`Release ${stale} leases`);
		const job = await h.carryOut(need.plan!.kind, need.plan!.input);
		expect(job.state).toBe('done');
		expect(job.result).toEqual({ released: stale });
		expect(needs().some((n) => n.card === 'network/isle-desks')).toBe(false);
		expect((await h.draft('pool.grow', { pool: 'isle', count: 1 })).blocks).toEqual([]);
	});

	test('where every lease is held by a machine, there is nothing to release', async () => {
		const plan = await h.draft('network.release', { network: 'quay-desks' });
		expect(plan.blocks[0]!.words).toMatch(/held by a machine/);
		await expect(h.commit(plan.id)).rejects.toThrow();
	});

	test('leases further addresses, and goes back', async () => {
		const before = (await leasesOf(h.ctx, 'isle-desks'))!;
		expect((await h.carryOut('network.set-range', { network: 'isle-desks', last: '10.2.0.100' })).state).toBe('done');
		const after = (await leasesOf(h.ctx, 'isle-desks'))!;
		expect([after.size, after.free]).toEqual([before.size + 60, before.free + 60]);

		const undo = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
		expect((await h.finish(await h.commit(undo.id))).state).toBe('done');
		expect(await leasesOf(h.ctx, 'isle-desks')).toEqual(before);
	});

	test('does not give up addresses that machines have', async () => {
		const held = all<{ name: string }>(h.db, `SELECT name FROM machines WHERE pool_id = 'isle' ORDER BY name`);
		const plan = await h.draft('network.set-range', { network: 'isle-desks', last: '10.2.0.10' });
		expect(plan.blocks).toHaveLength(Math.min(6, held.length - 1));
		expect(plan.blocks[0]!.words).toMatch(/lies beyond/);
	});

	test.each([
		['10.2.1.4', /10\.2\.0\.0\/24 holds no others/],
		['10.2.0.9', /Choose an address from 10\.2\.0\.10 to 10\.2\.0\.254/],
		['10.2.0.255', /to 10\.2\.0\.254/],
		['ten', /Write an address/]
	])('%s is no last address for it', async (last, words) => {
		await expect(h.draft('network.set-range', { network: 'isle-desks', last })).rejects.toMatchObject({
			problems: [{ field: 'last', words: expect.stringMatching(words) as string }]
		});
	});

	test('its card says who holds the leases', async () => {
		fault('range-used-up', 'isle-desks');
		const card = (await cardOf(h.ctx, 'network', 'isle-desks', { at: h.lab.now, live: true }))!;
		expect(card.facts.map((f) => f.words).join()).toMatch(/held by no machine/);
		expect(card.actions.map((a) => a.kind)).toEqual(['network.release', 'network.set-range', 'note.write']);
		expect(await cardOf(h.ctx, 'network', 'none', { at: h.lab.now, live: true })).toBeNull();
	});
});
