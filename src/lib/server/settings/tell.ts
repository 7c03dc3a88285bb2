import type { Context } from '../context';
import { all } from '../db';
import { asOf, writtenOf } from '../db/intervals';
import { branchesAt } from '../endpoints';
import type { ToldSettings } from '../providers';
import { groupsAt } from './queries';

/** Tells agents and devices which settings count for whom: they hold them while Sextant is away. */
export async function tellSettings(ctx: Context): Promise<void> {
	const stands = standing(ctx);
	const told = toldAt(ctx);
	await ctx.providers.agent.settings(told);
	last.set(ctx, stands);
}

/** Where everything stood that was told last. */
const last = new WeakMap<Context, string>();

/** Tells them again where anything that they depend on has changed: groups, branches, or where a device stands. */
export async function tellChanged(ctx: Context): Promise<void> {
	if (last.get(ctx) !== standing(ctx)) await tellSettings(ctx);
}

/** Cheaper than reading what is told. */
const standing = ({ db }: Context): string => writtenOf(db, ['settings_groups', 'branches', 'endpoint_spots']);

function toldAt({ db, clock }: Context): ToldSettings {
	const at = clock.now();
	return {
		groups: groupsAt(db, at).map(({ id, name, rank, values, assigned, excluded }) => ({
			id,
			name,
			rank,
			values,
			assigned,
			excluded
		})),
		branches: Object.fromEntries(branchesAt(db, at).map((b) => [b.id, b.parent])),
		endpoints: Object.fromEntries(
			all<{ serial: string; key: string; id: number; branch: string }>(
				db,
				`SELECT e.serial, e.key, e.id, sp.branch_id AS branch FROM endpoints e JOIN endpoint_spots sp ON sp.endpoint_id = e.id AND ${asOf('endpoint_spots sp')} WHERE sp.branch_id IS NOT NULL ORDER BY e.id`,
				{ at }
			).map((e) => [e.key, { id: String(e.id), branch: e.branch }])
		)
	};
}
