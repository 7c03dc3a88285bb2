/** Something in the estate that a fact speaks of, and that a page can link to. */
export interface Ref {
	/** The kind as the API spells it, in the singular: `machine`, `pool`, `grant` … */
	kind: string;
	id: string;
	name?: string;
}

/** One thing that helped to decide a value. */
export interface Fact {
	/** A whole clause a person can read, without a full stop. */
	words: string;
	/** Whether it spoke for the outcome, against it, or is merely so. */
	side?: 'for' | 'against';
	about?: Ref;
	/** When it became so or was measured, milliseconds UTC. */
	at?: number;
	/** Where it is known from: a measurement, a setting, the directory … */
	source?: string;
}

/** A value together with the facts that led to it, in the order in which they decided. */
export interface Explained<T> {
	value: T;
	facts: Fact[];
}
