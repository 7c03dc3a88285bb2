/** A link between two sites, with the round trip over it in ms. */
export interface Link {
	a: string;
	b: string;
	latency: number;
}

/** Round trip within a site, and over a stretch that no link is known for, ms. */
const WITHIN = 3;
const UNKNOWN = 120;

/**
 * Round trips between sites in ms: over the direct link, or by way of `home`, through which all others are linked. Of two links
 * between the same sites the first counts, the one that is named from `from` before the other way round.
 */
export function roundTrips(links: readonly Link[], home: string): (from: string, to: string) => number {
	const direct = new Map<string, number>();
	for (const l of links) if (!direct.has(`${l.a} ${l.b}`)) direct.set(`${l.a} ${l.b}`, l.latency);
	const over = (a: string, b: string) =>
		a === b ? WITHIN : (direct.get(`${a} ${b}`) ?? direct.get(`${b} ${a}`) ?? null);
	return (from, to) => over(from, to) ?? (over(from, home) ?? UNKNOWN) + (over(home, to) ?? UNKNOWN);
}
