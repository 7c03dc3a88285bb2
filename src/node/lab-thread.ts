import { logOf } from '$lib/server/log';
import { dirname, join } from 'node:path';
import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { sharedClock } from '$lib/server/context';
import { isStorage } from '$lib/server/db/storage';
import { BlobStore } from '$lib/server/packing/blobs';
import { definitionOf } from '$lib/server/packing/reading';
import { answerCalls } from '$lib/server/providers/remote';
import { sayStrays } from './strays';
import { LabServer } from '$lib/server/simulator/server';
import { LabRefused, LabStore } from '$lib/server/simulator/store';

/** The lab's thread: keeps the clock, lets the simulated world go on, answers provider calls. */

/** Wall ms between steps of the clock, and how often the whole world is kept. */
const STEP = 50;
const SNAPSHOT = 10 * MINUTE;

const {
	path,
	memory,
	speed: wantedSpeed
} = workerData as { path: string; memory: SharedArrayBuffer; speed: number | null };
const parent = parentPort!;
sayStrays('lab');
const store = new LabStore(path);
const { lab, speed: storedSpeed } = load();
const clock = sharedClock(memory);
/** Pace when it runs, and whether it runs. */
let speed = wantedSpeed ?? (storedSpeed || 1);
let paused = wantedSpeed === null && storedSpeed === 0;
const packages = new BlobStore(join(dirname(path), 'packages'));
const server = new LabServer(
	lab,
	(command) => store.record(lab.now, command),
	(manifest) => definitionOf(packages, manifest)
);

function load() {
	try {
		const loaded = store.load();
		if (!loaded) throw new LabRefused('the lab’s store is empty; start with --fresh to make it anew');
		return loaded;
	} catch (e) {
		if (e instanceof LabRefused) parent.postMessage({ refused: e.message });
		throw e;
	}
}

let wall = performance.now();
/** The clock with its fraction: the lab itself counts whole milliseconds. */
let exact = lab.now;
let kept = Date.now();
/** The last trouble that was said; one that comes again step after step is said once. */
let trouble = '';
clock.set(lab.now, paused ? 0 : speed);

function step(): void {
	const now = performance.now();
	const elapsed = Math.min(1000, now - wall);
	wall = now;
	try {
		// Where nothing can be written time stands still: nobody may hear of a moment that would come again otherwise.
		if (trouble !== '') store.mark(lab.now, paused ? 0 : speed);
		if (!paused) goTo((exact += elapsed * speed));
		if (Date.now() - kept > SNAPSHOT) keep();
		trouble = '';
	} catch (e) {
		complain(e);
	}
}

function complain(e: unknown): void {
	const words = e instanceof Error ? e.message : String(e);
	if (words !== trouble) logOf('lab').error(isStorage(e) ? {} : { err: e }, words);
	trouble = words;
	clock.set(lab.now, 0);
}

/** Moves time on: in hops of an hour at most, so that long ways do not hold every call up. */
function goTo(to: number): void {
	const target = Math.min(to, lab.now + HOUR);
	exact = target;
	server.advance(Math.floor(target));
	// Time is written down before anybody hears of it: after a crash the same moments come again alike.
	store.mark(lab.now, paused ? 0 : speed);
	clock.set(lab.now, paused ? 0 : speed);
}

function keep(): void {
	// Not again at once, whatever it comes to: what was stored before, and the journal since, are enough.
	kept = Date.now();
	store.snapshot(lab, paused ? 0 : speed);
}

const timer = setInterval(step, STEP);

const bench = {
	...server.bench,
	clock: async () => ({ now: lab.now, speed, paused }),
	setClock: async (to: { speed?: number; paused?: boolean; step?: number }) => {
		if (to.speed !== undefined) speed = to.speed;
		if (to.paused !== undefined) paused = to.paused;
		if (to.step !== undefined) {
			const target = lab.now + to.step;
			while (lab.now < target) {
				goTo(Math.min(target, lab.now + MINUTE));
				// Others take their turn after each minute, so that policies and jobs act as they would have.
				await new Promise((resolve) => setTimeout(resolve, 4));
			}
		}
		wall = performance.now();
		store.mark(lab.now, paused ? 0 : speed);
		clock.set(lab.now, paused ? 0 : speed);
		return { now: lab.now, speed, paused };
	},
	outbox: async () => lab.world.outbox.slice(-200)
};

parent.on('message', (message: { port?: MessagePort; withBench?: boolean; stop?: boolean; rehearse?: true }) => {
	if (message.port)
		answerCalls(message.port, { ...server.providers, ...(message.withBench ? { bench } : {}) } as never);
	if (message.rehearse) throw new Error('ended for a rehearsal');
	if (message.stop) {
		clearInterval(timer);
		try {
			keep();
		} catch (e) {
			complain(e);
		}
		store.close();
		parent.postMessage({ stopped: true });
	}
});
parent.postMessage({ ready: true });
