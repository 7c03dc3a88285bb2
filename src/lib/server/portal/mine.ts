import type { Channel } from '$lib/core/access/decide';
import { CHANNELS } from '$lib/core/access/decide';
import { failingCheck, type CheckName, type Remedy } from '$lib/core/diagnosis/checks';
import { ownRemedies } from '$lib/core/diagnosis/own';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, type Db } from '../db';
import { devicesOf, isShutOut } from '../endpoints';
import { workingOn } from '../plans';
import type { MachineState } from '../providers';

/** A machine that somebody keeps, or is on. */
export interface OwnMachine {
	id: number;
	machine: string;
	/** As its person calls it, else as it is called. */
	name: string;
	pool: string;
	/** They keep it: others are not let onto it. */
	kept: boolean;
	state: MachineState;
	since: number;
	/** The publication of their session on it. */
	publication: string | null;
	session: number | null;
	/** Whether somebody else is on it. */
	others: number;
	/** What is wrong with it, since when, and what they may do about it themselves. */
	wrong: { check: CheckName; since: number; remedies: Remedy[] } | null;
	/** A job works on it. */
	working: boolean;
}

interface MachineRow {
	id: number;
	machine: string;
	own_name: string | null;
	pool: string;
	kept: number;
	state: MachineState;
	since: number;
	publication: string | null;
	session: number | null;
	others: number;
}

/** Machines that somebody keeps, then those that they are on. */
export function ownMachines(ctx: Context, person: number): OwnMachine[] {
	const rows = all<MachineRow>(
		ctx.db,
		`SELECT m.id, m.name AS machine, n.name AS own_name, p.name AS pool, pl.owner_id = @person AS kept, st.state, st.since,
			s.publication_id AS publication, s.id AS session,
			(SELECT count(*) FROM sessions o WHERE o.machine_id = m.id AND o.until = ${FOREVER} AND o.person_id <> @person) AS others
		 FROM machines m
		 JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER}
		 JOIN machine_states st ON st.machine_id = m.id AND st.until = ${FOREVER}
		 JOIN pools p ON p.id = m.pool_id AND p.until = ${FOREVER}
		 LEFT JOIN sessions s ON s.id = (SELECT min(id) FROM sessions WHERE machine_id = m.id AND person_id = @person AND until = ${FOREVER})
		 LEFT JOIN own_names n ON n.person_id = @person AND n.kind = 'machine' AND n.thing = m.name
		 WHERE m.until = ${FOREVER} AND (pl.owner_id = @person OR s.id IS NOT NULL)
		 ORDER BY pl.owner_id = @person DESC, m.name LIMIT 50`,
		{ person }
	);
	return rows.map((r) => ({
		id: r.id,
		machine: r.machine,
		name: r.own_name ?? r.machine,
		pool: r.pool,
		kept: r.kept === 1,
		state: r.state,
		since: r.since,
		publication: r.publication,
		session: r.session,
		others: r.others,
		wrong: wrongWith(ctx.db, r),
		working: workingOn(ctx, [`machine/${r.machine}`]).length > 0
	}));
}

/** One machine of somebody's; null where it is none of theirs. */
export const ownMachine = (ctx: Context, person: number, machine: string): OwnMachine | null =>
	ownMachines(ctx, person).find((m) => m.machine === machine) ?? null;

function wrongWith(db: Db, m: MachineRow): OwnMachine['wrong'] {
	const failing = all<{ name: CheckName; since: number; saw: string }>(
		db,
		`SELECT name, since, saw FROM failing_checks WHERE machine_id = ? AND until = ${FOREVER}`,
		[m.id]
	);
	const first = failingCheck(failing.map((f) => ({ ...f, ok: false })));
	if (first === null) return null;
	return {
		check: first.name,
		since: failing.find((f) => f.name === first.name)!.since,
		remedies: ownRemedies(first.name, { kept: m.kept === 1, others: m.others }).value
	};
}

/** A device that somebody sits at. */
export interface OwnDevice {
	/** Its number: a copy has the same serial. */
	id: number;
	serial: string;
	name: string;
	model: string;
	awake: boolean;
	since: number;
	/** They are on it now. */
	on: boolean;
	/** Nobody is let in by it any more. */
	shut: boolean;
}

/** Devices that somebody is on, or was on last. */
export function ownDevices(db: Db, person: number, login: string, now: number): OwnDevice[] {
	const names = new Map(
		all<{ thing: string; name: string }>(
			db,
			`SELECT thing, name FROM own_names WHERE person_id = ? AND kind = 'endpoint'`,
			[person]
		).map((r) => [r.thing, r.name])
	);
	return devicesOf(db, person, now).map((d) => ({
		id: d.id,
		serial: d.serial,
		name: names.get(d.serial) ?? d.name,
		model: d.model,
		awake: d.state === 'awake',
		since: d.stateSince,
		on: d.on === login,
		shut: isShutOut(d)
	}));
}

/** What somebody lets through of their own device; null for whatever they have not been asked about. */
export function ownChannels(db: Db, person: number): Record<Channel, boolean | null> {
	const said = new Map(
		all<{ channel: string; pass: number }>(db, 'SELECT channel, pass FROM own_channels WHERE person_id = ?', [
			person
		]).map((r) => [r.channel, r.pass === 1])
	);
	return Object.fromEntries(CHANNELS.map((c) => [c, said.get(c) ?? null])) as Record<Channel, boolean | null>;
}

/** Of the channels that a grant allows: those that pass, and those that their person keeps out. What has not been asked passes. */
export function passing(
	db: Db,
	person: number,
	allowed: readonly Channel[]
): { pass: Channel[]; keptOut: Channel[]; unasked: Channel[] } {
	const own = ownChannels(db, person);
	return {
		pass: allowed.filter((c) => own[c] !== false),
		keptOut: allowed.filter((c) => own[c] === false),
		unasked: allowed.filter((c) => own[c] === null)
	};
}

/** What somebody calls a thing of theirs; null where they call it nothing of its own. */
export const ownName = (db: Db, person: number, kind: 'machine' | 'endpoint', thing: string): string | null =>
	one<{ name: string }>(db, 'SELECT name FROM own_names WHERE person_id = ? AND kind = ? AND thing = ?', [
		person,
		kind,
		thing
	])?.name ?? null;
