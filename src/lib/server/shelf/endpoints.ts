import * as v from 'valibot';
import { lack } from '../calls/answers';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { fact, moment, text, whole } from '../lists/columns';
import { NotFound } from '../plans';
import { shelfOf } from './queries';

const item = v.strictObject({
	id: text,
	name: text,
	description: text,
	icon: text,
	app: v.nullable(v.strictObject({ package: text, target: text })),
	reaches: v.nullable(text),
	look: v.strictObject({
		window: v.picklist(['window', 'full']),
		monitors: v.picklist(['one', 'all']),
		group: text
	}),
	standing: v.picklist(['required', 'fetched', 'can fetch', 'can ask']),
	allowed: v.boolean(),
	off: v.boolean(),
	lack: v.nullable(lack),
	advice: v.nullable(text),
	by: v.nullable(text),
	why: v.array(fact),
	news: v.nullable(v.strictObject({ at: moment, words: text, version: v.nullable(text) })),
	machines: whole
});

export const shelfEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/shelves/{login}',
		summary: 'Somebody’s shelf at a moment, past or to come',
		need: read('publishing'),
		looks: 'moment',
		params: { login: text },
		answer: v.strictObject({ at: moment, rows: v.array(item) }),
		handle({ ctx, params, look }) {
			const { at } = look();
			const rows = shelfOf(ctx.db, params.login, at, true);
			if (!rows) throw new NotFound(`person called ${params.login}`);
			return { at, rows };
		}
	})
];
