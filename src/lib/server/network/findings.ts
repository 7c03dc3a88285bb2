import { siteFindings } from '$lib/core/diagnosis/findings';
import { all, type Db } from '../db';
import type { Comparison } from '../manifest';
import { checksAt } from './checks';

export const siteComparisons: readonly Comparison[] = [
	{ kinds: ['site not in order'], every: 'sweep', look: ({ db }, now) => siteFindings(sitesFailing(db, now)) }
];

const sitesFailing = (db: Db, now: number) =>
	all<{ id: string; name: string }>(db, 'SELECT id, name FROM sites ORDER BY position').map((s) => ({
		...s,
		failing: checksAt(db, s.id, now).filter((c) => c.ok === false && c.name !== 'devices')
	}));
