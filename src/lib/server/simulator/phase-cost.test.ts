import { beforeEach, describe, expect, test } from 'vitest';
import type { Estate } from '$lib/core/estate/schema';
import { CATALOGUE } from '$lib/core/settings/catalogue';
import { appliedParts, Groups } from '$lib/core/settings/effective';
import { underSession } from '$lib/core/settings/reach';
import { GB } from '$lib/core/time/units';
import { PHASES, type PhaseName } from '$lib/core/watch/phases';
import { testEstate } from '../testing/harness';
import { makeWorld } from './genesis';
import { phaseCost, type Applied } from './phase-cost';
import { roundTrip } from './round-trip';
import type { SimConnection, World } from './state';

/** What a phase takes follows from its causes: each is moved by itself, and the time has to follow. */

let estate: Estate;
let world: World;
beforeEach(() => {
	estate = testEstate();
	world = makeWorld(estate);
});

const connection = (more: Partial<SimConnection> = {}): SimConnection => ({
	id: 5,
	person: 'anna',
	publication: 'desk',
	gateway: 'quay-gw',
	protocol: 'stream',
	secondFactor: false,
	began: 0,
	phase: 0,
	phaseBegan: 0,
	phases: [],
	machine: 'quay-01',
	resumes: null,
	session: null,
	run: null,
	start: null,
	sharing: [],
	result: 'opening',
	cause: [],
	advice: null,
	pools: ['quay'],
	tries: 0,
	leaveAt: null,
	ended: 0,
	...more
});
const settings = new Groups(CATALOGUE, [
	{
		id: 'fonts',
		name: 'Fonts',
		rank: 1,
		values: { 'apps.fonts': 100 },
		assigned: [{ kind: 'team', id: 'harbour' }],
		excluded: []
	}
]);
/** What applies to somebody of some teams. */
const applied =
	(teams: string[][] = []): Applied =>
	(phase, trip) =>
		appliedParts(
			settings,
			settings.effective(
				'session',
				underSession(
					{ name: 'quay-01', site: 'quay', pool: 'quay', line: 'desk', version: '1.0.0' },
					{ login: 'anna', site: 'quay', teams }
				)
			),
			phase,
			trip
		);
const cost = (phase: PhaseName, more: Partial<SimConnection> = {}, teams?: string[][]) =>
	phaseCost(estate, world, 7, connection(more), phase, applied(teams));
const ms = (phase: PhaseName, more: Partial<SimConnection> = {}) => cost(phase, more).ms;
const causeOf = (phase: PhaseName) => {
	const c = cost(phase);
	return 'cause' in c ? c.cause : undefined;
};

describe('every phase', () => {
	test('takes the same for the same connection, and a little else for another', () => {
		for (const phase of PHASES) {
			expect(ms(phase), phase).toBe(ms(phase));
			// What these take follows from machines and packages, not from the connection.
			if (phase !== 'waiting' && phase !== 'app') expect(ms(phase, { id: 6 }), phase).not.toBe(ms(phase));
			expect(ms(phase), phase).toBeGreaterThanOrEqual(0);
		}
	});
	test('that has parts takes what they take together', () => {
		for (const phase of PHASES) {
			const c = cost(phase);
			if ('parts' in c && c.parts) expect(c.parts.reduce((n, p) => n + p.ms, 0)).toBe(c.ms);
		}
	});
});

describe('distance', () => {
	test('between sites is that of their link, the same both ways; within a site next to nothing', () => {
		expect(roundTrip(estate, 'quay', 'isle')).toBe(120);
		expect(roundTrip(estate, 'isle', 'quay')).toBe(120);
		expect(roundTrip(estate, 'quay', 'quay')).toBeLessThan(10);
	});
	test('makes the way to the gateway and the display longer', () => {
		const near = { gateway: ms('gateway'), protocol: ms('protocol') };
		world.people.get('anna')!.site = 'isle';
		expect(ms('gateway')).toBeGreaterThan(2 * near.gateway);
		expect(ms('protocol')).toBeGreaterThan(1.5 * near.protocol);
	});
	test('from the file servers makes drives slow, and is then the cause', () => {
		estate.sites[0]!.links[0]!.latency_ms = 300;
		const near = ms('drives');
		const far = cost('drives', { machine: 'isle-01' });
		expect(far.ms).toBeGreaterThan(2 * near);
		expect('cause' in far && far.cause).toMatch(/file servers are 300 ms away/);
	});
});

