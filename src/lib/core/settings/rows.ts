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
