import { countWords } from '$lib/core/time/units';
import type { Need } from '$lib/core/why/need';
import { asOf } from '../db/intervals';
import { all, type Db } from '../db';

/** Changes of the directory that somebody has to look at before they are taken in. */
export const heldNeeds = (db: Db, at: number): Need[] =>
	all<{ id: number; people: number }>(db, `SELECT id, people FROM held_changes WHERE ${asOf('held_changes')}`, {
		at
	}).map(({ id, people }) => ({
		key: `directory-${id}`,
		people,
		count: people,
		unit: people === 1 ? 'person' : 'people',
		tone: 'sand',
		title: `The directory moves ${countWords(people, 'person', 'people')} to other teams at once`,
		facts: [
			{
				words:
					'that is more than may move without anybody looking: until somebody has, all of them are of the teams that they were of',
				source: 'directory'
			}
		],
		card: null,
		href: null,
		plan: { kind: 'directory.take', input: {}, words: 'Look at who, and take it in' },
		since: since(db, id),
		about: {}
	}));

/** When it was first held, however many it has come to since. */
const since = (db: Db, id: number): number =>
	all<{ since: number }>(db, 'SELECT min(since) AS since FROM held_changes WHERE id = ?', [id])[0]!.since;
