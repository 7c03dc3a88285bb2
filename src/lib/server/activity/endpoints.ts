import * as v from 'valibot';
import { EFFECTS, WAYS } from '$lib/core/reach/rules';
import { durationWords } from '$lib/core/time/units';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { personCalled } from '../directory';
import { bytes, moment, text, whole } from '../lists/columns';
import { asKnown } from '../moment';
import { NotFound } from '../plans';
import { LOOK_LASTS, openLook } from './looking';
import { activityView, FEW, reachedView } from './view';
import { ASKED } from './write';

const DAYS = v.optional(
	v.pipe(
		v.string(),
		v.regex(/^\d{1,3}$/, 'From 1 to 90 days.'),
		v.toNumber(),
		v.minValue(1, 'From 1 to 90 days.'),
		v.maxValue(90, 'From 1 to 90 days.')
	)
);
const WHOLE = v.pipe(v.string(), v.regex(/^\d{1,9}$/, 'A whole number from 0.'), v.toNumber());
const sums = { decisions: whole, refused: whole, down: bytes, up: bytes, people: whole };
const shownRule = v.strictObject({
	...sums,
	/** The rule’s id; empty: none decided. */
	rule: text,
	number: v.nullable(whole),
	name: text,
	decides: v.nullable(v.picklist(EFFECTS))
});
const shownTarget = v.strictObject({
	...sums,
	kind: v.picklist(['site', 'service', 'channel']),
	/** The host of a site, or the id of a service; empty: something inside that is none. */
	target: text,
	name: text,
	category: v.nullable(text)
});

export const activityEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/activity',
		summary: `What people of a scope reached and were refused, in sums; of fewer than ${FEW} people none are given`,
		need: read('activity'),
		looks: 'scope and moment',
		work: 'long',
		query: { days: DAYS },
		answer: v.strictObject({
			/** How many people the scope holds, where they are too few for sums. */
			few: v.nullable(whole),
			sums: v.nullable(
				v.strictObject({
					...sums,
					hours: v.array(v.strictObject({ at: moment, through: whole, refused: whole })),
					rules: v.array(shownRule),
					targets: v.array(shownTarget),
					refusedTargets: v.array(shownTarget)
				})
			)
		}),
		handle({ ctx: { db }, query, look }) {
			const seen = look();
			const { few, sums: found } = activityView(db, seen.scope, asKnown(seen), query.days ?? 7);
			return { few, sums: found };
		}
	}),
	endpoint({
		method: 'GET',
		path: '/activity/people/{login}',
		summary: `What somebody reached and was refused, the latest first: for ${durationWords(LOOK_LASTS)} after the plan activity.look has said why`,
		need: read('activity'),
		looks: 'moment',
		params: { login: v.pipe(text, v.maxLength(200)) },
		query: { days: DAYS, offset: v.optional(WHOLE), limit: v.optional(WHOLE) },
		answer: v.strictObject({
			rows: v.array(
				v.strictObject({
					id: whole,
					since: moment,
					until: moment,
					kind: v.picklist(['site', 'service', 'channel']),
					target: text,
					name: text,
					category: v.nullable(text),
					rule: text,
					number: v.nullable(whole),
					ruleName: text,
					decided: v.picklist(EFFECTS),
					through: v.boolean(),
					/** What was asked of them and not given. */
					asked: v.nullable(v.picklist(ASKED)),
					/** What they said that it is for. */
					said: v.nullable(text),
					way: v.picklist(WAYS),
					endpoint: v.nullable(whole),
					endpointName: v.nullable(text),
					machine: v.nullable(text),
					address: text,
					decisions: whole,
					down: bytes,
					up: bytes
				})
			)
		}),
		handle({ ctx: { db, clock }, params, query, look, caller, noteLook }) {
			const at = asKnown(look());
			const person = personCalled(db, params.login, at);
			if (!person) throw new NotFound(`person called ${params.login.slice(0, 60)}`);
			if (!caller || !openLook(db, person.login, caller, clock.now()))
				throw new NotFound('activity of theirs that you may look at: say why first, with the plan activity.look');
			noteLook(`looked at what ${person.name} (${person.login}) reached`);
			return {
				rows: reachedView(db, person.id, at, query.days ?? 7, Math.min(query.limit ?? 200, 1000), query.offset ?? 0)
			};
		}
	})
];
