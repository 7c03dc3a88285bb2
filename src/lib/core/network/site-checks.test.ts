import { describe, expect, test } from 'vitest';
import { MINUTE } from '../time/units';
import { CLOCK_SKEW, checkSite, siteBlocks, SITE_CHECKS, type SiteCheck, type SiteFacts } from './site-checks';

const right: SiteFacts = {
	name: 'Quay',
	host: 'compute.quay.example',
	here: ['10.1.0.5'],
	there: ['10.1.0.5'],
	reach: { ok: true, value: 9 },
	account: { ok: true, value: true },
	certificate: { standing: 'trusted', saw: 'signed' },
	names: [{ name: 'compute.quay.example', address: '10.1.0.5', back: ['compute.quay.example'] }],
	directory: { ok: true, value: 4 },
	clocks: [{ of: 'the provider', off: 300 }],
	accounts: { ok: true, value: { folder: 'desks/quay', account: 'svc-join' } },
	networks: [{ id: 'desks', free: 12 }],
	planned: 12,
	whole: 3,
	from: null,
	devices: { ok: true, saw: 'the network tells it', remedy: '' },
	stranger: { tried: 'www.example', through: false }
};
const failing = (f: Partial<SiteFacts>) => checkSite({ ...right, ...f }).filter((c) => c.ok === false);

describe('the checks of a site', () => {
	test('all pass where everything is right, in their order, without remedies', () => {
		const results = checkSite(right);
		expect(results.map((r) => r.name)).toEqual([...SITE_CHECKS]);
		expect(results.every((r) => r.ok && r.remedy === '' && r.saw !== '')).toBe(true);
	});

	const cases: [string, Partial<SiteFacts>, SiteCheck, RegExp][] = [
		[
			'an address that only the server can resolve',
			{ there: [] },
			'provider',
			/10\.1\.0\.5 for Sextant itself, but nothing for machines at Quay/
		],
		['a name that nobody knows', { here: [], there: [] }, 'provider', /does not resolve/],
		['a silent provider', { reach: { ok: false, saw: 'nothing answers' } }, 'provider', /nothing answers/],
		['an account that is refused', { account: { ok: false, saw: 'no such account' } }, 'provider', /no such account/],
		['a certificate to confirm', { certificate: { standing: 'to confirm', saw: 'unknown' } }, 'certificate', /unknown/],
		['a certificate refused', { certificate: { standing: 'refused', saw: 'expired' } }, 'certificate', /expired/],
		[
			'a name without an address',
			{ names: [{ name: 'a', address: null, back: [] }] },
			'names',
			/a does not resolve there/
		],
		[
			'a name that leads elsewhere',
			{ names: [{ name: 'a', address: '1.2.3.4', back: ['b'] }] },
			'names',
			/a is 1\.2\.3\.4, which is b/
		],
		[
			'an address without a name',
			{ names: [{ name: 'a', address: '1.2.3.4', back: [] }] },
			'names',
			/which is nothing/
		],
		['a clock ahead', { clocks: [{ of: 'it', off: CLOCK_SKEW + 1 }] }, 'clock', /it is 5 min ahead/],
		['a clock behind', { clocks: [{ of: 'it', off: -7 * MINUTE }] }, 'clock', /it is 7 min behind/],
		['no right to make accounts', { accounts: { ok: false, saw: 'may not' } }, 'accounts', /may not/],
		['too few addresses', { planned: 13 }, 'addresses', /12 addresses free, 13 machines still planned/],
		['no network', { networks: [], planned: 0 }, 'addresses', /it has no network/],
		['no image within reach', { whole: 0 }, 'image', /no working link/]
	];
	test.each(cases)('%s fails one check, says what was seen, and what helps', (_, facts, name, saw) => {
		const wrong = failing(facts);
		expect(wrong.map((w) => w.name)).toEqual([name]);
		expect(wrong[0]!.saw).toMatch(saw);
		expect(wrong[0]!.remedy).toMatch(/\.$/);
	});

	test('clocks exactly five minutes apart agree', () => {
		expect(
			failing({
				clocks: [
					{ of: 'it', off: CLOCK_SKEW },
					{ of: 'that', off: -CLOCK_SKEW }
				]
			})
		).toEqual([]);
	});

	test('where the directory does not answer, it is not asked about accounts', () => {
		const results = checkSite({
			...right,
			directory: { ok: false, saw: 'silence' },
			accounts: { ok: false, saw: 'silence' }
		});
		expect(results.filter((r) => r.ok === false).map((r) => r.name)).toEqual(['directory']);
		expect(results.find((r) => r.name === 'accounts')).toMatchObject({
			ok: null,
			saw: expect.stringMatching(/not asked/) as string
		});
	});

	test('a provider whose certificate is not trusted is shown no account, and fails by its certificate alone', () => {
		const wrong = failing({ account: null, certificate: { standing: 'to confirm', saw: 'unknown' } });
		expect(wrong.map((w) => w.name)).toEqual(['certificate']);
		expect(checkSite({ ...right, account: null })[0]!.saw).toMatch(/shown no secret/);
	});

	test('a door that lets nobodies through fails by what was reached', () => {
		const [door] = failing({ stranger: { tried: 'www.example', through: true } });
		expect(door).toMatchObject({ name: 'door', saw: 'www.example was reached by a device that nobody is on' });
		expect(checkSite({ ...right, stranger: null }).some((r) => r.name === 'door')).toBe(false);
	});

	test('a site without versions that a link reaches is in order', () => {
		expect(failing({ whole: 0, from: 'Isle' })).toEqual([]);
	});
});

describe('what a failing check stands in the way of', () => {
	const blocks = (name: SiteCheck) =>
		(['machines', 'accounts', 'images'] as const).filter(
			(need) => siteBlocks({ id: 'quay', name: 'Quay' }, [{ name, saw: 'so', since: 5 }], need).length > 0
		);
	test.each([
		['provider', ['machines', 'accounts', 'images']],
		['certificate', ['machines', 'accounts', 'images']],
		['names', ['accounts']],
		['directory', ['accounts']],
		['clock', ['accounts']],
		['accounts', ['accounts']],
		['addresses', []],
		['image', []],
		['door', []]
	] as [SiteCheck, string[]][])('%s: %j', (name, needs) => {
		expect(blocks(name)).toEqual(needs);
	});

	test('the block names the site, what was seen, and since when', () => {
		expect(
			siteBlocks({ id: 'quay', name: 'Quay' }, [{ name: 'clock', saw: '7 min ahead', since: 5 }], 'accounts')
		).toEqual([
			expect.objectContaining({
				words: 'Quay: its clock is off (7 min ahead)',
				at: 5,
				about: { kind: 'site', id: 'quay', name: 'Quay' }
			})
		]);
	});
});
