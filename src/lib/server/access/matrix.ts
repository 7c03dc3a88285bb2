import {
	whoGetsWhat,
	whyInMatrix,
	type Matrix,
	type MatrixGrant,
	type MatrixPerson,
	type MatrixTeam
} from '$lib/core/access/matrix';
import type { Explained } from '$lib/core/why/explained';
import { all, type Db } from '../db';
import { grantsAt } from '../publishing/queries';

const teamsOf = (db: Db): MatrixTeam[] =>
	all<MatrixTeam>(db, 'SELECT id, name, parent_id AS parent FROM teams ORDER BY name');

const peopleOf = (db: Db): MatrixPerson[] =>
	all<{ login: string; team: string; zone: string; managed: number; address: string }>(
		db,
		'SELECT p.login, p.team_id AS team, s.time_zone AS zone, p.managed, p.address FROM people p JOIN sites s ON s.id = p.site_id'
	).map((p) => ({ ...p, managed: p.managed === 1 }));

const matrixGrants = (db: Db, at: number): MatrixGrant[] =>
	grantsAt(db, at).map((g) => ({
		id: g.id,
		publication: g.publication,
		to: { kind: g.toKind, id: g.toKind === 'person' ? g.toLogin! : g.toId, name: g.toName },
		kind: g.kind,
		conditions: g.conditions
	}));

/** Teams against publications, as of a moment. */
export const matrixAt = (db: Db, at: number, publications: readonly string[]): Matrix =>
	whoGetsWhat(at, teamsOf(db), peopleOf(db), publications, matrixGrants(db, at));

/** Why a team has a publication, or has it not. */
export const whyCell = (db: Db, at: number, team: string, publication: string): Explained<boolean> =>
	whyInMatrix(team, publication, teamsOf(db), peopleOf(db), matrixGrants(db, at));
