import type { Context } from '../context';
import type { Db } from '../db';

/** Somebody has asked the job to stop, and the step has. Throw it from a step; whatever else is thrown is a failure. */
export class Cancelled extends Error {
	readonly problem = 'cancelled';
}

/** What a step is given. */
export interface StepRun<I = unknown> {
	ctx: Context;
	/** `operator`: who started it, where that was an operator. */
	job: { id: number; title: string; by: string; operator: number | null; assignment: number | null };
	n: number;
	input: I;
	/** A key for provider calls, the same after a restart: `key('create desk-001')`. */
	key(what: string): string;
	/** Adds a line to the job's log. */
	log(line: string): void;
	/**
	 * Says that the step has got on: a job that gets on is not what brings the process down, however often that ends. Items say so by
	 * themselves; for steps that take long without any.
	 */
	gotOn(): void;
	/** Whether somebody has asked to cancel: steps that can stop in the middle look at it. */
	cancelled(): boolean;
	/**
	 * Does a piece of the step for each item, some at a time. An item that was done before the process died is not
	 * done again. `write` of what `work` returns runs in the transaction that marks the item as done.
	 */
	each(
		items: string[],
		atOnce: number,
		work: (item: string, key: string) => Promise<((db: Db) => void) | void>,
		onFail?: (db: Db, item: string, error: Error) => void
	): Promise<{ done: string[]; failed: { item: string; error: string }[] }>;
}

/** What a step leaves: rows to write in the transaction that marks it as done, and words for the job's result. */
export type StepOutcome = void | { write?: (db: Db) => void; result?: Record<string, unknown>; stop?: boolean };

/** What carries out a kind of step; `I` is what a plan gives it. */
export interface StepHandler<I = never> {
	run(step: StepRun<I>): Promise<StepOutcome>;
}

/** Keeps the input's type with its handler: plans that make such a step are held to it. */
export const stepHandler = <I>(handler: StepHandler<I>): StepHandler<I> => handler;

/** The handlers of each area, by its name: areas add theirs in their manifests. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface AreaSteps {}

type Keys<T> = T extends T ? keyof T & string : never;

/** The kinds of steps that there are. */
export type StepKind = Keys<AreaSteps[keyof AreaSteps]>;

/** What a step of a kind is given by the plan that makes it. */
export type StepInput<K extends StepKind> = {
	[A in keyof AreaSteps]: K extends keyof AreaSteps[A]
		? AreaSteps[A][K] extends StepHandler<infer I>
			? I
			: never
		: never;
}[keyof AreaSteps];
