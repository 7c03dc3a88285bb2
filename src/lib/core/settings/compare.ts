import type { EffectiveSettings, Groups } from './effective';
import { effectiveOf } from './effective';
import { sameValue, type Setting, type SettingValue, type SubjectKind } from './kinds';
import { nearness, type Reach, type Under } from './reach';

/** Something that settings count for. */
export interface Subject {
	kind: SubjectKind;
	under: readonly Under[];
}

/** A setting that counts otherwise. */
export interface Change {
	setting: Setting;
	from: SettingValue;
	to: SettingValue;
}

/** Subjects whose settings change alike. */
export interface Changed<S extends Subject> {
	subjects: S[];
	changes: Change[];
}

/** What counts otherwise between two, in the order of the catalogue of the second. */
export function changesBetween(
	before: { groups: Groups; settings: EffectiveSettings },
	after: { groups: Groups; settings: EffectiveSettings }
): Change[] {
	const changes: Change[] = [];
	for (const id of new Set([...before.settings.said.keys(), ...after.settings.said.keys()])) {
		const setting = after.groups.setting(id) ?? before.groups.setting(id);
		if (!setting) continue;
		const from = effectiveOf(before.settings, setting).value;
		const to = effectiveOf(after.settings, setting).value;
		if (!sameValue(from, to)) changes.push({ setting, from, to });
	}
	const rank = new Map(after.groups.catalogue.map((s, i) => [s.id, i]));
	return changes.sort((a, b) => (rank.get(a.setting.id) ?? 0) - (rank.get(b.setting.id) ?? 0));
}

/** Who gets which values instead of which, between two sets of groups: those that change alike together, the most first. */
export function compareGroups<S extends Subject>(before: Groups, after: Groups, subjects: Iterable<S>): Changed<S>[] {
	const pairs = new Map<EffectiveSettings, Map<EffectiveSettings, Changed<S>>>();
	for (const s of subjects) {
		const was = before.effective(s.kind, s.under);
		const is = after.effective(s.kind, s.under);
		let of = pairs.get(was);
		if (!of) pairs.set(was, (of = new Map()));
		let changed = of.get(is);
		if (!changed)
			of.set(
				is,
				(changed = {
					subjects: [],
					changes: changesBetween({ groups: before, settings: was }, { groups: after, settings: is })
				})
			);
		changed.subjects.push(s);
	}
	const all = [...pairs.values()].flatMap((of) => [...of.values()]).filter((c) => c.changes.length > 0);
	// What changes in the same way is one, whatever it came from.
	const alike = new Map<string, Changed<S>>();
	for (const c of all) {
		const key = JSON.stringify([c.subjects[0]!.kind, c.changes.map((x) => [x.setting.id, x.from, x.to])]);
		const known = alike.get(key);
		if (known) for (const s of c.subjects) known.subjects.push(s);
		else alike.set(key, c);
	}
	return [...alike.values()].sort((a, b) => b.subjects.length - a.subjects.length);
}

/** Two groups that say a setting otherwise, with the same right, and how many they meet at. */
export interface Clash<S extends Subject> {
	setting: Setting;
	groups: [id: string, id: string];
	/** What each is assigned to there. */
	by: [Reach, Reach];
	counts: SettingValue;
	subjects: number;
	first: S;
}

/**
 * Whether any two groups could clash, whatever there is: they are of the same rank, say a setting otherwise, and are assigned equally near.
 * Where none could, nobody has to be looked at.
 */
export function couldClash({ groups }: Groups): boolean {
	const equallyNear = (a: readonly Reach[], b: readonly Reach[]) => {
		const near = new Set(a.map((r) => nearness(r.kind)));
		return b.some((r) => near.has(nearness(r.kind)));
	};
	return groups.some((a, i) =>
		groups
			.slice(i + 1)
			.some(
				(b) =>
					a.rank === b.rank &&
					Object.entries(a.values).some(([id, value]) => id in b.values && !sameValue(value, b.values[id]!)) &&
					equallyNear(a.assigned, b.assigned)
			)
	);
}

/** Every clash among subjects, the most first. */
export function clashesAmong<S extends Subject>(groups: Groups, subjects: Iterable<S>): Clash<S>[] {
	const classes = new Map<EffectiveSettings, { first: S; n: number }>();
	for (const s of subjects) {
		const e = groups.effective(s.kind, s.under);
		const known = classes.get(e);
		if (known) known.n++;
		else classes.set(e, { first: s, n: 1 });
	}
	const found = new Map<string, Clash<S>>();
	for (const [settings, { first, n }] of classes)
		for (const e of settings.said.values()) {
			if (!e.clash || !e.from) continue;
			const pair = [e.from.group.id, e.clash.group.id] as const;
			const key = [e.setting.id, ...[...pair].sort()].join('\0');
			const known = found.get(key);
			if (known) known.subjects += n;
			else
				found.set(key, {
					setting: e.setting,
					groups: [...pair],
					by: [e.from.by, e.clash.by],
					counts: e.value,
					subjects: n,
					first
				});
		}
	return [...found.values()].sort((a, b) => b.subjects - a.subjects || (a.setting.id < b.setting.id ? -1 : 1));
}
