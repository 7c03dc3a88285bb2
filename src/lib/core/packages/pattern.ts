/**
 * Patterns of paths, as people write them: `**` stands for any folders, `*` for anything within one, `?` for one character,
 * `[a-z]` for one of some (`[!a-z]` for one of no such), `{a,b}` for either. Matched part by part with two pointers, so that the
 * time is at most the pattern's length times the path's, whatever the pattern: a regular expression made of a dozen stars would
 * take for ever.
 */

/** Longer patterns, and such that stand for more than so many by their braces, are refused. */
export const PATTERN_MOST = 500;
const ALTERNATIVES_MOST = 64;

type Piece =
	| { kind: 'star' }
	| { kind: 'any' }
	| { kind: 'char'; char: string }
	| { kind: 'class'; not: boolean; ranges: [string, string][] };
type Part = '**' | Piece[];

/**
 * What is wrong with a pattern, or null.
 * @param pattern as it was typed
 */
export function wrongWithPattern(pattern: string): string | null {
	if (pattern === '') return 'Write a pattern.';
	if (pattern.length > PATTERN_MOST) return `At most ${PATTERN_MOST} characters.`;
	if (alternatives(pattern) === null) return `Its braces stand for more than ${ALTERNATIVES_MOST} patterns.`;
	return null;
}

/** A test of whole paths by a pattern; one that is refused fits nothing. Capitals count; a dot is a character as any other. */
export function pathMatcher(pattern: string): (path: string) => boolean {
	if (wrongWithPattern(pattern) !== null) return () => false;
	const compiled = alternatives(pattern)!.map((text) =>
		text
			.split('/')
			.map((part): Part => (part === '**' ? '**' : piecesOf(part)))
			.filter((part, i, all) => part !== '**' || all[i - 1] !== '**')
	);
	return (path) => {
		const parts = path.split('/');
		return compiled.some((pieces) => partsFit(pieces, parts));
	};
}

/** The patterns without braces that one with braces stands for; null when they are too many. */
function alternatives(pattern: string): string[] | null {
	let done: string[] = [''];
	let rest = pattern;
	for (;;) {
		const open = rest.indexOf('{');
		const close = open < 0 ? -1 : rest.indexOf('}', open);
		if (close < 0) return done.map((d) => d + rest);
		const before = rest.slice(0, open);
		const options = rest.slice(open + 1, close).split(',');
		if (done.length * options.length > ALTERNATIVES_MOST) return null;
		done = done.flatMap((d) => options.map((o) => d + before + o));
		rest = rest.slice(close + 1);
	}
}

function piecesOf(part: string): Piece[] {
	const chars = [...part];
	const pieces: Piece[] = [];
	for (let i = 0; i < chars.length; i++) {
		const c = chars[i]!;
		if (c === '*') {
			if (pieces.at(-1)?.kind !== 'star') pieces.push({ kind: 'star' });
		} else if (c === '?') pieces.push({ kind: 'any' });
		else if (c === '\\' && i + 1 < chars.length) pieces.push({ kind: 'char', char: chars[++i]! });
		else if (c === '[') {
			const close = chars.indexOf(']', i + 2);
			if (close < 0) pieces.push({ kind: 'char', char: c });
			else {
				pieces.push(classOf(chars.slice(i + 1, close)));
				i = close;
			}
		} else pieces.push({ kind: 'char', char: c });
	}
	return pieces;
}

function classOf(chars: string[]): Piece {
	const not = chars[0] === '!' || chars[0] === '^';
	const within = not ? chars.slice(1) : chars;
	const ranges: [string, string][] = [];
	for (let i = 0; i < within.length; i++) {
		if (within[i + 1] === '-' && i + 2 < within.length) {
			ranges.push([within[i]!, within[i + 2]!]);
			i += 2;
		} else ranges.push([within[i]!, within[i]!]);
	}
	return { kind: 'class', not, ranges };
}

const pieceFits = (piece: Piece, char: string): boolean => {
	if (piece.kind === 'char') return piece.char === char;
	if (piece.kind === 'class') return piece.ranges.some(([from, to]) => char >= from && char <= to) !== piece.not;
	return true;
};

/** Two pointers and one point to come back to: what follows the last star is tried one step further each time. */
function fits<P, T>(
	pattern: readonly P[],
	text: readonly T[],
	isStar: (p: P) => boolean,
	one: (p: P, t: T) => boolean
) {
	let [p, t, star, from] = [0, 0, -1, 0];
	while (t < text.length) {
		if (p < pattern.length && isStar(pattern[p]!)) {
			star = p++;
			from = t;
		} else if (p < pattern.length && one(pattern[p]!, text[t]!)) {
			p++;
			t++;
		} else if (star >= 0) {
			p = star + 1;
			t = ++from;
		} else return false;
	}
	while (p < pattern.length && isStar(pattern[p]!)) p++;
	return p === pattern.length;
}

const partFits = (pieces: Piece[], part: string): boolean =>
	fits(pieces, [...part], (p) => p.kind === 'star', pieceFits);

const partsFit = (pattern: readonly Part[], parts: readonly string[]): boolean =>
	fits(
		pattern,
		parts,
		(p) => p === '**',
		(p, part) => p !== '**' && partFits(p, part)
	);
