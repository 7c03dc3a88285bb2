import { LRUCache } from 'lru-cache';
import { all, allColumns, one, type Db } from '../db';
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

type Placed = Pick<DirectoryPerson, 'team' | 'memberOf' | 'teams'>;
type Row = Omit<DirectoryPerson, 'managed' | keyof Placed> & { managed: number };

const PEOPLE = `SELECT p.id, p.login, p.name, p.site_id AS site, s.time_zone AS zone, p.managed, p.address
	FROM people p JOIN sites s ON s.id = p.site_id`;
/** Who is of which team at a moment, in the order of the table. */
const MEMBERS = `SELECT person_id, team_id, home FROM memberships WHERE ${asOf('memberships')}`;

/** By the numbers of people: most are of the same teams as many others, and share what is worked out for those. */
function placedAt(db: Db, at: number, person: number | null = null): (id: number) => Placed {
	const above = teamsAbove(db);
	const alike = new Map<string, Placed>();
	const memberOf = new Map<number, string[]>();
	const ofOne = person === null ? '' : 'AND person_id = @person';
	const rows = allColumns<[number, string, number]>(db, `${MEMBERS} ${ofOne} ORDER BY person_id, team_id`, {
		at,
		person
	});
	for (const [id, team, home] of rows) {
		const own = memberOf.get(id);
		if (!own) memberOf.set(id, [team]);
		else if (home) own.unshift(team);
		else own.push(team);
	}
	return (id) => {
		const own = memberOf.get(id) ?? [];
		const key = own.join();
		let placed = alike.get(key);
		if (!placed) {
			const teams = [...new Set(own.flatMap((t) => above.get(t) ?? [t]))];
			alike.set(key, (placed = { team: own[0] ?? '', memberOf: own, teams }));
		}
		return placed;
	};
}

/** Each field by its name: spread out, very many rows take three times as long. */
const fromRow = (p: Row, { team, memberOf, teams }: Placed): DirectoryPerson => ({
	id: p.id,
	login: p.login,
	name: p.name,
	team,
	memberOf,
	teams,
	site: p.site,
	zone: p.zone,
	managed: p.managed === 1,
	address: p.address
});

/** Somebody by their login, as they were at a moment; null where there is nobody. */
export function personCalled(db: Db, login: string, at: number): DirectoryPerson | null {
	const row = one<Row>(db, `${PEOPLE} WHERE p.login = ?`, [login]);
	return row ? fromRow(row, placedAt(db, at, row.id)(row.id)) : null;
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
		const placed = placedAt(db, at);
		people = all<Row>(db, `${PEOPLE} ORDER BY p.id`).map((p) => fromRow(p, placed(p.id)));
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
