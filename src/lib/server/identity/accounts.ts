import { hash as hashPassword, verify as verifyPassword } from '@node-rs/argon2';
import { createHash, randomBytes } from 'node:crypto';
import { ROLES, type Role } from '$lib/core/access/rights';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one, run, type Db } from '../db';
import { isStorage } from '../db/storage';
import { noteAttempt, tooMany, type TooMany } from './attempts';
import type { Caller } from './caller';
import { useCode } from './factor';

/** A sign-in ends after this long without use, and after this long in any case. Wall-clock time. */
const IDLE_END = 8 * HOUR;
const ABSOLUTE_END = 5 * DAY;

/** A hash that no password has, made once. */
let nobodys: Promise<string> | null = null;
const decoy = () => (nobodys ??= hashPassword(randomBytes(24).toString('hex')));

const sha256 = (text: string) => createHash('sha256').update(text).digest('hex');

export interface OperatorRow {
	id: number;
	login: string;
	name: string;
	role: Role;
	factor: boolean;
	disabled: boolean;
}

/** Operators, those who may still sign in first. */
export const operators = (db: Db): OperatorRow[] =>
	all<{ id: number; login: string; name: string; role: Role; factor_on: number; disabled: number }>(
		db,
		'SELECT * FROM operators ORDER BY disabled, name'
	).map((o) => ({
		id: o.id,
		login: o.login,
		name: o.name,
		role: o.role,
		factor: o.factor_on === 1,
		disabled: o.disabled === 1
	}));

/** Adds an operator; the password is kept as an argon2id hash only. */
export async function addOperator(db: Db, login: string, name: string, role: Role, password: string): Promise<number> {
	const hash = await hashPassword(password);
	return Number(
		run(db, 'INSERT INTO operators(login, name, role, password) VALUES (?, ?, ?, ?)', [login, name, role, hash])
			.lastInsertRowid
	);
}

export type SignInAnswer =
	{ outcome: 'in'; token: string } | { outcome: 'factor needed' } | { outcome: 'no' } | TooMany;

/**
 * Signs an operator in. `code` is the second factor, needed where it is switched on. Wrong login and wrong
 * password answer alike, and take alike.
 */
export async function signInOperator(
	db: Db,
	login: string,
	password: string,
	code: string,
	from: string
): Promise<SignInAnswer> {
	const who = `${login}@${from}`;
	const limited = tooMany(db, who);
	if (limited) return limited;
	const row = one<{ id: number; password: string; factor_on: number }>(
		db,
		'SELECT * FROM operators WHERE login = ? AND disabled = 0',
		[login]
	);
	// Checking nobody's password takes as long as checking a real one.
	const right = await verifyPassword(row?.password ?? (await decoy()), password).catch(() => false);
	if (!row || !right) {
		noteAttempt(db, who);
		return { outcome: 'no' };
	}
	if (row.factor_on) {
		if (!code) return { outcome: 'factor needed' };
		if (useCode(db, { kind: 'operator', id: row.id }, code) !== 'right') {
			noteAttempt(db, who);
			return { outcome: 'no' };
		}
	}
	return { outcome: 'in', token: beginSignIn(db, { operator: row.id }, row.factor_on === 1) };
}

/** Notes a sign-in of a person whose password the directory has confirmed. */
export function signInPerson(db: Db, personId: number, factor: boolean): string {
	return beginSignIn(db, { person: personId }, factor);
}

/** The second factor was given after the sign-in: it counts from here on. */
export const raiseSignIn = (db: Db, key: string): void =>
	void run(db, 'UPDATE sign_ins SET factor = 1 WHERE token = ?', [key]);

function beginSignIn(db: Db, who: { operator?: number; person?: number }, factor: boolean): string {
	const token = randomBytes(32).toString('base64url');
	const now = Date.now();
	run(db, 'INSERT INTO sign_ins VALUES (?, ?, ?, ?, ?, ?)', [
		sha256(token),
		who.operator ?? null,
		who.person ?? null,
		factor ? 1 : 0,
		now,
		now
	]);
	run(db, 'DELETE FROM sign_ins WHERE seen < ? OR began < ?', [now - IDLE_END, now - ABSOLUTE_END]);
	return token;
}

