import { partText, readPart } from '$lib/core/access/part';
import type { CheckAct } from '$lib/core/estate/read';
import type { Estate, EstateAct } from '$lib/core/estate/schema';
import { PLAN_KINDS } from './areas';
import { changeOfJob } from './changes';
import type { Context } from './context';
import { one, type Db } from './db';
import { insertRow } from './db/rows';
import { assign, callerNow } from './identity/accounts';
import type { Caller } from './identity/caller';
import { logOf } from './log';
import {
	commitPlan,
	consentTo,
	draftPlan,
	draftUndo,
	NotAllowed,
	NotFound,
	parseInput,
	PlanRefused,
	WaitsForConsent
} from './plans';
import { InputProblem } from './plans/kind';

const log = logOf('acts');

/** What is wrong with an act, as far as that can be told before the history has been lived: its kind of plan, and its input. */
export const actProblems: CheckAct = (act) => {
	const kind = PLAN_KINDS.find((k) => k.kind === act.plan);
	if (!kind) return [{ path: ['plan'], message: `no kind of plan called ${act.plan}` }];
	try {
		parseInput(kind.schema, act.input);
		return [];
	} catch (e) {
		if (!(e instanceof InputProblem)) throw e;
		return e.problems.map((p) => ({ path: ['input', ...(p.field ? p.field.split('.') : [])], message: p.words }));
	}
};

/** Writes the operators of an estate file. They have no password: nobody signs in as one until a password is given. */
export function settleOperators(db: Db, estate: Estate, at: number): void {
	for (const { login, name, role, part, ends } of estate.operators) {
		insertRow(db, 'operators', { login, name, password: '' });
		assign(db, login, { role, part: partText(readPart(part).part), ends: ends ?? null, by: 'the estate file' }, at);
	}
}

/** Something that is done at a moment of the history, ms UTC. */
export interface Due {
	at: number;
	/** Drafts its plan and commits it; true when it was committed. */
	carryOut(): Promise<boolean>;
}

/**
 * The acts of an estate file in the order in which they are due, each through its plan. One that is refused when its moment comes
 * leaves its plan with the reasons, as it would have on the screen; the history goes on.
 */
export function actsOf(ctx: Context, estate: Estate): Due[] {
	return estate.acts
		.flatMap((act): Due[] => {
			let job: number | null = null;
			let waits: number | null = null;
			const committed: Due = {
				at: act.at,
				carryOut: async () => {
					job = await attempt(act, act.by, async (by) => {
						const plan = await draftPlan(ctx, by, act.plan, act.input, via(by));
						waits = plan.id;
						return commitPlan(ctx, by, plan.id, act.start ?? null, via(by));
					});
					return job !== null;
				}
			};
			const { consent } = act;
			const consented: Due[] = consent
				? [
						{
							at: consent.at,
							carryOut: async () => {
								if (waits === null || job !== null) return false;
								const plan = waits;
								job = await attempt(act, consent.by, (by) => consentTo(ctx, by, plan));
								return job !== null;
							}
						}
					]
				: [];
			if (act.undo === undefined) return [committed, ...consented];
			const undone: Due = {
				at: act.undo,
				carryOut: async () => {
					const change = job === null ? null : changeOfJob(ctx.db, job);
					if (change === null) {
						log.warn({ act: act.plan, at: act.at }, 'an act left no change that could be undone');
						return false;
					}
					const undoing = await attempt(act, act.by, async (by) => {
						const plan = await draftUndo(ctx, by, change, via(by));
						return commitPlan(ctx, by, plan.id, null, via(by));
					});
					return undoing !== null;
				}
			};
			return [committed, ...consented, undone];
		})
		.sort((a, b) => a.at - b.at);

	async function attempt(act: EstateAct, login: string, work: (by: Caller) => Promise<number>): Promise<number | null> {
		const by = callerOf(ctx, login);
		if (!by) return null;
		try {
			return await work(by);
		} catch (e) {
			const about = { act: act.plan, by: login, at: new Date(act.at).toISOString() };
			const refused = [InputProblem, PlanRefused, NotAllowed, NotFound, WaitsForConsent].some(
				(kind) => e instanceof kind
			);
			if (refused) log.info({ ...about, why: (e as Error).message }, 'an act was refused, or waits');
			// Whatever it is, it is this act's alone: the estate comes to be.
			else log.error({ ...about, err: e }, 'an act met what nobody foresaw');
			return null;
		}
	}
}

/** The way by which somebody of their kind would have come. */
const via = (by: Caller) => (by.kind === 'person' ? 'portal' : 'screen');

function callerOf({ db, clock }: Context, login: string): Caller | null {
	const operator = one<{ id: number }>(db, 'SELECT id FROM operators WHERE login = ?', [login]);
	if (operator) return callerNow(db, 'operator', operator.id, clock.now());
	const person = one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [login]);
	return person ? callerNow(db, 'person', person.id, clock.now()) : null;
}
