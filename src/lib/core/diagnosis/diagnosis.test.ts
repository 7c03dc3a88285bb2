import { describe, expect, test } from 'vitest';
import { TB } from '../time/units';
import { CHECKS, failingCheck, runbookFor } from './checks';
import {
	gatewayFindings,
	relayFindings,
	giveUpFindings,
	networkFindings,
	offeredFor,
	poolFinding,
	signInFindings,
	volumeFindings
} from './findings';

describe('checks', () => {
	test('the first failing one decides', () => {
		expect(
			failingCheck([
				{ name: 'protocol', ok: false, saw: '' },
				{ name: 'agent', ok: false, saw: 'x' }
			])
		).toMatchObject({ name: 'agent' });
		expect(
			failingCheck([
				{ name: 'powered', ok: true, saw: '' },
				{ name: 'agent', ok: null, saw: '' }
			])
		).toBeNull();
	});
	test('every check has a runbook that ends with the strongest remedy, but for the gateway’s', () => {
		for (const check of CHECKS) {
			const { remedies, facts } = runbookFor(check);
			expect(facts.length).toBeGreaterThan(0);
			expect(remedies.at(-1)).toBe(check === 'gateway' ? undefined : 'reset to image');
		}
	});
});

describe('findings', () => {
	const port = {
		gateway: 'g',
		site: 's',
		siteName: 'Quay',
		protocol: 'stream',
		announced: 3748,
		listens: 3478,
		since: 5,
		othersSay: [3478]
	};
	test('a gateway that announces another port than it listens on, with the plan that mends it', () => {
		expect(gatewayFindings([port, { ...port, announced: 3478 }])).toMatchObject([
			{ remedy: { kind: 'gateway.set-port', input: { port: 3478 } } }
		]);
	});
	test('a relay that is gone, with when it was given up and the plan that hands out the right one', () => {
		const relay = {
			...{ gateway: 'g', site: 's', siteName: 'Quay', announced: '192.0.2.9', stands: '203.0.113.9' },
			...{ since: 50, earlier: 7 }
		};
		const [found, ...more] = relayFindings([relay, { ...relay, announced: '203.0.113.9' }]);
		expect(more).toEqual([]);
		expect(found).toMatchObject({
			kind: 'gateway relay',
			title: 'People outside the offices get no picture through the Quay gateway',
			remedy: { kind: 'gateway.set-relay', input: { gateway: 'g', address: '203.0.113.9' } }
		});
		expect(found!.facts.map((f) => f.at)).toEqual([50, undefined, 7, undefined]);
		expect(relayFindings([{ ...relay, earlier: null }])[0]!.facts).toHaveLength(3);
	});
	test('volumes and networks near their end', () => {
		expect(
			volumeFindings([
				{ id: 'v', site: 's', size: 100, used: 91 },
				{ id: 'w', site: 's', size: 100, used: 80 }
			]).map((f) => f.subject.id)
		).toEqual(['v']);
		const network = { id: 'n', site: 's', free: 2, size: 50, stale: 0, beyond: { count: 0, last: '10.0.0.50' } };
		expect(networkFindings([network])[0]).toMatchObject({
			title: 'Network n has 2 addresses left',
			facts: [{ words: '48 of 50 addresses are in use: 2 more machines can be made on it, then none' }],
			remedy: null
		});
		expect(networkFindings([{ ...network, free: 0 }])[0]!.facts[0]!.words).toMatch(/: no more machines/);
		expect(networkFindings([{ ...network, free: 5 }])).toEqual([]);
	});
	test('what runs out comes with the plan that makes room', () => {
		const volume = volumeFindings([{ id: 'v', site: 's', size: 10 * TB, used: 9.5 * TB }])[0]!;
		expect(volume.remedy).toEqual({
			kind: 'volume.extend',
			input: { volume: 'v', size: 13 * TB },
			words: 'Extend it to 13 TB'
		});
		const network = { id: 'n', site: 's', free: 0, size: 50, stale: 12, beyond: { count: 200, last: '10.0.0.250' } };
		expect(networkFindings([network])[0]!.remedy).toMatchObject({
			kind: 'network.release',
			words: 'Release 12 leases'
		});
		expect(networkFindings([{ ...network, stale: 0 }])[0]!.remedy).toMatchObject({
			kind: 'network.set-range',
			input: { network: 'n', last: '10.0.0.250' }
		});
	});
	test('a version whose sign-ins are slow in one phase, named with the part; not from too few', () => {
		const v = (version: string, drives: number, count = 20, held = false) => ({
			held,
			line: 'desk',
			version,
			count,
			phases: { drives },
			worstPart: { drives: { name: 'drive T', ms: drives - 1000 } }
		});
		const found = signInFindings([v('1.0.0', 1600), v('1.1.0', 47_000), v('1.2.0', 90_000, 3)]);
		expect(found.map((f) => f.subject.id)).toEqual(['desk/1.1.0']);
		expect(found[0]!.facts.some((f) => /drive T/.test(f.words))).toBe(true);
		expect(found[0]!.remedy!.kind).toBe('image.hold');
		expect(found[0]!.remedy).toMatchObject({ kind: 'image.hold', input: { number: '1.1.0', held: true } });
		expect(signInFindings([v('1.0.0', 1600), v('1.1.0', 47_000, 20, true)])[0]!.remedy).toBeNull();
	});
	const pool = {
		id: 'p',
		name: 'P',
		site: 's',
		holds: 40,
		inUse: 30,
		demand: 38,
		spread: 5,
		at: 0,
		clock: '15:00',
		usableMachines: 40,
		most: 40,
		perMachine: 1
	};
	test('a pool that may run out, with a plan for what holds it back: machines, or the policy', () => {
		expect(poolFinding(pool)).toMatchObject({ remedy: { kind: 'pool.grow', input: { pool: 'p' } } });
		expect(poolFinding(pool)!.people).toBe(poolFinding(pool)!.remedy!.input.count);
		expect(poolFinding({ ...pool, usableMachines: 50 })!.remedy!.input).toEqual({ pool: 'p', most: 43 });
		expect(poolFinding({ ...pool, demand: 20 })).toBeNull();
	});

	const personal = {
		id: 'own',
		name: 'Own',
		site: 's',
		people: 9,
		times: 20,
		today: { people: 5, times: 6 },
		lately: 0,
		without: 4,
		free: 1,
		machines: 30,
		waited: 720_000,
		last: 5
	};
	test('people who give up on a personal pool: machines for those without, fewer where that is too many', () => {
		const [found] = giveUpFindings([personal]);
		expect(found).toMatchObject({
			people: 5,
			title: '5 people gave up waiting for Own 6 times in 24 h',
			remedy: { input: { pool: 'own', count: 3 } }
		});
		expect(found!.otherwise!.map((r) => r.input.count)).toEqual([2, 1]);
		expect(found!.facts.map((f) => f.words)).toEqual([
			'in 7 days 9 people did, 20 times',
			'4 people have no machine of their own, and 1 machine is free',
			'5 people have one that was not ready for them in time',
			'half of those times they waited 12 min or longer'
		]);
		expect(giveUpFindings([{ ...personal, today: { people: 0, times: 0 } }])[0]).toMatchObject({
			people: 0,
			title: 'People gave up waiting for Own this week'
		});
		// Enough are free, and those who have one are served: it is in order again.
		expect(giveUpFindings([{ ...personal, free: 4 }])).toEqual([]);
		expect(giveUpFindings([{ ...personal, free: 4, lately: 5 }])[0]).toMatchObject({ remedy: null, otherwise: [] });
	});

	test('the remedy that is offered is the first that nothing blocks', async () => {
		const found = poolFinding({ ...pool, demand: 42 })!;
		const asked: unknown[] = [];
		const room = (free: number) => (r: { input: Record<string, unknown> }) => {
			asked.push(r.input.count);
			return Promise.resolve(Number(r.input.count) > free ? `room for ${free}` : null);
		};
		expect(await offeredFor(found, room(7))).toBe(found);
		expect(asked).toEqual([7]);
		const less = await offeredFor(found, room(4));
		expect(less.remedy).toMatchObject({ input: { count: 3 }, words: 'Plan +3 of the 7' });
		expect(less.facts.slice(-2).map((f) => f.words)).toEqual([
			'“Plan +7” is blocked now: room for 4',
			'“Plan +3 of the 7” would go through'
		]);
		expect((await offeredFor(found, room(0))).remedy).toEqual({ ...found.remedy, blocked: 'room for 0' });
		const none = { ...found, remedy: null };
		expect(await offeredFor(none, room(0))).toBe(none);
	});
});
