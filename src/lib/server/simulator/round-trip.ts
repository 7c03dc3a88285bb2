import type { Estate } from '$lib/core/estate/schema';
import { roundTrips } from '$lib/core/network/distance';

const ways = new WeakMap<Estate, (from: string, to: string) => number>();

/** Round trip between two sites of an estate, ms. */
export function roundTrip(estate: Estate, from: string, to: string): number {
	let way = ways.get(estate);
	if (!way) {
		const links = estate.sites.flatMap((s) => s.links.map((l) => ({ a: s.id, b: l.to, latency: l.latency_ms })));
		ways.set(estate, (way = roundTrips(links, estate.home ?? estate.sites[0]!.id)));
	}
	return way(from, to);
}
