import { FOREVER, MINUTE, SECOND } from '$lib/core/time/units';
import { sleep } from '../context';
import { all, one, type Db } from '../db';
import { closeAt, putAt } from '../db/intervals';
import { tellAgents } from './agents';
import { endFailures } from './app-log';
import { stepHandler } from '../jobs/step';
import type { DeliveryWish } from './delivery-plans';

interface WishInput {
	package: string;
	each: DeliveryWish[];
}

/** A job waits this long for machines, at most: those that need longer get it without being waited for. */
const PATIENCE = 30 * MINUTE;

export const deliveryStepHandlers = {
	'delivery.write': stepHandler<WishInput>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const w of input.each) {
						closeDelivery(db, w.pool, input.package, now);
						if (w.version !== null)
							putAt(
								db,
								'deliveries',
								{
									pool_id: w.pool,
									package: input.package,
									version: w.version,
									mode: w.mode,
									by: job.by,
									job_id: job.id
								},
								now
							);
						// What failed of versions that are not wanted any more is no trouble any more.
						for (const f of all<{ machine: number; version: string }>(
							db,
							`SELECT f.machine_id AS machine, f.version FROM attach_failures f JOIN machines m ON m.id = f.machine_id
							 WHERE m.pool_id = ? AND f.package = ? AND f.until = ${FOREVER}`,
							[w.pool, input.package]
						))
							if (f.version !== w.version) endFailures(db, f.machine, input.package, f.version, now);
					}
				}
			};
		}
	}),

	'agents.tell': stepHandler<Record<string, never>>({
		async run({ ctx, log }) {
			await tellAgents(ctx);
			log('the agents know');
		}
	}),

	'delivery.wait': stepHandler<WishInput>({
		async run({ ctx, input, cancelled, log }) {
			const waited = input.each.filter((w) => w.version !== null && w.mode === 'start');
			const end = ctx.clock.now() + PATIENCE;
			for (;;) {
				const counts = waited.map((w) => stand(ctx.db, input.package, w));
				const missing = counts.reduce((n, c) => n + c.missing, 0);
				const failed = counts.reduce((n, c) => n + c.failed, 0);
				const attached = counts.reduce((n, c) => n + c.attached, 0);
				if (missing === 0 || ctx.clock.now() > end || cancelled()) {
					if (missing) log(`${missing} machines are still at it: they go on by themselves`);
					return {
						result: { attached, ...(failed ? { failed } : {}), ...(missing ? { 'still at it': missing } : {}) }
					};
				}
				await sleep(ctx.clock, SECOND);
			}
		}
	}),

	'package.ask': stepHandler<{ package: string; text: string; sessions: number[] }>({
		async run({ ctx, input, each }) {
			const { done, failed } = await each(input.sessions.map(String), 20, (session, key) =>
				ctx.providers.agent.askToClose(Number(session), input.package, input.text, key)
			);
			return { result: { asked: done.length, failed: failed.length } };
		}
	})
};

/** Ends what a pool has of a package; what began in the same millisecond never was. */
export function closeDelivery(db: Db, pool: string, name: string, at: number): void {
	closeAt(db, 'deliveries', { pool_id: pool, package: name }, at);
}

function stand(db: Db, name: string, w: DeliveryWish): { attached: number; failed: number; missing: number } {
	const r = one<{ up: number; attached: number; failed: number }>(
		db,
		`SELECT count(*) AS up,
			sum(EXISTS (SELECT 1 FROM attachments a WHERE a.machine_id = m.id AND a.package = ?1 AND a.version = ?2 AND a.state = 'attached' AND a.until = ${FOREVER})) AS attached,
			sum(EXISTS (SELECT 1 FROM attach_failures f WHERE f.machine_id = m.id AND f.package = ?1 AND f.version = ?2 AND f.until = ${FOREVER})) AS failed
		 FROM machines m JOIN machine_states s ON s.machine_id = m.id AND s.until = ${FOREVER}
		 WHERE m.pool_id = ?3 AND m.until = ${FOREVER} AND s.state NOT IN ('off', 'starting', 'failed')`,
		{ 1: name, 2: w.version, 3: w.pool }
	)!;
	const attached = r.attached ?? 0;
	const failed = r.failed ?? 0;
	return { attached, failed, missing: Math.max(0, r.up - attached - failed) };
}
