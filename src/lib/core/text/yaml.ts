import { isMap, isScalar, LineCounter, parseDocument, visit, type Document } from 'yaml';
import { yamlBeyond, type Bounds } from './bounds';
import type { Position } from './positions';

/** A YAML text, read; or everything that is wrong with its form, with lines and columns. */
export type ReadYaml =
	{ document: Document.Parsed; lines: LineCounter; value: unknown } | { problems: (Position & { message: string })[] };

/**
 * Reads a YAML text within bounds. A key that stands twice is named at its second position.
 * @param plain whether every scalar stays the text that was written: version 13.10 is not the number 13.1
 */
export function readYaml(text: string, bounds: Bounds, plain: boolean): ReadYaml {
	const much = yamlBeyond(text, bounds);
	if (much !== null) return { problems: [{ line: 1, column: 1, message: much }] };
	const lines = new LineCounter();
	const at = (offset: number): Position => {
		const { line, col } = lines.linePos(offset);
		return { line, column: col };
	};
	// The library compares each key of a map with each other one; a set does it below.
	const document = parseDocument(text, {
		lineCounter: lines,
		prettyErrors: false,
		uniqueKeys: false,
		...(plain ? { schema: 'failsafe' } : {})
	});
	if (document.errors.length)
		return { problems: document.errors.slice(0, 100).map((e) => ({ ...at(e.pos[0]), message: e.message })) };
	const wrong: (Position & { message: string })[] = [];
	visit(document, {
		Map(_key, node) {
			if (!isMap(node)) return;
			const seen = new Set<string>();
			for (const { key } of node.items) {
				if (!isScalar(key)) {
					const offset = (key as { range?: [number, number, number] } | null)?.range?.[0] ?? 0;
					wrong.push({ ...at(offset), message: 'a key is a word' });
					continue;
				}
				const name = String(key.value);
				if (seen.has(name)) wrong.push({ ...at(key.range?.[0] ?? 0), message: `the key “${name}” stands twice` });
				seen.add(name);
			}
		}
	});
	if (wrong.length) return { problems: wrong.slice(0, 100) };
	return { document, lines, value: document.toJS({ maxAliasCount: 0 }) as unknown };
}
