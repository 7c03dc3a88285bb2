import { MINUTE } from '$lib/core/time/units';
import type { Context } from '../context';
import { sweepChecks, sweepFindings } from '../diagnosis/watchman';
import { learnWrites } from '../capacity/writes';
import { sweepPlaces } from '../network/checks';
import { Observer } from './observer';
import { Follower } from '../images/follower';
import { learnStores } from '../images/stores';
import { Scheduler } from '../schedules/scheduler';
import { machinesNotToMove, powerMinute } from './power';

/** Checks and findings run this often. */
const SWEEP = 5 * MINUTE;
/** What image stores hold, and what machines have written, is asked this often. */
const STORES = 60 * MINUTE;
/** Sign-ins by version are compared this often. */
const DEEP = 60 * MINUTE;

/** What runs minute by minute: take in what was observed, let the policies act, run the checks. */
export class Engine {
	readonly observer: Observer;
	readonly follower: Follower;
	private readonly scheduler: Scheduler;
	private lastStores = -Infinity;
	private lastMinute: number;
	private lastSweep = 0;
	private lastDeep = 0;

	constructor(readonly ctx: Context) {
		this.observer = new Observer(ctx.db);
		this.follower = new Follower(ctx, this.observer.machines);
		this.scheduler = new Scheduler(ctx);
		this.lastMinute = Math.floor(ctx.clock.now() / MINUTE);
	}

	/** Takes in everything that the providers have observed since the last time. Returns how much it was. */
	async observe(): Promise<number> {
		let taken = 0;
		for (;;) {
			const batch = await this.ctx.providers.observations.after(this.observer.seq, 5000);
			if (batch.length === 0) return taken;
			this.observer.take(batch);
			taken += batch.length;
		}
	}

	/** Does what is due at `now`. Minutes that were slept through are not made up for: policies act on what is. */
	async minute(
		now: number,
		options: { sweepEvery: number; forecast: boolean } = { sweepEvery: SWEEP, forecast: true }
	): Promise<boolean> {
		const minute = Math.floor(now / MINUTE);
		if (minute === this.lastMinute) return false;
		this.lastMinute = minute;
		if (now - this.lastStores >= STORES) {
			this.lastStores = now;
			await learnStores(this.ctx);
			await learnWrites(this.ctx);
		}
		this.ctx.db.transaction(() => powerMinute(this.ctx, this.observer, now)).immediate();
		this.follower.minute(now, machinesNotToMove(this.ctx));
		await this.scheduler.minute(now);
		if (now - this.lastSweep >= options.sweepEvery) {
			this.lastSweep = now;
			const signIns = now - this.lastDeep >= DEEP;
			if (signIns) this.lastDeep = now;
			await sweepPlaces(this.ctx, now);
			await sweepChecks(this.ctx, [...this.observer.machines.values()], now);
			await sweepFindings(this.ctx, now, { forecast: options.forecast, signIns });
		}
		return true;
	}
}
