/** In what something that somebody did can be unlike them. */
export const ASPECTS = ['hour', 'place', 'device', 'amount', 'refusals'] as const;
export type Aspect = (typeof ASPECTS)[number];

/** How often something was so, of how many times. */
export interface Share {
	times: number;
	of: number;
}

/** One aspect of what somebody did in an hour, against what they and their peers did before. */
export interface Compared {
	aspect: Aspect;
	own: Share;
	peers: Share;
}

/** What peers do weighs as much as so many of one's own times. */
const PRIOR = 5;
/** Less than this is in the ordinary: once in sixteen times. */
const COUNTS = 4;
/** Aspects after the first count by so much: a new device is often in a new place. */
const FURTHER = 0.5;

/** What comes to this is out of the ordinary: once in four thousand hours of somebody like them. */
export const UNUSUAL = 12;

/**
 * How surprising it is, in bits: the information of an event of probability p is −log₂ p (Shannon 1948). The probability is the mean of a beta distribution whose
 * prior is what peers do, counted as five times of one's own; that of peers is smoothed by half a time (Jeffreys 1946), so that nothing is impossible.
 */
export function surprise({ own, peers }: Pick<Compared, 'own' | 'peers'>): number {
	const ofPeers = (peers.times + 0.5) / (peers.of + 1);
	const p = (own.times + PRIOR * Math.min(1, ofPeers)) / (own.of + PRIOR);
	return Math.max(0, -Math.log2(Math.min(1, p)));
}

export interface Judged {
	/** Of all aspects together. */
	bits: number;
	/** Those that count, the most surprising first. */
	aspects: { aspect: Aspect; bits: number }[];
}

/** What an hour of somebody's comes to. `bits` is 0 where nothing of it counts. */
export function judge(compared: readonly Compared[]): Judged {
	const aspects = compared
		.map((c) => ({ aspect: c.aspect, bits: surprise(c) }))
		.filter((a) => a.bits >= COUNTS)
		.sort((a, b) => b.bits - a.bits);
	return { bits: aspects.reduce((sum, a, i) => sum + (i === 0 ? 1 : FURTHER) * a.bits, 0), aspects };
}

/** Amounts that are alike: 0 up to a megabyte, then doubled with each. */
export const amountStep = (bytes: number): number => (bytes < 2e6 ? 0 : Math.floor(Math.log2(bytes / 1e6)));

/** Numbers that are alike: 0, 1, 2–3, 4–7, … */
export const countStep = (n: number): number => (n < 1 ? 0 : Math.floor(Math.log2(n)) + 1);

/** “once in about 4,000 hours”, for bits. */
export const oddsOf = (bits: number): number => {
	const odds = 2 ** Math.min(40, bits);
	const scale = 10 ** Math.max(0, Math.floor(Math.log10(odds)) - 1);
	return Math.round(odds / scale) * scale;
};
