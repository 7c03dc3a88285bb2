import { Groups } from '$lib/core/settings/effective';
import type { NotedGroup } from '$lib/core/settings/file';
import { readValue, type Setting, type SettingValue } from '$lib/core/settings/kinds';
import { byId, catalogueOf, type OwnSetting } from '$lib/core/settings/own';
import { readReach } from '$lib/core/settings/reach';
import { LRUCache } from 'lru-cache';
import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import { fromJson } from '../db/json';

/** Every setting that the estate has: those that every estate has, and its own. */
export const catalogueIn = (db: Db): Setting[] =>
	catalogueOf(
		all<{ spec: string }>(db, 'SELECT spec FROM own_settings ORDER BY position').flatMap(
			({ spec }) => fromJson<OwnSetting | null>('own_settings.spec', spec) ?? []
		)
	);

/** A group as it stands in the database, and since when it is as it is. */
export interface GroupRow extends NotedGroup {
	since: number;
	by: string;
}

/** Groups at a moment, the highest rank first. What of a group cannot be read, or is of a setting that there is not, is left out. */
export function groupsAt(db: Db, at: number, catalogue: readonly Setting[] = catalogueIn(db)): GroupRow[] {
	return readGroups(rawGroups(db, at), catalogue);
}

type RawGroup = Omit<GroupRow, 'values' | 'assigned' | 'excluded'> & {
	said: string;
	assigned: string;
	excluded: string;
};

const rawGroups = (db: Db, at: number): RawGroup[] =>
	all<RawGroup>(
		db,
		`SELECT id, name, note, rank, said, assigned, excluded, since, by FROM settings_groups WHERE ${asOf('settings_groups')} ORDER BY rank DESC, name, id`,
		{ at }
	);

function readGroups(rows: readonly RawGroup[], catalogue: readonly Setting[]): GroupRow[] {
	const settings = byId(catalogue);
	const reaches = (column: 'assigned' | 'excluded', text: string) =>
		fromJson<string[]>(`settings_groups.${column}`, text).flatMap((t) => readReach(t) ?? []);
	return rows.map(({ said, assigned, excluded, ...g }) => ({
		...g,
		values: Object.fromEntries(
			Object.entries(fromJson<Record<string, unknown>>('settings_groups.said', said)).flatMap(
				([id, value]): [string, SettingValue][] => {
					const setting = settings.get(id);
					const is = setting ? readValue(setting.type, value) : null;
					return is && 'value' in is ? [[id, is.value]] : [];
				}
			)
		),
		assigned: reaches('assigned', assigned),
		excluded: reaches('excluded', excluded)
	}));
}

export const groupAt = (db: Db, id: string, at: number): GroupRow | null =>
	groupsAt(db, at).find((g) => g.id === id) ?? null;

/** Groups and the settings that they speak of, as they were read from all that stands in their rows: that is most of what asking takes. */
const read = new WeakMap<Db, LRUCache<string, { catalogue: Setting[]; groups: GroupRow[] }>>();
/** The present, and a few moments that somebody compares it with. */
const MOMENTS = 4;

/**
 * The groups of a moment, made ready to be asked. What was worked out by them is not kept beyond that: it goes by teams and branches as
 * they are nested now.
 */
export function settingsAt(db: Db, at: number): Groups {
	const rows = rawGroups(db, at);
	const key = JSON.stringify([all(db, 'SELECT spec FROM own_settings ORDER BY position'), rows]);
	let kept = read.get(db);
	if (!kept) read.set(db, (kept = new LRUCache({ max: MOMENTS })));
	let known = kept.get(key);
	if (!known) {
		const catalogue = catalogueIn(db);
		kept.set(key, (known = { catalogue, groups: readGroups(rows, catalogue) }));
	}
	return new Groups(known.catalogue, known.groups);
}
