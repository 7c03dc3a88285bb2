import { parseClock } from '../time/hours';
import { DAY, durationWords, MINUTE, sizeWords } from '../time/units';
import { momentOf, wallTime } from '../time/zone';
import { missingChunks, unionOf, type ChunkIds } from './delta';

/** A connection between two sites, in both directions. */
export interface ShipLink {
	a: string;
	b: string;
	/** Mbit/s. */
	mbit: number;
	/** Share of what is sent that is lost and has to be sent again, 0 to under 1. */
	loss: number;
}

/** When a link may be used for shipping: every night from a time to a time, in the zone of the site that receives. */
export interface NightWindow {
	/** Minutes of the local day; an end before the beginning lies on the next day. Both the same: all day. */
	from: number;
	until: number;
	zone: string;
}

/** `01:00` and `05:00` as a window, or what is wrong with them. */
export function readWindow(
	from: string,
	until: string,
	zone: string
): NightWindow | { field: 'from' | 'until'; words: string } {
	const [f, u] = [parseClock(from), parseClock(until)];
	if (f === null) return { field: 'from', words: 'Write a time of day such as 01:00.' };
	if (u === null) return { field: 'until', words: 'Write a time of day such as 05:00.' };
	return { from: f % 1440, until: u % 1440, zone };
}

/** The times (ms UTC) within [from, until) at which a window is open, in order. A time that the clock skips is taken as `momentOf` takes it. */
export function openings(w: NightWindow, from: number, until: number): [number, number][] {
	if (w.from === w.until) return from < until ? [[from, until]] : [];
	const open: [number, number][] = [];
	for (let day = wallTime(w.zone, from).day - 1; ; day++) {
		const begins = momentOf(w.zone, day, w.from);
		if (begins >= until) return open;
		const ends = momentOf(w.zone, w.until > w.from ? day : day + 1, w.until);
		if (ends > from && ends > begins) open.push([Math.max(from, begins), Math.min(until, ends)]);
	}
}

