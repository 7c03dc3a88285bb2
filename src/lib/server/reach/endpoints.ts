import * as v from 'valibot';
import { writeBook } from '$lib/core/reach/file';
import { EFFECTS, WAYS } from '$lib/core/reach/rules';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { fact, text, whole } from '../lists/columns';
import { asKnown } from '../moment';
import { bookAt } from './queries';
import { triedReach } from './tester';

const yesNo = v.optional(v.picklist(['yes', 'no'], 'Yes or no.'));

export const reachEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/reach',
		summary:
			'Whether somebody may reach a web site or a private service: the rule that decides, and why those before it do not',
		need: read('access'),
		looks: 'moment',
		query: {
			person: v.pipe(v.string('Say who.'), v.maxLength(200), v.description('Their login')),
			what: v.pipe(v.string('Say what.'), v.maxLength(300), v.description('site/tides.example or service/depot')),
			from: v.optional(v.pipe(v.string(), v.maxLength(100), v.description('An address; else that of their device'))),
			on: v.optional(v.pipe(v.string(), v.maxLength(100), v.description('The pool of the machine that they are on'))),
			managed: yesNo,
			duty: v.optional(v.picklist(['on', 'off'], 'On or off.')),
			holiday: yesNo,
			when: v.optional(
				v.pipe(v.string(), v.maxLength(20), v.description('A day and time such as Tue 14:30; else the moment'))
			),
			through: v.optional(v.picklist(WAYS, `One of ${WAYS.join(', ')}.`))
		},
		answer: v.strictObject({
			person: text,
			target: text,
			address: text,
			decides: v.picklist(EFFECTS),
			/** What is still asked for, as far as it was not said to be there. */
			asks: v.nullable(text),
			/** The rule’s id; empty: none does. */
			rule: text,
			number: v.nullable(whole),
			tells: v.nullable(text),
			facts: v.array(fact)
		}),
		handle: ({ ctx: { db }, query, look }) => triedReach(db, query, asKnown(look()))
	}),
	endpoint({
		method: 'GET',
		path: '/access-rules-file',
		summary: 'All access rules and their tests as a file, which can be brought again',
		need: read('access'),
		looks: 'moment',
		answer: { file: 'application/yaml' },
		handle({ ctx: { db }, look }) {
			const book = bookAt(db, asKnown(look()));
			return new Response(writeBook(book, book.tests), {
				headers: {
					'content-type': 'application/yaml; charset=utf-8',
					'content-disposition': 'attachment; filename="access-rules.yaml"'
				}
			});
		}
	})
];
