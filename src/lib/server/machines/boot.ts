import type { Seen } from '$lib/core/network/site-checks';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';

/** Tries boot servers from a site, one after the other. */
export const testServers = (
	ctx: Context,
	servers: string[],
	site: string
): Promise<{ server: string; seen: Seen<number> }[]> =>
	Promise.all(servers.map(async (server) => ({ server, seen: await ctx.providers.compute.testBoot(server, site) })));

/** What a try showed, as a fact. */
export const testFact = ({ server, seen }: { server: string; seen: Seen<number> }): Fact => ({
	words: seen.ok ? `${server} answered in ${seen.value} ms` : `${server}: ${seen.saw}`,
	side: seen.ok ? 'for' : 'against',
	source: 'test'
});
