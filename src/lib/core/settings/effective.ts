import { costOf, sameValue, type Setting, type SettingValue, type SubjectKind } from './kinds';
import { keyOf, nearness, type Reach, type Under } from './reach';

/** Values of settings that belong together, and what they are for. */
export interface SettingsGroup {
	id: string;
	name: string;
	/** Of two groups that say the same setting, the higher rank counts, however near the other is. */
	rank: number;
	values: Readonly<Record<string, SettingValue>>;
	assigned: readonly Reach[];
	/** What falls under one of these is left out, however near it is assigned. */
	excluded: readonly Reach[];
}

/** What a group says of a setting, and by which of its assignments it got there. */
export interface Said {
	group: SettingsGroup;
	value: SettingValue;
	by: Reach;
}

/** The value of a setting that counts in the end, and why. */
export interface Effective {
	setting: Setting;
	value: SettingValue;
	/** What said it; null where no group does. */
	from: Said | null;
	/** What said otherwise, or the same, and does not count: the next to count first. */
	overrode: readonly Said[];
	/** What says another value with the same right: of the two the one counts that lies deeper, or whose id comes first. */
	clash: Said | null;
	/** Groups that would say it, were this not excluded from them, and by what. */
	leftOut: readonly (Said & { out: Reach })[];
}

/** All that counts for one, or for many alike. Settings that no group says are not among `said`. */
export interface EffectiveSettings {
	kind: SubjectKind;
	/** The groups that reach it. */
	groups: readonly SettingsGroup[];
	said: ReadonlyMap<string, Effective>;
}

interface Candidate extends Said {
	under: Under;
}

/**
 * Settings groups, made ready to be asked for many endpoints, machines and sessions: those that fall under the same of what groups are
 * assigned to are worked out once.
 */
export class Groups {
	private readonly assigned = new Map<string, SettingsGroup[]>();
	private readonly excluded = new Map<string, SettingsGroup[]>();
	private readonly settings: ReadonlyMap<string, Setting>;
	private readonly known = new Map<string, EffectiveSettings>();
	/** Keys that groups name, by a number each. */
	private readonly named = new Map<string, number>();

	constructor(
		readonly catalogue: readonly Setting[],
		readonly groups: readonly SettingsGroup[]
	) {
		this.settings = new Map(catalogue.map((s) => [s.id, s]));
		for (const g of groups) {
			for (const r of g.assigned) this.put(this.assigned, keyOf(r), g);
			for (const r of g.excluded) this.put(this.excluded, keyOf(r), g);
		}
	}

	private put(into: Map<string, SettingsGroup[]>, key: string, group: SettingsGroup): void {
		if (!this.named.has(key)) this.named.set(key, this.named.size);
		const list = into.get(key);
		if (list) list.push(group);
		else into.set(key, [group]);
	}

	setting(id: string): Setting | undefined {
		return this.settings.get(id);
	}

	/** Settings that are for a kind of thing, in the order of the catalogue. */
	settingsFor(kind: SubjectKind): Setting[] {
		return this.catalogue.filter((s) => s.for.includes(kind));
	}

	/**
	 * What counts for something that falls under `under`. The answer is the same object for all that nothing tells apart.
	 * @param kind what it is: only settings that are for it are looked at
	 */
	effective(kind: SubjectKind, under: readonly Under[]): EffectiveSettings {
		let key: string = kind;
		for (const u of under) {
			const n = this.named.get(u.key);
			if (n !== undefined) key += `,${n}`;
		}
		let known = this.known.get(key);
		if (!known) this.known.set(key, (known = this.workOut(kind, under)));
		return known;
	}

