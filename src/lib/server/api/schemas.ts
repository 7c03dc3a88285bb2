import * as v from 'valibot';
import { FAULT_KINDS } from '$lib/core/estate/schema';
import { PLAN_KINDS } from '../areas';

/** Bodies of requests, validated at the edge; the API's description is made from the same schemas. */

export const planBody = v.strictObject({
	kind: v.picklist(
		PLAN_KINDS.map((k) => k.kind),
		'There is no such kind of plan.'
	),
	input: v.unknown()
});

const moment = v.pipe(
	v.string(),
	v.check((t) => !Number.isNaN(Date.parse(t)), 'Write a moment such as 2026-11-17T22:00:00+01:00.'),
	v.transform((t) => Date.parse(t))
);
export const commitBody = v.strictObject({ at: v.optional(moment) });

export const clockBody = v.strictObject({
	speed: v.optional(
		v.pipe(v.number('A speed is a number.'), v.minValue(1, 'At least 1.'), v.maxValue(600, 'At most 600.'))
	),
	paused: v.optional(v.boolean()),
	/** Seconds to step on at once. */
	step: v.optional(
		v.pipe(
			v.number('A step is a number of seconds.'),
			v.minValue(1, 'At least a second.'),
			v.maxValue(2 * 86_400, 'At most two days.')
		)
	)
});

export const faultBody = v.strictObject({
	kind: v.picklist(FAULT_KINDS, `A fault is one of ${FAULT_KINDS.join(', ')}.`),
	target: v.pipe(v.string(), v.trim(), v.nonEmpty('Say what fails.')),
	value: v.optional(v.nullable(v.number()), null)
});

export const threadBody = v.strictObject({
	thread: v.picklist(['lab', 'engine', 'packer', 'readers'], 'There are lab, engine, packer and readers.')
});
