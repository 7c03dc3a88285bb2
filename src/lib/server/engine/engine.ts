import { MINUTE } from '$lib/core/time/units';
import type { Context } from '../context';
import { sweepChecks, sweepFindings } from '../diagnosis/watchman';
import { Observer } from './observer';
import { powerMinute } from './power';

/** Checks and findings run this often. */
const SWEEP = 5 * MINUTE;
/** Sign-ins by version are compared this often. */
const DEEP = 60 * MINUTE;

/** What runs minute by minute: take in what was observed, let the policies act, run the checks. */
export class Engine {
	readonly observer: Observer;
	private lastMinute: number;
	private lastSweep = 0;
	private lastDeep = 0;

	constructor(readonly ctx: Context) {
		this.observer = new Observer(ctx.db);
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
		this.ctx.db.transaction(() => powerMinute(this.ctx, this.observer, now))();
		if (now - this.lastSweep >= options.sweepEvery) {
			this.lastSweep = now;
			const signIns = now - this.lastDeep >= DEEP;
			if (signIns) this.lastDeep = now;
			await sweepChecks(this.ctx, [...this.observer.machines.values()], now);
			await sweepFindings(this.ctx, now, { forecast: options.forecast, signIns });
		}
		return true;
	}
}
