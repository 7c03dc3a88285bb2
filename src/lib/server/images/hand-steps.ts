import { one, setting } from '../db';
import { closeAllAt, closeAt, openAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';
import { writeVersion } from './build-steps';
import { keepChunks, noteStores } from './stores';

export const handSteps = {
	'image.open': stepHandler<{ line: string; number: string }>({
		async run({ ctx, input, job, key, log }) {
			const { machine } = await ctx.providers.builder.open(input.line, input.number, key('open'));
			log(`${machine} is up: its console is on the page of the line`);
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const of = { line_id: input.line, number: input.number, machine };
					openAt(db, 'openings', { ...of, by: job.by, operator_id: job.operator }, now);
				}
			};
		}
	}),

	'image.close': stepHandler<{ line: string; number: string; note: string; opening: number }>({
		async run({ ctx, input, job, key, log }) {
			const { contents } = await ctx.providers.builder.close(input.line, input.number, key('close'));
			const chunks = await keepChunks(ctx, input.line, input.number);
			log('sealed and kept; the reference machine is removed');
			const now = ctx.clock.now();
			return {
				result: { version: `${input.line} ${input.number}` },
				write: (db) => {
					const open = one<{ number: string }>(db, 'SELECT number FROM openings WHERE id = ?', [input.opening])!;
					writeVersion(db, { ...input, at: now, by: job.by, contents, job: job.id, sheet: null, basedOn: open.number });
					chunks(db);
					noteStores(db, [setting(db, 'home') ?? ''], input.line, input.number, now);
					closeAllAt(db, 'openings', { id: input.opening }, now, { outcome: `closed as ${input.number}` });
				}
			};
		}
	}),

	'image.throw-away': stepHandler<{ line: string; opening?: number }>({
		async run({ ctx, input, key }) {
			await ctx.providers.builder.throwAway(input.line, key('throw away'));
			const now = ctx.clock.now();
			return {
				write: (db) => closeAt(db, 'openings', { line_id: input.line }, now, { outcome: 'thrown away' })
			};
		}
	})
};
