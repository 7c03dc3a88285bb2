import { ANYWHERE, OTHERWISE, type AccessRule, type Effect } from '$lib/core/reach/rules';
import type { Comparison, Difference } from '$lib/core/reach/compare';
import { effectWords, momentOfWeek, wayWords, type Names } from '$lib/core/reach/sentence';
import type { Catalogue, Target } from '$lib/core/reach/targets';
import type { RuleTest, Tested } from '$lib/core/reach/tests';
import { rangeOnLine } from '$lib/core/reach/spans';
import { DIMENSIONS, type World } from '$lib/core/reach/world';
import { channelWords } from '$lib/core/reach/channels';
import { countWords, sizeWords } from '$lib/core/time/units';

/** So many targets are named. */
const NAMED = 3;

const VERBS: Record<Difference['kind'], readonly [string, string]> = {
	lose: ['person loses', 'people lose'],
	gain: ['person gains', 'people gain'],
	more: ['person is asked for more at', 'people are asked for more at'],
	less: ['person is asked for less at', 'people are asked for less at']
};

function targetWords(t: Target, names: Names): string {
	if (t.kind === 'site') return t.host;
	if (t.kind === 'channel') return `${channelWords(t.passage)}${t.bytes > 0 ? `, ${sizeWords(t.bytes)} at once` : ''}`;
	return t.id === null ? 'what is inside and no service' : names.what([{ kind: 'service', id: t.id }]);
}

/** Targets in words: a few by name, more of them by what they are. */
export function targetsWords(targets: readonly Target[], names: Names, catalogue: Catalogue | null = null): string {
	if (targets.length <= NAMED || !catalogue) {
		const named = targets.slice(0, NAMED).map((t) => targetWords(t, names));
		return targets.length > NAMED ? `${named.join(', ')} and ${targets.length - NAMED} more` : named.join(', ');
	}
	/** How many of each kind: services by their names, sites by their category. */
	const kinds = new Map<string, number>();
	let others = 0;
	for (const t of targets) {
		const category = t.kind === 'site' ? catalogue.categoryOf(t.host) : null;
		const kind =
			t.kind === 'channel'
				? channelWords(t.passage)
				: t.kind === 'service'
					? targetWords(t, names)
					: category === null
						? null
						: names.what([{ kind: 'category', id: category }]);
		if (kind === null) others++;
		else kinds.set(kind, (kinds.get(kind) ?? 0) + 1);
	}
	const most = [...kinds].sort((a, b) => b[1] - a[1]).map(([kind]) => kind);
	return [
		...most.slice(0, NAMED),
		...(most.length > NAMED ? [countWords(most.length - NAMED, 'other kind')] : []),
		...(others ? [countWords(others, 'site of no category', 'sites of no category')] : [])
	].join(', ');
}

/** The rule that decides, as people count; where none does, the end of the list. */
const byRule = (id: string, rules: readonly AccessRule[]): string => {
	const n = rules.findIndex((r) => r.id === id);
	return id === OTHERWISE || n < 0 ? 'the end of the list' : `rule ${n + 1}`;
};

/** So many ranges are named. */
const RANGES = 3;

/** Where people sit, by classes of addresses, in words: the sites that they take in, or those that they leave out. */
function fromWords(classes: readonly number[], world: World, names: Names): string {
	const taken = new Set(classes);
	const of = (ranges: readonly string[]) =>
		ranges.flatMap((r) => {
			const ends = rangeOnLine(r);
			return ends ? [...world.stretchesIn(...ends)] : [];
		});
	const sites = [...world.ground.sites].map(([id, ranges]) => ({ kind: 'site' as const, id, classes: of(ranges) }));
	const { classOf, examples } = world.dimensions[DIMENSIONS.indexOf('address')]!;
	// Whoever comes from nowhere that is known comes from elsewhere.
	if (taken.has(classOf(ANYWHERE))) {
		const out = sites.filter((s) => !s.classes.some((c) => taken.has(c)));
		return out.length ? `from outside ${names.from(out)}` : 'from outside some networks';
	}
	const inside = sites.filter((s) => s.classes.length > 0 && s.classes.every((c) => taken.has(c)));
	if (inside.length) return `from ${names.from(inside)}`;
	const some = classes.flatMap((c) => examples[c]!.flatMap((e) => e.address ?? []));
	return `from networks such as those of ${some.slice(0, RANGES).join(', ')}`;
}

