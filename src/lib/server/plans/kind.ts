import type * as v from 'valibot';
import type { Area, Level, Rights } from '$lib/core/access/rights';
import type { Effects } from '$lib/core/plans/effects';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import type { StepInput, StepKind } from '../jobs/step';

/** A step of the job that a plan makes: of one of the kinds that there are, with what that kind is given. */
export type StepSpec = {
	[K in StepKind]: {
		kind: K;
		words: string;
		input: StepInput<K>;
		/** Ms, from past runs where there are any. */
		expected: number;
	};
}[StepKind];

/** A step, where its kind is chosen in an expression. `expected` in ms. */
export const stepOf = <K extends StepKind>(kind: K, words: string, input: StepInput<K>, expected: number): StepSpec =>
	({ kind, words, input, expected }) as StepSpec;

/** What a planner works out from an input. */
export interface Draft {
	title: string;
	effects: Effects;
	warnings: Fact[];
	/** While there is one, the plan cannot be committed. */
	blocks: Fact[];
	reasons: Fact[];
	/** Everything the plan changes, as `kind/id`: two plans that share one cannot both go ahead unseen. */
	objects: string[];
	steps: StepSpec[];
	undo: UndoSpec | null;
	/** How it is undone, or why it cannot be. */
	undoWords: string;
}

/** The plan that brings back what was: of one of the kinds that there are, with what that kind takes. */
export type UndoSpec = { [K in PlanName]: { kind: K; input: PlanInput<K> } }[PlanName];

/** One kind of change. There is no other way to change the estate. */
export interface PlanKind<K extends string = string, S extends v.GenericSchema = v.GenericSchema> {
	kind: K;
	/** What it does, for the API's description and the command menu. */
	words: string;
	area: Area;
	/** Whether there is a plan that brings back what was: always, never, or it depends on what was. Each that can has its case in undo.test.ts. */
	undo: 'back' | 'sometimes' | 'never';
	schema: S;
	/** Fields of the input that nobody may read: they are sealed before anything is made of them, and stay so. */
	secrets?: readonly string[];
	/** Fields that hold whole texts, such as a sheet: their own schema says how long they may be. */
	longTexts?: readonly string[];
	/**
	 * Objects that decide, in place of those that it changes, whether it is of the part that somebody is there for: what is new has no part
	 * yet, and what many share may be changed for somebody alone.
	 */
	decides?(ctx: Context, input: v.InferOutput<S>): string[];
	/** Rights that it gives away, by its input: only whoever has them may draft or commit it. */
	gives?(ctx: Context, input: v.InferOutput<S>): Rights;
	/** What whoever drafts or commits it needs beside its area, by its input: what it reads is for them to read. */
	takes?(ctx: Context, input: v.InferOutput<S>): { area: Area; level: Level }[];
	draft(ctx: Context, input: v.InferOutput<S>): Promise<Draft>;
}

/** The kinds of plans of each area, by its name: areas add theirs in their manifests. */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface AreaPlans {}

type Kind = AreaPlans[keyof AreaPlans] extends readonly (infer K)[] ? K : never;
type Named = Extract<Kind, { kind: string }>;
export type PlanName = Named['kind'];

/** What a plan of a kind takes. */
export type PlanInput<K extends PlanName> = v.InferInput<
	Extract<Named, { kind: K; schema: v.GenericSchema }>['schema']
>;

/** Keeps the input's type tied to the schema. */
export const planKind = <const K extends string, S extends v.GenericSchema>(kind: PlanKind<K, S>): PlanKind<K, S> =>
	kind;

/** Wrong input, said beside the field it is about. `field` is a path such as `count` or `steps.3.words`. */
export class InputProblem extends Error {
	readonly problem = 'input';
	constructor(readonly problems: { field: string; words: string }[]) {
		super(problems.map((p) => p.words).join(' '));
		this.name = 'InputProblem';
	}
}
