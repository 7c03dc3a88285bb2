import type { Estate } from '$lib/core/estate/schema';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { TOLD_WITHIN, type Observation } from '../providers';
import { Lab } from './lab';
import type { Command, World } from './state';

/** What a twin is told: what was asked of its lab, if anything, when, and after how much had happened. */
export interface Told {
	command: Command | null;
	at: number;
	happened: number;
}

/** What people reached, as it is observed. */
export type Reached = Extract<Observation, { kind: 'activity' }>;

/** What follows from what people reach, as it stands. */
export type Standing = Pick<World, 'flows' | 'shares'>;

/** A twin, somewhere else. */
export interface Aside {
	tell(told: Told): void;
	/** What people reached up to a moment that the twin was told of, once it has come so far; each once. */
	reached(at: number): Promise<Reached[]>;
	/** How it stands after all that was told. */
	standing(): Promise<Standing>;
}

/**
 * Lives what its lab lives, for it is told all that is asked of that, and works out what people reach. Nothing else that happens
 * follows from it, so that the lab, the engine and the jobs need not wait: that is a quarter of all the work of a history.
 */
export class Twin {
	private readonly lab: Lab;

	constructor(estate: Estate) {
		this.lab = new Lab(estate);
	}

	/**
	 * Comes as far as its lab was told, and does the same. Returns what people reached meanwhile.
	 * @throws where it has come to live another life, which is a fault of the lab
	 */
	live({ command, at, happened }: Told): Reached[] {
		const { lab } = this;
		if (lab.happened < happened) lab.advance(at, () => lab.happened === happened);
		// Nothing more was due where time went on.
		if (lab.now < at) lab.advance(at);
		if (lab.happened !== happened || lab.now !== at)
			throw new Error(
				`the lab’s twin is at ${lab.now} after ${lab.happened} happenings, the lab at ${at} after ${happened}`
			);
		if (command)
			try {
				lab.apply(command);
			} catch {
				// It failed in the lab too, and whoever asked was told so there.
			}
		return lab.world.observations.splice(0).filter((o): o is Reached => o.kind === 'activity');
	}

	get standing(): Standing {
		const { flows, shares } = this.lab.world;
		return { flows, shares };
	}
}

/** How far a twin may be behind, ms: a lab that is quicker for a while need not wait. */
const BEHIND = 15 * MINUTE;
/** So long after an hour the last of what was reached in it is told, ms. */
const LAST_TOLD = 3 * MINUTE;

/** How far a twin is to have come at a moment: hours are then summed up as if all had been told at once. */
function least(now: number): number {
	const hour = Math.floor(now / HOUR) * HOUR;
	return Math.max(now - BEHIND, now < hour + TOLD_WITHIN ? 0 : hour + LAST_TOLD);
}

/** A lab of which a twin works out what people reach. */
export class Twinned {
	constructor(
		private readonly lab: Lab,
		private readonly aside: Aside
	) {
		lab.browses = false;
	}

	/** Tells what is asked of the lab now, or that time has gone on. */
	tell(command: Command | null): void {
		this.aside.tell({ command, at: this.lab.now, happened: this.lab.happened });
	}

	/**
	 * Puts what people reached among what the lab has observed, as if it had been observed there.
	 * @param seen the number of the last observation that was taken in
	 * @param to how far the twin is to have come
	 */
	async take(seen: number, to = least(this.lab.now)): Promise<void> {
		const w = this.lab.world;
		this.tell(null);
		const first = w.observations.findIndex((o) => o.seq > seen);
		const fresh = first < 0 ? [] : w.observations.slice(first);
		// Where a machine goes, what was reached from it is taken in before.
		const reached = await this.aside.reached(fresh.some((o) => o.kind === 'unmade') ? w.now : to);
		if (reached.length === 0) return;
		w.nextSeq -= fresh.length;
		w.observations.length -= fresh.length;
		for (const o of [...fresh, ...reached].sort((a, b) => a.at - b.at)) w.observations.push({ ...o, seq: w.nextSeq++ });
	}

	/** What people reached until now and was not taken yet. */
	untilNow(): Promise<Reached[]> {
		this.tell(null);
		return this.aside.reached(this.lab.now);
	}

	/** The lab knows all that its twin does, and goes on by itself. */
	async leave(): Promise<void> {
		this.tell(null);
		Object.assign(this.lab.world, await this.aside.standing());
		this.lab.browses = true;
	}
}