/** The circumstances in which something is so, in words; empty where it is in all. */
export function onlyWords(
	d: Pick<Difference, 'only' | 'usedUp'>,
	{ world }: Pick<Comparison, 'world'>,
	names: Names
): string {
	const parts = d.only.map(({ dimension, classes }) => {
		const { name, examples } = world.dimensions[dimension]!;
		const [example] = examples[classes[0]!]!;
		switch (name) {
			case 'pool': {
				const pools = (of: readonly number[]) =>
					names.pools(of.flatMap((c) => examples[c]!.flatMap((e) => e.pool ?? [])));
				// Whoever is on no machine of ours is on none of any pool that is told apart and not among these.
				if (classes.some((c) => examples[c]!.some((e) => e.pool === null)))
					return `away from machines of ${pools(examples.flatMap((_e, c) => (classes.includes(c) ? [] : [c])))}`;
				return `on machines of ${pools(classes)}`;
			}
			case 'address':
				return fromWords(classes, world, names);
			case 'managed':
				return example!.managed ? 'on managed devices' : 'on devices that are not managed';
			case 'branch': {
				const branches = (of: readonly number[]) => {
					const ids = of.flatMap((c) => examples[c]!.flatMap((e) => e.branch ?? []));
					return `${names.branches(ids.slice(0, NAMED))}${ids.length > NAMED ? ` and ${ids.length - NAMED} more` : ''}`;
				};
				return classes.some((c) => examples[c]!.some((e) => e.branch === null))
					? `on devices outside ${branches(examples.flatMap((_e, c) => (classes.includes(c) ? [] : [c])))}`
					: `on devices of ${branches(classes)}`;
			}
			case 'firmware':
				return example!.firmware === null ? 'with older firmware' : `with firmware ${example!.firmware} or later`;
			case 'locks':
				return example!.locks ? 'with a screen that locks' : 'with a screen that does not lock';
			case 'minute':
				return `at hours such as ${momentOfWeek(example!.minute!)}`;
			case 'onDuty':
				return example!.onDuty ? 'on duty' : 'off duty';
			case 'holiday':
				return example!.holiday ? 'on holidays' : 'not on holidays';
			case 'way':
				return `through ${wayWords(example!.way!)}`;
		}
	});
	if (d.usedUp) parts.push('once the share of a day is used up');
	return parts.join(', ');
}

const ONE: Record<Difference['kind'], string> = {
	lose: 'loses',
	gain: 'gains',
	more: 'is asked for more at',
	less: 'is asked for less at'
};

/**
 * A difference in words: by which rule instead of which, and that said of everybody and of each:
 * `“Refuse” by rule 5 instead of “Allow” by rule 3`, `470 people lose Depth store: …, only off duty`, `loses Depth store: …`.
 */
export function differenceWords(
	d: Difference,
	comparison: Comparison,
	before: readonly AccessRule[],
	after: readonly AccessRule[],
	names: Names
): { by: string; all: string; each: string } {
	const only = onlyWords(d, comparison, names);
	const by = `“${effectWords(d.after.effect)}” by ${byRule(d.after.rule, after)} instead of “${effectWords(d.before.effect)}” by ${byRule(d.before.rule, before)}`;
	const what = `${targetsWords(d.targets, names, comparison.world.ground.catalogue)}: ${by}${only ? `, only ${only}` : ''}`;
	return { by, all: `${countWords(d.count, ...VERBS[d.kind])} ${what}`, each: `${ONE[d.kind]} ${what}` };
}

/** How a test came out, in a sentence. */
export function testedWords(t: RuleTest, came: Tested, names: Names): string {
	if (came.holds === true)
		return `holds for ${came.people === 1 ? 'one person' : `all ${countWords(came.people, 'person', 'people')}`} of ${names.whom([t.who])}`;
	if (came.holds === null) return 'takes too long to work out';
	if (came.nobody) return `nobody is of ${names.whom([t.who])}`;
	const by = came.rule === OTHERWISE ? 'the end of the list' : `rule ${came.number}`;
	return `${names.whom([{ kind: 'person', id: came.example.person.login }])} comes to “${effectWords(came.effect).toLowerCase()}” by ${by}`;
}

/** What becomes of somebody who wants to reach something. */
const OUTCOMES: Record<Effect, string> = {
	allow: 'may',
	reason: 'say what for',
	factor: 'show their second factor',
	window: 'in an isolated window alone',
	refuse: 'may not'
};
export const outcomeWords = (effect: Effect): string => OUTCOMES[effect];
