import { unusedTerms } from '$lib/core/scope/scope';
import { sharedLoad } from '$lib/server/load';
import { setting } from '$lib/server/db';
import { personWords } from '$lib/server/directory';
import { requestsIn, shelfOf } from '$lib/server/shelf';
import { isoDate, momentOf, wallTime } from '$lib/core/time/zone';

export const load = sharedLoad(({ url, context, look, at }) => {
	const { db } = context;
	const who = (url.searchParams.get('who') ?? '').trim();
	const on = url.searchParams.get('on') ?? '';
	const person = who ? personWords(db, who, at) : undefined;
	const zone = person?.zone ?? 'UTC';
	// A day is looked at as it is at the present time of day, on the clock of the person's site.
	const day = /^\d{4}-\d\d-\d\d$/.test(on) ? Date.parse(`${on}T00:00:00Z`) / 86_400_000 : NaN;
	const moment = Number.isInteger(day) ? momentOf(zone, day, wallTime(zone, at).minute) : at;
	const asked = requestsIn(db, look.scope, at);
	return {
		left: unusedTerms(asked.left),
		who,
		on: Number.isInteger(day) ? on : isoDate(zone, at),
		problem:
			who && !person
				? `The directory knows nobody called ${who}.`
				: on && !Number.isInteger(day)
					? 'Write a day such as 2026-12-01.'
					: '',
		person: person ?? null,
		shelf: person ? shelfOf(db, who, moment, true)! : [],
		requests: asked.items.slice(0, 60),
		home: setting(db, 'home')
	};
});
