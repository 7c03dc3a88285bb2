import { Secret, TOTP } from 'otpauth';
import { one, run, type Db } from '../db';
import { noteAttempt, tooMany } from './attempts';

/** Whose second factor: an operator's, or a person's for the portal. */
export interface FactorOwner {
	kind: 'operator' | 'person';
	id: number;
}

interface FactorRow {
	factor_secret: string | null;
	factor_on: number;
	/** The time step of the last code that was used. */
	factor_last: number;
}

const TABLE = {
	operator: { name: 'operators', key: 'id' },
	person: { name: 'person_factors', key: 'person_id' }
} as const;

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

/** Whether the second factor is switched on. */
export const hasFactor = (db: Db, who: FactorOwner): boolean => rowOf(db, who)?.factor_on === 1;

/** A new secret, not in force until a code of it was given. One that is in force stays. */
export function beginFactor(db: Db, who: FactorOwner, login: string): { secret: string; uri: string } {
	if (who.kind === 'person') run(db, 'INSERT OR IGNORE INTO person_factors(person_id) VALUES (?)', [who.id]);
	const secret = new Secret({ size: 20 });
	if (!hasFactor(db, who)) write(db, who, { factor_secret: secret.base32, factor_on: 0, factor_last: 0 });
	return { secret: secret.base32, uri: new TOTP({ issuer: 'Sextant', label: login, secret }).toString() };
}

/** Switches the second factor on once a right code is given. */
export function confirmFactor(db: Db, who: FactorOwner, code: string): boolean {
	const row = rowOf(db, who);
	if (!row?.factor_secret || row.factor_on) return false;
	const step = codeStep(row.factor_secret, code);
	if (step === null) return false;
	write(db, who, { ...row, factor_on: 1, factor_last: step });
	return true;
}

/**
 * Takes a code, which counts once: one that was seen over a shoulder is of no use. Wrong ones are counted, and after
 * too many none is taken for a while.
 */
export function useCode(db: Db, who: FactorOwner, code: string): 'right' | 'wrong' | 'too many' {
	const attempt = `factor/${who.kind}/${who.id}`;
	if (tooMany(db, attempt)) return 'too many';
	const row = rowOf(db, who);
	const step = row?.factor_on ? codeStep(row.factor_secret!, code) : null;
	if (step === null || step <= row!.factor_last) {
		noteAttempt(db, attempt);
		return 'wrong';
	}
	write(db, who, { ...row!, factor_last: step });
	return 'right';
}

/** Switches the second factor off, given a right code. */
export function dropFactor(db: Db, who: FactorOwner, code: string): ReturnType<typeof useCode> {
	const answer = useCode(db, who, code);
	if (answer === 'right') write(db, who, { factor_secret: null, factor_on: 0, factor_last: 0 });
	return answer;
}

/** What to say of a code that was not taken. */
export const CODE_PROBLEM = {
	wrong: 'This is not the code of this moment, or it was used already.',
	'too many': 'Too many wrong codes. Wait ten minutes, then try again.'
} as const;

/** The time step of a code that is right now, one step early or late allowed (RFC 6238 §5.2); null when wrong. */
function codeStep(secret: string, code: string): number | null {
	const totp = new TOTP({ secret: Secret.fromBase32(secret) });
	const delta = totp.validate({ token: code.replaceAll(/\s/g, ''), window: 1 });
	return delta === null ? null : Math.floor(Date.now() / 30_000) + delta;
}
