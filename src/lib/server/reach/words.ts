import { ANYWHERE, OTHERWISE, type AccessRule } from '$lib/core/reach/rules';
import type { Comparison, Difference } from '$lib/core/reach/compare';
import { effectWords, momentOfWeek, wayWords, type Names } from '$lib/core/reach/sentence';
import type { Target } from '$lib/core/reach/targets';
import type { RuleTest, Tested } from '$lib/core/reach/tests';
import { rangeOnLine } from '$lib/core/reach/spans';
import { DIMENSIONS, type World } from '$lib/core/reach/world';
import { countWords } from '$lib/core/time/units';

/** So many targets are named. */
const NAMED = 3;

const VERBS: Record<Difference['kind'], readonly [string, string]> = {
	lose: ['person loses', 'people lose'],
	gain: ['person gains', 'people gain'],
	more: ['person is asked for more at', 'people are asked for more at'],
	less: ['person is asked for less at', 'people are asked for less at']
};

const targetWords = (t: Target, names: Names): string =>
	t.kind === 'site'
		? t.host
		: t.id === null
			? 'what is inside and no service'
			: names.what([{ kind: 'service', id: t.id }]);

/** Targets in words: a few by name. */
export function targetsWords(targets: readonly Target[], names: Names): string {
	const named = targets.slice(0, NAMED).map((t) => targetWords(t, names));
	return targets.length > NAMED ? `${named.join(', ')} and ${targets.length - NAMED} more` : named.join(', ');
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
			case 'pool':
				return example!.pool === null ? 'on no such machine' : `on machines of ${example!.pool}`;
			case 'address':
				return fromWords(classes, world, names);
			case 'managed':
				return example!.managed ? 'on managed devices' : 'on devices that are not managed';
			case 'branch':
				return example!.branch === null ? 'on devices that stand in no branch' : `on devices of ${example!.branch}`;
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

/** What differs, but for whom: `Depth store: “Refuse” by rule 5 instead of “Allow” by rule 3, only off duty`. */
const whatDiffers = (
	d: Difference,
	comparison: Comparison,
	before: readonly AccessRule[],
	after: readonly AccessRule[],
	names: Names
): string => {
	const only = onlyWords(d, comparison, names);
	return `${targetsWords(d.targets, names)}: “${effectWords(d.after.effect)}” by ${byRule(d.after.rule, after)} instead of “${effectWords(d.before.effect)}” by ${byRule(d.before.rule, before)}${only ? `, only ${only}` : ''}`;
};

const ONE: Record<Difference['kind'], string> = {
	lose: 'loses',
	gain: 'gains',
	more: 'is asked for more at',
	less: 'is asked for less at'
};

/** A difference, said of everybody and of one: `470 people lose the depth store: …`, `loses the depth store: …`. */
export function differenceWords(...of: Parameters<typeof whatDiffers>): { all: string; each: string } {
	const [d] = of;
	const what = whatDiffers(...of);
	return { all: `${countWords(d.count, ...VERBS[d.kind])} ${what}`, each: `${ONE[d.kind]} ${what}` };
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
