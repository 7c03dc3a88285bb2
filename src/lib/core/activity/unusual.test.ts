import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { amountStep, countStep, judge, oddsOf, surprise, UNUSUAL, type Compared } from './unusual';

const compared = (aspect: Compared['aspect'], own: [number, number], peers: [number, number]): Compared => ({
	aspect,
	own: { times: own[0], of: own[1] },
	peers: { times: peers[0], of: peers[1] }
});

describe('how surprising something is', () => {
	test('what somebody always does is not at all, nor what all their peers do', () => {
		expect(surprise(compared('hour', [20, 20], [0, 400]))).toBeLessThan(0.4);
		expect(surprise(compared('hour', [0, 7], [400, 400]))).toBeLessThan(1.5);
	});

	test('the more often it was otherwise, the more; the more often it was so, the less', () => {
		const share = fc
			.tuple(fc.nat(50), fc.nat(50))
			.map(([a, b]) => [Math.min(a, b), Math.max(a, b)] as [number, number]);
		fc.assert(
			fc.property(share, share, (own, peers) => {
				const bits = surprise(compared('hour', own, peers));
				expect(bits).toBeGreaterThanOrEqual(0);
				expect(Number.isFinite(bits)).toBe(true);
				expect(surprise(compared('hour', [own[0] + 1, own[1] + 1], peers))).toBeLessThanOrEqual(bits + 1e-9);
				expect(surprise(compared('hour', own, [peers[0] + 1, peers[1] + 1]))).toBeLessThanOrEqual(bits + 1e-9);
				expect(surprise(compared('hour', own, [peers[0], peers[1] + 1]))).toBeGreaterThanOrEqual(bits - 1e-9);
			})
		);
	});
});

describe('an hour', () => {
	const night = compared('hour', [0, 30], [1, 900]);
	const away = compared('place', [0, 30], [0, 900]);
	test('of which nothing counts comes to nothing', () => {
		expect(judge([compared('hour', [10, 30], [400, 900]), compared('device', [29, 30], [0, 900])])).toEqual({
			bits: 0,
			aspects: []
		});
	});

	test('has what is most surprising first, and counts what goes with it by half', () => {
		const { bits, aspects } = judge([night, away]);
		expect(aspects.map((a) => a.aspect)).toEqual(['place', 'hour']);
		expect(bits).toBeCloseTo(aspects[0]!.bits + aspects[1]!.bits / 2, 9);
		expect(bits).toBeGreaterThan(UNUSUAL);
		// One alone is not enough where little is known of them.
		expect(judge([compared('hour', [0, 7], [1, 60])]).bits).toBeLessThan(UNUSUAL);
	});
});

test('amounts and numbers are alike by doubling', () => {
	expect([0, 1e6, 1.9e6, 2e6, 4e6, 1e9].map(amountStep)).toEqual([0, 0, 0, 1, 2, 9]);
	expect([0, 1, 2, 3, 4, 1000].map(countStep)).toEqual([0, 1, 2, 2, 3, 10]);
	expect([12, 14.2, 0, 1000].map(oddsOf)).toEqual([4100, 19_000, 1, 1_100_000_000_000]);
});
