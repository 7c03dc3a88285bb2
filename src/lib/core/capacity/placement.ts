import type { Explained } from '../why/explained';

/** A machine that may take one more session. */
export interface Candidate {
	name: string;
	sessions: number;
	/** Most sessions it holds. */
	holds: number;
	/** 0–100, of the last minute. */
	strain: number;
}

/** Fill keeps few machines busy and lets the rest go off; spread gives each person more room. */
export const PLACINGS = ['fill', 'spread'] as const;
export type Placing = (typeof PLACINGS)[number];

/** Strain at which a machine is no longer filled further, while a calmer one is to be had. */
export const TOO_STRAINED = 85;

/** The machine that a new session goes to, or null when none has room. Ties go by name, so that the choice can be repeated. */
export function placeSession(candidates: Candidate[], placing: Placing): Explained<string | null> {
	const open = candidates.filter((c) => c.sessions < c.holds);
	if (open.length === 0) {
		return {
			value: null,
			facts: [
				{
					words: candidates.length ? `all ${candidates.length} machines that are up are full` : 'no machine is up',
					side: 'against'
				}
			]
		};
	}
	const calm = open.filter((c) => c.strain < TOO_STRAINED);
	const pool = calm.length ? calm : open;
	let best = pool[0]!;
	for (const c of pool) {
		const better = placing === 'fill' ? c.sessions > best.sessions : c.sessions < best.sessions;
		if (better || (c.sessions === best.sessions && c.name < best.name)) best = c;
	}
	return {
		value: best.name,
		facts: [
			{ words: `${open.length} of ${candidates.length} machines that are up have room` },
			...(calm.length < open.length ? [{ words: `${open.length - calm.length} of them are too strained` }] : []),
			{
				words: placing === 'fill' ? 'the fullest of them is filled first' : 'the emptiest of them is taken',
				side: 'for' as const
			}
		]
	};
}
