import { HOUR } from '$lib/core/time/units';
import type { Context } from '../context';
import { insertRow } from '../db/rows';
import { dueHandovers } from './handovers';
import { carryOutItself } from './itself';

/** What was refused is tried again after this long, ms. */
const AGAIN = HOUR;
/** What is due for so many is carried out at one look: the rest follows at the next. */
const AT_ONCE = 20;

const KIND = { 'hand over': 'people.hand-over', clear: 'people.clear', return: 'people.return' } as const;

/** Carries out what was agreed for people who leave, once it is due: by plans and jobs of their own. */
export async function carryOutHandovers(ctx: Context, now: number): Promise<void> {
	const due = dueHandovers(ctx.db, now).filter((h) => h.tried === 0 || h.tried <= now - AGAIN);
	for (const h of due.slice(0, AT_ONCE)) {
		const note = (words: string) =>
			insertRow(ctx.db, 'handover_refusals', { person_id: h.id, at: now, words }, 'replace');
		// Said before it is tried: a job that is under way is not begun a second time, and one that is done takes it away.
		note('');
		const name = `the leave of ${h.name}, arranged by ${h.by}`;
		const answer = await carryOutItself(ctx, name, KIND[h.due], { person: h.login });
		if ('refused' in answer) note(answer.refused);
	}
}
