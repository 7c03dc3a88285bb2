import { AREAS } from '../areas';
import type { ListKind } from '../lists/kind';
import { declareSources } from '../lists/sources';
import { workLists } from './work-lists';

/** Every kind of list that there is, by name. */
export const LISTS: ReadonlyMap<string, ListKind> = new Map(
	[...AREAS.flatMap((a) => a.lists ?? []), ...workLists].map((k) => [k.name, k])
);

declareSources(
	[...LISTS.values()],
	AREAS.flatMap((a) => a.sources ?? [])
);

/** A cursor names where the next page begins, for the same list at the same moment. */
export const cursorOf = (offset: number, at: number): string =>
	Buffer.from(JSON.stringify([offset, at])).toString('base64url');

/** Reads a cursor; null when it is not one. */
export function readCursor(text: string): { offset: number; at: number } | null {
	try {
		const [offset, at] = JSON.parse(Buffer.from(text, 'base64url').toString()) as unknown[];
		return Number.isInteger(offset) && Number.isInteger(at) && (offset as number) >= 0
			? { offset: offset as number, at: at as number }
			: null;
	} catch {
		return null;
	}
}
