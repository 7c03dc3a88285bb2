import { hash as hashPassword, verify as verifyPassword } from '@node-rs/argon2';
import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one, run, setting, type Db } from '../db';
import { insertRow } from '../db/rows';
import { isStorage } from '../db/storage';
import { LRUCache } from 'lru-cache';
import { addChange } from '../changes';
import type { Context } from '../context';
import type { Vault } from '../vault';
import { throttleOf, type TooMany } from './attempts';
import { actingAs, assignmentsOf, type Assignment } from './assignments';
import { asRole, type Caller } from './caller';
import { hasFactor, useCode, type FactorStore } from './factor';
import { PASSWORD, passwordWords, wordsAbout } from './password';
import { signInPolicy } from './portal';
import { staffPolicy } from './staff';

/** A sign-in of a person ends after this long without use, and after this long in any case. Wall-clock time. */
const IDLE_END = 8 * HOUR;
const ABSOLUTE_END = 5 * DAY;
/** The same on a device of somebody's own, however often it is used. */
export const OWN_END = 90 * DAY;
/** On a device of somebody's own a second factor counts for so long from when it was given. */
const FACTOR_COUNTS = 12 * HOUR;

/** A hash that no password has, made once. */
let nobodys: Promise<string> | null = null;
const decoy = () => (nobodys ??= hashPassword(randomBytes(24).toString('hex')));

const sha256 = (text: string) => createHash('sha256').update(text).digest('hex');

export interface OperatorRow {
	id: number;
	login: string;
	name: string;
	/** What they are there for now. */
	assignments: Assignment[];
	factor: boolean;
	disabled: boolean;
}

/** Operators, those who may still sign in first, as they are at a moment, ms UTC of the estate. */
export const operators = (db: Db, at: number): OperatorRow[] =>
	all<{ id: number; login: string; name: string; disabled: number }>(
		db,
		'SELECT * FROM operators ORDER BY disabled, name'
	).map((o) => ({
		id: o.id,
		login: o.login,
		name: o.name,
		assignments: assignmentsOf(db, o.id, at),
		factor: hasFactor(db, { kind: 'operator', id: o.id }),
		disabled: o.disabled === 1
	}));

/** Whether a code is the one that the server printed at its first start. */
export function isFirstCode(db: Db, code: string): boolean {
	const digest = createHash('sha256').update(code).digest();
	const kept = Buffer.from(setting(db, 'first code') ?? '', 'hex');
	return kept.length === 32 && timingSafeEqual(digest, kept);
}

/**
 * Makes the first operator, an owner, given the code that the server printed: in one transaction, so that the code works once.
 * False when there is somebody already, or the code is not the one.
 */
export async function addFirstOperator(
	db: Db,
	code: string,
	who: { login: string; name: string; password: string },
	at: number
): Promise<boolean> {
	const hash = await hashPassword(who.password);
	return db
		.transaction((): boolean => {
			if (!isFirstCode(db, code)) return false;
			if (anyOperator(db)) return false;
			// One that the estate file names, and that nobody has signed in as, may be the first.
			run(
				db,
				`INSERT INTO operators(login, name, password) VALUES (?, ?, ?)
				 ON CONFLICT(login) DO UPDATE SET name = excluded.name, password = excluded.password, disabled = 0`,
				[who.login, who.name, hash]
			);
			assign(db, who.login, { role: 'owner', part: '', ends: null, by: who.name }, at);
			run(db, `DELETE FROM settings WHERE key = 'first code'`);
			addChange(db, {
				at,
				by: who.name,
				via: 'first start',
				kind: 'operator.add',
				title: `Add operator ${who.name} as owner`,
				objects: [`operator/${who.login}`],
				planId: null,
				jobId: null,
				outcome: 'done',
				undo: null
			});
			return true;
		})
		.immediate();
}

/** Gives an operator a role for a part of the estate ('' the whole), from a moment on, until another at most. Ms UTC of the estate. */
export function assign(
	db: Db,
	login: string,
	{ role, part, ends, by }: { role: string; part: string; ends: number | null; by: string },
	at: number
): void {
	const { id } = one<{ id: number }>(db, 'SELECT id FROM operators WHERE login = ?', [login])!;
	insertRow(db, 'assignments', { operator_id: id, since: at, role, part, ends, by });
}

