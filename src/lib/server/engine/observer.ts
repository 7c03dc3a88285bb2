import type Database from 'better-sqlite3';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { strainValue } from '$lib/core/watch/strain';
import { phasesTotal } from '$lib/core/watch/phases';
import { all, one, putSetting, run, setting, type Db } from '../db';
import { putAt } from '../db/intervals';
import { HOST_SAMPLE_WIDTH, SAMPLE_WIDTH, type MachineState, type Observation } from '../providers';
import { appsEnded, noteApp, noteAppClosed, notePackage, noteRefusal, nothingAttached, whereIn } from './app-log';

/** A machine as the engine keeps it in mind between minutes. */
export interface LiveMachine {
	id: number;
	name: string;
	pool: string;
	state: MachineState;
	sessions: number;
	idleSince: number;
}

const QUARTER = 15 * MINUTE;
/** Minutes are kept this long; then the quarter hours tell. */
export const MINUTES_KEPT = 48 * HOUR;
/** Values kept for a sample: see samples_1m. */
const COLUMNS = 8;
/** Samples written by one statement, and the values bound for each: time, machine and the columns. */
const ROWS = 64;
const BOUND = 2 + COLUMNS;

/**
 * Writes down what the providers observe: states, sessions and connections as intervals, samples as rows with
 * their rollups. Each batch is one transaction together with the number of the last observation in it, so that
 * nothing is taken in twice, whatever happens in between.
 */
export class Observer {
	readonly machines = new Map<string, LiveMachine>();
	private readonly hostIds: Map<string, number>;
	private readonly personIds: Map<string, number>;
	private readonly sessionMachine = new Map<number, string>();
	private insertMany: Database.Statement<unknown[]> | undefined;
	private readonly bound = new Array<number>(ROWS * BOUND).fill(0);
	private quarter = -1;
	private readonly sums = new Map<number, { n: number; v: number[] }>();
	private readonly hostSums = new Map<number, { n: number; v: number[] }>();
	seq: number;
	/** How often a machine has been made, moved or removed. */
	placings = 0;

	constructor(
		private readonly db: Db,
		/** Minutes before this are only rolled up, not kept. */
		public keepMinutesFrom = 0
	) {
		this.seq = Number(setting(db, 'observed') ?? 0);
		this.hostIds = new Map(
			all<{ id: number; name: string }>(db, 'SELECT id, name FROM hosts').map((h) => [h.name, h.id])
		);
		this.personIds = new Map(
			all<{ id: number; login: string }>(db, 'SELECT id, login FROM people').map((p) => [p.login, p.id])
		);
		const rows = all<LiveMachine>(
			db,
			`SELECT m.id, m.name, m.pool_id AS pool, s.state, 0 AS sessions, s.since AS idleSince FROM machines m
			 JOIN machine_states s ON s.machine_id = m.id AND s.until = ${FOREVER} WHERE m.until = ${FOREVER}`
		);
		const byId = new Map(rows.map((m) => [m.id, m]));
		for (const m of rows) this.machines.set(m.name, m);
		for (const s of all<{ id: number; machine_id: number }>(
			db,
			`SELECT id, machine_id FROM sessions WHERE until = ${FOREVER}`
		)) {
			const machine = byId.get(s.machine_id);
			if (!machine) continue;
			machine.sessions++;
			this.sessionMachine.set(s.id, machine.name);
		}
		this.resumeQuarter();
	}

	/** Takes a batch in. Returns the names of pools whose machines changed. */
	take(observations: Observation[]): void {
		if (observations.length === 0) return;
		this.db
			.transaction(() => {
				for (const o of observations) if (o.seq > this.seq) this.one(o);
				this.seq = Math.max(this.seq, observations.at(-1)!.seq);
				putSetting(this.db, 'observed', String(this.seq));
			})
			.immediate();
	}

	/** Leaves an observation out that cannot be taken in. */
	passOver(o: Observation): void {
		this.seq = Math.max(this.seq, o.seq);
		putSetting(this.db, 'observed', String(this.seq));
	}

