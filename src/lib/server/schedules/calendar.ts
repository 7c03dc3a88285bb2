import ICAL from 'ical.js';
import type { Db } from '../db';
import { schedulesAt } from './queries';

/** The schedules in force as an iCalendar feed (RFC 5545), each with its rule in the wall clock of its zone. */
export function calendarFeed(db: Db, now: number, estate: string): string {
	const calendar = new ICAL.Component(['vcalendar', [], []]);
	calendar.updatePropertyWithValue('version', '2.0');
	calendar.updatePropertyWithValue('prodid', '-//Sextant//schedules//EN');
	calendar.updatePropertyWithValue('name', `Sextant: ${estate}`);
	for (const s of schedulesAt(db, now)) {
		const event = new ICAL.Component('vevent');
		event.updatePropertyWithValue('uid', `schedule-${s.id}@sextant`);
		event.updatePropertyWithValue('dtstamp', ICAL.Time.fromJSDate(new Date(s.since), true));
		event.updatePropertyWithValue('summary', s.title);
		event.updatePropertyWithValue('description', `${s.kind}, set by ${s.by}`);
		const begins = event.updatePropertyWithValue('dtstart', ICAL.Time.fromDateTimeString(`${s.begins}:00`));
		begins.setParameter('tzid', s.zone);
		event.updatePropertyWithValue('duration', ICAL.Duration.fromString('PT1H'));
		event.updatePropertyWithValue('rrule', ICAL.Recur.fromString(s.rule));
		calendar.addSubcomponent(event);
	}
	return `${calendar.toString()}\r\n`;
}
