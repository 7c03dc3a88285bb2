import { EFFECTS, WAYS, type Effect, type Way } from '$lib/core/reach/rules';
import { narrow, type Scope, type Term } from '$lib/core/scope/scope';
import { DAY, HOUR } from '$lib/core/time/units';
import { all, allColumns, one, type Db } from '../db';
import { everybody } from '../directory';
import type { Flow } from '../providers';
import { lastPacked, PackedProblem, unpack, type Sum } from './packed';
import { ASKED, COLUMNS, rolledUpTo, rowsOf } from './write';

/** Decisions, those of them that let nobody through, and bytes to people and from them. */
export interface Sums {
	decisions: number;
	refused: number;
	down: number;
	up: number;
}

/** What is asked about: everybody, or the people of a scope; the days up to a moment, that of the moment, as it has come so far, counted in. */
export interface Asked {
	at: number;
	days: number;
	/** Ids of people; null: everybody, and what is nobody’s. */
	people: readonly number[] | null;
}

const hourOf = (at: number): number => Math.floor(at / HOUR);
const dayOf = (at: number): number => Math.floor(at / DAY);

export function boundOf(db: Db, { at, days, people }: Asked) {
	const [hour, day, rolled] = [hourOf(at), dayOf(at), rolledUpTo(db) ?? -1];
	const first = dayOf(at) - days + 1;
	// Of a day that goes on the sums are those of its hours so far; of a past one they are of hours to come, too.
	const now = rolled < hour;
	return {
		at,
		hour,
		rolled,
		first,
		whole: now ? day : day - 1,
		single: Math.max(first * 24, now ? rolled + 1 : day * 24),
		people: people && JSON.stringify(people)
	};
}

/**
 * Everything within what is asked about, exactly: the sums of days, and hour by hour what they do not have, or have too much of.
 * @param only what of it alone, as SQL
 */
export const partsOf = ({ people }: Asked, only = ''): string => {
	const theirs = `${people ? 'AND person_id IN (SELECT value FROM json_each(@people))' : ''} ${only}`;
	const columns = 'rule_id, target_id, person_id, through, decisions, down, up';
	return `WITH part AS (SELECT ${columns} FROM activity_days WHERE day >= @first AND day <= @whole ${theirs}
	UNION ALL ${rowsOf(columns, `hour >= @single AND hour <= @hour AND ended <= @at ${theirs}`)})`;
};

/** The people of a scope, or null where it holds everybody; with the terms that say nothing of what people reach. */
export function peopleOf(db: Db, scope: Scope, at: number): { people: number[] | null; count: number; left: Term[] } {
	const known = everybody(db, at);
	const { items, left } = narrow(
		scope,
		known,
		{ site: (p) => p.site, team: (p) => p.teams, person: (p) => p.login },
		(p) => `${p.name} ${p.login}`
	);
	const wide = scope.terms.length === left.length;
	return { people: wide ? null : items.map((p) => p.id), count: items.length, left };
}

export interface RuleSums extends Sums {
	/** Empty: none decided. */
	rule: string;
	/** Somebody who was decided about by it. */
	people: number;
}

export interface TargetSums extends Sums {
	kind: Flow['target']['kind'];
	/** The host of a site, or the id of a service; empty: something inside that is none. */
	target: string;
	people: number;
}

type Counted = Sums & { people: number };

/** Sums as they grow, each person counted once: of a number of people, by their ids. */
class Counting {
	decisions = 0;
	refused = 0;
	down = 0;
	up = 0;
	people = 0;

	add(through: boolean, decisions: number, down: number, up: number): void {
		this.decisions += decisions;
		if (!through) this.refused += decisions;
		this.down += down;
		this.up += up;
	}

	get counted(): Counted {
		const { decisions, refused, down, up, people } = this;
		return { decisions, refused, down, up, people };
	}
}

/** Notes that somebody was met: 1 for the first time, else 0. */
function meet(met: Uint8Array, person: number): number {
	const bit = 1 << (person & 7);
	if ((met[person >>> 3]! & bit) !== 0) return 0;
	met[person >>> 3]! |= bit;
	return 1;
}

