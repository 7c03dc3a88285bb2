import type { Groups } from '$lib/core/settings/effective';
import { compareGroups, type Change } from '$lib/core/settings/compare';
import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import { KEPT } from '../endpoints';
import { settingsAt } from './queries';
import { endpointKnownAt, knownEndpoints, knownMachines, type Known } from './subjects';

/** An endpoint or a machine that runs on values of before: it takes those that count now when it starts next. */
export interface Waiting {
	subject: Known;
	/** When it started last, ms UTC. */
	started: number;
	/** The groups that counted then. */
	then: Groups;
	/** What it has, and what it would have. */
	changes: Change[];
}

/** Endpoints that are awake at a moment (one whose start is known no longer has started before those that are), and machines that run, by kind and id, with when each started last. */
function startsOf(db: Db, at: number): Map<string, number> {
	return new Map([
		...all<{ id: number; at: number | null }>(
			db,
			`SELECT st.endpoint_id AS id, (SELECT max(s.at) FROM endpoint_starts s WHERE s.endpoint_id = st.endpoint_id AND s.at <= @at) AS at
			 FROM endpoint_states st WHERE ${asOf('endpoint_states st')} AND st.state = 'awake'`,
			{ at }
		).map((r): [string, number] => [`endpoint ${r.id}`, r.at ?? at - KEPT]),
		...all<{ name: string; since: number; at: number | null }>(
			db,
			`SELECT m.name, m.since, (SELECT max(s.since) FROM machine_states s WHERE s.machine_id = m.id AND s.state = 'starting' AND s.since <= @at) AS at
			 FROM machines m JOIN machine_states st ON st.machine_id = m.id AND ${asOf('machine_states st')} AND st.state NOT IN ('off', 'failed')
			 WHERE ${asOf('machines m')}`,
			{ at }
		).map((r): [string, number] => [`machine ${r.name}`, r.at ?? r.since])
	]);
}

/**
 * What runs at a moment on values that count no longer, since they take hold at a start and it has not started since. Of all endpoints and machines, or of
 * one. Which groups reach it is asked as it stands now.
 */
export function waitingAt(db: Db, at: number, one?: { kind: 'endpoint' | 'machine'; id: string }): Waiting[] {
	const changed = all<{ at: number }>(
		db,
		`SELECT since AS at FROM settings_groups WHERE since <= @at UNION SELECT until FROM settings_groups WHERE until <= @at ORDER BY 1`,
		{ at }
	).map((c) => c.at);
	const last = changed.at(-1);
	if (last === undefined) return [];
	const starts = startsOf(db, at);
	const subjects = one
		? one.kind === 'endpoint'
			? [endpointKnownAt(db, Number(one.id), at)].flatMap((e) => e ?? [])
			: knownMachines(db, at).filter((m) => m.id === one.id)
		: [...knownEndpoints(db, at), ...knownMachines(db, at)];
	// Those between whose starts no group changed began with the same groups.
	const alike = new Map<number, { then: number; of: { s: Known; started: number }[] }>();
	for (const s of subjects) {
		const started = starts.get(`${s.kind} ${s.id}`);
		if (started === undefined || started >= last) continue;
		const before = changed.filter((c) => c <= started).length;
		const some = alike.get(before);
		if (some) some.of.push({ s, started });
		else alike.set(before, { then: started, of: [{ s, started }] });
	}
	const now = settingsAt(db, at);
	return [...alike.values()].flatMap(({ then, of }) => {
		const started = new Map(of.map((x) => [x.s, x.started]));
		const before = settingsAt(db, then);
		return compareGroups(before, now, started.keys()).flatMap(({ subjects: same, changes }) => {
			const held = changes.filter((c) => c.setting.holds === 'next start');
			return held.length
				? same.map((subject) => ({ subject, changes: held, started: started.get(subject)!, then: before }))
				: [];
		});
	});
}
