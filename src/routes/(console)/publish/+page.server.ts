import { FOREVER } from '$lib/core/time/units';
import { whoGetsWhat } from '$lib/server/access/circumstances';
import { hoursById, poolsAt } from '$lib/server/capacity/queries';
import { all } from '$lib/server/db';
import { linesAt } from '$lib/server/images/queries';
import { asKnown, lookOf } from '$lib/server/moment';
import { facetValues } from '$lib/core/scope/scope';
import { grantsAt, publicationsAt } from '$lib/server/publishing/queries';
import { runtime } from '$lib/server/runtime';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db, clock } = runtime();
	const look = lookOf(url, clock);
	const at = asKnown(look);
	const sites = facetValues(look.scope, 'site');
	const only = facetValues(look.scope, 'pool');
	const counts = new Map(
		all<{ pool: string; machines: number; up: number; sessions: number }>(
			db,
			`SELECT m.pool_id AS pool, count(*) AS machines, sum(st.state NOT IN ('off', 'failed')) AS up,
			 sum((SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.since <= ?1 AND s.until > ?1)) AS sessions
			 FROM machines m JOIN machine_states st ON st.machine_id = m.id AND st.since <= ?1 AND st.until > ?1 WHERE m.since <= ?1 AND m.until > ?1 GROUP BY 1`,
			{ 1: at }
		).map((r) => [r.pool, r])
	);
	const unmade = all<{ pool: string; name: string; reason: string }>(
		db,
		'SELECT pool_id AS pool, name, reason FROM unmade_machines ORDER BY pool_id, name'
	);
	const publications = publicationsAt(db, at);
	return {
		pools: poolsAt(db, at)
			.filter((p) => (!sites || sites.includes(p.site)) && (!only || only.includes(p.id)))
			.map((p) => ({
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
			grants: grantsAt(db, at).filter((g) => g.publication === p.id).length
		})),
		who: whoGetsWhat(
			db,
			at,
			publications.map((p) => ({ id: p.id, name: p.internalName }))
		),
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
			pools: all<{ id: string; name: string }>(db, `SELECT id, name FROM pools WHERE until = ${FOREVER} ORDER BY name`),
			teams: all<{ id: string; name: string }>(db, 'SELECT id, name FROM teams ORDER BY name')
		},
		make: url.searchParams.get('make')
	};
};
