import type { Speaker } from '$lib/core/portal/say';
import type { Effects } from '$lib/core/plans/effects';
import { MINUTE } from '$lib/core/time/units';
import type { Context } from '../context';
import type { Caller } from '../identity/caller';
import { Rate } from '../identity/attempts';
import { jobById } from '../jobs';
import { commitPlan, draftPlan, PlanRefused } from '../plans';
import { InputProblem } from '../plans/kind';

/** How often one person may change something: nobody does so by hand more often. */
const CHANGES = new Rate(30, MINUTE);
/** So long a page waits for what is done at once, ms; what takes longer goes on by itself. */
const WAITS = 5000;

/**
 * Carries a change of somebody's own out, as every change is: plan, commit, job. Waits a little for its end.
 * @returns what it does; or, in words, why it was not done, with the status of that answer
 */
export async function changeFor(
	ctx: Context & { wake(): void },
	caller: Caller,
	say: Speaker,
	kind: string,
	input: object
): Promise<{ effects: Effects } | { refused: string; status: number }> {
	if (!CHANGES.take(caller.login)) return { refused: say('problem.too-often'), status: 429 };
	try {
		const plan = await draftPlan(ctx, caller, kind, input, 'portal');
		if (plan.blocks.length)
			return { refused: say('problem.blocked', { words: plan.blocks.map((b) => b.words).join('; ') }), status: 422 };
		const job = await commitPlan(ctx, caller, plan.id, null, 'portal');
		ctx.wake();
		if (plan.effects.duration.middle > WAITS) return { effects: plan.effects };
		for (let waited = 0; waited < WAITS; waited += 50) {
			const row = jobById(ctx.db, job, ctx.clock.now());
			if (row?.ended)
				return row.state === 'done'
					? { effects: plan.effects }
					: {
							refused: row.error === null ? say('problem.failed') : say('problem.blocked', { words: row.error }),
							status: 500
						};
			await new Promise((resolve) => setTimeout(resolve, 50));
		}
		return { effects: plan.effects };
	} catch (e) {
		if (e instanceof InputProblem || e instanceof PlanRefused)
			return { refused: say('problem.blocked', { words: e.message }), status: 422 };
		throw e;
	}
}
