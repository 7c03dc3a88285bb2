import { CHECKS } from '$lib/core/diagnosis/checks';
import { facetValues, narrow, termWords } from '$lib/core/scope/scope';
import { DAY } from '$lib/core/time/units';
import { personCalled, teamsAbove } from '$lib/server/people';
import { failingAt } from '$lib/server/diagnosis';
import { jobsOfKind } from '$lib/server/jobs';
import { sharedLoad } from '$lib/server/load';
import { connectionsOf, failedConnections } from '$lib/server/watch';
import { needsAt } from '$lib/server/house/needs';

export const load = sharedLoad(({ context, look, at }) => {
	const { db } = context;
	const persons = facetValues(look.scope, 'person');
	const { checks: failing, left: leftOfMachines } = failingAt(db, look.scope, at);
	const gateway = failing.filter((f) => f.name === 'gateway');
	const person = persons?.length === 1 ? personCalled(db, persons[0]!) : null;
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
			machines: leftOfMachines.map((t) => termWords(t)),
			connections: leftOfConnections.map((t) => termWords(t)),
			findings: leftOfNeeds.map((t) => termWords(t))
		},
		findings: needs.filter((n) => n.key.startsWith('finding-')),
		person: person?.name ?? null,
		narrowed: look.scope.terms.length > 0,
		connections: failed.slice(0, 60),
		moreConnections: Math.max(0, failed.length - 60),
		repairs: jobsOfKind(db, 'runbook.run', at, 8)
	};
});
