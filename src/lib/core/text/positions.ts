import type { Document, LineCounter } from 'yaml';

/** A position in a text: lines and columns count from 1. */
export interface Position {
	line: number;
	column: number;
}

/** Where the deepest part of `path` that there is stands in a YAML text. */
export function positionOf(document: Document, lines: LineCounter, path: readonly (string | number)[]): Position {
	for (let depth = path.length; depth >= 0; depth--) {
		const node = document.getIn(path.slice(0, depth), true) as { range?: [number, number, number] } | undefined;
		if (node?.range) {
			const { line, col } = lines.linePos(node.range[0]);
			return { line, column: col };
		}
	}
	return { line: 1, column: 1 };
}
