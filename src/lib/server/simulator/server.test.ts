import { beforeEach, describe, expect, test } from 'vitest';
import { GB, HOUR, MINUTE, SECOND } from '$lib/core/time/units';
import { ProviderError, type MachineSpec } from '../providers';
import { makeStep } from '$lib/core/images/sheet';
import { Harness, testEstate } from '../testing/harness';
import { LabServer } from './server';

/** The outside as Sextant meets it: calls that take time, that may be repeated, and that may be refused. */

let h: Harness;
let server: LabServer;
beforeEach(async () => {
	h = await Harness.of(testEstate());
	await h.live(10 * MINUTE);
	server = h.server;
});
const { spec } = {
	spec: (name: string, more: Partial<MachineSpec> = {}): MachineSpec => ({
		name,
		pool: 'quay',
		host: 'quay-h1',
		volume: 'quay-v1',
		network: 'quay-desks',
		line: 'desk',
		version: '1.0.0',
		users: 'multi',
		holds: 2,
		cores: 4,
		memory: 12 * GB,
		gpus: 0,
		disk: 50 * GB,
		pageFile: 4 * GB,
		pageApart: false,
		bootServers: [],
		...more
	})
};

/** Lets time pass until a call has been answered; says how long that took, in simulated ms. */
async function answered<T>(call: Promise<T>): Promise<{ value?: T; error?: Error; took: number }> {
	const began = h.lab.now;
	let outcome: { value?: T; error?: Error } | null = null;
	call.then(
		(value) => (outcome = { value }),
		(error: Error) => (outcome = { error })
	);
	for (let i = 0; i < 4000; i++) {
		await new Promise((resolve) => setImmediate(resolve));
		if (outcome) return { ...(outcome as { value?: T; error?: Error }), took: h.lab.now - began };
		server.advance(h.lab.now + (i < 900 ? SECOND : MINUTE));
	}
	throw new Error('no answer');
}

describe('a call', () => {
	test('takes simulated time, more for more', async () => {
		const { compute } = server.providers;
		const small = await answered(compute.create(spec('q-1', { disk: 20 * GB }), 'a'));
		const large = await answered(compute.create(spec('q-2', { disk: 400 * GB }), 'b'));
		expect(small.value!.address).toMatch(/^10\.1\.0\.\d+$/);
		expect(small.took).toBeGreaterThan(30 * SECOND);
		expect(large.took).toBeGreaterThan(3 * small.took);
	});

	test('with the same key is the same request, before its answer and after', async () => {
		const { compute } = server.providers;
		const [first, second] = [compute.create(spec('q-1'), 'k'), compute.create(spec('q-1'), 'k')];
		const a = await answered(first);
		expect(await second).toEqual(a.value);
		expect(await compute.create(spec('q-1'), 'k')).toEqual(a.value);
		expect([...h.lab.world.machines.keys()].filter((m) => m === 'q-1')).toHaveLength(1);
		const other = await answered(compute.create(spec('q-1'), 'another key'));
		expect(other.error).toBeInstanceOf(ProviderError);
		expect(other.error!.message).toBe('there is a machine q-1 already');
	});

	test.each<[string, Partial<MachineSpec>, RegExp]>([
		['a version that the image store has not', { version: '9.9.9' }, /no desk 9\.9\.9/],
		['a volume without room', { disk: 7000 * GB }, /volume quay-v1 is full/]
	])('for %s is refused, and leaves nothing behind', async (_name, more, words) => {
		const free = await server.providers.network.free('quay-desks');
		const { error } = await answered(server.providers.compute.create(spec('q-1', more), 'k'));
		expect(error!.message).toMatch(words);
		expect(h.lab.world.machines.has('q-1')).toBe(false);
		expect(await server.providers.network.free('quay-desks')).toBe(free);
	});

	test('on a host that is down is refused, and may be tried again', async () => {
		h.lab.apply({ kind: 'fault', fault: 'host-down', target: 'quay-h1', value: null });
		const { error } = await answered(server.providers.compute.create(spec('q-1'), 'k'));
		expect(error).toMatchObject({ message: 'host quay-h1 is down', retry: true });
	});
});