interface Totals {
	all: Counted;
	/** By the numbers of rules and targets. */
	rules: Map<number, Counted>;
	targets: Map<number, Counted>;
}

/** What is asked about, summed up altogether, by rule and by target in one go: whole days as they are packed, the rest row by row. */
export function totalsOf(db: Db, asked: Asked): Totals {
	try {
		return total(db, asked, lastPacked(db));
	} catch (e) {
		if (!(e instanceof PackedProblem)) throw e;
		// What is packed follows from the rows: these are there in any case, and the rest is slower.
		return total(db, asked, null);
	}
}

function total(db: Db, asked: Asked, last: number | null): Totals {
	const bound = boundOf(db, asked);
	const packedTo = Math.min(last ?? -1, bound.whole);
	const days = packedTo >= bound.first ? unpack(db, bound.first, packedTo) : [];
	const rest = new Map<
		number,
		[person: number, rule: number, through: number, decisions: number, down: number, up: number][]
	>();
	for (const [target, ...row] of allColumns<Sum>(
		db,
		`${partsOf(asked)} SELECT target_id, person_id, rule_id, through, decisions, down, up FROM part`,
		{ ...bound, first: Math.max(bound.first, packedTo + 1) }
	)) {
		const rows = rest.get(target);
		if (rows) rows.push(row);
		else rest.set(target, [row]);
	}

	const size = one<{ id: number }>(
		db,
		`SELECT max(coalesce((SELECT max(id) FROM people), 0), coalesce((SELECT max(person_id) FROM activity_person_hours), 0)) AS id`
	)!.id;
	const wanted = asked.people && new Uint8Array(size + 1);
	for (const id of asked.people ?? []) wanted![id] = 1;
	const everything = new Counting();
	// A bit for each person: of thousands of rules and tens of thousands of people bytes would be too many.
	const bits = (size >>> 3) + 1;
	const met = new Uint8Array(bits);
	const rules = new Map<number, { sums: Counting; met: Uint8Array }>();
	const targets = new Map<number, Counted>();
	/** Of each person the target of which they were counted last. */
	const metAt = new Float64Array(size + 1);
	const of = [...rest.keys()].sort((a, b) => a - b);
	for (let next = 0; ;) {
		const target = days.reduce((least, d) => Math.min(least, d.target), of[next] ?? Infinity);
		if (target === Infinity) break;
		const sums = new Counting();
		let found = false;
		const add = (person: number, rule: number, through: boolean, decisions: number, down: number, up: number) => {
			if (wanted && wanted[person] !== 1) return;
			found = true;
			let byRule = rules.get(rule);
			if (!byRule) rules.set(rule, (byRule = { sums: new Counting(), met: new Uint8Array(bits) }));
			everything.add(through, decisions, down, up);
			byRule.sums.add(through, decisions, down, up);
			sums.add(through, decisions, down, up);
			// Nobody is no person.
			if (person === 0 || person > size) return;
			everything.people += meet(met, person);
			byRule.sums.people += meet(byRule.met, person);
			if (metAt[person] !== target) {
				metAt[person] = target;
				sums.people++;
			}
		};
		for (const day of days) if (day.target === target) day.take(add);
		if (of[next] === target)
			for (const [person, rule, through, ...row] of rest.get(of[next++]!)!) add(person, rule, through === 1, ...row);
		if (found) targets.set(target, sums.counted);
	}
	return {
		all: everything.counted,
		rules: new Map([...rules].map(([rule, { sums }]) => [rule, sums.counted])),
		targets
	};
}

const before = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** Sums by rule, that which decided the most first. */
export function rulesOf(db: Db, { rules }: Totals): RuleSums[] {
	const names = new Map(
		all<{ id: number; rule: string }>(db, 'SELECT id, rule FROM reached_rules').map((r) => [r.id, r.rule])
	);
	return [...rules]
		.map(([id, sums]) => ({ rule: names.get(id) ?? '', ...sums }))
		.sort((a, b) => b.decisions - a.decisions || before(a.rule, b.rule));
}

