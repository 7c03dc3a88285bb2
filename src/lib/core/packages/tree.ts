import { bytesOf, type Change } from './difference';
import { isFile } from './inventory';
import type { Sort, Sorted } from './sorting';

/** What somebody decided about a branch or a pattern; of several that fit a change, the last one counts. */
export type Choice =
	| { branch: string; take: boolean }
	/** A pattern as of `pattern.ts`: `**` any folders, `*` within one, such as `**` + `/*.log`. */
	| { pattern: string; take: boolean };

/** Branches of settings begin with this, so that they are told apart from files. */
export const SETTINGS_ROOT = 'settings:';

/** The path of a change in the tree: files as they are, settings below `settings:`. */
export const treePath = (c: Change): string =>
	isFile(c.entry) ? c.entry.file : `${SETTINGS_ROOT}/${c.entry.setting}/${c.entry.name || '(own value)'}`;

/** What a branch of the tree holds in all. */
export interface Branch {
	/** The last part of its path. */
	name: string;
	path: string;
	/** The change that it stands for itself; absent where it is only on the way to others. */
	change?: number;
	/** Whether anything lies below it. */
	open: boolean;
	changes: number;
	bytes: number;
	/** Of those, what the package takes. */
	taken: number;
	takenBytes: number;
	sorts: Record<Sort, number>;
}

const SORTS: readonly Sort[] = ['app', 'noise', 'doubtful'];

/**
 * The changes as a tree of their paths, with counts and bytes at every branch. Built once in linear time, for half a million
 * changes and more; choices change what is taken without building it anew. Nodes are numbers into columns: an object for each
 * would take several times the memory.
 */
export class ChangeTree {
	private readonly names: string[] = ['', SETTINGS_ROOT];
	private readonly parents: number[] = [-1, 0];
	private readonly childIds: (Map<string, number> | null)[] = [new Map([[SETTINGS_ROOT, 1]]), null];
	/** The change of a node, −1 for none. */
	private readonly changeOf: number[] = [-1, -1];
	private readonly nodeOf: Int32Array;
	private readonly changes: Float64Array;
	private readonly bytes: Float64Array;
	private readonly sorts: readonly Uint32Array[];
	private taken: Float64Array;
	private takenBytes: Float64Array;
	/** Whether each change is taken. */
	readonly takes: Uint8Array;
	/** Whether a choice decided about each change, rather than how it was sorted. */
	readonly decided: Uint8Array;

	constructor(
		private readonly list: readonly Change[],
		private readonly sorted: readonly Sorted[],
		choices: readonly Choice[] = [],
		/** Makes a test of a pattern; without one no pattern fits anything. */
		private readonly matcher: (pattern: string) => (path: string) => boolean = () => () => false
	) {
		this.nodeOf = new Int32Array(list.length);
		list.forEach((c, i) => {
			const node = this.nodeAt(treePath(c));
			this.nodeOf[i] = node;
			this.changeOf[node] = i;
		});
		const n = this.names.length;
		this.changes = new Float64Array(n);
		this.bytes = new Float64Array(n);
		this.sorts = SORTS.map(() => new Uint32Array(n));
		this.taken = new Float64Array(n);
		this.takenBytes = new Float64Array(n);
		this.takes = new Uint8Array(list.length);
		this.decided = new Uint8Array(list.length);
		list.forEach((c, i) => {
			const node = this.nodeOf[i]!;
			this.changes[node]!++;
			this.bytes[node]! += bytesOf(c);
			this.sorts[SORTS.indexOf(sorted[i]!.sort)]![node]!++;
		});
		for (const column of [this.changes, this.bytes, ...this.sorts]) this.sumUp(column);
		this.choose(choices);
	}

	/** Decides anew what is taken: the app, and of the rest what the choices say. */
	choose(choices: readonly Choice[]): void {
		this.taken = new Float64Array(this.names.length);
		this.takenBytes = new Float64Array(this.names.length);
		const decided = this.branchChoices(choices);
		const patterns = choices.flatMap((c, order) =>
			'pattern' in c ? [{ order, take: c.take, fits: this.matcher(c.pattern) }] : []
		);
		this.list.forEach((c, i) => {
			let take = this.sorted[i]!.sort === 'app';
			let order = -1;
			const branch = decided(this.nodeOf[i]!);
			if (branch) ({ take, order } = branch);
			for (const p of patterns) if (p.order > order && p.fits(treePath(c))) ({ take, order } = p);
			this.takes[i] = take ? 1 : 0;
			this.decided[i] = order >= 0 ? 1 : 0;
			if (!take) return;
			const node = this.nodeOf[i]!;
			this.taken[node]!++;
			this.takenBytes[node]! += bytesOf(c);
		});
		this.sumUp(this.taken);
		this.sumUp(this.takenBytes);
	}

