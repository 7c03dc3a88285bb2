import type { Context } from '../context';
import { insertRow } from '../db/rows';
import { closeAt, putAt } from '../db/intervals';
import { one } from '../db';
import { stepHandler } from '../jobs/step';
import type { Asks } from './desks';
import { deskWork, keptPools, type Desk } from './kept';
import { AT_ONCE } from './kept-plans';
import { carryOutItself } from './itself';

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
	const people = desks.map((d) => d.login);
	const answer = await carryOutItself(ctx, `the pool that ${by} keeps for a team`, kind, { pool, people });
	const row = 'job' in answer ? { job_id: answer.job, words: '' } : { job_id: null, words: answer.refused };
	ctx.db
		.transaction(() => {
			for (const d of desks) {
				const person = one<{ id: number }>(ctx.db, 'SELECT id FROM people WHERE login = ?', [d.login]);
				if (person)
					insertRow(ctx.db, 'desk_tries', { pool_id: pool, person_id: person.id, at: now, ...row }, 'replace');
			}
		})
		.immediate();
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
