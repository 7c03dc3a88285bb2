import type { Comparison, Difference } from '$lib/core/reach/compare';
import { isPassage } from '$lib/core/reach/channels';
import { narrower, type Narrower, type Use } from '$lib/core/reach/narrower';
import type { AccessRule, Reacher } from '$lib/core/reach/rules';
import { ruleWords } from '$lib/core/reach/sentence';
import type { Target } from '$lib/core/reach/targets';
import { writtenRule } from '$lib/core/reach/written';
import { DAY, numberWords } from '$lib/core/time/units';
import { all, type Db } from '../db';
import type { Flow } from '../providers';
import { inForceAt, reachersAt, spokenAt } from '../reach';
import { hitsByRule } from './queries';
import { FEW } from './view';
import { rolledUpTo } from './write';

/** What was used is looked back on for so many days. */
const DAYS = 30;
/** Rules times people that are looked through for narrower ones, those that decided most first, so that nobody waits for all of a long list. */
const MOST_LOOKED_THROUGH = 2_000_000;
/** Of a rule of which more was used than this it is not said what would do. */
const MOST_USES = 100_000;

/** The whole days before a moment whose sums say what was used. */
const daysBefore = (at: number) => ({ first: Math.floor(at / DAY) - DAYS, last: Math.floor(at / DAY) - 1 });

const targetOf = (kind: Flow['target']['kind'], name: string): Target =>
	kind === 'site'
		? { kind, host: name }
		: kind === 'service' || !isPassage(name)
			? { kind: 'service', id: name === '' ? null : name }
			: // Of what passed it is known how much altogether, and not how much at once.
				{ kind: 'channel', passage: name, bytes: 0 };

/** What was reached at any time, by what no rule of a comparison tells apart: ids of targets. */
const alike = new WeakMap<Comparison, Map<string, number[]>>();

/**
 * How many of the people of a difference have reached any of its targets within 30 days, or what no rule tells from one of them. Null of fewer than five people,
 * of whom it would tell what each did.
 */
export function usedOf(db: Db, at: number, d: Difference, comparison: Comparison): number | null {
	if (d.count < FEW) return null;
	const classOf = (t: Target) =>
		`${t.kind} ${t.kind === 'channel' ? t.passage : comparison.world.targetBits(t).join()}`;
	let reached = alike.get(comparison);
	if (!reached) {
		reached = new Map();
		for (const t of all<{ id: number; kind: Flow['target']['kind']; name: string }>(
			db,
			'SELECT id, kind, name FROM reached_targets'
		)) {
			const key = classOf(targetOf(t.kind, t.name));
			const ids = reached.get(key);
			if (ids) ids.push(t.id);
			else reached.set(key, [t.id]);
		}
		alike.set(comparison, reached);
	}
	const wanted = [...new Set(d.targets.map(classOf))].flatMap((key) => reached.get(key) ?? []);
	if (wanted.length === 0) return 0;
	const users = new Set(
		all<{ login: string }>(
			db,
			`SELECT DISTINCT p.login FROM activity_days d JOIN people p ON p.id = d.person_id
			 WHERE d.target_id IN (SELECT value FROM json_each(@targets)) AND d.day >= @first AND d.day <= @last AND d.through = 1`,
			{ ...daysBefore(at), targets: JSON.stringify(wanted) }
		).map((r) => r.login)
	);
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

/** What was used by a rule within 30 days; null: too much to be looked through. */
function usesOf(db: Db, rule: AccessRule, at: number, people: ReadonlyMap<string, Reacher>): Use[] | null {
	const rows = all<{ kind: Flow['target']['kind']; name: string; login: string; address: string }>(
		db,
		`SELECT DISTINCT t.kind, t.name, p.login, w.address FROM activity_days d JOIN people p ON p.id = d.person_id
		 JOIN reached_targets t ON t.id = d.target_id JOIN reached_from w ON w.id = d.from_id
		 WHERE d.day >= @first AND d.day <= @last AND d.rule_id = (SELECT id FROM reached_rules WHERE rule = @rule) AND d.through = 1 LIMIT @most`,
		{ ...daysBefore(at), rule: rule.id, most: MOST_USES + 1 }
	);
	if (rows.length > MOST_USES) return null;
	return rows.flatMap((r) => {
		const person = people.get(r.login);
		return person ? [{ person, target: targetOf(r.kind, r.name), address: r.address || null }] : [];
	});
}

/** What was worked out last: it changes with the rules, and with the days that are summed up. */
const kept = new WeakMap<Db, { key: string; of: object; people: object; rows: NarrowerRow[] }>();

/** Rules that let people through of which a narrower one would have let through all that was used in 30 days, by at least five people. */
export function narrowerAt(db: Db, at: number): NarrowerRow[] {
	const of = inForceAt(db, at);
	const people = reachersAt(db, at);
	const { book, ground } = of;
	const key = JSON.stringify([daysBefore(at), Math.floor(((rolledUpTo(db) ?? -1) + 1) / 24)]);
	const known = kept.get(db);
	if (known?.key === key && known.of === of && known.people === people) return known.rows;
	const byLogin = new Map(people.map((p) => [p.login, p]));
	const { names } = spokenAt(db, at);
	const words = (n: Narrower): string =>
		`All that it let through came from ${numberWords(n.people.used)} of ${numberWords(n.people.was)} people${n.from ? `, at ${names.from(n.rule.from)}` : ''}; it would do as: ${ruleWords(n.rule, names)}`;
	const hits = hitsByRule(db, at, DAYS);
	const rows = book.rules
		.map((rule, i) => ({ rule, number: i + 1, hits: hits.get(rule.id)?.decisions ?? 0 }))
		.filter((r) => r.rule.effect !== 'refuse' && r.hits > 0)
		.sort((a, b) => b.hits - a.hits)
		.slice(0, Math.max(1, Math.floor(MOST_LOOKED_THROUGH / Math.max(1, people.length))))
		.sort((a, b) => a.number - b.number)
		.flatMap(({ rule, number }): NarrowerRow[] => {
			const uses = usesOf(db, rule, at, byLogin);
			if (!uses || new Set(uses.map((u) => u.person.login)).size < FEW) return [];
			const found = narrower(rule, uses, people, ground);
			return found ? [{ id: rule.id, number, words: words(found), put: writtenRule(found.rule) }] : [];
		});
	kept.set(db, { key, of, people, rows });
	return rows;
}
