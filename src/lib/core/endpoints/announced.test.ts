import { describe, expect, test } from 'vitest';
import { DAY } from '../time/units';
import { announcedState, awayFindings, LATE, MOST_SERIALS, readSerials, type Away } from './announced';

describe('serial numbers are read', () => {
	test('one on a line, blank lines left out', () => {
		expect(readSerials('\uFEFFKT-1\r\n\r\n  KT-2 \nKT-3')).toEqual({ serials: ['KT-1', 'KT-2', 'KT-3'], problems: [] });
	});
	test('from the column of a table that is titled so, whatever stands beside it', () => {
		expect(readSerials('Model;Serial number\nTern 5;KT-1\n"Tern; 7";KT-2').serials).toEqual(['KT-1', 'KT-2']);
		expect(readSerials('model,serial\nTern,箱-1').serials).toEqual(['箱-1']);
	});
	test('what is wrong is said by its line', () => {
		const { serials, problems } = readSerials(`KT-1\nKT 2\nKT-1\n${'x'.repeat(65)}\n,later`);
		expect(serials).toEqual(['KT-1']);
		expect(problems).toEqual([
			{ line: 2, words: 'KT·2 is no serial number: it has a gap in it.' },
			{ line: 3, words: 'KT-1 stands on line 1 already.' },
			{ line: 4, words: 'A serial number has at most 64 characters.' },
			{ line: 5, words: 'A serial number is missing.' }
		]);
	});
	test('no more than one plan takes', () => {
		const many = Array.from({ length: MOST_SERIALS + 500 }, (_v, i) => `x${i}`).join('\n');
		const { serials, problems } = readSerials(many);
		expect(serials).toHaveLength(MOST_SERIALS);
		expect(problems).toEqual([{ line: MOST_SERIALS + 1, words: 'At most 5000 at once.' }]);
	});
	test('nothing comes to nothing', () => {
		expect(readSerials('')).toEqual({ serials: [], problems: [] });
		expect(readSerials('serial\n')).toEqual({ serials: [], problems: [] });
	});
});

test('a device is expected until a day after it was to come, stays away from then, and has called in once it has', () => {
	expect(announcedState({ expectedAt: 1000, calledIn: false }, 0)).toBe('expected');
	expect(announcedState({ expectedAt: 1000, calledIn: false }, 999 + LATE)).toBe('expected');
	expect(announcedState({ expectedAt: 1000, calledIn: false }, 1000 + LATE)).toBe('stays away');
	expect(announcedState({ expectedAt: 1000, calledIn: true }, 1000 + LATE)).toBe('called in');
});

describe('a site whose devices stay away is found', () => {
	const site = (more: Partial<Away> = {}): Away => ({
		site: 'isle',
		name: 'Isle',
		zone: 'Asia/Kathmandu',
		devices: Array.from({ length: 8 }, (_v, i) => ({
			serial: `K${i}`,
			expectedAt: Date.UTC(2026, 10, 15, 18, 15) + i * DAY
		})),
		check: null,
		...more
	});
	const words = (s: Away) => awayFindings([s])[0]!.facts.map((f) => f.words);
	test('with who, since when in its own zone, and what is wrong with what they are told', () => {
		const check = { ok: false, saw: 'x does not resolve there', remedy: 'Put x into it.', since: 5 };
		const [f] = awayFindings([site({ check })]);
		expect(f!.title).toBe('8 endpoints announced for Isle have not called in');
		expect(f!.facts.map((x) => x.words)).toEqual([
			'expected from Mon 16 Nov on: K0, K1, K2, K3, K4, K5 and 2 more',
			'Do its devices learn where to call? x does not resolve there',
			'Put x into it'
		]);
	});
	test('or that nothing is, or that nobody knows', () => {
		expect(words(site({ check: { ok: true, saw: 'it answers', remedy: '', since: 0 } }))[1]).toMatch(
			/not been switched on/
		);
		expect(words(site())[1]).toMatch(/nothing says where/);
		expect(awayFindings([site({ devices: [] })])).toEqual([]);
	});
	test('before any is announced, where new ones would not find where to call', () => {
		const check = { ok: false, saw: 'nothing is told', remedy: 'Tell it.', since: 5 };
		expect(awayFindings([site({ devices: [], check })])[0]).toMatchObject({
			title: 'Isle: new devices there do not find Sextant',
			facts: [{ words: 'Do its devices learn where to call? nothing is told' }, { words: 'Tell it' }]
		});
	});
});
