import * as v from 'valibot';
import { ENDPOINT_KINDS } from '$lib/core/endpoints/kinds';
import { narrow, type Scope } from '$lib/core/scope/scope';
import type { Fact } from '$lib/core/why/explained';
import { all, type Db } from '../db';
import { teamsAbove } from '../directory';
import { moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { branchCounts, endpointsAt, rulesAt, teamsOf, treeAt } from './queries';

const row = v.strictObject({
	id: whole,
	name: text,
	serial: text,
	device: v.picklist(ENDPOINT_KINDS),
	model: text,
	firmware: text,
	address: text,
	site: v.nullable(text),
	person: v.nullable(text),
	personName: v.nullable(text),
	state: v.picklist(['awake', 'asleep', 'waits']),
	since: moment,
	branch: v.nullable(text),
	branchName: v.nullable(text)
});

/** Devices of a scope at a moment. */
export function endpointsIn(db: Db, scope: Scope, at: number) {
	const tree = treeAt(db, at);
	const teams = teamsOf(db, at);
	const above = teamsAbove(db);
	const ids = new Map(
		all<{ login: string; id: number }>(db, 'SELECT login, id FROM people').map((p) => [p.login, p.id])
	);
	const rows = endpointsAt(db, at).map((e) => ({
		id: e.id,
		name: e.name,
		serial: e.serial,
		device: e.device,
		model: e.model,
		firmware: e.firmware,
		address: e.address,
		site: e.site,
		person: e.person,
		personName: e.personName,
		state: e.branch === null ? ('waits' as const) : e.state,
		since: e.stateSince,
		branch: e.branch,
		branchName: e.branch === null ? null : (tree.get(e.branch)?.name ?? e.branch)
	}));
	const asksTeams = scope.terms.some((t) => t.kind === 'facet' && t.facet === 'team');
	return narrow(
		scope,
		rows,
		{
			site: (e) => e.site ?? [],
			person: (e) => e.person ?? [],
			team: (e) =>
				asksTeams && e.person !== null ? teams(ids.get(e.person) ?? null).flatMap((t) => above.get(t) ?? [t]) : [],
			state: (e) => e.state,
			branch: (e) => (e.branch === null ? [] : tree.above(e.branch).map((b) => b.id)),
			model: (e) => e.model,
			endpoint: (e) => [e.name, e.serial]
		},
		(e) => `${e.name} ${e.serial} ${e.model} ${e.address} ${e.personName ?? ''} ${e.branchName ?? ''}`
	);
}

export const endpoints = shortList({
	name: 'endpoints',
	words: 'Devices that people sit at, where each stands and who was on it last',
	card: 'endpoint',
	row,
	rows: (db, at, scope) => endpointsIn(db, scope, at),
	called: (r) => r.name
});

const branchRow = v.strictObject({
	id: text,
	name: text,
	parent: v.nullable(text),
	site: v.nullable(text),
	endpoints: whole
});

export const branches = shortList({
	name: 'branches',
	words: 'Branches that endpoints stand in, those of branches below counted in',
	card: null,
	row: branchRow,
	rows: (db, at) => {
		const tree = treeAt(db, at);
		const counts = branchCounts(db, tree, at);
		return tree.branches.map((b) => ({ ...b, endpoints: counts.get(b.id)!.all }));
	},
	called: (b) => b.name,
	why: (db, b, at): Fact[] => {
		const counts = branchCounts(db, treeAt(db, at), at).get(b.id);
		return [
			{
				words: `${counts?.here ?? 0} stand in it, ${(counts?.all ?? 0) - (counts?.here ?? 0)} below it`,
				source: 'endpoints'
			}
		];
	}
});

export const enrolmentRules = shortList({
	name: 'enrolment-rules',
	words: 'Rules that put endpoints into branches, in the order in which they are tried',
	card: null,
	row: v.strictObject({
		id: whole,
		name: text,
		condition: text,
		into: text,
		bySite: v.boolean(),
		whom: v.picklist(['new', 'all']),
		often: v.picklist(['start', 'once']),
		deeper: v.picklist(['stay', 'move']),
		since: moment
	}),
	rows: (db, at) => rulesAt(db, at).map(({ condition: _, text: condition, ...r }) => ({ ...r, condition })),
	called: (r) => r.name,
	why: (_db, r): Fact[] => [{ words: `it holds where ${r.condition}`, source: 'enrolment rules' }]
});
