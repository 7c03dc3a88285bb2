import { unusedTerms } from '$lib/core/scope/scope';
import { activityView, FEW, keptDays, looksAt, openLook, reachedView } from '$lib/server/activity';
import { personCalled } from '$lib/server/directory';
import { sharedLoad } from '$lib/server/load';
import { asKnown, lookOf } from '$lib/server/moment';
import { note } from '$lib/server/record';
import { runtime, wholeRuntime } from '$lib/server/runtime';

const SPANS = [1, 7, 30] as const;
/** So much of what somebody reached is shown at a time. */
const SHOWN = 100;
/** So many of those who looked last are named. */
const LATEST = 6;

/** Sums, the same for everybody. */
const sums = sharedLoad(({ url, context, look, at }) => {
	const days = SPANS.find((d) => String(d) === url.searchParams.get('days')) ?? 7;
	const { left, ...view } = activityView(context.db, look.scope, at, days);
	const looks = looksAt(context.db, at, LATEST);
	return { ...view, left: unusedTerms(left), days, at, kept: keptDays(context.db), least: FEW, looks };
});

export const load = (event) => {
	const context = runtime();
	const { db, clock } = context;
	const q = event.url.searchParams;
	const at = asKnown(lookOf(event.url, context));
	const login = q.get('person');
	const person = login ? personCalled(db, login, at) : null;
	const look = person && openLook(db, person.login, event.locals.caller!, clock.now());
	const skip = Number(q.get('skip') ?? 0);
	const offset = Number.isSafeInteger(skip) && skip > 0 ? skip : 0;
	const shared = sums(event);
	if (look)
		note(wholeRuntime().db, clock.now(), {
			kind: 'looked',
			who: event.locals.caller!.name,
			role: event.locals.caller!.role,
			words: `looked at what ${person.name} (${person.login}) reached`,
			address: event.getClientAddress(),
			good: true
		});
	// One more than is shown tells whether there are more.
	const rows = look ? reachedView(db, person.id, at, 90, SHOWN + 1, offset) : null;
	return {
		...shared,
		login: login ?? '',
		person: person && { login: person.login, name: person.name },
		looking: look && { why: look.why, ends: look.ends },
		reached: rows && { rows: rows.slice(0, SHOWN), offset, more: rows.length > SHOWN, shown: SHOWN }
	};
};
