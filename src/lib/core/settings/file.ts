import { Document, isScalar, stringify, visit, type YAMLSeq } from 'yaml';
import type { Bounds } from '../text/bounds';
import { nearest } from '../text/nearest';
import { positionOf, type Position } from '../text/positions';
import { readYaml } from '../text/yaml';
import type { SettingsGroup } from './effective';
import { readValue, writtenValue, type Setting, type SettingValue } from './kinds';
import { reachText, readReach, type Reach } from './reach';

/** Settings groups as they are written: in a file, in an estate file, and in what the API is sent. */

export const GROUP_LIMITS = { groups: 500, values: 300, reaches: 500, name: 100, note: 2000 } as const;
const BOUNDS: Bounds = { characters: 2_000_000, depth: 8, nodes: 200_000 };

/** A group with what people wrote about it. */
export interface NotedGroup extends SettingsGroup {
	note: string;
}

/** Something wrong with a group, and where within it: `values.power.sleep-after` has its id as one part. */
export interface GroupProblem {
	path: (string | number)[];
	words: string;
}

const ID = /^[a-z0-9][a-z0-9.-]{0,79}$/;
const KEYS = ['id', 'name', 'rank', 'note', 'values', 'assigned', 'excluded'];

/** The rank that a group has where nothing else is said, and the highest. */
export const RANK = { usual: 100, most: 1000 } as const;

/**
 * Reads one group. Values may be written as people do: `20 min`, `on`.
 * @returns the group, or everything that is wrong with it
 */
export function readGroup(
	settings: ReadonlyMap<string, Setting>,
	given: unknown
): { group: NotedGroup } | { problems: GroupProblem[] } {
	const problems: GroupProblem[] = [];
	const wrong = (words: string, ...path: (string | number)[]) => {
		if (problems.length < 200) problems.push({ path, words });
	};
	if (!isRecord(given)) return { problems: [{ path: [], words: `A group has ${KEYS.join(', ')}.` }] };
	for (const key of Object.keys(given))
		if (!KEYS.includes(key)) wrong(`There is no “${key.slice(0, 60)}” in a group.`, key);
	const { id, name, note = '' } = given;
	if (typeof id !== 'string' || !ID.test(id)) wrong('Small letters, digits, dots and hyphens.', 'id');
	if (typeof name !== 'string' || name.trim() === '') wrong('Write a name.', 'name');
	else if (name.length > GROUP_LIMITS.name) wrong(`At most ${GROUP_LIMITS.name} characters.`, 'name');
	if (typeof note !== 'string' || note.length > GROUP_LIMITS.note)
		wrong(`At most ${GROUP_LIMITS.note} characters.`, 'note');
	const rank = given.rank === undefined ? RANK.usual : Number(given.rank);
	if (!Number.isInteger(rank) || rank < 1 || rank > RANK.most)
		wrong(`Write a whole number from 1 to ${RANK.most}.`, 'rank');
	const values: Record<string, SettingValue> = Object.create(null) as Record<string, SettingValue>;
	const written = given.values ?? {};
	if (!isRecord(written)) wrong('Write settings with their values.', 'values');
	else {
		const entries = Object.entries(written);
		if (entries.length > GROUP_LIMITS.values) wrong(`At most ${GROUP_LIMITS.values} settings.`, 'values');
		else
			for (const [key, value] of entries) {
				const setting = settings.get(key);
				if (!setting) {
					const near = nearest(key.slice(0, 100), [...settings.keys()]);
					wrong(
						`There is no setting ${key.slice(0, 60)}.${near === null ? '' : ` Do you mean ${near}?`}`,
						'values',
						key
					);
					continue;
				}
				const read = readValue(setting.type, value);
				if ('problem' in read) wrong(`${setting.name}: ${read.problem}`, 'values', key);
				else values[key] = read.value;
			}
	}
	const assigned = readReaches(given.assigned, 'assigned', wrong);
	const excluded = readReaches(given.excluded, 'excluded', wrong);
	for (const [i, r] of excluded.entries())
		if (assigned.some((a) => reachText(a) === reachText(r)))
			wrong(`It is assigned to ${reachText(r)} and left out there alike.`, 'excluded', i);
	if (problems.length) return { problems };
	return {
		group: {
			id: id as string,
			name: (name as string).trim(),
			note: note as string,
			rank,
			values: { ...values },
			assigned,
			excluded
		}
	};
}