	private one(o: Observation): void {
		const { db } = this;
		switch (o.kind) {
			case 'samples':
				this.samples(o);
				break;
			case 'made':
				this.made(o);
				break;
			case 'unmade': {
				const m = this.machines.get(o.machine);
				if (!m) break;
				this.machines.delete(o.machine);
				this.placings++;
				nothingAttached(db, m.id, o.at);
				for (const table of ['machines', 'machine_places', 'machine_states', 'failing_checks']) {
					const key = table === 'machines' ? 'id' : 'machine_id';
					// What began in the same millisecond never was.
					if (table !== 'machines') run(db, `DELETE FROM ${table} WHERE ${key} = ? AND since >= ?`, [m.id, o.at]);
					run(db, `UPDATE ${table} SET until = ? WHERE ${key} = ? AND until = ${FOREVER}`, [o.at, m.id]);
				}
				break;
			}
			case 'machine': {
				const m = this.machines.get(o.machine);
				if (m) this.state(m, o.state, o.at, o.cause);
				break;
			}
			case 'owner': {
				const m = this.machines.get(o.machine);
				if (!m) break;
				const place = one<Place>(db, `SELECT * FROM machine_places WHERE machine_id = ? AND until = ${FOREVER}`, [
					m.id
				])!;
				this.place(m.id, o.at, { ...place, owner_id: this.personIds.get(o.person) ?? null });
				break;
			}
			case 'waiting':
				run(db, 'INSERT OR IGNORE INTO waits VALUES (?, ?, ?, ?, ?)', [
					this.personIds.get(o.person),
					o.publication,
					JSON.stringify(o.pools),
					o.began,
					FOREVER
				]);
				break;
			case 'stopped waiting':
				run(
					db,
					`UPDATE waits SET until = max(?, since + 1) WHERE person_id = ? AND publication_id = ? AND until = ${FOREVER}`,
					[o.at, this.personIds.get(o.person), o.publication]
				);
				break;
			case 'connection':
				this.connection(o);
				break;
			case 'session':
				this.session(o);
				break;
			case 'package': {
				const m = this.machines.get(o.machine);
				if (m) notePackage(db, m.id, o);
				break;
			}
			case 'app':
				noteApp(db, whereIn(db), o);
				break;
			case 'app closed':
				noteAppClosed(db, o);
				break;
			case 'app failed': {
				const m = this.machines.get(o.machine);
				const person = this.personIds.get(o.person);
				if (m && person !== undefined) noteRefusal(db, person, m.id, o);
				break;
			}
		}
	}

	private made(o: Extract<Observation, { kind: 'made' }>): void {
		const { db } = this;
		let m = this.machines.get(o.machine);
		const pool = one<{ site_id: string; line_id: string }>(
			db,
			'SELECT site_id, line_id FROM pools WHERE id = ? ORDER BY since DESC',
			[o.pool]
		)!;
		if (!m) {
			const id = Number(
				run(db, 'INSERT INTO machines(name, pool_id, site_id, since, until) VALUES (?, ?, ?, ?, ?)', [
					o.machine,
					o.pool,
					pool.site_id,
					o.at,
					FOREVER
				]).lastInsertRowid
			);
			m = { id, name: o.machine, pool: o.pool, state: 'off', sessions: 0, idleSince: o.at };
			this.machines.set(o.machine, m);
			run(db, 'INSERT INTO machine_states VALUES (?, ?, ?, ?, ?)', [id, o.at, FOREVER, 'off', 'it has been made']);
		}
		const before = one<Place>(db, `SELECT * FROM machine_places WHERE machine_id = ? AND until = ${FOREVER}`, [m.id]);
		this.place(m.id, o.at, {
			host_id: this.hostId(o.host)!,
			volume_id: o.volume,
			line_id: pool.line_id,
			version: o.version,
			address: o.address,
			owner_id: before?.owner_id ?? null
		});
	}

	private place(machine: number, at: number, p: Place): void {
		this.placings++;
		const { host_id, volume_id, line_id, version, address, owner_id } = p;
		putAt(
			this.db,
			'machine_places',
			{ machine_id: machine, host_id, volume_id, line_id, version, address, owner_id },
			at
		);
	}

	private state(m: LiveMachine, state: MachineState, at: number, cause: string): void {
		const { db } = this;
		// Two changes within the same millisecond: only the last is a state that anybody could have seen.
		run(db, 'DELETE FROM machine_states WHERE machine_id = ? AND since >= ?', [m.id, at]);
		run(db, 'UPDATE machine_states SET until = ? WHERE machine_id = ? AND until > ?', [at, m.id, at]);
		run(db, 'INSERT INTO machine_states VALUES (?, ?, ?, ?, ?)', [m.id, at, FOREVER, state, cause]);
		if (state === 'off' || state === 'failed') nothingAttached(db, m.id, at);
		if (state === 'ready') m.idleSince = at;
		m.state = state;
	}