describe('load', () => {
	test('of the directory: slow by itself, or crowded', () => {
		const usual = ms('directory');
		world.directorySlow.set('quay', 8);
		expect(ms('directory')).toBeCloseTo(8 * usual, -1);
		expect(causeOf('directory')).toMatch(/8 times slower/);
		world.directorySlow.clear();
		world.signInsThisMinute.set('quay', 80);
		expect(ms('directory')).toBeCloseTo(3 * usual, -1);
		expect(causeOf('directory')).toMatch(/80 people signed in/);
	});
	test('of the volume, and the size of the profile, lengthen the profile disk', () => {
		const usual = ms('profile');
		world.volumes.get('quay-v1')!.busy = 0.8;
		expect(ms('profile')).toBeCloseTo(5 * usual, -2);
		expect(causeOf('profile')).toMatch(/volume quay-v1 is 80 % busy/);
		world.volumes.get('quay-v1')!.busy = 0;
		world.people.get('anna')!.profile = 30 * GB;
		expect(ms('profile')).toBeGreaterThan(usual + 9000);
		expect(causeOf('profile')).toMatch(/holds 30\.0 GB/);
	});
	test('of the machine and its host lengthen what runs on it, and nothing else', () => {
		const before = Object.fromEntries(PHASES.map((p) => [p, ms(p)]));
		world.machines.get('quay-01')!.cpu = 1;
		world.hosts.get(world.machines.get('quay-01')!.host)!.pressure = 1.2;
		for (const phase of PHASES) {
			if (phase === 'policies' || phase === 'shell') expect(ms(phase), phase).toBeGreaterThan(1.5 * before[phase]!);
			else expect(ms(phase), phase).toBe(before[phase]);
		}
		expect(causeOf('shell')).toMatch(/100 % of its cores/);
	});
});

describe('settings that count', () => {
	test('take their time in their phase, group by group, with what inside it takes long', () => {
		const c = cost('policies', {}, [['harbour']]);
		const parts = 'parts' in c ? c.parts! : [];
		expect(parts.map((p) => p.group ?? null)).toEqual(['fonts', null]);
		expect(parts[0]!.parts).toMatchObject([{ name: 'Fonts put in' }]);
		expect(parts[0]!.ms).toBeGreaterThan(1800);
		expect(c.ms).toBe(parts.reduce((n, p) => n + p.ms, 0));
		expect(c.ms - ms('policies')).toBeGreaterThan(1500);
		expect(cost('drives', {}, [['harbour']])).toEqual(cost('drives'));
	});
});

describe('a version that is slow by itself', () => {
	test('is slow in its own phase alone, with the part named', () => {
		const before = ms('policies');
		estate.image_lines[0]!.versions[0]!.slow = { phase: 'drives', part: 'drive T: from old-archive', by: 46_000 };
		const c = cost('drives');
		expect('parts' in c && c.parts!.at(-1)).toEqual({ name: 'drive T: from old-archive', ms: 46_000 });
		expect(c.ms).toBeGreaterThan(46_000);
		expect(ms('policies')).toBe(before);
		world.machines.get('quay-01')!.version = '1.1.0';
		expect(ms('drives')).toBeLessThan(10_000);
	});
});

describe('what is broken on the way', () => {
	const machine = () => world.machines.get('quay-01')!;
	test.each<[string, PhaseName, () => void, RegExp]>([
		['a machine that hangs', 'protocol', () => (machine().hung = true), /does not answer: it hangs/],
		['an agent that has stopped', 'protocol', () => (machine().agent = false), /the agent on quay-01 does not answer/],
		['a name that leads elsewhere', 'protocol', () => (machine().nameOk = false), /resolves to another address/],
		['a lost trust', 'directory', () => (machine().trusted = false), /the directory does not trust quay-01/],
		[
			'a wrong port',
			'gateway',
			() => (world.gateways.get('quay-gw')!.protocols.get('stream')!.announced = 1),
			/announces port 1 for stream/
		]
	])('%s ends the connection in its phase, after a while, with cause and advice', (_name, phase, break_, words) => {
		expect('fails' in cost(phase)).toBe(false);
		machine().agent = true;
		break_();
		const c = cost(phase);
		if (!('fails' in c)) throw new Error('it went through');
		expect(c.ms).toBeGreaterThan(5000);
		expect(c.fails[0]!.words).toMatch(words);
		expect(c.advice).toMatch(/\.$/);
	});
});