/** Gives an operator a password, which is kept as an argon2id hash only. False when there is nobody with this login. */
export async function givePassword(db: Db, login: string, password: string): Promise<boolean> {
	const hash = await hashPassword(password);
	return run(db, 'UPDATE operators SET password = ? WHERE login = ?', [hash, login]).changes > 0;
}

export type SignInAnswer =
	| { outcome: 'in'; token: string; device: string }
	/** The password was right: with this ticket and a code it need not be given again. */
	| { outcome: 'factor needed'; ticket: string }
	| { outcome: 'no' }
	| TooMany;

/** Sign-ins whose password was right and whose code is still to come. In memory alone: they live for minutes. */
const tickets = new LRUCache<string, { operator: number; login: string }>({ max: 5000, ttl: 5 * MINUTE });

/** What a sign-in is made with. */
export interface Given {
	login: string;
	password: string;
	/** The second factor, where it is asked for. */
	code: string;
	/** From an earlier answer, in place of the password. */
	ticket: string;
	address: string;
	/** What an earlier sign-in left with this browser. */
	device: string | null;
	/** What the browser says of itself. */
	browser?: string;
}

/** Where somebody signs in, and by what they show who they are. */
export interface From {
	address: string;
	browser: string;
	shown: 'password' | 'password and code' | 'passkey';
}
const NOWHERE: From = { address: '', browser: '', shown: 'password' };

/**
 * Signs an operator in. `code` is the second factor, needed where it is switched on. Wrong login and wrong
 * password answer alike, and take alike. Guesses are counted before they are checked.
 */
export async function signInOperator(store: FactorStore, given: Given): Promise<SignInAnswer> {
	const { db } = store;
	const { login } = given;
	const guess = throttleOf(db).begin({
		account: login,
		address: given.address,
		device: knownDevice(store.vault, `operator/${login}`, given.device)
	});
	if ('outcome' in guess) return guess;
	const ticket = given.ticket ? tickets.get(sha256(given.ticket)) : undefined;
	const row = one<{ id: number; password: string }>(db, 'SELECT * FROM operators WHERE login = ? AND disabled = 0', [
		login
	]);
	// Checking nobody's password takes as long as checking a real one.
	const right =
		row !== undefined && ticket?.operator === row.id
			? true
			: given.password.length <= PASSWORD.most &&
				(await verifyPassword(row?.password ?? (await decoy()), given.password).catch(() => false));
	if (!row || !right) return { outcome: 'no' };
	const who = { kind: 'operator', id: row.id } as const;
	const asks = hasFactor(db, who);
	if (asks) {
		if (!given.code) {
			guess.right();
			const fresh = randomBytes(24).toString('base64url');
			tickets.set(sha256(fresh), { operator: row.id, login });
			return { outcome: 'factor needed', ticket: fresh };
		}
		if (useCode(store, who, given.code) !== 'right') return { outcome: 'no' };
	}
	guess.right();
	if (given.ticket) tickets.delete(sha256(given.ticket));
	return {
		outcome: 'in',
		token: beginSignIn(db, { operator: row.id }, asks, false, {
			address: given.address,
			browser: given.browser ?? '',
			shown: asks ? 'password and code' : 'password'
		}),
		device: deviceFor(store.vault, `operator/${login}`)
	};
}

/** Notes a sign-in of an operator who has shown a passkey, which counts as both factors. */
export const signInByPasskey = (db: Db, operator: number, from: Omit<From, 'shown'>): string =>
	beginSignIn(db, { operator }, true, false, { ...from, shown: 'passkey' });

/** What a browser keeps of a sign-in, so that nobody who guesses elsewhere can hold it up. It opens nothing. */
export const deviceFor = (vault: Vault, account: string): string =>
	vault.seal(`${account} ${randomBytes(12).toString('base64url')}`, 'known device');

/** The device that such a keepsake names, if it is of this account; else null. */
export function knownDevice(vault: Vault, account: string, kept: string | null): string | null {
	const [of, id] = (kept && kept.length < 500 ? vault.open(kept, 'known device') : null)?.split(' ') ?? [];
	return of === account && id ? id : null;
}