	private connection(o: Extract<Observation, { kind: 'connection' }>): void {
		const { db } = this;
		const machine = o.machine === null ? undefined : this.machines.get(o.machine);
		const person = this.personIds.get(o.person)!;
		const waited = o.phases.find((p) => p.name === 'waiting')?.ms ?? (o.result === 'gave up' ? o.at - o.began : 0);
		const took = phasesTotal(o.phases);
		if (o.result === 'open' && machine && o.session !== null) {
			const known = one(db, 'SELECT 1 FROM sessions WHERE id = ?', [o.session]);
			if (!known) {
				run(db, 'INSERT INTO sessions VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, NULL, ?)', [
					o.session,
					person,
					machine.id,
					o.publication,
					o.gateway,
					o.protocol,
					o.at,
					FOREVER,
					took,
					o.id
				]);
				run(db, 'INSERT INTO session_states VALUES (?, ?, ?, ?, ?)', [o.session, o.at, FOREVER, 'active', 'signed in']);
				machine.sessions++;
				this.sessionMachine.set(o.session, machine.name);
			}
		}
		run(db, 'INSERT OR IGNORE INTO connections VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)', [
			o.id,
			person,
			o.publication,
			o.gateway,
			o.protocol,
			o.address,
			o.began,
			o.at,
			o.result,
			machine?.id ?? null,
			o.session,
			machine?.pool ?? null,
			Math.round(waited),
			Math.round(took),
			JSON.stringify(o.phases),
			JSON.stringify(o.cause)
		]);
	}

	private session(o: Extract<Observation, { kind: 'session' }>): void {
		const { db } = this;
		run(db, 'DELETE FROM session_states WHERE session_id = ? AND since >= ?', [o.session, o.at]);
		run(db, 'UPDATE session_states SET until = ? WHERE session_id = ? AND until > ?', [o.at, o.session, o.at]);
		if (o.state !== 'ended') {
			run(db, 'INSERT INTO session_states VALUES (?, ?, ?, ?, ?)', [o.session, o.at, FOREVER, o.state, o.cause]);
			return;
		}
		run(db, `UPDATE sessions SET until = max(?, since + 1), ended_by = ? WHERE id = ? AND until = ${FOREVER}`, [
			o.at,
			o.cause,
			o.session
		]);
		appsEnded(db, o.session, o.at);
		const machine = this.machines.get(this.sessionMachine.get(o.session) ?? '');
		this.sessionMachine.delete(o.session);
		if (!machine) return;
		machine.sessions = Math.max(0, machine.sessions - 1);
		if (machine.sessions === 0) machine.idleSince = o.at;
	}

	private samples(o: Extract<Observation, { kind: 'samples' }>): void {
		const { db } = this;
		const quarter = Math.floor(o.at / QUARTER) * QUARTER;
		if (quarter !== this.quarter) this.closeQuarter(quarter);
		const keep = o.at >= this.keepMinutesFrom;
		// The busiest statement there is: many rows at a time, and no array made for each.
		const sql = (rows: number) =>
			`INSERT OR REPLACE INTO samples_1m VALUES ${Array(rows).fill('(?, ?, ?, ?, ?, ?, ?, ?, ?, ?)').join()}`;
		const insertMany = (this.insertMany ??= db.prepare(sql(ROWS)));
		const bound = this.bound;
		const { values } = o;
		let rows = 0;
		for (let i = 0; i < o.machines.length; i++) {
			const m = this.machines.get(o.machines[i]!);
			if (!m) continue;
			const at = i * SAMPLE_WIDTH;
			const cores = values[at]!;
			const memory = values[at + 1]!;
			const disk = values[at + 2]!;
			const gpu = values[at + 3]!;
			const input = values[at + 4]!;
			const trip = values[at + 5]!;
			const b = rows * BOUND;
			bound[b] = o.at;
			bound[b + 1] = m.id;
			bound[b + 2] = Math.round(cores * 1000);
			bound[b + 3] = Math.round(memory * 1000);
			bound[b + 4] = Math.round(disk * 1000);
			bound[b + 5] = gpu < 0 ? -1 : Math.round(gpu * 1000);
			bound[b + 6] = Math.round(input * 1000);
			bound[b + 7] = Math.round(trip * 1000);
			bound[b + 8] = values[at + 6]!;
			bound[b + 9] = strainValue(cores, memory, disk, gpu < 0 ? null : gpu, input, trip);
			addUp(this.sums, m.id, bound, b + 2, COLUMNS);
			if (keep && ++rows === ROWS) {
				insertMany.run(bound);
				rows = 0;
			}
		}
		if (rows > 0) db.prepare(sql(rows)).run(bound.slice(0, rows * BOUND));
		o.hosts.forEach((name, i) => {
			const id = this.hostId(name);
			if (id === undefined) return;
			const at = i * HOST_SAMPLE_WIDTH;
			const row = [0, 1, 2].map((k) => (o.hostValues[at + k]! < 0 ? -1 : Math.round(o.hostValues[at + k]! * 1000)));
			if (keep) run(db, 'INSERT OR REPLACE INTO host_samples_1m VALUES (?, ?, ?, ?, ?)', [o.at, id, ...row]);
			addUp(this.hostSums, id, row, 0, row.length);
		});
	}

