import { Secret, TOTP } from 'otpauth';
import { one, run, type Db } from '../db';
import type { Vault } from '../vault';
import { throttleOf } from './attempts';
import type { Caller, FactorOwner } from './caller';
import { countPasskeys } from './passkeys';
import { signInPolicy } from './portal';
import { looksLikeRecovery, useRecoveryCode } from './recovery';

/** Whose second factor a caller may see to: their own; null for a token, whose number is no operator's. */
export const factorOwner = (caller: Caller | null): FactorOwner | null =>
	caller?.kind === 'operator' || caller?.kind === 'person' ? { kind: caller.kind, id: caller.id } : null;

/** Where second factors are kept, and what opens their secrets. */
export interface FactorStore {
	db: Db;
	vault: Vault;
}

interface FactorRow {
	/** Sealed. */
	factor_secret: string | null;
	factor_on: number;
	/** The time step of the last code that was used. */
	factor_last: number;
}

const TABLE = {
	operator: { name: 'operators', key: 'id' },
	person: { name: 'person_factors', key: 'person_id' }
} as const;

/** What a secret is sealed for: it opens for its owner only. */
const about = (who: FactorOwner) => `second factor of ${who.kind} ${who.id}`;
const SEALED = 'sealed:';

const rowOf = (db: Db, who: FactorOwner): FactorRow | undefined =>
	one<FactorRow>(
		db,
		`SELECT factor_secret, factor_on, factor_last FROM ${TABLE[who.kind].name} WHERE ${TABLE[who.kind].key} = ?`,
		[who.id]
	);

const write = (db: Db, who: FactorOwner, row: FactorRow): void =>
	void run(
		db,
		`UPDATE ${TABLE[who.kind].name} SET factor_secret = ?, factor_on = ?, factor_last = ? WHERE ${TABLE[who.kind].key} = ?`,
		[row.factor_secret, row.factor_on, row.factor_last, who.id]
	);

const open = (store: FactorStore, who: FactorOwner, secret: string | null): string | null =>
	secret === null ? null : store.vault.open(secret.slice(SEALED.length), about(who));

/** Seals what an earlier version kept in clear. */
export function sealFactors(store: FactorStore): void {
	for (const kind of ['operator', 'person'] as const) {
		const { name, key } = TABLE[kind];
		for (const row of store.db
			.prepare(`SELECT ${key} AS id, factor_secret AS secret FROM ${name} WHERE factor_secret IS NOT NULL`)
			.all() as { id: number; secret: string }[])
			if (!row.secret.startsWith(SEALED))
				run(store.db, `UPDATE ${name} SET factor_secret = ? WHERE ${key} = ?`, [
					SEALED + store.vault.seal(row.secret, about({ kind, id: row.id })),
					row.id
				]);
	}
}

/** Whether an app gives codes for somebody. */
export const hasApp = (db: Db, who: FactorOwner): boolean => rowOf(db, who)?.factor_on === 1;

/** Whether somebody has a second factor: an app that gives codes, or a passkey, as long as those are taken. */
export const hasFactor = (db: Db, who: FactorOwner): boolean =>
	hasApp(db, who) || ((who.kind === 'operator' || signInPolicy(db).passkeys) && countPasskeys(db, who) > 0);

/** Takes away everything by which somebody shows who they are beside their password; within a transaction. */
export function forgetFactors(db: Db, person: number): void {
	for (const table of ['person_factors', 'passkeys', 'recovery_codes'])
		run(db, `DELETE FROM ${table} WHERE person_id = ?`, [person]);
}

/** The same of an operator; within a transaction. */
export function forgetOperatorFactors(db: Db, operator: number): void {
	run(db, 'UPDATE operators SET factor_secret = NULL, factor_on = 0, factor_last = 0 WHERE id = ?', [operator]);
	for (const table of ['operator_passkeys', 'operator_recovery_codes'])
		run(db, `DELETE FROM ${table} WHERE operator_id = ?`, [operator]);
}

/** A new secret, not in force until a code of it was given. One that is in force stays. */
export function beginFactor(store: FactorStore, who: FactorOwner, login: string): { secret: string; uri: string } {
	const { db } = store;
	if (who.kind === 'person') run(db, 'INSERT OR IGNORE INTO person_factors(person_id) VALUES (?)', [who.id]);
	const secret = new Secret({ size: 20 });
	if (!hasApp(db, who))
		write(db, who, {
			factor_secret: SEALED + store.vault.seal(secret.base32, about(who)),
			factor_on: 0,
			factor_last: 0
		});
	return { secret: secret.base32, uri: new TOTP({ issuer: 'Sextant', label: login, secret }).toString() };
}

/** Switches the second factor on once a right code is given. */
export function confirmFactor(store: FactorStore, who: FactorOwner, code: string): boolean {
	const row = rowOf(store.db, who);
	if (!row || row.factor_on) return false;
	const step = codeStep(open(store, who, row.factor_secret), code);
	if (step === null) return false;
	write(store.db, who, { ...row, factor_on: 1, factor_last: step });
	return true;
}

/**
 * Takes a code, of the app or a recovery code, which counts once: one that was seen over a shoulder is of no use. Each is counted before it is looked at, and after
 * too many none is taken for a while.
 */
export function useCode(store: FactorStore, who: FactorOwner, code: string): 'right' | 'wrong' | 'too many' {
	const { db } = store;
	const guess = throttleOf(db).begin({ account: `factor/${who.kind}/${who.id}`, address: null });
	if ('outcome' in guess) return 'too many';
	if (looksLikeRecovery(code)) {
		if (!useRecoveryCode(db, who, code, Date.now())) return 'wrong';
		guess.right();
		return 'right';
	}
	const row = rowOf(db, who);
	const step = row?.factor_on ? codeStep(open(store, who, row.factor_secret), code) : null;
	if (step === null || step <= row!.factor_last) return 'wrong';
	// Two requests with one code: only the first finds the step that it knew.
	const used = run(
		db,
		`UPDATE ${TABLE[who.kind].name} SET factor_last = ? WHERE ${TABLE[who.kind].key} = ? AND factor_last < ?`,
		[step, who.id, step]
	);
	if (used.changes === 0) return 'wrong';
	guess.right();
	return 'right';
}

/** Switches the second factor off, given a right code. */
export function dropFactor(store: FactorStore, who: FactorOwner, code: string): ReturnType<typeof useCode> {
	const answer = useCode(store, who, code);
	if (answer === 'right') write(store.db, who, { factor_secret: null, factor_on: 0, factor_last: 0 });
	return answer;
}

/** What to say of a code that was not taken. */
export const CODE_PROBLEM = {
	wrong: 'This is not the code of this moment, or it was used already.',
	'too many': 'Too many wrong codes. Wait a few minutes, then try again.'
} as const;

/** The same, as the portal says it in its languages. */
export const CODE_SAID = { wrong: 'problem.code', 'too many': 'problem.codes' } as const;

/** The time step of a code that is right now, one step early or late allowed (RFC 6238 §5.2); null when wrong. */
function codeStep(secret: string | null, code: string): number | null {
	// As people read them out, with a space in between; the library compares bytes, and throws where characters take more than one.
	const token = code.length > 20 ? '' : code.replaceAll(/\s/g, '');
	if (secret === null || !/^[0-9]{6}$/.test(token)) return null;
	const totp = new TOTP({ secret: Secret.fromBase32(secret) });
	const delta = totp.validate({ token, window: 1 });
	return delta === null ? null : Math.floor(Date.now() / 30_000) + delta;
}
