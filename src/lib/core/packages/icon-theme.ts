import { KeyFile } from './key-file';

/** One folder of an icon theme: which sizes its pictures are for. Sizes are in pixels at scale 1. */
export interface IconFolder {
	/** Below the theme's own folder: `48x48/apps`. */
	path: string;
	size: number;
	scale: number;
	type: 'Fixed' | 'Scalable' | 'Threshold';
	least: number;
	most: number;
	threshold: number;
}

/** Endings of pictures, the one that is taken first ahead. */
const ENDINGS = ['png', 'svg', 'xpm'] as const;
/** The theme that every other falls back to. */
const LAST_THEME = 'hicolor';

/** The folders that an `index.theme` lists, those of other scales included, and the themes that it inherits from. */
export function readTheme(text: string): { folders: IconFolder[]; inherits: string[] } {
	const file = new KeyFile(text);
	const list = (key: string) =>
		file
			.text('Icon Theme', key)
			.split(',')
			.map((p) => p.trim())
			.filter((p) => p !== '');
	return {
		inherits: list('Inherits'),
		folders: [...new Set([...list('Directories'), ...list('ScaledDirectories')])].flatMap((path) => {
			const size = file.number(path, 'Size');
			if (size === null) return [];
			const type = file.text(path, 'Type');
			return [
				{
					path,
					size,
					scale: file.number(path, 'Scale') ?? 1,
					type: type === 'Fixed' || type === 'Scalable' ? type : 'Threshold',
					least: file.number(path, 'MinSize') ?? size,
					most: file.number(path, 'MaxSize') ?? size,
					threshold: file.number(path, 'Threshold') ?? 2
				}
			];
		})
	};
}

/** What the name of a folder says where no theme lists it, as `hicolor` has them: `48x48/apps`, `24x24@2/apps`, `scalable/apps`. */
function folderByName(path: string): IconFolder {
	const [, size, scale] = /^(\d{1,4})x\d{1,4}(?:@(\d))?(?:\/|$)/.exec(path) ?? [];
	const scalable = /^scalable(\/|$)/.test(path);
	const n = Number(size ?? 48);
	return {
		path,
		size: n,
		scale: Number(scale ?? 1),
		type: scalable ? 'Scalable' : 'Threshold',
		least: scalable ? 1 : n,
		most: scalable ? 1024 : n,
		threshold: 2
	};
}

/** Whether a folder is for just this size (Icon Theme Specification 0.13, DirectoryMatchesSize). */
export function matchesSize(f: IconFolder, size: number, scale: number): boolean {
	if (f.scale !== scale) return false;
	if (f.type === 'Fixed') return f.size === size;
	if (f.type === 'Scalable') return f.least <= size && size <= f.most;
	return f.size - f.threshold <= size && size <= f.size + f.threshold;
}

/** How far a folder is from a size, in device pixels (the same specification, DirectorySizeDistance). */
export function sizeDistance(f: IconFolder, size: number, scale: number): number {
	const wanted = size * scale;
	const [least, most] =
		f.type === 'Fixed'
			? [f.size, f.size]
			: f.type === 'Scalable'
				? [f.least, f.most]
				: [f.size - f.threshold, f.size + f.threshold];
	if (wanted < least * f.scale) return least * f.scale - wanted;
	if (wanted > most * f.scale) return wanted - most * f.scale;
	return 0;
}

/**
 * The picture that an icon's name stands for, by the Icon Theme Specification 0.13 (freedesktop.org, “Icon lookup”): in a theme the folder
 * for just this size, else the nearest; then the themes that it inherits from, `hicolor`, the other themes, and last what lies in no theme.
 * Whose desktop it will be is not known, so `hicolor`, where apps put their own, is asked first. Null where there is none.
 *
 * @param paths files among which it may be, with `/` between their parts
 * @param index text of an `index.theme`, or null
 */
export function iconFile(
	name: string,
	size: number,
	scale: number,
	paths: Iterable<string>,
	index: (path: string) => string | null = () => null
): string | null {
	const base = name.replace(/\.(png|svg|xpm)$/i, '').toLowerCase();
	const loose = new Map<string, string>();
	/** Theme → its folder → ending → path. */
	const themes = new Map<string, { at: string; folders: Map<string, Map<string, string>> }>();
	for (const path of paths) {
		const lower = path.toLowerCase();
		const ending = ENDINGS.find((e) => lower.endsWith(`/${base}.${e}`));
		if (!ending) continue;
		const folder = path.slice(0, path.lastIndexOf('/'));
		const themed = /^(?:(.*)\/)?icons\/([^/]+)\/(.+)$/i.exec(folder);
		if (themed) {
			const [, above, theme, below] = themed as unknown as [string, string | undefined, string, string];
			let t = themes.get(theme);
			if (!t) themes.set(theme, (t = { at: `${above ? `${above}/` : ''}icons/${theme}`, folders: new Map() }));
			let f = t.folders.get(below);
			if (!f) t.folders.set(below, (f = new Map()));
			if (!f.has(ending)) f.set(ending, path);
		} else if (/(^|\/)(icons|pixmaps)$/i.test(folder) && !loose.has(ending)) loose.set(ending, path);
	}
	const best = (of: ReadonlyMap<string, string>) => ENDINGS.map((e) => of.get(e)).find((p) => p !== undefined) ?? null;
	const inTheme = (theme: string): string | null => {
		const t = themes.get(theme);
		if (!t) return null;
		const text = index(`${t.at}/index.theme`);
		const listed = new Map((text === null ? [] : readTheme(text).folders).map((f) => [f.path, f]));
		const folders = [...t.folders].map(([path, files]) => ({ files, folder: listed.get(path) ?? folderByName(path) }));
		const fits = folders.find((f) => matchesSize(f.folder, size, scale));
		if (fits) return best(fits.files);
		return best(
			folders.reduce((a, b) => (sizeDistance(b.folder, size, scale) < sizeDistance(a.folder, size, scale) ? b : a))
				.files
		);
	};
	const asked = new Set<string>();
	const ask = (theme: string): string | null => {
		if (asked.has(theme) || asked.size > 50) return null;
		asked.add(theme);
		const found = inTheme(theme);
		if (found) return found;
		const t = themes.get(theme);
		const text = t ? index(`${t.at}/index.theme`) : null;
		for (const parent of text === null ? [] : readTheme(text).inherits) {
			const above = ask(parent);
			if (above) return above;
		}
		return null;
	};
	for (const theme of [LAST_THEME, ...[...themes.keys()].sort()]) {
		const found = ask(theme);
		if (found) return found;
	}
	return best(loose);
}
