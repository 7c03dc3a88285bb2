import { Difference, type Change } from './difference';
import { byKey, inventoryLine, InventoryReader, type InventoryEntry } from './inventory';

/** The heading of inventories in tests. */
export const HEADING = {
	inventory: 1,
	of: 'bench',
	at: 1,
	system: { name: 'M', version: '1', users: 'single' }
} as const;

/** The difference of two inventories that are given as entries, in any order; for tests. */
export function differenceOf(before: readonly InventoryEntry[], after: readonly InventoryEntry[]): Change[] {
	const d = new Difference();
	const feed = (entries: readonly InventoryEntry[], add: (line: string, reader: InventoryReader) => void) => {
		const reader = new InventoryReader();
		for (const e of [HEADING, ...[...entries].sort(byKey)]) add(inventoryLine(e), reader);
	};
	feed(before, (line, reader) => d.addBefore(line, reader));
	feed(after, (line, reader) => d.addAfter(line, reader));
	// Every entry was counted, whether it was taken apart or struck off as the same.
	if (d.counts.before !== before.length || d.counts.after !== after.length)
		throw new Error(
			`${d.counts.before} and ${d.counts.after} entries counted, not ${before.length} and ${after.length}`
		);
	return d.end();
}
