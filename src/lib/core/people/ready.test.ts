import * as fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { readyFor, type Morning, type MorningPool } from './ready';

const pool = (other: Partial<MorningPool> = {}): MorningPool => ({
	id: 'quay',
	name: 'Desks Quay',
	assignment: 'shared',
	has: 20,
	asked: 12,
	perMachine: 4,
	...other
});
const desk = { id: 'desk', name: 'My desk', standing: 'required' as const, opens: true, shut: null };
const morning = (other: Partial<Morning> = {}): Morning => ({
	people: 2,
	has: [desk],
	pools: [{ of: 'My desk', pools: [pool()] }],
	licences: [],
	withoutMail: 0,
	devices: null,
	withoutFactor: 0,
	lacks: [],
	fromWhere: [],
	far: null,
	...other
});
const first = (m: Morning) => readyFor(m).facts[0]!.words;

describe('a morning', () => {
	test('is ready where everything opens and there is room', () => {
		expect(readyFor(morning())).toEqual({
			value: 'ready',
			facts: [
				{ words: 'My desk opens for them', side: 'for', source: 'grants' },
				{
					words: 'Desks Quay has room: 8 of 20 free',
					side: 'for',
					about: { kind: 'pool', id: 'quay' },
					source: 'broker'
				}
			],
			mends: []
		});
	});
	test('misses what nobody has granted, and what does not open', () => {
		expect(first(morning({ has: [], pools: [] }))).toBe('no grant reaches them');
		expect(first(morning({ has: [{ ...desk, standing: 'can ask' }], pools: [] }))).toBe('no grant reaches them');
		expect(first(morning({ has: [{ ...desk, opens: false, shut: 'it is switched off' }] }))).toBe(
			'My desk does not open for them: it is switched off'
		);
		// What they may fetch is theirs to fetch.
		expect(readyFor(morning({ has: [desk, { ...desk, standing: 'can fetch', opens: false }] })).value).toBe('ready');
	});
	test('misses machines, and says how many more would do; the second pool serves where the first is full', () => {
		const own = pool({ id: 'own', name: 'Own', assignment: 'personal', has: 1, asked: 0, perMachine: 1 });
		const short = readyFor(morning({ people: 3, pools: [{ of: 'x', pools: [own] }] }));
		expect(short).toMatchObject({ value: 'missing', mends: [{ kind: 'grow', pool: 'own', machines: 2 }] });
		expect(short.facts[0]!.words).toBe('1 machine of Own for 3 people');
		expect(first(morning({ people: 1, pools: [{ of: 'x', pools: [{ ...own, has: 0 }] }] }))).toBe(
			'no machine of Own is free for them'
		);
		const full = pool({ asked: 19.6 });
		expect(readyFor(morning({ people: 6, pools: [{ of: 'x', pools: [full] }] })).mends).toEqual([
			{ kind: 'grow', pool: 'quay', machines: 2 }
		]);
		expect(first(morning({ pools: [{ of: 'x', pools: [full] }] }))).toBe(
			'Desks Quay is full at that hour: about 20 would be on its 20 seats'
		);
		expect(readyFor(morning({ pools: [{ of: 'x', pools: [full, pool({ id: 'isle' })] }] })).value).toBe('ready');
		expect(first(morning({ pools: [{ of: 'My desk', pools: [] }] }))).toBe('no pool serves My desk for them');
	});
	test('misses an endpoint where none is kept for them, and keeps as many as are free', () => {
		const m = (without: string[], free: number) => readyFor(morning({ devices: { without, free } }));
		expect(m(['a', 'b'], 0)).toMatchObject({ value: 'missing', mends: [] });
		expect(m(['a', 'b'], 0).facts[0]!.words).toBe('no endpoint is kept for them: none is free there');
		expect(m(['a', 'b'], 1)).toMatchObject({ value: 'missing', mends: [{ kind: 'device', people: ['a'] }] });
		expect(m(['b'], 6).facts[0]!.words).toBe('no endpoint is kept for 1 of them: 6 are free there');
		expect(m([], 0)).toMatchObject({ value: 'ready', mends: [] });
		expect(m([], 0).facts.map((f) => f.words)).toContain('an endpoint is theirs');
	});
	test('misses licences and versions; far files and a missing address are met soon', () => {
		expect(first(morning({ licences: [{ of: 'Chartloom', licences: 220, holders: 219, need: 2 }] }))).toBe(
			'licences of Chartloom: 219 of 220 given, 2 more needed'
		);
		expect(readyFor(morning({ licences: [{ of: 'Chartloom', licences: 220, holders: 218, need: 2 }] })).value).toBe(
			'ready'
		);
		expect(first(morning({ lacks: [{ line: 'ship-desk', version: '3.2.0' }] }))).toBe(
			'ship-desk 3.2.0 is not there yet'
		);
		const far = readyFor(morning({ far: { bytes: 11e9, site: 'RV Petrel', ms: 11e6 } }));
		expect([far.value, far.facts[0]!.words]).toEqual([
			'soon',
			'11 GB of files lie at RV Petrel: about 3 h 3 min over the link'
		]);
		expect(readyFor(morning({ people: 1, withoutMail: 1 })).facts[0]!.words).toBe('no mail address is known');
		expect(readyFor(morning({ fromWhere: ['Payroll close'] })).facts[0]!.words).toMatch(
			/^Payroll close opens from some networks alone/
		);
		expect(readyFor(morning({ withoutFactor: 2 })).value).toBe('ready');
	});
	test('is mended by what it asks for', () => {
		fc.assert(
			fc.property(
				fc.integer({ min: 1, max: 40 }),
				fc.integer({ min: 0, max: 60 }),
				fc.integer({ min: 0, max: 60 }),
				fc.integer({ min: 1, max: 9 }),
				(people, has, asked, perMachine) => {
					const p = pool({ has, asked, perMachine });
					const { mends } = readyFor(morning({ people, pools: [{ of: 'x', pools: [p] }] }));
					const more = (mends[0]?.kind === 'grow' ? mends[0].machines : 0) * perMachine;
					const over = Math.max(0, asked - has);
					expect(
						readyFor(morning({ people, pools: [{ of: 'x', pools: [{ ...p, has: has + over + more }] }] })).value
					).toBe('ready');
				}
			)
		);
	});
});
