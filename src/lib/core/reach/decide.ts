import type { Explained, Fact } from '../why/explained';
import { hoursWords, inWeek } from '../time/hours';
import { compareFirmware } from '../endpoints/condition';
import { amountWords, momentOfWeek, wayWords, type Names } from './sentence';
import { passagesOf } from './channels';
import {
	OTHERWISE,
	usedUp,
	type AccessRule,
	type Ask,
	type Circumstances,
	type Effect,
	type Reacher,
	type Used,
	type Whom
} from './rules';
import { rangeOnLine, onLine } from './spans';
import { above, type Target, type What } from './targets';
import type { Ground, World } from './world';

/** What came of somebody's wish to reach something. */
export interface Reached {
	effect: Effect;
	/** The rule that decided; `OTHERWISE` where none did. */
	rule: string;
	/** Its number as people count, from 1; null where none did. */
	number: number | null;
	/** What they are told; null where the rule has no words. */
	words: string | null;
}

/** What the rule asks for that is not there yet; null: they are through, or they are refused. */
export function stillAsked(effect: Effect, way: Ask['way'], given: { factor: boolean; reason: boolean }) {
	if (effect === 'factor') return given.factor ? null : 'factor';
	if (effect === 'reason') return given.reason ? null : 'reason';
	if (effect === 'window') return way === 'window' ? null : 'window';
	return null;
}

/** The decision of a rulebook, as quickly as it can be had. */
export const reach = (world: World, ask: Ask, used?: (rule: AccessRule) => Used | undefined): Reached =>
	reachBy(world, ask.person, ask.target, ask, used);

/** The same, of what does not lie in one. */
export function reachBy(
	world: World,
	person: Reacher,
	target: Target,
	c: Circumstances,
	used?: (rule: AccessRule) => Used | undefined
): Reached {
	const n = world.first(person, target, c, used);
	const { rule, effect } = world.deciding[n]!;
	return rule
		? { effect, rule: rule.id, number: n + 1, words: rule.words }
		: { effect, rule: OTHERWISE, number: null, words: null };
}

/** The decision, and for each rule above it the first of its conditions that did not hold. */
export function whyReached(
	world: World,
	ask: Ask,
	names: Names,
	used: (rule: AccessRule) => Used | undefined = () => undefined
): Explained<Reached> {
	const value = reach(world, ask, used);
	const end = value.number === null ? world.rules.length : value.number - 1;
	const about = (i: number) => ({ kind: 'access-rule', id: world.rules[i]!.id, name: `rule ${i + 1}` });
	const facts: Fact[] = world.rules.slice(0, end).map((rule, i) => ({
		words: `rule ${i + 1} does not fit: ${firstMissing(rule, ask, world.ground, names, used(rule)) ?? 'by a condition of its own'}`,
		about: about(i)
	}));
	const side = value.effect === 'refuse' ? 'against' : 'for';
	facts.unshift(
		value.number === null
			? {
					words: `no rule fits, and at the end ${ENDS[ask.target.kind]} ${value.effect === 'allow' ? 'allowed' : 'refused'}`,
					side,
					source: 'access rules'
				}
			: { words: `rule ${value.number} fits`, side, about: about(value.number - 1), source: 'access rules' }
	);
	return { value, facts };
}

const ENDS: Record<Ask['target']['kind'], string> = {
	site: 'the web is',
	service: 'private services are',
	channel: 'what a grant lets pass is'
};

/** The first of a rule’s conditions that does not hold, in words; null where all do. */
export function firstMissing(
	r: AccessRule,
	ask: Ask,
	ground: Ground,
	names: Names,
	had: Used | undefined
): string | null {
	const { person, target } = ask;
	const is = (w: Whom) =>
		w.kind === 'team'
			? person.teams.includes(w.id)
			: w.kind === 'person'
				? person.login === w.id
				: person.employment === w.id;
	const about = (w: What): boolean => {
		if (target.kind === 'channel')
			return (
				w.kind === 'channels' ||
				(w.kind === 'channel' &&
					passagesOf(w.id).includes(target.passage) &&
					(w.upTo === null || target.bytes <= w.upTo))
			);
		if (target.kind === 'service') {
			if (w.kind === 'services') return true;
			if (target.id === null) return false;
			if (w.kind === 'service') return w.id === target.id;
			return w.kind === 'group' && ground.services.find((s) => s.id === target.id)?.group === w.id;
		}
		if (w.kind === 'web') return true;
		if (w.kind === 'category') return ground.catalogue.categoryOf(target.host) === w.id;
		if (w.kind !== 'site') return false;
		return w.name.startsWith('*.') ? [...above(target.host)].includes(w.name.slice(2)) : w.name === target.host;
	};
	if (r.who.length && !r.who.some(is)) return `they are not of ${names.whom(r.who)}`;
	const left = r.whoNot.find(is);
	if (left) return `it leaves out ${names.whom([left])}`;
	if (r.what.length === 0 && target.kind === 'channel')
		return 'it is about what people reach, not what passes a session';
	if (r.what.length && !r.what.some(about)) return `it is about ${names.what(r.what)}`;
	const out = r.whatNot.find(about);
	if (out) return `it leaves out ${names.what([out])}`;
	if (r.pools.length && (ask.pool === null || !r.pools.includes(ask.pool)))
		return `it is for machines of ${names.pools(r.pools)}`;
	if (r.from.length) {
		const n = ask.address === null ? null : onLine(ask.address);
		const ranges = r.from.flatMap((f) => (f.kind === 'network' ? [f.range] : (ground.sites.get(f.id) ?? [])));
		const inside = ranges.some((range) => {
			const ends = rangeOnLine(range);
			return ends !== null && n !== null && ends[0] <= n && n < ends[1];
		});
		if (!inside) return `not from ${names.from(r.from)}`;
	}
	if (r.device.managed && !ask.managed) return 'the device is not managed';
	if (r.device.branches) {
		const over = ask.branch === null ? [] : (ground.branches.get(ask.branch) ?? []);
		if (!r.device.branches.some((b) => over.includes(b)))
			return `the device does not stand in ${names.branches(r.device.branches)}`;
	}
	if (r.device.firmware !== undefined) {
		const order = ask.firmware === null ? null : compareFirmware(ask.firmware, r.device.firmware);
		if (order === null || order < 0)
			return `the device has firmware ${ask.firmware ?? 'that is not known'}, and ${r.device.firmware} is asked for`;
	}
	if (r.device.locks && !ask.locks) return 'the screen of the device does not lock by itself';
	const { hours, duty, holidays } = r.when;
	if (hours && !inWeek(hours, Math.floor(ask.minute / 1440) + 1, ask.minute % 1440))
		return `${momentOfWeek(ask.minute)} lies outside ${hoursWords(hours)}`;
	if (duty === 'on' && !ask.onDuty) return 'they are off duty';
	if (duty === 'off' && ask.onDuty) return 'they are on duty';
	if (holidays === 'only' && !ask.holiday) return 'it is no holiday';
	if (holidays === 'not' && ask.holiday) return 'it is a holiday';
	if (r.how.length && !r.how.includes(ask.way)) return `it is for ${r.how.map(wayWords).join(' or ')}`;
	if (r.daily && had && usedUp(r.daily, had)) return `${amountWords(r.daily)} of today are used up`;
	return null;
}