	/** A host that was joined up since is found in the database; one that is not ours stays unknown. */
	private hostId(name: string): number | undefined {
		const known = this.hostIds.get(name);
		if (known !== undefined) return known;
		const row = one<{ id: number }>(this.db, 'SELECT id FROM hosts WHERE name = ?', [name]);
		if (row) this.hostIds.set(name, row.id);
		return row?.id;
	}

	/** Writes the quarter hour that has ended, and the six hours when they have. */
	private closeQuarter(next: number): void {
		const { db } = this;
		const was = this.quarter;
		this.quarter = next;
		if (was < 0) return;
		for (const [id, s] of this.sums) {
			run(db, 'INSERT OR REPLACE INTO samples_15m VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)', [
				was,
				id,
				...s.v.map((v, i) => (i === COLUMNS - 1 ? v : Math.round(v / s.n)))
			]);
		}
		for (const [id, s] of this.hostSums)
			run(db, 'INSERT OR REPLACE INTO host_samples_15m VALUES (?, ?, ?, ?, ?)', [
				was,
				id,
				...s.v.map((v) => Math.round(v / s.n))
			]);
		this.sums.clear();
		this.hostSums.clear();
		const six = Math.floor(was / (6 * HOUR)) * 6 * HOUR;
		if (Math.floor(next / (6 * HOUR)) * 6 * HOUR !== six) {
			run(
				db,
				`INSERT OR REPLACE INTO samples_6h SELECT ?, machine_id, round(avg(cores)), round(avg(memory)), round(avg(disk)), round(avg(gpu)), round(avg(input)),
				 round(avg(trip)), round(avg(sessions)), max(strain) FROM samples_15m WHERE at >= ? AND at < ? GROUP BY machine_id`.replaceAll(
					/round\((avg\(\w+\))\)/g,
					'CAST(round($1) AS INTEGER)'
				),
				[six, six, six + 6 * HOUR]
			);
		}
		run(db, 'DELETE FROM samples_1m WHERE at < ?', [next - MINUTES_KEPT]);
		run(db, 'DELETE FROM host_samples_1m WHERE at < ?', [next - MINUTES_KEPT]);
	}

	/** After a restart: the minutes of the running quarter hour count on. */
	private resumeQuarter(): void {
		const last = one<{ at: number | null }>(this.db, 'SELECT max(at) AS at FROM samples_1m')?.at;
		if (last === null || last === undefined) return;
		this.quarter = Math.floor(last / QUARTER) * QUARTER;
		for (const r of all<Record<string, number>>(this.db, 'SELECT * FROM samples_1m WHERE at >= ?', [this.quarter])) {
			addUp(
				this.sums,
				r.machine_id!,
				[r.cores!, r.memory!, r.disk!, r.gpu!, r.input!, r.trip!, r.sessions!, r.strain!],
				0,
				COLUMNS
			);
		}
		for (const r of all<Record<string, number>>(this.db, 'SELECT * FROM host_samples_1m WHERE at >= ?', [this.quarter]))
			addUp(this.hostSums, r.host_id!, [r.cores!, r.memory!, r.gpu!], 0, 3);
	}
}

interface Place {
	host_id: number;
	volume_id: string;
	line_id: string;
	version: string;
	address: string;
	owner_id: number | null;
}

/** Adds the `width` values from `offset` up; the strain, where there is one, keeps its highest. */
function addUp(
	sums: Map<number, { n: number; v: number[] }>,
	id: number,
	values: number[],
	offset: number,
	width: number
): void {
	const sum = sums.get(id);
	if (!sum) {
		sums.set(id, { n: 1, v: values.slice(offset, offset + width) });
		return;
	}
	sum.n++;
	for (let i = 0; i < width; i++) {
		const value = values[offset + i]!;
		sum.v[i] = i === COLUMNS - 1 ? Math.max(sum.v[i]!, value) : sum.v[i]! + value;
	}
}
