import type { SystemKind } from './inventory';

/** What belongs to a system itself, by path; capitals do not matter. */
export interface SystemPlaces {
	/** A folder or file: `C:/System/x.dll`, `usr/bin/x`. */
	file(path: string): boolean;
	/** A key of settings that the system keeps among those of programs. */
	software(key: string): boolean;
}

/**
 * The places of a system. Besides the usual ones, a system has a folder on its drive, and a key among those of programs, that
 * bear its name: the first word of its family. Without a system the usual ones alone are known.
 */
export function systemPlaces(system: SystemKind | null | undefined): SystemPlaces {
	const own = (system?.name.split(' ')[0] ?? '').replace(/[^\p{L}\p{N}]/gu, '');
	const or = own === '' ? '' : `|${own}`;
	const file = new RegExp(
		`^([a-z]:/(system|windows|boot${or})|boot|etc|sys|proc|dev|(usr/)?(s?bin|lib\\d*))(/|$)`,
		'iu'
	);
	const software = new RegExp(`^(machine|person)/software/(system|classes${or})(/|$)`, 'iu');
	return { file: (path) => file.test(path), software: (key) => software.test(key) };
}
