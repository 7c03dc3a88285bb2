import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { forecast } from './capacity/forecast';
import { placeSession, TOO_STRAINED } from './capacity/placement';
import { chanceOver, expectDuration } from './images/duration';
import { quantile } from './measures/quantile';
import { checkSheet, makeStep } from './images/sheet';
import { addressNumber, addressText, inRange, rangeEnds } from './network/addresses';
import { noEffects, whatGotWorse, type Effects } from './plans/effects';
import { fitMachines } from './pools/fitting';
import { inHours, parseClock, parseDays, type Hours } from './time/hours';
import { DAY, GB, HOUR, MINUTE, TB } from './time/units';
import { momentOf, wallTime } from './time/zone';
import { apdexOf } from './watch/apdex';
import { PHASES, phasesTotal, unusualPhase, type Phase } from './watch/phases';
import { strainOf, strainValue } from './watch/strain';

/** Laws that hold whatever the numbers are, one block for each. */

/** A small generator with a seed of its own: the Monte Carlo below gives the same answer on every machine. */
function draws(seed: number): () => number {
	let s = seed;
	return () => (s = (s * 48271) % 2147483647) / 2147483647;
}

describe('an expected duration', () => {
	/** Draws of a step that takes `m` in the middle, with a long tail to the right as real ones have (log-normal). */
	const lognormal = (random: () => number, m: number, spread: number) =>
		m * Math.exp(spread * Math.sqrt(-2 * Math.log(random())) * Math.cos(2 * Math.PI * random()));

	test.each([3, 5, 12, 30])(
		'from %i runs of each step: half of the builds to come stay under the middle, nine in ten under the nine-in-ten',
		(runs) => {
			const random = draws(20261117 + runs);
			let middle = 0;
			let ninety = 0;
			const builds = 500;
			for (let t = 0; t < builds; t++) {
				const usual = Array.from({ length: 14 }, () => 60_000 * (1 + 9 * random()));
				const e = expectDuration(
					usual.map((m) => ({ runs: Array.from({ length: runs }, () => lognormal(random, m, 0.3)), fallback: 0 }))
				);
				const build = usual.reduce((sum, m) => sum + lognormal(random, m, 0.3), 0);
				if (build <= e.middle) middle++;
				if (build <= e.ninety) ninety++;
			}
			expect(Math.abs(middle / builds - 0.5)).toBeLessThan(0.07);
			expect(ninety / builds).toBeGreaterThan(0.85);
			expect(ninety / builds).toBeLessThan(0.95);
		}
	);

	test('agrees with a Monte Carlo of forty thousand builds when the runs are many', () => {
		const random = draws(20261117);
		const steps = Array.from({ length: 12 }, (_, k) => ({
			runs: Array.from({ length: 200 }, () => lognormal(random, 60_000 * (k + 1), 0.25)),
			fallback: 0
		}));
		const sorted = steps.map((s) => [...s.runs].sort((a, b) => a - b));
		const sums = Array.from({ length: 40_000 }, () => sorted.reduce((n, runs) => n + quantile(runs, random()), 0)).sort(
			(a, b) => a - b
		);
		const e = expectDuration(steps);
		for (const [ours, theirs] of [
			[e.middle, quantile(sums, 0.5)],
			[e.ninety, quantile(sums, 0.9)],
			[e.mean, sums.reduce((a, b) => a + b) / sums.length]
		] as const)
			expect(Math.abs(ours / theirs - 1)).toBeLessThan(0.01);
		for (const q of [0.2, 0.5, 0.8, 0.95])
			expect(Math.abs(chanceOver(steps, quantile(sums, q)) - (1 - q))).toBeLessThan(0.03);
	});

	test('a step more never makes it shorter, and a slower run never either', () => {
		const runs = fc.array(fc.integer({ min: 1, max: 1e6 }), { minLength: 1, maxLength: 8 });
		fc.assert(
			fc.property(fc.array(runs, { minLength: 1, maxLength: 5 }), runs, (all, more) => {
				const steps = all.map((r) => ({ runs: r, fallback: 0 }));
				const before = expectDuration(steps);
				const after = expectDuration([...steps, { runs: more, fallback: 0 }]);
				expect(after.middle).toBeGreaterThanOrEqual(before.middle);
				expect(after.mean).toBeGreaterThanOrEqual(before.mean);
				const slower = expectDuration(steps.map((s) => ({ ...s, runs: s.runs.map((r) => r * 1.5) })));
				expect(slower.middle).toBeCloseTo(before.middle * 1.5, -1);
			})
		);
	});
});

