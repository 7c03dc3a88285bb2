import { CHECKS, type CheckName } from '$lib/core/diagnosis/checks';
import { facetValues } from '$lib/core/scope/scope';
import { DAY } from '$lib/core/time/units';
import { all } from '$lib/server/db';
import { asKnown, lookOf } from '$lib/server/moment';
import { needsAt } from '$lib/server/today/queries';
import { runtime } from '$lib/server/runtime';
import { connectionsOf, failedConnections } from '$lib/server/watch/queries';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db, clock } = runtime();
	const look = lookOf(url, clock);
	const at = asKnown(look);
	const sites = facetValues(look.scope, 'site');
	const pools = facetValues(look.scope, 'pool');
	const persons = facetValues(look.scope, 'person');
	const failing = all<{
		machine: string;
		pool: string;
		site: string;
		name: CheckName;
		since: number;
		saw: string;
		sessions: number;
	}>(
		db,
		`SELECT m.name AS machine, m.pool_id AS pool, m.site_id AS site, f.name, f.since, f.saw,
		 (SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.since <= ?1 AND s.until > ?1) AS sessions
		 FROM failing_checks f JOIN machines m ON m.id = f.machine_id WHERE f.since <= ?1 AND f.until > ?1 ORDER BY f.since`,
		{ 1: at }
	).filter((f) => (!sites || sites.includes(f.site)) && (!pools || pools.includes(f.pool)));
	const gateway = failing.filter((f) => f.name === 'gateway');
	const person =
		persons?.length === 1
			? all<{ id: number; name: string }>(db, 'SELECT id, name FROM people WHERE login = ?', [persons[0]])[0]
			: undefined;
	const failed = person ? connectionsOf(db, person.id, at, 60) : failedConnections(db, at - DAY, at, 60);
	return {
		unusable: failing.filter((f) => f.name !== 'gateway'),
		behindGateway: [...new Set(gateway.map((g) => g.saw))].map((saw) => ({
			saw,
			machines: gateway.filter((g) => g.saw === saw).length,
			since: Math.min(...gateway.filter((g) => g.saw === saw).map((g) => g.since))
		})),
		tally: CHECKS.map((name) => ({ name, n: failing.filter((f) => f.name === name).length })),
		findings: needsAt(db, look.scope, at).filter((n) => n.key.startsWith('finding-')),
		person: person?.name ?? null,
		connections: failed,
		repairs: all<{
			id: number;
			title: string;
			state: string;
			ended: number | null;
			result: string | null;
			error: string | null;
		}>(
			db,
			`SELECT id, title, state, ended, result, error FROM jobs WHERE kind = 'runbook.run' AND made_at <= ? ORDER BY id DESC LIMIT 8`,
			[at]
		).map((j) => ({ ...j, result: j.result ? (JSON.parse(j.result) as Record<string, string>) : {} }))
	};
};
