import { LRUCache } from 'lru-cache';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { homeTeam } from '../moment/membership-sql';
import { directoryRevision, teamsAbove } from './teams';

/** Somebody in the directory, as grants look at them. */
export interface DirectoryPerson {
	id: number;
	login: string;
	name: string;
	/** Their home team. */
	team: string;
	/** Every team that they are of, the home team first. */
	memberOf: readonly string[];
	/** Those, and all above them. */
	teams: readonly string[];
	site: string;
	/** Time zone of their site. */
	zone: string;
	/** Whether what they sit at is managed. */
	managed: boolean;
	address: string;
}

type Row = Omit<DirectoryPerson, 'managed' | 'team' | 'memberOf' | 'teams'> & { managed: number; members: string };

/** People with the teams that they are of at a moment, the home team first. */
const PEOPLE = `SELECT p.id, p.login, p.name, p.site_id AS site, s.time_zone AS zone, p.managed, p.address,
	(SELECT json_group_array(mb.team_id ORDER BY mb.home DESC, mb.team_id) FROM memberships mb WHERE mb.person_id = p.id AND ${asOf('memberships mb')}) AS members
	FROM people p JOIN sites s ON s.id = p.site_id`;

function fromRow({ members, ...p }: Row, above: ReadonlyMap<string, string[]>): DirectoryPerson {
	const memberOf = JSON.parse(members) as string[];
	const teams = [...new Set(memberOf.flatMap((t) => above.get(t) ?? [t]))];
	return { ...p, managed: p.managed === 1, team: memberOf[0] ?? '', memberOf, teams };
}

/** Somebody by their login, as they were at a moment; null where there is nobody. */
export function personCalled(db: Db, login: string, at: number): DirectoryPerson | null {
	const row = one<Row>(db, `${PEOPLE} WHERE p.login = @login`, { login, at });
	return row ? fromRow(row, teamsAbove(db)) : null;
}

/** What was read last for a database: the present, and a past moment or two that somebody looks at. */
const known = new WeakMap<Db, LRUCache<string, readonly DirectoryPerson[]>>();
const MOMENTS = 3;

/** Everybody in the directory as they were at a moment, read again when somebody in it has changed. Shared: nobody may change it. */
export function everybody(db: Db, at: number): readonly DirectoryPerson[] {
	const revision = directoryRevision(db);
	// All moments between two changes of memberships are alike.
	const { since, until } = one<{ since: number | null; until: number | null }>(
		db,
		'SELECT (SELECT max(since) FROM memberships WHERE since <= @at) AS since, (SELECT max(until) FROM memberships WHERE until <= @at) AS until',
		{ at }
	)!;
	const key = `${revision} ${Math.max(since ?? 0, until ?? 0)}`;
	let kept = known.get(db);
	if (!kept) known.set(db, (kept = new LRUCache({ max: MOMENTS })));
	let people = kept.get(key);
	if (!people) {
		const above = teamsAbove(db);
		people = all<Row>(db, `${PEOPLE} ORDER BY p.id`, { at }).map((p) => fromRow(p, above));
		kept.set(key, people);
	}
	return people;
}

/** Somebody as they are spoken of: their name, their home team's, and the time zone of their site; undefined where there is nobody. */
export function personWords(
	db: Db,
	login: string,
	at: number
): { name: string; team: string; zone: string } | undefined {
	return one(
		db,
		`SELECT p.name, t.name AS team, s.time_zone AS zone FROM people p JOIN teams t ON t.id = ${homeTeam('p.id')} JOIN sites s ON s.id = p.site_id WHERE p.login = @login`,
		{ login, at }
	);
}
