import { describe, expect, test } from 'vitest';
import { DAY, HOUR, MINUTE, parseSize } from '$lib/core/time/units';
import { all, one } from '../db';
import { Harness, testEstate } from '../testing/harness';
import { followingAt, moveOf } from './following';
import { sitesWith } from './queries';
import { shipmentsAt } from './shipping';

/** Quay is home; isle hangs on a link of 10 Mbit/s, and a far site behind isle. */
const estate = (loss = 0) =>
	testEstate('e2e/small.yaml', (e) => {
		for (const p of e.directory.people) p.pattern = 'none';
		for (const p of e.pools) p.follows = { takes: 'newest' };
		e.lab.failure = 0;
		e.sites[0]!.links[0]!.loss = loss;
		const isle = e.sites.find((s) => s.id === 'isle')!;
		e.sites.push({
			...isle,
			id: 'far',
			name: 'Far',
			networks: [],
			links: [{ to: 'isle', mbit: 40, latency_ms: 50, loss: 0 }]
		});
	});
const ship = { line: 'desk', number: '1.1.0', sites: ['isle'], from: '00:00', until: '00:00', share: 100, nights: 5 };
const sentTo = (h: Harness, site: string) =>
	one<{ sent: number }>(h.db, 'SELECT sent FROM shipment_sites WHERE site_id = ?', [site])!.sent;

