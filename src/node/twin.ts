import { Worker } from 'node:worker_threads';
import type { Estate } from '$lib/core/estate/schema';
import type { Aside, Reached, Standing, Told } from '$lib/server/simulator/twin';

type Said = { at: number; reached: Reached[] } | { standing: Standing };
interface Waiting {
	wrong: (e: Error) => void;
	/** Whether it has come; then whoever waits is told. */
	come: () => boolean;
}

/** A lab's twin in a thread of its own. What ends that fails whoever waits for it, now and later. */
export class TwinThread implements Aside {
	private readonly worker: Worker;
	private here: Reached[] = [];
	private upTo = -Infinity;
	/** How much it was told and has not answered. */
	private open = 0;
	private readonly standings: Standing[] = [];
	private waiting: Waiting[] = [];
	private failed: Error | null = null;

	constructor(script: string, estate: Estate, limits: { maxYoungGenerationSizeMb: number }) {
		this.worker = new Worker(script, { workerData: { estate }, resourceLimits: limits });
		this.worker.on('message', (m: Said) => {
			if ('standing' in m) this.standings.push(m.standing);
			else {
				this.open--;
				this.upTo = m.at;
				this.here.push(...m.reached);
			}
			this.waiting = this.waiting.filter((w) => !w.come());
		});
		this.worker.on('error', (e) => this.fail(e as Error));
		this.worker.on('exit', (code) => this.fail(new Error(`the thread of the lab’s twin ended with ${code}`)));
	}

	private fail(e: Error): void {
		this.failed ??= e;
		for (const w of this.waiting.splice(0)) w.wrong(this.failed);
	}

	/** Waits for what `found` gives; null: it is not there yet. */
	private async whenThere<T extends object>(found: () => T | null): Promise<T> {
		const there = found();
		if (there) return there;
		if (this.failed) throw this.failed;
		return new Promise<T>((done, wrong) => {
			const come = () => {
				const there = found();
				if (there) done(there);
				return there !== null;
			};
			this.waiting.push({ wrong, come });
		});
	}

	tell(told: Told): void {
		this.open++;
		this.worker.postMessage(told);
	}

	reached(at: number): Promise<Reached[]> {
		return this.whenThere(() => {
			// It may be told several things of one moment.
			if (this.upTo < at || (this.upTo === at && this.open > 0)) return null;
			const later = this.here.findIndex((o) => o.at > at);
			return this.here.splice(0, later < 0 ? this.here.length : later);
		});
	}

	standing(): Promise<Standing> {
		this.worker.postMessage('standing');
		return this.whenThere(() => this.standings.shift() ?? null);
	}

	async end(): Promise<void> {
		await this.worker.terminate();
	}
}
