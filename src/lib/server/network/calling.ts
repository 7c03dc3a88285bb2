import { judgeCalling, toldFirst } from '$lib/core/endpoints/calling';
import { readAddress } from '$lib/core/network/addresses';
import type { SiteFacts } from '$lib/core/network/site-checks';
import type { Context } from '../context';
import { setting } from '../db';

/** Where devices are to call, `host:port`, as a setting; nothing is looked at while it is not said. */
export const CALLED_AT = 'devices call';

/** Whether devices that start at a site for the first time find Sextant; null where nothing says where they are to call. */
export async function lookAtCalling(
	ctx: Context,
	site: string,
	wanted = setting(ctx.db, CALLED_AT) ?? ''
): Promise<SiteFacts['devices']> {
	const at = readAddress(wanted);
	if (!at) return null;
	const { sites } = ctx.providers;
	const told = await sites.told(site);
	const first = toldFirst(told);
	const host = first && (readAddress(first.address)?.host ?? null);
	return judgeCalling({
		wanted,
		told,
		there: host === null ? [] : await sites.resolve(host, site),
		here: await sites.resolve(at.host, null),
		reach: first ? await sites.reach(first.address, site) : { ok: false, saw: 'nothing is told' }
	});
}
