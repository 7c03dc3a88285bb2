import { beforeEach, describe, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import type { Sites } from '../providers';
import { testEstate } from '../testing/harness';
import { Lab } from './lab';
import { LabServer } from './server';
import { unjoinedSites } from './sites';

const QUAY = 'compute.quay.testbay.example';
const ISLE = 'compute.isle.testbay.example';
let lab: Lab;
let sites: Sites;
beforeEach(() => {
	lab = new Lab(
		testEstate('e2e/small.yaml', (e) => {
			e.sites[0]!.provider.also = ['quay-compute'];
		})
	);
	sites = new LabServer(lab).providers.sites;
});
const fault = (
	kind: 'provider-silent' | 'directory-silent' | 'names-wrong' | 'clock-off',
	target: string,
	value: number | null = null
) => lab.apply({ kind: 'fault', fault: kind, target, value }) as number;

describe('names in the lab', () => {
	test('of providers, directories and machines resolve both ways, from everywhere', async () => {
		const machine = [...lab.world.machines.keys()][0]!;
		for (const name of [QUAY, ISLE, 'directory.quay.testbay.example', `${machine}.testbay.example`])
			for (const from of [null, 'quay', 'isle']) {
				const [address] = await sites.resolve(name, from);
				expect(address, `${name} from ${from}`).toMatch(/^10\./);
				expect(await sites.namesOf(address!, from)).toEqual([name]);
			}
	});

	test('that only the server knows resolve for nobody else', async () => {
		expect(await sites.resolve('quay-compute', null)).toEqual(await sites.resolve(QUAY, null));
		expect(await sites.resolve('quay-compute', 'quay')).toEqual([]);
		expect(await sites.resolve('moon.testbay.example', null)).toEqual([]);
		expect(await sites.namesOf('10.9.9.9', null)).toEqual([]);
	});

	test('go wrong at one site only', async () => {
		const before = await sites.resolve(QUAY, 'isle');
		const id = fault('names-wrong', 'isle');
		expect(await sites.resolve(QUAY, 'isle')).not.toEqual(before);
		expect(await sites.namesOf(before[0]!, 'isle')).toEqual([]);
		expect(await sites.resolve(QUAY, 'quay')).toEqual(before);
		lab.apply({ kind: 'clear fault', id });
		expect(await sites.resolve(QUAY, 'isle')).toEqual(before);
	});
});

describe('a compute provider in the lab', () => {
	test('answers at its own port, and is silent at any other', async () => {
		expect((await sites.reach(`${QUAY}:8443`, 'quay')).ok).toBe(true);
		for (const address of [`${QUAY}:22`, 'moon:8443', 'no address'])
			expect(await sites.reach(address, 'quay')).toEqual({
				ok: false,
				saw: `nothing answers at ${address} within 10 s`
			});
		await expect(sites.certificate(`${QUAY}:22`)).rejects.toThrow(/nothing answers/);
	});

	test('shows what it has to the account that it knows, and to no other', async () => {
		const offer = await sites.offer(`${QUAY}:8443`, 'sextant', 'tideline');
		expect(offer.site).toBe('quay');
		expect(offer.hosts.map((x) => x.name)).toEqual(['quay-h1', 'quay-h2']);
		expect(offer.links).toMatchObject([{ to: 'isle', mbit: 10 }]);
		// A link is the same from its other end.
		expect((await sites.offer(`${ISLE}:8443`, 'sextant', 'tideline')).links).toMatchObject([{ to: 'quay', mbit: 10 }]);
		await expect(sites.offer(`${QUAY}:8443`, 'sextant', 'no')).rejects.toThrow(/does not take the account sextant/);
		await expect(sites.offer(`${QUAY}:8443`, 'root', 'tideline')).rejects.toThrow(/does not take the account root/);
	});

	test('counts the addresses that are leased', async () => {
		const [network] = (await sites.offer(`${QUAY}:8443`, 'sextant', 'tideline')).networks;
		const leased = [...lab.world.machines.values()].filter((m) => m.network === network!.id).length;
		expect(network!.free).toBe(network!.last - network!.first + 1 - leased);
	});

	test('is out of reach while it is silent, or while no link leads there', async () => {
		const silent = fault('provider-silent', 'isle');
		expect((await sites.reach(`${ISLE}:8443`, 'isle')).ok).toBe(false);
		lab.apply({ kind: 'clear fault', id: silent });
		lab.apply({ kind: 'fault', fault: 'link-down', target: 'isle/quay', value: null });
		expect((await sites.reach(`${ISLE}:8443`, 'quay')).ok).toBe(false);
		expect((await sites.reach(`${ISLE}:8443`, null)).ok).toBe(false);
		expect((await sites.reach(`${ISLE}:8443`, 'isle')).ok).toBe(true);
	});
});

describe('directory and clocks in the lab', () => {
	test('the directory answers, more slowly while it is slow, and not while it is silent', async () => {
		const usual = (await sites.directory('quay')).answers;
		lab.apply({ kind: 'fault', fault: 'directory-slow', target: 'quay', value: 8 });
		const slow = (await sites.directory('quay')).answers;
		expect(usual.ok && slow.ok && slow.value / usual.value).toBe(8);
		fault('directory-silent', 'quay');
		expect((await sites.directory('quay')).answers).toEqual({
			ok: false,
			saw: 'nothing answers at directory.quay.testbay.example:636 within 10 s'
		});
		expect((await sites.directory('isle')).answers.ok).toBe(true);
		await expect(sites.directory('moon')).rejects.toThrow(/no site moon/);
	});

	test('clocks drift by less than a second, or by what the fault says', async () => {
		const off = async () => (await sites.clocks('quay'))[0]!.at - lab.now;
		expect(Math.abs(await off())).toBeLessThan(1000);
		const id = fault('clock-off', 'quay', -12);
		expect(Math.abs((await off()) + 12 * MINUTE)).toBeLessThan(1000);
		lab.apply({ kind: 'clear fault', id });
		fault('clock-off', 'quay');
		expect(Math.abs((await off()) - 7 * MINUTE)).toBeLessThan(1000);
	});

	test('says whether the account or the folder is wrong', async () => {
		const may = (account: string, secret: string, folder: string) => sites.mayCreate(account, secret, folder);
		expect(await may('svc-join', 'tideline', 'desks/quay')).toEqual({ ok: true });
		expect(await may('svc-join', 'no', 'desks/quay')).toMatchObject({ ok: false, wrong: 'account' });
		expect(await may('root', 'tideline', 'desks/quay')).toMatchObject({ ok: false, wrong: 'account' });
		expect(await may('svc-join', 'tideline', 'desks/moon')).toMatchObject({ ok: false, wrong: 'folder' });
		lab.apply({ kind: 'fault', fault: 'join-refused', target: 'desks/quay', value: null });
		expect(await may('svc-join', 'tideline', 'desks/quay')).toMatchObject({ ok: false, wrong: 'folder' });
		expect(await may('svc-join', 'tideline', 'desks/isle')).toEqual({ ok: true });
	});

	test.each([
		['provider-silent', 'moon', /no site moon/],
		['clock-off', 'moon', /no site moon/],
		['join-refused', 'moon', /no folder moon/],
		['boot-server-down', 'moon', /no boot server moon/]
	] as const)('%s of %s cannot be', (kind, target, words) => {
		expect(() => lab.apply({ kind: 'fault', fault: kind, target, value: null })).toThrow(words);
	});
});

test('sites that are still to be joined up are told with their fingerprint, others are not', async () => {
	expect(await unjoinedSites(lab.estate, { sites })).toEqual([]);
	const open = testEstate('e2e/small.yaml', (e) => {
		e.sites.push({ ...e.sites[1]!, id: 'reef', name: 'Reef', joined: false, networks: [], links: [] });
	});
	const server = new LabServer(new Lab(open));
	const [reef] = await unjoinedSites(open, server.providers);
	expect(reef).toMatchObject({ id: 'reef', address: 'compute.reef.testbay.example:8443', account: 'sextant' });
});
