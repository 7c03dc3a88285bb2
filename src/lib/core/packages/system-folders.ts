import type { SystemKind } from './inventory';

/** What belongs to a system itself, by path; capitals do not matter. */
export interface SystemFolders {
	/** A folder or file: `C:/System/x.dll`, `usr/bin/x`. */
	file(path: string): boolean;
	/** A key of settings that the system keeps among those of programs. */
	software(key: string): boolean;
}

/** What of its name a system's folder and key bear: the first word of its family, letters and digits alone; empty where there are none. */
const ownName = (system: SystemKind | null | undefined): string =>
	(system?.name.split(' ')[0] ?? '').replace(/[^\p{L}\p{N}]/gu, '');

/** Where a system keeps its own: a folder on its drive, and a key among those of programs. Whoever writes there asks here. */
export function systemHome(system: SystemKind | null | undefined): { folder: string; key: string } {
	const own = ownName(system) || 'System';
	return { folder: `C:/${own}`, key: `Machine/Software/${own}` };
}

/** The folders of a system: the usual ones, and its own home. Without a system the usual ones alone are known. */
export function systemFolders(system: SystemKind | null | undefined): SystemFolders {
	const own = ownName(system);
	const or = own === '' ? '' : `|${own}`;
	const file = new RegExp(
		`^([a-z]:/(system|windows|boot${or})|boot|etc|sys|proc|dev|(usr/)?(s?bin|lib\\d*))(/|$)`,
		'iu'
	);
	const software = new RegExp(`^(machine|person)/software/(system|classes${or})(/|$)`, 'iu');
	return { file: (path) => file.test(path), software: (key) => software.test(key) };
}
