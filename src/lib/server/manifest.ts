import type { Finding } from '$lib/core/diagnosis/findings';
import type { Card, CardSection } from '$lib/core/why/card';
import type { Need } from '$lib/core/why/need';
import type { Context } from './context';
import type { Db } from './db';
import type { Endpoint } from './calls/endpoint';
import type { StepHandler } from './jobs/step';
import type { ListKind } from './lists/kind';
import type { ReportSource } from './lists/sources';
import type { PlanKind } from './plans/kind';
import type { CardOf, Then } from './things/catalogue';
import type { MachineState, Observation } from './providers';

/** What is compared again and again: what does not agree is a finding, which is over once it agrees. */
export interface Comparison {
	/** Every kind of finding that it comes to. */
	kinds: readonly Finding['kind'][];
	/** Each sweep; once an hour, where it is dear and moves slowly; or where somebody may look ahead, not while a past is made. */
	every: 'sweep' | 'hour' | 'forecast';
	look(ctx: Context, now: number): Finding[] | Promise<Finding[]>;
}

/** A machine as it is known to be. */
export interface LiveMachine {
	id: number;
	name: string;
	pool: string;
	state: MachineState;
	sessions: number;
	idleSince: number;
}

/** What has been observed of machines so far. */
export interface Observed {
	/** By name. */
	machines: ReadonlyMap<string, LiveMachine>;
	/** How often a machine has been made, moved or removed. */
	placings: number;
}

/** What an area does again and again; one that fails is a finding, and keeps none of the others. */
export interface Chore {
	name: string;
	every: 'minute' | 'sweep' | 'hour';
	run(now: number): unknown;
	/** Nothing more is to be written: the process ends. */
	stop?(): void;
}

type Seen<K extends Observation['kind']> = Extract<Observation, { kind: K }>;

/** Ids of what observations name; undefined where it is not known. */
export interface Known {
	machine(name: string): number | undefined;
	person(login: string): number | undefined;
}

/** What an area takes in of what is observed, in the transaction of the batch. */
export interface Observes {
	take?: { [K in Observation['kind']]?: (db: Db, o: Seen<K>, known: Known) => void };
	/** A machine has gone off, or failed. */
	machineOff?(db: Db, machine: number, at: number): void;
	sessionEnded?(db: Db, session: number, at: number): void;
	/** A batch was not taken in: what is kept in mind of it is not so. */
	forget?(db: Db): void;
}

/** What an area has beside what it offers to others: the house is put together from these. */
export interface Manifest {
	name: string;
	/** Kinds of changes that it plans. */
	plans?: readonly PlanKind[];
	/** What carries out the steps of its plans, by kind. */
	steps?: Readonly<Record<string, StepHandler>>;
	/** Cards of what it looks after, by what they are of. */
	cards?: Readonly<Record<string, CardOf>>;
	/** What it adds to the cards of other areas: actions, and sections after those of the card, or before its reasons (`lead`). */
	adds?(
		ctx: Context,
		kind: string,
		id: string,
		then: Then
	): Partial<Pick<Card, 'sections' | 'actions'>> & { lead?: CardSection[] };
	lists?: readonly ListKind[];
	/** What reports can be made of beside its lists. */
	sources?: readonly ReportSource[];
	/** What of it the API answers beside lists, cards and plans. */
	endpoints?: readonly Endpoint[];
	/** What of it needs a person at a moment: stands on Today, most people first. */
	needs?(db: Db, at: number): Need[];
	/** What it compares, and finds. */
	comparisons?: readonly Comparison[];
	/** What it does again and again, in the thread of the engine. */
	chores?(ctx: Context, seen: () => Observed): readonly Chore[];
	observes?: Observes;
}
