import { describe, expect, test } from 'vitest';
import { DAY, HOUR } from '../time/units';
import { judgeCertificate, type Certificate } from './certificates';

const NOW = Date.UTC(2026, 10, 17, 12);
const certificate: Certificate = {
	subject: 'CN=compute.quay.example',
	issuer: 'CN=Somebody',
	from: NOW - 100 * DAY,
	until: NOW + 100 * DAY,
	fingerprint: 'AA:BB',
	names: ['compute.quay.example', 'quay-compute']
};
const asked = { host: 'compute.quay.example', now: NOW, matches: true, authority: null, confirmed: null };
const words = (c: Partial<Certificate>, a: Partial<typeof asked> | { authority: string } | { confirmed: string }) => {
	const { value, facts } = judgeCertificate({ ...certificate, ...c }, { ...asked, ...a });
	return [value, ...facts.map((f) => f.words)];
};

describe('a certificate', () => {
	test('of a known authority is trusted', () => {
		expect(words({}, { authority: 'CN=Root' })).toEqual([
			'trusted',
			'CN=Root signed it, which the directory vouches for'
		]);
	});

	test('that nobody vouches for has to be confirmed, and is trusted by its very fingerprint only', () => {
		expect(words({}, {})).toEqual(['to confirm', 'nobody known vouches for CN=Somebody']);
		expect(words({}, { confirmed: 'AA:BB' })).toEqual(['trusted', 'its fingerprint was confirmed by hand']);
		expect(words({}, { confirmed: 'AA:BC' })[0]).toBe('to confirm');
		expect(words({}, { confirmed: 'AA:BC' })[1]).toMatch(/another one than was confirmed/);
	});

	test.each([
		['expired', { until: NOW }, {}, /expired .* ago/],
		['expired long ago', { until: NOW - 3 * DAY }, {}, /it expired 3 d ago/],
		['of the future', { from: NOW + 2 * HOUR }, {}, /not valid for another 2 h/],
		['for another name', {}, { matches: false }, /it is for compute\.quay\.example, quay-compute, not for/],
		['for no name', { names: [] }, { matches: false }, /no name at all/]
	])('%s is refused, whoever vouches and whoever confirmed', (_, c, a, expected) => {
		for (const by of [{}, { authority: 'CN=Root' }, { confirmed: 'AA:BB' }]) {
			const [value, why] = words(c, { ...a, ...by });
			expect(value).toBe('refused');
			expect(why).toMatch(expected);
		}
	});

	test('that is wrong twice says both', () => {
		expect(words({ until: NOW - DAY }, { matches: false })).toHaveLength(3);
	});

	test('near its end is spoken of, and still trusted', () => {
		expect(words({ until: NOW + 30 * DAY }, { authority: 'CN=Root' })).toHaveLength(2);
		expect(words({ until: NOW + 30 * DAY - 1 }, { authority: 'CN=Root' })[2]).toMatch(/it expires in 30 d/);
		expect(words({ until: NOW + 1 }, { confirmed: 'AA:BB' })[0]).toBe('trusted');
	});
});
