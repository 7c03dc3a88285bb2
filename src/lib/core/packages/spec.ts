import { baseName, climbs, folderOf, isFile, type FileEntry, type SettingEntry, type SystemKind } from './inventory';
import type { Change } from './difference';
import { treePath } from './tree';
import type { Vouched } from './fits';
import type { LaunchTarget } from './launch-target';
import { USUAL_WRITES, type WriteRules } from './scope';

/** What a package is, beside its files: kept with it as `sextant/package.json`. */
export interface PackageSpec {
	name: string;
	version: string;
	/** A line for people. */
	note: string;
	/** The system that it was captured on. */
	system: SystemKind;
	vouched: Vouched[];
	targets: LaunchTarget[];
	writes: WriteRules;
	/** Teams whose people may start it; empty: whoever it is granted to. */
	teams: string[];
	/** What those who may not are told. */
	refusal: string;
	services: string[];
	ports: string[];
	/** Oldest agent that can attach it, or empty. */
	agent: string;
	/** When it was captured, ms UTC. */
	capturedAt: number;
	/** What the app reads when it is started, in that order. */
	warmUp: { path: string; bytes: number }[];
}

/** A package of which nothing is said yet but what it is and what it was captured on. */
export const bareSpec = (name: string, version: string, system: SystemKind, capturedAt: number): PackageSpec => ({
	name,
	version,
	note: '',
	system,
	vouched: [],
	targets: [],
	writes: USUAL_WRITES,
	teams: [],
	refusal: '',
	services: [],
	ports: [],
	agent: '',
	capturedAt,
	warmUp: []
});

/** Files of a package as they lie in it: files of the system below `files/`, with a drive as a folder (`C:` → `C`). */
export const FILES_ROOT = 'files';

export const packagedPath = (path: string): string => `${FILES_ROOT}/${path.replace(/^([A-Za-z]):(?=\/|$)/, '$1')}`;

/** What a package holds: what its changes add, and what a link may point to. */
export interface Contents {
	files: FileEntry[];
	settings: SettingEntry[];
	/** Entries that cannot be packaged, each with the reason. */
	left: { path: string; why: string }[];
}

/** Whether a path is of a system that has drives: there a backslash parts names, too. */
const onDrive = (path: string): boolean => /^[A-Za-z]:/.test(path);

/** A link's target with `/` between its parts. On systems without drives a backslash is a character as any other. */
const targetOf = (link: FileEntry): string =>
	onDrive(link.file) || onDrive(link.target!) ? link.target!.replaceAll('\\', '/') : link.target!;

/**
 * What taken changes put into a package. Folders above a file are added where no change made them; what cannot be packed is left out,
 * with the reason.
 * @param above the folders of the second inventory by path, for the permissions of those that are added
 */
export function contentsOf(taken: readonly Change[], above: ReadonlyMap<string, FileEntry> = new Map()): Contents {
	const files = new Map<string, FileEntry>();
	const settings: SettingEntry[] = [];
	const left: Contents['left'] = [];
	for (const c of taken) {
		if (c.kind === 'removed') {
			left.push({ path: treePath(c), why: 'it takes away what the system has, and a package only adds' });
			continue;
		}
		if (!isFile(c.entry)) settings.push(c.entry);
		else {
			const why = notPackable(c.entry.file);
			if (why === null) files.set(c.entry.file, c.entry);
			else left.push({ path: c.entry.file, why });
		}
	}
	const links = [...files.values()].filter((f) => f.kind === 'link');
	for (const link of links) {
		const why = leads(link, (path) => files.has(path));
		if (why === null) continue;
		files.delete(link.file);
		left.push({ path: link.file, why });
	}
	for (const f of [...files.values()])
		for (let at = folderOf(f.file); at !== '' && !files.has(at); at = folderOf(at))
			files.set(at, {
				file: at,
				kind: 'folder',
				size: 0,
				mode: above.get(at)?.mode ?? '0755',
				mtime: above.get(at)?.mtime ?? f.mtime
			});
	const byPath = (a: string, b: string) => (a < b ? -1 : a > b ? 1 : 0);
	return {
		files: [...files.values()].sort((a, b) => byPath(a.file, b.file)),
		settings: settings.sort((a, b) => byPath(`${a.setting}\0${a.name}`, `${b.setting}\0${b.name}`)),
		left
	};
}

/** Paths of folders above taken files that no change made: their permissions are asked of the inventory. */
export function foldersAbove(taken: readonly Change[]): Set<string> {
	const own = new Set(taken.flatMap((c) => (isFile(c.entry) && c.kind !== 'removed' ? [c.entry.file] : [])));
	const above = new Set<string>();
	for (const path of own)
		for (let at = folderOf(path); at !== '' && !above.has(at); at = folderOf(at)) if (!own.has(at)) above.add(at);
	return above;
}

/** Why no package can hold a path, or null: OCI layers give some names a meaning of their own. */
function notPackable(path: string): string | null {
	if (path.split('/').some((part) => part.startsWith('.wh.')))
		return 'its name begins with .wh., which in a layer takes something away';
	if (onDrive(path) && path.includes('\\')) return 'its name has a backslash in it';
	if (path.includes('\0')) return 'its name has a NUL in it';
	return null;
}

/** Why a link leaves the package, or null when it stays. A target that begins with a slash is read from the package’s own root. */
export function leads(link: FileEntry, has: (path: string) => boolean): string | null {
	const target = targetOf(link);
	const lacks = `it leads to ${link.target}, which the package does not hold`;
	if (target === '' || target.startsWith('//')) return `it leads to another computer, or nowhere: ${link.target}`;
	if (onDrive(target)) return has(target) ? null : lacks;
	if (target.startsWith('/')) {
		const inside = target.slice(1);
		return !climbs(inside) && has(inside) ? null : lacks;
	}
	const parts = folderOf(link.file).split('/').filter(Boolean);
	for (const part of target.split('/')) {
		if (part === '' || part === '.') continue;
		if (part !== '..') parts.push(part);
		else if (parts.pop() === undefined) return `it leads out of the package: ${link.target}`;
	}
	return null;
}

/** The target of a link as it stands in a package: whole paths become ways from the link to where the file lies in the package. */
export function linkInPackage(link: FileEntry): string {
	const target = targetOf(link);
	if (onDrive(target)) return relativeTo(packagedPath(link.file), packagedPath(target));
	return target.startsWith('/') ? relativeTo(packagedPath(link.file), packagedPath(target.slice(1))) : target;
}

function relativeTo(from: string, to: string): string {
	const [a, b] = [folderOf(from).split('/'), to.split('/')];
	let same = 0;
	while (same < a.length && a[same] === b[same]) same++;
	return [...a.slice(same).map(() => '..'), ...b.slice(same)].join('/');
}

/** A name that a package may have: small letters, digits, and `-` between them. */
export const isPackageName = (name: string): boolean => /^[a-z0-9]+(-[a-z0-9]+)*$/.test(name) && name.length <= 64;

/** A name to propose for a package of an app. */
export const packageNameFor = (text: string): string =>
	baseName(text)
		.toLowerCase()
		.replace(/\.[a-z]+$/, '')
		.split(/[^a-z0-9]+/)
		.filter(Boolean)
		.join('-')
		.slice(0, 64)
		.replace(/-$/, '') || 'app';
