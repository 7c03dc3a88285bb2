import { occurrences } from '$lib/core/time/recurrence';
import { FOREVER, HOUR } from '$lib/core/time/units';
import { callerNow } from '../identity/accounts';
import { asRole, type Caller } from '../identity/caller';
import type { Context } from '../context';
import { run } from '../db';
import { insertRow } from '../db/rows';
import { steady } from '../db/steady';
import { commitPlan, draftPlan } from '../plans';
import { schedulesAt, type Schedule } from './queries';

/** What was due longer ago than this, while nothing ran, is not made up for. */
const LATE = 6 * HOUR;

/** When each is due next: asked every minute, and worked out when one is set, met or taken off. */
const nextNow = steady(['schedules'], (db, at) =>
	schedulesAt(db, at).map((s) => ({ s, next: occurrences(s, s.doneTo, FOREVER, 1)[0] ?? FOREVER }))
);

/** Drafts and commits the plans of schedules when they are due. */
export class Scheduler {
	constructor(private readonly ctx: Context) {}

	async minute(now: number): Promise<void> {
		for (const { s, next } of nextNow(this.ctx.db, now)) {
			if (next > now) continue;
			// What is older than that is not made up for: one line says so.
			const due = occurrences(s, s.doneTo, now, 50);
			for (const at of due) await this.carryOut(s, at, now);
		}
	}

	private async carryOut(s: Schedule, due: number, now: number): Promise<void> {
		const { db } = this.ctx;
		// Written down first: a time that was met is not met again, whatever happens next.
		db.transaction(() => {
			run(db, 'UPDATE schedules SET done_to = ? WHERE id = ?', [due, s.id]);
			insertRow(db, 'schedule_runs', { schedule_id: s.id, due }, 'keep');
		}).immediate();
		const note = (job: number | null, refused: string | null) =>
			run(db, 'UPDATE schedule_runs SET job_id = ?, refused = ? WHERE schedule_id = ? AND due = ?', [
				job,
				refused,
				s.id,
				due
			]);
		if (now - due > LATE) return void note(null, 'it was due while Sextant did not run');
		const name = `${s.title}, set by ${s.by}`;
		// By the rights, and for the part, with which it was set: while they are theirs.
		const set =
			s.operator === null
				? ({ kind: 'token', id: 0, login: '', ...asRole('builder'), factor: false, signIn: null } as const)
				: callerNow(db, 'operator', s.operator, now, s.assignment);
		if (!set) return void note(null, `${s.by}, who set it, has been shut out since`);
		const caller: Caller = { ...set, name };
		try {
			const plan = await draftPlan(this.ctx, caller, s.kind, s.input, 'schedule');
			note(await commitPlan(this.ctx, caller, plan.id, null, 'schedule'), null);
		} catch (e) {
			note(null, e instanceof Error ? e.message : String(e));
		}
	}
}
