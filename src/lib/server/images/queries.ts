import { byVersion, type Component } from '$lib/core/images/versions';
import type { BuildSheet } from '$lib/core/images/sheet';
import { EVERYTHING, type Scope } from '$lib/core/scope/scope';
import { FOREVER } from '$lib/core/time/units';
import { all, one, type Db } from '../db';
import { atMoment } from '../moment/samples';
import { OPEN, scopeCondition } from '../moment/scope-sql';
import { fromOf, MACHINES } from '../watch/lists';
import { fromJson } from '../db/json';

export interface VersionRow {
	line: string;
	number: string;
	builtAt: number;
	builtBy: string;
	note: string;
	contents: Component[];
	size: number;
	held: boolean;
	retired: boolean;
	/** Open for work by hand. */
	open: boolean;
	/** The version that it came from, by hand or with updates. */
	basedOn: string | null;
	machines: number;
	people: number;
}

export interface LineRow {
	id: string;
	name: string;
	system: string;
	users: 'single' | 'multi';
	generation: 1 | 2;
	machines: number;
	versions: VersionRow[];
}

const within = (table: string) =>
	`EXISTS (SELECT 1 FROM ${table} h WHERE h.line_id = v.line_id AND h.number = v.number AND h.since <= ?1 AND h.until > ?1)`;

/** Sessions open on each machine, counted once for all: most machines are asked about. */
const OPEN_ON: [string, string] = [
	'o',
	`LEFT JOIN (SELECT s.machine_id AS machine, count(*) AS n FROM sessions s WHERE ${OPEN} GROUP BY 1) o ON o.machine = m.id`
];

/** Image lines with their versions as they were at a moment, and how many machines and people within a scope are on each. */
export function linesAt(db: Db, at: number, scope: Scope = EVERYTHING): LineRow[] {
	const condition = scopeCondition(scope, 'machine');
	const lines = all<Omit<LineRow, 'machines' | 'versions'>>(
		db,
		'SELECT id, name, system, users, generation FROM lines ORDER BY position'
	);
	const versions = all<{
		line_id: string;
		number: string;
		built_at: number;
		built_by: string;
		note: string;
		contents: string;
		size: number;
		based_on: string | null;
		held: number;
		retired: number;
		open: number;
	}>(
		db,
		`SELECT v.line_id, v.number, v.built_at, v.built_by, v.note, v.contents, v.size, v.based_on,
		 ${within('version_holds')} AS held, ${within('version_retired')} AS retired, ${within('openings')} AS open
		 FROM versions v WHERE v.built_at <= ?1 AND v.gone_at > ?1`,
		{ 1: at }
	);
	const counts = all<{ line_id: string; version: string; machines: number; people: number }>(
		db,
		`SELECT pl.line_id, pl.version, count(*) AS machines,
		 sum(coalesce(o.n, 0)) AS people
		 ${fromOf({ ...MACHINES, joins: [...MACHINES.joins, OPEN_ON] }, 'pl.', 'o.', condition.sql)} AND ${condition.sql} GROUP BY 1, 2`,
		{ ...atMoment(db, at), ...condition.params }
	);
	const countOf = new Map(counts.map((c) => [`${c.line_id}/${c.version}`, c]));
	return lines.map((l) => {
		const own = versions
			.filter((v) => v.line_id === l.id)
			.map((v): VersionRow => {
				const c = countOf.get(`${l.id}/${v.number}`);
				return {
					line: l.id,
					number: v.number,
					builtAt: v.built_at,
					builtBy: v.built_by,
					note: v.note,
					contents: fromJson<Component[]>('versions.contents', v.contents),
					size: v.size,
					held: v.held === 1,
					retired: v.retired === 1,
					open: v.open === 1,
					basedOn: v.based_on,
					machines: c?.machines ?? 0,
					people: c?.people ?? 0
				};
			})
			.sort((a, b) => byVersion(a.number, b.number));
		return { ...l, versions: own, machines: own.reduce((n, v) => n + v.machines, 0) };
	});
}

