import { CHECKS, type CheckName } from '$lib/core/diagnosis/checks';
import { facetValues, narrow, termWords } from '$lib/core/scope/scope';
import { DAY } from '$lib/core/time/units';
import { teamsAbove } from '$lib/server/people';
import { all } from '$lib/server/db';
import { sharedLoad } from '$lib/server/load';
import { atMoment } from '$lib/server/samples/read';
import { scopeCondition } from '$lib/server/moment/scope-sql';
import { connectionsOf, failedConnections, fromOf, MACHINES } from '$lib/server/watch';
import { needsAt } from '$lib/server/house/needs';
import { fromJsonOrNull } from '$lib/server/db/json';

export const load = sharedLoad(({ context, look, at }) => {
	const { db } = context;
	const persons = facetValues(look.scope, 'person');
	const condition = scopeCondition(look.scope, 'machine');
	const failing = all<{ machine: string; name: CheckName; since: number; saw: string; sessions: number }>(
		db,
		`SELECT m.name AS machine, f.name, f.since, f.saw,
		 (SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND +s.since <= @at AND s.until > @at) AS sessions
		 FROM failing_checks f JOIN machines m ON m.id = f.machine_id WHERE f.since <= @at AND f.until > @at
		 AND m.id IN (SELECT m.id ${fromOf(MACHINES, condition.sql)} AND ${condition.sql}) ORDER BY f.since`,
		{ ...atMoment(db, at), ...condition.params }
	);
	const gateway = failing.filter((f) => f.name === 'gateway');
	const person =
		persons?.length === 1
			? all<{ id: number; name: string }>(db, 'SELECT id, name FROM people WHERE login = ?', [persons[0]])[0]
			: undefined;
	const above = teamsAbove(db);
	const { items: failed, left: leftOfConnections } = narrow(
		look.scope,
		person ? connectionsOf(db, person.id, at, 400) : failedConnections(db, at - DAY, at, 2000),
		{
			person: (c) => c.login,
			team: (c) => above.get(c.team) ?? [],
			site: (c) => c.site,
			pool: (c) => c.pool ?? [],
			machine: (c) => c.machine ?? [],
			publication: (c) => c.publication,
			gateway: (c) => c.gateway,
			protocol: (c) => c.protocol
		},
		(c) => `${c.person} ${c.login} ${c.machine ?? ''} ${c.cause.map((f) => f.words).join(' ')}`
	);
	const { needs, left: leftOfNeeds } = needsAt(db, look.scope, at);
	return {
		unusable: failing.filter((f) => f.name !== 'gateway'),
		behindGateway: [...new Set(gateway.map((g) => g.saw))].map((saw) => ({
			saw,
			machines: gateway.filter((g) => g.saw === saw).length,
			since: Math.min(...gateway.filter((g) => g.saw === saw).map((g) => g.since))
		})),
		tally: CHECKS.map((name) => ({ name, n: failing.filter((f) => f.name === name).length })),
		left: {
			machines: condition.left.map((t) => termWords(t)),
			connections: leftOfConnections.map((t) => termWords(t)),
			findings: leftOfNeeds.map((t) => termWords(t))
		},
		findings: needs.filter((n) => n.key.startsWith('finding-')),
		person: person?.name ?? null,
		narrowed: look.scope.terms.length > 0,
		connections: failed.slice(0, 60),
		moreConnections: Math.max(0, failed.length - 60),
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
		).map((j) => ({ ...j, result: fromJsonOrNull<Record<string, string>>('jobs.result', j.result) ?? {} }))
	};
});
