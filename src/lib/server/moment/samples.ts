import { MINUTE } from '$lib/core/time/units';
import { one, type Db } from '../db';

const QUARTER = 15 * MINUTE;

/** The minute of samples that holds at a moment. */
export const sampledAt = (at: number): number => Math.floor(at / MINUTE) * MINUTE;

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
	one<{ at: number | null }>(db, 'SELECT min(at) AS at FROM samples_1m')?.at ?? null;

/** Whether all minutes since a time are kept that there ever were; else quarter hours tell of it. */
export function minutesSince(db: Db, from: number): boolean {
	const kept = firstMinute(db);
	if (kept === null || kept <= from) return kept !== null;
	return !one(db, 'SELECT 1 FROM samples_15m WHERE at < ? LIMIT 1', [Math.floor(kept / QUARTER) * QUARTER]);
}

/** A sample as it is kept: thousandths, or −1 for what there is none of. */
type Kept = Record<string, number>;

/** The sample of a machine or a host that holds at a moment, and whether it is a minute's or a quarter hour's; null when it was not up. */
export function sampleAt(
	db: Db,
	of: 'machine' | 'host',
	id: number,
	at: number
): { row: Kept; of: 'minute' | 'quarter hour' } | null {
	const { sampled, quarter } = atMoment(db, at);
	const step = quarter < 0 ? ('minute' as const) : ('quarter hour' as const);
	const table = `${of === 'host' ? 'host_' : ''}samples_${quarter < 0 ? '1m' : '15m'}`;
	const row = one<Kept>(db, `SELECT * FROM ${table} WHERE at = ? AND ${of}_id = ?`, [
		quarter < 0 ? sampled : quarter,
		id
	]);
	return row ? { row, of: step } : null;
}

/** A column of the sample of machine `m` that holds at the moment; null when it was not up. */
const sampledMachine = (column: string): string =>
	`CASE WHEN @quarter < 0 THEN (SELECT x.${column} FROM samples_1m x WHERE x.at = @sampled AND x.machine_id = m.id)
	ELSE (SELECT x.${column} FROM samples_15m x WHERE x.at = @quarter AND x.machine_id = m.id) END`;

/** Strain of machine `m`: the minute's, or the highest of the quarter hour. */
export const SAMPLED_STRAIN = sampledMachine('strain');

/** A share (0–1) of machine `m`. */
export const sampledShare = (column: 'cores' | 'memory'): string => `(${sampledMachine(column)}) / 1000.0`;

/** A share (0–1) of host `h` by the samples that hold; null when it was down, or has no GPU to have a share of. */
export const sampledHost = (column: 'cores' | 'memory' | 'gpu'): string =>
	`CASE WHEN @quarter < 0 THEN (SELECT iif(x.${column} < 0, NULL, x.${column} / 1000.0) FROM host_samples_1m x WHERE x.at = @sampled AND x.host_id = h.id)
	ELSE (SELECT iif(x.${column} < 0, NULL, x.${column} / 1000.0) FROM host_samples_15m x WHERE x.at = @quarter AND x.host_id = h.id) END`;