/** Nights within `days` from a moment on whose beginning or end the clock skips: the local day, and what the clock shows instead. */
export function skippedNights(
	w: NightWindow,
	from: number,
	days: number
): { day: string; asked: string; instead: string }[] {
	const nights: { day: string; asked: string; instead: string }[] = [];
	const first = wallTime(w.zone, from).day;
	const clock = (minute: number) =>
		`${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;
	for (let day = first; day < first + days; day++)
		for (const minute of new Set([w.from, w.until])) {
			const shown = wallTime(w.zone, momentOf(w.zone, day, minute)).minute;
			if (shown !== minute)
				nights.push({
					day: new Date(day * DAY).toISOString().slice(0, 10),
					asked: clock(minute),
					instead: clock(shown)
				});
		}
	return nights;
}

/** Bytes a second that shipping gets of a link: what is lost is sent again, on average 1 / (1 − loss) times. */
export const goodput = (link: ShipLink, share: number): number => ((link.mbit * 1e6) / 8) * share * (1 - link.loss);

export interface ShipSite {
	site: string;
	/** Chunks that its store holds already, whatever version brought them. */
	holds: ChunkIds;
	window: NightWindow;
	/** Share of the link into it that shipping may use, over 0 to 1. */
	share: number;
}

export interface ShipRequest {
	origin: string;
	/** The sites that are to have the version; every site on the way has to be named in `sites` too. */
	to: readonly string[];
	sites: ReadonlyMap<string, ShipSite>;
	links: readonly ShipLink[];
	/** Chunks of the version. */
	wanted: ChunkIds;
	/** Bytes of a chunk as it goes over a link. */
	packed: (chunk: number) => number;
	from: number;
	/** Nothing is looked at after this. */
	horizon: number;
}

/** What goes over one link, and when the site at its end has all of it. */
export interface ShipLeg {
	from: string;
	to: string;
	link: ShipLink;
	chunks: ChunkIds;
	bytes: number;
	/** Bytes a second while the window is open. */
	rate: number;
	/** When the last chunk has arrived, ms UTC, or null when that is not before the horizon. */
	done: number | null;
	/** Bytes that have arrived at the horizon. */
	arrived: number;
}

export interface ShipPlan {
	legs: ShipLeg[];
	/** Sites that no link leads to. */
	unreachable: string[];
}

/**
 * The way of a version to several sites. Links form a tree from the origin along the fastest ways (Dijkstra 1959, by
 * seconds a byte); a site on the way keeps what passes through it, so that a link that several sites share carries each
 * chunk once. A chunk goes on as soon as it is there: each leg sends first what the site before it has had longest.
 */
export function planShipping(r: ShipRequest): ShipPlan {
	const before = fastestTree(r);
	const unreachable = r.to.filter((s) => s !== r.origin && !before.has(s));
	const children = new Map<string, string[]>();
	const onTheWay = new Set<string>();
	for (const site of r.to)
		for (let at = site; before.has(at) && !onTheWay.has(at); at = before.get(at)!.site) {
			onTheWay.add(at);
			const from = before.get(at)!.site;
			const list = children.get(from);
			if (list) list.push(at);
			else children.set(from, [at]);
		}
	// What has to come to each site: what it lacks itself, where it is to have the version, and what those behind it lack.
	const needs = new Map<string, ChunkIds>();
	const needOf = (site: string): ChunkIds => {
		const behind = (children.get(site) ?? []).map(needOf);
		const own = r.to.includes(site) ? [r.wanted] : [];
		const all = missingChunks(unionOf([...own, ...behind]), r.sites.get(site)!.holds);
		needs.set(site, all);
		return all;
	};
	for (const child of children.get(r.origin) ?? []) needOf(child);

	const legs: ShipLeg[] = [];
	const send = (from: string, arrivals: Map<number, number> | null) => {
		for (const to of children.get(from) ?? []) {
			const site = r.sites.get(to)!;
			const { link } = before.get(to)!;
			const rate = goodput(link, site.share);
			const chunks = needs.get(to)!;
			const there = (chunk: number) => arrivals?.get(chunk) ?? r.from;
			const order = [...chunks].sort((a, b) => there(a) - there(b) || a - b);
			const windows = openings(site.window, r.from, r.horizon);
			const mine = new Map<number, number>();
			let w = 0;
			let at = r.from;
			let done: number | null = r.from;
			let arrived = 0;
			for (const chunk of order) {
				at = Math.max(at, there(chunk));
				let left = r.packed(chunk);
				while (left > 0 && w < windows.length) {
					const [opens, closes] = windows[w]!;
					if (at >= closes) {
						w++;
						continue;
					}
					at = Math.max(at, opens);
					const fits = ((closes - at) / 1000) * rate;
					if (fits >= left) {
						at += (left / rate) * 1000;
						arrived += left;
						left = 0;
					} else {
						arrived += fits;
						left -= fits;
						at = closes;
						w++;
					}
				}
				if (left > 0 || !(rate > 0)) {
					done = null;
					break;
				}
				mine.set(chunk, at);
				done = at;
			}
			const bytes = chunks.reduce((n, c) => n + r.packed(c), 0);
			legs.push({
				from,
				to,
				link,
				chunks,
				bytes,
				rate,
				done: done === null ? null : Math.ceil(done),
				arrived: Math.round(arrived)
			});
			// What did not arrive goes no further.
			const later = new Map([...chunks].map((c) => [c, mine.get(c) ?? Number.POSITIVE_INFINITY]));
			send(to, later);
		}
	};
	send(r.origin, null);
	return { legs, unreachable };
}

/** The link into each site, and the site before it, on the fastest way from the origin. */
function fastestTree(r: ShipRequest): Map<string, { site: string; link: ShipLink }> {
	const cost = new Map([[r.origin, 0]]);
	const before = new Map<string, { site: string; link: ShipLink }>();
	const open = new Set([r.origin]);
	while (open.size) {
		let best = '';
		for (const s of open) if (best === '' || cost.get(s)! < cost.get(best)!) best = s;
		open.delete(best);
		for (const link of r.links) {
			const to = link.a === best ? link.b : link.b === best ? link.a : null;
			const site = to === null ? undefined : r.sites.get(to);
			if (to === null || !site) continue;
			const rate = goodput(link, site.share);
			if (!(rate > 0)) continue;
			const c = cost.get(best)! + 1 / rate;
			if (c < (cost.get(to) ?? Infinity)) {
				cost.set(to, c);
				before.set(to, { site: best, link });
				open.add(to);
			}
		}
	}
	return before;
}

/** What would make a version fit that does not: each in words, the easiest first. */
export function waysToFit(
	leg: ShipLeg,
	share: number,
	window: NightWindow,
	nights: number,
	parts: readonly { name: string; bytes: number }[]
): string[] {
	// As it is written: a night in which clocks are changed is an hour shorter or longer, and the window is called the same.
	const night = ((((window.until - window.from) % 1440) + 1440) % 1440 || 1440) * MINUTE;
	const perNight = (night / 1000) * leg.rate;
	const ways: string[] = [];
	const over = leg.bytes - leg.arrived;
	// What does not fit into so many nights needs more, however much of the first one is over.
	if (perNight > 0) ways.push(`${Math.max(nights + 1, Math.ceil(leg.bytes / perNight))} nights instead of ${nights}`);
	const wider = (share * leg.bytes) / Math.max(1, leg.arrived);
	if (wider <= 1 && leg.arrived > 0)
		ways.push(`${Math.ceil(wider * 100)} % of the link instead of ${Math.round(share * 100)} %`);
	const part = [...parts].filter((p) => p.bytes >= over).sort((a, b) => a.bytes - b.bytes)[0];
	if (part) ways.push(`leaving ${part.name} out, ${sizeWords(part.bytes)}`);
	if (perNight > 0 && window.from !== window.until) {
		const hours = (leg.bytes / nights / leg.rate) * 1000;
		if (hours < DAY)
			ways.push(
				`a window of ${durationWords(Math.ceil(hours / (15 * MINUTE)) * 15 * MINUTE)} instead of ${durationWords(night)}`
			);
	}
	return ways;
}