/**
 * Changes an operator's own password, given the one before. Other sign-ins of theirs end, and the change log has a line.
 * @returns null when it is done, else what is wrong and beside which field
 */
export async function changePassword(
	ctx: Pick<Context, 'db' | 'clock'>,
	caller: Caller,
	before: string,
	next: string
): Promise<{ field: 'before' | 'next'; words: string } | null> {
	const { db } = ctx;
	if (caller.kind !== 'operator') return { field: 'before', words: 'Only operators have a password here.' };
	const wrong = passwordWords(next, wordsAbout(db, caller));
	if (wrong !== null) return { field: 'next', words: wrong };
	const guess = throttleOf(db).begin({ account: `password/${caller.id}`, address: null });
	if ('outcome' in guess)
		return { field: 'before', words: `Too many attempts. Wait ${guess.waitMinutes} min, then try again.` };
	const row = one<{ password: string }>(db, 'SELECT password FROM operators WHERE id = ?', [caller.id])!;
	const right = before.length <= PASSWORD.most && (await verifyPassword(row.password, before).catch(() => false));
	if (!right) return { field: 'before', words: 'This is not the password that you have now.' };
	guess.right();
	if (before === next) return { field: 'next', words: 'It is the one that you have now.' };
	const hash = await hashPassword(next);
	db.transaction(() => {
		run(db, 'UPDATE operators SET password = ? WHERE id = ?', [hash, caller.id]);
		endOthers(db, caller);
		noteOwn(ctx, caller, 'operator.password', `${caller.name} has changed their password`);
	}).immediate();
	return null;
}

/** Ends every sign-in of a caller but the one that this request comes by. */
export function endOthers(db: Db, caller: Caller): void {
	const column = caller.kind === 'person' ? 'person_id' : 'operator_id';
	run(db, `DELETE FROM sign_ins WHERE ${column} = ? AND token <> ?`, [caller.id, caller.signIn ?? '']);
}

/** A line in the change log about what somebody did to their own account, with no plan: it touches nobody else. */
export function noteOwn(ctx: Pick<Context, 'db' | 'clock'>, caller: Caller, kind: string, title: string): void {
	addChange(ctx.db, {
		at: ctx.clock.now(),
		by: caller.name,
		via: caller.kind === 'person' ? 'portal' : 'screen',
		kind,
		title,
		objects: [`${caller.kind}/${caller.login}`],
		planId: null,
		jobId: null,
		outcome: 'done',
		undo: null
	});
}

/**
 * Notes a sign-in of a person whose password the directory has confirmed, or who has shown a passkey.
 * @param own whether it is on a device that they call their own, and may
 */
export function signInPerson(db: Db, personId: number, factor: boolean, own = false): string {
	return beginSignIn(db, { person: personId }, factor, own);
}

/** The second factor was given after the sign-in: it counts from here on. */
/** So long after somebody has shown who they are they may change how they sign in, ms. */
const LATELY = 15 * MINUTE;

/** Whether whoever is there has just shown who they are: what opens an account is not changed at a screen that was left (OWASP ASVS 5.0.0, 7.5.1). */
export const shownLately = (db: Db, caller: Caller): boolean =>
	caller.signIn !== null &&
	one(db, 'SELECT 1 FROM sign_ins WHERE token = ? AND max(began, coalesce(factor_at, 0)) > ?', [
		caller.signIn,
		Date.now() - LATELY
	]) !== undefined;

export const raiseSignIn = (db: Db, key: string): void =>
	void run(db, 'UPDATE sign_ins SET factor = 1, factor_at = ? WHERE token = ?', [Date.now(), key]);

/** In how many places somebody is signed in to the portal beside this one. */
export const signedInElsewhere = (db: Db, caller: Caller): number =>
	one<{ n: number }>(db, 'SELECT count(*) AS n FROM sign_ins WHERE person_id = ? AND token <> ?', [
		caller.id,
		caller.signIn ?? ''
	])!.n;

