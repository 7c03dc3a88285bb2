import {
	whoGetsWhat,
	whyInMatrix,
	type Matrix,
	type MatrixGrant,
	type MatrixPublication
} from '$lib/core/access/matrix';
import { narrow, unusedTerms, type Scope } from '$lib/core/scope/scope';
import type { Explained } from '$lib/core/why/explained';
import type { Db } from '../db';
import { grantsAt, type PublicationRow, publicationsAt } from '../publications';
import { doorsAt, publishingAt } from '../publishing';
import { everybody, teamsAbove, teamsThen } from '../directory';

const matrixGrants = (db: Db, at: number): MatrixGrant[] =>
	grantsAt(db, at).map((g) => ({
		id: g.id,
		publication: g.publication,
		to: { kind: g.toKind, id: g.toKind === 'person' ? g.toLogin! : g.toId, name: g.toName },
		kind: g.kind,
		conditions: g.conditions
	}));

/** Teams against publications, as of a moment. */
export const matrixAt = (db: Db, at: number, publications: readonly PublicationRow[]): Matrix => {
	const door = doorsAt(db, at);
	return whoGetsWhat(
		at,
		teamsThen(db, at),
		everybody(db, at),
		publications.map((p): MatrixPublication => ({ id: p.id, door: door(p) })),
		matrixGrants(db, at)
	);
};

/** A row of who gets what: counts by publication. */
export interface MatrixRow {
	id: string;
	name: string;
	/** How deep it lies in the tree of teams. */
	depth: number;
	people: number;
	has: number[];
	now: number[];
	required: number[];
}

/** Who gets what within a scope, at a moment past or to come: of the time ahead, what stands now on that day and at that hour. */
export function matrixIn(db: Db, scope: Scope, at: number) {
	const { publications, left } = publishingAt(db, scope, at);
	const m = matrixAt(db, at, publications);
	const above = teamsAbove(db, at);
	const width = publications.length;
	const rows = m.teams.map((t, i): MatrixRow => {
		const part = (counts: Int32Array) => [...counts.subarray(i * width, (i + 1) * width)];
		return { ...t, has: part(m.has), now: part(m.now), required: part(m.required) };
	});
	const teams = narrow(scope, rows, { team: (t) => above.get(t.id) ?? [] }, (t) => t.name);
	// What a scope asks of anything but teams narrows the publications alone.
	const asksTeam = scope.terms.some((t) => t.kind === 'facet' && t.facet === 'team');
	return {
		publications: publications.map((p, i) => ({ id: p.id, name: p.internalName, shown: p.name, people: m.totals[i]! })),
		teams: asksTeam ? teams.items : rows,
		left: unusedTerms(left[1], teams.left)
	};
}

/** Why a team has a publication, or has it not. */
export function whyCell(db: Db, at: number, team: string, publication: string): Explained<boolean> {
	const p = publicationsAt(db, at).find((x) => x.id === publication);
	const column = { id: publication, door: p ? doorsAt(db, at)(p) : {} };
	return whyInMatrix(team, column, teamsThen(db, at), everybody(db, at), matrixGrants(db, at));
}
