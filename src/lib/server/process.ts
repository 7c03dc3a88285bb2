import type { EventEmitter } from 'node:events';
import type { Endpoint } from './calls/endpoint';
import type { Context } from './context';
import type { LabSite } from './simulator/sites';
import type { SimFault } from './simulator/state';

/**
 * What the process that serves and the routes tell each other. They are bundled apart and share no module: what one says is kept with the
 * thread, where the other finds it. Nothing here knows areas, so that the process need not read them in a second time.
 */

/** What only the lab bench may ask of the lab. Absent when no lab is attached. */
export interface Bench {
	clock(): Promise<{ now: number; speed: number; paused: boolean }>;
	setClock(to: {
		speed?: number;
		paused?: boolean;
		step?: number;
	}): Promise<{ now: number; speed: number; paused: boolean }>;
	faults(): Promise<SimFault[]>;
	addFault(kind: SimFault['kind'], target: string, value: number | null): Promise<number>;
	clearFault(id: number): Promise<boolean>;
	/** Switches a device on, by its name or its serial number. Answers whether there is one. */
	startEndpoint(called: string): Promise<boolean>;
	/** Sites that the lab has but did not begin with, and what it takes to join them up. */
	sites(): Promise<LabSite[]>;
	outbox(): Promise<{ to: string; subject: string; body: string; at: number }[]>;
}

/** How the process that serves is. */
export interface Health {
	/** The disk of the data folder has no room: everything is read, and nothing is changed. */
	full: boolean;
}

/** What the process that serves has started, for the routes to use. */
export interface Runtime extends Context {
	/** Where everything is kept that is no row of the database. */
	dataDir: string;
	bench: Bench | null;
	/** Ends a thread, to see what becomes of it. Absent outside a server that has threads. */
	rehearse?(thread: 'lab' | 'engine' | 'packer' | 'readers'): void;
	/** Whether anything can be written. */
	health: Health;
	/** Emits `live` with what has changed: jobs, estate. */
	events: EventEmitter;
	/** Tells the job runner that there is work. */
	wake(): void;
	demo: boolean;
}

const KEY = Symbol.for('sextant.runtime');

/** The serving process puts its runtime here; it is bundled apart from the routes, and shares no module with them. */
export const setRuntime = (runtime: Runtime): void => {
	(globalThis as Record<symbol, unknown>)[KEY] = runtime;
};

/** The runtime of this process, whoever asks: for what shows and changes nothing of the estate, or checks by itself. Throws when none was started. */
export function wholeRuntime(): Runtime {
	const r = (globalThis as Record<symbol, unknown>)[KEY] as Runtime | undefined;
	if (!r) throw new Error('Sextant is not started: use npm run demo or npm start');
	return r;
}

const WORK = Symbol.for('sextant.work');
type WorkAt = (method: string, path: string) => Endpoint['work'];

/** The routes say how each address of the API is worked out. */
export const sayWork = (work: WorkAt): void => {
	(globalThis as Record<symbol, unknown>)[WORK] = work;
};

/** What is declared of how an address of the API is worked out; nothing for what is none of it. */
export const workAt: WorkAt = (method, path) => ((globalThis as Record<symbol, unknown>)[WORK] as WorkAt)(method, path);

/** What is told while a history is made: how much of it has been lived, and what people did in it. */
export interface Progress {
	share: number;
	/** The day that is being lived, ms UTC. */
	at: number;
	/** Plans committed so far. */
	acts: number;
}
