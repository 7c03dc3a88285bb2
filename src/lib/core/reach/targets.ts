import type { ChannelName, Passage } from './channels';

/**
 * What rules speak of: web sites by name and by category, and private services. Names are compared as DNS does (RFC 4343: without regard to case),
 * in the form that goes over the wire: names of other scripts as A-labels (RFC 5890).
 */

/** A kind of web site. */
export interface Category {
	id: string;
	name: string;
}

/** Something inside that people reach by host and port. */
export interface Service {
	id: string;
	name: string;
	/** Services that belong together, by the name of their group; null: it stands alone. */
	group: string | null;
}

/** Somewhere that people go to. */
export type Destination =
	/** A web site, by the name of its host. */
	| { kind: 'site'; host: string }
	/** A private service; null: something inside that is none. */
	| { kind: 'service'; id: string | null };

/** What somebody wants to reach, or to let pass. */
export type Target =
	| Destination
	/** So many bytes at once between a session and the device in front of somebody; 0 where it has no size, or none yet. */
	| { kind: 'channel'; passage: Passage; bytes: number };

/** What a rule is about. */
export type What =
	| { kind: 'web' }
	/** `tides.example`, that name alone, or `*.tides.example`, every name beneath it and not itself. */
	| { kind: 'site'; name: string }
	| { kind: 'category'; id: string }
	| { kind: 'services' }
	| { kind: 'service'; id: string }
	| { kind: 'group'; id: string }
	/** Whatever passes between a session and a device. */
	| { kind: 'channels' }
	/** One channel, or one way of it; `upTo`: as long as that many bytes pass at once at most, null: however many. */
	| { kind: 'channel'; id: ChannelName; upTo: number | null };

/** The longest name that DNS carries (RFC 1035, 2.3.4), in its written form. */
const LONGEST = 253;
const LABEL = /^[a-z0-9_](?:[a-z0-9_-]{0,61}[a-z0-9_])?$/;

/**
 * A name as rules and the catalogue keep it: small letters, A-labels, no dot at its end. Null where it is none: labels of 1 to 63 letters, digits, hyphens
 * and low lines, 253 signs in all. An address is no name.
 */
export function siteName(written: string): string | null {
	const plain = written.trim().replace(/\.$/, '').toLowerCase();
	if (plain === '' || plain.length > 4 * LONGEST || /[\s/:@?#[\]%]/.test(plain)) return null;
	let host: string;
	try {
		host = new URL(`http://${plain}/`).hostname;
	} catch {
		return null;
	}
	if (host.length > LONGEST || /^[\d.]+$/.test(host)) return null;
	return host.split('.').every((l) => LABEL.test(l)) ? host : null;
}

/** The same for what may begin with `*.`; null where it is neither. */
export function sitePattern(written: string): string | null {
	const text = written.trim();
	const name = siteName(text.startsWith('*.') ? text.slice(2) : text);
	return name === null ? null : text.startsWith('*.') ? `*.${name}` : name;
}

/** The names that a name lies beneath, the nearest first: `b.example` and `example` of `a.b.example`. */
export function* above(name: string): Generator<string> {
	for (let dot = name.indexOf('.'); dot >= 0; dot = name.indexOf('.', dot + 1)) yield name.slice(dot + 1);
}

/** Which names are of which category: a name stands for all beneath it, but for those that are named themselves. */
export class Catalogue {
	/** @param names category id by name, as `siteName` gives it. */
	constructor(readonly names: ReadonlyMap<string, string>) {}

	/** The category of a name; null where none is known. */
	categoryOf(name: string): string | null {
		const own = this.names.get(name);
		if (own !== undefined) return own;
		for (const n of above(name)) {
			const category = this.names.get(n);
			if (category !== undefined) return category;
		}
		return null;
	}
}
