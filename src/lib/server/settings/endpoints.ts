import * as v from 'valibot';
import { writeGroups } from '$lib/core/settings/file';
import { SUBJECT_KINDS } from '$lib/core/settings/kinds';
import { byId } from '$lib/core/settings/own';
import { momentWritten } from '$lib/core/settings/rows';

import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { text, whole } from '../lists/columns';
import { asKnown } from '../moment';
import { InputProblem } from '../plans/kind';
import { catalogueIn, groupsAt } from './queries';
import { comparedAt, effectiveAt, NoSubject } from './view';

const said = { group: text, name: text, rank: whole, by: text, value: text };
const whose = v.pipe(
	v.string('Say whose.'),
	v.maxLength(500, 'At most 500 characters.'),
	v.description('endpoint/12, machine/desk-01, branch/ships, person/anna@pool/desks or person/anna@machine/desk-01')
);

/** What is asked for what there is not is wrong beside its field. */
function asked<T>(field: string, answer: () => T): T {
	try {
		return answer();
	} catch (e) {
		if (e instanceof NoSubject) throw new InputProblem([{ field, words: e.message }]);
		throw e;
	}
}

export const settingsEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/effective-settings',
		summary: 'Every setting that counts for something, with what said it, what that overrode, and what is left out',
		need: read('publishing'),
		looks: 'moment',
		query: { of: whose },
		answer: v.strictObject({
			name: text,
			kind: v.picklist(SUBJECT_KINDS),
			rows: v.array(
				v.strictObject({
					id: text,
					name: text,
					area: text,
					value: text,
					holds: text,
					/** What applying it takes at a sign-in on an idle machine beside its files, ms. */
					takes: whole,
					from: v.nullable(v.strictObject(said)),
					overrode: v.array(v.strictObject(said)),
					/** What says otherwise with the same right. */
					clash: v.nullable(v.strictObject(said)),
					leftOut: v.array(v.strictObject({ ...said, out: text }))
				})
			)
		}),
		handle: ({ ctx: { db }, query, look }) => asked('of', () => effectiveAt(db, query.of, asKnown(look())))
	}),
	endpoint({
		method: 'GET',
		path: '/compared-settings',
		summary: 'What counts otherwise between two, or for one at two moments',
		need: read('publishing'),
		looks: 'moment',
		query: {
			of: whose,
			with: v.optional(whose),
			then: v.optional(
				v.pipe(
					v.string(),
					v.check((t) => momentWritten(t) !== null, 'Write a moment with its zone, such as 2026-11-17T14:05Z.'),
					v.description('The moment at which the other is looked at; the same where nothing is said')
				)
			)
		},
		answer: v.strictObject({
			here: text,
			there: text,
			rows: v.array(
				v.strictObject({
					id: text,
					name: text,
					area: text,
					here: text,
					there: text,
					hereBy: v.nullable(text),
					thereBy: v.nullable(text)
				})
			)
		}),
		handle({ ctx: { db }, query, look }) {
			const at = asKnown(look());
			const then = query.then === undefined ? at : momentWritten(query.then)!;
			return asked('with', () => comparedAt(db, { of: query.of, at }, { of: query.with ?? query.of, at: then }));
		}
	}),
	endpoint({
		method: 'GET',
		path: '/settings-groups-file',
		summary: 'All settings groups as a file, which can be brought again',
		need: read('publishing'),
		looks: 'moment',
		answer: { file: 'application/yaml' },
		handle({ ctx: { db }, look }) {
			const catalogue = catalogueIn(db);
			return new Response(writeGroups(byId(catalogue), groupsAt(db, asKnown(look()), catalogue)), {
				headers: {
					'content-type': 'application/yaml; charset=utf-8',
					'content-disposition': 'attachment; filename="settings-groups.yaml"'
				}
			});
		}
	})
];
