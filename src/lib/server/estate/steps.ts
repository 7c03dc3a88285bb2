import { addressNumber } from '$lib/core/network/addresses';
import { run, type Db } from '../db';
import { closeAllAt, closeAt, putAt } from '../db/intervals';
import type { Holiday } from '$lib/core/time/holidays';
import { stepHandler } from '../jobs/step';

/** What was running out no longer does: the finding is over, without waiting for the next sweep. */
const over = (db: Db, kind: string, subject: string, now: number) =>
	closeAllAt(db, 'findings', { kind, subject_id: subject }, now);

export const estateSteps = {
	'volume.extend': stepHandler<{ volume: string; size: number }>({
		async run({ ctx, input, key }) {
			await ctx.providers.compute.extendVolume(input.volume, input.size, key('extend'));
			const now = ctx.clock.now();
			return {
				write: (db) => {
					run(db, 'UPDATE volumes SET size = ? WHERE id = ?', [input.size, input.volume]);
					over(db, 'volume nearly full', input.volume, now);
				}
			};
		}
	}),

	'site.holidays.write': stepHandler<{ site: string; days: Holiday[] }>({
		async run({ ctx, input: { site, days }, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) =>
					days.length
						? putAt(db, 'site_holidays', { site_id: site, days: JSON.stringify(days), by: job.by }, now)
						: closeAt(db, 'site_holidays', { site_id: site }, now)
			};
		}
	}),

	'network.release': stepHandler<{ network: string }>({
		async run({ ctx, input, key, log }) {
			const released = await ctx.providers.network.release(input.network, key('release'));
			log(`${released} leases released`);
			const now = ctx.clock.now();
			return { result: { released }, write: (db) => void over(db, 'addresses running out', input.network, now) };
		}
	}),

	'network.set-range': stepHandler<{ network: string; last: string }>({
		async run({ ctx, input, key }) {
			const last = addressNumber(input.last);
			await ctx.providers.network.setLast(input.network, last, key('range'));
			const now = ctx.clock.now();
			return {
				write: (db) => {
					run(db, 'UPDATE networks SET last = ? WHERE id = ?', [last, input.network]);
					over(db, 'addresses running out', input.network, now);
				}
			};
		}
	})
};
