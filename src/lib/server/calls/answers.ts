import * as v from 'valibot';
import { PROBLEMS, type ProblemCode } from '$lib/core/why/problems';
import { bytes, cents, fact, moment, offer, share, span, text, whole } from '../lists/columns';

/** A value with the facts that led to it. */
export const explained = <S extends v.GenericSchema>(value: S) => v.strictObject({ value, facts: v.array(fact) });

/** What stands between somebody and what they would open. */
export const lack = v.variant('kind', [
	v.strictObject({ kind: v.picklist(['grant', 'managed', 'device', 'factor', 'network', 'ended', 'off', 'hidden']) }),
	v.strictObject({ kind: v.literal('from'), day: text }),
	v.strictObject({ kind: v.literal('begins'), at: moment, zone: text }),
	v.strictObject({
		kind: v.literal('hours'),
		hours: v.strictObject({ days: v.array(whole), from: whole, until: whole })
	}),
	v.strictObject({ kind: v.literal('starters'), words: v.nullable(text) })
]);

/** Rows of something that has no scope. */
export const rowsOf = <S extends v.GenericSchema>(row: S) => v.strictObject({ rows: v.array(row) });

/** The middle, and what nine in ten stay under, in ms. */
export const range = v.strictObject({ middle: span, ninety: span });

const touched = v.strictObject({
	kind: text,
	id: text,
	name: v.optional(text),
	how: v.optional(text),
	helped: v.optional(v.boolean())
});

const effects = v.strictObject({
	people: v.array(touched),
	sessionsEnded: v.array(touched),
	endpoints: v.optional(v.array(touched)),
	machines: v.array(touched),
	bytes,
	duration: range,
	cost: v.nullable(v.strictObject({ before: cents, after: cents }))
});

const planned = v.strictObject({ kind: text, input: v.unknown() });

/** What a plan waits for that another has to consent to. */
export const asked = v.strictObject({
	id: whole,
	by: text,
	at: moment,
	notBefore: v.nullable(moment),
	why: v.array(fact)
});

/** A plan: what it would do, before it does it. */
export const plan = v.strictObject({
	id: whole,
	kind: text,
	input: v.unknown(),
	title: text,
	effects,
	warnings: v.array(fact),
	blocks: v.array(fact),
	reasons: v.array(fact),
	objects: v.array(text),
	steps: v.array(v.strictObject({ kind: text, words: text, input: v.unknown(), expected: span })),
	undo: v.nullable(planned),
	undoWords: text,
	state: v.picklist(['draft', 'committed', 'discarded']),
	refused: v.nullable(v.array(fact)),
	by: text,
	via: text,
	at: moment,
	jobId: v.nullable(whole),
	asked: v.nullable(asked)
});

/** What a plan would do, kept nowhere: asked for as one types, so it is in short what the plan itself lists in full. */
export const foreseen = v.strictObject({
	title: text,
	effects: v.array(text),
	people: v.strictObject({ count: whole, first: v.array(text) }),
	warnings: v.array(fact),
	blocks: v.array(fact),
	reasons: v.array(fact),
	undoWords: text
});

/** A job as lists have it. */
export const jobEntries = {
	id: whole,
	planId: whole,
	kind: text,
	title: text,
	state: v.picklist(['waiting', 'queued', 'running', 'done', 'failed', 'cancelled']),
	by: text,
	madeAt: moment,
	notBefore: moment,
	began: v.nullable(moment),
	ended: v.nullable(moment),
	expected: span,
	progress: share,
	expectedEnd: v.nullable(moment),
	result: v.record(text, v.unknown()),
	error: v.nullable(text),
	problem: v.nullable(v.picklist(Object.keys(PROBLEMS) as [ProblemCode, ...ProblemCode[]])),
	cancelling: v.boolean()
};

/** A job with its steps and log. */
export const job = v.strictObject({
	...jobEntries,
	facts: v.array(fact),
	steps: v.array(
		v.strictObject({
			n: whole,
			kind: text,
			words: text,
			state: v.picklist(['queued', 'running', 'done', 'failed', 'skipped']),
			expected: span,
			began: v.nullable(moment),
			ended: v.nullable(moment),
			error: v.nullable(text),
			items: v.strictObject({ done: whole, failed: whole })
		})
	),
	failed: v.array(v.strictObject({ item: text, error: text })),
	log: v.array(v.strictObject({ id: whole, n: whole, at: moment, line: text }))
});

