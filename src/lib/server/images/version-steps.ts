import type { FollowRule, FollowWhen } from '$lib/core/images/follow';
import { FOREVER } from '$lib/core/time/units';
import { run, type Db } from '../db';
import { closeAt, putAt } from '../db/intervals';
import { forgiveMoves } from './following';
import { stepHandler, type StepHandler } from '../jobs/step';

/** Opens or closes the interval of a mark on a version. */
function mark(
	db: Db,
	table: 'version_holds' | 'version_retired',
	line: string,
	number: string,
	on: boolean,
	now: number
): void {
	if (on) run(db, `INSERT OR REPLACE INTO ${table} VALUES (?, ?, ?, ?)`, [line, number, now, FOREVER]);
	else
		run(db, `UPDATE ${table} SET until = max(?, since + 1) WHERE line_id = ? AND number = ? AND until = ${FOREVER}`, [
			now,
			line,
			number
		]);
}

/** Puts a rule in force from now on, or takes the subject's own rule away. */
export function writeRule(
	db: Db,
	subject: string,
	rule: FollowRule | null,
	when: FollowWhen,
	now: number,
	rollout: number | null = null
): void {
	if (rule === null) closeAt(db, 'follow_rules', { subject }, now);
	else
		putAt(
			db,
			'follow_rules',
			{ subject, rule: JSON.stringify(rule), takes_at: JSON.stringify(when), rollout_id: rollout },
			now
		);
}

export const versionSteps: Record<string, StepHandler> = {
	'image.set-hold': stepHandler<{ line: string; number: string; held: boolean }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					mark(db, 'version_holds', input.line, input.number, input.held, now);
					// A finding that asked for it asks no longer; its sign-ins are as slow as before.
					if (input.held)
						run(
							db,
							`UPDATE findings SET remedy = NULL WHERE kind = 'slow sign-ins' AND subject_id = ? AND until = ${FOREVER}`,
							[`${input.line}/${input.number}`]
						);
				}
			};
		}
	}),

	'image.set-retired': stepHandler<{ line: string; number: string; retired: boolean }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => mark(db, 'version_retired', input.line, input.number, input.retired, now) };
		}
	}),

	'image.delete': stepHandler<{ line: string; number: string }>({
		async run({ ctx, input, key }) {
			await ctx.providers.builder.remove(input.line, input.number, key('remove'));
			const now = ctx.clock.now();
			return {
				write: (db) => {
					run(db, `UPDATE versions SET gone_at = ? WHERE line_id = ? AND number = ? AND gone_at = ${FOREVER}`, [
						now,
						input.line,
						input.number
					]);
					run(
						db,
						`UPDATE site_versions SET until = max(?, since + 1) WHERE line_id = ? AND number = ? AND until = ${FOREVER}`,
						[now, input.line, input.number]
					);
				}
			};
		}
	}),

	'image.try-again': stepHandler<{ machines: string[]; number: string }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => input.machines.forEach((m) => forgiveMoves(db, m, input.number, now)) };
		}
	}),

	'image.set-rule': stepHandler<{ subject: string; rule: FollowRule | null; when: FollowWhen }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => writeRule(db, input.subject, input.rule, input.when, now) };
		}
	})
};
