import './areas';
import { AsyncLocalStorage } from 'node:async_hooks';
import type { EventEmitter } from 'node:events';
import type { Context } from './context';
import { inPart } from './part';
import type { LabSite } from './simulator/sites';
import type { SimFault } from './simulator/state';

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

/** What a request sees of the runtime, where that is less than the whole of it. */
const seen = new AsyncLocalStorage<Runtime>();

/** The runtime as whoever sends this request may see it. Throws when none was started. */
export const runtime = (): Runtime => seen.getStore() ?? wholeRuntime();

/** Does what a request asks for as somebody who is there for a part of the estate, `''` or null the whole: they see nothing else. */
export function seeing<T>(part: string | null, work: () => T): T {
	if (!part) return work();
	const whole = wholeRuntime();
	return seen.run({ ...whole, db: inPart(whole.db, part, whole.clock.now()) }, work);
}
