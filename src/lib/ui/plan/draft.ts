import type { Parts } from '$lib/ui/frame/address';
import { arrive } from '$lib/ui/frame/arrive';
import { call, refusalWords, type Plan, type Refusal } from './api';

/**
 * Drafts a plan from a form. When it stands, it comes up in the tray (`parts` of the address change along with it) and
 * no problem is returned; else what is wrong by field, and under `form` what belongs to none.
 */
export async function draftFrom(kind: string, input: unknown, parts: Parts = {}): Promise<Record<string, string>> {
	const answer = await call<Plan>('POST', '/plans', { kind, input });
	if (answer.ok) {
		await arrive({ plan: answer.value.id, card: null, ...parts }, { noScroll: true });
		return {};
	}
	return wrongIn(answer.refusal);
}

/** What is wrong by field, of a refusal; under `form` what belongs to none. */
export const wrongIn = (refusal: Refusal): Record<string, string> =>
	refusal.errors.length
		? Object.fromEntries(refusal.errors.map((e) => [e.field, e.words]))
		: { form: refusalWords(refusal) };
