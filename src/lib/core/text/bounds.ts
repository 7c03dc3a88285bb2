import { Lexer, Parser } from 'yaml';

/** What a text may hold at most, before anything is made of it. */
export interface Bounds {
	characters: number;
	/** How deep lists and objects may lie in each other. */
	depth: number;
	/** Values, keys, brackets and the like, all counted. */
	nodes: number;
	/** Whether a YAML text may have anchors, which the library then counts as it makes values of them. */
	anchors?: boolean;
}

const beyond = {
	characters: (most: number) => `it has more than ${most} characters`,
	depth: (most: number) => `lists and objects lie more than ${most} deep in each other`,
	nodes: (most: number) => `it has more than ${most} values`
};

/**
 * What of a JSON text is beyond its bounds, in words, or null. Reads each character once and keeps a number alone, so that nothing that
 * is sent can take more time or memory than its length; whether it is JSON at all is not looked at.
 */
export function jsonBeyond(text: string, bounds: Bounds): string | null {
	if (text.length > bounds.characters) return beyond.characters(bounds.characters);
	let depth = 0;
	let nodes = 0;
	for (let i = 0; i < text.length; i++) {
		const c = text.charCodeAt(i);
		if (c === 34) {
			// To the end of the string: a backslash takes the next character with it.
			for (i++; i < text.length && text.charCodeAt(i) !== 34; i++) if (text.charCodeAt(i) === 92) i++;
			nodes++;
		} else if (c === 91 || c === 123) {
			nodes++;
			if (++depth > bounds.depth) return beyond.depth(bounds.depth);
		} else if (c === 93 || c === 125) depth--;
		else if (c === 44) nodes++;
		if (nodes > bounds.nodes) return beyond.nodes(bounds.nodes);
	}
	return null;
}

/**
 * What of a YAML text is beyond its bounds, in words, or null. The library's own lexer and parser are fed token by token, which takes no
 * recursion, and are stopped at the bound; anchors and what they stand for are
 * refused where they are not asked for, since a few lines of them are worth gigabytes.
 */
export function yamlBeyond(text: string, bounds: Bounds): string | null {
	if (text.length > bounds.characters) return beyond.characters(bounds.characters);
	const parser = new Parser();
	let nodes = 0;
	for (const lexeme of new Lexer().lex(text)) {
		if (bounds.anchors !== true && (lexeme[0] === '&' || lexeme[0] === '*'))
			return `it has an anchor, ${lexeme.slice(0, 20)}: write out what it stands for`;
		for (const token of parser.next(lexeme)) if (token.type === 'doc-end') nodes++;
		if (++nodes > bounds.nodes * 4) return beyond.nodes(bounds.nodes);
		// Each level takes two on the parser's stack at most: the collection, and what is being read in it.
		if (parser.stack.length > bounds.depth + 2) return beyond.depth(bounds.depth);
	}
	return null;
}
