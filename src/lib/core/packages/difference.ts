import { baseName, entryKey, isFile, type FileEntry, type InventoryEntry, type SettingEntry } from './inventory';

/** What became of one entry between two inventories. */
export type Change =
	| { what: 'added'; entry: InventoryEntry }
	/** Other content, another kind, or another value. */
	| { what: 'changed'; entry: InventoryEntry; was: InventoryEntry }
	/** The same content at another path. */
	| { what: 'moved'; entry: FileEntry; was: FileEntry }
	/** Permissions only. */
	| { what: 'mode'; entry: FileEntry; was: FileEntry }
	| { what: 'removed'; entry: InventoryEntry };

export type What = Change['what'];

/** An entry that stands twice in one inventory. */
export class TwiceProblem extends Error {}

/**
 * The difference of two inventories, in one pass over each: first every entry of the one before, then every entry of the one
 * after. Only the one before is kept, and of it only what the comparison needs. A file whose time of change alone differs
 * is no difference: nothing in it is.
 */
export class Difference {
	private readonly before = new Map<string, Kept | typeof MET>();
	/** Keys that are new. */
	private readonly added = new Set<string>();
	private readonly found: Change[] = [];
	/** Entries of either inventory. */
	readonly counts = { before: 0, after: 0 };

	addBefore(e: InventoryEntry): void {
		const key = entryKey(e);
		if (this.before.has(key)) throw new TwiceProblem(`${words(e)} stands twice`);
		this.counts.before++;
		this.before.set(key, isFile(e) ? keepFile(e) : e);
	}

	addAfter(e: InventoryEntry): void {
		const key = entryKey(e);
		this.counts.after++;
		const was = this.before.get(key);
		if (was === MET || this.added.has(key)) throw new TwiceProblem(`${words(e)} stands twice`);
		if (was === undefined) {
			this.added.add(key);
			this.found.push({ what: 'added', entry: e });
			return;
		}
		this.before.set(key, MET);
		if (isFile(e)) {
			const old = was as KeptFile;
			const same = old.kind === e.kind && old.content === contentOf(e);
			if (same && old.mode === e.mode) return;
			this.found.push({ what: same ? 'mode' : 'changed', entry: e, was: fileOf(e.file, old) });
		} else {
			const old = was as SettingEntry;
			if (old.type !== e.type || old.value !== e.value) this.found.push({ what: 'changed', entry: e, was: old });
		}
	}

	/** The changes, by path; what was moved is paired. Ends the comparison. */
	end(): Change[] {
		const removed: InventoryEntry[] = [];
		for (const [key, kept] of this.before) if (kept !== MET) removed.push('setting' in kept ? kept : fileOf(key, kept));
		this.before.clear();
		this.added.clear();
		const changes = pairMoved(this.found, removed);
		return changes.sort((a, b) => {
			const [x, y] = [entryKey(a.entry), entryKey(b.entry)];
			return x < y ? -1 : x > y ? 1 : 0;
		});
	}
}

/** What is kept of a file of the inventory before: its path is the key already. */
interface KeptFile {
	kind: FileEntry['kind'];
	size: number;
	mode: string;
	mtime: number;
	/** SHA-256 of a file, target of a link, nothing for a folder. */
	content: string;
}
type Kept = KeptFile | SettingEntry;
/** Stands for an entry that was met again. */
const MET = Symbol('met');

const contentOf = (e: FileEntry): string => (e.kind === 'file' ? e.sha256! : e.kind === 'link' ? e.target! : '');
const keepFile = (e: FileEntry): KeptFile => ({
	kind: e.kind,
	size: e.size,
	mode: e.mode,
	mtime: e.mtime,
	content: contentOf(e)
});
const fileOf = (file: string, k: KeptFile): FileEntry => ({
	file,
	kind: k.kind,
	size: k.size,
	mode: k.mode,
	mtime: k.mtime,
	...(k.kind === 'file' ? { sha256: k.content } : k.kind === 'link' ? { target: k.content } : {})
});

const words = (e: InventoryEntry) => (isFile(e) ? e.file : `${e.setting} ${e.name}`.trim());

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
		if (c.what !== 'added' || !isFile(c.entry) || c.entry.kind !== 'file') return c;
		const from = byContent.get(c.entry.sha256!)?.filter((e) => !taken.has(e));
		if (!from?.length) return c;
		const was = from.find((e) => baseName(e.file) === baseName((c.entry as FileEntry).file)) ?? from[0]!;
		taken.add(was);
		return { what: 'moved', entry: c.entry, was };
	});
	for (const entry of removed) if (!taken.has(entry)) changes.push({ what: 'removed', entry });
	return changes;
}

/** Bytes that a change adds to a package that takes it. */
export const bytesOf = (c: Change): number =>
	c.what === 'removed' ? 0 : isFile(c.entry) ? c.entry.size : c.entry.value.length;
