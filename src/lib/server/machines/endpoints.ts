import * as v from 'valibot';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { text, whole } from '../lists/columns';
import { whole as wholeIn } from '../plans/fields';
import { previewNames } from './pool-plans';

export const machineEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/names',
		summary: 'Names that a pattern would give, with clashes',
		need: read('publishing'),
		query: {
			naming: v.optional(v.pipe(v.string(), v.maxLength(200, 'At most 200 characters.'), v.description('Pattern')), ''),
			count: v.optional(v.pipe(wholeIn(0, 2000, 'the machines'), v.description('How many')), 10),
			from: v.optional(v.pipe(wholeIn(0, 1e9, 'the first number'), v.description('First number')), 1),
			adopt: v.optional(v.pipe(v.string(), v.description('A folder whose accounts without a machine may be used')), '')
		},
		answer: v.union([
			v.strictObject({
				names: v.array(text),
				clashes: v.array(v.strictObject({ name: text, with: text })),
				short: whole
			}),
			v.strictObject({ problem: text })
		]),
		handle: ({ ctx, query }) => previewNames(ctx, query.naming, query.count, query.from, query.adopt || null)
	})
];