describe('a machine', () => {
	test('is started, reset and removed; the provider’s figures follow', async () => {
		const { compute, network } = server.providers;
		const before = (await compute.hosts()).find((x) => x.name === 'quay-h1')!;
		const free = await network.free('quay-desks');
		const used = (await compute.volumes()).find((v) => v.id === 'quay-v1')!.used;
		await answered(compute.create(spec('q-1'), 'a'));
		const with_ = (await compute.hosts()).find((x) => x.name === 'quay-h1')!;
		expect([with_.coresPromised - before.coresPromised, with_.memoryPromised - before.memoryPromised]).toEqual([
			4,
			12 * GB
		]);
		expect(await network.free('quay-desks')).toBe(free - 1);
		expect((await compute.volumes()).find((v) => v.id === 'quay-v1')!.used).toBe(used + 50 * GB);

		await answered(compute.start('q-1', 'tests', 'b'));
		server.advance(h.lab.now + 5 * MINUTE);
		expect(h.lab.world.machines.get('q-1')!.state).toBe('ready');
		await answered(compute.reset('q-1', '1.1.0', 'c'));
		expect(h.lab.world.machines.get('q-1')!.version).toBe('1.1.0');
		await answered(compute.remove('q-1', 'd'));
		expect(await network.free('quay-desks')).toBe(free);
		expect((await compute.volumes()).find((v) => v.id === 'quay-v1')!.used).toBe(used);
		expect((await answered(compute.start('q-1', 'tests', 'e'))).error!.message).toMatch(/knows no machine q-1/);
	});
});

describe('the directory', () => {
	test('has each computer account once, with its folder', async () => {
		const { directory } = server.providers;
		await answered(directory.createAccount('q-1', 'desks/quay', 'a'));
		expect(await directory.accounts()).toContainEqual({ name: 'q-1', folder: 'desks/quay' });
		const twice = await answered(directory.createAccount('q-1', 'desks/isle', 'b'));
		expect(twice.error).toMatchObject({
			retry: false,
			message: expect.stringMatching(/already, in desks\/quay/) as string
		});
		await answered(directory.removeAccount('q-1', 'c'));
		expect((await directory.accounts()).some((a) => a.name === 'q-1')).toBe(false);
		await answered(directory.removeAccount('q-1', 'd'));
	});
	test('knows its people’s passwords', async () => {
		const { directory } = server.providers;
		expect(await directory.verify('anna', 'tideline')).toBe(true);
		expect(await directory.verify('anna', 'wrong')).toBe(false);
		expect(await directory.verify('nobody', 'tideline')).toBe(false);
	});
});

describe('a builder', () => {
	test('works faster with more cores, but not in proportion', async () => {
		const { builder } = server.providers;
		const step = makeStep('updates');
		await answered(
			builder.runStep(
				'desk',
				makeStep('source', { system: 'meridian-server-24' }),
				{ cores: 4, disk: 96 * GB },
				'begin'
			)
		);
		// Each run has a scatter of its own: eight of them tell.
		const took = async (cores: number) => {
			let sum = 0;
			for (let i = 0; i < 8; i++)
				sum += (await answered(builder.runStep('desk', step, { cores, disk: 96 * GB }, `${cores}/${i}`))).took;
			return sum / 8;
		};
		const [two, four, eight, many] = [await took(2), await took(4), await took(8), await took(64)];
		expect(two).toBeGreaterThan(four);
		expect(four).toBeGreaterThan(eight);
		expect(eight).toBeGreaterThan(many);
		// Half of the work does not spread: sixty-four cores cannot be twice as fast as four.
		expect(many).toBeGreaterThan(four * 0.4);
	});
	test('prints what it did; what it keeps is there to be taken', async () => {
		const { builder, compute } = server.providers;
		const usual = { cores: 4, disk: 96 * GB };
		await answered(builder.runStep('desk', makeStep('source', { system: 'meridian-server-24' }), usual, 'begin'));
		const { value } = await answered(builder.runStep('desk', makeStep('seal'), usual, 'a'));
		expect(value!.log).toContain('removed machine identity');
		await answered(builder.keep('desk', '2.0.0', 'b'));
		expect((await answered(compute.create(spec('q-1', { version: '2.0.0' }), 'c'))).error).toBeUndefined();
	});
});