function beginSignIn(
	db: Db,
	who: { operator?: number; person?: number },
	factor: boolean,
	own = false,
	from: From = NOWHERE
): string {
	const token = randomBytes(32).toString('base64url');
	const now = Date.now();
	insertRow(db, 'sign_ins', {
		token: sha256(token),
		operator_id: who.operator ?? null,
		person_id: who.person ?? null,
		factor: factor ? 1 : 0,
		factor_at: factor ? now : null,
		own: own ? 1 : 0,
		began: now,
		seen: now,
		address: from.address.slice(0, 60),
		browser: from.browser.slice(0, 200),
		shown: from.shown
	});
	for (const [kept, staff] of [
		[0, 0],
		[1, 0],
		[0, 1]
	] as const) {
		const { idle, most } = lastsFor(db, kept === 1, staff === 1);
		run(db, 'DELETE FROM sign_ins WHERE own = ? AND (operator_id IS NOT NULL) = ? AND (seen < ? OR began < ?)', [
			kept,
			staff,
			now - idle,
			now - most
		]);
	}
	return token;
}

/** How long a sign-in lasts without use, and at most: longer on a device of somebody's own, for as long as that is let. Wall-clock ms. */
function lastsFor(db: Db, own: boolean, staff: boolean): { idle: number; most: number } {
	if (staff) return staffPolicy(db);
	const days = own ? signInPolicy(db).ownDays * DAY : 0;
	return days > 0 ? { idle: days, most: OWN_END } : { idle: IDLE_END, most: ABSOLUTE_END };
}

/** Whether a sign-in is still in force, by its own key: for what stays open beyond a request. */
export const isSignedIn = (db: Db, key: string, at: number): boolean => callerByKey(db, key, at) !== null;

/**
 * Who a session cookie belongs to, or null when it has ended.
 * @param active whether somebody is there: what a page asks for by itself keeps no sign-in from ending
 * @param at ms UTC of the estate: what an operator is there for comes and goes by it
 */
export function callerOfSignIn(db: Db, token: string, active: boolean, at: number): Caller | null {
	const key = sha256(token);
	const caller = callerByKey(db, key, at);
	if (caller && active) noteSeen(db, key, Date.now());
	return caller;
}

function callerByKey(db: Db, key: string, at: number): Caller | null {
	const now = Date.now();
	const row = one<{
		operator_id: number | null;
		person_id: number | null;
		assignment_id: number | null;
		factor: number;
		factor_at: number | null;
		own: number;
		began: number;
		seen: number;
	}>(db, 'SELECT * FROM sign_ins WHERE token = ?', [key]);
	if (!row) return null;
	const { idle, most } = lastsFor(db, row.own === 1, row.operator_id !== null);
	if (now - row.seen > idle || now - row.began > most) return null;
	// A device that stays signed in for weeks has not shown for weeks who holds it.
	const factor = row.factor === 1 && (row.own === 0 || now - (row.factor_at ?? row.began) < FACTOR_COUNTS);
	if (row.operator_id !== null) {
		const caller = operatorNow(db, row.operator_id, at, row.assignment_id);
		if (!caller) return null;
		const needs = !factor && staffPolicy(db).factorFor.includes(caller.roleId);
		// Until it is given they may nothing: not even read.
		return { ...caller, factor, signIn: key, ...(needs ? { needsFactor: true, rights: {} } : {}) };
	}
	const p = one<{ id: number; name: string; login: string }>(db, 'SELECT id, name, login FROM people WHERE id = ?', [
		row.person_id
	]);
	return p
		? { kind: 'person', id: p.id, name: p.name, login: p.login, ...asRole('person'), factor, signIn: key }
		: null;
}

/**
 * An operator as they are at a moment, ms UTC of the estate: by the assignment that they have chosen, while it is theirs, else by their
 * first. Null when they have been shut out or are there for nothing.
 */
function operatorNow(db: Db, id: number, at: number, chosen: number | null): Caller | null {
	const o = one<{ name: string; login: string }>(
		db,
		'SELECT name, login FROM operators WHERE id = ? AND disabled = 0',
		[id]
	);
	if (!o) return null;
	const theirs = assignmentsOf(db, id, at);
	const by = theirs.find((a) => a.id === chosen) ?? theirs[0];
	const as = by && actingAs(db, by.role, by.part);
	return as ? { kind: 'operator', id, ...o, ...as, assignment: by.id, factor: false, signIn: null } : null;
}

