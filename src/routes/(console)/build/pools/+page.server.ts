import { narrow } from '$lib/core/scope/scope';
import { ruleWords } from '$lib/core/images/follow';
import { poolsAt, versionsByPool } from '$lib/server/pools';
import { bootServersOf, homeZone } from '$lib/server/capacity';
import { sitesOf } from '$lib/server/estate';
import { linesAt, rulesAt } from '$lib/server/images';
import { sharedLoad } from '$lib/server/load';
import { poolCounts } from '$lib/server/watch';

export const load = sharedLoad(async ({ context, look, at }) => {
	const { db, providers } = context;
	const rules = rulesAt(db, at);
	const counts = poolCounts(db, at);
	const versions = versionsByPool(db, at);
	const pools = narrow(
		look.scope,
		poolsAt(db, at),
		{ pool: (p) => p.id, site: (p) => p.site, line: (p) => p.line },
		(p) => p.name
	).items;
	const volumes = look.live ? await providers.compute.volumes() : [];
	const sites = sitesOf(db);
	return {
		homeZone: homeZone(db),
		lines: linesAt(db, at).map((l) => ({
			id: l.id,
			versions: l.versions.filter((v) => !v.retired && !v.open).map((v) => v.number)
		})),
		pools: pools.map((p) => {
			const own = versions.get(p.id) ?? [];
			return {
				id: p.id,
				name: p.name,
				site: p.siteName,
				line: p.line,
				personal: p.assignment === 'personal',
				bootServers: p.bootServers,
				follows: ruleWords(rules.get(`pool/${p.id}`)?.rule ?? { takes: 'nothing' }),
				machines: counts.get(p.id)?.machines ?? 0,
				people: counts.get(p.id)?.people ?? 0,
				versions: own.map((r) => ({ number: r.version, n: r.n }))
			};
		}),
		bootServers: bootServersOf(db),
		sites: sites
			.map((s) => ({ ...s, volumes: volumes.filter((v) => v.site === s.id) }))
			.filter((s) => s.volumes.length > 0)
	};
});
