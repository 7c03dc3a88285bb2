import { ASPECTS, oddsOf, type Aspect } from '$lib/core/activity/unusual';
import { countWords, DAY, HOUR } from '$lib/core/time/units';
import type { Need } from '$lib/core/why/need';
import { all, one, type Db } from '../db';
import { fromJson } from '../db/json';
import { everybody } from '../directory';

/** Something that somebody did and that is unlike them, as it is known at a moment. */
export interface Unusual {
	id: number;
	login: string;
	name: string;
	team: string;
	site: string;
	zone: string;
	/** The beginning of the hour, and when it was found, ms UTC. */
	at: number;
	found: number;
	odds: number;
	aspects: { aspect: Aspect; bits: number; words: string }[];
	/** Whether something was wrong, as somebody has said. */
	answer: 'yes' | 'no' | null;
	by: string | null;
	words: string | null;
}

interface Row {
	id: number;
	person: number;
	login: string;
	name: string;
	hour: number;
	bits: number;
	aspects: string;
	found: number;
	answer: 'yes' | 'no' | null;
	by: string | null;
	answered: number | null;
	words: string | null;
}

const ROWS = `SELECT u.id, u.person_id AS person, p.login, p.name, u.hour, u.bits, u.aspects, u.found_at AS found, u.answer, u.answered_by AS by,
	u.answered_at AS answered, u.words FROM unusual_activity u JOIN people p ON p.id = u.person_id`;

const isAspect = (a: { aspect: string }): boolean => ASPECTS.includes(a.aspect as Aspect);

function shown(db: Db, rows: readonly Row[], at: number): Unusual[] {
	const people = new Map(everybody(db, at).map((p) => [p.id, p]));
	return rows.map((r) => {
		const p = people.get(r.person);
		const known = r.answered !== null && r.answered <= at;
		return {
			id: r.id,
			login: r.login,
			name: p?.name ?? r.name,
			team: p?.team ?? '',
			site: p?.site ?? '',
			zone: p?.zone ?? 'UTC',
			at: r.hour * HOUR,
			found: r.found,
			odds: oddsOf(r.bits),
			aspects: fromJson<Unusual['aspects']>('unusual_activity.aspects', r.aspects).filter(isAspect),
			answer: known ? r.answer : null,
			by: known ? r.by : null,
			words: known ? r.words : null
		};
	});
}

/** What was found up to a moment, the latest first. */
export const unusualAt = (db: Db, at: number, most: number): Unusual[] =>
	shown(
		db,
		all<Row>(db, `${ROWS} WHERE u.found_at <= ? ORDER BY u.found_at DESC, u.bits DESC, u.id DESC LIMIT ?`, [at, most]),
		at
	);

/** One of them; null where there is none of that number. */
export function unusualById(db: Db, id: number, at: number): Unusual | null {
	const row = one<Row>(db, `${ROWS} WHERE u.id = ?`, [id]);
	return row ? shown(db, [row], at)[0]! : null;
}

const WORDS: Record<Aspect, string> = {
	hour: 'the hour',
	place: 'where from',
	device: 'the device',
	amount: 'how much',
	refusals: 'how often refused'
};
export const aspectWords = (a: Aspect): string => WORDS[a];

/** So many answers, the latest, tell how often it was right. */
const LOOKED_BACK = 2000;

/** How often each aspect has been right so far: of those that somebody has answered. */
export function rightSoFar(db: Db, at: number) {
	const counts = new Map(ASPECTS.map((a) => [a, { yes: 0, answered: 0 }]));
	for (const { aspects, answer } of all<{ aspects: string; answer: 'yes' | 'no' }>(
		db,
		'SELECT aspects, answer FROM unusual_activity WHERE answer IS NOT NULL AND answered_at <= ? ORDER BY answered_at DESC LIMIT ?',
		[at, LOOKED_BACK]
	))
		for (const { aspect } of fromJson<Unusual['aspects']>('unusual_activity.aspects', aspects).filter(isAspect)) {
			const c = counts.get(aspect)!;
			c.answered++;
			if (answer === 'yes') c.yes++;
		}
	return {
		counts,
		words: (a: Aspect): string => {
			const { yes, answered } = counts.get(a)!;
			return answered === 0
				? 'nobody has said yet whether that is right'
				: `right ${yes} of ${countWords(answered, 'time')} so far`;
		}
	};
}

/** What nobody has answered stands on Today for so long. */
const WAITS = 7 * DAY;

/** What was found and nobody has answered yet; whose it is stands where those who may look at it read it. */
export function unusualNeeds(db: Db, at: number): Need[] {
	const open = unusualAt(db, at, 500).filter((u) => u.answer === null && u.found > at - WAITS);
	const first = open.at(-1);
	if (!first) return [];
	const of = new Map<Aspect, number>();
	for (const u of open) for (const a of u.aspects) of.set(a.aspect, (of.get(a.aspect) ?? 0) + 1);
	const people = new Set(open.map((u) => u.login)).size;
	return [
		{
			key: 'unusual-activity',
			people: 0,
			count: open.length,
			unit: 'not answered',
			tone: 'sand',
			title: `${countWords(people, 'person did what is', 'people did what is')} unlike them, and nobody has said whether something was wrong`,
			facts: [...of].map(([a, n]) => ({
				words: `${aspectWords(a)}, ${countWords(n, 'time')}`,
				side: 'against' as const,
				source: 'activity'
			})),
			card: null,
			href: '/secure/unusual',
			plan: null,
			since: first.found,
			about: { site: [...new Set(open.map((u) => u.site))] }
		}
	];
}
