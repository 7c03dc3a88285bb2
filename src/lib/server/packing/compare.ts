import { byKey, type InventoryHeading } from '$lib/core/packages/inventory';
import { bytesOf, Difference, type Change, type What } from '$lib/core/packages/difference';
import { Learned, folderWords, sortChanges, totalsOf, type Sort, type Sorted } from '$lib/core/packages/sorting';
import { linesIn, writeLines } from './walk';

/** The difference of two inventories that lie in files, sorted. */
export interface Compared {
	before: InventoryHeading;
	after: InventoryHeading;
	entries: { before: number; after: number };
	changes: Change[];
	sorted: Sorted[];
}

/** A summary of a comparison that a page can show. */
export interface ComparedSummary {
	entries: { before: number; after: number };
	changes: number;
	what: Record<What, number>;
	sorts: Record<Sort, { changes: number; bytes: number }>;
	/** The app’s own folders, in words. */
	folders: string[];
	/** Entries that were learned to change by themselves. */
	learned: number;
}

/** Compares two inventories; of `idle`, two that were taken without installing anything in between, noise is learned. */
export async function compareInventories(
	before: string,
	after: string,
	idle: [string, string] | null = null
): Promise<Compared & { summary: ComparedSummary }> {
	const learned = new Learned(idle ? (await differenceOf(idle[0], idle[1])).changes : []);
	const difference = await differenceOf(before, after);
	const { sorted, folders } = sortChanges(difference.changes, learned, difference.after.system);
	const what: Record<What, number> = { added: 0, changed: 0, moved: 0, mode: 0, removed: 0 };
	for (const c of difference.changes) what[c.kind]++;
	return {
		...difference,
		sorted,
		summary: {
			entries: difference.entries,
			changes: difference.changes.length,
			what,
			sorts: totalsOf(difference.changes, sorted),
			folders: folders.slice(0, 12).map(folderWords),
			learned: learned.size
		}
	};
}

async function differenceOf(before: string, after: string): Promise<Omit<Compared, 'sorted'>> {
	const difference = new Difference();
	const lines = new Map([
		[difference.before, linesIn(before)],
		[difference.after, linesIn(after)]
	]);
	try {
		for (let side = difference.go(); side; side = difference.go()) {
			const next = await lines.get(side)!.next();
			if (next.done) side.end();
			else side.give(next.value);
		}
	} finally {
		for (const l of lines.values()) await l.return(undefined);
	}
	return {
		before: difference.before.reader.heading,
		after: difference.after.reader.heading,
		entries: { before: difference.before.count, after: difference.after.count },
		changes: difference.changes()
	};
}

/** Keeps changes with their sorting in a file, one a line. */
export const keepChanges = (path: string, changes: readonly Change[], sorted: readonly Sorted[]): Promise<void> =>
	writeLines(
		path,
		(function* () {
			for (let i = 0; i < changes.length; i++) yield JSON.stringify([changes[i], sorted[i]]);
		})()
	);

/** Bytes of what is taken, and its keys: what a package is made of. */
export const takenOf = (changes: readonly Change[], takes: Uint8Array): { changes: Change[]; bytes: number } => {
	const taken = changes.filter((c, i) => takes[i] === 1 && c.kind !== 'removed');
	return {
		changes: taken.sort((a, b) => byKey(a.entry, b.entry)),
		bytes: taken.reduce((n, c) => n + bytesOf(c), 0)
	};
};