/** From now on an operator acts in another of their assignments at this sign-in; false where it is none of theirs. */
export function actIn(db: Db, caller: Caller, assignment: number, at: number): boolean {
	if (caller.kind !== 'operator' || !assignmentsOf(db, caller.id, at).some((a) => a.id === assignment)) return false;
	run(db, 'UPDATE sign_ins SET assignment_id = ? WHERE token = ?', [assignment, caller.signIn ?? '']);
	return true;
}

/** A full disk keeps nobody out who is in. */
function noteSeen(db: Db, key: string, now: number): void {
	try {
		run(db, 'UPDATE sign_ins SET seen = ? WHERE token = ? AND seen < ?', [now, key, now - MINUTE]);
	} catch (e) {
		if (!isStorage(e)) throw e;
	}
}

/** A sign-in as whoever made it sees it. */
export interface OwnSignIn {
	/** Stands for it in a form: says nothing of what opens it. */
	id: string;
	address: string;
	browser: string;
	shown: string;
	/** Ms UTC of the wall. */
	began: number;
	seen: number;
	here: boolean;
}

/** Where an operator is signed in, this one first, then by when each was used last. */
export const ownSignIns = (db: Db, caller: Caller): OwnSignIn[] =>
	all<Omit<OwnSignIn, 'id' | 'here'> & { token: string }>(
		db,
		'SELECT token, address, browser, shown, began, seen FROM sign_ins WHERE operator_id = ? ORDER BY token = ? DESC, seen DESC LIMIT 100',
		[caller.kind === 'operator' ? caller.id : null, caller.signIn ?? '']
	).map(({ token, ...s }) => ({ ...s, id: sha256(token), here: token === caller.signIn }));

/** Ends one of an operator’s own sign-ins; false where it is none of theirs. */
export function endOwnSignIn(db: Db, caller: Caller, id: string): boolean {
	if (caller.kind !== 'operator') return false;
	const token = all<{ token: string }>(db, 'SELECT token FROM sign_ins WHERE operator_id = ?', [caller.id])
		.map((s) => s.token)
		.find((t) => sha256(t) === id);
	return token !== undefined && run(db, 'DELETE FROM sign_ins WHERE token = ?', [token]).changes > 0;
}

/** Whose sign-ins: those of one account, or of all of its kind. */
interface Whose {
	kind: 'operator' | 'person';
	id: number | null;
}
const OF_WHOM = {
	operator: 'operator_id IS NOT NULL AND operator_id = coalesce(?, operator_id)',
	person: 'person_id IS NOT NULL AND person_id = coalesce(?, person_id)'
} as const;

/** How many sign-ins somebody, or everybody of a kind, has. */
export const signInsOf = (db: Db, { kind, id }: Whose): number =>
	one<{ n: number }>(db, `SELECT count(*) AS n FROM sign_ins WHERE ${OF_WHOM[kind]}`, [id])!.n;

/** Ends them. */
export const endSignInsOf = (db: Db, { kind, id }: Whose): void =>
	void run(db, `DELETE FROM sign_ins WHERE ${OF_WHOM[kind]}`, [id]);

/** Ends one sign-in. */
export const endSignIn = (db: Db, key: string): void => void run(db, 'DELETE FROM sign_ins WHERE token = ?', [key]);

interface TokenRow {
	id: number;
	name: string;
	role: string;
	part: string;
	used_at: number | null;
}

const TOKEN =
	'SELECT id, name, role, part, used_at FROM tokens WHERE revoked_at IS NULL AND (ends IS NULL OR ends > @at)';

function tokenNow(db: Db, row: TokenRow | undefined): Caller | null {
	const as = row && actingAs(db, row.role, row.part);
	return as
		? {
				kind: 'token',
				id: row.id,
				name: `token ${row.name}`,
				login: row.name,
				...as,
				assignment: null,
				factor: false,
				signIn: null
			}
		: null;
}

