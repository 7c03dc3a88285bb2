import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { apdexOf } from './apdex';
import { unusualPhase } from './phases';
import { strainOf, strainValue } from './strain';

const calm = { cores: 0.2, memory: 0.3, diskMs: 1, gpu: null, inputMs: 20, rttMs: 5 };

describe('strain', () => {
	test('a calm machine shows its cores, and no cause against it', () => {
		const s = strainOf(calm);
		expect(s.value).toBe(6);
		expect(s.facts.every((f) => f.side !== 'against')).toBe(true);
	});
	test.each([
		['cores', { cores: 1 }, /cores 100 %/],
		['memory', { memory: 1 }, /memory 100 %/],
		['disk', { diskMs: 40 }, /disk/],
		['GPU', { gpu: 1.02 }, /GPU/],
		['input', { inputMs: 400 }, /input/],
		['network', { rttMs: 1000 }, /round trip/]
	])('%s alone makes 100, and is named first', (_n, change, words) => {
		const s = strainOf({ ...calm, ...change });
		expect(s.value).toBeGreaterThanOrEqual(100);
		expect(s.facts[0]!.words).toMatch(words);
	});
	test('the sampler’s short way gives the same value, within 0 and 100', () => {
		const share = fc.double({ min: 0, max: 1, noNaN: true });
		fc.assert(
			fc.property(
				share,
				share,
				fc.double({ min: 0, max: 60, noNaN: true }),
				fc.option(share),
				fc.double({ min: 0, max: 900, noNaN: true }),
				fc.double({ min: 0, max: 1500, noNaN: true }),
				(cores, memory, diskMs, gpu, inputMs, rttMs) => {
					const value = strainOf({ cores, memory, diskMs, gpu, inputMs, rttMs }).value;
					expect(strainValue(cores, memory, diskMs, gpu, inputMs, rttMs)).toBe(value);
					expect(value).toBeGreaterThanOrEqual(0);
					expect(value).toBeLessThanOrEqual(100);
				}
			)
		);
	});
});

describe('Apdex', () => {
	test('follows the specification: satisfied count full, tolerating half, failed none', () => {
		expect(apdexOf(2, 2, 5)).toBe((2 + 2 / 2) / 5);
		expect(apdexOf(1, 0, 2)).toBe(0.5);
		expect(apdexOf(0, 0, 0)).toBeNull();
	});
});

describe('the unusual phase of a sign-in', () => {
	const usual = { drives: 1600, shell: 4000, waiting: 0 } as const;
	test('is the one most over its usual time, with its slowest part', () => {
		const odd = unusualPhase(
			[
				{ name: 'shell', ms: 8000 },
				{
					name: 'drives',
					ms: 48_000,
					parts: [
						{ name: 'drive H', ms: 900 },
						{ name: 'drive T', ms: 46_000 }
					]
				}
			],
			usual
		)!;
		expect(odd.phase.name).toBe('drives');
		expect(odd.facts[1]!.words).toMatch(/46 s of it: drive T/);
	});
	test('is none when all is as usual, or nothing is known', () => {
		expect(unusualPhase([{ name: 'shell', ms: 5000 }], usual)).toBeNull();
		expect(unusualPhase([{ name: 'profile', ms: 50_000 }], usual)).toBeNull();
	});
});
