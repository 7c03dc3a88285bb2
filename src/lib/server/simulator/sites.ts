import { strangerReaches } from './browsing';
import 'reflect-metadata';
import { createHash, webcrypto, X509Certificate } from 'node:crypto';
import * as x509 from '@peculiar/x509';
import { LRUCache } from 'lru-cache';
import { LAB_ACCOUNT, LAB_SECRET, providerAddress } from '$lib/core/estate/providers';
import type { Estate } from '$lib/core/estate/schema';
import { addressNumber, addressText, readAddress } from '$lib/core/network/addresses';
import type { Seen } from '$lib/core/network/site-checks';
import { DAY, MINUTE } from '$lib/core/time/units';
import { ED25519, keyPairOf } from '../ed25519';
import { ProviderError, type Sites } from '../providers';
import { calledAt, homeOf, resolveCalled, servicesOf, toldAt } from './calling';
import type { Lab } from './lab';
import { hashText, uniform } from './random';
import type { SimFault } from './state';

type Site = Estate['sites'][number];

/** The lab's sites: name service, providers with real certificates, directory servers and clocks. */
export function sitesOf(lab: Lab): Sites {
	const { estate } = lab;
	const certificates = new CertificateOffice(estate);
	const sites = estate.sites.map((site) => {
		const { host, port } = readAddress(providerAddress(estate, site))!;
		const { provider, directory } = servicesOf(site);
		return { site, host, port, address: provider, directory };
	});
	const home = homeOf(estate);
	const now = () => ({ estate, faults: lab.world.faults });
	const directoryName = (id: string) => `directory.${id}.${estate.domain}`;
	const down = (kind: SimFault['kind'], target: string) =>
		lab.world.faults.find((f) => f.kind === kind && f.target === target);
	const find = (address: string, from: string | null) => {
		const read = readAddress(address);
		if (!read) return undefined;
		const found = resolve(read.host, from);
		return sites.find(
			(s) =>
				found.includes(s.address) &&
				s.port === read.port &&
				!down('provider-silent', s.site.id) &&
				joined(from ?? home, s.site.id)
		);
	};
	/** Whether links that are up lead from one site to another. */
	function joined(from: string, to: string): boolean {
		const seen = new Set([from]);
		for (const a of seen)
			for (const s of estate.sites)
				for (const l of s.links)
					for (const [x, y] of [
						[s.id, l.to],
						[l.to, s.id]
					] as const)
						if (x === a && !lab.linkDown(x, y)) seen.add(y);
		return seen.has(to);
	}
	function resolve(name: string, from: string | null): string[] {
		if (from !== null && down('names-wrong', from)) return [addressText(0xc6_33_64_00 + (hashText(name) % 250))];
		const called = resolveCalled(now(), name, from);
		if (called) return called;
		for (const s of sites) {
			if (s.host === name || s.address === name) return [s.address];
			if (from === null && s.site.provider.also.includes(name)) return [s.address];
			if (directoryName(s.site.id) === name) return [s.directory];
		}
		const machine = lab.world.machines.get(name.slice(0, name.length - estate.domain.length - 1));
		return machine && machine.address !== null && name.endsWith(estate.domain) ? [addressText(machine.address)] : [];
	}
	const ms = (site: string, what: string) =>
		Math.round(2 + 18 * uniform(estate.lab.seed, hashText(site), hashText(what), Math.floor(lab.now / (15 * MINUTE))));
	const known = (id: string): Site => {
		const site = estate.sites.find((s) => s.id === id);
		if (!site) throw new ProviderError(`there is no site ${id}`, false);
		return site;
	};
	const silent = (address: string): Seen<never> => ({ ok: false, saw: `nothing answers at ${address} within 10 s` });

	return {
		authorities: async () => [await certificates.authority('estate')],
		certificate: async (address) => {
			const at = find(address, null);
			if (!at) throw new ProviderError(`nothing answers at ${address} within 10 s`);
			return certificates.of(at.site, at.host);
		},
		offer: async (address, account, secret) => {
			const at = find(address, null);
			if (!at) throw new ProviderError(`nothing answers at ${address} within 10 s`);
			if (account !== at.site.provider.account || secret !== LAB_SECRET)
				throw new ProviderError(`the compute provider does not take the account ${account} with this secret`, false);
			const { id } = at.site;
			const others = new Set(estate.sites.filter((s) => s.joined && s.id !== id).map((s) => s.id));
			return {
				site: id,
				hosts: estate.hosts
					.filter((h) => h.site === id)
					.map((h) => ({ name: h.id, cores: h.cores, memory: h.memory, gpus: h.gpus })),
				volumes: estate.volumes
					.filter((v) => v.site === id)
					.map((v) => ({ id: v.id, size: lab.world.volumes.get(v.id)!.size, iops: v.iops })),
				networks: at.site.networks.map((n) => {
					const now = lab.world.networks.get(n.id)!;
					return {
						id: n.id,
						range: n.range,
						first: n.first,
						last: now.last,
						free: now.last - now.first + 1 - now.leased.size
					};
				}),
				gateways: estate.gateways
					.filter((g) => g.site === id)
					.map((g) => ({
						id: g.id,
						address: g.address,
						protocols: [...lab.world.gateways.get(g.id)!.protocols].map(([name, p]) => ({ name, ...p }))
					})),
				links: estate.sites.flatMap((s) =>
					s.links.flatMap((l) =>
						s.id === id && others.has(l.to) ? [{ ...l }] : l.to === id && others.has(s.id) ? [{ ...l, to: s.id }] : []
					)
				)
			};
		},
		resolve: async (name, from) => resolve(name, from),
		namesOf: async (address, from) => {
			if (from !== null && down('names-wrong', from)) return [];
			for (const s of sites) {
				if (s.address === address) return [s.host];
				if (s.directory === address) return [directoryName(s.site.id)];
			}
			const leased = [...lab.world.networks.values()].map((n) => n.leased.get(addressNumber(address))).find(Boolean);
			return leased ? [`${leased}.${estate.domain}`] : [];
		},
		told: async (site) => toldAt(now(), known(site).id),
		stranger: async (site, host) => strangerReaches(lab.stage, known(site).id, { kind: 'site', host }),
		reach: async (address, from) => {
			const read = readAddress(address);
			const own = calledAt(estate);
			if (read && own && read.port === own.port && resolve(read.host, from).includes(own.address))
				return joined(from ?? home, home) ? { ok: true, value: ms(from ?? home, 'calling') } : silent(address);
			const at = find(address, from);
			return at ? { ok: true, value: ms(at.site.id, 'provider') } : silent(address);
		},
		directory: async (from) => ({
			name: directoryName(known(from).id),
			answers: down('directory-silent', from)
				? silent(`${directoryName(from)}:636`)
				: { ok: true, value: Math.round(ms(from, 'directory') * (lab.world.directorySlow.get(from) ?? 1)) }
		}),
		clocks: async (site) => {
			const fault = down('clock-off', known(site).id);
			const drift = Math.round(1500 * (uniform(estate.lab.seed, hashText(site), 31) - 0.5));
			const off = fault ? (fault.value ?? 7) * MINUTE : 0;
			return [
				{ of: `the provider at ${known(site).name}`, at: lab.now + drift + off },
				{ of: directoryName(site), at: lab.now }
			];
		},
		mayCreate: async (account, secret, folder) => {
			if (account !== LAB_ACCOUNT || secret !== LAB_SECRET)
				return {
					ok: false,
					wrong: 'account',
					saw: `the directory does not take the account ${account} with this secret`
				};
			if (!estate.directory.folders.includes(folder))
				return { ok: false, wrong: 'folder', saw: `the directory has no folder ${folder}` };
			if (down('join-refused', folder))
				return { ok: false, wrong: 'folder', saw: `${account} may not create computer accounts in ${folder}` };
			return { ok: true };
		}
	};
}

