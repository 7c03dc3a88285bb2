import { createHash, randomInt } from 'node:crypto';
import { one, run, type Db } from '../db';
import { insertRow } from '../db/rows';

/** Without letters and digits that are taken for one another (Crockford's base 32). */
const SIGNS = '0123456789abcdefghjkmnpqrstvwxyz';
const CODES = 10;
/** 80 bits: nobody finds one by its hash. */
const LENGTH = 16;

const hashOf = (person: number, code: string) => createHash('sha256').update(`${person} ${code}`).digest('hex');

/** A code as it is kept, from what somebody typed: parts and letters that look alike do not matter. Null where it is none. */
function readCode(typed: string): string | null {
	if (typed.length > 60) return null;
	const plain = typed.toLowerCase().replaceAll(/[\s-]/g, '').replaceAll('o', '0').replaceAll(/[il]/g, '1');
	return plain.length === LENGTH && [...plain].every((c) => SIGNS.includes(c)) ? plain : null;
}

/** Whether what was typed has the shape of a recovery code. */
export const looksLikeRecovery = (typed: string): boolean => readCode(typed) !== null;

/** New codes for somebody, as they write them down: those that they had are over. Nobody sees them again. */
export function makeRecoveryCodes(db: Db, person: number, at: number): string[] {
	const codes = Array.from({ length: CODES }, () =>
		Array.from({ length: LENGTH }, () => SIGNS[randomInt(SIGNS.length)]).join('')
	);
	db.transaction(() => {
		run(db, 'DELETE FROM recovery_codes WHERE person_id = ?', [person]);
		for (const code of codes)
			insertRow(db, 'recovery_codes', { person_id: person, hash: hashOf(person, code), made_at: at, used_at: null });
	})();
	return codes.map((code) => code.replaceAll(/(.{4})(?=.)/g, '$1-'));
}

/** Uses a code up. Of two who give one at once, one has used it. */
export function useRecoveryCode(db: Db, person: number, typed: string, at: number): boolean {
	const code = readCode(typed);
	if (code === null) return false;
	return (
		run(db, 'UPDATE recovery_codes SET used_at = ? WHERE person_id = ? AND hash = ? AND used_at IS NULL', [
			at,
			person,
			hashOf(person, code)
		]).changes > 0
	);
}

/** How many codes somebody was given and has left; null where they were never given any. */
export function recoveryLeft(db: Db, person: number): number | null {
	const row = one<{ all: number; left: number | null }>(
		db,
		'SELECT count(*) AS "all", sum(used_at IS NULL) AS left FROM recovery_codes WHERE person_id = ?',
		[person]
	)!;
	return row.all === 0 ? null : (row.left ?? 0);
}
