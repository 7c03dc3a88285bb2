import { SITE_CHECKS, SITE_CHECK_WORDS } from '$lib/core/network/site-checks';
import { narrow, unusedTerms } from '$lib/core/scope/scope';
import { sharedLoad } from '$lib/server/load';
import { checksAt, providerAt } from '$lib/server/network';
import { joinedSites, joiningsAt } from '$lib/server/joining';

export const load = sharedLoad(async ({ context, look, at }) => {
	const { db, vault, bench } = context;
	const joined = joinedSites(db, at);
	const { items: sites, left } = narrow(look.scope, joined, { site: (s) => [s.id] }, (s) => s.name);
	return {
		left: unusedTerms(left),
		asks: SITE_CHECKS.map((name) => ({ name, asks: SITE_CHECK_WORDS[name].asks })),
		sites: sites.map((s) => ({
			...s,
			address: providerAt(db, vault, s.id, at)?.address ?? null,
			checks: checksAt(db, s.id, at)
		})),
		joinings: joiningsAt(db, at),
		// What the lab has that nobody has joined up yet: how to try it out.
		lab: (await bench?.sites())?.filter((p) => !joined.some((s) => s.id === p.id)) ?? []
	};
});