/** A site that is not joined up from the beginning, with all that somebody who stood beside it would know. */
export interface LabSite {
	id: string;
	name: string;
	address: string;
	account: string;
	joinAccount: string;
	secret: string;
	/** As the provider itself shows it. */
	fingerprint: string;
}

export const unjoinedSites = (estate: Estate, { sites }: { sites: Sites }): Promise<LabSite[]> =>
	Promise.all(
		estate.sites
			.filter((s) => !s.joined)
			.map(async (s) => {
				const address = providerAddress(estate, s);
				const pem = await sites.certificate(address).catch(() => null);
				return {
					id: s.id,
					name: s.name,
					address,
					account: s.provider.account,
					joinAccount: LAB_ACCOUNT,
					secret: LAB_SECRET,
					fingerprint: pem === null ? 'none: it is silent' : new X509Certificate(pem).fingerprint256
				};
			})
	);

/** Certificates that were issued, by all that they follow from: signing takes longer than all else of a small estate. */
const issued = new LRUCache<string, Promise<string>>({ max: 1000 });

/** Issues the lab's certificates: real ones, whose keys follow from the seed, so that they are the same in every run. */
class CertificateOffice {
	constructor(private readonly estate: Estate) {
		x509.cryptoProvider.set(webcrypto as Crypto);
	}

