import { readFileSync } from 'node:fs';
import { describe, expect, test } from 'vitest';
import { parse, stringify } from 'yaml';
import { providerAddress } from './providers';
import { readEstate } from './read';

interface Raw {
	home: string;
	sites: Record<string, unknown>[];
	pools: Record<string, unknown>[];
	boot_servers?: Record<string, unknown>[];
	existing?: Record<string, unknown>[];
}

const REEF = { id: 'reef', name: 'Reef', time_zone: 'UTC', joined: false, networks: [] };
const COMPUTER = {
	name: 'ws-1',
	site: 'quay',
	kind: 'physical',
	network: 'quay-desks',
	system: 'Meridian Desktop 9',
	users: 'single',
	cores: 4,
	memory: '16 GB',
	disk: '240 GB'
};

/** The small estate with a change, read: the estate, or what is wrong with it. */
function read(change: (raw: Raw) => void) {
	const raw = parse(readFileSync('e2e/small.yaml', 'utf8')) as Raw;
	change(raw);
	return readEstate(stringify(raw), 'estate.yaml', () => null);
}
const problems = (change: (raw: Raw) => void): string[] => {
	const r = read(change);
	return 'problems' in r ? r.problems.map((p) => `${p.path}: ${p.message}`) : [];
};

describe('sites in an estate file', () => {
	test('have a provider of their own name, or the one that is written', () => {
		const r = read((raw) => {
			raw.sites[0]!.provider = { address: 'rack.quay.example:9443' };
		});
		if ('problems' in r) throw new Error(JSON.stringify(r.problems));
		expect(r.estate.sites.map((s) => providerAddress(r.estate, s))).toEqual([
			'rack.quay.example:9443',
			'compute.isle.testbay.example:8443'
		]);
		expect(r.estate.sites[1]!.provider).toMatchObject({ account: 'sextant', authority: 'estate', also: [] });
	});

	test('that are still to be joined up may stand there with their links', () => {
		expect(problems((raw) => raw.sites.push({ ...REEF, links: [{ to: 'quay', mbit: 50, latency_ms: 9 }] }))).toEqual(
			[]
		);
	});

	test.each([
		['home', (raw: Raw) => (raw.home = 'reef')],
		['pools.0.site', (raw: Raw) => (raw.pools[0]!.site = 'reef')]
	] as [string, (raw: Raw) => void][])('%s cannot be a place that is not joined up', (path, change) => {
		const found = problems((raw) => {
			raw.sites.push(REEF);
			change(raw);
		});
		expect(found).toContain(`${path}: reef is still to be joined up`);
	});

	test.each([
		['compute.quay.example', /a host and a port/],
		['compute.quay.example:0', /a host and a port/],
		['compute.quay.example:70000', /a host and a port/],
		['-quay:8443', /a host and a port/]
	])('a provider at %s is refused', (address, words) => {
		expect(problems((raw) => (raw.sites[0]!.provider = { address })).join()).toMatch(words);
	});
});

describe('boot servers and computers that were there', () => {
	test('are read where everything about them agrees', () => {
		const r = read((raw) => {
			raw.boot_servers = [{ id: 'boot-1', site: 'quay', address: 'boot-1.testbay.example' }];
			raw.pools[0]!.boot_servers = ['boot-1'];
			raw.existing = [COMPUTER, { ...COMPUTER, name: 'old-1', kind: 'virtual', host: 'quay-h1', volume: 'quay-v1' }];
		});
		if ('problems' in r) throw new Error(JSON.stringify(r.problems));
		expect(r.estate.existing.map((m) => [m.name, m.kind, m.generation])).toEqual([
			['ws-1', 'physical', 2],
			['old-1', 'virtual', 2]
		]);
		expect(r.estate.pools[0]).toMatchObject({ boot_servers: ['boot-1'], page_file: 4e9, page_file_on: 'overlay' });
		expect(r.estate.pools[1]!.boot_servers).toEqual([]);
	});

	test.each([
		['existing.0.site', 'no site called moon', { site: 'moon' }],
		['existing.0.network', 'no network called isle-desks at quay', { network: 'isle-desks' }],
		['existing.0.host', 'expected a host of its site', { kind: 'virtual', volume: 'quay-v1' }],
		['existing.0.host', 'expected a host of its site', { kind: 'virtual', volume: 'quay-v1', host: 'isle-h1' }],
		['existing.0.volume', 'expected a volume of its site', { kind: 'virtual', host: 'quay-h1', volume: 'isle-v1' }]
	])('%s: %s', (path, words, change) => {
		expect(problems((raw) => (raw.existing = [{ ...COMPUTER, ...change }]))).toContain(`${path}: ${words}`);
	});

	test('a second computer of a name, and a boot server that there is not, are named', () => {
		expect(problems((raw) => (raw.existing = [COMPUTER, COMPUTER]))).toContain(
			'existing.1.name: a second machine called ws-1'
		);
		expect(problems((raw) => (raw.pools[0]!.boot_servers = ['boot-9']))).toContain(
			'pools.0.boot_servers.0: no boot server called boot-9'
		);
	});
});
