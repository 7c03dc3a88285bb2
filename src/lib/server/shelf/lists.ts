import * as v from 'valibot';
import { moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { requestsIn } from './queries';

export const requests = shortList({
	name: 'requests',
	words: 'What people have asked for, and the answers',
	card: null,
	row: v.strictObject({
		id: whole,
		login: text,
		person: text,
		team: text,
		teamId: text,
		publication: text,
		name: text,
		at: moment,
		why: text,
		answer: v.nullable(text),
		answeredAt: v.nullable(moment),
		answeredBy: v.nullable(text),
		words: text,
		owner: v.nullable(text)
	}),
	rows: (db, at, scope) => requestsIn(db, scope, at),
	why: (_db, r) => [
		{ words: `“${r.why}”`, at: r.at, source: 'request' },
		r.answer
			? {
					words: `${r.answer} by ${String(r.answeredBy)}${r.words ? `: “${r.words}”` : ''}`,
					side: r.answer === 'approved' ? 'for' : 'against',
					source: 'request'
				}
			: { words: `it waits for ${r.owner ?? 'an operator'}`, source: 'publication' }
	]
});
