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
	const kept = one<{ at: number | null }>(db, 'SELECT min(at) AS at FROM samples_1m')?.at;
	const minutesKept = kept !== null && kept !== undefined && kept <= sampled;
	return { at, sampled, quarter: minutesKept ? -1 : Math.floor(at / QUARTER) * QUARTER };
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
