import * as v from 'valibot';
import { FAULT_KINDS } from '$lib/core/estate/schema';
import { rowsOf } from '../calls/answers';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { commit, read } from '../calls/need';
import { moment, text, whole } from '../lists/columns';
import { NotFound } from '../plans';
import { InputProblem } from '../plans/kind';
import { ProviderError } from '../providers';
import { runtime, type Bench } from '../runtime';

/** The bench of the lab; there is none where no lab is attached. */
function bench(): Bench {
	const { bench } = runtime();
	if (!bench) throw new NotFound('lab attached');
	return bench;
}

const clock = v.strictObject({ now: moment, speed: v.number(), paused: v.boolean() });

export const labEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/lab/clock',
		summary: 'The lab’s clock',
		need: read('lab'),
		work: 'here',
		answer: clock,
		handle: () => bench().clock()
	}),
	endpoint({
		method: 'POST',
		path: '/lab/clock',
		summary: 'Pause, step or speed up the lab',
		need: commit('lab'),
		work: 'here',
		body: v.strictObject({
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
		}),
		answer: clock,
		handle: ({ body: { step, ...rest } }) =>
			bench().setClock({ ...rest, ...(step === undefined ? {} : { step: step * 1000 }) })
	}),
	endpoint({
		method: 'GET',
		path: '/lab/faults',
		summary: 'Faults that are on',
		need: read('lab'),
		work: 'here',
		answer: rowsOf(
			v.strictObject({
				id: whole,
				kind: v.picklist(FAULT_KINDS),
				target: text,
				since: moment,
				until: v.nullable(moment),
				value: v.nullable(v.number()),
				before: v.nullable(v.number())
			})
		),
		handle: async () => ({ rows: await bench().faults() })
	}),
	endpoint({
		method: 'POST',
		path: '/lab/faults',
		summary: 'Switch a fault on',
		need: commit('lab'),
		work: 'here',
		body: v.strictObject({
			kind: v.picklist(FAULT_KINDS, `A fault is one of ${FAULT_KINDS.join(', ')}.`),
			target: v.pipe(v.string(), v.trim(), v.nonEmpty('Say what fails.')),
			value: v.optional(v.nullable(v.number()), null)
		}),
		status: 201,
		answer: v.strictObject({ id: whole }),
		async handle({ body: { kind, target, value } }) {
			try {
				return { id: await bench().addFault(kind, target, value) };
			} catch (e) {
				if (e instanceof ProviderError) throw new InputProblem([{ field: 'target', words: e.message }]);
				throw e;
			}
		}
	}),
	endpoint({
		method: 'DELETE',
		path: '/lab/faults/{id}',
		summary: 'Switch a fault off',
		need: commit('lab'),
		params: { id: whole },
		answer: null,
		async handle({ params }) {
			if (!(await bench().clearFault(params.id))) throw new NotFound(`fault ${params.id}`);
		}
	}),
	endpoint({
		method: 'POST',
		path: '/lab/endpoints',
		summary: 'Switch a device of the lab on, by its name or its serial number',
		need: commit('lab'),
		work: 'here',
		body: v.strictObject({ endpoint: v.pipe(v.string(), v.trim(), v.nonEmpty('Say which.'), v.maxLength(100)) }),
		status: 202,
		answer: null,
		async handle({ body }) {
			if (!(await bench().startEndpoint(body.endpoint)))
				throw new InputProblem([{ field: 'endpoint', words: `The lab has no device ${body.endpoint}.` }]);
		}
	}),
	endpoint({
		method: 'POST',
		path: '/lab/threads',
		summary: 'End a thread of Sextant, to see that it is started anew and nothing is lost',
		need: commit('lab'),
		work: 'here',
		body: v.strictObject({
			thread: v.picklist(['lab', 'engine', 'packer', 'readers'], 'There are lab, engine, packer and readers.')
		}),
		status: 202,
		answer: null,
		handle({ body }) {
			const { rehearse } = runtime();
			bench();
			if (!rehearse) throw new NotFound('thread to end');
			rehearse(body.thread);
		}
	}),
	endpoint({
		method: 'GET',
		path: '/lab/outbox',
		summary: 'Mails that the lab has taken',
		need: read('lab'),
		work: 'here',
		answer: rowsOf(v.strictObject({ to: text, subject: text, body: text, at: moment })),
		handle: async () => ({ rows: await bench().outbox() })
	})
];
