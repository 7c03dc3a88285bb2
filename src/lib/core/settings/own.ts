import { CATALOGUE } from './catalogue';
import { readValue, type Setting, type SettingCost, type SettingType, type SubjectKind, type Holds } from './kinds';

/** A setting as an estate adds one: its usual value as people write it. */
export interface OwnSetting {
	id: string;
	name: string;
	area: string;
	words: string;
	type: SettingType;
	usual: unknown;
	for: SubjectKind[];
	holds: Holds;
	cost?: { [K in keyof SettingCost]: SettingCost[K] | undefined } | undefined;
}

const SHIPPED: ReadonlyMap<string, Setting> = new Map(CATALOGUE.map((s) => [s.id, s]));

/** Reads an estate's own setting; what is wrong with it, and at which key, where it cannot be one. */
export function readOwn(given: OwnSetting): { setting: Setting } | { key: 'id' | 'type' | 'usual'; words: string } {
	if (SHIPPED.has(given.id)) return { key: 'id', words: `there is a setting ${given.id} already` };
	const { type } = given;
	if ((type.is === 'number' || type.is === 'span') && type.least > type.most)
		return { key: 'type', words: 'the least is more than the most' };
	if (type.is === 'choice' && new Set(type.of).size < type.of.length)
		return { key: 'type', words: 'a choice stands twice' };
	const usual = readValue(type, given.usual);
	if ('problem' in usual) return { key: 'usual', words: usual.problem };
	const cost = Object.fromEntries(Object.entries(given.cost ?? {}).filter(([, v]) => v !== undefined));
	return {
		setting: {
			id: given.id,
			name: given.name,
			area: given.area,
			words: given.words,
			type,
			usual: usual.value,
			for: [...new Set(given.for)],
			holds: given.holds,
			...(Object.keys(cost).length ? { cost: cost as SettingCost } : {})
		}
	};
}

/** Every setting that an estate has: those that every estate has, then its own. What cannot be one is left out. */
export const catalogueOf = (own: readonly OwnSetting[]): Setting[] => [
	...CATALOGUE,
	...own.flatMap((o) => {
		const read = readOwn(o);
		return 'setting' in read ? [read.setting] : [];
	})
];

/** Settings by their id. */
export const byId = (catalogue: readonly Setting[]): ReadonlyMap<string, Setting> =>
	new Map(catalogue.map((s) => [s.id, s]));
