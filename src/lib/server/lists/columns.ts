import * as v from 'valibot';

/** What columns hold. Descriptions stand in the API's description. */

export const text = v.string();
export const whole = v.pipe(v.number(), v.integer());
export const share = v.pipe(v.number(), v.description('A share, 0–1'));
/** Shares of what is asked for may go beyond what there is. */
export const moment = v.pipe(whole, v.description('Ms UTC'));
export const span = v.pipe(v.number(), v.description('Ms'));
export const bytes = v.pipe(v.number(), v.description('Bytes'));
export const cents = v.pipe(v.number(), v.description('Cents'));

/** A fact, as the core gives reasons. */
export const fact = v.strictObject({
	words: text,
	side: v.optional(v.picklist(['for', 'against'])),
	about: v.optional(v.strictObject({ kind: text, id: text, name: v.optional(text) })),
	at: v.optional(moment),
	source: v.optional(text)
});

/** A plan that something offers: its kind, and what it takes. */
export const offer = v.strictObject({
	kind: text,
	input: v.record(text, v.unknown()),
	words: text,
	blocked: v.optional(text)
});