describe('a sheet', () => {
	test('in any order either can be built, or says which step stands wrong and why', () => {
		const kinds = fc.array(fc.constantFrom('source', 'updates', 'trim', 'profile client', 'limits', 'agent', 'seal'), {
			maxLength: 10
		});
		fc.assert(
			fc.property(kinds, (list) => {
				const problems = checkSheet({
					steps: list.map((kind) => makeStep(kind, kind === 'source' ? { system: 'meridian-server-24' } : {})),
					limit: HOUR,
					builder: { cores: 4, memory: 1, disk: 1, generation: 2 }
				});
				for (const p of problems) {
					expect(p.step).toBeLessThan(list.length);
					expect(p.fact.words.length).toBeGreaterThan(8);
				}
				if (problems.length === 0) {
					expect(list[0]).toBe('source');
					expect(list.at(-1)).toBe('seal');
					expect(list.at(-2)).toBe('agent');
					expect(list.lastIndexOf('updates')).toBeLessThan(list.includes('trim') ? list.indexOf('trim') : list.length);
				}
			})
		);
	});
});

describe('a forecast', () => {
	test('never leaves the range of the past levels, and is surer the steadier they were', () => {
		const now = Date.parse('2026-11-17T10:00:00Z');
		fc.assert(
			fc.property(
				fc.array(fc.integer({ min: 0, max: 500 }), { minLength: 14, maxLength: 14 }),
				fc.integer({ min: 1, max: 600 }),
				(levels, ahead) => {
					const at = now + ahead * MINUTE;
					const past = (t: number) => levels[Math.floor((now + DAY - t) / DAY) % 14]!;
					const f = forecast(at, now, past, 'UTC')!;
					expect(f.middle).toBeGreaterThanOrEqual(Math.min(...levels) - 1e-9);
					expect(f.middle).toBeLessThanOrEqual(Math.max(...levels) + 1e-9);
					expect(f.spread).toBeGreaterThanOrEqual(1.645 * Math.sqrt(f.middle) - 1e-9);
					const steady = forecast(at, now, () => f.middle, 'UTC')!;
					expect(steady.spread).toBeLessThanOrEqual(f.spread + 1e-9);
				}
			)
		);
	});
});

describe('placing a session', () => {
	const candidates = fc.array(
		fc.record({ sessions: fc.integer({ min: 0, max: 4 }), strain: fc.integer({ min: 0, max: 100 }) }),
		{ maxLength: 12 }
	);
	test('takes a machine with room, a calm one while there is one, whatever the order they come in', () => {
		fc.assert(
			fc.property(candidates, fc.constantFrom('fill' as const, 'spread' as const), fc.nat(), (list, placing, turn) => {
				const all = list.map((c, i) => ({ ...c, name: `m${String(i).padStart(2, '0')}`, holds: 3 }));
				const chosen = placeSession(all, placing).value;
				const open = all.filter((c) => c.sessions < 3);
				if (open.length === 0) {
					expect(chosen).toBeNull();
					return;
				}
				const one = open.find((c) => c.name === chosen)!;
				expect(one).toBeDefined();
				const calm = open.filter((c) => c.strain < TOO_STRAINED);
				if (calm.length) expect(one.strain).toBeLessThan(TOO_STRAINED);
				for (const c of calm.length ? calm : open)
					if (placing === 'fill') expect(one.sessions).toBeGreaterThanOrEqual(c.sessions);
					else expect(one.sessions).toBeLessThanOrEqual(c.sessions);
				const shift = turn % all.length;
				expect(placeSession([...all.slice(shift), ...all.slice(0, shift)], placing).value).toBe(chosen);
			})
		);
	});
});

describe('addresses', () => {
	test('go to a number and back', () => {
		fc.assert(
			fc.property(fc.integer({ min: 0, max: 2 ** 32 - 1 }), (n) => {
				expect(addressNumber(addressText(n))).toBe(n);
			})
		);
	});
	test('the ends of a range lie in it, and nothing beyond them does', () => {
		fc.assert(
			fc.property(fc.integer({ min: 0, max: 2 ** 32 - 1 }), fc.integer({ min: 8, max: 32 }), (n, bits) => {
				const range = `${addressText(n)}/${bits}`;
				const { first, last } = rangeEnds(range);
				expect(last - first + 1).toBe(bits >= 31 ? 2 ** (32 - bits) : 2 ** (32 - bits) - 2);
				for (const a of [first, last]) expect(inRange(addressText(a), range)).toBe(true);
				const edge = bits >= 31 ? 1 : 2;
				if (first - edge >= 0) expect(inRange(addressText(first - edge), range)).toBe(false);
				if (last + edge < 2 ** 32) expect(inRange(addressText(last + edge), range)).toBe(false);
			})
		);
		expect(() => rangeEnds('10.0.0.0')).toThrow(RangeError);
		expect(() => rangeEnds('fe80::/64')).toThrow(RangeError);
	});
});

