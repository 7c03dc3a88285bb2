import { builderPace, type StepHistory } from '$lib/core/images/duration';
import { kindOf } from '$lib/core/images/library/kinds';
import { FOREVER } from '$lib/core/time/units';
import { AS_FOUND } from '$lib/core/images/versions';
import { stepKey, type BuildSheet, type Supplies } from '$lib/core/images/sheet';
import { MINUTE } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, setting, type Db } from '../db';
import { linesAt } from './queries';

/** Past runs of a step, as they would have taken on a sheet's builder, and how near they are to it. */
export interface KnownStep extends StepHistory {
	/** Runs of this very step on a builder of this very size; of this step on others; of steps of its kind. */
	from: 'this builder' | 'other builders' | 'other lines' | 'its kind' | 'assumption';
}

/** Fewer runs than this say too little: the next wider kind of runs is asked. */
const ENOUGH = 3;
/** So many of a step's own runs are gone by before those of other lines and steps. */
const FEW = 2;
/** No more than so many of the newest runs are looked at. */
const NEWEST = 60;

/**
 * Past runs of each step of a sheet, the nearest that there are enough of: on this builder size; on other sizes, scaled to
 * it; in other lines; of the same kind of step; else what the library assumes.
 */
export function stepHistories(db: Db, line: string, sheet: BuildSheet): KnownStep[] {
	const pace = builderPace(sheet.builder);
	interface Run {
		took: number;
		cores: number;
		disk: number;
	}
	const scaled = (runs: Run[]) => runs.map((r) => Math.round((r.took * pace) / builderPace(r)));
	return sheet.steps.map((step): KnownStep => {
		const key = stepKey(step);
		const fallback = (kindOf(step.kind)?.usual ?? 10 * MINUTE) * pace;
		const own = all<Run>(
			db,
			`SELECT took, cores, disk FROM step_runs WHERE line_id = ? AND kind = ? AND words = ? ORDER BY at DESC LIMIT ${NEWEST}`,
			[line, step.kind, key]
		);
		const here = own.filter((r) => r.cores === sheet.builder.cores && r.disk === sheet.builder.disk);
		if (here.length >= ENOUGH) return { runs: scaled(here), fallback, from: 'this builder' };
		if (own.length >= ENOUGH) return { runs: scaled(own), fallback, from: 'other builders' };
		// Two of its own say more than many of something else.
		if (here.length >= FEW) return { runs: scaled(here), fallback, from: 'this builder' };
		if (own.length >= FEW) return { runs: scaled(own), fallback, from: 'other builders' };
		const elsewhere = all<Run>(
			db,
			`SELECT took, cores, disk FROM step_runs WHERE kind = ? AND words = ? ORDER BY at DESC LIMIT ${NEWEST}`,
			[step.kind, key]
		);
		if (elsewhere.length >= ENOUGH) return { runs: scaled(elsewhere), fallback, from: 'other lines' };
		const kind = all<Run>(
			db,
			`SELECT took, cores, disk FROM step_runs WHERE kind = ? ORDER BY at DESC LIMIT ${NEWEST}`,
			[step.kind]
		);
		if (kind.length > elsewhere.length) return { runs: scaled(kind), fallback, from: 'its kind' };
		return elsewhere.length
			? {
					runs: scaled(elsewhere),
					fallback,
					from: here.length ? 'this builder' : own.length ? 'other builders' : 'other lines'
				}
			: { runs: [], fallback, from: 'assumption' };
	});
}

/** What an hour of a builder machine costs, cents: the share of a host at home that it takes, by cores. */
export function builderPrice(db: Db, cores: number): number {
	const row = one<{ price: number | null }>(
		db,
		'SELECT avg(price_hour * 1.0 / cores) AS price FROM hosts WHERE site_id = ?',
		[setting(db, 'home') ?? '']
	);
	return (row?.price ?? 0) * cores;
}

/** What there is to build from: what the provider offers, the versions that are kept, the machines that there are. */
export async function suppliesOf(ctx: Context): Promise<Supplies> {
	const { stock, packages } = await ctx.providers.builder.offers();
	const lines = linesAt(ctx.db, ctx.clock.now());
	const lineOf = new Map(lines.map((l) => [l.id, l]));
	const machines = all<{
		name: string;
		line: string;
		version: string;
		disk: number;
		system: string | null;
		users: 'single' | 'multi';
		generation: 1 | 2;
	}>(
		ctx.db,
		`SELECT m.name, pl.line_id AS line, pl.version, p.disk, t.system, t.users, t.generation FROM machines m
		 JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER}
		 JOIN pools p ON p.id = m.pool_id AND p.until = ${FOREVER}
		 LEFT JOIN taken_machines t ON t.name = m.name AND pl.version = '${AS_FOUND}'
		 WHERE m.until = ${FOREVER} AND p.assignment = 'personal' ORDER BY m.name`
	);
	return {
		stock,
		packages,
		versions: lines.flatMap((l) =>
			l.versions
				.filter((v) => !v.open)
				.map((v) => ({
					line: l.id,
					number: v.number,
					generation: l.generation,
					users: l.users,
					size: v.size,
					contents: v.contents
				}))
		),
		machines: machines.flatMap((m) => {
			// One that was taken over is what it was found to be; how much is on it shows once it is built from.
			if (m.system !== null) return [{ ...m, contents: [{ name: m.system, version: 'as found', size: 0 }] }];
			const line = lineOf.get(m.line);
			return line
				? [
						{
							name: m.name,
							generation: line.generation,
							users: line.users,
							disk: m.disk,
							contents: line.versions.find((v) => v.number === m.version)?.contents ?? []
						}
					]
				: [];
		})
	};
}

export interface BuildRow {
	id: number;
	line: string;
	number: string;
	state: 'queued' | 'running' | 'done' | 'failed' | 'cancelled' | 'abandoned';
	doneSteps: number;
	jobId: number;
	began: number;
	ended: number | null;
	by: string;
	note: string;
	/** The sheet as it was when the build began, JSON. */
	sheet: string;
}

/** A build whose job ended otherwise than well has ended with it. */
const BUILDS = `SELECT b.id, b.line_id AS line, b.number, CASE WHEN b.state IN ('queued', 'running') AND j.state IN ('failed', 'cancelled') THEN j.state ELSE b.state END AS state,
	b.done_steps AS doneSteps, b.job_id AS jobId, b.began, coalesce(b.ended, j.ended) AS ended, b.by, b.note, b.sheet FROM builds b JOIN jobs j ON j.id = b.job_id`;

/** Builds begun up to a moment, newest first. */
export const buildsAt = (db: Db, at: number, limit = 20): BuildRow[] =>
	all<BuildRow>(db, `${BUILDS} WHERE b.began <= ? ORDER BY b.id DESC LIMIT ?`, [at, limit]);

/** Builds of a line that are neither done nor given up: queued, running, or waiting to be resumed. Oldest first. */
export const openBuilds = (db: Db, line: string): BuildRow[] =>
	all<BuildRow>(db, `${BUILDS} WHERE b.line_id = ? AND b.state NOT IN ('done', 'abandoned') ORDER BY b.id`, [line]);

/** One build, or null. */
export const buildById = (db: Db, id: number): BuildRow | null =>
	one<BuildRow>(db, `${BUILDS} WHERE b.id = ?`, [id]) ?? null;
