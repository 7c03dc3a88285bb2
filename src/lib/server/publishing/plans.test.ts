import { beforeEach, describe, expect, test } from 'vitest';
import { FOREVER, MINUTE } from '$lib/core/time/units';
import { all, one } from '../db';
import { verifyData } from '../verify';
import { Harness, NEW_POOL, testEstate } from '../testing/harness';
import { previewNames } from '../machines/pool-plans';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of();
	await h.live(5 * MINUTE);
});
const refusal = async (kind: string, input: unknown) =>
	((await h.draft(kind, input).catch((e: unknown) => e)) as { problems?: { field: string; words: string }[] }).problems;

describe('a pool', () => {
	test.each<[object, string, RegExp]>([
		[{ site: 'moon' }, 'site', /no site called moon/],
		[{ version: '9.9.9' }, 'version', /desk has no version 9\.9\.9/],
		[{ network: 'isle-desks' }, 'network', /Quay has no network called isle-desks/],
		[{ folder: 'desks/moon' }, 'folder', /no folder desks\/moon/],
		[{ name: 'Desks Quay' }, 'name', /a pool with this name already/],
		[{ name: '!!!' }, 'name', /needs a letter or a digit/],
		[{ assignment: 'personal', perMachine: 2 }, 'perMachine', /holds one session/],
		[{ cores: 0 }, 'cores', /At least 1/],
		[{ count: 2.5 }, 'count', /whole number/]
	])('with %j is refused beside %s', async (change, field, words) => {
		const problems = (await refusal('pool.create', { ...NEW_POOL, ...change }))!;
		expect(problems.find((p) => p.field === field)!.words).toMatch(words);
		expect(one(h.db, `SELECT 1 FROM pools WHERE id = 'new-desks'`)).toBeUndefined();
	});

	test('says all that is wrong at once', async () => {
		const problems = (await refusal('pool.create', { ...NEW_POOL, site: 'moon', line: 'none', folder: 'x' }))!;
		expect(problems.map((p) => p.field).sort()).toEqual(['folder', 'line', 'network', 'site']);
	});

	test('is made with its machines, accounts and addresses, and removed with all of them', async () => {
		const free = await h.ctx.providers.network.free('quay-desks');
		await h.carryOut('pool.create', NEW_POOL);
		expect(await h.ctx.providers.network.free('quay-desks')).toBe(free - 3);
		expect([...h.lab.world.accounts].filter(([name]) => name.startsWith('nw-')).map(([, folder]) => folder)).toEqual(
			Array(3).fill('desks/quay')
		);
		expect(h.lab.world.broker.pools.find((p) => p.id === 'new-desks')!.machines).toHaveLength(3);
		await h.carryOut('pool.remove', { pool: 'new-desks' });
		expect(await h.ctx.providers.network.free('quay-desks')).toBe(free);
		expect([...h.lab.world.accounts.keys()].some((name) => name.startsWith('nw-'))).toBe(false);
		expect(all(h.db, `SELECT 1 FROM machines WHERE pool_id = 'new-desks' AND until = ${FOREVER}`)).toEqual([]);
		expect(verifyData(h.db)).toEqual([]);
	});

	test('that serves a publication cannot be removed', async () => {
		const plan = await h.draft('pool.remove', { pool: 'quay' });
		expect(plan.blocks.map((b) => b.words)).toEqual([
			'publication Desk is served by it: take the pool out of it first'
		]);
	});

	test('whose machines are more than their names have room for is blocked, with how many are left', async () => {
		const plan = await h.draft('pool.create', { ...NEW_POOL, naming: 'n-#', count: 12 });
		expect(plan.blocks.map((b) => b.words).join()).toMatch(/numbers for only \d+ more machines?/);
	});
});

