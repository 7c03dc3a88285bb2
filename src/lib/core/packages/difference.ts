import {
	baseName,
	entryKey,
	isFile,
	type FileEntry,
	type InventoryEntry,
	type InventoryReader,
	type SettingEntry
} from './inventory';

/** What became of one entry between two inventories. */
export type Change =
	| { kind: 'added'; entry: InventoryEntry }
	/** Other content, another kind, or another value. */
	| { kind: 'changed'; entry: InventoryEntry; was: InventoryEntry }
	/** The same content at another path. */
	| { kind: 'moved'; entry: FileEntry; was: FileEntry }
	/** Permissions only. */
	| { kind: 'mode'; entry: FileEntry; was: FileEntry }
	| { kind: 'removed'; entry: InventoryEntry };

export type What = Change['kind'];

/**
 * The difference of two inventories, in one pass over each: first every line of the one before, then every line of the one
 * after. Nearly all lines of the two are the same, letter by letter: those are struck off as they are met, and only the rest is
 * taken apart and compared. A file whose time of change alone differs is no difference: nothing in it is.
 *
 * Of the inventory before its lines are kept, of the one after only what is new; half a million entries of each take some 250 MB.
 */
export class Difference {
	/** Lines of the inventory before that have not been met again. */
	private readonly lines = new Set<string>();
	private readonly fresh = new Map<string, InventoryEntry>();
	/** Entries of either inventory. */
	readonly counts = { before: 0, after: 0 };

	/** The next line of the inventory before. Throws InventoryProblem. */
	addBefore(line: string, reader: InventoryReader): void {
		const entry = reader.read(line);
		if (!entry) return;
		this.counts.before++;
		this.lines.add(line);
	}

	/** The next line of the inventory after. Throws InventoryProblem. */
	addAfter(line: string, reader: InventoryReader): void {
		if (this.lines.delete(line)) {
			reader.pass(line);
			this.counts.after++;
			return;
		}
		const entry = reader.read(line);
		if (!entry) return;
		this.counts.after++;
		this.fresh.set(entryKey(entry), entry);
	}

	/** The changes, by path; what was moved is paired. Ends the comparison. */
	end(): Change[] {
		const rest = new Map<string, InventoryEntry>();
		for (const line of this.lines) {
			const entry = JSON.parse(line) as InventoryEntry;
			rest.set(entryKey(entry), entry);
		}
		this.lines.clear();
		const found: Change[] = [];
		for (const [key, entry] of this.fresh) {
			const was = rest.get(key);
			rest.delete(key);
			const change = was === undefined ? ({ kind: 'added', entry } as const) : changeOf(was, entry);
			if (change) found.push(change);
		}
		this.fresh.clear();
		return pairMoved(found, [...rest.values()]).sort((a, b) => {
			const [x, y] = [entryKey(a.entry), entryKey(b.entry)];
			return x < y ? -1 : x > y ? 1 : 0;
		});
	}
}

/** What became of an entry that both have, or null where nothing did. */
function changeOf(was: InventoryEntry, entry: InventoryEntry): Change | null {
	if (isFile(entry) && isFile(was)) {
		const same = was.kind === entry.kind && contentOf(was) === contentOf(entry);
		if (same && was.mode === entry.mode) return null;
		return { kind: same ? 'mode' : 'changed', entry, was };
	}
	const [a, b] = [was as SettingEntry, entry as SettingEntry];
	return a.type === b.type && a.value === b.value ? null : { kind: 'changed', entry, was };
}

/** SHA-256 of a file, target of a link, nothing for a folder. */
const contentOf = (e: FileEntry): string => (e.kind === 'file' ? e.sha256! : e.kind === 'link' ? e.target! : '');

/**
 * Pairs removed files with added ones of the same content: of several, the one of the same name first. Empty files say
 * nothing of where they came from.
 */
function pairMoved(found: Change[], removed: InventoryEntry[]): Change[] {
	const byContent = new Map<string, FileEntry[]>();
	for (const e of removed) {
		if (!isFile(e) || e.kind !== 'file' || e.size === 0) continue;
		const list = byContent.get(e.sha256!);
		if (list) list.push(e);
		else byContent.set(e.sha256!, [e]);
	}
	const taken = new Set<InventoryEntry>();
	const changes = found.map((c): Change => {
		if (c.kind !== 'added' || !isFile(c.entry) || c.entry.kind !== 'file') return c;
		const from = byContent.get(c.entry.sha256!)?.filter((e) => !taken.has(e));
		if (!from?.length) return c;
		const was = from.find((e) => baseName(e.file) === baseName((c.entry as FileEntry).file)) ?? from[0]!;
		taken.add(was);
		return { kind: 'moved', entry: c.entry, was };
	});
	for (const entry of removed) if (!taken.has(entry)) changes.push({ kind: 'removed', entry });
	return changes;
}

/** Bytes that a change adds to a package that takes it. */
export const bytesOf = (c: Change): number =>
	c.kind === 'removed' ? 0 : isFile(c.entry) ? c.entry.size : c.entry.value.length;
