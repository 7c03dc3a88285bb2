import type { Context } from '../context';
import { asRole, type Caller } from '../identity/caller';
import { commitPlan, discardPlan, draftPlan, PlanRefused } from '../plans';

/**
 * Sextant carries out what somebody has arranged, by a plan of its own: `name` says what that was, for the change log. Answers with the number of
 * the job, or why it cannot be; a draft that cannot be committed is not left behind.
 */
export async function carryOutItself(
	ctx: Context,
	name: string,
	kind: string,
	input: unknown
): Promise<{ job: number } | { refused: string }> {
	const caller: Caller = { kind: 'token', id: 0, name, login: '', ...asRole('operator'), factor: false, signIn: null };
	let draft: number | null = null;
	try {
		({ id: draft } = await draftPlan(ctx, caller, kind, input, 'schedule'));
		return { job: await commitPlan(ctx, caller, draft, null, 'schedule') };
	} catch (e) {
		if (draft !== null && e instanceof PlanRefused) discardPlan(ctx, caller, draft);
		return { refused: e instanceof Error ? e.message : String(e) };
	}
}
