/** Settings as they are shown: in words. */

/** What a group says of a setting, in words. */
export interface SaidRow {
	group: string;
	name: string;
	rank: number;
	/** What it is assigned to. */
	by: string;
	value: string;
}

/** A setting that counts, in words. */
export interface EffectiveRow {
	id: string;
	name: string;
	area: string;
	value: string;
	holds: string;
	/** What it takes at a sign-in, ms. */
	takes: number;
	from: SaidRow | null;
	overrode: SaidRow[];
	clash: SaidRow | null;
	leftOut: (SaidRow & { out: string })[];
}

/** A setting that counts otherwise between two. */
export interface ComparedRow {
	id: string;
	name: string;
	area: string;
	here: string;
	there: string;
	/** The groups that say so; null where none does. */
	hereBy: string | null;
	thereBy: string | null;
}

/**
 * Parts `person/anna@pool/desks` into who and on what; `on` is empty where nothing is said. A login may have an @ of its own.
 */
export function partedAt(of: string): { what: string; on: string } {
	const at = Math.max(of.lastIndexOf('@pool/'), of.lastIndexOf('@machine/'));
	return at < 0 ? { what: of, on: '' } : { what: of.slice(0, at), on: of.slice(at + 1) };
}

/** A moment that is written with its zone, ms UTC; null for any other: without one it would be another on a server elsewhere. */
export function momentWritten(text: string): number | null {
	const at = /^\d{4}-\d\d-\d\dT\d\d:\d\d.{0,12}(?:Z|[+-]\d\d:?\d\d)$/.test(text) ? Date.parse(text) : Number.NaN;
	return Number.isSafeInteger(at) ? at : null;
}
