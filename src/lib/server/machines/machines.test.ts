import { beforeEach, describe, expect, test } from 'vitest';
import { AS_FOUND } from '$lib/core/images/versions';
import { DAY, GB, MINUTE } from '$lib/core/time/units';
import { poolAt } from '../pools';
import { dayWrites, overlayFor } from '../capacity/overlays';
import { cardOf } from '../house/cards';
import { changesBefore } from '../changes';
import { all, one } from '../db';
import { suppliesOf } from '../images';
import { followingAt, moveOf } from '../images/following';
import { draftUndo } from '../plans';
import { buildStep } from '../simulator/images';
import { COMPUTER } from '../testing/estates';
import { Harness, NEW_POOL as POOL, OWNER, testEstate } from '../testing/harness';

/** Quay has boot servers, and three computers that belong to nobody: one virtual, two physical. */
const estate = () =>
	testEstate('e2e/small.yaml', (e) => {
		e.lab.failure = 0;
		e.boot_servers = ['boot-1', 'boot-2', 'boot-3'].map((id) => ({
			id,
			site: id === 'boot-3' ? 'isle' : 'quay',
			address: `${id}.testbay.example`
		}));
		e.existing = [
			{ ...COMPUTER, name: 'old-1', kind: 'virtual', host: 'quay-h1', volume: 'quay-v1', folder: 'desks/isle' },
			{ ...COMPUTER, name: 'ws-1', kind: 'physical', folder: 'desks/quay' },
			{ ...COMPUTER, name: 'ws-2', kind: 'physical', users: 'single', generation: 1, system: 'Meridian Desktop 8' }
		];
	});

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(estate());
	await h.live(5 * MINUTE, MINUTE);
});
const refused = (field: string, words: RegExp) => ({
	problems: expect.arrayContaining([{ field, words: expect.stringMatching(words) as string }]) as unknown
});
const undoLast = async () => {
	const undo = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
	return h.finish(await h.commit(undo.id));
};
const accounts = async () => new Map((await h.ctx.providers.directory.accounts()).map((a) => [a.name, a.folder]));