/** Who a bearer token belongs to at a moment, ms UTC of the estate, or null. */
export function callerOfToken(db: Db, token: string, at: number): Caller | null {
	const row = one<TokenRow>(db, `${TOKEN} AND hash = @hash`, { hash: sha256(token), at });
	const caller = tokenNow(db, row);
	if (caller) noteUsed(db, row!, at);
	return caller;
}

/** To the minute: a script may ask a thousand times in one. */
function noteUsed(db: Db, row: TokenRow, at: number): void {
	if (row.used_at !== null && Math.abs(at - row.used_at) < MINUTE) return;
	try {
		run(db, 'UPDATE tokens SET used_at = ? WHERE id = ?', [at, row.id]);
	} catch (e) {
		if (!isStorage(e)) throw e;
	}
}

/**
 * Who an operator, a token or a person is at a moment, by its number; null when they have been shut out, revoked, or are gone.
 * @param assignment by which an operator acts; null when it is not theirs any more. Left out: by their first.
 */
export function callerNow(
	db: Db,
	kind: Caller['kind'],
	id: number,
	at: number,
	assignment: number | null = null
): Caller | null {
	if (kind === 'operator') {
		const caller = operatorNow(db, id, at, assignment);
		return assignment === null || caller?.assignment === assignment ? caller : null;
	}
	if (kind === 'token') return tokenNow(db, one<TokenRow>(db, `${TOKEN} AND id = @id`, { id, at }));
	const p = one<{ name: string; login: string }>(db, 'SELECT name, login FROM people WHERE id = ?', [id]);
	return p ? { kind, id, ...p, ...asRole('person'), factor: false, signIn: null } : null;
}

/** A new secret for a token, and the hash to keep of it. The secret itself is shown once. */
export function newTokenSecret(): { secret: string; hash: string } {
	const secret = `sxt_${randomBytes(32).toString('base64url')}`;
	return { secret, hash: sha256(secret) };
}

/** Keeps a token by its hash. `by`: who made it, and which operator, where it was one. `at` and `ends` in ms UTC of the estate. */
export function keepToken(
	db: Db,
	token: { name: string; role: string; part: string; ends: number | null },
	hash: string,
	by: { name: string; operator: number | null },
	at: number
): void {
	insertRow(db, 'tokens', { ...token, hash, made_at: at, made_by: by.name, operator_id: by.operator });
}

export interface TokenNow {
	name: string;
	role: string;
	/** What the role is called. */
	called: string;
	part: string;
	made_at: number;
	made_by: string;
	/** The operator who made it; null where none did. */
	operator: number | null;
	ends: number | null;
	used_at: number | null;
	revoked_at: number | null;
}

/** All tokens, those that work first, newest first; never what they are made of. */
export const tokensOf = (db: Db): TokenNow[] =>
	all(
		db,
		`SELECT t.name, t.role, coalesce(r.name, t.role) AS called, t.part, t.made_at, t.made_by, t.operator_id AS operator, t.ends, t.used_at, t.revoked_at FROM tokens t
		 LEFT JOIN made_roles r ON r.id = t.role AND r.until = 9007199254740991 ORDER BY t.revoked_at IS NOT NULL, t.made_at DESC`
	);

/** The tokens that an operator has made and that work, newest first. `at`: ms UTC of the estate. */
export const ownTokens = (db: Db, caller: Caller, at: number): TokenNow[] =>
	caller.kind === 'operator'
		? tokensOf(db).filter((t) => t.operator === caller.id && t.revoked_at === null && (t.ends === null || t.ends > at))
		: [];

/** From now on a token that an operator has made opens nothing; false where it is none of theirs, or has ended. */
export const endOwnToken = (db: Db, caller: Caller, name: string, at: number): boolean =>
	caller.kind === 'operator' &&
	run(db, 'UPDATE tokens SET revoked_at = ? WHERE name = ? AND operator_id = ? AND revoked_at IS NULL', [
		at,
		name,
		caller.id
	]).changes > 0;

/** Whether there is any operator who may sign in: the first of all is welcomed. Those that an estate file names have no password at first. */
export const anyOperator = (db: Db): boolean =>
	one(db, `SELECT 1 FROM operators WHERE password <> '' LIMIT 1`) !== undefined;
