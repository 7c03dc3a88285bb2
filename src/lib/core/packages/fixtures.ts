import { Difference, type Change } from './difference';
import { byKey, inventoryLine, type InventoryEntry } from './inventory';

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
	for (const [side, entries] of [
		[d.before, before],
		[d.after, after]
	] as const) {
		side.give([HEADING, ...[...entries].sort(byKey)].map(inventoryLine));
		side.end();
	}
	d.go();
	// Every entry was counted, whether it was taken apart or struck off as the same.
	if (d.before.count !== before.length || d.after.count !== after.length)
		throw new Error(`${d.before.count} and ${d.after.count} entries counted, not ${before.length} and ${after.length}`);
	return d.changes();
}
