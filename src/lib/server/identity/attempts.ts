import { LRUCache } from 'lru-cache';
import { MINUTE, SECOND } from '$lib/core/time/units';
import type { Db } from '../db';

export interface TooMany {
	outcome: 'too many';
	waitMinutes: number;
}

/** Where a guess comes from. */
export interface Guess {
	/** What is guessed at: `owner`, `my/ada`, `factor/operator/1`. */
	account: string;
	/** Address of who guesses; null where who it is is known already. */
	address: string | null;
	/** The device that has signed in to this account before, if it is one. */
	device?: string | null;
}

/** How many wrong answers are free, and the longest wait after them, which doubles with each, ms. */
interface Allowance {
	free: number;
	most: number;
}
const ALLOWANCES = {
	/** One account from one address. */
	own: { free: 8, most: 15 * MINUTE },
	/** One account from anywhere: a short wait, so that nobody can keep somebody else out. */
	account: { free: 24, most: MINUTE },
	address: { free: 60, most: 15 * MINUTE },
	all: { free: 400, most: 5 * SECOND },
	/** A device that has signed in before waits for its own mistakes alone. */
	device: { free: 8, most: 15 * MINUTE }
} satisfies Record<string, Allowance>;
type Kind = keyof typeof ALLOWANCES;

/** Wrong answers are forgotten after so long without another. */
const FORGOTTEN = 15 * MINUTE;

interface Count {
	n: number;
	/** No guess is taken before, on the monotonic clock. */
	until: number;
	last: number;
}

/**
 * Holds guessing up. A guess is counted before it is checked, so that many at once are as many one after the other; the clock is one that
 * nobody can set back, and a server that starts anew begins anew.
 */
export class Throttle {
	private readonly counts = new LRUCache<string, Count>({ max: 100_000 });

	constructor(private readonly clock: () => number = () => performance.now()) {}

	/** Counts a guess. Refused, with the wait, or taken: then `right` says that it was none. */
	begin(guess: Guess): TooMany | { right(): void } {
		const now = this.clock();
		const keys: [Kind, string][] = guess.device
			? [['device', `${guess.account} ${guess.device}`]]
			: guess.address === null
				? [['own', guess.account]]
				: [
						['own', `${guess.account} ${guess.address}`],
						['account', guess.account],
						['address', guess.address],
						['all', '']
					];
		const counted = keys.map(([kind, of]) => ({ kind, count: this.countOf(`${kind} ${of}`, now) }));
		const wait = Math.max(...counted.map((c) => c.count.until - now));
		if (wait > 0) return { outcome: 'too many', waitMinutes: Math.max(1, Math.ceil(wait / MINUTE)) };
		for (const { kind, count } of counted) {
			const { free, most }: Allowance = ALLOWANCES[kind];
			count.n++;
			count.last = now;
			count.until = count.n < free ? 0 : now + Math.min(most, SECOND * 2 ** Math.min(30, count.n - free));
		}
		return {
			right: () => {
				for (const { kind, count } of counted) {
					// What is shared with others is only given back what this one took.
					count.n = kind === 'own' || kind === 'device' ? 0 : Math.max(0, count.n - 1);
					if (count.n < ALLOWANCES[kind].free) count.until = 0;
				}
			}
		};
	}

	private countOf(key: string, now: number): Count {
		const known = this.counts.get(key);
		if (known && now - known.last < FORGOTTEN + Math.max(0, known.until - known.last)) return known;
		const fresh = { n: 0, until: 0, last: now };
		this.counts.set(key, fresh);
		return fresh;
	}
}

const throttles = new WeakMap<Db, Throttle>();

/** The throttle of a database. */
export function throttleOf(db: Db): Throttle {
	let throttle = throttles.get(db);
	if (!throttle) throttles.set(db, (throttle = new Throttle()));
	return throttle;
}

/** How often something may be done: `most` times within `span` ms of the monotonic clock, for each key. */
export class Rate {
	private readonly times = new LRUCache<string, number[]>({ max: 50_000 });

	constructor(
		private readonly most: number,
		private readonly span: number,
		private readonly clock: () => number = () => performance.now()
	) {}

	/** Takes one; false when there is none left. */
	take(key: string): boolean {
		const now = this.clock();
		const times = (this.times.get(key) ?? []).filter((t) => now - t < this.span);
		if (times.length >= this.most) return false;
		times.push(now);
		this.times.set(key, times);
		return true;
	}
}
