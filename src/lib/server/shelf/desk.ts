import { FOREVER } from '$lib/core/time/units';
import { all, one, type Db } from '../db';
import { appName } from '../publishing';

/** An app that is open in somebody's session, as its window shows it. */
export interface OpenWindow {
	run: number;
	name: string;
	version: string;
	package: string;
	target: string;
}

/** The pool of a machine that is there. */
export const poolOf = (db: Db, machine: string | null): string | undefined =>
	one<{ pool: string }>(db, `SELECT pool_id AS pool FROM machines WHERE name = ? AND until = ${FOREVER}`, [machine])
		?.pool;

/** Windows of apps in a session, in the order in which they were opened. */
export const windowsIn = (db: Db, session: number | null, at: number): OpenWindow[] =>
	session === null
		? []
		: all<Omit<OpenWindow, 'name'>>(
				db,
				`SELECT id AS run, package, target, version FROM app_runs WHERE session_id = ? AND until = ${FOREVER} ORDER BY id`,
				[session]
			).map((r) => ({ ...r, name: appName(db, r, at) }));
