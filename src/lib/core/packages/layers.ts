import { baseName, climbs, folderOf, type FileEntry } from './inventory';
import { FILES_ROOT, linkInPackage, packagedPath } from './spec';

/** Something in a package's layers that cannot be trusted, in words. */
export class LayerProblem extends Error {
	constructor(message: string) {
		super(message);
		this.name = 'LayerProblem';
	}
}

/** An entry of a layer, as its tar has it. */
export interface LayerEntry {
	/** With `/` between its parts, and none at its end. */
	name: string;
	kind: 'file' | 'folder' | 'link';
	/** Permissions, the lower twelve bits. */
	mode: number;
	size: number;
	/** Of a file's content, hexadecimal. */
	sha256?: string;
	target?: string;
	/** The layer that it came with, once it is in the tree. */
	layer?: number;
}

/** OCI image specification 1.1, layer.md: names that begin so take something away that a layer below has. */
const WHITEOUT = '.wh.';
/** As many links may lead on to another; more are a loop. */
const HOPS = 40;
const DEEPEST = 200;

/** A name in the tree; `layer` is the last one that said something of it. */
interface Node {
	entry: LayerEntry | null;
	layer: number;
	below: Map<string, Node> | null;
}

/**
 * What the layers of a package come to, one upon the other, as a tool that unpacks them would have it. Whatever two tools might
 * read differently is refused: a name that stands twice in a layer, something below a file or a link, a whiteout of nothing.
 * Each entry costs as much as its path is long, whatever came before it.
 */
export class LayerTree {
	private readonly root: Node = { entry: null, layer: 0, below: null };
	private layer = 0;
	/** Whiteouts of the layer that is being read. */
	private gone = new Set<string>();

	/** Says that the entries to come are of the next layer up. */
	nextLayer(): void {
		this.layer++;
		this.gone = new Set();
	}

	/** Takes an entry in. Throws LayerProblem. */
	add(e: LayerEntry): void {
		const parts = e.name.split('/');
		if (parts.length > DEEPEST) throw new LayerProblem('a path has more than 200 folders');
		if (e.name.includes('\0')) throw new LayerProblem('a path has a NUL in it');
		if (climbs(e.name)) throw new LayerProblem(`the path ${e.name} climbs out of the package`);
		if (/^files\/[A-Za-z]\//.test(e.name) && e.name.includes('\\'))
			throw new LayerProblem(`the path ${e.name} has a backslash in it: on such a system it would be another path`);
		if (parts[0] !== FILES_ROOT) throw new LayerProblem(`${e.name} has no place in a package`);
		if (baseName(e.name).startsWith(WHITEOUT)) return this.whiteout(e, parts);
		let node = this.root;
		for (const [i, part] of parts.entries()) {
			if (node.entry && node.entry.kind !== 'folder') {
				const above = node.entry.name;
				throw new LayerProblem(
					node.entry.kind === 'link'
						? `${e.name} lies behind the link ${above}: it could be written anywhere`
						: `${e.name} lies below ${above}, which is a file`
				);
			}
			node.below ??= new Map();
			let next = node.below.get(part);
			if (!next) node.below.set(part, (next = { entry: null, layer: 0, below: null }));
			if (i < parts.length - 1) next.layer = Math.max(next.layer, this.layer);
			node = next;
		}
		if (node.entry && node.layer === this.layer && node.entry.layer === this.layer)
			throw new LayerProblem(`${e.name} stands twice in one layer`);
		if (e.kind !== 'folder' && node.below?.size) {
			for (const [name, below] of node.below)
				if (below.layer === this.layer)
					throw new LayerProblem(`${e.name}/${name} lies below ${e.name}, which is no folder`);
			node.below = null;
		}
		node.entry = { ...e, layer: this.layer };
		node.layer = this.layer;
	}

	private whiteout(e: LayerEntry, parts: string[]): void {
		const base = parts.at(-1)!.slice(WHITEOUT.length);
		const hidden = [...parts.slice(0, -1), base].join('/');
		if (base.startsWith(WHITEOUT) || base === '' || e.kind !== 'file' || e.size !== 0)
			throw new LayerProblem(`${e.name} is no whiteout that is known`);
		if (this.gone.has(hidden)) throw new LayerProblem(`${e.name} stands twice in one layer`);
		const above = this.nodeOf(parts.slice(0, -1));
		const node = above?.below?.get(base);
		if (!node?.entry || node.layer === this.layer)
			throw new LayerProblem(`${e.name} takes away what no layer below has`);
		this.gone.add(hidden);
		above!.below!.delete(base);
	}

	private nodeOf(parts: readonly string[]): Node | null {
		let node: Node | undefined = this.root;
		for (const part of parts) {
			node = node.below?.get(part);
			if (!node) return null;
		}
		return node;
	}

	private *entries(node: Node = this.root): Generator<LayerEntry> {
		if (node.entry) yield node.entry;
		if (node.below) for (const below of node.below.values()) yield* this.entries(below);
	}

	/** Sees that every link stays within the package, through whatever other links it leads. Throws LayerProblem. */
	followLinks(): void {
		for (const e of this.entries()) if (e.kind === 'link') this.follow(e);
	}

	private follow(link: LayerEntry): void {
		const leaves = (how: string) => new LayerProblem(`the link ${link.name} ${how}: ${link.target ?? ''}`);
		if (outside(link.target ?? '')) throw leaves('leaves the package');
		let at = folderOf(link.name).split('/');
		let rest = link.target!.split('/');
		for (let hops = 0; rest.length;) {
			const part = rest[0]!;
			rest = rest.slice(1);
			if (part === '' || part === '.') continue;
			if (part === '..') {
				if (at.length <= 1) throw leaves('leaves the package');
				at = at.slice(0, -1);
				continue;
			}
			const on = this.nodeOf([...at, part])?.entry;
			if (on?.kind !== 'link') {
				at = [...at, part];
				continue;
			}
			if (++hops > HOPS) throw leaves('leads in a circle');
			if (outside(on.target ?? '')) throw leaves(`leaves the package through ${on.name}`);
			rest = [...on.target!.split('/'), ...rest];
		}
	}

	/** What the layers have and a package's own list has not, or the other way round, in words; null when they agree. */
	differsFrom(files: readonly FileEntry[]): string | null {
		const listed = new Set(files.map((f) => packagedPath(f.file)));
		for (const f of files) {
			const e = this.nodeOf(packagedPath(f.file).split('/'))?.entry;
			if (!e) return `it lists ${f.file}, which no layer holds`;
			if (e.kind !== f.kind) return `it lists ${f.file} as a ${f.kind}; its layers hold a ${e.kind}`;
			if (e.mode !== Number.parseInt(f.mode, 8))
				return `${f.file} has other permissions in its layers than in its list`;
			if (f.kind === 'file' && (e.size !== f.size || e.sha256 !== f.sha256))
				return `${f.file} has another content in its layers than in its list`;
			if (f.kind === 'link' && e.target !== linkInPackage(f)) return `${f.file} leads elsewhere than its list says`;
		}
		for (const e of this.entries())
			if (e.name !== FILES_ROOT && !listed.has(e.name)) return `${e.name} is in its layers but not in its list`;
		return null;
	}
}

/** A target that begins at a root, a drive or another computer leaves whatever it lies in. */
const outside = (target: string): boolean =>
	target === '' ||
	target.startsWith('/') ||
	target.startsWith('\\') ||
	/^[A-Za-z]:/.test(target) ||
	target.includes('\0');
