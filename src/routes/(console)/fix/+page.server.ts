import { CHECKS } from '$lib/core/diagnosis/checks';
import { facetValues, narrow, termWords } from '$lib/core/scope/scope';
import { DAY } from '$lib/core/time/units';
import { personCalled, everybody } from '$lib/server/directory';
import { failingAt } from '$lib/server/diagnosis';
import { jobsOfKind } from '$lib/server/jobs';
import { sharedLoad } from '$lib/server/load';
import type { Db } from '$lib/server/db';
import { landingsAt } from '$lib/server/publishing';
import { shelfOf } from '$lib/server/shelf';
import { connectionsOf, failedConnections } from '$lib/server/watch';
import { needsAt } from '$lib/server/house/needs';

export const load = sharedLoad(({ context, look, at }) => {
	const { db } = context;
	const persons = facetValues(look.scope, 'person');
	const { checks: failing, left: leftOfMachines } = failingAt(db, look.scope, at);
	const gateway = failing.filter((f) => f.name === 'gateway');
	const person = persons?.length === 1 ? personCalled(db, persons[0]!, at) : null;
	let members: Map<string, readonly string[]> | null = null;
	/** The teams of somebody: only a scope with a team asks, and then for many. */
	const teamsOf = (login: string) => {
		members ??= new Map(everybody(db, at).map((p) => [p.login, p.teams]));
		return [...(members.get(login) ?? [])];
	};
	const { items: failed, left: leftOfConnections } = narrow(
		look.scope,
		person ? connectionsOf(db, person.id, at, 400) : failedConnections(db, at - DAY, at, 2000),
		{
			person: (c) => c.login,
			team: (c) => teamsOf(c.login),
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
		tries: person && !look.future ? triesOf(db, person.login, at) : [],
		narrowed: look.scope.terms.length > 0,
		connections: failed.slice(0, 60),
		moreConnections: Math.max(0, failed.length - 60),
		repairs: jobsOfKind(db, 'runbook.run', at, 8)
	};
});

/** What would come of it were somebody to open what stands on their shelf at a moment, by the rules that the broker goes by. */
function triesOf(db: Db, login: string, at: number) {
	const landing = landingsAt(db, at);
	const stands = (shelfOf(db, login, at, true) ?? []).filter(
		(p) => p.standing === 'required' || p.standing === 'fetched'
	);
	return stands.map((p) => {
		const lands = p.allowed ? landing(login, p.id) : null;
		const outcome = !p.allowed
			? { good: false, words: p.off ? 'switched off' : 'refused' }
			: lands?.value.resumes
				? { good: true, words: `on ${lands.value.resumes}, where they are` }
				: lands?.value.first
					? { good: true, words: `a machine of ${lands.value.first}` }
					: { good: false, words: lands?.value.pools.length ? 'waits for a machine' : 'nothing serves it' };
		// Of what was weighed, what decided.
		const facts = lands?.facts ?? p.why;
		const decided = facts.filter((f) =>
			outcome.good
				? f.about?.id === lands?.value.resumes || (!lands?.value.resumes && f.about?.name === lands?.value.first)
				: f.side === 'against'
		);
		return { id: p.id, name: p.name, outcome, because: decided.length ? decided : facts };
	});
}
