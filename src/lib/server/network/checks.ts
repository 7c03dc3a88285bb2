import {
	checkSite,
	siteBlocks,
	type SiteCheck,
	type SiteFacts,
	type SiteNeed,
	type SiteResult
} from '$lib/core/network/site-checks';
import { readAddress } from '$lib/core/network/addresses';
import { countWords, FOREVER } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, one, run, type Db } from '../db';
import { asOf, closeAt, putAt } from '../db/intervals';
import { ProviderError } from '../providers';
import { lookAtCalling } from './calling';
import { lookAt } from './certificates';
import { providerAt, type SiteProvider } from './providers';

/** A site as it is looked at: one that is joined, or one on its way. */
interface LookedAt {
	id: string;
	name: string;
	provider: SiteProvider;
	/** Networks for its machines. */
	networks: string[];
	/** Machines that are still to be made there. */
	planned: number;
	/** Versions that stand whole there. */
	whole: number;
	/** Whether some of its addresses are for devices that people sit at. */
	devices: boolean;
}

/** A web site that is tried by a device that nobody is on: a name that is nobody’s (RFC 6761, 6.5). */
const TRIED = 'www.example';

/** Looks at a site, and judges what was seen. */
export async function lookAtSite(ctx: Context, site: LookedAt): Promise<SiteResult[]> {
	const { sites, network } = ctx.providers;
	const { provider } = site;
	const host = readAddress(provider.address)!.host;
	const directory = await sites.directory(site.id);
	const names = await Promise.all(
		[host, directory.name].map(async (name) => {
			const [address] = await sites.resolve(name, site.id);
			return { name, address: address ?? null, back: address ? await sites.namesOf(address, site.id) : [] };
		})
	);
	const now = ctx.clock.now();
	const certificate = await certificateOf(ctx, provider.address, provider.confirmed);
	const facts: SiteFacts = {
		name: site.name,
		host,
		here: await sites.resolve(host, null),
		there: await sites.resolve(host, site.id),
		reach: await sites.reach(provider.address, site.id),
		account: certificate.standing === 'trusted' ? await takesAccount(ctx, provider) : null,
		certificate,
		names,
		directory: directory.answers,
		clocks: (await sites.clocks(site.id)).map((c) => ({ of: c.of, off: c.at - now })),
		accounts: await mayCreate(ctx, provider),
		networks: await Promise.all(site.networks.map(async (id) => ({ id, free: await network.free(id) }))),
		planned: site.planned,
		whole: site.whole,
		from: site.whole > 0 ? null : await imageSource(ctx, site.id),
		devices: site.devices ? await lookAtCalling(ctx, site.id) : null,
		stranger: site.devices ? { tried: TRIED, through: await sites.stranger(site.id, TRIED) } : null
	};
	return checkSite(facts);
}

async function takesAccount(ctx: Context, p: SiteProvider): Promise<SiteFacts['account']> {
	if (p.secret === null) return { ok: false, saw: 'the secret that is kept cannot be opened: the key is another one' };
	try {
		await ctx.providers.sites.offer(p.address, p.account, p.secret);
		return { ok: true, value: true };
	} catch (e) {
		if (!(e instanceof ProviderError)) throw e;
		return { ok: false, saw: e.message };
	}
}

async function certificateOf(
	ctx: Context,
	address: string,
	confirmed: string | null
): Promise<SiteFacts['certificate']> {
	try {
		const { standing } = lookAt(
			await ctx.providers.sites.certificate(address),
			readAddress(address)!.host,
			await ctx.providers.sites.authorities(),
			confirmed,
			ctx.clock.now()
		);
		return { standing: standing.value, saw: standing.facts.map((f) => f.words).join('; ') };
	} catch (e) {
		if (!(e instanceof ProviderError)) throw e;
		return { standing: 'refused', saw: e.message };
	}
}

async function mayCreate(ctx: Context, p: SiteProvider): Promise<SiteFacts['accounts']> {
	if (p.joinSecret === null)
		return { ok: false, saw: 'the secret that is kept cannot be opened: the key is another one' };
	const may = await ctx.providers.sites.mayCreate(p.joinAccount, p.joinSecret, p.folder);
	return may.ok ? { ok: true, value: { folder: p.folder, account: p.joinAccount } } : may;
}

/** A site that has versions, and whose provider a site can reach. */
async function imageSource(ctx: Context, site: string): Promise<string | null> {
	for (const s of all<{ id: string; name: string; address: string }>(
		ctx.db,
		`SELECT s.id, s.name, p.address FROM sites s JOIN site_providers p ON p.site_id = s.id AND p.until = ${FOREVER}
		 WHERE s.id <> ? AND EXISTS (SELECT 1 FROM site_versions v WHERE v.site_id = s.id AND v.until = ${FOREVER}) ORDER BY s.position`,
		[site]
	))
		if ((await ctx.providers.sites.reach(s.address, site)).ok) return s.name;
	return null;
}

