import * as v from 'valibot';
import { isProblemCode, PROBLEMS, type ProblemCode } from '$lib/core/why/problems';
import { asked, foreseen, job, plan, rowsOf } from '../calls/answers';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { PLAN_KINDS } from '../areas';
import { failedItems, jobById, logOf, stepsOf } from '../jobs';
import { fact, whole } from '../lists/columns';
import { seenNotices } from '../jobs/notices';
import {
	askedPlan,
	cancelJob,
	commitPlan,
	consentTo,
	declinePlan,
	discardPlan,
	draftPlan,
	draftUndo,
	foreseePlan,
	NotFound,
	openDrafts,
	planById,
	recomputePlan,
	WaitsForConsent
} from '../plans';
import { LISTS } from './lists';

const ID = { id: whole };

/** An error of the catalogue. */
const problemKind = v.strictObject({
	code: v.string(),
	status: whole,
	title: v.string(),
	safe: v.string(),
	advice: v.string()
});

/** What is drafted: a kind, and its own input. */
const planBody = v.strictObject({
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

/** Plans, jobs and changes: how everything is changed, whatever area it is of. */
export const workEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/problems',
		summary: 'Every error that can be met: its status, what happened, what is safe, and what to do',
		need: 'signed in',
		answer: rowsOf(problemKind),
		handle: () => ({ rows: (Object.keys(PROBLEMS) as ProblemCode[]).map((code) => ({ code, ...PROBLEMS[code] })) })
	}),
	endpoint({
		method: 'GET',
		path: '/problems/{code}',
		summary: 'An error that can be met: the type of a problem document leads here',
		need: 'signed in',
		params: { code: v.string() },
		answer: problemKind,
		handle({ params: { code } }) {
			if (!isProblemCode(code)) throw new NotFound(`problem called ${code}`);
			return { code, ...PROBLEMS[code] };
		}
	}),
	endpoint({
		method: 'GET',
		path: '/plans',
		summary: 'Drafts that wait',
		need: read('record'),
		answer: rowsOf(plan),
		handle: ({ ctx }) => ({ rows: openDrafts(ctx.db) })
	}),
	endpoint({
		method: 'POST',
		path: '/plans',
		summary: 'Draft a plan',
		need: 'draft',
		keepsWithin: true,
		work: 'long',
		body: planBody,
		status: 201,
		answer: plan,
		location: (p) => `/plans/${p.id}`,
		handle: ({ ctx, body, caller, via }) => draftPlan(ctx, caller!, body.kind, body.input, via)
	}),
	endpoint({
		method: 'POST',
		path: '/plans/foresee',
		summary: 'What a plan would do, in short and without keeping it',
		need: 'draft',
		keepsWithin: true,
		work: 'long',
		body: planBody,
		answer: foreseen,
		handle: ({ ctx, body, caller }) => foreseePlan(ctx, caller!, body.kind, body.input)
	}),
	endpoint({
		method: 'GET',
		path: '/plans/{id}',
		summary: 'A plan',
		need: read('record'),
		params: ID,
		answer: plan,
		handle({ ctx, params }) {
			const found = planById(ctx.db, params.id);
			if (!found) throw new NotFound(`plan ${params.id}`);
			return found;
		}
	}),
	endpoint({
		method: 'DELETE',
		path: '/plans/{id}',
		summary: 'Throw a draft away',
		need: 'draft',
		keepsWithin: true,
		params: ID,
		answer: null,
		handle: ({ ctx, params, caller }) => discardPlan(ctx, caller!, params.id)
	}),
	endpoint({
		method: 'POST',
		path: '/plans/{id}/commit',
		summary: 'Commit a plan, now or at a time',
		need: 'draft',
		keepsWithin: true,
		work: 'long',
		params: ID,
		body: v.strictObject({
			at: v.optional(moment),
			emergency: v.optional(
				v.pipe(
					v.string(),
					v.trim(),
					v.nonEmpty('Say why it cannot wait.'),
					v.maxLength(300, 'At most 300 characters.'),
					v.description('Why it is committed without the consent that it needs; everybody is told')
				)
			)
		}),
		instead: {},
		status: 202,
		answer: v.strictObject({
			job: v.pipe(v.nullable(whole), v.description('Null where it waits for the consent of another')),
			asked: v.pipe(v.nullable(whole), v.description('What it waits for'))
		}),
		location: (a) => (a.job === null ? '/plans' : `/jobs/${a.job}`),
		async handle({ ctx, params, body, caller, via }) {
			try {
				const made = await commitPlan(ctx, caller!, params.id, body.at ?? null, via, body.emergency);
				ctx.wake();
				return { job: made, asked: null };
			} catch (e) {
				if (!(e instanceof WaitsForConsent)) throw e;
				return { job: null, asked: e.ask };
			}
		}
	}),
	endpoint({
		method: 'GET',
		path: '/plans/{id}/consent',
		summary: 'What a plan waits for, and how it differs by now from what consent was asked for',
		need: read('record'),
		keepsWithin: true,
		work: 'long',
		params: ID,
		answer: v.strictObject({
			ask: asked,
			since: v.array(fact),
			worse: v.pipe(
				v.array(fact),
				v.description('What is worse than when it was asked for: it is consented to as it is now')
			),
			against: v.array(fact),
			now: v.pipe(v.string(), v.description('Stands for what it does now')),
			mayAnswer: v.pipe(v.nullable(v.string()), v.description('Why the caller may not answer; null where they may'))
		}),
		handle: ({ ctx, params, caller }) => askedPlan(ctx, caller!, params.id)
	}),
	endpoint({
		method: 'POST',
		path: '/plans/{id}/consent',
		summary: 'Consent to a plan that another has committed',
		need: 'draft',
		keepsWithin: true,
		work: 'long',
		params: ID,
		body: v.strictObject({
			now: v.optional(
				v.pipe(v.string(), v.maxLength(100), v.description('What it does as it was seen, where it has become worse'))
			)
		}),
		instead: {},
		status: 202,
		answer: v.strictObject({ job: whole }),
		location: (a) => `/jobs/${a.job}`,
		async handle({ ctx, params, caller, body }) {
			const made = await consentTo(ctx, caller!, params.id, body.now);
			ctx.wake();
			return { job: made };
		}
	}),
	endpoint({
		method: 'POST',
		path: '/plans/{id}/decline',
		summary: 'Say no to a plan that waits for consent, and why',
		need: 'draft',
		keepsWithin: true,
		params: ID,
		body: v.strictObject({
			words: v.pipe(
				v.string(),
				v.trim(),
				v.nonEmpty('Say why: they will read it.'),
				v.maxLength(300, 'At most 300 characters.')
			)
		}),
		status: 204,
		answer: null,
		handle: ({ ctx, params, caller, body }) => declinePlan(ctx, caller!, params.id, body.words)
	}),
	endpoint({
		method: 'POST',
		path: '/plans/{id}/recompute',
		summary: 'Compute a draft again from how things are now',
		need: 'draft',
		keepsWithin: true,
		work: 'long',
		params: ID,
		answer: plan,
		handle: ({ ctx, params, caller }) => recomputePlan(ctx, caller!, params.id)
	}),
	endpoint({
		method: 'GET',
		path: '/jobs/{id}',
		summary: 'A job with its steps and log',
		need: read('record'),
		params: ID,
		answer: job,
		handle({ ctx: { db, clock }, params: { id } }) {
			const found = jobById(db, id, clock.now());
			if (!found) throw new NotFound(`job ${id}`);
			return {
				...found,
				facts: LISTS.get('jobs')!.why!(db, { ...found }, clock.now()),
				steps: stepsOf(db, id),
				failed: failedItems(db, id),
				log: logOf(db, id)
			};
		}
	}),
	endpoint({
		method: 'POST',
		path: '/jobs/{id}/cancel',
		summary: 'Ask a job to stop where that is safe',
		need: 'draft',
		keepsWithin: true,
		params: ID,
		status: 202,
		answer: null,
		handle({ ctx, params, caller }) {
			cancelJob(ctx, caller!, params.id);
			ctx.wake();
		}
	}),
	endpoint({
		method: 'POST',
		path: '/changes/{id}/undo',
		summary: 'Draft the plan that undoes a change',
		need: 'draft',
		keepsWithin: true,
		work: 'long',
		params: ID,
		status: 201,
		answer: plan,
		location: (p) => `/plans/${p.id}`,
		handle: ({ ctx, params, caller, via }) => draftUndo(ctx, caller!, params.id, via)
	}),
	endpoint({
		method: 'POST',
		path: '/notices',
		summary: 'Mark your own notices as seen',
		need: 'signed in',
		keepsWithin: true,
		work: 'here',
		answer: null,
		handle({ ctx, caller }) {
			if (caller?.kind === 'operator') seenNotices(ctx.db, caller.id);
		}
	})
];
