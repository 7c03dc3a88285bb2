import { FOREVER } from '$lib/core/time/units';
import { one, run, type Db } from '../db';
import { closeAt, putAt } from '../db/intervals';
import type { Observation } from '../providers';

type Seen<K extends Observation['kind']> = Extract<Observation, { kind: K }>;

/** Who a session is of, and where; a session whose sign-in is not over yet is not in the database. */
export type Where = (session: number) => { person: number; machine: number } | null;

/** A package version comes to a machine, or leaves it. */
export function notePackage(db: Db, machine: number, o: Seen<'package'>): void {
	const key = [machine, o.package, o.version];
	const own = { machine_id: machine, package: o.package, version: o.version };
	closeAt(db, 'attachments', own, o.at);
	const why = JSON.stringify(o.why);
	if (o.state === 'failed') {
		const same = run(
			db,
			`UPDATE attach_failures SET tries = tries + 1, why = ? WHERE machine_id = ? AND package = ? AND version = ? AND cause = ? AND until = ${FOREVER}`,
			[why, ...key, o.cause]
		).changes;
		if (same) return;
		endFailures(db, machine, o.package, o.version, o.at);
		run(db, 'INSERT OR REPLACE INTO attach_failures VALUES (?, ?, ?, ?, ?, ?, ?, 1)', [
			...key,
			o.at,
			FOREVER,
			o.cause,
			why
		]);
		return;
	}
	if (o.state !== 'detached') putAt(db, 'attachments', { ...own, state: o.state, why }, o.at);
	if (o.state === 'attached') endFailures(db, machine, o.package, o.version, o.at);
}

/** What failed has ended: it is there, or nobody wants it any more. */
export function endFailures(db: Db, machine: number, name: string, version: string, at: number): void {
	run(
		db,
		`UPDATE attach_failures SET until = max(?, since + 1) WHERE machine_id = ? AND package = ? AND version = ? AND until = ${FOREVER}`,
		[at, machine, name, version]
	);
}

/** A machine goes off: nothing is attached to it any more. */
export function nothingAttached(db: Db, machine: number, at: number): void {
	for (const table of ['attachments', 'attach_failures'])
		run(db, `UPDATE ${table} SET until = max(?, since + 1) WHERE machine_id = ? AND until = ${FOREVER}`, [at, machine]);
}

/** An app opened its window. */
export function noteApp(db: Db, where: Where, o: Seen<'app'>): void {
	const at = where(o.session);
	if (!at) return;
	run(db, 'INSERT OR IGNORE INTO app_runs VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)', [
		o.run,
		o.session,
		at.person,
		at.machine,
		o.package,
		o.version,
		o.target,
		o.at,
		FOREVER,
		o.start,
		Math.round(o.took)
	]);
}

export function noteAppClosed(db: Db, o: Seen<'app closed'>): void {
	run(db, `UPDATE app_runs SET until = max(?, since + 1) WHERE id = ? AND until = ${FOREVER}`, [o.at, o.run]);
}

/** A session has ended, and with it what was open in it. */
export function appsEnded(db: Db, session: number, at: number): void {
	run(db, `UPDATE app_runs SET until = max(?, since + 1) WHERE session_id = ? AND until = ${FOREVER}`, [at, session]);
}

export function noteRefusal(db: Db, person: number, machine: number, o: Seen<'app failed'>): void {
	run(
		db,
		'INSERT INTO app_refusals(session_id, person_id, machine_id, at, package, target, cause, words) VALUES (?, ?, ?, ?, ?, ?, ?, ?)',
		[o.session, person, machine, o.at, o.package, o.target, o.cause, o.words]
	);
}

/** Finds a session's person and machine. */
export const whereIn =
	(db: Db): Where =>
	(session) =>
		one<{ person: number; machine: number }>(
			db,
			'SELECT person_id AS person, machine_id AS machine FROM sessions WHERE id = ?',
			[session]
		) ?? null;
