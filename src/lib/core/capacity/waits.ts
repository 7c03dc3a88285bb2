/** Somebody who waited for a machine. */
export interface Wait {
	/** Ms UTC when it began. */
	at: number;
	/** Ms. */
	waited: number;
	login: string;
	name: string;
	/** Whether they left without a machine. */
	gaveUp: boolean;
}

/** Waits that began in the same step. */
export interface WaitMark {
	at: number;
	times: number;
	people: number;
	longest: number;
	/** Who, where it was one person. */
	name: string | null;
}

/** What a day's waits come to: people, times and give-ups apart, the longest (ms), those that began first, and where they lie in the day. */
export interface WaitSummary {
	people: number;
	times: number;
	gaveUp: number;
	longest: number;
	first: Wait[];
	marks: WaitMark[];
}

/**
 * Sums up waits in the order in which they began: however many there were, no more than `most` are named, and no more than one mark stands
 * for each step (ms) from `from` on.
 */
export function sumOfWaits(waits: readonly Wait[], from: number, step: number, most = 6): WaitSummary {
	const steps = new Map<number, Wait[]>();
	let longest = 0;
	for (const w of waits) {
		longest = Math.max(longest, w.waited);
		const at = from + Math.floor((w.at - from) / step) * step;
		const own = steps.get(at);
		if (own) own.push(w);
		else steps.set(at, [w]);
	}
	return {
		people: new Set(waits.map((w) => w.login)).size,
		times: waits.length,
		gaveUp: waits.reduce((n, w) => n + (w.gaveUp ? 1 : 0), 0),
		longest,
		first: waits.slice(0, most),
		marks: [...steps].map(([at, own]) => {
			const people = new Set(own.map((w) => w.login)).size;
			return {
				at,
				times: own.length,
				people,
				longest: own.reduce((n, w) => Math.max(n, w.waited), 0),
				name: people === 1 ? own[0]!.name : null
			};
		})
	};
}
