import type { Comparison, Difference } from '$lib/core/reach/compare';
import { narrower, type Narrower, type Use } from '$lib/core/reach/narrower';
import type { Reacher } from '$lib/core/reach/rules';
import { ruleWords } from '$lib/core/reach/sentence';
import type { Target } from '$lib/core/reach/targets';
import { writtenRule } from '$lib/core/reach/written';
import { DAY, HOUR, numberWords } from '$lib/core/time/units';
import { all, allColumns, type Db } from '../db';
import { inForceAt, reachersAt, spokenAt } from '../reach';
import { rolledUpTo } from './write';

/** What was used is looked back on for so many days. */
const DAYS = 30;

interface Reached {
	/** By the number of a target: logins of those who reached it. */
	by: Map<number, Set<string>>;
	targets: Map<number, Target>;
}

/** What was worked out last of what was used: it changes with the hours that are summed up. */
const kept = new WeakMap<Db, { key: string; reached: Reached; narrower: { of: object; rows: NarrowerRow[] } | null }>();

function keptAt(db: Db, at: number) {
	const key = JSON.stringify([Math.floor(at / HOUR), rolledUpTo(db)]);
	let known = kept.get(db);
	if (known?.key !== key) kept.set(db, (known = { key, reached: reachedWithin(db, at), narrower: null }));
	return known;
}

/** The whole days before a moment whose sums say what was used. */
const daysBefore = (at: number) => ({ first: Math.floor(at / DAY) - DAYS, last: Math.floor(at / DAY) - 1 });

const targetOf = (kind: 'site' | 'service', name: string): Target =>
	kind === 'site' ? { kind, host: name } : { kind, id: name === '' ? null : name };

function reachedWithin(db: Db, at: number): Reached {
	const by = new Map<number, Set<string>>();
	for (const [target, login] of allColumns<[number, string]>(
		db,
		`SELECT DISTINCT d.target_id, p.login FROM activity_days d JOIN people p ON p.id = d.person_id WHERE d.day >= @first AND d.day <= @last AND d.through = 1`,
		daysBefore(at)
	)) {
		const known = by.get(target);
		if (known) known.add(login);
		else by.set(target, new Set([login]));
	}
	const targets = new Map(
		all<{ id: number; kind: 'site' | 'service'; name: string }>(db, 'SELECT id, kind, name FROM reached_targets').map(
			(t) => [t.id, targetOf(t.kind, t.name)]
		)
	);
	return { by, targets };
}

/** How many of the people of a difference have reached any of its targets within 30 days, or what no rule tells from one of them. */
export function usedOf(db: Db, at: number, d: Difference, { world }: Comparison): number {
	const { by, targets } = keptAt(db, at).reached;
	const classOf = (t: Target) => `${t.kind} ${world.targetBits(t).join()}`;
	const wanted = new Set(d.targets.map(classOf));
	const users = new Set<string>();
	for (const [id, logins] of by) if (wanted.has(classOf(targets.get(id)!))) for (const l of logins) users.add(l);
	return d.people.reduce((n, p) => n + (users.has(p.login) ? 1 : 0), 0);
}

export interface NarrowerRow {
	id: string;
	number: number;
	/** What was used of it, and what would do. */
	words: string;
	/** The rule as it would be. */
	put: ReturnType<typeof writtenRule>;
}

/** What was used by a rule within 30 days. */
function usesOf(db: Db, rule: string, at: number, people: ReadonlyMap<string, Reacher>): Use[] {
	return all<{ kind: 'site' | 'service'; name: string; login: string; address: string }>(
		db,
		`SELECT DISTINCT t.kind, t.name, p.login, w.address FROM activity_days d JOIN people p ON p.id = d.person_id
		 JOIN reached_targets t ON t.id = d.target_id JOIN reached_from w ON w.id = d.from_id
		 WHERE d.day >= @first AND d.day <= @last AND d.rule_id = (SELECT id FROM reached_rules WHERE rule = @rule) AND d.through = 1`,
		{ ...daysBefore(at), rule }
	).flatMap((r) => {
		const person = people.get(r.login);
		return person ? [{ person, target: targetOf(r.kind, r.name), address: r.address || null }] : [];
	});
}

/** Rules that let people through of which a narrower one would have let through all that was used in 30 days. Worked out once for what was summed up. */
export function narrowerAt(db: Db, at: number): NarrowerRow[] {
	const known = keptAt(db, at);
	const of = inForceAt(db, at);
	if (known.narrower?.of === of) return known.narrower.rows;
	const { book, ground } = of;
	const people = reachersAt(db, at);
	const byLogin = new Map(people.map((p) => [p.login, p]));
	const { names } = spokenAt(db, at);
	const words = (n: Narrower): string =>
		`All that it let through came from ${numberWords(n.people.used)} of ${numberWords(n.people.was)} people${n.from ? `, at ${names.from(n.rule.from)}` : ''}; it would do as: ${ruleWords(n.rule, names)}`;
	const rows = book.rules.flatMap((rule, i): NarrowerRow[] => {
		if (rule.effect === 'refuse') return [];
		const found = narrower(rule, usesOf(db, rule.id, at, byLogin), people, ground);
		return found ? [{ id: rule.id, number: i + 1, words: words(found), put: writtenRule(found.rule) }] : [];
	});
	known.narrower = { of, rows };
	return rows;
}
