import { describe, expect, test } from 'vitest';
import { requestProblem } from './proof';

const device = { serial: 'KT-1', key: 'ab' };
describe('a certificate request', () => {
	test('is taken where the device’s own key has signed it, for its own number', () => {
		expect(requestProblem(device, { ...device, signed: true })).toBeNull();
	});
	test.each([
		[null, /cannot be read/],
		[{ ...device, signed: false }, /not signed by the key/],
		[{ ...device, serial: 'KT-2', signed: true }, /for the serial number KT-2, and it calls itself KT-1/],
		[{ ...device, serial: '', signed: true }, /\(none\)/],
		[{ ...device, key: 'cd', signed: true }, /another key/]
	])('is refused otherwise, with what is wrong', (request, words) => {
		expect(requestProblem(device, request)).toMatch(words);
	});
});
