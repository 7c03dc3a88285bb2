import { readAddress } from '$lib/core/network/addresses';
import type { ToldRules } from '$lib/core/reach/enforce';
import type { Context } from '../context';
import { setting } from '../db';
import { writtenOf } from '../db/intervals';
import { holidaysAt } from '../estate';
import { CALLED_AT } from '../network';
import { rangesAt } from './queries';
import { inForceAt } from './standing';

/** Tells who may reach what to everything that stands at a door: it decides by itself while Sextant is away. */
export async function tellRules(ctx: Context): Promise<void> {
	const stands = standing(ctx);
	await ctx.providers.broker.rules(toldAt(ctx));
	last.set(ctx, stands);
}

/** Where everything stood that was told last. */
const last = new WeakMap<Context, string>();

/** Tells it again where anything has changed that it is made of. */
export async function tellRulesChanged(ctx: Context): Promise<void> {
	if (last.get(ctx) !== standing(ctx)) await tellRules(ctx);
}

/** Cheaper than reading what is told. */
const standing = ({ db }: Context): string =>
	JSON.stringify([
		writtenOf(db, [
			'access_rules',
			'access_rulebook',
			'private_services',
			'branches',
			'categorised_sites',
			'site_holidays'
		]),
		rangesAt(db),
		setting(db, CALLED_AT)
	]);

function toldAt({ db, clock }: Context): ToldRules {
	const at = clock.now();
	const { book, ground } = inForceAt(db, at);
	const called = readAddress(setting(db, CALLED_AT) ?? '');
	return {
		rules: book.rules,
		otherwise: book.otherwise,
		services: ground.services.map(({ id, name, group }) => ({ id, name, group })),
		names: [...ground.catalogue.names],
		sites: Object.fromEntries(ground.sites),
		branches: Object.fromEntries(ground.branches),
		holidays: Object.fromEntries([...holidaysAt(db, at)].map(([site, days]) => [site, days.map((d) => d.day)])),
		portal: called ? [called.host.toLowerCase()] : []
	};
}
