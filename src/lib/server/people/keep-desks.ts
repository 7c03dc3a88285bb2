import type { Context } from '../context';
import { insertRow } from '../db/rows';
import { closeAt, putAt } from '../db/intervals';
import { one } from '../db';
import { stepHandler } from '../jobs/step';
import { commitPlan, draftPlan } from '../plans';
import type { Asks } from './desks';
import { deskWork, keptPools, type Desk } from './kept';
import { AT_ONCE } from './kept-plans';
import { itself } from './itself';

/** Makes machines of pools that are kept for teams, and takes them back, by plans and jobs of their own. */
export async function keepDesks(ctx: Context, now: number): Promise<void> {
	for (const k of keptPools(ctx.db, now)) {
		const work = deskWork(ctx.db, k, now);
		await carryOut(ctx, k, 'desks.take-back', work.back.slice(0, AT_ONCE), now);
		await carryOut(ctx, k, 'desks.make', work.make.slice(0, AT_ONCE), now);
	}
}

async function carryOut(
	ctx: Context,
	{ pool, by }: { pool: string; by: string },
	kind: 'desks.make' | 'desks.take-back',
	desks: readonly Desk[],
	now: number
): Promise<void> {
	if (desks.length === 0) return;
	const caller = itself(`the pool that ${by} keeps for a team`);
	const note = (job: number | null, words: string) =>
		ctx.db
			.transaction(() => {
				for (const d of desks) {
					const person = one<{ id: number }>(ctx.db, 'SELECT id FROM people WHERE login = ?', [d.login]);
					if (person)
						insertRow(
							ctx.db,
							'desk_tries',
							{ pool_id: pool, person_id: person.id, at: now, job_id: job, words },
							'replace'
						);
				}
			})
			.immediate();
	try {
		const plan = await draftPlan(ctx, caller, kind, { pool, people: desks.map((d) => d.login) }, 'schedule');
		note(await commitPlan(ctx, caller, plan.id, null, 'schedule'), '');
	} catch (e) {
		note(null, e instanceof Error ? e.message : String(e));
	}
}

export const keptSteps = {
	'pool.keep-for': stepHandler<{ pool: string; team: string | null; asks: Asks; ahead: number }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					if (input.team === null) closeAt(db, 'kept_pools', { pool_id: input.pool }, now);
					else
						putAt(
							db,
							'kept_pools',
							{
								pool_id: input.pool,
								team_id: input.team,
								asks: JSON.stringify(input.asks),
								ahead: input.ahead,
								by: job.by
							},
							now
						);
				}
			};
		}
	})
};
