import { mayMove } from '$lib/core/people/changes';
import { ScimProblem } from '$lib/core/people/scim';
import { countWords, HOUR } from '$lib/core/time/units';
import type { Need } from '$lib/core/why/need';
import { putSetting, setting, type Db } from '../db';
import { countPeople, directoryPercent } from '../directory';

/** Since when, and how many, a program has moved or removed within an hour; and since when it is held. */
const MOVED = 'scim moved';
const HELD = 'scim held';

/**
 * Counts people whom a program takes out of what they had. More than may be within an hour without anybody looking is refused: it may go on
 * an hour later, or once somebody has raised the share. Within a transaction.
 */
export function countMoved(db: Db, people: number, now: number): void {
	if (people === 0) return;
	const [since = 0, moved = 0] = (setting(db, MOVED) ?? '').split(' ').map(Number);
	const goesOn = now - since < HOUR;
	const total = (goesOn ? moved : 0) + people;
	const most = mayMove(countPeople(db, now), directoryPercent(db) / 100);
	if (total > most)
		throw new ScimProblem(
			403,
			`More than ${countWords(most, 'person', 'people')} within an hour would be moved or removed: somebody has to look first. Try again later, or have the share under Settings raised.`
		);
	putSetting(db, MOVED, `${goesOn ? since : now} ${total}`);
}

/** Notes that a program was held. */
export const noteHeld = (db: Db, now: number): void => putSetting(db, HELD, String(now));

/** A program that was held within the last hour stands on Today. */
export function scimNeeds(db: Db, at: number): Need[] {
	const held = Number(setting(db, HELD) ?? 0);
	if (!(held > at - HOUR && held <= at)) return [];
	const most = mayMove(countPeople(db, at), directoryPercent(db) / 100);
	return [
		{
			key: 'scim-held',
			people: most,
			count: most,
			unit: 'people an hour',
			tone: 'sand',
			title: 'A program that tells of people has tried to move or remove more than may be within an hour',
			facts: [
				{
					words: `${countWords(most, 'person was', 'people were')} taken out of what they had, and the rest was refused`,
					side: 'against',
					source: 'scim'
				},
				{
					words: 'it may go on an hour after the first of them, or once the share under Settings is raised',
					source: 'settings'
				}
			],
			card: null,
			href: '/settings',
			plan: null,
			since: held,
			about: {}
		}
	];
}
