import type { Facet, Scope, ScopeProblem } from '$lib/core/scope/scope';
import { nearest } from '$lib/core/text/nearest';
import { all, type Db } from '../db';

/** What each facet can be narrowed to, as ids with their names; of what there was at any time, so that the past can be asked about. */
const NAMED: Partial<Record<Facet, string>> = {
	site: 'SELECT id, name FROM sites',
	pool: 'SELECT id, name FROM pools GROUP BY id HAVING until = max(until)',
	team: 'SELECT id, name FROM teams',
	line: 'SELECT id, name FROM lines',
	publication: 'SELECT id, internal_name AS name FROM publications GROUP BY id HAVING until = max(until)',
	gateway: 'SELECT id, id AS name FROM gateways',
	protocol: 'SELECT DISTINCT protocol AS id, protocol AS name FROM gateway_ports',
	host: 'SELECT name AS id, name FROM hosts',
	branch: 'SELECT id, name FROM branches GROUP BY id HAVING until = max(until)'
};
/** Facets with so many values that each is asked for by itself. */
const SOUGHT: Partial<Record<Facet, { one: string; like: string }>> = {
	person: {
		one: 'SELECT login AS id FROM people WHERE login = ?1 UNION SELECT login FROM people WHERE name = ?1 COLLATE NOCASE LIMIT 2',
		like: "SELECT login AS id FROM people WHERE login LIKE substr(?1, 1, 3) || '%' LIMIT 500"
	},
	machine: {
		one: 'SELECT name AS id FROM machines WHERE name = ?1 LIMIT 1',
		like: "SELECT DISTINCT name AS id FROM machines WHERE name LIKE substr(?1, 1, 4) || '%' LIMIT 500"
	}
};

/**
 * A scope with the names that people wrote turned into ids: `pool:"Chart Studio"` is the pool of that name. What there is not, and never
 * was, is said, with what is nearest to it; it stays in the scope, which then holds nothing.
 */
export function knownScope(db: Db, scope: Scope): { scope: Scope; problems: ScopeProblem[] } {
	const problems: ScopeProblem[] = [];
	const say = (facet: Facet, value: string, near: string | null) =>
		problems.push({
			at: 0,
			words: `There is no ${facet} “${value.slice(0, 60)}”${near === null ? '' : `; the nearest is “${near}”`}.`
		});
	const terms = scope.terms.map((term) => {
		if (term.kind !== 'facet') return term;
		const { facet } = term;
		const sql = NAMED[facet];
		const sought = SOUGHT[facet];
		if (sql === undefined && sought === undefined) return term;
		const rows = sql === undefined ? [] : all<{ id: string; name: string }>(db, sql);
		const values = term.values.map((value) => {
			if (sought) {
				const found = all<{ id: string }>(db, sought.one, { 1: value });
				if (found.length) return found[0]!.id;
				say(
					facet,
					value,
					nearest(
						value,
						all<{ id: string }>(db, sought.like, { 1: value }).map((r) => r.id)
					)
				);
				return value;
			}
			if (rows.some((r) => r.id === value)) return value;
			const lower = value.toLowerCase();
			const named = rows.find((r) => r.name.toLowerCase() === lower);
			if (named) return named.id;
			say(
				facet,
				value,
				nearest(
					value,
					rows.flatMap((r) => [r.name, r.id])
				)
			);
			return value;
		});
		return { ...term, values };
	});
	return { scope: { terms }, problems };
}