describe('observations', () => {
	test('are kept until they are acknowledged, and come again until then', async () => {
		const { observations } = server.providers;
		server.advance(h.lab.now + 10 * MINUTE);
		const first = await observations.after(h.engine.observer.seq, 5);
		expect(first).toHaveLength(5);
		expect(await observations.after(h.engine.observer.seq, 5)).toEqual(first);
		const next = await observations.after(first.at(-1)!.seq, 5);
		expect(next[0]!.seq).toBe(first.at(-1)!.seq + 1);
		const all = [...first, ...next].map((o) => o.seq);
		expect(all).toEqual(all.map((_n, i) => all[0]! + i));
	});
});

describe('a connection through the portal', () => {
	test('can be watched phase by phase to its session, set aside and taken up again', async () => {
		const { broker, agent } = server.providers;
		const { connection } = await broker.connect('anna', 'desk', false, 'p1');
		expect(await broker.connect('anna', 'desk', false, 'p1')).toEqual({ connection });
		const seen: string[] = [];
		for (let i = 0; i < 600; i++) {
			const now = (await broker.connection(connection))!;
			if (now.phase && now.phase !== seen.at(-1)) seen.push(now.phase);
			if (now.result !== 'opening') break;
			server.advance(h.lab.now + 200);
		}
		const open = (await broker.connection(connection))!;
		expect(open).toMatchObject({ result: 'open', person: 'anna', publication: 'desk' });
		expect(seen).toEqual(open.phases.map((p) => p.name).filter((n) => seen.includes(n)));
		expect(seen.length).toBeGreaterThan(5);

		await broker.disconnect(open.session!);
		expect(h.lab.world.sessions.get(open.session!)!.state).toBe('disconnected');
		const again = await broker.connect('anna', 'desk', false, 'p2');
		server.advance(h.lab.now + MINUTE);
		expect(await broker.connection(again.connection)).toMatchObject({ result: 'open', session: open.session });

		await answered(agent.signOut(open.session!, 'tests', 'o'));
		expect(h.lab.world.sessions.has(open.session!)).toBe(false);
		server.advance(h.lab.now + 2 * HOUR);
		expect(await broker.connection(connection)).toBeNull();
	});

	test('of somebody nobody knows is refused at once', async () => {
		await expect(server.providers.broker.connect('zoe', 'desk', false, 'z')).rejects.toThrow(/nobody called zoe/);
	});
});

describe('mail and the bench', () => {
	test('a mail with the same key is one mail', async () => {
		const { mail } = server.providers;
		await mail.send('owner', 'Done', 'It is done.', 'm1');
		await mail.send('owner', 'Done', 'It is done.', 'm1');
		expect((await mail.sent()).filter((m) => m.subject === 'Done')).toHaveLength(1);
	});
	test('faults are listed, cleared once, and refused where there is nothing to break', async () => {
		const id = await server.bench.addFault('agent-stopped', 'quay-01', null);
		expect((await server.bench.faults()).map((f) => f.id)).toContain(id);
		expect(await server.bench.clearFault(id)).toBe(true);
		expect(await server.bench.clearFault(id)).toBe(false);
		await expect(server.bench.addFault('volume-full', 'none', 0.9)).rejects.toThrow(/no volume none/);
	});
});