describe('hours', () => {
	const hours = fc.record<Hours>({
		days: fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1 }),
		from: fc.integer({ min: 0, max: 1439 }),
		until: fc.integer({ min: 0, max: 1439 })
	});
	test('the start counts in, the end does not, in every zone and on every day of the year', () => {
		const zones = fc.constantFrom('Europe/Oslo', 'America/Halifax', 'Australia/Hobart', 'UTC');
		fc.assert(
			fc.property(hours, zones, fc.integer({ min: 20_400, max: 20_800 }), (h, zone, day) => {
				fc.pre(h.from !== h.until);
				const starts = h.days.includes(wallTime(zone, momentOf(zone, day, 12 * 60)).weekday);
				const begin = momentOf(zone, day, h.from);
				// A minute that a clock change skips or repeats has no single moment.
				fc.pre(wallTime(zone, begin).minute === h.from && wallTime(zone, begin).day === day);
				if (starts) expect(inHours(h, zone, begin)).toBe(true);
				const endDay = h.until > h.from ? day : day + 1;
				const end = momentOf(zone, endDay, h.until);
				fc.pre(wallTime(zone, end).minute === h.until);
				const again = h.days.includes(wallTime(zone, end).weekday) && h.until >= h.from && h.from === h.until;
				const nextRuns = inHours({ ...h, days: h.days.filter((d) => d !== wallTime(zone, begin).weekday) }, zone, end);
				if (starts && !again && !nextRuns && h.days.length === 1) expect(inHours(h, zone, end)).toBe(false);
			})
		);
	});
	test('days and clocks as people write them', () => {
		expect(parseDays('Mon-Fri')).toEqual([1, 2, 3, 4, 5]);
		expect(parseDays('Sat–Mon')).toEqual([1, 6, 7]);
		expect(parseDays('mon, wed ,sun')).toEqual([1, 3, 7]);
		expect(parseDays('daily')).toHaveLength(7);
		expect([parseDays('Someday'), parseDays(''), parseDays('Mon-')]).toEqual([null, null, null]);
		expect([parseClock('06:30'), parseClock('24:00'), parseClock('24:01'), parseClock('7:5'), parseClock('x')]).toEqual(
			[390, 1440, null, null, null]
		);
	});
});

describe('fitting machines', () => {
	test('what is placed and what is missing make up what was asked for', () => {
		fc.assert(
			fc.property(
				fc.integer({ min: 1, max: 60 }),
				fc.array(fc.record({ cores: fc.integer({ min: 2, max: 64 }), memory: fc.integer({ min: 8, max: 512 }) }), {
					maxLength: 5
				}),
				fc.integer({ min: 0, max: 40 }),
				(count, hosts, addresses) => {
					const size = { cores: 4, memory: 16 * GB, gpus: 0, disk: 40 * GB };
					const { spots, shortages } = fitMachines(
						size,
						count,
						hosts.map((h, i) => ({
							name: `h${i}`,
							cores: h.cores,
							coresPromised: 0,
							memory: h.memory * GB,
							memoryPromised: 0,
							gpus: 0,
							gpusPromised: 0
						})),
						[{ id: 'v', size: TB, used: 0 }],
						addresses
					).value;
					expect(spots.length).toBeLessThanOrEqual(count);
					expect(shortages.length === 0).toBe(spots.length === count);
					// What is named as short really is: the largest shortage cannot exceed what is missing by more than all.
					for (const s of shortages) expect(s.missing).toBeLessThanOrEqual(count);
				}
			)
		);
	});
});

