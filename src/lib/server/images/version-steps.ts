import type { FollowRule, FollowWhen } from '$lib/core/images/follow';
import { FOREVER } from '$lib/core/time/units';
import { run, type Db } from '../db';
import { closeAllAt, closeAt, putAt, rowAt } from '../db/intervals';
import { forgiveMoves } from './following';
import { stepHandler } from '../jobs/step';

/** Puts a mark on a version, where it has none, or takes it off. */
export function markVersion(
	db: Db,
	table: 'version_holds' | 'version_retired',
	line: string,
	number: string,
	on: boolean,
	now: number
): void {
	const version = { line_id: line, number };
	if (!on) closeAt(db, table, version, now);
	else if (!rowAt(db, table, version, now)) putAt(db, table, version, now);
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

export const versionSteps = {
	'image.set-hold': stepHandler<{ line: string; number: string; held: boolean }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					markVersion(db, 'version_holds', input.line, input.number, input.held, now);
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
			return { write: (db) => markVersion(db, 'version_retired', input.line, input.number, input.retired, now) };
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
					closeAllAt(db, 'site_versions', { line_id: input.line, number: input.number }, now);
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
