/**
 * A naming pattern: plain characters and one run of `#` or of `@`. A run of `#` stands for a number padded with zeros to
 * that width, a run of `@` for letters counted from `a`: `desk-###` gives `desk-001`, `desk-@@` gives `desk-aa` as its first.
 */
export interface NamingPattern {
	prefix: string;
	width: number;
	suffix: string;
	/** Digits where nothing is said. */
	letters?: boolean;
}

/** The longest name a computer account may have (the NetBIOS limit that directories keep, RFC 1001 §14). */
export const LONGEST_NAME = 15;

/** Parses a pattern, or says in words what is wrong with it. */
export function parsePattern(text: string): NamingPattern | { problem: string } {
	const match = /^([^#@]*)(#+|@+)([^#@]*)$/.exec(text);
	if (!match) {
		return {
			problem: /[#@]/.test(text)
				? 'Put the # or @ signs side by side, once.'
				: 'Add a run of # where the number goes, such as desk-###, or of @ for letters.'
		};
	}
	if (text.length > LONGEST_NAME)
		return { problem: `Names would be ${text.length} characters; a computer account may have ${LONGEST_NAME}.` };
	if (!/^[a-z0-9-]*$/.test(match[1]! + match[3]!))
		return { problem: 'Use small letters, digits and hyphens only: the name is a host name as well.' };
	if (match[1]!.startsWith('-') || match[3]!.endsWith('-'))
		return { problem: 'A host name can neither start nor end with a hyphen.' };
	return {
		prefix: match[1]!,
		width: match[2]!.length,
		suffix: match[3]!,
		...(match[2]!.startsWith('@') ? { letters: true } : {})
	};
}

/** How many names a pattern can give; numbers run from 0 to one less. */
export const namesOf = (pattern: NamingPattern): number => (pattern.letters ? 26 : 10) ** pattern.width;

/** The name with number `n`; of letters, number 1 is the first. Throws RangeError when the number does not fit the width. */
export function nameAt(pattern: NamingPattern, n: number): string {
	let rest = pattern.letters ? n - 1 : n;
	if (!Number.isInteger(rest) || rest < 0 || rest >= namesOf(pattern))
		throw new RangeError(`number ${n} does not fit ${pattern.width} ${pattern.letters ? 'letters' : 'digits'}`);
	if (!pattern.letters) return pattern.prefix + String(rest).padStart(pattern.width, '0') + pattern.suffix;
	let letters = '';
	for (let i = 0; i < pattern.width; i++) {
		letters = String.fromCharCode(97 + (rest % 26)) + letters;
		rest = Math.floor(rest / 26);
	}
	return pattern.prefix + letters + pattern.suffix;
}

/** The number in a name that the pattern could have made, or null. Inverse of `nameAt`. */
export function numberIn(pattern: NamingPattern, name: string): number | null {
	if (!name.startsWith(pattern.prefix) || !name.endsWith(pattern.suffix)) return null;
	const run = name.slice(pattern.prefix.length, name.length - pattern.suffix.length);
	if (run.length !== pattern.width) return null;
	if (!pattern.letters) return /^\d+$/.test(run) ? Number(run) : null;
	return /^[a-z]+$/.test(run) ? 1 + [...run].reduce((n, c) => n * 26 + c.charCodeAt(0) - 97, 0) : null;
}

/** Names for new machines, with those passed over because something has them already. */
export interface NamesPlan {
	names: string[];
	clashes: { name: string; with: string }[];
	/** How many could not be named because the pattern ran out of numbers. */
	short: number;
}

/**
 * The next `count` free names from number `from` on. `taken` maps a name to what has it (a machine, an account
 * that the directory still knows); such names are passed over, never reused.
 */
export function planNames(
	pattern: NamingPattern,
	count: number,
	taken: ReadonlyMap<string, string>,
	from = 1
): NamesPlan {
	const plan: NamesPlan = { names: [], clashes: [], short: 0 };
	const last = namesOf(pattern) - (pattern.letters ? 0 : 1);
	for (let n = Math.max(from, pattern.letters ? 1 : 0); n <= last && plan.names.length < count; n++) {
		const name = nameAt(pattern, n);
		const holder = taken.get(name);
		if (holder === undefined) plan.names.push(name);
		else plan.clashes.push({ name, with: holder });
	}
	plan.short = count - plan.names.length;
	return plan;
}