describe('shipping', () => {
	test('sends only what the site lacks, and machines there take it once it is whole', async () => {
		const h = await Harness.of(estate());
		await h.live(5 * MINUTE);
		const plan = await h.draft('image.ship', ship);
		expect(plan.blocks).toEqual([]);
		const [arrives, whole] = plan.reasons.map((r) => r.words);
		expect(arrives).toMatch(/^Isle has it \w+ \d+ \w+ \d\d:\d\d local time: [\d.]+ GB at 10 Mbit\/s$/);
		expect(whole).toMatch(/the whole version is [\d.]+ GB over a link/);
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		const job = await h.commit(plan.id);
		await h.live(30 * MINUTE, MINUTE);
		const f = followingAt(h.db, h.lab.now);
		const isle = f.machines.find((m) => m.site === 'isle')!;
		expect(moveOf(f, isle)).toMatchObject({ value: { reason: 'site lacks it' } });
		expect(moveOf(f, isle).facts.at(-1)!.words).toMatch(/Isle is to have desk 1\.1\.0 about/);
		expect((await h.finish(job)).state).toBe('done');
		// What was planned is what was sent: to the byte.
		expect(sentTo(h, 'isle')).toBe(plan.effects.bytes);
		expect(sitesWith(h.db, 'desk', '1.1.0', h.lab.now)).toContain('isle');
		await h.live(2 * HOUR, MINUTE);
		expect(
			one(h.db, `SELECT count(*) AS n FROM machine_spots WHERE version = '1.1.0' AND until = 9007199254740991`)
		).toEqual({ n: 11 });
		expect((await h.draft('image.ship', ship)).blocks[0]!.words).toBe('Isle has desk 1.1.0 already');
	});

	test('arrives when the plan says, within the scatter of the link', async () => {
		const h = await Harness.of(estate(0.1));
		await h.live(5 * MINUTE);
		const plan = await h.draft('image.ship', ship);
		const job = await h.finish(await h.commit(plan.id));
		expect((job.ended! - job.began!) / plan.effects.duration!.middle).toBeGreaterThan(0.95);
		expect((job.ended! - job.began!) / plan.effects.duration!.middle).toBeLessThan(1.15);
	});

	test('in nightly windows waits, goes on the next night, and after a break sends nothing twice', async () => {
		const h = await Harness.of(estate());
		await h.live(5 * MINUTE);
		const plan = await h.draft('image.ship', { ...ship, from: '01:00', until: '04:00', share: 40 });
		expect(plan.blocks).toEqual([]);
		const job = await h.commit(plan.id);
		const until = (hour: number) => {
			const next = new Date(h.lab.now);
			next.setUTCHours(hour, 0, 0, 0);
			return next.getTime() > h.lab.now ? next.getTime() - h.lab.now : next.getTime() + DAY - h.lab.now;
		};
		for (let i = 0; i < 2000 && !(one(h.db, 'SELECT 1 FROM shipment_sites') && sentTo(h, 'isle') > 0); i++)
			await h.live(5 * MINUTE, 5 * MINUTE);
		const sent = sentTo(h, 'isle');
		expect(sent).toBeGreaterThan(0);
		const fault = h.lab.apply({ kind: 'fault', fault: 'link-down', target: 'isle/quay', value: null }) as number;
		await h.live(HOUR, MINUTE);
		expect(sentTo(h, 'isle')).toBeLessThan(sent * 1.2);
		h.lab.apply({ kind: 'clear fault', id: fault });
		await h.live(until(12), 5 * MINUTE);
		const noon = sentTo(h, 'isle');
		await h.live(6 * HOUR, 10 * MINUTE);
		expect(sentTo(h, 'isle')).toBe(noon);
		expect((await h.finish(job, 5 * MINUTE)).state).toBe('done');
		expect(sentTo(h, 'isle')).toBe(plan.effects.bytes);
		expect(shipmentsAt(h.db, h.lab.now)[0]!.sites[0]!.breaks).toBeGreaterThan(0);
	});

	test('to two sites over one link carries each chunk once', async () => {
		const h = await Harness.of(estate());
		await h.live(5 * MINUTE);
		const [one_, both] = [
			await h.draft('image.ship', ship),
			await h.draft('image.ship', { ...ship, sites: ['isle', 'far'] })
		];
		const far = await h.draft('image.ship', { ...ship, sites: ['far'] });
		// Far holds nothing: it needs all; what isle lacks passes over the first link once.
		expect(both.effects.bytes).toBe(far.effects.bytes);
		expect(both.effects.bytes).toBeGreaterThan(one_.effects.bytes);
		await h.finish(await h.commit(both.id));
		expect(sitesWith(h.db, 'desk', '1.1.0', h.lab.now).sort()).toEqual(['far', 'isle', 'quay']);
	});

	test('that does not fit is blocked, with what would make it fit', async () => {
		const h = await Harness.of(estate());
		await h.live(5 * MINUTE);
		const plan = await h.draft('image.ship', { ...ship, from: '01:00', until: '02:00', share: 10, nights: 2 });
		expect(plan.blocks[0]!.words).toMatch(
			/do not reach Isle in 2 nights, only .* it would fit with \d+ nights instead of 2/
		);
	});

	test('that does not fit names a part to leave out by what of it is missing over the link', async () => {
		const h = await Harness.of(estate());
		await h.live(5 * MINUTE);
		// A window just short of what is missing: one part less would do.
		const whole = await h.draft('image.ship', ship);
		const seconds = (whole.effects.bytes * 8) / 10e6;
		const minutes = Math.floor((seconds * 0.97) / 60);
		const until = `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
		const plan = await h.draft('image.ship', { ...ship, until, nights: 1 });
		const [, part, size] = /leaving (.+?) out, ([\d.]+ [GM]B)/.exec(plan.blocks[0]!.words)!;
		expect(['Paperlane 13.0', 'Meridian Server 24.10']).toContain(part);
		const chunks = await h.ctx.providers.builder.chunks('desk', '1.1.0');
		const packed = chunks.filter((c) => c.part === part).reduce((n, c) => n + c.packed, 0);
		// No more than the part has, and all that is missing where nothing of it is there.
		expect(parseSize(size!)!).toBeLessThanOrEqual(packed * 1.01);
	});

	test('taken up by another process goes on from what has arrived', async () => {
		const h = await Harness.of(estate());
		await h.live(5 * MINUTE);
		const plan = await h.draft('image.ship', ship);
		const job = await h.commit(plan.id);
		await h.live(40 * MINUTE, MINUTE);
		h.lockstep.restart();
		expect((await h.finish(job)).state).toBe('done');
		expect(all(h.db, 'SELECT 1 FROM shipments')).toHaveLength(1);
		expect(sitesWith(h.db, 'desk', '1.1.0', h.lab.now)).toContain('isle');
	});

	test.each([
		[{ sites: ['moon'] }, 'sites'],
		[{ sites: [] }, 'sites'],
		[{ from: 'late' }, 'from'],
		[{ until: '25:00' }, 'until'],
		[{ share: 0 }, 'share'],
		[{ nights: 0 }, 'nights'],
		[{ number: '9.9.9' }, 'number']
	])('%j is refused beside %s', async (change, field) => {
		const h = await Harness.of(estate());
		await expect(h.draft('image.ship', { ...ship, ...change })).rejects.toMatchObject({
			problems: [expect.objectContaining({ field })]
		});
	});
	test('over a link without speed says so', async () => {
		const h = await Harness.of(
			testEstate('e2e/small.yaml', (e) => {
				e.sites[0]!.links[0]!.mbit = 0;
			})
		);
		expect((await h.draft('image.ship', ship)).blocks[0]!.words).toBe(
			'the link to Isle has no speed: nothing can be sent over it'
		);
	});
});
