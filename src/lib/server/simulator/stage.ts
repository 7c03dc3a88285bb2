import type { Estate } from '$lib/core/estate/schema';
import { AttachEngine } from '$lib/core/packages/attach';
import type { StartKind } from '$lib/core/packages/starting';
import { Groups } from '$lib/core/settings/effective';
import type { Setting } from '$lib/core/settings/kinds';
import { catalogueOf } from '$lib/core/settings/own';
import type { Fact } from '$lib/core/why/explained';
import type { MachineState, Observation } from '../providers';
import { claimsOf } from './claims';
import { makeWorld } from './genesis';
import { roundTrip } from './round-trip';
import type { Happening, SimConnection, SimMachine, SimSession, World } from './state';

/** States in which somebody can be on a machine. */
export const UP: ReadonlySet<MachineState> = new Set(['ready', 'in use']);

/** What parts of the lab ask of parts that stand on them; the lab fills it in. */
export interface Doings {
	/** Gives machines that have become ready to those who wait longest. */
	serveWaiting(): void;
	/** The app that a connection is for has its window. */
	appReady(connection: number, run: number, start: StartKind): void;
	/** The app that a connection is for cannot be started. */
	appFailed(connection: number, why: Fact[], advice: string): void;
	signOut(session: SimSession, cause: string): void;
}

/**
 * What all that happens in the lab shares: the world with its clock, the journal of what is observed, and what is looked up
 * again and again. Time moves only where the lab lets it.
 */
export class Stage {
	readonly seed: number;
	readonly world: World;
	readonly habits: ReadonlyMap<string, Estate['directory']['teams'][number]['habits']>;
	readonly patterns: ReadonlyMap<string, Estate['directory']['patterns'][number]>;
	/** What each team is below. */
	readonly teamAbove: ReadonlyMap<string, string>;
	readonly boots: ReadonlyMap<string, number>;
	readonly gatewayOf: ReadonlyMap<string, string>;
	/** The agents of all machines: they decide by themselves what to attach. */
	readonly agents: AttachEngine;
	/** Those who wait, by the pools that they may use, each line oldest first. */
	readonly lines = new Map<string, Set<number>>();
	/** The broker, indexed: pools by id, and every machine that it knows. */
	pools = new Map<string, World['broker']['pools'][number]>();
	known = new Set<string>();
	/** Settings as they were told last. */
	settings!: Groups;
	private readonly catalogue: readonly Setting[];
	does!: Doings;
	/** Machines that are ready or in use, by pool: follows from the world, so it is not stored with it. */
	private readonly upIn = new Map<string, Set<SimMachine>>();

	constructor(
		readonly estate: Estate,
		world: World | undefined,
		/** Told of what could not happen, because the lab itself has a fault. */
		readonly wrong: (e: unknown, what: Happening) => void
	) {
		this.seed = estate.lab.seed;
		this.world = world ?? makeWorld(estate);
		this.agents = new AttachEngine(this.world.books, (name, version) => claimsOf(this.world, name, version));
		this.habits = new Map(estate.directory.teams.map((t) => [t.id, t.habits]));
		this.patterns = new Map(estate.directory.patterns.map((p) => [p.id, p]));
		this.teamAbove = new Map(estate.directory.teams.flatMap((t) => (t.parent === undefined ? [] : [[t.id, t.parent]])));
		this.boots = new Map(estate.image_lines.map((l) => [l.id, l.boot]));
		this.gatewayOf = new Map(
			estate.sites.flatMap((s) => {
				const nearest = [...estate.gateways].sort(
					(a, b) => roundTrip(estate, s.id, a.site) - roundTrip(estate, s.id, b.site)
				)[0];
				return nearest ? [[s.id, nearest.id] as const] : [];
			})
		);
		for (const m of this.world.machines.values()) if (UP.has(m.state)) this.upOf(m.pool).add(m);
		for (const id of this.world.waiting) this.lineOf(this.world.connections.get(id)!).add(id);
		this.indexBroker();
		this.catalogue = catalogueOf(estate.settings.catalogue);
		this.readSettings();
	}

	/** Call when settings have been told anew. */
	readSettings(): void {
		this.settings = new Groups(this.catalogue, this.world.settings.groups);
	}

	/** Call when the broker has been told anew. */
	indexBroker(): void {
		const { pools } = this.world.broker;
		this.pools = new Map(pools.map((p) => [p.id, p]));
		this.known = new Set(pools.flatMap((p) => p.machines));
	}

	get now(): number {
		return this.world.now;
	}

	/** Machines of a pool that are ready or in use. */
	upOf(pool: string): Set<SimMachine> {
		let up = this.upIn.get(pool);
		if (!up) this.upIn.set(pool, (up = new Set()));
		return up;
	}

	/** The line in which a connection waits, together with all that may use the same pools. */
	lineOf(conn: SimConnection): Set<number> {
		const key = conn.pools.join();
		let line = this.lines.get(key);
		if (!line) this.lines.set(key, (line = new Set()));
		return line;
	}

	/** Writes into the journal what is observed now. */
	observe(what: Observation extends infer O ? (O extends unknown ? Omit<O, 'seq' | 'at'> : never) : never): void {
		this.world.observations.push({ ...what, seq: this.world.nextSeq++, at: this.world.now } as Observation);
	}

	setState(machine: SimMachine, state: MachineState, cause: string): void {
		if (machine.state === state) return;
		if (UP.has(state)) this.upOf(machine.pool).add(machine);
		else this.upOf(machine.pool).delete(machine);
		machine.state = state;
		this.observe({ kind: 'machine', machine: machine.name, state, cause });
	}

	/** Whether a link is down, whichever way round it is named. */
	linkDown(a: string, b: string): boolean {
		return this.world.faults.some(
			(f) => f.kind === 'link-down' && (f.target === `${a}/${b}` || f.target === `${b}/${a}`)
		);
	}
}
