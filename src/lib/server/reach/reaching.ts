import { reach, stillAsked, type Reached } from '$lib/core/reach/decide';
import { PASSAGES, type Passage } from '$lib/core/reach/channels';
import type { Circumstances, Effect } from '$lib/core/reach/rules';
import type { Target } from '$lib/core/reach/targets';
import type { Db } from '../db';
import { everybody, type DirectoryPerson } from '../directory';
import { circumstancesAt } from './circumstances';
import { asReacher, reachersAt, servicesAt, spokenAt } from './queries';
import { inForceAt } from './standing';
import { targetOf } from './tester';
import { outcomeWords, targetsWords } from './words';

/** What rules come to at a moment, in the circumstances in which everybody is as far as they are known. */

/** Somebody and what becomes of their wish to reach something. */
export interface Reaching extends Reached {
	person: DirectoryPerson;
}

/** Tells of anything who reaches it: whoever is there, in the order of people. */
export function reachingAt(db: Db, at: number): (target: Target) => Reaching[] {
	const { world } = inForceAt(db, at);
	const of = circumstancesAt(db, at);
	const reachers = reachersAt(db, at);
	const asks = everybody(db, at).map((person, i) => ({ person, ask: { ...of(person), person: reachers[i]! } }));
	return (target) => asks.map(({ person, ask }) => ({ person, ...reach(world, { ...ask, target }) }));
}

/** Whoever is there, and whether they reach something: in the order of people. */
export const whoReaches = (db: Db, target: Target, at: number): Reaching[] => reachingAt(db, at)(target);

/** People who fare alike, by the same rule. */
export interface Group {
	effect: Effect;
	/** The number of the rule; null: the end of the list decides. */
	number: number | null;
	people: DirectoryPerson[];
}

/** People by what becomes of their wish: by rules in their order, the end of the list last. */
export function grouped(reaching: readonly Reaching[]): Group[] {
	const groups = new Map<string, Group>();
	for (const { effect, number, person } of reaching) {
		const key = `${number} ${effect}`;
		const group = groups.get(key);
		if (group) group.people.push(person);
		else groups.set(key, { effect, number, people: [person] });
	}
	return [...groups.values()].sort((a, b) => (a.number ?? Infinity) - (b.number ?? Infinity));
}

/** What somebody reaches: each service, and the categories of web sites by how many names of them they reach by which rule. */
export interface Reachable {
	services: ({ id: string; name: string } & Reached)[];
	web: ({ names: number; categories: { id: string; name: string; names: number }[] } & Reached)[];
}

/** What somebody can reach at a moment, in the circumstances in which they are. */
export function reachableBy(db: Db, person: DirectoryPerson, at: number): Reachable {
	const { world } = inForceAt(db, at);
	const ask = { ...circumstancesAt(db, at, person)(person), person: asReacher(person) };
	const decided = (target: Target) => reach(world, { ...ask, target });
	/** Most names are of few kinds that no rule tells apart: each kind is decided once. */
	const kinds = new Map<unknown, Reached>();
	const { names } = spokenAt(db, at);
	const web = new Map<string, { reached: Reached; names: number; categories: Map<string, number> }>();
	for (const [host, category] of world.ground.catalogue.names) {
		const target: Target = { kind: 'site', host };
		const kind = world.targetBits(target);
		const reached = kinds.get(kind) ?? decided(target);
		kinds.set(kind, reached);
		const key = `${reached.rule} ${reached.effect}`;
		let row = web.get(key);
		if (!row) web.set(key, (row = { reached, names: 0, categories: new Map() }));
		row.names++;
		row.categories.set(category, (row.categories.get(category) ?? 0) + 1);
	}
	return {
		services: servicesAt(db, at).map(({ id, name }) => ({ id, name, ...decided({ kind: 'service', id }) })),
		web: [...web.values()]
			.map(({ reached, names: n, categories }) => ({
				...reached,
				names: n,
				categories: [...categories]
					.map(([id, count]) => ({ id, name: names.what([{ kind: 'category', id }]), names: count }))
					.sort((a, b) => b.names - a.names || a.name.localeCompare(b.name))
			}))
			.sort((a, b) => (a.number ?? Infinity) - (b.number ?? Infinity))
	};
}

/** How much passes a session one way by the rules: so many bytes at once, null: however many; and what decides about whatever is more, or about all. */
export interface Passing extends Reached {
	passage: Passage;
	upTo: number | null;
}

/**
 * What rules let pass the sessions of somebody at a moment, in the circumstances in which they are; what a grant does not give passes none the more for it.
 * @param more what of the circumstances is otherwise
 * @param factor whether they have shown their second factor
 */
export function passingOf(
	db: Db,
	person: DirectoryPerson,
	at: number,
	more: Partial<Circumstances> = {},
	factor = false
): Passing[] {
	const { world } = inForceAt(db, at);
	const ask = { ...circumstancesAt(db, at, person)(person), ...more, person: asReacher(person) };
	return PASSAGES.map((passage): Passing => {
		const sizes = world.sizesOf(passage);
		let upTo = 0;
		for (const size of [...sizes, null]) {
			const bytes = size ?? (sizes.at(-1) ?? 0) + 1;
			const reached = reach(world, { ...ask, target: { kind: 'channel', passage, bytes } });
			if (reached.effect === 'refuse' || stillAsked(reached.effect, ask.way, { factor, reason: false }))
				return { passage, upTo, ...reached };
			if (size === null) return { passage, upTo: null, ...reached };
			upTo = size;
		}
		throw new RangeError('the last size is none');
	});
}

/** So many people are shown at once. */
const SHOWN = 200;

/** So many decisions are made for one figure of a card; more take too long for it. */
const DECISIONS = 200_000;

/** How many people a rule decides about anything for, in the circumstances in which they are; null: too much to work out here. */
export function decidesNow(db: Db, id: string, at: number): number | null {
	const { world, book } = inForceAt(db, at);
	const n = book.rules.findIndex((r) => r.id === id);
	const people = everybody(db, at);
	const reachers = reachersAt(db, at);
	// Of all that the rule is about, one of each kind that no rule tells apart.
	const kinds = new Map<unknown, Target>();
	for (const t of world.allTargets()) {
		const bits = world.targetBits(t);
		if ((bits[n >>> 5]! >>> (n & 31)) & 1) kinds.set(bits, t);
	}
	const targets = [...kinds.values()];
	if (people.length * targets.length > DECISIONS) return null;
	const of = circumstancesAt(db, at);
	return people.filter((person, i) => {
		const circumstances = of(person);
		return targets.some((t) => world.first(reachers[i]!, t, circumstances) === n);
	}).length;
}

/** Everybody who fares alike with something, by the rule that decides; `end` where none does. */
export function reachersView(db: Db, what: string, by: string | null, offset: number, at: number) {
	const target = targetOf(what, servicesAt(db, at));
	const { names } = spokenAt(db, at);
	const all = whoReaches(db, target, at);
	const groups = grouped(all).map(({ effect, number, people }) => ({
		by: String(number ?? 'end'),
		number,
		outcome: outcomeWords(effect),
		people: people.length
	}));
	const rows = by === null ? all : all.filter((r) => String(r.number ?? 'end') === by);
	return {
		target: targetsWords([target], names),
		groups,
		rows: rows.slice(offset, offset + SHOWN).map(({ person, effect, number }) => ({
			login: person.login,
			name: person.name,
			team: names.whom([{ kind: 'team', id: person.team }]),
			outcome: outcomeWords(effect),
			number
		})),
		offset,
		total: rows.length,
		shown: SHOWN
	};
}
