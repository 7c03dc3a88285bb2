import { attachFindings } from '$lib/core/diagnosis/findings';
import { one, type Db } from '../db';
import type { Comparison } from '../manifest';
import { deliveryStatesAt, failuresIn } from './delivery';

export const deliveryComparisons: readonly Comparison[] = [
	{ kinds: ['package not attached'], every: 'sweep', look: ({ db }, now) => attachFindings(notAttached(db, now)) }
];

/** Deliveries with machines that cannot have them, and what each pool had before. */
const notAttached = (db: Db, now: number) =>
	deliveryStatesAt(db, now)
		.filter((d) => d.failing.length > 0)
		.map((d) => ({
			...d,
			before:
				one<{ version: string }>(
					db,
					'SELECT version FROM deliveries WHERE pool_id = ? AND package = ? AND until = ? AND version <> ?',
					[d.pool, d.package, d.since, d.version]
				)?.version ?? null,
			failures: failuresIn(db, d.pool, d.package, now)
		}));