	private workOut(kind: SubjectKind, under: readonly Under[]): EffectiveSettings {
		const out = new Map<SettingsGroup, Reach>();
		for (const u of under) for (const g of this.excluded.get(u.key) ?? []) if (!out.has(g)) out.set(g, u.reach);
		const nearest = new Map<SettingsGroup, Under>();
		for (const u of under)
			for (const g of this.assigned.get(u.key) ?? []) {
				const other = nearest.get(g);
				if (!other || (order(u, other) || compareText(u.key, other.key)) < 0) nearest.set(g, u);
			}
		const said = new Map<string, { in: Candidate[]; out: (Candidate & { out: Reach })[] }>();
		for (const [group, u] of nearest)
			for (const [id, value] of Object.entries(group.values)) {
				if (!this.settings.get(id)?.for.includes(kind)) continue;
				let of = said.get(id);
				if (!of) said.set(id, (of = { in: [], out: [] }));
				const candidate = { group, value, by: u.reach, under: u };
				const left = out.get(group);
				if (left) of.out.push({ ...candidate, out: left });
				else of.in.push(candidate);
			}
		return {
			kind,
			groups: [...nearest.keys()].filter((g) => !out.has(g)),
			said: new Map(
				[...said].map(([id, of]): [string, Effective] => {
					const setting = this.settings.get(id)!;
					const [first, ...rest] = of.in.sort(counts);
					const leftOut = of.out
						.sort(counts)
						.map(({ group, value, by, out: left }) => ({ group, value, by, out: left }));
					if (!first) return [id, { setting, value: setting.usual, from: null, overrode: [], clash: null, leftOut }];
					const clash = rest.find((r) => alike(first, r) && !sameValue(r.value, first.value));
					return [
						id,
						{
							setting,
							value: first.value,
							from: plain(first),
							overrode: rest.map(plain),
							clash: clash ? plain(clash) : null,
							leftOut
						}
					];
				})
			)
		};
	}
}

const plain = ({ group, value, by }: Candidate): Said => ({ group, value, by });

/** Which of two reaches of the same thing is nearer to it: negative where `a` is. What is below another in a tree lies deeper than it. */
const order = (a: Under, b: Under): number =>
	nearness(b.reach.kind) - nearness(a.reach.kind) || b.above.length - a.above.length;

/** Which of two groups counts: by rank, then by how near it is assigned, then by id. */
const counts = (a: Candidate, b: Candidate): number =>
	b.group.rank - a.group.rank || order(a.under, b.under) || compareText(a.group.id, b.group.id);

/** Whether two groups have the same right: of the same rank, assigned equally near, and to nothing of which one is below the other. */
const alike = (a: Candidate, b: Candidate): boolean =>
	a.group.rank === b.group.rank &&
	nearness(a.by.kind) === nearness(b.by.kind) &&
	(a.under.key === b.under.key || !(isBelow(a.under, b.under) || isBelow(b.under, a.under)));

const isBelow = (a: Under, b: Under): boolean => a.reach.kind === b.reach.kind && a.above.includes(b.reach.id);

const compareText = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** What counts of one setting, where no group says it as well. */
export function effectiveOf(settings: EffectiveSettings, setting: Setting): Effective {
	return (
		settings.said.get(setting.id) ?? {
			setting,
			value: setting.usual,
			from: null,
			overrode: [],
			clash: null,
			leftOut: []
		}
	);
}

/** A part of what applying settings takes at a sign-in: a group, or what no group says. Ms. */
export interface AppliedPart {
	/** Null: values as they usually are. */
	group: string | null;
	name: string;
	ms: number;
	/** Settings of it that take time, the longest first. */
	parts: { name: string; ms: number }[];
}

/**
 * What applying the settings of a session takes in a phase of a sign-in, group by group, on an idle machine.
 * @param trip a round trip to the file servers, ms
 */
export function appliedParts(
	groups: Groups,
	settings: EffectiveSettings,
	phase: 'policies' | 'drives',
	trip: number
): AppliedPart[] {
	const parts = new Map<string | null, AppliedPart>();
	for (const setting of groups.settingsFor(settings.kind)) {
		if (!setting.cost || (setting.cost.phase ?? 'policies') !== phase) continue;
		const { value, from } = effectiveOf(settings, setting);
		const ms = Math.round(costOf(setting, value, trip));
		if (ms === 0) continue;
		const id = from?.group.id ?? null;
		let part = parts.get(id);
		if (!part) parts.set(id, (part = { group: id, name: from?.group.name ?? 'usual values', ms: 0, parts: [] }));
		part.ms += ms;
		part.parts.push({ name: setting.name, ms });
	}
	const list = [...parts.values()];
	for (const p of list) p.parts.sort((a, b) => b.ms - a.ms);
	return list.sort((a, b) => b.ms - a.ms);
}
