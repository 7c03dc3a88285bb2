import { CHECK_WORDS, failingCheck, type CheckName, type Remedy } from '$lib/core/diagnosis/checks';
import { FOREVER, SECOND } from '$lib/core/time/units';
import { sleep } from '../context';
import { all, one } from '../db';
import { changeAt, closeAllAt, closeAt, rowAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';
import { Failure, StepFailed } from '../providers';
import { untilReady, versionOf } from '../watch';

export const repairSteps = {
	'runbook.remedy': stepHandler<{ machine: string; check: CheckName; remedy: Remedy }>({
		async run({ ctx, input, key, job, log, n }) {
			const { machine, check, remedy } = input;
			const { agent, compute } = ctx.providers;
			try {
				if (remedy === 'restart service') await agent.restartService(machine, check, key('service'));
				else if (remedy === 'restart machine')
					await compute.restart(machine, `restarted by the runbook of ${job.by}`, key('restart'));
				else await compute.reset(machine, versionOf(ctx, machine), key('reset'));
				if (remedy !== 'restart service') {
					await sleep(ctx.clock, 3 * SECOND);
					await untilReady(ctx, machine).catch((e: Error) => log(e.message));
				}
			} catch (e) {
				// A remedy that cannot be carried out has not helped; the next one may.
				if (!(e instanceof Failure)) throw e;
				log(`could not ${remedy}: ${e.message}`);
			}
			const still = failingCheck(await agent.probe(machine));
			const last = one(ctx.db, 'SELECT 1 FROM job_steps WHERE job_id = ? AND n > ?', [job.id, n]) === undefined;
			if (still === null || still.name === 'gateway') {
				log(`${CHECK_WORDS[check].asks} Yes, after ${remedy}`);
				const now = ctx.clock.now();
				return {
					stop: true,
					result: { 'helped by': remedy },
					write: (db) => {
						for (const c of all<{ machine_id: number; name: string }>(
							db,
							`SELECT c.machine_id, c.name FROM failing_checks c JOIN machines m ON m.id = c.machine_id AND m.until = ${FOREVER}
							 WHERE m.name = ? AND c.name <> 'gateway' AND c.until = ${FOREVER}`,
							[machine]
						))
							closeAt(db, 'failing_checks', c, now);
					}
				};
			}
			log(`${CHECK_WORDS[still.name].asks} No: ${still.saw}`);
			if (last) throw new StepFailed(`no remedy helped: ${still.saw}`);
		}
	}),

	'gateway.set-port': stepHandler<{ gateway: string; protocol: string; port: number }>({
		async run({ ctx, input, key }) {
			await ctx.providers.network.setAnnounced(input.gateway, input.protocol, input.port, key('announce'));
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const port = { gateway_id: input.gateway, protocol: input.protocol };
					changeAt(db, 'gateway_ports', port, { announced: input.port }, now);
					if (rowAt(db, 'gateway_ports', port, now)!.listens === input.port)
						closeAllAt(db, 'findings', { kind: 'gateway port', subject_id: input.gateway }, now);
				}
			};
		}
	}),

	'gateway.set-relay': stepHandler<{ gateway: string; address: string }>({
		async run({ ctx, input, key }) {
			await ctx.providers.network.setRelay(input.gateway, input.address, key('relay'));
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const relay = { gateway_id: input.gateway };
					changeAt(db, 'gateway_relays', relay, { announced: input.address }, now);
					if (rowAt(db, 'gateway_relays', relay, now)!.stands === input.address)
						closeAllAt(db, 'findings', { kind: 'gateway relay', subject_id: input.gateway }, now);
				}
			};
		}
	})
};
