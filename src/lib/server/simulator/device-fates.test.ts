import { describe, expect, test } from 'vitest';
import { inRange } from '$lib/core/network/addresses';
import { DAY, HOUR } from '$lib/core/time/units';
import { withDesks } from '../testing/estates';
import { QUIET, testEstate } from '../testing/harness';
import type { Observation } from '../providers';
import { Lab } from './lab';

type Seen = Extract<Observation, { kind: 'endpoint' }>;

/** Anna and Bo sit down at nine each morning, for so many days; what was seen of their devices, in order. */
function mornings(days: number, fate: { roams?: number; breaks?: number; lost?: number }): { lab: Lab; seen: Seen[] } {
	const estate = testEstate('e2e/small.yaml', (e) => {
		QUIET(e);
		withDesks(e);
		Object.assign(e.endpoints.fleets[0]!, { kind: 'laptop', ...fate });
		e.sites[1]!.endpoint_ranges = ['10.2.4.0/24'];
		e.lab.opens = Date.parse('2026-11-16T07:00:00+01:00');
		e.lab.history_days = 0;
	});
	const lab = new Lab(estate);
	const from = lab.now;
	for (let d = 0; d < days; d++) {
		lab.advance(from + d * DAY + 2 * HOUR);
		for (const login of ['anna', 'bo'])
			lab.apply({ kind: 'connect', login, publication: 'desk', secondFactor: true, key: `${login} ${d}` });
		lab.advance(from + d * DAY + 10 * HOUR);
	}
	return { lab, seen: lab.world.observations.filter((o): o is Seen => o.kind === 'endpoint') };
}
const starts = (seen: readonly Seen[]) => seen.filter((o) => o.event === 'started');
const fromOutside = (o: Seen) => !inRange(o.address, '10.1.4.0/24') && !inRange(o.address, '10.2.4.0/24');

describe('devices that are carried about', () => {
	test('stay where they are, day after day, where nothing is said', () => {
		const { seen } = mornings(20, {});
		expect(starts(seen).length).toBeGreaterThan(30);
		expect(starts(seen).every((o) => inRange(o.address, '10.1.4.0/24'))).toBe(true);
	});

	test('start at home and at other sites on about the share of days that is said, and are back after it', () => {
		const { lab, seen } = mornings(60, { roams: 0.4 });
		const all = starts(seen);
		const outside = all.filter(fromOutside).length;
		const visiting = all.filter((o) => inRange(o.address, '10.2.4.0/24')).length;
		expect((outside + visiting) / all.length).toBeGreaterThan(0.25);
		expect((outside + visiting) / all.length).toBeLessThan(0.55);
		expect(outside).toBeGreaterThan(visiting);
		expect(visiting).toBeGreaterThan(0);
		const anna = lab.world.people.get('anna')!;
		expect(anna.address).toBe(lab.world.endpoints.get(anna.endpoint!)!.address);
	});

	test('that break are mended some days later; whoever sits at one that nobody knows meanwhile shows nothing', () => {
		const { lab, seen } = mornings(120, { breaks: 20 });
		const own = lab.world.people.get('anna')!.endpoint!;
		const days = starts(seen)
			.filter((o) => o.serial === own)
			.map((o) => Math.floor(o.at / DAY));
		const gaps = days.slice(1).map((d, i) => d - days[i]! - 1);
		expect(Math.max(...gaps)).toBeGreaterThan(0);
		expect(Math.max(...gaps)).toBeLessThanOrEqual(7 + 1);
		const without = lab.world.observations.filter(
			(o) => o.kind === 'connection' && o.person === 'anna' && o.endpoint === null
		);
		expect(without.length).toBeGreaterThan(0);
	});

	test('that are lost come back to nobody: some call in from elsewhere, with nobody on them', () => {
		const { lab, seen } = mornings(150, { lost: 12 });
		const lost = [...lab.world.endpoints.values()].filter((e) => e.gone === 'lost');
		expect(lost.length).toBeGreaterThan(0);
		const calls = starts(seen).filter((o) => o.person === null);
		expect(calls.every(fromOutside)).toBe(true);
		for (const e of lost) {
			const after = seen.filter((o) => o.serial === e.serial && o.person !== null).at(-1)?.at ?? 0;
			expect(lab.now - after).toBeGreaterThan(0);
			expect(lab.world.people.get(e.users[0]!)!.endpoint).toBe(e.id);
		}
	});

	test('fare the same for the same seed', () => {
		const fate = { roams: 0.3, breaks: 5, lost: 1 };
		expect(mornings(40, fate).seen).toEqual(mornings(40, fate).seen);
	});
});