/** What was reached or refused, the most often first. */
export function targetsOf(db: Db, { targets }: Totals): TargetSums[] {
	return all<{ id: number; kind: Flow['target']['kind']; target: string }>(
		db,
		'SELECT id, kind, name AS target FROM reached_targets'
	)
		.flatMap(({ id, kind, target }) => {
			const sums = targets.get(id);
			return sums ? { kind, target, ...sums } : [];
		})
		.sort((a, b) => b.decisions - a.decisions || before(a.kind, b.kind) || before(a.target, b.target));
}

/** Decisions, bytes and people of one rule or target. */
export function sumOf(db: Db, asked: Asked, of: { rule: string } | { kind: string; target: string }): Counted {
	const only =
		'rule' in of
			? 'AND rule_id = (SELECT id FROM reached_rules WHERE rule = @rule)'
			: 'AND target_id = (SELECT id FROM reached_targets WHERE kind = @kind AND name = @target)';
	return one<Counted>(
		db,
		`${partsOf(asked, only)} SELECT coalesce(sum(p.decisions), 0) AS decisions, coalesce(sum(CASE WHEN p.through = 0 THEN p.decisions END), 0) AS refused,
		 coalesce(sum(p.down), 0) AS down, coalesce(sum(p.up), 0) AS up, count(DISTINCT nullif(p.person_id, 0)) AS people FROM part p`,
		{ ...boundOf(db, asked), ...of }
	)!;
}

/** Who reached something within what is asked about, or was refused it: ids of people. */
export const usersOf = (db: Db, asked: Asked, kind: 'site' | 'service', target: string): number[] =>
	all<{ id: number }>(
		db,
		`${partsOf(asked, 'AND target_id = (SELECT id FROM reached_targets WHERE kind = @kind AND name = @target)')}
		 SELECT DISTINCT person_id AS id FROM part WHERE through = 1 AND person_id > 0`,
		{ ...boundOf(db, asked), kind, target }
	).map((r) => r.id);

/** What a row adds to the sums of its hour; and the rows whose hour has none yet, or goes on at the moment that is asked about. */
const ITS_SUMS = 'decisions, CASE WHEN through = 0 THEN decisions ELSE 0 END, down, up';
const NOT_SUMMED = 'hour >= max(@from, min(@rolled + 1, @hour)) AND hour <= @hour AND ended <= @at';

/** Hour by hour before a moment, the last as far as it has come, for everybody or the people of a scope. Hours in which nothing was decided are left out. */
export const sumsByHour = (db: Db, { at, people }: Asked, hours: number): (Sums & { hour: number })[] => {
	const bound = {
		...boundOf(db, { at, days: 1, people }),
		from: hourOf(at) - hours + 1
	};
	const [table, theirs] = people
		? (['activity_person_hours', 'AND person_id IN (SELECT value FROM json_each(@people))'] as const)
		: (['activity_rule_hours', ''] as const);
	return all(
		db,
		`SELECT hour, sum(decisions) AS decisions, sum(refused) AS refused, sum(down) AS down, sum(up) AS up FROM (
			SELECT hour, decisions, refused, down, up FROM ${table} WHERE hour >= @from AND hour < @hour AND hour <= @rolled ${theirs}
			UNION ALL ${rowsOf(`hour, ${ITS_SUMS}`, `${NOT_SUMMED} ${theirs}`)})
		 GROUP BY hour ORDER BY hour`,
		bound
	);
};

