import type { Db } from './db';
import type { Vault } from './vault';
import type { Packer } from './packing/packer';
import type { Providers } from './providers';

/** The time that the estate lives in: the wall's, or a lab's. */
export interface Clock {
	/** Ms UTC. */
	now(): number;
	/** Estate milliseconds for each millisecond on the wall; 0 while paused. */
	speed(): number;
	/** Where time moves in steps, and not with the wall: resolves once it has come to a moment, ms UTC. */
	comes?(until: number): Promise<void>;
	/** The moment that is shown as the present: the same for all who ask within two seconds of the wall, or until `next`. */
	shown?(): number;
	/** Something has changed that people wait for: the present is shown as of now. */
	next?(): void;
	/** Working out an answer about the present has taken so many ms of the wall. */
	spent?(ms: number): void;
	/** How often it has been told so: of two answers for one moment, which comes after what. */
	turn?(): number;
}

/**
 * A clock whose present moves on every two seconds of the wall, and whenever somebody waits for it. Where its answers take long it is held longer,
 * so that working them out takes a quarter of the time at most, up to five seconds: no longer than pages wait before they ask again.
 * @param turns where it is counted how often somebody has waited for it: threads that share it move on together
 */
export function shownClock(
	clock: Clock,
	wall: () => number = () => performance.now(),
	turns: Int32Array = new Int32Array(1)
): Required<Clock> {
	let shown = clock.now();
	let since = -Infinity;
	let seen = -1;
	let busy = 0;
	return {
		now: () => clock.now(),
		speed: () => clock.speed(),
		comes: (until) => sleep(clock, until - clock.now()),
		shown: () => {
			const turn = Atomics.load(turns, 0);
			if (turn !== seen || wall() - since >= Math.min(SHOWN_AT_MOST, Math.max(SHOWN_FOR, 4 * busy))) {
				shown = clock.now();
				since = wall();
				seen = turn;
				busy = 0;
			}
			return shown;
		},
		next: () => void Atomics.add(turns, 0, 1),
		spent: (ms) => {
			busy += ms;
		},
		turn: () => Atomics.load(turns, 0)
	};
}

/** Ms of the wall. */
const SHOWN_FOR = 2000;
const SHOWN_AT_MOST = 5000;

/** What server code is given to work with. */
export interface Context {
	db: Db;
	providers: Providers;
	clock: Clock;
	/** Seals and opens what providers must not read from the database. */
	vault: Vault;
	/** Does the long work on captures and packages. */
	packer: Packer;
	/** Where what people reached is told a little late: takes all of it in until now, for whoever is about to read it. */
	catchUp?: () => Promise<void>;
}

/** A clock that another thread keeps in shared memory: [now, speed]. */
export function sharedClock(memory: SharedArrayBuffer): Clock & { set(now: number, speed: number): void } {
	const cells = new Float64Array(memory);
	return {
		now: () => Math.round(cells[0]!),
		speed: () => cells[1]!,
		set: (now, speed) => {
			cells[0] = now;
			cells[1] = speed;
		}
	};
}

/** Waits until the estate's clock has come `ms` further, however fast it runs; for ever while it is paused. */
export async function sleep(clock: Clock, ms: number): Promise<void> {
	const until = clock.now() + ms;
	if (clock.comes) return clock.comes(until);
	while (clock.now() < until) {
		const speed = clock.speed();
		const wall = speed > 0 ? (until - clock.now()) / speed : 200;
		await new Promise((resolve) => setTimeout(resolve, Math.min(200, Math.max(5, wall))));
	}
}