/** One line as it is at a moment, or null. */
export const lineAt = (db: Db, line: string, at: number): LineRow | null =>
	linesAt(db, at).find((l) => l.id === line) ?? null;

/** The build sheet of a line as it was at a moment, or null. */
export function sheetAt(db: Db, line: string, at: number): BuildSheet | null {
	const row = one<{ body: string }>(db, 'SELECT body FROM sheets WHERE line_id = ? AND since <= ? AND until > ?', [
		line,
		at,
		at
	]);
	return row ? fromJson<BuildSheet>('sheets.body', row.body) : null;
}

/** The sheet that a version was made by: its own, else the line's as it is now. Null for a version that there is not. */
export function sheetOf(db: Db, line: string, number: string, now: number): BuildSheet | null {
	const row = one<{ sheet: string | null }>(db, 'SELECT sheet FROM versions WHERE line_id = ? AND number = ?', [
		line,
		number
	]);
	if (!row) return null;
	return row.sheet ? fromJson<BuildSheet>('versions.sheet', row.sheet) : sheetAt(db, line, now);
}

export interface Opening {
	id: number;
	line: string;
	number: string;
	machine: string;
	by: string;
	operator: number | null;
	since: number;
	until: number;
	outcome: string | null;
}

const OPENINGS =
	'SELECT id, line_id AS line, number, machine, by, operator_id AS operator, since, until, outcome FROM openings';

/** The version of a line that is open for work by hand at a moment, or null. */
export const openingOf = (db: Db, line: string, at: number): Opening | null =>
	one<Opening>(db, `${OPENINGS} WHERE line_id = ? AND since <= ? AND until > ?`, [line, at, at]) ?? null;

/** Everything that is open at a moment, longest first. */
export const openingsAt = (db: Db, at: number): Opening[] =>
	all<Opening>(db, `${OPENINGS} WHERE since <= ? AND until > ? ORDER BY since`, [at, at]);

/** What has been typed at the console of an opening. */
export const linesTyped = (
	db: Db,
	opening: number
): { n: number; at: number; by: string; typed: string; printed: string[] }[] =>
	all<{ n: number; at: number; by: string; typed: string; printed: string }>(
		db,
		'SELECT n, at, by, typed, printed FROM opening_lines WHERE opening_id = ? ORDER BY n',
		[opening]
	).map((l) => ({ ...l, printed: fromJson<string[]>('opening_lines.printed', l.printed) }));

/** Sites whose image store has a version whole, at a moment. */
export const sitesWith = (db: Db, line: string, number: string, at: number): string[] =>
	all<{ site: string }>(
		db,
		'SELECT site_id AS site FROM site_versions WHERE line_id = ? AND number = ? AND since <= ? AND until > ?',
		[line, number, at, at]
	).map((r) => r.site);

export interface Trial {
	at: number;
	passed: boolean;
	/** Ms from power on until it was ready. */
	boot: number;
	checks: { asks: string; ok: boolean; saw: string }[];
	jobId: number;
}

/** The last trial of a version, or null. */
export function trialOf(db: Db, line: string, number: string, at: number): Trial | null {
	const row = one<{ at: number; passed: number; boot: number; checks: string; job_id: number }>(
		db,
		'SELECT * FROM trials WHERE line_id = ? AND number = ? AND at <= ? ORDER BY at DESC',
		[line, number, at]
	);
	return row
		? {
				at: row.at,
				passed: row.passed === 1,
				boot: row.boot,
				checks: fromJson<Trial['checks']>('trials.checks', row.checks),
				jobId: row.job_id
			}
		: null;
}

/** Machines of a moment that are on a version, by name. */
export const machinesOn = (db: Db, line: string, number: string): string[] =>
	all<{ name: string }>(
		db,
		`SELECT m.name FROM machines m JOIN machine_places pl ON pl.machine_id = m.id AND pl.until = ${FOREVER}
		 WHERE m.until = ${FOREVER} AND pl.line_id = ? AND pl.version = ? ORDER BY m.name`,
		[line, number]
	).map((r) => r.name);
