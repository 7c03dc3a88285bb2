import { dictionary } from '@zxcvbn-ts/language-common';
import { setting, type Db } from '../db';

/** How long a password that somebody chooses is. Longer ones are not looked at: hashing takes as long as what is hashed. */
export const PASSWORD = { least: 10, most: 200 } as const;

/** Passwords that are tried first everywhere, from lists of those that have leaked; as far as they would be long enough here, in small letters. */
const known: ReadonlySet<string> = new Set(
	dictionary['passwords-common'].filter((p) => String(p).length >= PASSWORD.least).map((p) => String(p).toLowerCase())
);

/**
 * Whether a password is one that everybody tries first (OWASP ASVS 5.0.0, 6.2.4): as it is, in other letters, or with a few digits and signs around it.
 */
function isCommon(password: string): boolean {
	const small = password.toLowerCase();
	const bare = small.replace(/^\P{L}{0,20}/u, '').replace(/\P{L}{0,20}$/u, '');
	return known.has(small) || known.has(bare) || new Set(small).size <= 2;
}

/** Whoever knows whose password it is tries these first: their names, the estate's, and ours. Fewer letters than this besides them are not enough. */
const LETTERS_BESIDE = 4;

/** The words that whoever knows an account tries first (OWASP ASVS 5.0.0, 6.2.11): of its login and name, of the estate, and of the program. */
export const wordsAbout = (db: Db, who: { login: string; name: string }): string[] =>
	[who.login, who.name, setting(db, 'estate') ?? '', setting(db, 'domain') ?? '', 'sextant', 'password']
		.flatMap((text) => text.toLowerCase().split(/[^\p{L}\p{M}]/u))
		.filter((word) => word.length >= 3);

/** Whether a password is made of such words, digits and signs, and of next to nothing else. */
function isAbout(password: string, words: readonly string[]): boolean {
	let rest = password.toLowerCase();
	for (const word of [...words].sort((a, b) => b.length - a.length)) rest = rest.replaceAll(word, ' ');
	const letters = (text: string) => [...text.matchAll(/\p{L}/gu)].length;
	return letters(rest) < LETTERS_BESIDE && letters(rest) < letters(password);
}

/** What is wrong with a password that somebody chooses; null: nothing. `about`: words that are tried first for this account. */
export function passwordProblem(password: string, about: readonly string[] = []): 'length' | 'common' | null {
	if (password.length < PASSWORD.least || password.length > PASSWORD.most) return 'length';
	return isCommon(password) || isAbout(password, about) ? 'common' : null;
}

/** The same in words; null: nothing. */
export function passwordWords(password: string, about: readonly string[] = []): string | null {
	const problem = passwordProblem(password, about);
	if (problem === null) return null;
	return problem === 'length'
		? `From ${PASSWORD.least} to ${PASSWORD.most} characters.`
		: 'This is among the passwords that everybody tries first: choose another.';
}
