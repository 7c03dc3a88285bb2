import { byVersion, type Component } from '$lib/core/images/versions';
import type { BuildSheet } from '$lib/core/images/sheet';
import { EVERYTHING, type Scope } from '$lib/core/scope/scope';
import { FOREVER } from '$lib/core/time/units';
import { asOf, asOfByEnd, type IntervalTable } from '../db/intervals';
import { all, one, type Db } from '../db';
import { atMoment } from '../samples/read';
import { scopeCondition } from '../moment/scope-sql';
import { fromOf, type Listing, MACHINES } from '../watch';
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
}

export interface LineRow {
	id: string;
	name: string;
	system: string;
	users: 'single' | 'multi';
	generation: 1 | 2;
	versions: VersionRow[];
}

/** A version with the machines that are on it, and the different people with a session on those. */
export interface UsedVersion extends VersionRow {
	machines: number;
	people: number;
}

export interface UsedLine extends LineRow {
	machines: number;
	versions: UsedVersion[];
}

const within = (table: IntervalTable) =>
	`EXISTS (SELECT 1 FROM ${table} h WHERE h.line_id = v.line_id AND h.number = v.number AND ${asOf(`${table} h`, '?1')})`;

/** Image lines with their versions as they were at a moment. */
export function linesAt(db: Db, at: number): LineRow[] {
	const lines = all<Omit<LineRow, 'versions'>>(
		db,
		'SELECT id, name, system, users, generation FROM lines WHERE since <= ? ORDER BY position',
		[at]
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
	return lines.map((l) => ({
		...l,
		versions: versions
			.filter((v) => v.line_id === l.id)
			.map((v) => ({
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
				basedOn: v.based_on
			}))
			.sort((a, b) => byVersion(a.number, b.number))
	}));
}

/** The same, with how many machines and people within a scope are on each version. */
export function usedLinesAt(db: Db, at: number, scope: Scope = EVERYTHING): UsedLine[] {
	const condition = scopeCondition(scope, 'machine');
	const params = { ...atMoment(db, at), ...condition.params };
	const count = (what: string, from: Listing, ...used: string[]) =>
		new Map(
			all<{ line: string; version: string; n: number }>(
				db,
				`SELECT pl.line_id AS line, pl.version, ${what} AS n ${fromOf(from, 'pl.', ...used, condition.sql)} AND ${condition.sql} GROUP BY 1, 2`,
				params
			).map((c) => [`${c.line}/${c.version}`, c.n])
		);
	const machines = count('count(*)', MACHINES);
	const people = count('count(DISTINCT os.person_id)', WITH_SESSIONS, 'os.');
	return linesAt(db, at).map((l) => {
		const versions = l.versions.map((v) => ({
			...v,
			machines: machines.get(`${l.id}/${v.number}`) ?? 0,
			people: people.get(`${l.id}/${v.number}`) ?? 0
		}));
		return { ...l, versions, machines: versions.reduce((n, v) => n + v.machines, 0) };
	});
}

/** Machines with each session that is open on them. */
const WITH_SESSIONS: Listing = {
	...MACHINES,
	joins: [...MACHINES.joins, ['os', `JOIN sessions os ON os.machine_id = m.id AND ${asOfByEnd('sessions os')}`]]
};

/** One line as it is at a moment, or null. */
export const lineAt = (db: Db, line: string, at: number): LineRow | null =>
	linesAt(db, at).find((l) => l.id === line) ?? null;

/** The same, with the machines and people on its versions. */
export const usedLineAt = (db: Db, line: string, at: number): UsedLine | null =>
	usedLinesAt(db, at).find((l) => l.id === line) ?? null;

/** The build sheet of a line as it was at a moment, or null. */
export function sheetAt(db: Db, line: string, at: number): BuildSheet | null {
	const row = one<{ body: string }>(db, `SELECT body FROM sheets WHERE line_id = ? AND ${asOf('sheets', '?')}`, [
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
	one<Opening>(db, `${OPENINGS} WHERE line_id = ? AND ${asOf('openings', '?')}`, [line, at, at]) ?? null;

/** Everything that is open at a moment, longest first. */
export const openingsAt = (db: Db, at: number): Opening[] =>
	all<Opening>(db, `${OPENINGS} WHERE ${asOf('openings', '?')} ORDER BY since`, [at, at]);

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
		`SELECT site_id AS site FROM site_versions WHERE line_id = ? AND number = ? AND ${asOf('site_versions', '?')}`,
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
		`SELECT m.name FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER}
		 WHERE m.until = ${FOREVER} AND pl.line_id = ? AND pl.version = ? ORDER BY m.name`,
		[line, number]
	).map((r) => r.name);
