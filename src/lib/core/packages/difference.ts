import {
	baseName,
	byKey,
	isFile,
	type FileEntry,
	type InventoryEntry,
	InventoryReader,
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

/** One of two inventories that are read side by side: its lines as they come, and the entry that is looked at. */
class Side {
	readonly reader = new InventoryReader();
	/** Entries so far. */
	count = 0;
	entry: InventoryEntry | null = null;
	private lines: readonly string[] = [];
	private at = 0;
	private ended = false;

	/** The next lines. Those given before have been read. */
	give(lines: readonly string[]): void {
		this.lines = lines;
		this.at = 0;
	}

	/** There are no more lines. */
	end(): void {
		this.ended = true;
	}

	/** Whether nothing can be said of it before it is given more. */
	get wants(): boolean {
		return this.entry === null && this.at === this.lines.length && !this.ended;
	}

	/** The line that comes next, where no entry is looked at; the heading is none. */
	get line(): string | undefined {
		return this.entry === null && this.reader.headed ? this.lines[this.at] : undefined;
	}

	/** Goes on to the next entry, as far as there are lines. Throws InventoryProblem. */
	read(): InventoryEntry | null {
		while (this.entry === null && this.at < this.lines.length) this.entry = this.step();
		return this.entry;
	}

	/** Reads one line, which may hold no entry. Throws InventoryProblem. */
	step(): InventoryEntry | null {
		const entry = this.reader.read(this.lines[this.at++]!);
		if (entry) this.count++;
		return entry;
	}

	/** Goes past a line that the other side has just read: it holds an entry of that key. Throws InventoryProblem. */
	pass(key: string): void {
		this.reader.pass(this.lines[this.at++]!, key);
		this.count++;
	}

	take(): InventoryEntry {
		const taken = this.entry!;
		this.entry = null;
		return taken;
	}
}

/**
 * The difference of two inventories, read side by side: both are in the order of their keys. Nearly all lines of the two are the
 * same, letter by letter: those are taken apart once and struck off, and only the rest is compared. A file whose time of change
 * alone differs is no difference: nothing in it is. No more is kept than what has changed, and the lines given last.
 */
export class Difference {
	readonly before = new Side();
	readonly after = new Side();
	private readonly found: Change[] = [];
	private readonly gone: InventoryEntry[] = [];

	/** Goes on as far as there are lines: the side that wants more, or null where both have ended. Throws InventoryProblem. */
	go(): Side | null {
		const { before, after } = this;
		for (;;) {
			this.strike();
			const was = before.read();
			const entry = after.read();
			if (before.wants) return before;
			if (after.wants) return after;
			if (was === null && entry === null) return null;
			const order = was === null ? 1 : entry === null ? -1 : byKey(was, entry);
			if (order < 0) this.gone.push(before.take());
			else if (order > 0) this.found.push({ kind: 'added', entry: after.take() });
			else {
				const change = changeOf(before.take(), after.take());
				if (change) this.found.push(change);
			}
		}
	}

	/** Strikes off what comes next on both sides. */
	private strike(): void {
		const { before, after } = this;
		for (let line = before.line; line !== undefined && line === after.line; line = before.line) {
			if (before.step()) after.pass(before.reader.key);
			else after.step();
		}
	}

	/** The changes, by path; what was moved is paired. */
	changes(): Change[] {
		return pairMoved(this.found, this.gone).sort((a, b) => byKey(a.entry, b.entry));
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

/** Files in the order of their paths, of which the first that has not been taken is asked for again and again. */
interface Line {
	files: FileEntry[];
	next: number;
}

function firstOf(line: Line, taken: ReadonlySet<InventoryEntry>): FileEntry | undefined {
	while (line.next < line.files.length && taken.has(line.files[line.next]!)) line.next++;
	return line.files[line.next];
}

/** The value of a key, made where there is none yet. */
function lineOf<K>(lines: Map<K, Line>, key: K): Line {
	let line = lines.get(key);
	if (!line) lines.set(key, (line = { files: [], next: 0 }));
	return line;
}

/**
 * Pairs removed files with added ones of the same content: of several, the one of the same name first. Empty files say
 * nothing of where they came from.
 */
function pairMoved(found: Change[], removed: InventoryEntry[]): Change[] {
	const byContent = new Map<string, Line>();
	const byName = new Map<string, Line>();
	const alike = (e: FileEntry) => `${e.sha256!}/${baseName(e.file)}`;
	for (const e of removed) {
		if (!isFile(e) || e.kind !== 'file' || e.size === 0) continue;
		lineOf(byContent, e.sha256!).files.push(e);
		lineOf(byName, alike(e)).files.push(e);
	}
	const taken = new Set<InventoryEntry>();
	const changes = found.map((c): Change => {
		if (c.kind !== 'added' || !isFile(c.entry) || c.entry.kind !== 'file') return c;
		const same = byName.get(alike(c.entry));
		const any = byContent.get(c.entry.sha256!);
		const was = (same && firstOf(same, taken)) ?? (any && firstOf(any, taken));
		if (!was) return c;
		taken.add(was);
		return { kind: 'moved', entry: c.entry, was };
	});
	for (const entry of removed) if (!taken.has(entry)) changes.push({ kind: 'removed', entry });
	return changes;
}

/** Bytes that a change adds to a package that takes it. */
export const bytesOf = (c: Change): number =>
	c.kind === 'removed' ? 0 : isFile(c.entry) ? c.entry.size : c.entry.value.length;
