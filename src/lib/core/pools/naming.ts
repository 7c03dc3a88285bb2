/**
 * A naming pattern: plain characters and one run of `#`, which stands for a number padded with zeros to
 * that width. `bgo-br-###` gives `bgo-br-001`.
 */
export interface NamingPattern {
	prefix: string;
	width: number;
	suffix: string;
}

/** The longest name a computer account may have (the NetBIOS limit that directories keep, RFC 1001 §14). */
export const LONGEST_NAME = 15;

/** Parses a pattern, or says in words what is wrong with it. */
export function parsePattern(text: string): NamingPattern | { problem: string } {
	const match = /^([^#]*)(#+)([^#]*)$/.exec(text);
	if (!match) {
		return {
			problem: text.includes('#')
				? 'Put the # signs side by side, once.'
				: 'Add a run of # where the number goes, such as bgo-br-###.'
		};
	}
	if (text.length > LONGEST_NAME)
		return { problem: `Names would be ${text.length} characters; a computer account may have ${LONGEST_NAME}.` };
	if (!/^[a-z0-9-]*$/.test(match[1]! + match[3]!))
		return { problem: 'Use small letters, digits and hyphens only: the name is a host name as well.' };
	if (match[1]!.startsWith('-') || match[3]!.endsWith('-'))
		return { problem: 'A host name can neither start nor end with a hyphen.' };
	return { prefix: match[1]!, width: match[2]!.length, suffix: match[3]! };
}

/** The name with number `n`. Throws RangeError when the number does not fit the width. */
export function nameAt(pattern: NamingPattern, n: number): string {
	const digits = String(n);
	if (digits.length > pattern.width) throw new RangeError(`number ${n} does not fit ${pattern.width} digits`);
	return pattern.prefix + digits.padStart(pattern.width, '0') + pattern.suffix;
}

/** The number in a name that the pattern could have made, or null. Inverse of `nameAt`. */
export function numberIn(pattern: NamingPattern, name: string): number | null {
	if (!name.startsWith(pattern.prefix) || !name.endsWith(pattern.suffix)) return null;
	const digits = name.slice(pattern.prefix.length, name.length - pattern.suffix.length);
	return digits.length === pattern.width && /^\d+$/.test(digits) ? Number(digits) : null;
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
	const last = 10 ** pattern.width - 1;
	for (let n = from; n <= last && plan.names.length < count; n++) {
		const name = nameAt(pattern, n);
		const holder = taken.get(name);
		if (holder === undefined) plan.names.push(name);
		else plan.clashes.push({ name, with: holder });
	}
	plan.short = count - plan.names.length;
	return plan;
}
