import { LRUCache } from 'lru-cache';
import { ruleWords } from '$lib/core/reach/sentence';
import { World, type Ground } from '$lib/core/reach/world';
import { one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { bookAt, groundAt, rangesAt, spokenAt, type BookRow } from './queries';

/** Rules at a moment, what they are read with, and both laid out: the same object for as long as nothing of it changes. */
export interface InForce {
	book: BookRow;
	ground: Ground;
	world: World;
}

/**
 * Everything that the rules of a moment are made of, as it stands in the database, and of the catalogue how many names it has and when it last changed:
 * reading and laying out thousands of rules and names for every card would make others wait.
 */
const MADE_OF = `SELECT
	(SELECT json_group_array(json_array(id, since, spec)) FROM access_rules WHERE ${asOf('access_rules')}) AS rules,
	(SELECT json_array(since, rules, tests, web, services) FROM access_rulebook WHERE ${asOf('access_rulebook')}) AS book,
	(SELECT json_group_array(json_array(id, name, grouped)) FROM private_services WHERE ${asOf('private_services')}) AS services,
	(SELECT json_group_array(json_array(id, parent_id)) FROM branches WHERE ${asOf('branches')}) AS branches,
	(SELECT json_array(count(*), max(since)) FROM categorised_sites WHERE ${asOf('categorised_sites')}) AS sites,
	(SELECT max(until) FROM categorised_sites WHERE until <= @at) AS gone`;

/** So many of them are remembered: the present, and a few moments that are looked at. */
const MOMENTS = 4;
const kept = new WeakMap<Db, LRUCache<string, InForce>>();

export function inForceAt(db: Db, at: number): InForce {
	const key = JSON.stringify([one(db, MADE_OF, { at }), rangesAt(db)]);
	let known = kept.get(db);
	if (!known) kept.set(db, (known = new LRUCache({ max: MOMENTS })));
	let standing = known.get(key);
	if (!standing) {
		const book = bookAt(db, at);
		const ground = groundAt(db, at);
		standing = { book, ground, world: new World(book.rules, book.otherwise, ground) };
		known.set(key, standing);
	}
	return standing;
}

/** What a rule in force is called: by its name, or by what it says; null where there is none. */
export function ruleName(db: Db, id: string, at: number): string | null {
	const rule = inForceAt(db, at).book.rules.find((r) => r.id === id);
	return rule ? rule.name || ruleWords(rule, spokenAt(db, at).names) : null;
}
