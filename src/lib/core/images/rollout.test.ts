import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { fisherGreater, judgeGate, type Counted, type GateLimits } from './gate';
import { dealWaves, waveProblems, waveWords, type WaveSpec } from './waves';

const LIMITS: GateLimits = { failedStarts: 0.05, apdex: 0.85, failing: 0.1, least: 10 };
const good: Counted = {
	starts: 40,
	failedStarts: 0,
	signIns: 60,
	satisfied: 57,
	tolerating: 3,
	machines: 20,
	failing: 0
};
const none: Counted = { starts: 0, failedStarts: 0, signIns: 0, satisfied: 0, tolerating: 0, machines: 0, failing: 0 };
const verdict = (wave: Partial<Counted>, before: Partial<Counted> = {}, others: Partial<Counted> = {}) =>
	judgeGate(LIMITS, { ...good, ...wave }, { ...good, ...before }, { ...good, ...others });

describe('a gate', () => {
	test('lets good figures through, and says them', () => {
		const g = verdict({});
		expect(g.value).toBe('passes');
		expect(g.facts.map((f) => f.words)).toEqual([
			'0 of 40 starts failed; before 0 of 40, on machines not moved 0 of 40: within the limit of 5 %',
			'sign-in Apdex 0.97 of 60 sign-ins; before 0.97 of 60, on machines not moved 0.97 of 60: not under 0.85',
			'0 of 20 machines have a failing check; before 0 of 20, on machines not moved 0 of 20: within the limit of 10 %'
		]);
	});
	test.each<[string, Partial<Counted>]>([
		['slow sign-ins', { satisfied: 10, tolerating: 20 }],
		['failed starts', { failedStarts: 9 }],
		['failing checks', { failing: 7 }]
	])('stops %s that are clearly worse than before and elsewhere', (_n, wave) =>
		expect(verdict(wave).value).toBe('fails')
	);
	test('does not stop what was as bad before, or is as bad elsewhere', () => {
		const slow = { satisfied: 10, tolerating: 30 };
		expect(verdict(slow, slow).value).toBe('passes');
		expect(verdict(slow, {}, slow).value).toBe('passes');
		expect(verdict(slow, slow).facts[1]!.words).toMatch(/under 0\.85, but no worse than elsewhere or before/);
	});
	test('says when the numbers are too few to tell', () => {
		expect(verdict({ signIns: 4, satisfied: 1, tolerating: 0 }).value).toBe('too few');
		expect(verdict({ signIns: 4, satisfied: 1, tolerating: 0 }).facts[1]!.words).toMatch(
			/fewer than 10 sign-ins are too few/
		);
		expect(verdict({ starts: 3 }).value).toBe('too few');
		// A clear failure of one measure is not hidden by too few of another.
		expect(verdict({ starts: 3, satisfied: 5, tolerating: 5 }).value).toBe('fails');
	});
	test('without anything to compare goes by the limit alone', () => {
		expect(judgeGate(LIMITS, { ...good, satisfied: 20, tolerating: 20 }, none, none).value).toBe('fails');
		expect(judgeGate(LIMITS, good, none, none).value).toBe('passes');
	});
	test('Fisher’s test: the tea taster, and its symmetry', () => {
		// Three of four against one of four (Fisher 1935): 17/70.
		expect(fisherGreater([3, 4], [1, 4])).toBeCloseTo(17 / 70, 10);
		expect(fisherGreater([4, 4], [0, 4])).toBeCloseTo(1 / 70, 10);
		expect(fisherGreater([0, 5], [3, 5])).toBe(1);
	});
	test('a version that is no worse is stopped by chance in no more than about one gate in ten', () => {
		let state = 7;
		const random = () => (state = (state * 48271) % 2147483647) / 2147483647;
		const drawn = (n: number): Counted => {
			let [satisfied, tolerating] = [0, 0];
			for (let i = 0; i < n; i++) {
				const u = random();
				if (u < 0.7) satisfied++;
				else if (u < 0.85) tolerating++;
			}
			return { ...good, signIns: n, satisfied, tolerating };
		};
		let stopped = 0;
		for (let i = 0; i < 400; i++) if (judgeGate(LIMITS, drawn(60), drawn(120), drawn(120)).value === 'fails') stopped++;
		expect(stopped / 400).toBeLessThan(0.06);
	});
});

describe('waves', () => {
	const machines = Array.from({ length: 50 }, (_v, i) => ({
		name: `m-${String(i).padStart(2, '0')}`,
		pool: i < 30 ? 'a' : 'b',
		teams: i % 5 === 0 ? ['crew'] : []
	}));
	test('pilots first, then shares of every pool, then the rest', () => {
		const { waves, left } = dealWaves(machines, [
			{ by: 'machines', machines: ['m-01', 'm-31'] },
			{ by: 'share', percent: 20 },
			{ by: 'share', percent: 100 }
		]);
		expect(waves.map((w) => w.length)).toEqual([2, 8, 40]);
		expect(left).toEqual([]);
		const ofA = waves[1]!.filter((n) => machines.find((m) => m.name === n)!.pool === 'a').length;
		expect(ofA).toBe(5);
	});
	test('by pool and by team; what no wave asks for is left over', () => {
		const { waves, left } = dealWaves(machines, [
			{ by: 'teams', teams: ['crew'] },
			{ by: 'pools', pools: ['a'] }
		]);
		expect(waves.map((w) => w.length)).toEqual([10, 24]);
		expect(left).toHaveLength(16);
	});
	test('deal every machine once, whatever is asked', () => {
		const spec = fc.oneof(
			fc.integer({ min: 1, max: 100 }).map((percent): WaveSpec => ({ by: 'share', percent })),
			fc.subarray(['a', 'b', 'c']).map((pools): WaveSpec => ({ by: 'pools', pools })),
			fc.subarray(machines.map((m) => m.name)).map((names): WaveSpec => ({ by: 'machines', machines: names }))
		);
		fc.assert(
			fc.property(fc.array(spec, { maxLength: 5 }), (specs) => {
				const { waves, left } = dealWaves(machines, specs);
				expect([...waves.flat(), ...left].sort()).toEqual(machines.map((m) => m.name));
			})
		);
	});
	test('shares that do not grow, or are none, are named', () => {
		expect(
			waveProblems([
				{ by: 'share', percent: 30 },
				{ by: 'share', percent: 20 }
			])
		).toEqual([{ wave: 1, words: 'This share has to be over the 30 % of the wave before it.' }]);
		expect(waveProblems([])).toHaveLength(1);
		expect(waveProblems([{ by: 'share', percent: 120 }])).toHaveLength(1);
		expect(
			[
				{ by: 'share', percent: 10 },
				{ by: 'machines', machines: ['m-1'] },
				{ by: 'pools', pools: ['a', 'b'] }
			].map((s) => waveWords(s as WaveSpec))
		).toEqual(['10 %', 'pilot m-1', 'a, b']);
	});
});
