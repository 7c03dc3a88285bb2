import semver from 'semver';

/** A part of a version's contents. */
export interface Component {
	name: string;
	version: string;
	/** Bytes. */
	size: number;
}

/** Sorts version numbers by the open semantic-version rules, oldest first. */
export const byVersion = (a: string, b: string): number => semver.compare(a, b);

/** Whether the text is a version number: major.minor.patch, with a pre-release tag if wanted. */
export const isVersion = (text: string): boolean => semver.valid(text) === text;

/** Whether a number is that of a pre-release: nothing that asks for the newest takes it. */
export const isPreRelease = (number: string): boolean => semver.prerelease(number) !== null;

/**
 * The number to propose for what is built next from `newest`: patch when only updates are new, minor when
 * the sheet's steps changed, major when its source did. The first version of a line is 1.0.0.
 */
export function proposeNumber(
	newest: string | null,
	changed: 'updates' | 'steps' | 'source',
	taken: ReadonlySet<string>
): string {
	if (newest === null) return '1.0.0';
	const kind = { updates: 'patch', steps: 'minor', source: 'major' } as const;
	let next = semver.inc(newest, kind[changed])!;
	while (taken.has(next)) next = semver.inc(next, kind[changed])!;
	return next;
}

export interface ContentsChange {
	name: string;
	before: string | null;
	after: string | null;
	/** Bytes that the newer one adds; negative when it is smaller. */
	bytes: number;
}

/** What differs between the contents of two versions, largest change first. Equal components are left out. */
export function compareContents(before: Component[], after: Component[]): ContentsChange[] {
	const old = new Map(before.map((c) => [c.name, c]));
	const changes: ContentsChange[] = [];
	for (const c of after) {
		const was = old.get(c.name);
		old.delete(c.name);
		if (was?.version !== c.version || was.size !== c.size) {
			changes.push({ name: c.name, before: was?.version ?? null, after: c.version, bytes: c.size - (was?.size ?? 0) });
		}
	}
	for (const gone of old.values())
		changes.push({ name: gone.name, before: gone.version, after: null, bytes: -gone.size });
	return changes.sort((a, b) => Math.abs(b.bytes) - Math.abs(a.bytes) || (a.name < b.name ? -1 : 1));
}

/** The version of a machine that was taken over as it was: no image of ours, and older than each. */
export const AS_FOUND = '0.0.0-found';

/** A line and a version as they are shown. */
export const imageWords = (line: string, version: string): string =>
	version === AS_FOUND ? 'as it was found' : `${line} ${version}`;