	/** The whole. */
	get root(): Branch {
		return this.branch(0);
	}

	/** A branch by its path, or null. */
	at(path: string): Branch | null {
		const node = this.find(path);
		return node < 0 ? null : this.branch(node);
	}

	/** What lies right below a branch, folders first, by name; with `sort`, only what holds changes of that sort. */
	children(path: string, sort: Sort | null = null): Branch[] {
		const node = this.find(path);
		const ids = node < 0 ? null : this.childIds[node];
		if (!ids) return [];
		const column = sort === null ? null : this.sorts[SORTS.indexOf(sort)]!;
		return [...ids.values()]
			.filter((id) => this.changes[id]! > 0 && (column === null || column[id]! > 0))
			.map((id) => this.branch(id))
			.sort((a, b) => Number(b.open) - Number(a.open) || (a.name < b.name ? -1 : a.name > b.name ? 1 : 0));
	}

	/** Paths whose name or whole path holds a text, at most `most`. */
	search(text: string, most = 100): Branch[] {
		const wanted = text.toLowerCase();
		const hits: Branch[] = [];
		for (let i = 0; i < this.list.length && hits.length < most; i++)
			if (treePath(this.list[i]!).toLowerCase().includes(wanted)) hits.push(this.branch(this.nodeOf[i]!));
		return hits;
	}

	private branch(node: number): Branch {
		const change = this.changeOf[node]!;
		return {
			name: this.names[node]!,
			path: this.pathOf(node),
			...(change >= 0 ? { change } : {}),
			open: this.childIds[node] !== null && this.childIds[node]!.size > 0,
			changes: this.changes[node]!,
			bytes: this.bytes[node]!,
			taken: this.taken[node]!,
			takenBytes: this.takenBytes[node]!,
			sorts: { app: this.sorts[0]![node]!, noise: this.sorts[1]![node]!, doubtful: this.sorts[2]![node]! }
		};
	}

	private pathOf(node: number): string {
		const parts: string[] = [];
		for (let at = node; at > 0; at = this.parents[at]!) parts.push(this.names[at]!);
		return parts.reverse().join('/');
	}

	private find(path: string): number {
		if (path === '') return 0;
		let node = 0;
		for (const part of path.split('/')) {
			const next = this.childIds[node]?.get(part);
			if (next === undefined) return -1;
			node = next;
		}
		return node;
	}

	private nodeAt(path: string): number {
		let node = 0;
		for (const part of path.split('/')) {
			const ids = (this.childIds[node] ??= new Map());
			let next = ids.get(part);
			if (next === undefined) {
				next = this.names.length;
				this.names.push(part);
				this.parents.push(node);
				this.childIds.push(null);
				this.changeOf.push(-1);
				ids.set(part, next);
			}
			node = next;
		}
		return node;
	}

	/** Adds every node's value to those above it. A node always stands behind its parent. */
	private sumUp(column: Float64Array | Uint32Array): void {
		for (let node = column.length - 1; node > 0; node--) column[this.parents[node]!]! += column[node]!;
	}

	/** The last choice that names a node or a branch above it; each branch is looked at once. */
	private branchChoices(choices: readonly Choice[]): (node: number) => { take: boolean; order: number } | null {
		const at = new Map<number, { take: boolean; order: number }>();
		choices.forEach((c, order) => {
			if (!('branch' in c)) return;
			const node = this.find(c.branch);
			if (node >= 0) at.set(node, { take: c.take, order });
		});
		if (at.size === 0) return () => null;
		const best: ({ take: boolean; order: number } | null)[] = new Array(this.names.length).fill(null);
		for (let node = 0; node < this.names.length; node++) {
			const own = at.get(node) ?? null;
			const above = node > 0 ? best[this.parents[node]!]! : null;
			best[node] = own && (!above || own.order > above.order) ? own : above;
		}
		return (node) => best[node]!;
	}
}