describe('machines taken over', () => {
	const LIST = 'name,kind,owner\nold-1,virtual,bo\nws-1,physical,anna\nws-2,physical,\n';
	const take = (more: object = {}) => ({
		name: 'Old desks',
		site: 'quay',
		line: 'desk',
		folder: 'desks/quay',
		csv: LIST,
		...more
	});

	test('become a pool as they are, with their accounts and the people who keep them', async () => {
		const plan = await h.draft('pool.take-over', take());
		expect(plan.blocks).toEqual([]);
		expect(plan.effects.machines.map((m) => m.how)).toEqual([
			'taken over as it is, for bo',
			'taken over as it is, for anna',
			'taken over as it is'
		]);
		expect(plan.warnings.map((w) => w.words).join()).toMatch(
			/accounts of old-1 move to desks\/quay.*1 machine runs Meridian Desktop 8/
		);
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect(poolAt(h.db, 'old-desks', h.lab.now)).toMatchObject({ assignment: 'personal', version: AS_FOUND });
		expect(
			all(
				h.db,
				`SELECT m.name, pl.version, o.name AS host, pe.login FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = 9007199254740991
				JOIN hosts o ON o.id = pl.host_id LEFT JOIN people pe ON pe.id = pl.owner_id WHERE m.pool_id = 'old-desks' ORDER BY m.name`
			)
		).toEqual([
			{ name: 'old-1', version: AS_FOUND, host: 'quay-h1', login: 'bo' },
			{ name: 'ws-1', version: AS_FOUND, host: 'ws-1', login: 'anna' },
			{ name: 'ws-2', version: AS_FOUND, host: 'ws-2', login: null }
		]);
		const now = await accounts();
		expect(['old-1', 'ws-1', 'ws-2'].map((n) => now.get(n))).toEqual(['desks/quay', 'desks/quay', 'desks/quay']);
		expect(await h.ctx.providers.compute.existing()).toEqual([]);
		// They can be started, and take no machine of ours onto themselves.
		expect((await h.carryOut('machine.start', { machines: ['ws-1'] })).state).toBe('done');
		await h.live(5 * MINUTE);
		expect(h.lab.world.machines.get('ws-1')!.state).toBe('ready');
		expect((await h.ctx.providers.compute.hosts()).map((x) => x.name)).not.toContain('ws-1');
		expect((await cardOf(h.ctx, 'machine', 'ws-1', { at: h.lab.now, live: true }))!.rows).toContainEqual({
			name: 'image',
			value: 'as it was found'
		});
	});

	test('follow nothing; with a rule, a virtual one takes the version, a physical one says why not', async () => {
		await h.carryOut('pool.take-over', take());
		const reasonOf = (name: string) => {
			const f = followingAt(h.db, h.lab.now);
			return moveOf(
				f,
				f.machines.find((m) => m.name === name)!
			);
		};
		expect(reasonOf('old-1').value.reason).toBe('follows nothing');
		expect((await h.carryOut('image.follow', { pool: 'old-desks', rule: 'newest' })).state).toBe('done');
		expect(reasonOf('ws-1').value.reason).toBe('system differs');
		expect(reasonOf('ws-1').facts.at(-1)!.words).toMatch(/physical machine: no image/);
		await h.live(30 * MINUTE, MINUTE);
		expect(reasonOf('old-1').value.reason).toBe('has it');
		expect(h.lab.world.machines.get('old-1')!.version).toBe('1.0.0');
		expect(h.lab.world.machines.get('ws-1')!.version).toBe(AS_FOUND);
	});

	test('can be what a build starts from', async () => {
		await h.carryOut('pool.take-over', take());
		const { machines } = await suppliesOf(h.ctx);
		expect(machines.find((m) => m.name === 'ws-2')).toMatchObject({
			users: 'single',
			generation: 1,
			contents: [{ name: 'Meridian Desktop 8' }]
		});
		const built = buildStep(h.lab.estate, h.lab.world, 'desk', {
			kind: 'source',
			with: { from: 'machine', machine: 'ws-2' }
		});
		expect(built.log).toEqual(['Meridian Desktop 8 as found is in place']);
	});

	test('are not reset, and are let go as they are', async () => {
		await h.carryOut('pool.take-over', take());
		const reset = await h.draft('machines.reset', { pool: 'old-desks' });
		expect(reset.blocks.map((b) => b.words).join()).toMatch(
			/old-1 was taken over as it was.*ws-1 is a physical machine/
		);
		const move = await h.draft('machines.move', { pool: 'old-desks', number: '1.0.0' });
		expect(move.blocks.map((b) => b.words).join()).toMatch(/ws-2 is a physical machine/);
		expect((await h.draft('machine.reset', { machines: ['ws-1'] })).blocks[0]!.words).toMatch(
			/^ws-1 was taken over as it was/
		);
		await expect(h.draft('pool.grow', { pool: 'old-desks', count: 1 })).rejects.toMatchObject(
			refused('pool', /were taken over/)
		);
		expect((await undoLast()).state).toBe('done');
		expect((await h.ctx.providers.compute.existing()).map((m) => m.name).sort()).toEqual(['old-1', 'ws-1', 'ws-2']);
		expect((await accounts()).get('ws-1')).toBe('desks/quay');
		// And can be taken over once more.
		expect((await h.carryOut('pool.take-over', take())).state).toBe('done');
	});

	test.each([
		[{ csv: 'name\nws-9' }, 'csv.2', /^Line 2: the compute provider knows no machine ws-9\.$/],
		[{ csv: 'name\nws-1\n"ws-2' }, 'csv.3', /a quote is not closed/],
		[{ csv: '' }, 'csv', /Give a list/],
		[{ accounts: 'refuse' }, 'csv.2', /account old-1 exists in desks\/isle: adopt it/],
		[{ assignment: 'shared' }, 'csv.2', /a shared pool has no owners/],
		[{ perMachine: 2 }, 'perMachine', /one session/],
		[{ name: 'quay' }, 'name', /with this name already/],
		[{ site: 'moon' }, 'site', /no site called moon/],
		[{ line: 'moon' }, 'line', /no image line/],
		[{ folder: 'moon' }, 'folder', /no folder moon/]
	])('%j is refused beside %s, and nothing is taken over', async (change, field, words) => {
		await expect(h.draft('pool.take-over', take(change))).rejects.toMatchObject(refused(field, words));
		expect(await h.ctx.providers.compute.existing()).toHaveLength(3);
	});
});