const line = v.strictObject({ words: text, card: v.optional(text), href: v.optional(text), note: v.optional(text) });
const phase = v.strictObject({
	name: text,
	ms: span,
	cause: v.optional(text),
	parts: v.optional(
		v.array(
			v.strictObject({
				name: text,
				ms: span,
				/** The settings group that it is of. */
				group: v.optional(text),
				parts: v.optional(v.array(v.strictObject({ name: text, ms: span })))
			})
		)
	)
});

const section = v.variant('kind', [
	v.strictObject({
		kind: v.literal('takes'),
		title: text,
		sub: text,
		groups: v.array(
			v.strictObject({
				machines: whole,
				words: text,
				pill: text,
				tone: text,
				will: v.boolean(),
				first: v.array(text)
			})
		)
	}),
	v.strictObject({ kind: v.literal('phases'), phases: v.array(phase), usual: v.record(text, span), total: span }),
	v.strictObject({
		kind: v.literal('checks'),
		title: text,
		sub: text,
		checks: v.array(v.strictObject({ asks: text, ok: v.nullable(v.boolean()), saw: text, since: v.nullable(moment) }))
	}),
	v.strictObject({
		kind: v.literal('samples'),
		step: span,
		from: moment,
		to: moment,
		points: v.array(
			v.strictObject({
				at: moment,
				cores: share,
				memory: share,
				diskMs: span,
				gpu: v.nullable(share),
				inputMs: span,
				rttMs: span,
				sessions: v.number(),
				strain: v.number()
			})
		)
	}),
	v.strictObject({ kind: v.literal('lines'), title: text, lines: v.array(line) }),
	v.strictObject({ kind: v.literal('screen'), title: text, sub: text, href: text, alt: text }),
	v.strictObject({
		kind: v.literal('connections'),
		connections: v.array(
			v.strictObject({
				id: whole,
				person: text,
				login: text,
				publication: text,
				gateway: text,
				protocol: text,
				address: text,
				endpoint: v.nullable(whole),
				endpointName: v.nullable(text),
				began: moment,
				ended: moment,
				result: v.picklist(['open', 'refused', 'lost', 'gave up']),
				machine: v.nullable(text),
				site: text,
				team: text,
				pool: v.nullable(text),
				session: v.nullable(whole),
				waited: span,
				took: span,
				phases: v.array(phase),
				cause: v.array(fact)
			})
		)
	}),
	v.strictObject({
		kind: v.literal('compared'),
		with: text,
		changes: v.array(v.strictObject({ name: text, before: v.nullable(text), after: v.nullable(text), bytes })),
		send: v.optional(text)
	}),
	v.strictObject({
		kind: v.literal('contents'),
		contents: v.array(v.strictObject({ name: text, version: text, size: bytes }))
	})
]);

/** All that is known of one thing: what every card says, and sections of its own. */
export const card = v.strictObject({
	at: moment,
	kind: text,
	id: text,
	title: text,
	sub: text,
	rows: v.array(v.strictObject({ name: text, value: text, card: v.optional(text), scope: v.optional(text) })),
	links: v.optional(v.array(v.strictObject({ words: text, href: text }))),
	lead: v.optional(v.array(section)),
	facts: v.array(fact),
	actions: v.array(
		v.strictObject({
			words: text,
			kind: text,
			input: v.unknown(),
			ask: v.optional(v.strictObject({ field: text, words: text })),
			main: v.optional(v.boolean())
		})
	),
	sections: v.array(section)
});

/** Why a request was not met (RFC 9457). */
export const problem = v.strictObject({
	type: text,
	title: text,
	status: whole,
	detail: text,
	/** What is safe, and what to do. */
	safe: text,
	advice: text,
	errors: v.optional(v.array(v.strictObject({ field: text, words: text }))),
	reasons: v.optional(v.array(fact))
});

/** Schemas that several answers share, by their names in the description. */
export const NAMED = { Fact: fact, Offer: offer, Effects: effects, Plan: plan, Job: job, Card: card, Problem: problem };
