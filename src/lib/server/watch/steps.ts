import { FOREVER, MINUTE, SECOND } from '$lib/core/time/units';
import { sleep, type Context } from '../context';
import { one } from '../db';
import { stepHandler } from '../jobs/step';
import { StepFailed } from '../providers';

/** Machines worked on side by side: a volume serves about that many starts without slowing. */
const AT_ONCE = 8;
/** A machine that is not ready by then has not come up. */
const LONGEST_START = 15 * MINUTE;

/** Waits until a machine is ready, as observed. Throws StepFailed when it fails or takes too long. */
export async function untilReady(ctx: Context, machine: string): Promise<void> {
	const limit = ctx.clock.now() + LONGEST_START;
	for (;;) {
		const state = one<{ state: string }>(
			ctx.db,
			`SELECT st.state FROM machines m JOIN machine_states st ON st.machine_id = m.id AND st.until = ${FOREVER} WHERE m.name = ? AND m.until = ${FOREVER}`,
			[machine]
		)?.state;
		if (state === 'ready' || state === 'in use') return;
		if (state === 'failed') throw new StepFailed(`${machine} did not come up`);
		if (state === undefined) throw new StepFailed(`${machine} is no longer there`);
		if (ctx.clock.now() > limit) throw new StepFailed(`${machine} was not ready after 15 min`);
		await sleep(ctx.clock, 5 * SECOND);
	}
}

/** The image version that a machine is on: what it is put back to. */
export const versionOf = (ctx: Context, machine: string): string =>
	one<{ version: string }>(
		ctx.db,
		`SELECT pl.version FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} WHERE m.name = ? AND m.until = ${FOREVER}`,
		[machine]
	)!.version;

const forEachMachine = (work: (ctx: Context, machine: string, key: string, by: string) => Promise<void>) =>
	stepHandler<{ machines: string[] }>({
		async run({ ctx, input, each, job, log }) {
			const { done, failed } = await each(input.machines, AT_ONCE, async (machine, key) => {
				await work(ctx, machine, key, job.by);
				log(`${machine}: done`);
			});
			if (done.length === 0) throw new StepFailed(failed[0]?.error ?? 'nothing was done');
			return { result: { done: done.length, failed: failed.length } };
		}
	});

export const sessionSteps = {
	'session.sign-out': stepHandler<{ sessions: number[] }>({
		async run({ ctx, input, each, job }) {
			const { done, failed } = await each(input.sessions.map(String), AT_ONCE, (session, key) =>
				ctx.providers.agent.signOut(Number(session), `signed out by ${job.by}`, key)
			);
			return { result: { done: done.length, failed: failed.length } };
		}
	}),

	'session.message': stepHandler<{ sessions: number[]; text: string }>({
		async run({ ctx, input, each }) {
			const { done, failed } = await each(input.sessions.map(String), 20, (session, key) =>
				ctx.providers.agent.message(Number(session), input.text, key)
			);
			return { result: { done: done.length, failed: failed.length } };
		}
	}),

	'machine.start': forEachMachine(async (ctx, machine, key, by) => {
		await ctx.providers.compute.start(machine, `started by ${by}`, key);
		await sleep(ctx.clock, 2 * SECOND);
		await untilReady(ctx, machine);
	}),
	'machine.stop': forEachMachine((ctx, machine, key, by) =>
		ctx.providers.compute.stop(machine, `stopped by ${by}`, key)
	),
	'machine.restart': forEachMachine(async (ctx, machine, key, by) => {
		await ctx.providers.compute.restart(machine, `restarted by ${by}`, key);
		await sleep(ctx.clock, 2 * SECOND);
		await untilReady(ctx, machine);
	}),
	'machine.reset': forEachMachine((ctx, machine, key) =>
		ctx.providers.compute.reset(machine, versionOf(ctx, machine), key)
	)
};
