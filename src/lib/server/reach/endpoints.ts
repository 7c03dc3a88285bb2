import * as v from 'valibot';
import { writeBook } from '$lib/core/reach/file';
import type { Reached } from '$lib/core/reach/decide';
import { PASSAGES } from '$lib/core/reach/channels';
import { EFFECTS, WAYS } from '$lib/core/reach/rules';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { fact, text, whole } from '../lists/columns';
import { personCalled } from '../directory';
import { asKnown } from '../moment';
import { bookAt, servicesAt } from './queries';
import { passingOf, reachableBy, whoReaches } from './reaching';
import { hadToday, targetOf, triedReach, wrong } from './tester';

const PERSON = v.pipe(v.string('Say who.'), v.maxLength(200), v.description('Their login'));
const WHAT = v.pipe(
	v.string('Say what.'),
	v.maxLength(300),
	v.description('site/tides.example, service/depot, channel/clipboard-out of 4 KB, or host/depot.example:5432')
);
const count = (words: string, least: number, most: number) =>
	v.pipe(
		v.string(),
		v.regex(/^\d{1,16}$/, words),
		v.toNumber(),
		v.safeInteger(words),
		v.minValue(least, words),
		v.maxValue(most, words)
	);
const outcome = { decides: v.picklist(EFFECTS), number: v.nullable(whole) };
const yesNo = v.optional(v.picklist(['yes', 'no'], 'Yes or no.'));

export const reachEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/reach',
		summary:
			'Whether somebody may reach a web site or a private service, or let something pass a session: the rule that decides, and why those before it do not',
		need: read('access'),
		looks: 'moment',
		query: {
			person: PERSON,
			what: WHAT,
			from: v.optional(
				v.pipe(
					v.string(),
					v.maxLength(100),
					v.description('An address, - for none that is known; else that of their device')
				)
			),
			on: v.optional(v.pipe(v.string(), v.maxLength(100), v.description('The pool of the machine that they are on'))),
			managed: yesNo,
			branch: v.optional(
				v.pipe(v.string(), v.maxLength(100), v.description('The branch that the device stands in; - for none'))
			),
			firmware: v.optional(
				v.pipe(v.string(), v.maxLength(40), v.description('The firmware of the device; - for not known'))
			),
			locks: yesNo,
			duty: v.optional(v.picklist(['on', 'off'], 'On or off.')),
			holiday: yesNo,
			when: v.optional(
				v.pipe(v.string(), v.maxLength(20), v.description('A day and time such as Tue 14:30; else the moment'))
			),
			through: v.optional(v.picklist(WAYS, `One of ${WAYS.join(', ')}.`)),
			share: v.optional(
				v.pipe(
					v.picklist(['left', 'used'], 'Left or used.'),
					v.description('All that rules give a day is left, or used up; else as it is today')
				)
			)
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
		async handle({ ctx, query, look }) {
			const then = look();
			return triedReach(ctx.db, query, asKnown(then), undefined, await hadToday(ctx, query, then));
		}
	}),
	endpoint({
		method: 'GET',
		path: '/reach/people',
		summary: 'Who reaches a web site or a private service, each in the circumstances in which they are',
		need: read('access'),
		looks: 'moment',
		work: 'long',
		query: {
			what: WHAT,
			decides: v.optional(v.picklist(EFFECTS, `One of ${EFFECTS.join(', ')}.`)),
			offset: v.optional(count('From which on: a whole number from 0.', 0, Number.MAX_SAFE_INTEGER)),
			limit: v.optional(count('How many: a whole number from 1 to 1000.', 1, 1000))
		},
		answer: v.strictObject({
			rows: v.array(
				v.strictObject({
					person: text,
					name: text,
					team: text,
					decides: v.picklist(EFFECTS),
					number: v.nullable(whole)
				})
			),
			total: whole
		}),
		handle({ ctx: { db }, query, look }) {
			const at = asKnown(look());
			const target = targetOf(query.what, servicesAt(db, at));
			const all = whoReaches(db, target, at).filter((r) => query.decides === undefined || r.effect === query.decides);
			const { offset = 0, limit = 200 } = query;
			return {
				rows: all.slice(offset, offset + limit).map(({ person, effect, number }) => ({
					person: person.login,
					name: person.name,
					team: person.team,
					decides: effect,
					number
				})),
				total: all.length
			};
		}
	}),
	endpoint({
		method: 'GET',
		path: '/reach/targets',
		summary:
			'What somebody reaches in the circumstances in which they are: services, web sites of the catalogue, and what passes their sessions',
		need: read('access'),
		looks: 'moment',
		work: 'long',
		query: { person: PERSON },
		answer: v.strictObject({
			services: v.array(v.strictObject({ ...outcome, id: text, name: text })),
			web: v.array(
				v.strictObject({
					...outcome,
					names: whole,
					categories: v.array(v.strictObject({ id: text, name: text, names: whole }))
				})
			),
			/** What passes their sessions of what a grant gives: `upTo` bytes at once, null: however many; and what decides about more. */
			channels: v.array(v.strictObject({ ...outcome, passage: v.picklist(PASSAGES), upTo: v.nullable(whole) }))
		}),
		handle({ ctx: { db }, query, look }) {
			const at = asKnown(look());
			const person = personCalled(db, query.person, at);
			if (!person) throw wrong('person', 'The directory knows nobody of that login.');
			const { services, web } = reachableBy(db, person, at);
			const plain = ({ effect, number }: Reached) => ({ decides: effect, number });
			return {
				services: services.map((s) => ({ ...plain(s), id: s.id, name: s.name })),
				web: web.map((w) => ({ ...plain(w), names: w.names, categories: w.categories })),
				channels: passingOf(db, person, at).map((p) => ({ ...plain(p), passage: p.passage, upTo: p.upTo }))
			};
		}
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
