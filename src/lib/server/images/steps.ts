import type { BuildSheet } from '$lib/core/images/sheet';
import { durationWords, FOREVER } from '$lib/core/time/units';
import { one, run } from '../db';
import { ProviderError } from '../providers';
import { stepHandler, type StepHandler } from '../jobs/step';
import { sheetAt } from './queries';

interface BuildInput {
	line: string;
	number: string;
}

export const imageSteps: Record<string, StepHandler> = {
	'image.begin': stepHandler<BuildInput & { note: string; from: number; build?: number }>({
		async run({ ctx, input, job, log }) {
			const now = ctx.clock.now();
			const sheet = JSON.stringify(sheetAt(ctx.db, input.line, now));
			log(input.from ? `takes up at step ${input.from + 1}` : 'builder machine started');
			return {
				write: (db) => {
					if (input.build === undefined)
						run(
							db,
							`INSERT INTO builds(line_id, number, sheet, state, done_steps, job_id, began, by, note) VALUES (?, ?, ?, 'running', 0, ?, ?, ?, ?)`,
							[input.line, input.number, sheet, job.id, now, job.by, input.note]
						);
					else
						run(db, `UPDATE builds SET state = 'running', ended = NULL, job_id = ? WHERE id = ?`, [
							job.id,
							input.build
						]);
				}
			};
		}
	}),

	'image.step': stepHandler<
		BuildInput & { step: number; kind: string; words: string; usual: number; cores: number; limit: number }
	>({
		async run({ ctx, input, job, key, log, n }) {
			const build = one<{ began: number }>(ctx.db, 'SELECT began FROM jobs WHERE id = ?', [job.id])!;
			const began = one<{ began: number }>(ctx.db, 'SELECT began FROM job_steps WHERE job_id = ? AND n = ?', [
				job.id,
				n
			])!.began;
			const left = build.began + input.limit - ctx.clock.now();
			if (left <= 0) throw new ProviderError(`the build has reached its limit of ${durationWords(input.limit)}`, false);
			const { log: lines } = await ctx.providers.builder.runStep(
				input.line,
				{ kind: input.kind, words: input.words, usual: input.usual },
				input.cores,
				key('run')
			);
			for (const line of lines) log(line);
			const took = ctx.clock.now() - began;
			return {
				write: (db) => {
					run(db, 'INSERT INTO step_runs VALUES (?, ?, ?, ?, ?, ?)', [
						input.line,
						input.kind,
						input.words,
						began,
						input.cores,
						took
					]);
					run(db, 'UPDATE builds SET done_steps = ? WHERE job_id = ?', [input.step + 1, job.id]);
				}
			};
		}
	}),

	'image.keep': stepHandler<BuildInput>({
		async run({ ctx, input, job, key, log }) {
			await ctx.providers.builder.keep(input.line, input.number, key('keep'));
			await ctx.providers.builder.discard(input.line, key('discard'));
			log('kept; staging removed, only this log is left');
			const build = one<{ sheet: string; note: string }>(ctx.db, 'SELECT sheet, note FROM builds WHERE job_id = ?', [
				job.id
			])!;
			const contents = (JSON.parse(build.sheet) as BuildSheet).steps.flatMap((s) => (s.adds ? [s.adds] : []));
			const now = ctx.clock.now();
			return {
				result: { version: `${input.line} ${input.number}` },
				write: (db) => {
					run(db, 'INSERT OR IGNORE INTO versions VALUES (?, ?, ?, ?, ?, ?, ?, ?)', [
						input.line,
						input.number,
						now,
						job.by,
						build.note,
						JSON.stringify(contents),
						contents.reduce((n, c) => n + c.size, 0),
						job.id
					]);
					run(db, 'INSERT OR IGNORE INTO version_holds VALUES (?, ?, ?, ?)', [input.line, input.number, now, FOREVER]);
					run(db, `UPDATE builds SET state = 'done', ended = ? WHERE job_id = ?`, [now, job.id]);
				}
			};
		}
	}),

	'image.write-sheet': stepHandler<{ line: string; sheet: BuildSheet }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					run(db, 'DELETE FROM sheets WHERE line_id = ? AND since >= ?', [input.line, now]);
					run(db, 'UPDATE sheets SET until = ? WHERE line_id = ? AND until > ?', [now, input.line, now]);
					run(db, 'INSERT INTO sheets VALUES (?, ?, ?, ?)', [input.line, now, FOREVER, JSON.stringify(input.sheet)]);
				}
			};
		}
	}),

	'image.set-hold': stepHandler<{ line: string; number: string; held: boolean }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					if (input.held)
						run(db, 'INSERT OR REPLACE INTO version_holds VALUES (?, ?, ?, ?)', [
							input.line,
							input.number,
							now,
							FOREVER
						]);
					else
						run(
							db,
							`UPDATE version_holds SET until = max(?, since + 1) WHERE line_id = ? AND number = ? AND until = ${FOREVER}`,
							[now, input.line, input.number]
						);
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
	})
};