function readReaches(
	given: unknown,
	key: 'assigned' | 'excluded',
	wrong: (words: string, ...path: (string | number)[]) => void
): Reach[] {
	if (given === undefined || given === null) return [];
	if (!Array.isArray(given)) {
		wrong('Write a list, such as [endpoints, branch/ships].', key);
		return [];
	}
	if (given.length > GROUP_LIMITS.reaches) {
		wrong(`At most ${GROUP_LIMITS.reaches}.`, key);
		return [];
	}
	const seen = new Set<string>();
	return given.flatMap((text: unknown, i): Reach[] => {
		const reach = typeof text === 'string' ? readReach(text) : null;
		if (!reach)
			wrong('Write everything, endpoints, machines, or one such as branch/ships, team/watch, pool/desks.', key, i);
		else if (seen.has(reachText(reach))) wrong(`${reachText(reach)} stands twice.`, key, i);
		if (!reach) return [];
		seen.add(reachText(reach));
		return [reach];
	});
}

/** A group as it is written: what `readGroup` reads back to the same. */
export function writtenGroup(settings: ReadonlyMap<string, Setting>, g: NotedGroup) {
	return {
		id: g.id,
		name: g.name,
		rank: g.rank,
		...(g.note ? { note: g.note } : {}),
		values: Object.fromEntries(
			Object.entries(g.values).flatMap(([id, value]) => {
				const setting = settings.get(id);
				return setting ? [[id, writtenValue(setting.type, value)]] : [];
			})
		),
		assigned: g.assigned.map(reachText),
		excluded: g.excluded.map(reachText)
	};
}

/** Groups as a file: YAML, what lists hold in one line. Reading it again gives the same groups, and writing those the same bytes. */
export function writeGroups(settings: ReadonlyMap<string, Setting>, groups: readonly NotedGroup[]): string {
	const document = new Document({ 'settings-groups': 1, groups: groups.map((g) => writtenGroup(settings, g)) });
	visit(document, {
		Seq(_key, node) {
			if (node.items.every((item) => isScalar(item))) (node as YAMLSeq).flow = true;
		}
	});
	return stringify(document, { lineWidth: 0, flowCollectionPadding: false });
}

/** Something wrong in a file of groups, and where. */
export interface FileProblem extends Position {
	words: string;
}

/** Reads a file of groups: all of them, or every problem with its line and column. */
export function readGroups(
	settings: ReadonlyMap<string, Setting>,
	text: string
): { groups: NotedGroup[] } | { problems: FileProblem[] } {
	const read = readYaml(text, BOUNDS, false);
	if ('problems' in read) return { problems: read.problems.map(({ message, ...at }) => ({ ...at, words: message })) };
	const { document, lines, value } = read;
	const problems: FileProblem[] = [];
	const complain = (path: (string | number)[], words: string) => {
		if (problems.length < 200) problems.push({ ...positionOf(document, lines, path), words });
	};
	if (!isRecord(value)) return { problems: [{ line: 1, column: 1, words: 'Expected settings-groups and groups.' }] };
	for (const key of Object.keys(value))
		if (key !== 'settings-groups' && key !== 'groups')
			complain([key], `Unknown key “${key.slice(0, 60)}”; a file has settings-groups and groups.`);
	if (value['settings-groups'] !== 1)
		complain(['settings-groups'], 'Expected “settings-groups: 1”, the version of this format.');
	const groups: NotedGroup[] = [];
	if (!Array.isArray(value.groups)) complain(['groups'], '“groups” is missing: a list.');
	else if (value.groups.length > GROUP_LIMITS.groups) complain(['groups'], `At most ${GROUP_LIMITS.groups} groups.`);
	else
		value.groups.forEach((given: unknown, i) => {
			const one = readGroup(settings, given);
			if ('problems' in one) for (const p of one.problems) complain(['groups', i, ...p.path], p.words);
			else if (groups.some((g) => g.id === one.group.id))
				complain(['groups', i, 'id'], `A second group has the id ${one.group.id}.`);
			else groups.push(one.group);
		});
	return problems.length ? { problems } : { groups };
}

const isRecord = (x: unknown): x is Record<string, unknown> => typeof x === 'object' && x !== null && !Array.isArray(x);
