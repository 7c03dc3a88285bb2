import { dictionary } from '@zxcvbn-ts/language-common';

/** How long a password that somebody chooses is. Longer ones are not looked at: hashing takes as long as what is hashed. */
export const PASSWORD = { least: 10, most: 200 } as const;

/** Passwords that are tried first everywhere, from lists of those that have leaked; as far as they would be long enough here, in small letters. */
const known: ReadonlySet<string> = new Set(
	dictionary['passwords-common'].filter((p) => String(p).length >= PASSWORD.least).map((p) => String(p).toLowerCase())
);

/**
 * Whether a password is one that everybody tries first (OWASP ASVS 5.0.0, 6.2.4): as it is, in other letters, or with a few digits and signs around it.
 */
export function isCommon(password: string): boolean {
	const small = password.toLowerCase();
	const bare = small.replace(/^\P{L}{0,20}/u, '').replace(/\P{L}{0,20}$/u, '');
	return known.has(small) || known.has(bare) || new Set(small).size <= 2;
}

/** What is wrong with a password that somebody chooses; null: nothing. */
export function passwordProblem(password: string): 'length' | 'common' | null {
	if (password.length < PASSWORD.least || password.length > PASSWORD.most) return 'length';
	return isCommon(password) ? 'common' : null;
}

/** The same in words; null: nothing. */
export function passwordWords(password: string): string | null {
	const problem = passwordProblem(password);
	if (problem === null) return null;
	return problem === 'length'
		? `From ${PASSWORD.least} to ${PASSWORD.most} characters.`
		: 'This is among the passwords that everybody tries first: choose another.';
}
