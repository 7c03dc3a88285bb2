import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import { type KnownPerson, recordsOf, teamsByName } from '../directory';
import { knownHere } from './files';

/** What a form for a person offers: what there is, and what is said of others, most often first. */
export function formChoices(db: Db, at: number) {
	const said = (column: 'pattern' | 'employment') =>
		all<{ id: string }>(
			db,
			`SELECT f.${column} AS id FROM person_facts f WHERE ${asOf('person_facts f')} GROUP BY 1 ORDER BY count(*) DESC, 1 LIMIT 100`,
			{ at }
		).map((r) => r.id);
	return {
		sites: all<{ id: string; name: string; zone: string }>(
			db,
			'SELECT id, name, time_zone AS zone FROM sites ORDER BY position, name'
		),
		teams: teamsByName(db),
		patterns: said('pattern'),
		employments: said('employment')
	};
}

/** Somebody of our own list, to be changed; null where nobody is called so, or others tell of them. */
export function ownPerson(db: Db, login: string | null, at: number): KnownPerson | null {
	if (login === null) return null;
	const known = knownHere(db, at, recordsOf(db, [login], at));
	const person = known.people.get(login);
	return person && known.shut('person', login) === null ? person : null;
}
