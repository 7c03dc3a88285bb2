import { EVERYTHING, FACETS, narrow, type FacetsOf, type Term } from '$lib/core/scope/scope';
import { changesBefore } from '../changes';
import { checksAt } from '../network';
import { all, type Db } from '../db';
import { findingsAt } from '../diagnosis';
import { deliveryStatesAt } from '../packages';
import { requestsIn } from '../shelf';
import { usedLinesAt } from '../images';
import { recentJobs } from '../jobs';
import type { Kind } from './kinds';
import { InputProblem } from '../plans/kind';
import { grantsIn, publishingAt } from '../publishing';
import type { GrantRow } from '../publications';
import { hostsPage, machinesPage, type PageAsk, peoplePage, sessionsPage, SORTS } from '../watch';

/** No limit, in SQLite's terms. */
const ALL = -1;

export interface Listed {
	rows: Record<string, unknown>[];
	total: number;
	/** Terms of the scope that say nothing of this kind. */
	left: Term[];
}

/** One page of a list as it was at a moment, under scope, sorted. */
export function listOf(db: Db, kind: Kind, ask: PageAsk): Listed {
	if (Object.hasOwn(SORTS, kind)) knownSort(ask.sort, SORTS[kind as keyof typeof SORTS]);
	switch (kind) {
		case 'machines':
			return machinesPage(db, ask) as unknown as Listed;
		case 'sessions':
			return sessionsPage(db, ask) as unknown as Listed;
		case 'people':
			return peoplePage(db, ask) as unknown as Listed;
		case 'hosts':
			return hostsPage(db, ask) as unknown as Listed;
		default: {
			const own = narrowed(db, kind, ask);
			return own
				? { ...cut(own.items, { ...ask, scope: EVERYTHING }), left: own.left }
				: cut(shortList(db, kind, ask.at), ask);
		}
	}
}

/** Rows of the kinds that a scope reaches through what they belong to, as on the screens; null for other kinds. */
function narrowed(
	db: Db,
	kind: Kind,
	{ scope, at }: PageAsk
): { items: Record<string, unknown>[]; left: Term[] } | null {
	switch (kind) {
		case 'pools': {
			const { pools, left } = publishingAt(db, scope, at);
			return { items: pools.map((p) => ({ ...p, pool: p.id, state: p.assignment })), left: left[0] };
		}
		case 'publications': {
			const { publications, left } = publishingAt(db, scope, at);
			return { items: publications.map((p) => ({ ...p, publication: p.id })), left: left[1] };
		}
		case 'grants': {
			const { items, left } = grantsIn(db, scope, at);
			const row = (g: GrantRow) => ({ ...g, team: g.toKind === 'team' ? g.toId : null, person: g.toLogin });
			return { items: items.map(row), left };
		}
		case 'requests': {
			const { items, left } = requestsIn(db, scope, at);
			return { items: items.map((r) => ({ ...r })), left };
		}
		default:
			return null;
	}
}

function shortList(db: Db, kind: Kind, at: number): Record<string, unknown>[] {
	switch (kind) {
		case 'sites':
			return all<Record<string, unknown>>(
				db,
				'SELECT id, id AS site, name, kind, time_zone AS timeZone FROM sites WHERE joined_at <= ? ORDER BY position',
				[at]
			).map((s) => ({
				...s,
				state: checksAt(db, String(s.id), at).some((c) => c.ok === false) ? 'not in order' : 'in order'
			}));
		case 'image-lines':
			return usedLinesAt(db, at).map((l) => ({ ...l, line: l.id }));
		case 'teams':
			return all<Record<string, unknown>>(
				db,
				'SELECT t.id, t.id AS team, t.name, t.parent_id AS parent, (SELECT count(*) FROM people p JOIN team_nesting n ON n.team_id = p.team_id WHERE n.above_id = t.id) AS people FROM teams t ORDER BY t.name'
			);
		case 'jobs':
			return recentJobs(db, at, ALL) as unknown as Record<string, unknown>[];
		case 'changes':
			return changesBefore(db, at, ALL) as unknown as Record<string, unknown>[];
		case 'deliveries':
			return deliveryStatesAt(db, at).map((d) => ({ id: `${d.pool}/${d.package}`, ...d }));
		case 'findings':
			return findingsAt(db, at).sort((a, b) => b.people - a.people) as unknown as Record<string, unknown>[];
		case 'checks':
			return all<Record<string, unknown>>(
				db,
				'SELECT m.name AS machine, m.pool_id AS pool, m.site_id AS site, f.name, f.since, f.until, f.saw FROM failing_checks f JOIN machines m ON m.id = f.machine_id WHERE f.since <= ? AND f.until > ? ORDER BY f.since',
				[at, at]
			);
		default:
			return [];
	}
}

/** Narrows rows by the facets that they have a column for, sorts, and cuts a page out. */
function cut(rows: Record<string, unknown>[], ask: PageAsk): Listed {
	const [first] = rows;
	// What columns it has is known by its rows alone.
	if (!first) return { rows: [], total: 0, left: [] };
	knownSort(ask.sort, Object.keys(first));
	const facets: FacetsOf<Record<string, unknown>> = Object.fromEntries(
		Object.keys(FACETS)
			.filter((facet) => facet in first)
			.map((facet) => [facet, (row: Record<string, unknown>) => (row[facet] === null ? [] : String(row[facet]))])
	);
	const { items, left } = narrow(ask.scope, rows, facets, wordsIn);
	if (ask.sort) {
		const key = ask.sort;
		items.sort((a, b) => (compare(a[key], b[key]) || 0) * (ask.descending ? -1 : 1));
	}
	return { rows: items.slice(ask.offset, ask.offset + ask.limit), total: items.length, left };
}

/** What a text is looked for in: the values of a row, not the names of its columns. */
const wordsIn = (row: Record<string, unknown>): string =>
	Object.values(row)
		.map((v) => (typeof v === 'object' ? JSON.stringify(v) : String(v)))
		.join(' ');

/** Throws beside `sort` when there is no such column. */
function knownSort(sort: string, columns: readonly string[]): void {
	if (sort && !columns.includes(sort))
		throw new InputProblem([
			{ field: 'sort', words: `There is no column ${sort} to sort by; there are ${columns.join(', ')}.` }
		]);
}

const compare = (a: unknown, b: unknown) =>
	typeof a === 'number' && typeof b === 'number' ? a - b : String(a).localeCompare(String(b), 'en');

/** A cursor names where the next page begins, for the same list at the same moment. */
export const cursorOf = (offset: number, at: number): string =>
	Buffer.from(JSON.stringify([offset, at])).toString('base64url');

/** Reads a cursor; null when it is not one. */
export function readCursor(text: string): { offset: number; at: number } | null {
	try {
		const [offset, at] = JSON.parse(Buffer.from(text, 'base64url').toString()) as unknown[];
		return Number.isInteger(offset) && Number.isInteger(at) && (offset as number) >= 0
			? { offset: offset as number, at: at as number }
			: null;
	} catch {
		return null;
	}
}
