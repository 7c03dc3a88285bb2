import { durationWords, FOREVER } from '$lib/core/time/units';
import { all } from '../db';
import type { StepRun } from '../jobs/step';
import { Failure } from '../providers';

/** What people on machines that are to change are told, and when they are signed out. */
export interface LeavingWish {
	/** `wait`: nobody is told anything; `idle`: only sessions that nobody is at are signed out; the others have a deadline. */
	people: 'wait' | 'ask' | 'grace' | 'idle';
	/** When whoever is still there is signed out, ms UTC. */
	until: number;
	/** The message, with how long is left. */
	message: (left: string) => string;
	/** What a session that was signed out has ended by. */
	endedBy: string;
}

/**
 * Sees to the people on machines that are to change: asks each session once, and signs out those whose time has come. Keys
 * are the session's, so that a job that is taken up again asks nobody twice.
 */
export async function seeToPeople(
	{ ctx, key, log }: Pick<StepRun, 'ctx' | 'key' | 'log'>,
	machines: readonly string[],
	wish: LeavingWish
): Promise<void> {
	if (wish.people === 'wait' || machines.length === 0) return;
	const now = ctx.clock.now();
	const sessions = all<{ id: number; state: string; machine: string }>(
		ctx.db,
		`SELECT s.id, st.state, m.name AS machine FROM sessions s JOIN machines m ON m.id = s.machine_id
		 JOIN session_states st ON st.session_id = s.id AND st.until = ${FOREVER}
		 WHERE s.until = ${FOREVER} AND m.name IN (SELECT value FROM json_each(?))`,
		[JSON.stringify(machines)]
	);
	for (const s of sessions) {
		const leaves = wish.people === 'idle' ? s.state === 'disconnected' : now >= wish.until;
		try {
			if (leaves) await ctx.providers.agent.signOut(s.id, wish.endedBy, key(`out ${s.id}`));
			else if (wish.people !== 'idle')
				await ctx.providers.agent.message(s.id, wish.message(durationWords(wish.until - now)), key(`ask ${s.id}`));
		} catch (e) {
			if (!(e instanceof Failure)) throw e;
			log(`session ${s.id} on ${s.machine}: ${e.message}`);
		}
	}
}
