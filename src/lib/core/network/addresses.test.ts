import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { addressNumber, addressText, inRange, isRange, rangeFinder, fromOutside } from './addresses';

describe('addresses', () => {
	test('numbers and dots go over into one another', () => {
		fc.assert(
			fc.property(fc.integer({ min: 0, max: 2 ** 32 - 1 }), (n) => {
				expect(addressNumber(addressText(n))).toBe(n);
			})
		);
		expect(addressText(addressNumber('10.21.0.20'))).toBe('10.21.0.20');
	});
	test.each(['10.21.0', '300.1.1.1', 'fe80::1', 'host', ''])('%s is no IPv4 address', (text) => {
		expect(() => addressNumber(text)).toThrow(RangeError);
	});
	test('an address lies in its own range and in no other', () => {
		expect(inRange('10.21.3.255', '10.21.0.0/22')).toBe(true);
		expect(inRange('10.21.4.0', '10.21.0.0/22')).toBe(false);
		expect(inRange('10.21.0.1', 'not a range')).toBe(false);
		expect(inRange('not an address', '10.0.0.0/8')).toBe(false);
		expect(inRange('::1', '10.0.0.0/8')).toBe(false);
		expect([isRange('10.0.0.0/8'), isRange('10.0.0.0/33'), isRange('10.0.0.0')]).toEqual([true, false, false]);
	});
});

describe('a finder of ranges', () => {
	test('says for many addresses what asking one by one says', () => {
		const ranges = ['10.1.0.0/16', '10.0.0.0/8', '192.0.2.64/26', '203.0.113.7/32', '2001:db8::/32', 'nonsense'];
		const find = rangeFinder(ranges);
		for (const address of [
			'10.1.2.3',
			'10.2.0.1',
			'192.0.2.63',
			'192.0.2.64',
			'192.0.2.127',
			'203.0.113.7',
			'2001:db8::1',
			'',
			'300.1.1.1'
		])
			expect(find(address), address).toEqual(ranges.flatMap((r, i) => (inRange(address, r) ? [i] : [])));
	});
});

test.each([
	['10.21.4.7', false],
	['172.31.0.9', false],
	['192.168.1.20', false],
	['100.64.3.3', false],
	['127.0.0.1', false],
	['fd00::7', false],
	['::ffff:10.0.0.1', false],
	['198.51.100.7', true],
	['172.32.0.9', true],
	['2001:db8::1', true],
	['nowhere', false]
])('whoever comes from %s comes from outside: %s', (address, outside) => expect(fromOutside(address)).toBe(outside));
