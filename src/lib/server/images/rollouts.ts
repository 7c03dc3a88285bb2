import { teamsAbove } from '../directory';
import { homeTeam } from '../moment/people-sql';
import type { Counted, GateLimits } from '$lib/core/images/gate';
import type { WaveSpec } from '$lib/core/images/waves';
import { SIGN_IN_TARGET } from '$lib/core/watch/apdex';
import { DAY, FOREVER } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';
import { fromJson } from '../db/json';

/** What was agreed to for a rollout. Times in ms, minutes of the local day where hours are meant. */
export interface RolloutSettings {
	waves: WaveSpec[];
	/** What happens with people who are signed in. */
	people: 'wait' | 'ask' | 'grace' | 'idle';
	/** For `ask` and `grace`: after how long whoever is still there is signed out. */
	deadline: number;
	/** Minutes of the local day within which machines change; both the same: at any time. */
	hours: { from: number; until: number };
	/** How long a wave is watched before its gate judges. */
	pause: number;
	/** How long a gate waits for numbers enough before it asks somebody. */
	longest: number;
	limits: GateLimits;
	onFail: 'pause' | 'return';
	/** What makes the version stay once all waves are through: it is released, or the pools follow exactly it. */
	then: 'release' | 'pin';
}

type RolloutState = 'running' | 'paused' | 'done' | 'returned' | 'stopped';
export type MachineState = 'waiting' | 'moving' | 'moved' | 'failed' | 'returned';

export interface RolloutRow {
	id: number;
	jobId: number;
	line: string;
	number: string;
	settings: RolloutSettings;
	by: string;
	began: number;
	ended: number | null;
	state: RolloutState;
	wave: number;
	decision: string | null;
	waves: { wave: number; machines: number; moved: number; failed: number; returned: number; pools: string[] }[];
	gates: { wave: number; at: number; verdict: string; facts: Fact[] }[];
}

type Raw = Omit<RolloutRow, 'settings' | 'waves' | 'gates'> & { settings: string };
const COLUMNS = `r.id, r.job_id AS jobId, r.line_id AS line, r.number, r.settings, r.by, r.began, coalesce(r.ended, j.ended) AS ended,
	CASE WHEN r.state IN ('running', 'paused') AND j.state IN ('failed', 'cancelled') THEN 'stopped' ELSE r.state END AS state, r.wave, r.decision
	FROM rollouts r JOIN jobs j ON j.id = r.job_id`;

function withParts(db: Db, r: Raw): RolloutRow {
	return {
		...r,
		settings: fromJson<RolloutSettings>('rollouts.settings', r.settings),
		waves: all<{ wave: number; machines: number; moved: number; failed: number; returned: number; pools: string }>(
			db,
			`SELECT rm.wave, count(*) AS machines, sum(rm.state = 'moved') AS moved, sum(rm.state = 'failed') AS failed, sum(rm.state = 'returned') AS returned,
			 json_group_array(DISTINCT m.pool_id) AS pools FROM rollout_machines rm LEFT JOIN machines m ON m.name = rm.machine AND m.until = ${FOREVER}
			 WHERE rm.rollout_id = ? GROUP BY 1 ORDER BY 1`,
			[r.id]
		).map((w) => ({ ...w, pools: JSON.parse(w.pools) as string[] })),
		gates: all<{ wave: number; at: number; verdict: string; facts: string }>(
			db,
			'SELECT wave, at, verdict, facts FROM rollout_gates WHERE rollout_id = ? ORDER BY at',
			[r.id]
		).map((g) => ({ ...g, facts: fromJson<Fact[]>('rollout_gates.facts', g.facts) }))
	};
}

/** Rollouts begun up to a moment, newest first. */
export const rolloutsAt = (db: Db, at: number, limit = 12): RolloutRow[] =>
	all<Raw>(db, `SELECT ${COLUMNS} WHERE r.began <= ? ORDER BY r.id DESC LIMIT ?`, [at, limit]).map((r) =>
		withParts(db, r)
	);

/** One rollout, or null. */
export function rolloutById(db: Db, id: number): RolloutRow | null {
	const r = one<Raw>(db, `SELECT ${COLUMNS} WHERE r.id = ?`, [id]);
	return r ? withParts(db, r) : null;
}

/** The rollout that a job carries out, or null. */
export function rolloutOfJob(db: Db, job: number): RolloutRow | null {
	const r = one<Raw>(db, `SELECT ${COLUMNS} WHERE r.job_id = ?`, [job]);
	return r ? withParts(db, r) : null;
}

/** Rollouts of a line that have not come to their end. */
export const openRollouts = (db: Db, line: string): RolloutRow[] =>
	all<Raw>(db, `SELECT ${COLUMNS} WHERE r.line_id = ? AND r.ended IS NULL AND j.ended IS NULL`, [line]).map((r) =>
		withParts(db, r)
	);

export interface RolloutMachine {
	machine: string;
	wave: number;
	from: string;
	state: MachineState;
	at: number | null;
}

/** The machines of a rollout, or of one wave of it. */
export const machinesOfRollout = (db: Db, rollout: number, wave?: number): RolloutMachine[] =>
	all<RolloutMachine>(
		db,
		`SELECT machine, wave, from_version AS "from", state, at FROM rollout_machines WHERE rollout_id = ?1 AND (?2 IS NULL OR wave = ?2) ORDER BY machine`,
		{ 1: rollout, 2: wave ?? null }
	);

