import { MINUTE } from '$lib/core/time/units';
import { all, one, type Db } from '../db';
import { FINEST, QUARTER, SERIES, type Sampled, type SampleTable, type Series } from './series';

/** A sample as it is kept: thousandths, or −1 for what there is none of. */
export type Kept = Record<string, number>;

const [MINUTES, QUARTERS] = SERIES.machine.tables;

/** The minute of samples that holds at a moment. */
export const sampledAt = (at: number): number => Math.floor(at / FINEST) * FINEST;

/**
 * What queries at a moment bind: @at itself (ms UTC), and the samples that hold then: @sampled, the minute, or, of a
 * time whose minutes are no longer kept, @quarter, the quarter hour (else −1).
 */
export function atMoment(db: Db, at: number): { at: number; sampled: number; quarter: number } {
	const sampled = sampledAt(at);
	const kept = firstMinute(db);
	return { at, sampled, quarter: kept !== null && kept <= sampled ? -1 : Math.floor(at / QUARTER) * QUARTER };
}

const firstMinute = (db: Db): number | null =>
	one<{ at: number | null }>(db, `SELECT min(at) AS at FROM ${MINUTES.table}`)?.at ?? null;

/** Whether all minutes since a time are kept that there ever were; else quarter hours tell of it. */
export function minutesSince(db: Db, from: number): boolean {
	const kept = firstMinute(db);
	if (kept === null || kept <= from) return kept !== null;
	return !one(db, `SELECT 1 FROM ${QUARTERS.table} WHERE at < ? LIMIT 1`, [Math.floor(kept / QUARTER) * QUARTER]);
}

/** The sample of a machine or a host that holds at a moment, and whether it is a minute's or a quarter hour's; null when it was not up. */
export function sampleAt(db: Db, of: Sampled, id: number, at: number): { row: Kept; of: string } | null {
	const { key, tables } = SERIES[of];
	const { sampled, quarter } = atMoment(db, at);
	const { table, words } = tables[quarter < 0 ? 0 : 1];
	const row = one<Kept>(db, `SELECT * FROM ${table} WHERE at = ? AND ${key} = ?`, [
		quarter < 0 ? sampled : quarter,
		id
	]);
	return row ? { row, of: words } : null;
}

/** The samples of a machine or a host over a span, from the finest table that still has it all and draws it in about 500 points. */
export function samplesBetween(
	db: Db,
	of: Sampled,
	id: number,
	from: number,
	to: number
): { step: number; rows: Kept[] } {
	const { key } = SERIES[of];
	const { table, step } = tableFor(db, SERIES[of], from, to);
	// The key leads with the time, so each grid point is sought by itself.
	const rows = all<Kept>(
		db,
		`WITH RECURSIVE grid(at) AS (SELECT ? UNION ALL SELECT at + ? FROM grid WHERE at + ? < ?) SELECT x.* FROM grid JOIN ${table} x ON x.at = grid.at AND x.${key} = ?`,
		[Math.ceil(from / step) * step, step, step, to, id]
	);
	return { step, rows };
}

const tableFor = (db: Db, { tables }: Series, from: number, to: number): SampleTable =>
	tables.find((t) => to - from <= t.widest && (t.kept === Infinity || minutesSince(db, from))) ?? tables.at(-1)!;

/** A value of the sample `x` that holds at the moment of what `alias` stands for; null when it was not up. */
function sampled(of: Sampled, alias: string, value: string): string {
	const { key, tables } = SERIES[of];
	const at = (n: 0 | 1, when: string) =>
		`(SELECT ${value} FROM ${tables[n].table} x WHERE x.at = ${when} AND x.${key} = ${alias}.id)`;
	return `CASE WHEN @quarter < 0 THEN ${at(0, '@sampled')} ELSE ${at(1, '@quarter')} END`;
}

/** Strain of machine `m`: the minute's, or the highest of the quarter hour. */
export const SAMPLED_STRAIN = sampled('machine', 'm', 'x.strain');

/** A share (0–1) of machine `m`. */
export const sampledShare = (column: 'cores' | 'memory'): string => sampled('machine', 'm', `x.${column} / 1000.0`);

/** A share (0–1) of host `h` by the samples that hold; null when it was down, or has no GPU to have a share of. */
export const sampledHost = (column: 'cores' | 'memory' | 'gpu'): string =>
	sampled('host', 'h', `iif(x.${column} < 0, NULL, x.${column} / 1000.0)`);

/**
 * Machines whose cores were in use to a share (0–1) or more in every minute of a span, `most` minutes of it at least: since when within it,
 * how much in the mean, and the most sessions.
 */
export function pressedThroughout(
	db: Db,
	share: number,
	from: number,
	to: number,
	least: number
): { machine: number; cores: number; sessions: number; since: number }[] {
	const missed = (to - from) / MINUTE - least + 1;
	// With so few missing, one of the last minutes is there: who was not pressed then need not be looked at.
	const lately = all<{ id: number }>(
		db,
		`SELECT DISTINCT machine_id AS id FROM ${MINUTES.table} WHERE at > ? AND at <= ? AND cores >= ?`,
		[to - missed * MINUTE, to, share * 1000]
	);
	if (lately.length === 0) return [];
	return all(
		db,
		`SELECT machine_id AS machine, avg(cores) / 1000.0 AS cores, max(sessions) AS sessions, min(at) AS since FROM ${MINUTES.table}
		 WHERE at > ? AND at <= ? AND machine_id IN (SELECT value FROM json_each(?)) GROUP BY machine_id HAVING min(cores) >= ? AND count(*) >= ?`,
		[from, to, JSON.stringify(lately.map((m) => m.id)), share * 1000, least]
	);
}
