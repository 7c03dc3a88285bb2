import { createHash, randomInt } from 'node:crypto';
import { one, run, type Db } from '../db';
import { insertRow } from '../db/rows';
import type { FactorOwner } from './caller';

/** Where codes are kept, and whose they are there. */
const TABLE = {
	operator: { name: 'operator_recovery_codes', key: 'operator_id' },
	person: { name: 'recovery_codes', key: 'person_id' }
} as const;

/** Without letters and digits that are taken for one another (Crockford's base 32). */
const SIGNS = '0123456789abcdefghjkmnpqrstvwxyz';
const CODES = 10;
/** 80 bits: nobody finds one by its hash. */
const LENGTH = 16;

/** What a person's is kept by has no word before it: those that were given out count on. */
const hashOf = ({ kind, id }: FactorOwner, code: string) =>
	createHash('sha256')
		.update(`${kind === 'person' ? '' : `${kind} `}${id} ${code}`)
		.digest('hex');

/** A code as it is kept, from what somebody typed: parts and letters that look alike do not matter. Null where it is none. */
function readCode(typed: string): string | null {
	if (typed.length > 60) return null;
	const plain = typed.toLowerCase().replaceAll(/[\s-]/g, '').replaceAll('o', '0').replaceAll(/[il]/g, '1');
	return plain.length === LENGTH && [...plain].every((c) => SIGNS.includes(c)) ? plain : null;
}

/** Whether what was typed has the shape of a recovery code. */
export const looksLikeRecovery = (typed: string): boolean => readCode(typed) !== null;

/** New codes for somebody, as they write them down: those that they had are over. Nobody sees them again. */
export function makeRecoveryCodes(db: Db, who: FactorOwner, at: number): string[] {
	const codes = Array.from({ length: CODES }, () =>
		Array.from({ length: LENGTH }, () => SIGNS[randomInt(SIGNS.length)]).join('')
	);
	db.transaction(() => {
		const { name, key } = TABLE[who.kind];
		run(db, `DELETE FROM ${name} WHERE ${key} = ?`, [who.id]);
		for (const code of codes)
			insertRow(db, name, { [key]: who.id, hash: hashOf(who, code), made_at: at, used_at: null });
	}).immediate();
	return codes.map((code) => code.replaceAll(/(.{4})(?=.)/g, '$1-'));
}

/** Uses a code up. Of two who give one at once, one has used it. */
export function useRecoveryCode(db: Db, who: FactorOwner, typed: string, at: number): boolean {
	const code = readCode(typed);
	if (code === null) return false;
	return (
		run(
			db,
			`UPDATE ${TABLE[who.kind].name} SET used_at = ? WHERE ${TABLE[who.kind].key} = ? AND hash = ? AND used_at IS NULL`,
			[at, who.id, hashOf(who, code)]
		).changes > 0
	);
}

/** How many codes somebody was given and has left; null where they were never given any. */
export function recoveryLeft(db: Db, who: FactorOwner): number | null {
	const row = one<{ all: number; left: number | null }>(
		db,
		`SELECT count(*) AS "all", sum(used_at IS NULL) AS left FROM ${TABLE[who.kind].name} WHERE ${TABLE[who.kind].key} = ?`,
		[who.id]
	)!;
	return row.all === 0 ? null : (row.left ?? 0);
}