describe('whose a machine is', () => {
	const personal = async () => {
		await h.carryOut('pool.create', {
			...POOL,
			name: 'Kept desks',
			assignment: 'personal',
			line: 'desk',
			naming: 'own-##',
			count: 2
		});
	};
	const owner = (name: string) =>
		one<{ login: string | null }>(
			h.db,
			`SELECT pe.login FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = 9007199254740991 LEFT JOIN people pe ON pe.id = pl.owner_id WHERE m.name = ?`,
			[name]
		)!.login;

	test('is set by name, told to the broker, and undone', async () => {
		await personal();
		expect((await h.carryOut('machine.give', { machine: 'own-01', person: 'anna' })).state).toBe('done');
		expect(owner('own-01')).toBe('anna');
		expect(h.lab.world.broker.owners['own-01']).toBe('anna');
		expect((await h.draft('machine.give', { machine: 'own-02', person: 'anna' })).blocks[0]!.words).toMatch(
			/keeps own-01 of this pool already/
		);
		expect((await h.draft('machine.give', { machine: 'own-01', person: 'anna' })).blocks[0]!.words).toMatch(
			/theirs already/
		);
		expect((await undoLast()).state).toBe('done');
		expect(owner('own-01')).toBeNull();
		expect(h.lab.world.broker.owners['own-01']).toBeUndefined();
	});

	test('cannot be set for a shared pool, or for nobody who is there', async () => {
		const name = one<{ name: string }>(h.db, `SELECT name FROM machines WHERE pool_id = 'quay'`)!.name;
		expect((await h.draft('machine.give', { machine: name, person: 'anna' })).blocks[0]!.words).toMatch(/is shared/);
		await personal();
		await expect(h.draft('machine.give', { machine: 'own-01', person: 'zoe' })).rejects.toMatchObject(
			refused('person', /nobody called zoe/)
		);
		await expect(h.draft('machine.give', { machine: 'moon', person: 'anna' })).rejects.toMatchObject(
			refused('machine', /no machine called moon/)
		);
	});
});

describe('boot servers', () => {
	const set = (servers: string[]) => h.carryOut('pool.boot-servers', { pool: 'quay', servers });
	const fault = (target: string) =>
		h.lab.apply({ kind: 'fault', fault: 'boot-server-down', target, value: null }) as number;
	/** Starts a machine of the pool that is off; answers with the cause of its last state, and how long it took. */
	const start = async (name: string) => {
		const began = h.lab.now;
		await h.carryOut('machine.start', { machines: [name] });
		await h.live(6 * MINUTE);
		const states = all<{ state: string; cause: string; since: number }>(
			h.db,
			`SELECT s.state, s.cause, s.since FROM machine_states s JOIN machines m ON m.id = s.machine_id WHERE m.name = ? AND s.since >= ? ORDER BY s.since`,
			[name, began]
		);
		return { states, took: states.at(-1)!.since - states[0]!.since };
	};
	const off = () =>
		all<{ name: string }>(
			h.db,
			`SELECT m.name FROM machines m JOIN machine_states s ON s.machine_id = m.id AND s.until = 9007199254740991 WHERE m.pool_id = 'quay' AND s.state = 'off' ORDER BY m.name`
		).map((m) => m.name);

	test('are changed on a running pool without building anything anew, and tried in their order', async () => {
		await h.carryOut('policy.set', { pool: 'quay', headroomIn: 0, headroomOut: 0, least: 0 });
		const versions = all(h.db, 'SELECT machine_id, version FROM machine_spots ORDER BY 1');
		const plan = await h.draft('pool.boot-servers', { pool: 'quay', servers: ['boot-1', 'boot-2'] });
		expect(plan.effects.sessionsEnded).toEqual([]);
		expect(plan.reasons.map((r) => r.words).join()).toMatch(/boot-1 answered in \d+ ms,boot-2 answered/);
		await h.finish(await h.commit(plan.id));
		expect(all(h.db, 'SELECT machine_id, version FROM machine_spots ORDER BY 1')).toEqual(versions);
		await h.live(40 * MINUTE, MINUTE);
		const [first, second] = off();
		const quick = await start(first!);
		expect(quick.states.map((s) => s.state)).toContain('ready');
		fault('boot-1');
		const slow = await start(second!);
		expect(slow.states[0]!.cause).toMatch(/from boot-2: boot-1 did not answer/);
		expect(slow.states.map((s) => s.state)).toContain('ready');
		expect(poolAt(h.db, 'quay', h.lab.now)!.bootServers).toEqual(['boot-1', 'boot-2']);
		expect((await undoLast()).state).toBe('done');
	});

	test('where none answers no machine starts, and the plan that would set it so is blocked', async () => {
		await h.carryOut('policy.set', { pool: 'quay', headroomIn: 0, headroomOut: 0, least: 0 });
		await set(['boot-1']);
		await h.live(40 * MINUTE, MINUTE);
		fault('boot-1');
		const { states } = await start(off()[0]!);
		expect(states.at(-1)).toMatchObject({ state: 'failed', cause: 'no boot server answered: boot-1' });
		const before = await h.draft('pool.boot-servers', { pool: 'isle', servers: ['boot-1'] });
		expect(before.blocks.map((b) => b.words)).toEqual(['none of these servers answers: no machine could start']);
		const both = await h.draft('pool.boot-servers', { pool: 'isle', servers: ['boot-1', 'boot-3'] });
		expect(both.blocks).toEqual([]);
		expect(both.warnings[0]!.words).toMatch(/boot-1: nothing answers at boot-1\.testbay/);
		expect((await h.draft('pool.create', { ...POOL, bootServers: ['boot-1'] })).blocks.map((b) => b.words)).toContain(
			'none of its boot servers answers: no machine could start'
		);
	});

	test.each([
		[{ pool: 'moon', servers: [] }, 'pool', /no pool called moon/],
		[{ pool: 'quay', servers: ['boot-9'] }, 'servers', /no boot server called boot-9/],
		[{ pool: 'quay', servers: ['boot-1', 'boot-1'] }, 'servers', /Each server once/]
	])('%j is refused beside %s', async (input, field, words) => {
		await expect(h.draft('pool.boot-servers', input)).rejects.toMatchObject(refused(field, words));
	});

	test('the same order again is no change', async () => {
		expect((await h.draft('pool.boot-servers', { pool: 'quay', servers: [] })).blocks[0]!.words).toBe(
			'it does so already'
		);
	});
});