/**
 * What was counted on machines within [from, until): their starts, the sign-ins on them, and which of them have a failing
 * check at the end. A machine that went straight from starting to failed has failed to start; so has one that failed to
 * take its version.
 */
export function countOn(db: Db, machines: readonly string[], from: number, until: number): Counted {
	const names = JSON.stringify(machines);
	const ids = `SELECT id FROM machines WHERE name IN (SELECT value FROM json_each(@names)) AND until > @from`;
	const bind = { names, from, until };
	const starts = one<{ n: number; failed: number | null }>(
		db,
		`SELECT count(*) AS n, sum(EXISTS (SELECT 1 FROM machine_states f WHERE f.machine_id = s.machine_id AND f.since >= s.until AND f.since < s.until + 600000 AND f.state = 'failed')) AS failed
		 FROM machine_states s WHERE s.machine_id IN (${ids}) AND s.state = 'starting' AND s.since >= @from AND s.until <= @until`,
		bind
	)!;
	const moves = one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM moves WHERE machine_id IN (${ids}) AND error IS NOT NULL AND ended >= @from AND ended < @until`,
		bind
	)!.n;
	const signIns = one<{ n: number; satisfied: number | null; tolerating: number | null }>(
		db,
		`SELECT count(*) AS n, sum(result = 'open' AND took <= @target) AS satisfied, sum(result = 'open' AND took > @target AND took <= 4 * @target) AS tolerating
		 FROM connections WHERE ended >= @from AND ended < @until AND result IN ('open', 'lost') AND machine_id IN (${ids})`,
		{ ...bind, target: SIGN_IN_TARGET }
	)!;
	const failing = one<{ n: number }>(
		db,
		`SELECT count(DISTINCT machine_id) AS n FROM failing_checks WHERE machine_id IN (${ids}) AND ${asOf('failing_checks', '@until')}`,
		bind
	)!.n;
	return {
		starts: starts.n + moves,
		failedStarts: (starts.failed ?? 0) + moves,
		signIns: signIns.n,
		satisfied: signIns.satisfied ?? 0,
		tolerating: signIns.tolerating ?? 0,
		machines: machines.length,
		failing
	};
}

/**
 * The same hours of the seven days before, added up. A span of more than a day is set against as many whole days before it, so that no hour
 * is counted twice, and none that is judged counts against itself. Failing checks are those at the end of the newest.
 */
export function countBefore(db: Db, machines: readonly string[], from: number, until: number): Counted {
	const step = Math.max(1, Math.ceil((until - from) / DAY));
	const back = Array.from({ length: Math.max(1, Math.floor(7 / step)) }, (_v, i) => (i + 1) * step);
	const days = back.map((d) => countOn(db, machines, from - d * DAY, until - d * DAY));
	const sum = (of: (c: Counted) => number) => days.reduce((n, d) => n + of(d), 0);
	return {
		starts: sum((d) => d.starts),
		failedStarts: sum((d) => d.failedStarts),
		signIns: sum((d) => d.signIns),
		satisfied: sum((d) => d.satisfied),
		tolerating: sum((d) => d.tolerating),
		machines: machines.length,
		failing: days[0]!.failing
	};
}

/** Teams, with those above them, whose people were on each machine most in the last 14 days. */
export function teamsOfMachines(db: Db, line: string, now: number): Map<string, string[]> {
	const rows = all<{ machine: string; team: string; n: number }>(
		db,
		`SELECT m.name AS machine, ${homeTeam('pe.id', 's.since')} AS team, count(*) AS n FROM sessions s JOIN machines m ON m.id = s.machine_id AND m.until = ${FOREVER}
		 JOIN pools p ON p.id = m.pool_id AND p.until = ${FOREVER} AND p.line_id = ? JOIN people pe ON pe.id = s.person_id WHERE s.since > ? GROUP BY 1, 2 ORDER BY 1, 3 DESC`,
		[line, now - 14 * DAY]
	);
	const above = teamsAbove(db, now);
	const most = new Map<string, string[]>();
	for (const r of rows) if (!most.has(r.machine)) most.set(r.machine, above.get(r.team) ?? [r.team]);
	return most;
}

/** Verdicts of gates between two moments, in words, for whoever marks them in time. What had too few to tell is no verdict. */
export const gatesBetween = (
	db: Db,
	from: number,
	to: number
): { at: number; words: string; failed: boolean; job: number }[] =>
	all<{ at: number; line: string; number: string; wave: number; verdict: string; job: number }>(
		db,
		`SELECT g.at, r.line_id AS line, r.number, g.wave, g.verdict, r.job_id AS job FROM rollout_gates g JOIN rollouts r ON r.id = g.rollout_id
		 WHERE g.at >= ? AND g.at < ? AND g.verdict IN ('passes', 'fails') ORDER BY g.at`,
		[from, to]
	).map((g) => ({
		at: g.at,
		words: `Wave ${g.wave + 1} of ${g.line} ${g.number} ${g.verdict === 'passes' ? 'passes its gate' : 'fails at its gate'}`,
		failed: g.verdict === 'fails',
		job: g.job
	}));
