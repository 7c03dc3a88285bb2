import type { Transaction } from 'better-sqlite3';
import { FOREVER } from '$lib/core/time/units';
import { phasesTotal } from '$lib/core/watch/phases';
import { all, one, putSetting, setting, type Db } from '../db';
import { closeAllAt, closeAt, openAt, putAt, WITHIN_MACHINES } from '../db/intervals';
import { insertRow } from '../db/rows';
import type { MachineState, Observation } from '../providers';
import { AREAS } from '../areas';
import { askedFrom } from '../endpoints';
import type { Known, LiveMachine } from '../manifest';
import { SampleWriter } from '../samples/write';

/** What areas take in themselves. */
const TAKERS = AREAS.flatMap((a) => a.observes ?? []);

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
	private readonly sampleWriter: SampleWriter;
	private readonly whole: Transaction<(observations: readonly Observation[]) => void>;
	private readonly beside: Transaction<(observations: readonly Observation[]) => void>;
	private readonly known: Known = {
		machine: (name) => this.machines.get(name)?.id,
		person: (login) => this.personId(login)
	};
	seq: number;
	/** How often a machine has been made, moved or removed. */
	placings = 0;

	/** One that knows nothing yet: a batch may have been left half way. */
	constructor(
		private readonly db: Db,
		/** Minutes before this are only rolled up, not kept. */
		public keepMinutesFrom = 0
	) {
		for (const t of TAKERS) t.forget?.(db);
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
		this.whole = db.transaction((observations: readonly Observation[]) => {
			for (const o of observations) if (o.seq > this.seq) this.one(o);
			this.seq = Math.max(this.seq, observations.at(-1)!.seq);
			putSetting(db, 'observed', String(this.seq));
		});
		this.beside = db.transaction((observations: readonly Observation[]) => {
			for (const o of observations) this.one(o);
		});
		this.sampleWriter = new SampleWriter(db, {
			machine: (name) => this.machines.get(name)?.id,
			host: (name) => this.hostId(name)
		});
	}

	/** Whoever has come since is looked for. */
	private personId(login: string): number | undefined {
		const known = this.personIds.get(login);
		if (known !== undefined) return known;
		const found = one<{ id: number }>(this.db, 'SELECT id FROM people WHERE login = ?', [login])?.id;
		if (found !== undefined) this.personIds.set(login, found);
		return found;
	}

	/** Takes a batch in, in one transaction: all of it or nothing. */
	take(observations: readonly Observation[]): void {
		if (observations.length > 0) this.whole.immediate(observations);
	}

	/** Takes in what comes beside the numbered ones, in one transaction: all of it or nothing. */
	takeBeside(observations: readonly Observation[]): void {
		if (observations.length > 0) this.beside.immediate(observations);
	}

	/** Leaves an observation out that cannot be taken in. */
	passOver(o: Observation): void {
		this.seq = Math.max(this.seq, o.seq);
		putSetting(this.db, 'observed', String(this.seq));
	}

	private one(o: Observation): void {
		const { db } = this;
		for (const t of TAKERS) (t.take?.[o.kind] as Taker | undefined)?.(db, o, this.known);
		switch (o.kind) {
			case 'samples':
				this.sampleWriter.take(o, this.keepMinutesFrom);
				break;
			case 'made':
				this.made(o);
				break;
			case 'unmade': {
				const m = this.machines.get(o.machine);
				if (!m) break;
				this.machines.delete(o.machine);
				this.sampleWriter.renamed();
				this.placings++;
				closeAt(db, 'machines', { id: m.id }, o.at);
				for (const table of WITHIN_MACHINES) closeAllAt(db, table, { machine_id: m.id }, o.at);
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
				const spot = one<Spot>(db, `SELECT * FROM machine_spots WHERE machine_id = ? AND until = ${FOREVER}`, [m.id])!;
				this.spot(m.id, o.at, { ...spot, owner_id: this.personId(o.person) ?? null });
				break;
			}
			case 'waiting':
				openAt(db, 'waits', { ...this.wait(o), pools: JSON.stringify(o.pools) }, o.began, 'keep');
				break;
			case 'stopped waiting':
				closeAt(db, 'waits', this.wait(o), o.at);
				break;
			case 'connection':
				this.connection(o);
				break;
			case 'session':
				this.session(o);
				break;
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
			const id = openAt(db, 'machines', { name: o.machine, pool_id: o.pool, site_id: pool.site_id }, o.at)!;
			m = { id, name: o.machine, pool: o.pool, state: 'off', sessions: 0, idleSince: o.at };
			this.machines.set(o.machine, m);
			openAt(db, 'machine_states', { machine_id: id, state: 'off', cause: 'it has been made' }, o.at);
		}
		const before = one<Spot>(db, `SELECT * FROM machine_spots WHERE machine_id = ? AND until = ${FOREVER}`, [m.id]);
		this.spot(m.id, o.at, {
			host_id: this.hostId(o.host)!,
			volume_id: o.volume,
			line_id: pool.line_id,
			version: o.version,
			address: o.address,
			owner_id: before?.owner_id ?? null
		});
	}

	private wait(o: { person: string; publication: string }): { person_id: number; publication_id: string } {
		return { person_id: this.personId(o.person)!, publication_id: o.publication };
	}

	private spot(machine: number, at: number, p: Spot): void {
		this.placings++;
		const { host_id, volume_id, line_id, version, address, owner_id } = p;
		putAt(
			this.db,
			'machine_spots',
			{ machine_id: machine, host_id, volume_id, line_id, version, address, owner_id },
			at
		);
	}

	private state(m: LiveMachine, state: MachineState, at: number, cause: string): void {
		const { db } = this;
		// Of two changes within the same millisecond only the last is a state that anybody could have seen.
		putAt(db, 'machine_states', { machine_id: m.id, state, cause }, at);
		if (state === 'off' || state === 'failed') for (const t of TAKERS) t.machineOff?.(db, m.id, at);
		if (state === 'ready') m.idleSince = at;
		m.state = state;
	}

	private connection(o: Extract<Observation, { kind: 'connection' }>): void {
		const { db } = this;
		const machine = o.machine === null ? undefined : this.machines.get(o.machine);
		const person = this.personId(o.person)!;
		const waited = o.phases.find((p) => p.name === 'waiting')?.ms ?? (o.result === 'gave up' ? o.at - o.began : 0);
		const took = phasesTotal(o.phases);
		const endpoint_id = askedFrom(db, person, o.endpoint, o.at);
		if (o.result === 'open' && machine && o.session !== null) {
			const known = one(db, 'SELECT 1 FROM sessions WHERE id = ?', [o.session]);
			if (!known) {
				const { session: id, gateway: gateway_id, protocol } = o;
				const of = { person_id: person, machine_id: machine.id, publication_id: o.publication };
				openAt(db, 'sessions', { id, ...of, gateway_id, protocol, sign_in: took, connection_id: o.id }, o.at);
				openAt(db, 'session_states', { session_id: id, state: 'active', cause: 'signed in' }, o.at);
				machine.sessions++;
				this.sessionMachine.set(o.session, machine.name);
			}
		}
		insertRow(
			db,
			'connections',
			{
				id: o.id,
				person_id: person,
				publication_id: o.publication,
				gateway_id: o.gateway,
				protocol: o.protocol,
				address: o.address,
				endpoint_id,
				began: o.began,
				ended: o.at,
				result: o.result,
				machine_id: machine?.id ?? null,
				session_id: o.session,
				pool_id: machine?.pool ?? null,
				waited: Math.round(waited),
				took: Math.round(took),
				phases: JSON.stringify(o.phases),
				cause: JSON.stringify(o.cause)
			},
			'keep'
		);
	}

	private session(o: Extract<Observation, { kind: 'session' }>): void {
		const { db } = this;
		const { session: id, state, cause } = o;
		if (state !== 'ended') return putAt(db, 'session_states', { session_id: id, state, cause }, o.at);
		closeAt(db, 'session_states', { session_id: id }, o.at);
		closeAt(db, 'sessions', { id }, o.at, { ended_by: cause });
		for (const t of TAKERS) t.sessionEnded?.(db, o.session, o.at);
		const machine = this.machines.get(this.sessionMachine.get(o.session) ?? '');
		this.sessionMachine.delete(o.session);
		if (!machine) return;
		machine.sessions = Math.max(0, machine.sessions - 1);
		if (machine.sessions === 0) machine.idleSince = o.at;
	}

	/** A host that was joined up since is found in the database; one that is not ours stays unknown. */
	private hostId(name: string): number | undefined {
		const known = this.hostIds.get(name);
		if (known !== undefined) return known;
		const row = one<{ id: number }>(this.db, 'SELECT id FROM hosts WHERE name = ?', [name]);
		if (row) this.hostIds.set(name, row.id);
		return row?.id;
	}
}

type Taker = (db: Db, o: Observation, known: Known) => void;

interface Spot {
	host_id: number;
	volume_id: string;
	line_id: string;
	version: string;
	address: string;
	owner_id: number | null;
}
