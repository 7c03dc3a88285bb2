import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { DAY, HOUR } from '../time/units';
import {
	openings,
	planShipping,
	readWindow,
	skippedNights,
	waysToFit,
	type NightWindow,
	type ShipLink,
	type ShipSite
} from './shipping';

const NOW = Date.UTC(2026, 10, 17, 12);
const night = (zone = 'Europe/Oslo'): NightWindow => ({ from: 60, until: 300, zone });
const ALWAYS: NightWindow = { from: 0, until: 0, zone: 'Etc/UTC' };
const ids = (...list: number[]) => Uint32Array.from(list);
const MB = 1_000_000;
const link = (a: string, b: string, mbit: number, loss = 0): ShipLink => ({ a, b, mbit, loss });
const site = (site: string, change: Partial<ShipSite> = {}): [string, ShipSite] => [
	site,
	{ site, holds: ids(), window: ALWAYS, share: 1, ...change }
];
const request = (
	to: string[],
	sites: [string, ShipSite][],
	links: ShipLink[],
	wanted = ids(1, 2, 3, 4),
	packed = 10 * MB
) =>
	planShipping({
		origin: 'home',
		to,
		sites: new Map([site('home', { holds: wanted }), ...sites]),
		links,
		wanted,
		packed: () => packed,
		from: NOW,
		horizon: NOW + 10 * DAY
	});

describe('a window', () => {
	test('opens each night in its zone, over midnight too, and through clock changes', () => {
		const all = openings(night(), NOW, NOW + 2 * DAY);
		expect(all.map(([a, b]) => [new Date(a).toISOString().slice(11, 16), (b - a) / HOUR])).toEqual([
			['00:00', 4],
			['00:00', 4]
		]);
		const late = openings({ from: 23 * 60, until: 120, zone: 'Etc/UTC' }, NOW, NOW + DAY);
		expect(late.map(([a, b]) => (b - a) / HOUR)).toEqual([3]);
		// The night of the jump is an hour shorter, that of the jump back an hour longer.
		const spring = openings(night(), Date.UTC(2027, 2, 27, 20), Date.UTC(2027, 2, 28, 20));
		expect((spring[0]![1] - spring[0]![0]) / HOUR).toBe(3);
		const autumn = openings(night(), Date.UTC(2026, 9, 24, 20), Date.UTC(2026, 9, 25, 20));
		expect((autumn[0]![1] - autumn[0]![0]) / HOUR).toBe(5);
	});
	test('in an hour that the clock skips is named, with what the clock shows instead', () => {
		expect(skippedNights({ from: 130, until: 240, zone: 'Europe/Oslo' }, Date.UTC(2027, 2, 20), 20)).toEqual([
			{ day: '2027-03-28', asked: '02:10', instead: '03:10' }
		]);
		expect(skippedNights(night(), Date.UTC(2027, 2, 20), 20)).toEqual([]);
	});
	test('is read from two times of day', () => {
		expect(readWindow('01:00', '05:00', 'Etc/UTC')).toEqual({ from: 60, until: 300, zone: 'Etc/UTC' });
		expect(readWindow('at night', '05:00', 'Etc/UTC')).toMatchObject({ field: 'from' });
		expect(readWindow('01:00', '', 'Etc/UTC')).toMatchObject({ field: 'until' });
	});
});

