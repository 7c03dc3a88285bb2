import type { Db } from '../db';
import { changeAt } from '../db/intervals';

/** Gives a pool other values from now on; what it was before stays on record. */
export function changePool(db: Db, pool: string, values: Parameters<typeof changeAt>[3], now: number): void {
	changeAt(db, 'pools', { id: pool }, values, now);
}
