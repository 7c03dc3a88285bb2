import { countWords } from '$lib/core/time/units';
import { counted, type Need } from '$lib/core/why/need';
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
		title: `The directory takes ${countWords(people, 'person', 'people')} out of teams, a site or itself at once`,
		facts: [
			{
				words: 'that is more than may be without anybody looking: until somebody has, everybody is what they were',
				source: 'directory'
			}
		],
		card: null,
		href: null,
		plan: { kind: 'directory.take', input: {}, words: 'Look at who, and take it in' },
		since: since(db, id),
		about: {}
	}));

/** What the directory tells of people and cannot be taken in. */
export function leftOutNeeds(db: Db, at: number): Need[] {
	const left = all<{ login: string; words: string; since: number }>(
		db,
		`SELECT login, words, since FROM left_out WHERE ${asOf('left_out')} ORDER BY since, login`,
		{ at }
	);
	if (left.length === 0) return [];
	const teams = left.filter((l) => l.login.startsWith('team ')).length;
	const people = left.length - teams;
	const of = [
		...(people ? [countWords(people, 'person', 'people')] : []),
		...(teams ? [countWords(teams, 'team')] : [])
	].join(' and ');
	const ways = new Map<string, string[]>();
	for (const { login, words } of left) {
		const of = ways.get(words);
		if (of) of.push(login);
		else ways.set(words, [login]);
	}
	return [
		{
			key: 'directory-left-out',
			...counted(people, teams, ['team', 'teams']),
			tone: 'sand',
			title: `What the directory tells of ${of} cannot be taken in`,
			facts: [...ways].slice(0, 10).map(([words, logins]) => ({
				words: `${words}: ${logins.slice(0, 5).join(', ')}${logins.length > 5 ? ` and ${logins.length - 5} more` : ''}`,
				side: 'against' as const,
				source: 'directory'
			})),
			card: null,
			href: null,
			plan: null,
			since: left[0]!.since,
			about: {}
		}
	];
}

/** When it was first held, however many it has come to since. */
const since = (db: Db, id: number): number =>
	all<{ since: number }>(db, 'SELECT min(since) AS since FROM held_changes WHERE id = ?', [id])[0]!.since;
