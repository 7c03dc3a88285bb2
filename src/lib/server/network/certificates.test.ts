import { beforeEach, describe, expect, test } from 'vitest';
import { DAY } from '$lib/core/time/units';
import type { Sites } from '../providers';
import { Lab } from '../simulator/lab';
import { LabServer } from '../simulator/server';
import { testEstate } from '../testing/harness';
import { lookAt, readCertificate } from './certificates';

const HOST = 'compute.quay.testbay.example';
const estate = (change: (provider: ReturnType<typeof testEstate>['sites'][number]['provider']) => void = () => {}) =>
	testEstate('e2e/small.yaml', (e) => change(e.sites[0]!.provider));
let sites: Sites;
let now: number;
const begin = (of = estate()) => {
	const lab = new Lab(of);
	now = lab.now;
	sites = new LabServer(lab).providers.sites;
};
const look = async (host = HOST, confirmed: string | null = null, at = now) =>
	lookAt(await sites.certificate(`${HOST}:8443`), host, await sites.authorities(), confirmed, at).standing;

describe('a real certificate', () => {
	beforeEach(() => begin());

	test('is read with its names, its dates and its fingerprint', async () => {
		const c = readCertificate(await sites.certificate(`${HOST}:8443`));
		expect(c).toMatchObject({
			subject: `CN=${HOST}, O=Test Bay`,
			issuer: 'CN=Root authority, O=Test Bay',
			names: [HOST]
		});
		expect(c.until - c.from).toBeGreaterThan(365 * DAY);
		expect(c.fingerprint.split(':')).toHaveLength(32);
	});

	test('signed by a known authority is trusted for its names, and for no other', async () => {
		expect((await look()).value).toBe('trusted');
		for (const host of ['compute.isle.testbay.example', 'quay', '10.1.0.5']) {
			const standing = await look(host);
			expect(standing.value).toBe('refused');
			expect(standing.facts[0]!.words).toContain(`not for ${host}`);
		}
	});

	test('is refused before it begins and after it ends', async () => {
		expect((await look(HOST, null, now + 2 * 365 * DAY)).value).toBe('refused');
		expect((await look(HOST, null, now - 800 * DAY)).facts[0]!.words).toMatch(/not valid for another/);
	});

	test('whose signature is of another key is not vouched for, though it names the authority', async () => {
		const forged = testEstate('e2e/small.yaml', (e) => (e.lab.seed = 8));
		const others = new LabServer(new Lab(forged)).providers.sites;
		const { standing } = lookAt(await others.certificate(`${HOST}:8443`), HOST, await sites.authorities(), null, now);
		expect(standing.value).toBe('to confirm');
	});

	test('what is no certificate is said to be none', () => {
		expect(() => readCertificate('no certificate')).toThrow();
	});
});

test('a certificate that nobody knows is trusted by its fingerprint, until it is another one', async () => {
	begin(estate((p) => (p.authority = 'own')));
	const { fingerprint } = readCertificate(await sites.certificate(`${HOST}:8443`));
	expect((await look()).value).toBe('to confirm');
	expect((await look(HOST, fingerprint)).value).toBe('trusted');
	begin(
		estate((p) => {
			p.authority = 'own';
			p.until = now + 90 * DAY;
		})
	);
	const renewed = await look(HOST, fingerprint);
	expect(renewed.value).toBe('to confirm');
	expect(renewed.facts[0]!.words).toMatch(/another one than was confirmed/);
});
