import { byVersion, type Component } from '$lib/core/images/versions';
import type { BuildSheet } from '$lib/core/images/sheet';
import type { StepHistory } from '$lib/core/images/duration';
import { EVERYTHING, type Scope } from '$lib/core/scope/scope';
import { MINUTE } from '$lib/core/time/units';
import { all, one, type Db } from '../db';
import { atMoment } from '../moment/samples';
import { scopeCondition } from '../moment/scope-sql';
import { fromOf, MACHINES } from '../watch/lists';

export interface VersionRow {
	line: string;
	number: string;
	builtAt: number;
	builtBy: string;
	note: string;
	contents: Component[];
	size: number;
	held: boolean;
	machines: number;
	people: number;
}

export interface LineRow {
	id: string;
	name: string;
	system: string;
	users: 'single' | 'multi';
	machines: number;
	versions: VersionRow[];
}

/** Image lines with their versions as they were at a moment, and how many machines and people within a scope are on each. */
export function linesAt(db: Db, at: number, scope: Scope = EVERYTHING): LineRow[] {
	const condition = scopeCondition(scope, 'machine');
	const lines = all<{ id: string; name: string; system: string; users: 'single' | 'multi' }>(
		db,
		'SELECT * FROM lines ORDER BY position'
	);
	const versions = all<{
		line_id: string;
		number: string;
		built_at: number;
		built_by: string;
		note: string;
		contents: string;
		size: number;
		held: number;
	}>(
		db,
		`SELECT v.*, EXISTS (SELECT 1 FROM version_holds h WHERE h.line_id = v.line_id AND h.number = v.number AND h.since <= ?1 AND h.until > ?1) AS held
		 FROM versions v WHERE v.built_at <= ?1`,
		{ 1: at }
	);
	const counts = all<{ line_id: string; version: string; machines: number; people: number }>(
		db,
		`SELECT pl.line_id, pl.version, count(*) AS machines,
		 sum((SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND s.since <= @at AND s.until > @at)) AS people
		 ${fromOf(MACHINES, 'pl.', condition.sql)} AND ${condition.sql} GROUP BY 1, 2`,
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
					contents: JSON.parse(v.contents) as Component[],
					size: v.size,
					held: v.held === 1,
					machines: c?.machines ?? 0,
					people: c?.people ?? 0
				};
			})
			.sort((a, b) => byVersion(a.number, b.number));
		return { ...l, versions: own, machines: own.reduce((n, v) => n + v.machines, 0) };
	});
}

/** The build sheet of a line as it was at a moment, or null. */
export function sheetAt(db: Db, line: string, at: number): BuildSheet | null {
	const row = one<{ body: string }>(db, 'SELECT body FROM sheets WHERE line_id = ? AND since <= ? AND until > ?', [
		line,
		at,
		at
	]);
	return row ? (JSON.parse(row.body) as BuildSheet) : null;
}

/** Past runs of each step of a sheet, and what to assume where there are none: the kind's mean, or 10 minutes. */
export function stepHistories(db: Db, line: string, sheet: BuildSheet): StepHistory[] {
	return sheet.steps.map((s) => {
		const runs = all<{ took: number; cores: number }>(
			db,
			'SELECT took, cores FROM step_runs WHERE line_id = ? AND kind = ? AND words = ? ORDER BY at',
			[line, s.kind, s.words]
		);
		const kind = one<{ mean: number | null }>(db, 'SELECT avg(took) AS mean FROM step_runs WHERE kind = ?', [
			s.kind
		])!.mean;
		return {
			runs: runs.map((r) => Math.round((r.took * speed(sheet.builder.cores)) / speed(r.cores))),
			fallback: kind ?? 10 * MINUTE
		};
	});
}

/** Half of a step's work spreads over the cores of the builder, the other half does not (Amdahl's law). */
const speed = (cores: number) => 0.5 + 2 / Math.max(1, cores);

export interface BuildRow {
	id: number;
	line: string;
	number: string;
	state: 'running' | 'done' | 'failed' | 'cancelled';
	doneSteps: number;
	jobId: number;
	began: number;
	ended: number | null;
	by: string;
	/** The sheet as it was when the build began, JSON. */
	sheet: string;
}

/** A build whose job ended otherwise than well has ended with it. */
const BUILDS = `SELECT b.id, b.line_id AS line, b.number, CASE WHEN b.state = 'running' AND j.state IN ('failed', 'cancelled') THEN j.state ELSE b.state END AS state,
	b.done_steps AS doneSteps, b.job_id AS jobId, b.began, coalesce(b.ended, j.ended) AS ended, b.by, b.sheet FROM builds b JOIN jobs j ON j.id = b.job_id`;

/** Builds begun up to a moment, newest first. */
export const buildsAt = (db: Db, at: number, limit = 20): BuildRow[] =>
	all<BuildRow>(db, `${BUILDS} WHERE b.began <= ? ORDER BY b.id DESC LIMIT ?`, [at, limit]);

/** Builds of a line that are not done: running, or waiting to be resumed. */
export const openBuilds = (db: Db, line: string): BuildRow[] =>
	all<BuildRow>(db, `${BUILDS} WHERE b.line_id = ? AND b.state <> 'done'`, [line]);

/** One build, or null. */
export const buildById = (db: Db, id: number): BuildRow | null =>
	one<BuildRow>(db, `${BUILDS} WHERE b.id = ?`, [id]) ?? null;
