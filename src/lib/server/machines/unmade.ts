import { all, type Db } from '../db';

/** Machines that could not be made, with the reason, by pool. */
export const unmadeMachines = (db: Db): { pool: string; name: string; reason: string }[] =>
	all(db, 'SELECT pool_id AS pool, name, reason FROM unmade_machines ORDER BY pool_id, name');