/** Who a session cookie belongs to, or null when it has ended. */
export function callerOfSignIn(db: Db, token: string): Caller | null {
	const now = Date.now();
	const key = sha256(token);
	const row = one<{
		operator_id: number | null;
		person_id: number | null;
		factor: number;
		began: number;
		seen: number;
	}>(db, 'SELECT * FROM sign_ins WHERE token = ?', [key]);
	if (!row || now - row.seen > IDLE_END || now - row.began > ABSOLUTE_END) return null;
	if (now - row.seen > MINUTE) noteSeen(db, key, now);
	if (row.operator_id !== null) {
		const o = one<{ id: number; name: string; login: string; role: Role }>(
			db,
			'SELECT * FROM operators WHERE id = ? AND disabled = 0',
			[row.operator_id]
		);
		return o
			? {
					kind: 'operator',
					id: o.id,
					name: o.name,
					login: o.login,
					role: o.role,
					factor: row.factor === 1,
					signIn: key
				}
			: null;
	}
	const p = one<{ id: number; name: string; login: string }>(db, 'SELECT id, name, login FROM people WHERE id = ?', [
		row.person_id
	]);
	return p
		? { kind: 'person', id: p.id, name: p.name, login: p.login, role: 'person', factor: row.factor === 1, signIn: key }
		: null;
}

/** A full disk keeps nobody out who is in. */
function noteSeen(db: Db, key: string, now: number): void {
	try {
		run(db, 'UPDATE sign_ins SET seen = ? WHERE token = ?', [now, key]);
	} catch (e) {
		if (!isStorage(e)) throw e;
	}
}

/** Ends one sign-in. */
export const endSignIn = (db: Db, key: string): void => void run(db, 'DELETE FROM sign_ins WHERE token = ?', [key]);

/** Who a bearer token belongs to, or null. */
export function callerOfToken(db: Db, token: string): Caller | null {
	const row = one<{ id: number; name: string; role: Role }>(
		db,
		'SELECT id, name, role FROM tokens WHERE hash = ? AND revoked_at IS NULL',
		[sha256(token)]
	);
	return row
		? {
				kind: 'token',
				id: row.id,
				name: `token ${row.name}`,
				login: row.name,
				role: row.role,
				factor: false,
				signIn: null
			}
		: null;
}

/** Who an operator, a token or a person is now, by its number; null when they have been shut out, revoked, or are gone. */
export function callerNow(db: Db, kind: Caller['kind'], id: number): Caller | null {
	const of = (row: { name: string; login: string; role: Role } | undefined): Caller | null =>
		row ? { kind, id, ...row, factor: false, signIn: null } : null;
	if (kind === 'operator')
		return of(one(db, 'SELECT name, login, role FROM operators WHERE id = ? AND disabled = 0', [id]));
	if (kind === 'token')
		return of(
			one(db, `SELECT 'token ' || name AS name, name AS login, role FROM tokens WHERE id = ? AND revoked_at IS NULL`, [
				id
			])
		);
	return of(one(db, `SELECT name, login, 'person' AS role FROM people WHERE id = ?`, [id]));
}

/** A new secret for a token, and the hash to keep of it. The secret itself is shown once. */
export function newTokenSecret(): { secret: string; hash: string } {
	const secret = `sxt_${randomBytes(32).toString('base64url')}`;
	return { secret, hash: sha256(secret) };
}

/** Keeps a token by its hash. */
export function keepToken(db: Db, name: string, role: Role, hash: string, by: string, at: number): void {
	run(db, 'INSERT INTO tokens(name, role, hash, made_at, made_by) VALUES (?, ?, ?, ?, ?)', [name, role, hash, at, by]);
}

/** Whether the text names a role that operators and tokens may have. */
export const isStaffRole = (text: string): text is Exclude<Role, 'person'> =>
	text !== 'person' && (ROLES as readonly string[]).includes(text);
