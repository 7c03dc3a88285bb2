import { Worker } from 'node:worker_threads';

/** What is said of a thread that ended without having been asked to. */
export interface Ended {
	thread: string;
	/** The error as it was thrown, for the log. */
	why: string;
	/** How often it has ended within the last ten minutes. */
	times: number;
}

export interface Kept {
	name: string;
	/** The script, and what it is given: asked anew each time it is started. */
	script: string;
	data(): Record<string, unknown>;
	/** Mebibytes that it may hold: what takes more ends the thread, and not the process. */
	memory?: number;
	/** It says that it is ready. */
	up(worker: Worker): void;
	ended(how: Ended): void;
	message?(m: never): void;
	/** Ms to wait before the first start anew, the second, and so on; the last goes on. */
	waits?: readonly number[];
}

const WAITS = [200, 1000, 5000, 15_000, 60_000] as const;
const LONG_AGO = 10 * 60_000;

/**
 * Keeps a thread running: one that ends without having been asked to is started anew, a little later each time, for as long as the
 * process lives. Never throws.
 */
export class Keeper {
	private worker: Worker | null = null;
	private isUp = false;
	private giveUp: ((why: string) => void) | null = null;
	private stopping = false;
	private readonly ends: number[] = [];

	constructor(private readonly kept: Kept) {}

	/** Starts it. Resolves when it is ready, or has ended for the first time: with what it said of itself then. */
	start(): Promise<{ ready: true } | { ready: false; why: string; refused: string | null }> {
		return new Promise((done) => this.run(done));
	}

	private run(first?: (how: { ready: true } | { ready: false; why: string; refused: string | null }) => void): void {
		const { kept } = this;
		let over = false;
		let refused: string | null = null;
		const end = (why: string) => {
			if (over) return;
			over = true;
			this.worker = null;
			this.isUp = false;
			this.giveUp = null;
			if (this.stopping) return;
			const now = performance.now();
			this.ends.push(now);
			while (now - this.ends[0]! > LONG_AGO) this.ends.shift();
			const waits = kept.waits ?? WAITS;
			kept.ended({ thread: kept.name, why, times: this.ends.length });
			first?.({ ready: false, why, refused });
			if (refused === null)
				setTimeout(() => this.stopping || this.run(), waits[Math.min(this.ends.length, waits.length) - 1]).unref();
		};
		let worker: Worker;
		try {
			worker = new Worker(kept.script, {
				workerData: kept.data(),
				...(kept.memory ? { resourceLimits: { maxOldGenerationSizeMb: kept.memory } } : {})
			});
		} catch (e) {
			return end((e as Error).stack ?? String(e));
		}
		this.worker = worker;
		this.giveUp = (why) => {
			end(why);
			void worker.terminate();
		};
		let ready = false;
		let threw: string | null = null;
		worker.on('error', (e: unknown) => {
			threw ??= e instanceof Error ? (e.stack ?? e.message) : `it threw ${String(e)}`;
			// An error may overtake what a thread has said before it, that it refuses: by its exit, all of that has come.
			if (ready) end(threw);
		});
		worker.on('exit', (code) => end(threw ?? `it ended with ${code}`));
		worker.on('message', (m: { ready?: boolean; refused?: string }) => {
			if (m.refused !== undefined) refused = m.refused;
			else if (m.ready) {
				ready = true;
				this.isUp = true;
				kept.up(worker);
				first?.({ ready: true });
			} else kept.message?.(m as never);
		});
	}

	/** The thread, while it runs. */
	get running(): Worker | null {
		return this.worker;
	}

	/** The thread, once it has said that it is ready. */
	get up(): Worker | null {
		return this.isUp ? this.worker : null;
	}

	/** Ends it at once, whatever it is at: it is started anew as if it had ended by itself. */
	end(why: string): void {
		this.giveUp?.(why);
	}

	/** Tells it to end, and waits until it has, `most` ms at most. */
	async stop(most: number): Promise<void> {
		this.stopping = true;
		const { worker } = this;
		if (!worker) return;
		await new Promise<void>((done) => {
			const timer = setTimeout(done, most);
			worker.on('message', (m: { stopped?: boolean }) => {
				if (!m.stopped) return;
				clearTimeout(timer);
				done();
			});
			worker.postMessage({ stop: true });
		});
	}
}
