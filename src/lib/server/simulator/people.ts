import type { Estate } from '$lib/core/estate/schema';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { momentOf, wallTime } from '$lib/core/time/zone';
import { schedule } from './agenda';
import { hash, normal, uniform } from './random';
import type { Stage } from './stage';
import type { SimPerson } from './state';

type Pattern = Estate['directory']['patterns'][number];

/** When somebody means to work on one of their local days: from, until, and whether they stop for lunch. */
export interface WorkDay {
	from: number;
	until: number;
	lunch: { from: number; until: number } | null;
}

/**
 * The working day of a person by their pattern, or null for a day off. A pure function of seed, person and day:
 * asked twice, it answers alike.
 */
export function workDay(person: SimPerson, pattern: Pattern, day: number, seed: number): WorkDay | null {
	const draw = (what: number) => uniform(seed, person.index, day, what);
	const bell = (what: number) => normal(seed, person.index, day, what);
	if (draw(1) > pattern.turnout) return null;
	const weekday = ((day + 3) % 7) + 1;
	const scatter = pattern.spread / MINUTE;

	if (pattern.kind === 'shifts') {
		// Four groups on a fourteen-day round: two days each of early, late and night, the rest off.
		const group = person.index % 4;
		const turn = (day + group * 3) % 12;
		if (turn >= 9) return null;
		const shift = Math.floor(turn / 3);
		const from = momentOf(person.zone, day, shift * 480) - 8 * MINUTE + Math.round(bell(2) * scatter * MINUTE * 0.5);
		return { from, until: from + 8 * HOUR + 10 * MINUTE + Math.round(draw(3) * 15 * MINUTE), lunch: null };
	}
	if (!pattern.days.includes(weekday)) return null;
	// Whoever ends at an earlier time of day than they begin works over midnight.
	const over = pattern.until <= pattern.from;
	const ends = pattern.until + (over ? 1440 : 0);
	if (pattern.kind === 'field') {
		const at = Math.round(pattern.from + draw(2) * Math.max(0, ends - pattern.from - 60));
		const from = minuteOf(person.zone, day, at);
		return { from, until: from + 25 * MINUTE + Math.round(draw(3) * 90 * MINUTE), lunch: null };
	}
	const start = pattern.from - 20 + Math.round(bell(2) * scatter);
	const end = Math.max(start + 90, ends + Math.round(bell(3) * scatter) + 10);
	const from =
		momentOf(person.zone, day, Math.max(0, Math.min(1439, start))) + (hash(seed, person.index, day, 4) % 60_000);
	const until =
		minuteOf(person.zone, day, over ? end : Math.min(1439, end)) + (hash(seed, person.index, day, 5) % 60_000);
	const noon = momentOf(person.zone, day, 11 * 60 + 30 + Math.round(draw(6) * 75));
	const lunch =
		!over && until - from > 6 * HOUR && draw(7) < 0.3
			? { from: noon, until: noon + 25 * MINUTE + Math.round(draw(8) * 25 * MINUTE) }
			: null;
	return { from, until, lunch };
}

/** The moment of a minute of the wall clock, counted from the midnight that a day begins with; it may lie on the next day. */
const minuteOf = (zone: string, day: number, minute: number): number =>
	momentOf(zone, day + Math.floor(minute / 1440), minute % 1440);

/** Local day of a person at a moment. */
export const localDay = (person: SimPerson, at: number): number => wallTime(person.zone, at).day;

/** How somebody works whose pattern the file does not have. */
export const USUAL_PATTERN: Pattern = {
	id: 'usual',
	kind: 'day',
	days: [1, 2, 3, 4, 5],
	from: 8 * 60,
	until: 16 * 60,
	spread: 30 * MINUTE,
	turnout: 0.9
};

/** Plans what somebody opens on a day, by the habits of their team; the next day is planned before it begins. */
export function planDay(lab: Stage, person: SimPerson, day: number): void {
	const w = lab.world;
	const today = Number.isNaN(day) ? localDay(person, w.now) : day;
	schedule(w, Math.max(w.now + 1, momentOf(person.zone, today + 1, 0) - 30 * MINUTE), {
		kind: 'day',
		person: person.login,
		day: today + 1
	});
	const pattern = lab.patterns.get(person.pattern) ?? USUAL_PATTERN;
	const means = workDay(person, pattern, today, lab.seed);
	// Nobody works before their first moment, or after their last.
	if (!means || means.until <= Math.max(w.now, person.begins) || means.from >= person.ends) return;
	const work = {
		...means,
		from: Math.max(means.from, person.begins),
		until: Math.min(means.until, person.ends)
	};
	const habits = lab.habits.get(person.team) ?? [];
	let first = true;
	habits.forEach((habit, i) => {
		if (habit.sites && !habit.sites.includes(person.site)) return;
		if (uniform(lab.seed, person.index, today, 20 + i) > habit.chance) return;
		// The first use fills the day; others come for a while in between.
		const from = first
			? work.from
			: work.from +
				Math.round(uniform(lab.seed, person.index, today, 30 + i) * (work.until - work.from) * 0.6) +
				10 * MINUTE;
		const until = first
			? work.until
			: Math.min(
					work.until,
					from + 70 * MINUTE + Math.round(uniform(lab.seed, person.index, today, 40 + i) * 150 * MINUTE)
				);
		if (until <= w.now) return;
		const at = from > w.now ? from : w.now + Math.round(uniform(lab.seed, person.index, today, 50 + i) * 20 * MINUTE);
		schedule(w, at, { kind: 'visit', person: person.login, publication: habit.publication, leaveAt: until, tries: 0 });
		first = false;
	});
}
