import { all, one, type Db } from '../db';

/** Somebody in the directory, as grants look at them. */
export interface DirectoryPerson {
	id: number;
	login: string;
	name: string;
	team: string;
	site: string;
	/** Time zone of their site. */
	zone: string;
	/** Whether what they sit at is managed. */
	managed: boolean;
	address: string;
}

const PEOPLE = `SELECT p.id, p.login, p.name, p.team_id AS team, p.site_id AS site, s.time_zone AS zone, p.managed, p.address
	FROM people p JOIN sites s ON s.id = p.site_id`;
type Row = Omit<DirectoryPerson, 'managed'> & { managed: number };
const fromRow = (p: Row): DirectoryPerson => ({ ...p, managed: p.managed === 1 });

/** Somebody by their login; null where there is nobody. */
export function personCalled(db: Db, login: string): DirectoryPerson | null {
	const row = one<Row>(db, `${PEOPLE} WHERE p.login = ?`, [login]);
	return row ? fromRow(row) : null;
}

const known = new WeakMap<Db, { revision: number; people: readonly DirectoryPerson[] }>();

/** Everybody in the directory, read again when somebody in it has changed. Shared: nobody may change it. */
export function everybody(db: Db): readonly DirectoryPerson[] {
	const revision = one<{ number: number }>(db, 'SELECT number FROM directory_revision')!.number;
	const kept = known.get(db);
	if (kept?.revision === revision) return kept.people;
	const people = all<Row>(db, `${PEOPLE} ORDER BY p.id`).map(fromRow);
	known.set(db, { revision, people });
	return people;
}

/** Somebody as they are spoken of: their name, their team's, and the time zone of their site; undefined where there is nobody. */
export const personWords = (db: Db, login: string): { name: string; team: string; zone: string } | undefined =>
	one(
		db,
		'SELECT p.name, t.name AS team, s.time_zone AS zone FROM people p JOIN teams t ON t.id = p.team_id JOIN sites s ON s.id = p.site_id WHERE p.login = ?',
		[login]
	);