describe('a way', () => {
	test('sends what the site lacks, at the share of the link, what is lost again', () => {
		const { legs } = request(
			['ship'],
			[site('ship', { holds: ids(2, 9), share: 0.5 })],
			[link('home', 'ship', 8, 0.2)]
		);
		// 3 chunks of 10 MB at 8 Mbit/s × 0.5 × 0.8 = 0.4 MB/s.
		expect(legs).toMatchObject([{ from: 'home', to: 'ship', bytes: 30 * MB, done: NOW + 75_000 }]);
		expect([...legs[0]!.chunks]).toEqual([1, 3, 4]);
	});
	test('waits for the window, and goes on the next night', () => {
		// 4 h at 1 Mbit/s carry 1.8 GB; 4 chunks of 600 MB need 2.4 GB.
		const { legs } = request(
			['ship'],
			[site('ship', { window: night() })],
			[link('home', 'ship', 1)],
			ids(1, 2, 3, 4),
			600 * MB
		);
		const [first] = openings(night(), NOW, NOW + DAY);
		expect(legs[0]!.done).toBe(first![0] + DAY + (600 * MB * 8) / 1000);
	});
	test('over a shared link carries each chunk once', () => {
		const links = [link('home', 'hub', 8), link('hub', 'one', 80), link('hub', 'two', 80)];
		const { legs } = request(['one', 'two'], [site('hub'), site('one'), site('two', { holds: ids(1) })], links);
		expect(legs.map((l) => [l.to, l.bytes / MB])).toEqual([
			['hub', 40],
			['one', 40],
			['two', 30]
		]);
		// The last chunk goes on as soon as it is there: a second for it, not the whole again.
		expect(legs.find((l) => l.to === 'one')!.done).toBe(NOW + 40_000 + 1000);
	});
	test('takes the fastest way, and says where none leads', () => {
		const links = [link('home', 'far', 1), link('home', 'hub', 100), link('hub', 'far', 100), link('home', 'dead', 0)];
		const plan = request(['far', 'dead', 'island'], [site('far'), site('hub'), site('dead'), site('island')], links);
		expect(plan.legs.map((l) => `${l.from}→${l.to}`)).toEqual(['home→hub', 'hub→far']);
		expect(plan.unreachable).toEqual(['dead', 'island']);
	});
	test('that does not fit says how far it came, and what would make it fit', () => {
		const { legs } = planShipping({
			origin: 'home',
			to: ['ship'],
			sites: new Map([site('home'), site('ship', { window: night(), share: 0.5 })]),
			links: [link('home', 'ship', 2)],
			wanted: ids(1, 2, 3, 4),
			packed: () => 1000 * MB,
			from: NOW,
			horizon: NOW + DAY
		});
		expect(legs[0]).toMatchObject({ done: null, arrived: 1800 * MB });
		expect(
			waysToFit(legs[0]!, 0.5, night(), 1, [
				{ name: 'small', bytes: 100 * MB },
				{ name: 'language packs', bytes: 2300 * MB }
			])
		).toEqual(['3 nights instead of 1', 'leaving language packs out, 2.3 GB', 'a window of 9 h instead of 4 h']);
	});
	test('never asks for as many nights as it was given, and calls a window what it is called', () => {
		// Half of the first night is over; and in the night to come clocks go forward.
		const leg = {
			from: 'home',
			to: 'ship',
			link: link('home', 'ship', 2),
			chunks: ids(1),
			bytes: 5000 * MB,
			rate: 125_000,
			done: null,
			arrived: 4900 * MB
		};
		const ways = waysToFit(leg, 0.5, { ...night(), zone: 'Europe/Oslo' }, 3, []);
		expect(ways[0]).toBe('4 nights instead of 3');
		expect(ways.at(-1)).toMatch(/instead of 4 h$/);
	});
	test('carries no less than is missing and never more than the links can, for any sites', () => {
		const holds = fc.uniqueArray(fc.nat(30), { maxLength: 20 }).map((l) => Uint32Array.from(l).sort());
		fc.assert(
			fc.property(
				holds,
				holds,
				holds,
				fc.integer({ min: 1, max: 50 }),
				fc.integer({ min: 1, max: 50 }),
				(a, b, wanted, m1, m2) => {
					const sites = [site('hub', { holds: a }), site('end', { holds: b })];
					const { legs } = request(['end'], sites, [link('home', 'hub', m1), link('hub', 'end', m2)], wanted);
					const lacks = [...wanted].filter((c) => !b.includes(c));
					const end = legs.find((l) => l.to === 'end')!;
					expect([...end.chunks]).toEqual(lacks);
					expect([...(legs.find((l) => l.to === 'hub')?.chunks ?? [])]).toEqual(lacks.filter((c) => !a.includes(c)));
					const least = ((end.bytes * 8) / (m2 * 1e6)) * 1000;
					expect(end.done! - NOW).toBeGreaterThanOrEqual(Math.floor(least));
				}
			)
		);
	});
	test('to a site that has everything is over at once', () => {
		const { legs } = request(['ship'], [site('ship', { holds: ids(1, 2, 3, 4) })], [link('home', 'ship', 1)]);
		expect(legs).toMatchObject([{ bytes: 0, done: NOW }]);
	});
});