/** Rules by how often each decided within so many days before a moment: from sums of hours, so that a list of rules can have it at each look. */
export const hitsByRule = (db: Db, at: number, days: number): Map<string, Sums> => {
	const bound = { ...boundOf(db, { at, days, people: null }), from: (dayOf(at) - days + 1) * 24 };
	return new Map(
		all<Sums & { rule: string }>(
			db,
			`SELECT coalesce(r.rule, '') AS rule, sum(p.decisions) AS decisions, sum(p.refused) AS refused, sum(p.down) AS down, sum(p.up) AS up FROM (
				SELECT rule_id, decisions, refused, down, up FROM activity_rule_hours WHERE hour >= @from AND hour < @hour AND hour <= @rolled
				UNION ALL ${rowsOf(`rule_id, ${ITS_SUMS}`, NOT_SUMMED)}) p
			 LEFT JOIN reached_rules r ON r.id = p.rule_id GROUP BY p.rule_id`,
			bound
		).map(({ rule, ...sums }) => [rule, sums])
	);
};

/** The first whole day of which sums are kept, as its first hour, counted from 1970; null: there are none. */
export const firstHour = (db: Db): number | null => {
	const first = one<{ day: number | null }>(db, 'SELECT min(day) AS day FROM activity_days')?.day ?? null;
	return first === null ? null : (first + 1) * 24;
};

/** Something that somebody reached or was refused. */
export interface Reached {
	id: number;
	since: number;
	until: number;
	kind: Flow['target']['kind'];
	target: string;
	rule: string;
	decided: Effect;
	through: boolean;
	/** What was asked of them and not given; null: nothing. */
	asked: (typeof ASKED)[number] | null;
	/** What they said that it is for; null: nothing. */
	said: string | null;
	way: Way;
	/** The device they were on, by its number, and what it is called. */
	endpoint: number | null;
	endpointName: string | null;
	machine: string | null;
	address: string;
	decisions: number;
	down: number;
	up: number;
}

interface ReachedRow extends Omit<Reached, 'decided' | 'way' | 'asked' | 'through'> {
	decided: number;
	way: number;
	asked: number | null;
	through: number;
}

/**
 * What somebody reached and was refused within so many days before a moment, the latest first. Their hours are found in the sums: of an estate with
 * millions of rows nothing else is looked at.
 */
export function reachedBy(db: Db, person: number, at: number, days: number, limit: number, offset = 0): Reached[] {
	const bound = { ...boundOf(db, { at, days, people: null }), from: hourOf(at - days * DAY), person, limit, offset };
	return all<ReachedRow>(
		db,
		`SELECT a.id, a.began AS since, a.ended AS until, t.kind, t.name AS target, coalesce(r.rule, '') AS rule, a.decided, a.through, a.asked, a.way, a.endpoint_id AS endpoint,
			(SELECT f.name FROM endpoint_facts f WHERE f.endpoint_id = a.endpoint_id AND f.since <= a.ended ORDER BY f.since DESC LIMIT 1) AS endpointName,
			(SELECT words FROM activity_reasons s WHERE s.hour = a.hour AND s.person_id = a.person_id AND s.id = a.id) AS said,
			m.name AS machine, w.address, a.decisions, a.down, a.up
		 FROM (SELECT ${COLUMNS.replaceAll(/\w+/g, 'x.$&')} FROM activity_person_hours h JOIN activity x ON x.hour = h.hour AND x.person_id = @person AND x.ended <= @at
				WHERE h.person_id = @person AND h.hour >= @from AND h.hour <= @hour
			UNION ALL SELECT ${COLUMNS} FROM activity_now WHERE person_id = @person AND hour >= @from AND hour <= @hour AND ended <= @at) a
		 JOIN reached_targets t ON t.id = a.target_id JOIN reached_from w ON w.id = a.from_id
		 LEFT JOIN reached_rules r ON r.id = a.rule_id LEFT JOIN machines m ON m.id = a.machine_id
		 ORDER BY a.hour DESC, a.id DESC LIMIT @limit OFFSET @offset`,
		bound
	).map((r) => ({
		...r,
		decided: EFFECTS[r.decided] ?? 'refuse',
		way: WAYS[r.way] ?? 'device',
		asked: r.asked === null ? null : (ASKED[r.asked] ?? null),
		through: r.through === 1
	}));
}