describe('overlay disks', () => {
	test('are sized by what days of work wrote, once enough was measured', async () => {
		const want = { line: 'desk', perMachine: 1, keeps: 1, pageFile: 0, pageOnOverlay: true };
		expect(overlayFor(h.ctx, want).facts[0]!.words).toMatch(/^only 0 machine-days were measured/);
		await h.live(4 * DAY, 20 * MINUTE);
		const { days, perMachine } = dayWrites(h.db, 'desk', h.lab.now);
		expect(days.length).toBeGreaterThan(0);
		expect(perMachine).toBeGreaterThan(0);
		// What the lab wrote is what was measured: the days add up to its counters.
		const counted = one<{ n: number }>(h.db, 'SELECT sum(latest - began) AS n FROM day_writes')!.n;
		const written = (await h.ctx.providers.compute.written()).reduce((n, w) => n + w.bytes, 0);
		expect(counted).toBeLessThanOrEqual(written);
		expect(counted).toBeGreaterThan(written * 0.97);
	});

	test('a disk too small for a day is a warning with the figure; a page file apart takes room on the volume', async () => {
		const small = await h.draft('pool.create', { ...POOL, perMachine: 8, disk: 21 * GB });
		expect(small.warnings.map((w) => w.words).join()).toMatch(
			/a disk of 21 GB is smaller than what a day’s work asks for, 39 GB/
		);
		const before = (await h.ctx.providers.compute.volumes()).find((x) => x.id === 'quay-v1')!.used;
		await h.carryOut('pool.create', { ...POOL, count: 2, disk: 40 * GB, pageFile: 8 * GB, pageFileOn: 'apart' });
		const after = (await h.ctx.providers.compute.volumes()).find((x) => x.id === 'quay-v1')!.used;
		expect(after - before).toBe(2 * 48 * GB);
	});
});

describe('accounts that wait in the folder', () => {
	test('are passed over, or adopted where that is wanted', async () => {
		void h.ctx.providers.directory.createAccount('nw-01', 'desks/quay', 'prepared');
		await h.live(MINUTE);
		const over = await h.draft('pool.create', { ...POOL, count: 2 });
		expect(over.effects.machines.map((m) => m.name)).toEqual(['nw-02', 'nw-03']);
		const adopt = await h.draft('pool.create', { ...POOL, count: 2, accounts: 'adopt' });
		expect(adopt.effects.machines.map((m) => m.name)).toEqual(['nw-01', 'nw-02']);
		expect(adopt.reasons.map((r) => r.words)).toContain('1 account in desks/quay that no machine has is adopted');
		expect((await h.finish(await h.commit(adopt.id))).state).toBe('done');
		expect((await accounts()).get('nw-01')).toBe('desks/quay');
	});

	test('beside the machines of another pool, only their hosts are used', async () => {
		const on = new Set([...h.lab.world.machines.values()].filter((m) => m.pool === 'quay').map((m) => m.host));
		const plan = await h.draft('pool.create', { ...POOL, count: 2, spots: { beside: 'quay' } });
		expect(plan.effects.machines.every((m) => on.has(m.how!.replace('made on ', '')))).toBe(true);
		await expect(h.draft('pool.create', { ...POOL, spots: { beside: 'moon' } })).rejects.toMatchObject(
			refused('spots.beside', /pool moon stands anywhere/)
		);
		await expect(h.draft('pool.create', { ...POOL, spots: { beside: 'isle' } })).rejects.toMatchObject(
			refused('spots.beside', /no machine at this site/)
		);
	});
});