describe('what got worse', () => {
	const effects = fc
		.record({
			people: fc.uniqueArray(fc.constantFrom('a', 'b', 'c', 'd')),
			machines: fc.uniqueArray(fc.constantFrom('m1', 'm2', 'm3')),
			bytes: fc.integer({ min: 0, max: 1000 }),
			ninety: fc.integer({ min: 0, max: 10 * HOUR })
		})
		.map((e): Effects => ({
			...noEffects(),
			people: e.people.map((id) => ({ kind: 'person', id })),
			machines: e.machines.map((id) => ({ kind: 'machine', id })),
			bytes: e.bytes,
			duration: { middle: e.ninety, ninety: e.ninety }
		}));
	test('nothing against itself; each newcomer by name', () => {
		fc.assert(
			fc.property(effects, effects, (before, after) => {
				expect(whatGotWorse(before, before)).toEqual([]);
				const words = whatGotWorse(before, after).map((f) => f.words);
				for (const p of after.people)
					expect(words.includes(`${p.id} would now be affected`)).toBe(!before.people.some((b) => b.id === p.id));
				for (const m of after.machines)
					expect(words.includes(`${m.id} would now be touched`)).toBe(!before.machines.some((b) => b.id === m.id));
				if (after.bytes > before.bytes * 1.2) expect(words.join()).toMatch(/would move/);
			})
		);
	});
	test('fewer of everything is not worse', () => {
		fc.assert(
			fc.property(effects, (e) => {
				const less = { ...e, people: e.people.slice(1), machines: [], bytes: 0, duration: { middle: 0, ninety: 0 } };
				expect(whatGotWorse(e, less)).toEqual([]);
			})
		);
	});
});

describe('strain', () => {
	const load = fc.record({
		cores: fc.double({ min: 0, max: 1, noNaN: true }),
		memory: fc.double({ min: 0, max: 1, noNaN: true }),
		diskMs: fc.double({ min: 0, max: 60, noNaN: true }),
		gpu: fc.option(fc.double({ min: 0, max: 1, noNaN: true })),
		inputMs: fc.double({ min: 0, max: 600, noNaN: true }),
		rttMs: fc.double({ min: 0, max: 1500, noNaN: true })
	});
	test('is the same with its facts as without, between 0 and 100, and grows with every cause', () => {
		fc.assert(
			fc.property(load, (l) => {
				const { value, facts } = strainOf(l);
				expect(value).toBe(strainValue(l.cores, l.memory, l.diskMs, l.gpu, l.inputMs, l.rttMs));
				expect(value).toBeGreaterThanOrEqual(0);
				expect(value).toBeLessThanOrEqual(100);
				expect(facts).toHaveLength(l.gpu === null ? 5 : 6);
				for (const more of [
					{ ...l, cores: Math.min(1, l.cores + 0.2) },
					{ ...l, memory: Math.min(1, l.memory + 0.2) },
					{ ...l, diskMs: l.diskMs + 10 },
					{ ...l, inputMs: l.inputMs + 100 },
					{ ...l, rttMs: l.rttMs + 200 }
				])
					expect(strainOf(more).value).toBeGreaterThanOrEqual(value);
			})
		);
	});
});

describe('Apdex', () => {
	test('lies between 0 and 1, and each attempt that gets better raises it', () => {
		fc.assert(
			fc.property(fc.nat(500), fc.nat(500), fc.nat(500), (s, t, f) => {
				fc.pre(s + t + f > 0);
				const a = apdexOf(s, t, s + t + f)!;
				expect(a).toBeGreaterThanOrEqual(0);
				expect(a).toBeLessThanOrEqual(1);
				if (f > 0) expect(apdexOf(s, t + 1, s + t + f)!).toBeGreaterThan(a);
				if (t > 0) expect(apdexOf(s + 1, t - 1, s + t + f)!).toBeGreaterThan(a);
			})
		);
	});
});

describe('the phases of a sign-in', () => {
	const phase = fc.record({ name: fc.constantFrom(...PHASES), ms: fc.integer({ min: 0, max: 90_000 }) });
	test('the unusual one is the one with most time over its usual', () => {
		fc.assert(
			fc.property(fc.uniqueArray(phase, { selector: (p) => p.name }), (phases: Phase[]) => {
				const usual = Object.fromEntries(PHASES.map((n) => [n, 5000]));
				const worst = unusualPhase(phases, usual);
				const over = phases.filter((p) => p.ms - 5000 >= 3000);
				expect(worst === null).toBe(over.length === 0);
				if (worst) expect(worst.over).toBe(Math.max(...over.map((p) => p.ms - 5000)));
				expect(phasesTotal(phases)).toBe(phases.reduce((n, p) => n + p.ms, 0));
			})
		);
	});
	test('names the part and the cause', () => {
		const slow: Phase = {
			name: 'drives',
			ms: 50_000,
			cause: 'the drive’s server answers late',
			parts: [
				{ name: 'drive T: from tide-archive-old', ms: 46_000 },
				{ name: 'printer', ms: 3000 }
			]
		};
		const { facts } = unusualPhase([slow], { drives: 1600 })!;
		expect(facts.map((f) => f.words)).toEqual([
			'drives and printers took 50 s, usually 1.6 s',
			'46 s of it: drive T: from tide-archive-old',
			'the drive’s server answers late'
		]);
		expect(unusualPhase([slow], {})).toBeNull();
	});
});