describe('names', () => {
	test('are previewed as they would be given, those that are taken named with what has them', async () => {
		const names = await previewNames(h.ctx, 'quay-##', 3, 5);
		if ('problem' in names) throw new Error(names.problem);
		expect(names.names).toEqual(['quay-07', 'quay-08', 'quay-09']);
		expect(names.clashes.map((c) => c.name)).toEqual(['quay-05', 'quay-06']);
		expect(names.clashes[0]!.with).toMatch(/quay/);
		expect(await previewNames(h.ctx, 'quay', 3, 1)).toEqual({
			problem: expect.stringMatching(/Add a run of #/) as string
		});
	});
});

describe('a publication', () => {
	const publication = { name: 'Second desk', internalName: 'Second', pools: ['isle', 'quay'] };
	test('serves from its pools in their order, and tells the gateways', async () => {
		await h.carryOut('publication.create', publication);
		expect(h.lab.world.broker.publications.find((p) => p.id === 'second')).toMatchObject({ pools: ['isle', 'quay'] });
		await h.carryOut('publication.change', { ...publication, id: 'second', pools: ['quay'], protocol: 'framebuffer' });
		expect(h.lab.world.broker.publications.find((p) => p.id === 'second')).toMatchObject({
			pools: ['quay'],
			protocol: 'framebuffer'
		});
	});
	test('that is granted is taken off only once the grants are taken back', async () => {
		const plan = await h.draft('publication.remove', { publication: 'desk' });
		expect(plan.blocks.map((b) => b.words)).toEqual(['Desk is granted to Harbour: take that grant back first']);
		await h.carryOut('grant.remove', { grant: 1 });
		expect((await h.carryOut('publication.remove', { publication: 'desk' })).state).toBe('done');
		expect(h.lab.world.broker.publications.map((p) => p.id)).toEqual(['own']);
	});
	test.each<[object, string, RegExp]>([
		[{ name: 'My desk' }, 'name', /two of that name/],
		[{ internalName: 'Desk' }, 'internalName', /a publication with this name/],
		[{ pools: [] }, 'pools', /at least one pool/],
		[{ pools: ['moon'] }, 'pools', /no pool called moon/],
		[{ protocol: 'telegraph' }, 'protocol', /./]
	])('with %j is refused beside %s', async (change, field, words) => {
		const problems = (await refusal('publication.create', { ...publication, ...change }))!;
		expect(problems.find((p) => p.field === field)!.words).toMatch(words);
	});
});

describe('where machines go', () => {
	test('the plan says which host, how near to the fewest, and why it refuses', async () => {
		const h = await Harness.of(testEstate());
		const all = await h.draft('pool.create', NEW_POOL);
		expect(all.effects.machines[0]!.how).toMatch(/^made on quay-h\d$/);
		expect(all.reasons.map((r) => r.words).join()).toMatch(
			/3 machines on \d hosts?; with fewer than 1 it cannot be done/
		);
		const apart = await h.draft('pool.create', { ...NEW_POOL, count: 40, spots: { apart: true } });
		expect(apart.blocks.map((b) => b.words).join()).toMatch(
			/finds no host: every host has a machine that it is to be kept apart from/
		);
		const hosts = (await h.server.providers.compute.hosts()).filter((x) => x.site === 'quay');
		const spare = await h.draft('pool.create', { ...NEW_POOL, spots: { spareHost: true } });
		if (hosts.length === 1) expect(spare.blocks.map((b) => b.words).join()).toMatch(/no room for one host to fail/);
		else expect(spare.reasons.map((r) => r.words).join()).toMatch(/any one host may fail|no room for one host/);
	});
	test('a pool follows what was said', async () => {
		const h = await Harness.of(testEstate());
		expect(
			(await h.draft('pool.create', { ...NEW_POOL, follows: 'newest 1.x' })).reasons.map((r) => r.words)
		).toContain('its machines follow newest 1.x');
		await expect(h.draft('pool.create', { ...NEW_POOL, follows: 'the moon' })).rejects.toMatchObject({
			problems: [{ field: 'follows' }]
		});
	});
});
