import { HOUR } from '$lib/core/time/units';
import type { Caller } from '../identity/caller';
import { all, one, type Db } from '../db';
import { insertRow } from '../db/rows';

/** Whoever has said why may look at what somebody reached for so long, ms. */
export const LOOK_LASTS = HOUR;

/** Somebody said why they look at what somebody reached. */
export interface ActivityLook {
	id: number;
	person: string;
	login: string;
	/** Null: it was a program. */
	operator: number | null;
	by: string;
	why: string;
	at: number;
	ends: number;
}

const LOOKS = `SELECT l.id, p.name AS person, p.login, l.operator_id AS operator, l.by, l.why, l.at, l.ends FROM activity_looks l JOIN people p ON p.id = l.person_id`;

/** Every look up to a moment, the latest first. */
export const looksAt = (db: Db, at: number, most: number, login?: string): ActivityLook[] =>
	all(
		db,
		`${LOOKS} WHERE l.at <= @at ${login === undefined ? '' : 'AND p.login = @login'} ORDER BY l.at DESC, l.id DESC LIMIT @most`,
		{ at, login, most }
	);

/** Writes down that somebody looks, and why. */
export const noteLook = (
	db: Db,
	look: { person: number; operator: number | null; by: string; why: string; at: number }
): void =>
	void insertRow(db, 'activity_looks', {
		person_id: look.person,
		operator_id: look.operator,
		by: look.by,
		why: look.why,
		at: look.at,
		ends: look.at + LOOK_LASTS
	});

/** What lets a caller look at somebody now; null: they have not said why, or too long ago. */
export const openLook = (
	db: Db,
	login: string,
	caller: Pick<Caller, 'kind' | 'id' | 'name'>,
	now: number
): ActivityLook | null =>
	one<ActivityLook>(
		db,
		`${LOOKS} WHERE p.login = @login AND l.at <= @now AND l.ends > @now AND ${caller.kind === 'operator' ? 'l.operator_id = @id' : 'l.operator_id IS NULL AND l.by = @name'}
		 ORDER BY l.at DESC LIMIT 1`,
		{ login, now, id: caller.id, name: caller.name }
	) ?? null;
