import { FOREVER } from '$lib/core/time/units';
import { one, run, type Db } from '../db';
import { closeAllAt, closeAt, openAt, putAt } from '../db/intervals';
import { insertRow } from '../db/rows';
import type { Observes } from '../manifest';
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
		return putAt(db, 'attach_failures', { ...own, cause: o.cause, why, tries: 1 }, o.at);
	}
	if (o.state !== 'detached') putAt(db, 'attachments', { ...own, state: o.state, why }, o.at);
	if (o.state === 'attached') endFailures(db, machine, o.package, o.version, o.at);
}

/** What failed has ended: it is there, or nobody wants it any more. */
export function endFailures(db: Db, machine: number, name: string, version: string, at: number): void {
	closeAt(db, 'attach_failures', { machine_id: machine, package: name, version }, at);
}

/** A machine goes off: nothing is attached to it any more. */
export function nothingAttached(db: Db, machine: number, at: number): void {
	for (const table of ['attachments', 'attach_failures'] as const) closeAllAt(db, table, { machine_id: machine }, at);
}

/** An app opened its window. */
export function noteApp(db: Db, where: Where, o: Seen<'app'>): void {
	const at = where(o.session);
	if (!at) return;
	const { run: id, package: name, version, target, start } = o;
	const of = { session_id: o.session, person_id: at.person, machine_id: at.machine };
	openAt(db, 'app_runs', { id, ...of, package: name, version, target, start, took: Math.round(o.took) }, o.at, 'keep');
}

export function noteAppClosed(db: Db, o: Seen<'app closed'>): void {
	closeAt(db, 'app_runs', { id: o.run }, o.at);
}

/** A session has ended, and with it what was open in it. */
export function appsEnded(db: Db, session: number, at: number): void {
	closeAllAt(db, 'app_runs', { session_id: session }, at);
}

export function noteRefusal(db: Db, person: number, machine: number, o: Seen<'app failed'>): void {
	const { session: session_id, at, package: name, target, cause, words } = o;
	const of = { session_id, person_id: person, machine_id: machine };
	insertRow(db, 'app_refusals', { ...of, at, package: name, target, cause, words });
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

/** What packages take in of what is observed. */
export const packageObserves: Observes = {
	take: {
		package(db, o, known) {
			const machine = known.machine(o.machine);
			if (machine !== undefined) notePackage(db, machine, o);
		},
		app: (db, o) => noteApp(db, whereIn(db), o),
		'app closed': noteAppClosed,
		'app failed'(db, o, known) {
			const [machine, person] = [known.machine(o.machine), known.person(o.person)];
			if (machine !== undefined && person !== undefined) noteRefusal(db, person, machine, o);
		}
	},
	machineOff: nothingAttached,
	sessionEnded: appsEnded
};
