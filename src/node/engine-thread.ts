import { logOf } from '$lib/server/log';
import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import { sharedClock } from '$lib/server/context';
import { openDb } from '$lib/server/db';
import { HeadKeeper, headKeyIn } from '$lib/server/changes/heads';
import { sendHead, sendsHeads } from '$lib/server/changes/send';
import { isStorage } from '$lib/server/db/storage';
import { tellAgents } from '$lib/server/packages';
import { configureBroker } from '$lib/server/publishing';
import { tellSettings } from '$lib/server/settings';
import { Engine } from '$lib/server/engine/engine';
import { vaultIn } from '$lib/server/vault';
import type { Packer } from '$lib/server/packing/packer';
import { JobRunner } from '$lib/server/engine/runner';
import type { Providers } from '$lib/server/providers';
import { Line, ThreadLost } from '$lib/server/providers/remote';
import { sayStrays } from './strays';

/** The engine's thread: takes in what is observed, lets policies act, runs the checks, carries jobs out. */

const BEAT = 100;
/** What a beat may still take once the thread is told to stop, ms of the wall. */
const LAST_BEAT = 1500;

const { path, dataDir, memory, turns } = workerData as {
	path: string;
	dataDir: string;
	memory: SharedArrayBuffer;
	turns: SharedArrayBuffer;
};
const turn = new Int32Array(turns);
const parent = parentPort!;
sayStrays('engine');
const lines = { lab: new Line<Providers>('lab'), packer: new Line<Packer>('packer') };
const ctx = {
	db: openDb(path),
	providers: lines.lab.api,
	clock: sharedClock(memory),
	vault: vaultIn(dataDir),
	packer: lines.packer.api
};
const engine = new Engine(ctx);
const heads = new HeadKeeper(dataDir, headKeyIn(dataDir));
const changedJobs = new Set<number>();
let changedPlans = false;
let stopping = false;
/** Whether what the outside has to know of the configuration has been told since it was last connected. */
let told = false;
const runner = new JobRunner(
	ctx,
	(job) => changedJobs.add(job),
	async () => {
		changedPlans = true;
		// Whoever reads that a job has ended, and asks what it did, sees that: at the beat's end it would be too late for them.
		Atomics.add(turn, 0, 1);
	}
);

parent.on(
	'message',
	(message: {
		wake?: true;
		stop?: true;
		rehearse?: true;
		connect?: keyof typeof lines;
		cut?: keyof typeof lines;
		port?: MessagePort;
	}) => {
		if (message.connect) {
			lines[message.connect].connect(message.port!);
			if (message.connect === 'lab') told = false;
		}
		if (message.cut) lines[message.cut].cut();
		if (message.rehearse) throw new Error('ended for a rehearsal');
		if (message.wake && !stopping) soon();
		if (message.stop) {
			stopping = true;
			runner.stop();
			engine.stop();
			clearInterval(timer);
			// What is under way ends first, unless it waits for somebody who is ending as well.
			void Promise.race([beating, new Promise((late) => setTimeout(late, LAST_BEAT))]).then(() => {
				ctx.db.close();
				parent.postMessage({ stopped: true });
			});
		}
	}
);
parent.postMessage({ ready: true });

let busy = false;
let beating: Promise<void> = Promise.resolve();
const timer = setInterval(soon, BEAT);
function soon(): void {
	if (busy || stopping) return;
	busy = true;
	beating = beat().finally(() => (busy = false));
}

/** What went wrong in the last beat, by part: the same trouble beat after beat is said once. */
const troubles = new Map<string, string>();

/** One part of a beat; what it throws is said, and the others go on. */
async function attempt<T>(part: string, work: () => T | Promise<T>): Promise<T | null> {
	try {
		const outcome = await work();
		troubles.delete(part);
		return outcome;
	} catch (e) {
		const words = e instanceof Error ? e.message : String(e);
		if (troubles.get(part) !== words && !stopping)
			logOf('engine').error({ doing: part, ...(isStorage(e) || e instanceof ThreadLost ? {} : { err: e }) }, words);
		troubles.set(part, words);
		return null;
	}
}

/** Heads are sent elsewhere this often at most, ms of the wall. */
const SEND_HEADS = 60 * 60_000;
let sent = -Infinity;

async function keepHead(): Promise<void> {
	const head = heads.keep(ctx.db, ctx.clock.now());
	// The first one after it was said where to goes at once.
	if (!head || !sendsHeads(ctx.db) || performance.now() - sent < SEND_HEADS) return;
	sent = performance.now();
	await sendHead(ctx, head);
}

async function beat(): Promise<void> {
	if (!told)
		await attempt('telling gateways and agents', async () => {
			await configureBroker(ctx);
			await tellAgents(ctx);
			await tellSettings(ctx);
			told = true;
		});
	const taken = await attempt('taking in what is observed', () => engine.observe());
	const minute = await attempt('what is due each minute', () => engine.minute(ctx.clock.now()));
	await attempt('jobs', () => runner.tick());
	if (minute) await attempt('heads of the change log', keepHead);
	if (changedJobs.size) {
		parent.postMessage({ live: 'jobs', jobs: [...changedJobs] });
		changedJobs.clear();
	}
	if (minute || changedPlans || taken) parent.postMessage({ live: 'estate', minute });
	changedPlans = false;
}
