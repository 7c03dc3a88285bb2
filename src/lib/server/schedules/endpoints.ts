import * as v from 'valibot';
import { setting } from '../db';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { calendarFeed } from './calendar';

export const scheduleEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/calendar.ics',
		summary: 'What comes back by itself, for a calendar to subscribe to; takes the token in the address, too',
		need: read('images'),
		query: { token: v.optional(v.pipe(v.string(), v.description('A token, for calendars that cannot send a header'))) },
		answer: { file: 'text/calendar' },
		handle: ({ ctx: { db, clock } }) =>
			new Response(calendarFeed(db, clock.now(), setting(db, 'estate') ?? ''), {
				headers: {
					'content-type': 'text/calendar; charset=utf-8',
					'content-disposition': 'inline; filename="sextant.ics"'
				}
			})
	})
];
