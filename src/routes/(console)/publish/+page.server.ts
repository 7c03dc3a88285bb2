import { FOREVER } from '$lib/core/time/units';
import { teamsAbove, whoGetsWhat } from '$lib/server/access/circumstances';
import { hoursById } from '$lib/server/capacity/queries';
import { bootServersOf } from '$lib/server/capacity/writes';
import { all } from '$lib/server/db';
import { linesAt } from '$lib/server/images/queries';
import { asKnown, lookOf } from '$lib/server/moment';
import { narrow, unusedTerms } from '$lib/core/scope/scope';
import { publishingAt } from '$lib/server/publishing/narrowed';
import { publicationsAt } from '$lib/server/publishing/queries';
import { poolCounts } from '$lib/server/watch/queries';
import { runtime } from '$lib/server/runtime';

export const load = async ({ url, depends }) => {
	depends('sextant:live');
	const { db, clock, providers } = runtime();
	const look = lookOf(url, clock);
	const at = asKnown(look);
	const counts = poolCounts(db, at);
	const unmade = all<{ pool: string; name: string; reason: string }>(
		db,
		'SELECT pool_id AS pool, name, reason FROM unmade_machines ORDER BY pool_id, name'
	);
	const { pools, publications, grants, poolOf, left } = publishingAt(db, look.scope, at);
	const inUse = new Map(
		all<{ id: string; n: number }>(
			db,
			'SELECT publication_id AS id, count(DISTINCT person_id) AS n FROM sessions WHERE since <= ?1 AND until > ?1 GROUP BY 1',
			{ 1: at }
		).map((r) => [r.id, r.n])
	);
	const who = whoGetsWhat(
		db,
		at,
		publications.map((p) => ({ id: p.id, name: p.internalName }))
	);
	const above = teamsAbove(db);
	const teams = narrow(look.scope, who.teams, { team: (t) => above.get(t.id) ?? [] }, (t) => t.name);
	return {
		left: unusedTerms(...left, teams.left),
		pools: pools.map((p) => ({
			id: p.id,
			name: p.name,
			siteName: p.siteName,
			line: p.line,
			version: p.version,
			assignment: p.assignment,
			perMachine: p.perMachine,
			...(counts.get(p.id) ?? { machines: 0, up: 0, sessions: 0 }),
			unmade: unmade.filter((u) => u.pool === p.id)
		})),
		publications: publications.map((p) => ({
			...p,
			served: p.pools.map((id) => ({ id, name: poolOf.get(id)?.name ?? id })),
			grants: grants.filter((g) => g.publication === p.id).length,
			people: who.publications.find((w) => w.id === p.id)?.people ?? 0,
			inUse: inUse.get(p.id) ?? 0
		})),
		who: {
			...who,
			teams: look.scope.terms.some((t) => t.type === 'facet' && t.facet === 'team') ? teams.items : who.teams
		},
		choices: {
			sites: all<{ id: string; name: string }>(db, 'SELECT id, name FROM sites ORDER BY position'),
			networks: all<{ id: string; site: string; range: string }>(db, 'SELECT id, site_id AS site, range FROM networks'),
			folders: all<{ name: string }>(db, 'SELECT name FROM folders ORDER BY name').map((f) => f.name),
			lines: linesAt(db, at).map((l) => ({
				id: l.id,
				users: l.users,
				versions: l.versions.map((v) => ({ number: v.number, held: v.held })).reverse()
			})),
			hours: [...hoursById(db).keys()],
			bootServers: bootServersOf(db),
			existing: look.live ? await providers.compute.existing() : [],
			pools: all<{ id: string; name: string }>(db, `SELECT id, name FROM pools WHERE until = ${FOREVER} ORDER BY name`),
			teams: all<{ id: string; name: string }>(db, 'SELECT id, name FROM teams ORDER BY name')
		},
		make: url.searchParams.get('make'),
		edit: publicationsAt(db, at).find((p) => p.id === url.searchParams.get('edit')) ?? null
	};
};