/** Looks at every site that is joined, and keeps what the checks saw as intervals. */
export async function sweepSites(ctx: Context, now: number): Promise<void> {
	const { db } = ctx;
	for (const site of all<{ id: string; name: string; there: number; unmade: number; whole: number; devices: number }>(
		db,
		`SELECT s.id, s.name, (SELECT count(*) FROM machines m WHERE m.site_id = s.id AND m.until = ${FOREVER}) AS there,
		 (SELECT count(*) FROM unmade_machines u JOIN pools p ON p.id = u.pool_id AND p.until = ${FOREVER} WHERE p.site_id = s.id) AS unmade,
		 (SELECT count(*) FROM site_versions v WHERE v.site_id = s.id AND v.until = ${FOREVER}) AS whole,
		 EXISTS (SELECT 1 FROM endpoint_ranges r WHERE r.site_id = s.id) AS devices FROM sites s ORDER BY s.position`
	)) {
		const provider = providerAt(db, ctx.vault, site.id, now);
		if (!provider) continue;
		const results = await lookAtSite(ctx, {
			id: site.id,
			name: site.name,
			provider,
			networks: networksOf(db, site.id),
			planned: Math.max(0, provider.planned - site.there, site.unmade),
			whole: site.whole,
			devices: site.devices === 1
		});
		db.transaction(() => noteChecks(db, site.id, results, now)).immediate();
	}
}

/** Networks of a site, by id. */
export const networksOf = (db: Db, site: string): string[] =>
	all<{ id: string }>(db, 'SELECT id FROM networks WHERE site_id = ? ORDER BY id', [site]).map((n) => n.id);

/** The name of a site; its id where it is not known. */
export const nameOfSite = (db: Db, site: string): string =>
	one<{ name: string }>(db, 'SELECT name FROM sites WHERE id = ?', [site])?.name ?? site;

/** Keeps what checks saw: a new interval where one passes that failed, or the other way round. */
function noteChecks(db: Db, site: string, results: SiteResult[], now: number): void {
	const open = new Map(checksAt(db, site, now).map((c) => [c.name, c]));
	// What is looked at no longer.
	for (const name of open.keys())
		if (!results.some((r) => r.name === name)) closeAt(db, 'site_checks', { site_id: site, name }, now);
	for (const r of results) {
		const was = open.get(r.name);
		if (was && was.ok === r.ok) {
			if (was.saw !== r.saw)
				run(db, `UPDATE site_checks SET saw = ?, remedy = ? WHERE site_id = ? AND name = ? AND until = ${FOREVER}`, [
					r.saw,
					r.remedy,
					site,
					r.name
				]);
			continue;
		}
		const ok = r.ok === null ? null : Number(r.ok);
		putAt(db, 'site_checks', { site_id: site, name: r.name, ok, saw: r.saw, remedy: r.remedy }, now);
	}
}

/** The checks of a site as they stood at a moment, with since when. */
export const checksAt = (db: Db, site: string, at: number): (SiteResult & { since: number })[] =>
	all<{ name: SiteCheck; ok: number | null; saw: string; remedy: string; since: number }>(
		db,
		`SELECT name, ok, saw, remedy, since FROM site_checks WHERE site_id = ? AND ${asOf('site_checks', '?')}`,
		[site, at, at]
	).map((c) => ({ ...c, ok: c.ok === null ? null : c.ok === 1 }));

/** What stands in the way at sites, for a plan that needs something of them. */
export function blocksAt(db: Db, sites: Iterable<string>, need: SiteNeed, now: number): Fact[] {
	return [...new Set(sites)].flatMap((id) => {
		return siteBlocks(
			{ id, name: nameOfSite(db, id) },
			checksAt(db, id, now).filter((c) => c.ok === false),
			need
		);
	});
}

/** Why the account of a site may make no computer accounts in a folder of a pool; nothing while it may. */
export async function accountBlocks(ctx: Context, site: string, folder: string, now: number): Promise<Fact[]> {
	const provider = providerAt(ctx.db, ctx.vault, site, now);
	if (!provider || provider.folder === folder) return [];
	const may = await mayCreate(ctx, { ...provider, folder });
	return may.ok ? [] : [{ words: may.saw, side: 'against', source: 'directory' }];
}

/** How a site fares, in a clause. */
export const checksWords = (checks: SiteResult[]): string => {
	const failing = checks.filter((c) => c.ok === false).length;
	return checks.length === 0
		? 'not looked at yet'
		: failing === 0
			? `all ${checks.length} checks pass`
			: `${countWords(failing, 'check fails', 'checks fail')}`;
};
