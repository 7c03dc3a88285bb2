import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import { sharedClock } from '$lib/server/context';
import { openDb } from '$lib/server/db';
import { tellAgents } from '$lib/server/engine/agents';
import { configureBroker } from '$lib/server/engine/broker';
import { Engine } from '$lib/server/engine/engine';
import { vaultIn } from '$lib/server/network/vault';
import type { Packer } from '$lib/server/packages/packer';
import { JobRunner } from '$lib/server/jobs/runner';
import type { Providers } from '$lib/server/providers';
import { callThrough } from '$lib/server/providers/remote';

/** The engine's thread: takes in what is observed, lets policies act, runs the checks, carries jobs out. */

const BEAT = 100;

const { path, dataDir, memory, port, packer } = workerData as {
	path: string;
	dataDir: string;
	memory: SharedArrayBuffer;
	port: MessagePort;
	packer: MessagePort;
};
const parent = parentPort!;
const ctx = {
	db: openDb(path),
	providers: callThrough<Providers>(port),
	clock: sharedClock(memory),
	vault: vaultIn(dataDir),
	packer: callThrough<Packer>(packer)
};
const engine = new Engine(ctx);
const changedJobs = new Set<number>();
const runner = new JobRunner(
	ctx,
	(job) => changedJobs.add(job),
	async () => {
		changedPlans = true;
	}
);
let changedPlans = false;
let stopping = false;

await configureBroker(ctx);
await tellAgents(ctx);
parent.postMessage({ ready: true });

let busy = false;
const timer = setInterval(() => {
	if (busy || stopping) return;
	busy = true;
	beat()
		.catch(complain)
		.finally(() => (busy = false));
}, BEAT);

/** The same trouble beat after beat is said once. */
let lastTrouble = '';
function complain(e: unknown): void {
	const words = e instanceof Error ? (e.stack ?? e.message) : String(e);
	if (words !== lastTrouble) console.error('engine:', words);
	lastTrouble = words;
}

async function beat(): Promise<void> {
	const taken = await engine.observe();
	const minute = await engine.minute(ctx.clock.now());
	runner.tick();
	if (changedJobs.size) {
		parent.postMessage({ live: 'jobs', jobs: [...changedJobs] });
		changedJobs.clear();
	}
	if (minute || changedPlans || taken > 0) parent.postMessage({ live: 'estate', minute });
	changedPlans = false;
}

parent.on('message', (message: { wake?: boolean; stop?: boolean }) => {
	if (message.wake && !stopping) runner.tick();
	if (message.stop) {
		stopping = true;
		runner.stop();
		engine.follower.stop();
		clearInterval(timer);
		ctx.db.close();
		parent.postMessage({ stopped: true });
	}
});
