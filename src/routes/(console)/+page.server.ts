import { cellsAt } from '$lib/server/watch/queries';
import { needsAt } from '$lib/server/today/queries';
import { asKnown, lookOf } from '$lib/server/moment';
import { all } from '$lib/server/db';
import { clockWords } from '$lib/core/time/zone';
import { runtime } from '$lib/server/runtime';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db, clock } = runtime();
	const look = lookOf(url, clock);
	const at = asKnown(look);
	const pools = cellsAt(db, look.scope, at);
	const people = new Map(
		all<{ site: string; n: number }>(
			db,
			'SELECT m.site_id AS site, count(DISTINCT s.person_id) AS n FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE s.since <= ? AND s.until > ? GROUP BY 1',
			[at, at]
		).map((r) => [r.site, r.n])
	);
	const sites = all<{ id: string; name: string; time_zone: string }>(
		db,
		'SELECT id, name, time_zone FROM sites ORDER BY position'
	)
		.map((s) => ({
			id: s.id,
			name: s.name,
			clock: clockWords(s.time_zone, at),
			people: people.get(s.id) ?? 0,
			pools: pools.filter((p) => p.site === s.id)
		}))
		.filter((s) => s.pools.length);
	return { needs: needsAt(db, look.scope, at), sites, narrowed: look.scope.terms.length > 0 };
};
