import { text } from '@sveltejs/kit';
import { setting } from '$lib/server/db';
import { runtime } from '$lib/server/runtime';
import { calendarFeed } from '$lib/server/schedules';

/** What comes back by itself, for a calendar to subscribe to. */
export const GET = () => {
	const { db, clock } = runtime();
	return text(calendarFeed(db, clock.now(), setting(db, 'estate') ?? ''), {
		headers: { 'content-type': 'text/calendar; charset=utf-8', 'content-disposition': 'inline; filename="sextant.ics"' }
	});
};
