import {
	AREAS,
	LEVELS,
	ROLES,
	readsAlone,
	rightsInPart,
	rightsOf,
	type Area,
	type Level,
	type Rights
} from '$lib/core/access/rights';
import { all, one, putSetting, setting, type Db } from '../db';
import { asOf } from '../db/intervals';
import { fromJson } from '../db/json';
import { FOREVER } from '$lib/core/time/units';

/** A role as somebody has it: one that ships, or one that was made here. */
export interface RoleNow {
	id: string;
	name: string;
	note: string;
	rights: Rights;
	made: boolean;
}

interface MadeRole {
	id: string;
	name: string;
	note: string;
	rights: string;
}

/** Only what is known to be a level of an area: whatever else stands there gives nothing. */
const readRights = (text: string): Rights =>
	Object.fromEntries(
		Object.entries(fromJson<Record<string, unknown>>('made_roles.rights', text)).filter(
			([area, level]) => AREAS.includes(area as Area) && LEVELS.includes(level as Level)
		)
	);

const made = (r: MadeRole): RoleNow => ({ ...r, rights: readRights(r.rights), made: true });
const ships = (id: (typeof ROLES)[number]): RoleNow => ({
	id,
	name: id,
	note: '',
	rights: rightsOf(id),
	made: false
});

/** The role with this id, as it is now; null where there is none. */
export function roleNow(db: Db, id: string): RoleNow | null {
	const shipped = ROLES.find((r) => r === id);
	if (shipped) return ships(shipped);
	const row = one<MadeRole>(db, `SELECT id, name, note, rights FROM made_roles WHERE id = ? AND until = ${FOREVER}`, [
		id
	]);
	return row ? made(row) : null;
}

/** Roles that were made here, as they are now, by name. */
export const madeRoles = (db: Db): RoleNow[] =>
	all<MadeRole>(db, `SELECT id, name, note, rights FROM made_roles WHERE until = ${FOREVER} ORDER BY name`).map(made);

/** What an operator is there for. */
export interface Assignment {
	id: number;
	role: string;
	/** What the role is called. */
	name: string;
	/** The part of the estate, as it is written; '' is the whole. */
	part: string;
	/** Ms UTC of the estate; null: until it is taken from them. */
	ends: number | null;
}

const IN_FORCE = `${asOf('assignments a')} AND (a.ends IS NULL OR a.ends > @at)`;

/** What an operator is there for at a moment, ms UTC: the first of them where nothing else is chosen. */
export const assignmentsOf = (db: Db, operator: number, at: number): Assignment[] =>
	all<Assignment>(
		db,
		`SELECT a.id, a.role, coalesce(r.name, a.role) AS name, a.part, a.ends FROM assignments a
		 LEFT JOIN made_roles r ON r.id = a.role AND r.until = ${FOREVER} WHERE a.operator_id = @operator AND ${IN_FORCE} ORDER BY a.id`,
		{ operator, at }
	);

/** Who has a role at a moment, by login. */
export const holdersOf = (db: Db, role: string, at: number): string[] =>
	all<{ login: string }>(
		db,
		`SELECT DISTINCT o.login FROM assignments a JOIN operators o ON o.id = a.operator_id WHERE a.role = @role AND ${IN_FORCE} ORDER BY o.login`,
		{ role, at }
	).map((o) => o.login);

/** Operators who may sign in and are owners of the whole at a moment, but for one assignment. */
export const otherOwners = (db: Db, but: number, at: number): number =>
	one<{ n: number }>(
		db,
		`SELECT count(DISTINCT o.id) AS n FROM assignments a JOIN operators o ON o.id = a.operator_id AND o.disabled = 0
		 WHERE a.role = 'owner' AND a.part = '' AND a.ends IS NULL AND a.id <> @but AND ${IN_FORCE}`,
		{ but, at }
	)!.n;

const AUDITORS = 'record for auditors alone';

/** Whether the record of who signed in, was refused or looked is read by nobody whose role changes anything. */
export const auditorsAlone = (db: Db): boolean => setting(db, AUDITORS) === 'yes';
export const setAuditorsAlone = (db: Db, alone: boolean): void => putSetting(db, AUDITORS, alone ? 'yes' : 'no');

/** As what somebody acts: a role's rights, within the part that they have it for. */
export function actingAs(
	db: Db,
	role: string,
	part: string
): { role: string; roleId: string; rights: Rights; part: string | null } | null {
	const is = roleNow(db, role);
	if (!is) return null;
	const whole = auditorsAlone(db) && !readsAlone(is.rights) ? { ...is.rights, audit: 'none' as const } : is.rights;
	return {
		role: is.name,
		roleId: is.id,
		rights: part === '' ? whole : rightsInPart(whole),
		part: part === '' ? null : part
	};
}
