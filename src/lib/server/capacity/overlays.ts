import { wallTime } from '$lib/core/time/zone';
import { overlaySize } from '$lib/core/pools/overlay';
import { DAY, FOREVER } from '$lib/core/time/units';
import type { Explained } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, one, run, type Db } from '../db';

/** Days that count for the size of an overlay. */
const LOOKED_BACK = 30;

/** Asks what machines have written, and keeps it by machine and local day. */
export async function learnWrites(ctx: Context): Promise<void> {
	const { db } = ctx;
	const now = ctx.clock.now();
	const ours = new Map(
		all<{ id: number; name: string; zone: string; sessions: number }>(
			db,
			`SELECT m.id, m.name, s.time_zone AS zone, (SELECT count(*) FROM sessions x WHERE x.machine_id = m.id AND x.until = ${FOREVER}) AS sessions
			 FROM machines m JOIN sites s ON s.id = m.site_id WHERE m.until = ${FOREVER}`
		).map((m) => [m.name, m])
	);
	const written = await ctx.providers.compute.written();
	db.transaction(() => {
		for (const w of written) {
			const m = ours.get(w.machine);
			if (!m) continue;
			// What was written since the last look of the day before belongs to this one.
			run(
				db,
				`INSERT INTO day_writes(machine_id, day, began, latest, sessions) VALUES (@id, @day, coalesce((SELECT latest FROM day_writes WHERE machine_id = @id AND day < @day ORDER BY day DESC LIMIT 1), 0), @bytes, @sessions)
				 ON CONFLICT DO UPDATE SET latest = excluded.latest, sessions = max(sessions, excluded.sessions)`,
				{ id: m.id, day: wallTime(m.zone, now).day, bytes: w.bytes, sessions: m.sessions }
			);
		}
		run(db, 'DELETE FROM day_writes WHERE day < ?', [Math.floor(now / DAY) - 2 * LOOKED_BACK]);
	}).immediate();
}

/** Bytes that machines of a line wrote on whole days when somebody worked on them, and the sessions that they hold. */
export function dayWrites(db: Db, line: string, now: number): { days: number[]; perMachine: number } {
	const rows = all<{ bytes: number; perMachine: number }>(
		db,
		`SELECT w.latest - w.began AS bytes, p.per_machine AS perMachine FROM day_writes w JOIN machines m ON m.id = w.machine_id
		 JOIN pools p ON p.id = m.pool_id AND p.until = ${FOREVER} WHERE p.line_id = ? AND w.day > ? AND w.day < ? AND w.sessions > 0`,
		[line, Math.floor(now / DAY) - LOOKED_BACK, Math.floor(now / DAY)]
	);
	return {
		days: rows.map((r) => r.bytes),
		perMachine: rows.length ? Math.round(rows.reduce((n, r) => n + r.perMachine, 0) / rows.length) : 1
	};
}

/** How large the overlay of new machines of a line should be. */
export function overlayFor(
	ctx: Context,
	want: { line: string; perMachine: number; keeps: number; pageFile: number; pageOnOverlay: boolean }
): Explained<number> {
	const { days, perMachine } = dayWrites(ctx.db, want.line, ctx.clock.now());
	return overlaySize({ ...want, days, measuredPerMachine: perMachine });
}

/** Boot servers that the estate has, with their sites. */
export const bootServersOf = (db: Db): { id: string; site: string; address: string }[] =>
	all(db, 'SELECT id, site_id AS site, address FROM boot_servers ORDER BY id');

/** A boot server by its id, or undefined. */
export const bootServerById = (db: Db, id: string): { id: string } | undefined =>
	one(db, 'SELECT id FROM boot_servers WHERE id = ?', [id]);
