import { logOf } from '../log';
import { AREAS } from '../areas';
import '../house/lists';
import { DAY, MINUTE } from '$lib/core/time/units';
import type { Context } from '../context';
import { unreadable, type Unreadable } from '../db/json';
import { isStorage, passes } from '../db/storage';
import type { Observation } from '../providers';
import type { Chore } from '../manifest';
import { Remedies, sweepFindings } from './findings';
import { Observer } from './observer';

const log = logOf('engine');

/** Checks and findings run this often. */
const SWEEP = 5 * MINUTE;
/** What is dear and moves slowly is done this often. */
const HOURLY = 60 * MINUTE;

/** What runs minute by minute: take in what was observed, let the policies act, run the checks. */
export class Engine {
	observer: Observer;
	/** Parts that failed the last time they ran, with what was wrong and since when. */
	readonly troubles = new Map<string, { words: string; since: number }>();
	private unreadable: Unreadable[] = [];
	private lastLook = -Infinity;
	private readonly chores: readonly Chore[];
	private readonly remedies: Remedies;
	private lastHour = -Infinity;
	private lastMinute: number;
	private lastSweep = 0;
	private lastDeep = 0;

	constructor(readonly ctx: Context) {
		this.observer = new Observer(ctx.db);
		this.chores = AREAS.flatMap((a) => a.chores?.(ctx, () => this.observer) ?? []);
		this.remedies = new Remedies(ctx);
		this.lastMinute = Math.floor(ctx.clock.now() / MINUTE);
	}

	/** Takes in everything that the providers have observed since the last time. Returns how much it was. */
	async observe(): Promise<number> {
		let taken = 0;
		for (;;) {
			const batch = await this.ctx.providers.observations.after(this.observer.seq, 5000);
			if (batch.length === 0) return taken;
			this.take(batch);
			taken += batch.length;
		}
	}

	/**
	 * Takes a batch in. One observation that cannot be taken in is set aside, with what was wrong about it; the rest goes on. When
	 * nothing can be written, nothing has been taken in, and it is tried again.
	 */
	private take(batch: readonly Observation[], numbered = true): void {
		try {
			if (numbered) this.observer.take(batch);
			else this.observer.takeBeside(batch);
		} catch (e) {
			// What it kept in mind is no longer what stands in the database.
			this.observer = new Observer(this.ctx.db, this.observer.keepMinutesFrom);
			if (passes(e)) throw e;
			if (batch.length === 1) {
				this.noteTrouble('taking in what is observed', e);
				if (numbered) this.observer.passOver(batch[0]!);
			} else for (const o of batch) this.take([o], numbered);
		}
	}

	/** Takes in what has been observed and comes beside the numbered ones: nothing of those is taken in before its turn. */
	takeBeside(observations: readonly Observation[]): void {
		this.take(observations, false);
	}

	/** Does what is due at `now`. Minutes that were slept through are not made up for: policies act on what is. */
	async minute(
		now: number,
		options: { sweepEvery: number; forecast: boolean } = { sweepEvery: SWEEP, forecast: true }
	): Promise<boolean> {
		const minute = Math.floor(now / MINUTE);
		if (minute === this.lastMinute) return false;
		this.lastMinute = minute;
		if (now - this.lastHour >= HOURLY) {
			this.lastHour = now;
			await this.chore('hour', now);
		}
		await this.chore('minute', now);
		if (now - this.lastSweep >= options.sweepEvery) {
			this.lastSweep = now;
			const hour = now - this.lastDeep >= HOURLY;
			if (hour) this.lastDeep = now;
			await this.chore('sweep', now);
			if (now - this.lastLook >= DAY) {
				this.lastLook = now;
				await this.part('looking at what is kept', () => {
					this.unreadable = unreadable(this.ctx.db, false);
				});
			}
			await this.part('findings', () =>
				sweepFindings(
					this.ctx,
					now,
					{ forecast: options.forecast, hour, remedies: options.forecast },
					{ troubles: this.troubles, unreadable: this.unreadable },
					this.remedies
				)
			);
		}
		return true;
	}

	/** Nothing more is written: the process ends. */
	stop(): void {
		for (const c of this.chores) c.stop?.();
	}

	private async chore(every: Chore['every'], now: number): Promise<void> {
		for (const c of this.chores) if (c.every === every) await this.part(c.name, () => c.run(now));
	}

	/** Runs a part; what it throws ends the part, is kept until the part runs well again, and is a finding meanwhile. */
	async part(name: string, work: () => unknown): Promise<void> {
		try {
			await work();
			this.troubles.delete(name);
		} catch (e) {
			// A full disk is everybody's trouble, and is told of elsewhere.
			if (isStorage(e)) throw e;
			this.noteTrouble(name, e);
		}
	}

	private noteTrouble(part: string, e: unknown): void {
		const words = e instanceof Error ? e.message : String(e);
		const known = this.troubles.get(part);
		if (known?.words !== words) log.error({ doing: part, err: e }, 'a part of the engine failed');
		this.troubles.set(part, { words, since: known?.since ?? this.ctx.clock.now() });
	}
}
