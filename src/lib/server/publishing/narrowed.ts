import { narrow, type Scope, type Term } from '$lib/core/scope/scope';
import { type DirectoryPerson, personCalled, teamsRelated } from '../directory';
import { type PoolRow, poolsAt, versionsByPool } from '../pools';
import type { Db } from '../db';
import { type GrantRow, grantsAt, type PublicationRow, publicationsAt } from '../publications';

/** Pools and publications within a scope, found by each other and by whom the publications are granted to. */
export interface PublishingView {
	/** Their version is the one that most of their machines are on. */
	pools: PoolRow[];
	publications: PublicationRow[];
	grants: GrantRow[];
	/** All pools by id, those outside the scope included. */
	poolOf: Map<string, PoolRow>;
	/** Terms that pools and publications do not answer to. */
	left: [Term[], Term[]];
}

/** Pools and publications as they were at a moment, as far as they lie in a scope. */
export function publishingAt(db: Db, scope: Scope, at: number): PublishingView {
	const versions = versionsByPool(db, at);
	const versionsOf = (p: PoolRow) => versions.get(p.id)?.map((v) => v.version) ?? [p.version];
	const allPools = poolsAt(db, at).map((p) => ({ ...p, version: versionsOf(p)[0]! }));
	const allPublications = publicationsAt(db, at);
	const grants = grantsAt(db, at);
	const poolOf = new Map(allPools.map((p) => [p.id, p]));
	const related = teamsRelated(db, at);
	const asked = personsAsked(db, scope, at);

	const grantsOf = (p: PublicationRow) => grants.filter((g) => g.publication === p.id);
	const teamsOf = (p: PublicationRow) =>
		grantsOf(p).flatMap((g) => (g.toKind === 'team' ? (related.get(g.toId) ?? []) : []));
	// Whom it is granted to by name, and those that the scope asks about whom a team's grant reaches.
	const personsOf = (p: PublicationRow) =>
		grantsOf(p).flatMap((g) =>
			g.toKind === 'person' ? [g.toLogin!] : asked.filter((a) => a.teams.includes(g.toId)).map((a) => a.login)
		);
	const served = (of: (p: PoolRow) => string | string[]) => (p: PublicationRow) =>
		p.pools.flatMap((id) => (poolOf.has(id) ? of(poolOf.get(id)!) : []));
	const servedBy = (pool: PoolRow) => allPublications.filter((p) => p.pools.includes(pool.id));

	const pools = narrow(
		scope,
		allPools,
		{
			site: (p) => p.site,
			pool: (p) => p.id,
			line: (p) => p.line,
			version: versionsOf,
			publication: (p) => servedBy(p).map((x) => x.id),
			team: (p) => servedBy(p).flatMap(teamsOf),
			person: (p) => servedBy(p).flatMap(personsOf)
		},
		(p) => `${p.id} ${p.name}`
	);
	const publications = narrow(
		scope,
		allPublications,
		{
			publication: (p) => p.id,
			protocol: (p) => p.protocol,
			site: served((p) => p.site),
			pool: served((p) => p.id),
			line: served((p) => p.line),
			version: served(versionsOf),
			team: teamsOf,
			person: personsOf
		},
		(p) => `${p.id} ${p.name} ${p.internalName}`
	);
	return {
		pools: pools.items,
		publications: publications.items,
		grants,
		poolOf,
		left: [pools.left, publications.left]
	};
}

/** Grants within a scope: a team finds those to it, to a team above it and to one below. */
export function grantsIn(db: Db, scope: Scope, at: number): { items: GrantRow[]; left: Term[] } {
	const related = teamsRelated(db, at);
	return narrow(
		scope,
		grantsAt(db, at),
		{
			publication: (g) => g.publication,
			team: (g) => (g.toKind === 'team' ? (related.get(g.toId) ?? []) : []),
			person: (g) => g.toLogin ?? []
		},
		(g) => `${g.publication} ${g.publicationName} ${g.toName}`
	);
}

const personsAsked = (db: Db, scope: Scope, at: number): DirectoryPerson[] =>
	scope.terms
		.flatMap((t) => (t.kind === 'facet' && t.facet === 'person' ? t.values : []))
		.flatMap((login) => personCalled(db, login, at) ?? []);
