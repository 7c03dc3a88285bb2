import * as v from 'valibot';
import { SITE_CHECKS } from '$lib/core/network/site-checks';
import { explained, rowsOf } from '../calls/answers';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { draft, read } from '../calls/need';
import { bytes, cents, moment, text, whole } from '../lists/columns';
import {
	beginJoining,
	checkJoining,
	endJoining,
	JOINING_STEPS,
	joiningOf,
	joiningsAt,
	joiningSchemas,
	saveAnswer
} from './joinings';

const link = v.strictObject({ to: text, mbit: v.number(), latency_ms: v.number(), loss: v.number() });

const joining = v.strictObject({
	id: whole,
	by: text,
	since: moment,
	until: moment,
	outcome: v.nullable(text),
	site: v.nullable(text),
	siteId: v.nullable(text),
	next: v.nullable(v.picklist(JOINING_STEPS)),
	address: v.nullable(text),
	certificate: v.nullable(
		v.strictObject({
			fingerprint: text,
			subject: text,
			issuer: text,
			names: v.array(text),
			from: moment,
			until: moment,
			standing: explained(v.picklist(['trusted', 'to confirm', 'refused'])),
			confirmedBy: v.nullable(text)
		})
	),
	account: v.nullable(
		v.strictObject({
			account: text,
			offer: v.strictObject({
				site: text,
				hosts: v.array(v.strictObject({ name: text, cores: whole, memory: bytes, gpus: whole })),
				volumes: v.array(v.strictObject({ id: text, size: bytes, iops: v.number() })),
				networks: v.array(v.strictObject({ id: text, range: text, first: whole, last: whole, free: whole })),
				gateways: v.optional(
					v.array(
						v.strictObject({
							id: text,
							address: text,
							protocols: v.array(v.strictObject({ name: text, announced: whole, listens: whole }))
						})
					)
				),
				links: v.array(link)
			})
		})
	),
	particulars: v.nullable(
		v.strictObject({
			name: text,
			kind: v.picklist(['office', 'ship', 'rented']),
			timeZone: text,
			networks: v.array(text),
			link: v.nullable(link),
			planned: whole
		})
	),
	directory: v.nullable(v.strictObject({ folder: text, account: text })),
	prices: v.nullable(v.strictObject({ hostHour: cents, volumeMonth: cents }))
});

const ID = { id: whole };

export const joiningEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/joinings',
		summary: 'Sites on their way to being joined up',
		need: read('sites'),
		work: 'here',
		answer: rowsOf(v.strictObject({ id: whole, by: text, since: moment, site: v.nullable(text), words: text })),
		handle: ({ ctx }) => ({ rows: joiningsAt(ctx.db, ctx.clock.now()) })
	}),
	endpoint({
		method: 'POST',
		path: '/joinings',
		summary: 'Begin to join up a site, or to change how one is reached; the site itself is made by a plan',
		need: draft('sites'),
		work: 'here',
		body: v.strictObject({ site: v.optional(v.nullable(v.string()), null) }),
		instead: {},
		status: 201,
		answer: joining,
		location: (j) => `/joinings/${j.id}`,
		handle: ({ ctx, body, caller }) => joiningOf(ctx, beginJoining(ctx, caller!.name, body.site))
	}),
	endpoint({
		method: 'GET',
		path: '/joinings/{id}',
		summary: 'What has been answered so far, and the certificate that was seen; no secrets',
		need: read('sites'),
		work: 'here',
		params: ID,
		answer: joining,
		handle: ({ ctx, params }) => joiningOf(ctx, params.id)
	}),
	endpoint({
		method: 'DELETE',
		path: '/joinings/{id}',
		summary: 'Give it up',
		need: draft('sites'),
		params: ID,
		answer: null,
		handle: ({ ctx, params }) => endJoining(ctx.db, params.id, 'given up', ctx.clock.now())
	}),
	endpoint({
		method: 'POST',
		path: '/joinings/{id}/checks',
		summary: 'Run the checks for a site on its way',
		need: draft('sites'),
		work: 'here',
		params: ID,
		answer: v.strictObject({
			checks: v.array(
				v.strictObject({
					name: v.picklist(SITE_CHECKS),
					ok: v.nullable(v.boolean()),
					saw: text,
					remedy: text
				})
			)
		}),
		handle: async ({ ctx, params }) => ({ checks: await checkJoining(ctx, params.id) })
	}),
	...JOINING_STEPS.map((step) =>
		endpoint({
			method: 'POST',
			path: `/joinings/{id}/${step}`,
			summary: `Save the answer to the question of its ${step}, after trying it out`,
			need: draft('sites'),
			work: 'here',
			params: ID,
			body: v.unknown(),
			bodyAs: joiningSchemas[step],
			instead: null,
			answer: joining,
			handle: ({ ctx, params, body, caller }) => saveAnswer(ctx, params.id, step, body, caller!.name)
		})
	)
];