	/** The certificate (PEM) of the estate's own authority, or of the one that nobody knows. */
	authority(which: 'estate' | 'own'): Promise<string> {
		return this.once([which], async () => {
			const keys = await this.keys(which);
			const certificate = await x509.X509CertificateGenerator.createSelfSigned({
				serialNumber: this.serial(which),
				name: this.authorityName(which),
				...this.validity(this.estate.lab.opens + 10 * 365 * DAY),
				signingAlgorithm: ED25519,
				keys,
				extensions: [new x509.BasicConstraintsExtension(true, 0, true)]
			});
			return certificate.toString('pem');
		});
	}

	/** The certificate (PEM) of a site's compute provider. */
	of(site: Site, host: string): Promise<string> {
		const { authority, also } = site.provider;
		return this.once(['provider', site.id, host, authority, also, site.provider.until], async () => {
			const certificate = await x509.X509CertificateGenerator.create({
				serialNumber: this.serial(site.id),
				subject: `CN=${host}, O=${this.estate.name}`,
				issuer: this.authorityName(authority),
				...this.validity(site.provider.until ?? this.estate.lab.opens + 365 * DAY),
				signingAlgorithm: ED25519,
				publicKey: (await this.keys(site.id)).publicKey,
				signingKey: (await this.keys(authority)).privateKey,
				extensions: [
					new x509.SubjectAlternativeNameExtension([host, ...also].map((value) => ({ type: 'dns' as const, value })))
				]
			});
			return certificate.toString('pem');
		});
	}

	private once(what: readonly unknown[], issue: () => Promise<string>): Promise<string> {
		const { name, lab } = this.estate;
		const key = JSON.stringify([lab.seed, lab.opens, name, ...what]);
		const known = issued.get(key) ?? issue();
		issued.set(key, known);
		return known;
	}

	private readonly authorityName = (which: 'estate' | 'own') =>
		which === 'estate' ? `CN=Root authority, O=${this.estate.name}` : `CN=Local authority, OU=Harbour works`;

	private readonly serial = (of: string) =>
		createHash('sha256').update(`${this.estate.lab.seed} ${of}`).digest('hex').slice(0, 15).padStart(16, '1');

	private readonly validity = (until: number) => ({
		notBefore: new Date(Math.min(this.estate.lab.opens, until) - 400 * DAY),
		notAfter: new Date(until)
	});

	private readonly keys = (of: string): Promise<CryptoKeyPair> =>
		keyPairOf(createHash('sha256').update(`${this.estate.lab.seed} key ${of}`).digest());
}
