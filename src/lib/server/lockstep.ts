import { FOREVER } from '$lib/core/time/units';
import type { Clock, Context } from './context';
import type { Db } from './db';
import { Engine } from './engine/engine';
import { JobRunner } from './engine/runner';
import type { Packer } from './packing/packer';
import type { Lab } from './simulator/lab';
import { LabServer } from './simulator/server';
import { Twinned, type Aside } from './simulator/twin';
import type { Vault } from './vault';

/** What a lab's packages lie in, as its agents read them. */
type ReadPackage = NonNullable<ConstructorParameters<typeof LabServer>[2]>;

/**
 * A lab, the engine and the jobs in one thread, moved on together as fast as they can. The clock stops wherever somebody waits for
 * something: at the answer of a provider, and at the end of a pause. What files are written or read for takes no time of the estate.
 * The same estate and the same acts give the same history, to the row, whether a twin works out what people reach or the lab itself.
 */
export class Lockstep {
	readonly server: LabServer;
	readonly ctx: Context;
	engine!: Engine;
	runner!: JobRunner;
	private readonly pauses: { until: number; over: () => void }[] = [];
	/** Calls that have gone out to files, or to the twin, and have not come back. */
	private out = 0;
	private readonly twinned: Twinned | null;

	constructor(
		readonly lab: Lab,
		parts: { db: Db; vault: Vault; packer: Packer },
		readPackage?: ReadPackage,
		aside?: Aside
	) {
		const twinned = (this.twinned = aside ? new Twinned(lab, aside) : null);
		this.server = new LabServer(lab, (command) => twinned?.tell(command), readPackage && this.counted(readPackage));
		const clock: Clock = {
			now: () => lab.now,
			speed: () => Infinity,
			comes: (until) =>
				until <= lab.now ? Promise.resolve() : new Promise<void>((over) => this.pauses.push({ until, over }))
		};
		const { captures, packages } = parts.packer;
		const packer = { captures: this.all(captures), packages: this.all(packages) };
		this.ctx = { ...parts, packer, clock, providers: this.server.providers };
		if (twinned) this.ctx.catchUp = this.counted(async () => this.engine.takeBeside(await twinned.untilNow()));
		this.restart();
	}

	/** Ends engine and jobs where they are, as a process that dies does, and begins both anew over what stands in the database. */
	restart(): void {
		this.engine?.stop();
		this.runner?.stop();
		this.engine = new Engine(this.ctx);
		this.runner = new JobRunner(
			this.ctx,
			() => {},
			async () => {}
		);
	}

	/** Lets the estate live until `to`, looking around at least every `step` ms. `minute`: as the engine takes it. */
	async live(to: number, step: number, minute?: Parameters<Engine['minute']>[1]): Promise<void> {
		while (this.lab.now < to) {
			const pause = this.pauses.reduce((soonest, p) => Math.min(soonest, p.until), FOREVER);
			const grid = (Math.floor(this.lab.now / step) + 1) * step;
			this.server.advanceToAnswer(Math.min(to, grid, pause));
			// Before anything goes on that has waited: what it reads is there.
			await this.twinned?.take(this.engine.observer.seq);
			this.server.answer();
			for (const over of this.pauses.filter((p) => p.until <= this.lab.now)) {
				this.pauses.splice(this.pauses.indexOf(over), 1);
				over.over();
			}
			await this.engine.observe();
			await this.engine.minute(this.lab.now, minute);
			await this.work();
		}
	}

	/** Takes in all that has been observed until now. */
	async observe(): Promise<void> {
		await this.twinned?.take(this.engine.observer.seq, this.lab.now);
		await this.engine.observe();
	}

	/** The lab goes on by itself, and knows what its twin knows: doors answer for a day's shares from then on. */
	async leaveTwin(): Promise<void> {
		await this.twinned?.leave();
	}

	/** Lets jobs do all that they can do before the clock moves on. */
	async work(): Promise<void> {
		this.runner.tick();
		// Whatever waits for nothing but others here is through before the loop turns.
		do await new Promise((resolve) => setImmediate(resolve));
		while (this.out > 0);
	}

	private counted<A extends unknown[], R>(call: (...args: A) => Promise<R>): (...args: A) => Promise<R> {
		return async (...args) => {
			this.out++;
			try {
				return await call(...args);
			} finally {
				this.out--;
			}
		};
	}

	private all<T extends object>(calls: T): T {
		const counted = Object.entries(calls).map(([name, call]) => [
			name,
			this.counted((call as (...args: unknown[]) => Promise<unknown>).bind(calls))
		]);
		return Object.fromEntries(counted) as T;
	}
}
