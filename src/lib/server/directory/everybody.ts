import { LRUCache } from 'lru-cache';
import type { DeviceProof } from '$lib/core/endpoints/proof';
import type { Said } from '$lib/core/people/record';
import { dayWords } from '$lib/core/time/zone';
import { all, allColumns, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { fromJson } from '../db/json';
import { proofOf, theirDevice } from '../moment/endpoint-sql';
import { factsOf, HERE, homeTeam } from '../moment/people-sql';
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
	/** What they were on last, or what is kept for them, by its number, and what it proves. */
	endpoint: number | null;
	device: DeviceProof;
	address: string;
	/** Their first moment, and the one from which on they are there no longer, ms UTC. */
	begins: number;
	ends: number;
	/** Their kind of employment, as the directory spells it; empty where it says none. */
	employment: string;
}

type Placed = Pick<DirectoryPerson, 'team' | 'memberOf' | 'teams'>;
interface Row {
	id: number;
	login: string;
	name: string;
	site: string;
	endpoint: number | null;
	deviceName: string | null;
	proof: DeviceProof['certificate'];
	address: string;
	begins: number;
	ends: number;
	employment: string;
}

const PEOPLE = `SELECT p.id, p.login, f.name, f.site_id AS site, device.endpoint_id AS endpoint, device.name AS deviceName, ${proofOf('device.endpoint_id')} AS proof,
	coalesce(nullif(device.address, ''), p.address) AS address, f.begins, f.ends, f.employment FROM people p JOIN ${factsOf('p.id')}
	LEFT JOIN endpoint_facts device ON device.endpoint_id = ${theirDevice('p.id')} AND ${asOf('endpoint_facts device')}`;
/** Who is of which team at a moment, in the order of the table. */
const MEMBERS = `SELECT person_id, team_id, home FROM memberships WHERE ${asOf('memberships')}`;
/** Moves whose day has come at a moment and that have not been written down yet: those of a moment to come. */
const DUE = `SELECT person_id, site_id AS site, member_of FROM coming_moves WHERE ${asOf('coming_moves')} AND day <= @at`;

interface Due {
	site: string;
	memberOf: string[];
}

/** Where people are by their numbers at a moment: most are of the same teams as many others, and share what is worked out for those. */
function placedAt(
	db: Db,
	at: number,
	person: number | null = null
): (id: number, site: string) => Placed & Pick<DirectoryPerson, 'site' | 'zone'> {
	const above = teamsAbove(db, at);
	const zones = new Map(
		all<{ id: string; zone: string }>(db, 'SELECT id, time_zone AS zone FROM sites').map((s) => [s.id, s.zone])
	);
	const alike = new Map<string, Placed>();
	const ofOne = person === null ? '' : 'AND person_id = @person';
	const memberOf = new Map<number, string[]>();
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
	const due = new Map<number, Due>();
	for (const m of all<{ person_id: number; site: string; member_of: string }>(db, `${DUE} ${ofOne} ORDER BY day`, {
		at,
		person
	})) {
		const teams = fromJson<string[]>('coming_moves.member_of', m.member_of);
		due.set(m.person_id, { site: m.site, memberOf: teams });
		memberOf.set(m.person_id, teams);
	}
	return (id, known) => {
		const own = memberOf.get(id) ?? [];
		const key = own.join();
		let placed = alike.get(key);
		if (!placed) {
			const teams = [...new Set(own.flatMap((t) => above.get(t) ?? [t]))];
			alike.set(key, (placed = { team: own[0] ?? '', memberOf: own, teams }));
		}
		const site = due.get(id)?.site ?? known;
		return { ...placed, site, zone: zones.get(site) ?? 'Etc/UTC' };
	};
}

/** Each field by its name: spread out, very many rows take three times as long. */
const fromRow = (
	p: Row,
	{ team, memberOf, teams, site, zone }: ReturnType<ReturnType<typeof placedAt>>
): DirectoryPerson => ({
	id: p.id,
	login: p.login,
	name: p.name,
	team,
	memberOf,
	teams,
	site,
	zone,
	endpoint: p.endpoint,
	device: { name: p.deviceName, certificate: p.proof },
	address: p.address,
	begins: p.begins,
	ends: p.ends,
	employment: p.employment
});

/**
 * Somebody by their login, as they were at a moment, or will be as far as it is known; whether or not they have begun or ended. Null where
 * nobody was known.
 */
export function personCalled(db: Db, login: string, at: number): DirectoryPerson | null {
	const row = one<Row>(db, `${PEOPLE} WHERE p.login = @login`, { login, at });
	return row ? fromRow(row, placedAt(db, at, row.id)(row.id, row.site)) : null;
}

/** Goes up whenever what devices prove changes, or who is on which. */
const proofRevision = (db: Db): number => one<{ number: number }>(db, 'SELECT number FROM proof_revision')!.number;

/** What was read last for a database: the present, and a past moment or two that somebody looks at. */
const known = new WeakMap<Db, LRUCache<string, readonly DirectoryPerson[]>>();
const MOMENTS = 3;

/** The last moment up to one at which anything that is asked of a directory changes by itself. */
const LAST = `SELECT max(${[
	['memberships', 'since'],
	['memberships', 'until'],
	['team_nesting', 'since'],
	['team_nesting', 'until'],
	['person_facts', 'since'],
	['person_facts', 'until'],
	['person_facts', 'begins'],
	['person_facts', 'ends'],
	['coming_moves', 'day'],
	['person_endpoints', 'since'],
	['person_endpoints', 'until'],
	['kept_endpoints', 'since'],
	['kept_endpoints', 'until'],
	['endpoint_certificates', 'since'],
	['endpoint_certificates', 'ends'],
	['revoked_certificates', 'at']
]
	.map(([table, column]) => `coalesce((SELECT max(${column}) FROM ${table} WHERE ${column} <= @at), 0)`)
	.join(', ')}) AS at`;

/**
 * Everybody who was there at a moment, who had begun and not ended, as they were; of a moment to come, as far as it is known. Read again
 * when somebody has changed. Shared: nobody may change it.
 */
export function everybody(db: Db, at: number): readonly DirectoryPerson[] {
	const revision = directoryRevision(db);
	// All moments between two changes are alike.
	const key = `${revision} ${proofRevision(db)} ${one<{ at: number }>(db, LAST, { at })!.at}`;
	let kept = known.get(db);
	if (!kept) known.set(db, (kept = new LRUCache({ max: MOMENTS })));
	let people = kept.get(key);
	if (!people) {
		const placed = placedAt(db, at);
		people = all<Row>(db, `${PEOPLE} WHERE ${HERE} ORDER BY p.id`, { at }).map((p) => fromRow(p, placed(p.id, p.site)));
		kept.set(key, people);
	}
	return people;
}

/**
 * The login of whoever signs in by what they typed: a login, or the mail address of one person alone who has begun or will. Null where
 * it is nobody's, or more than one person's.
 */
export function loginTyped(db: Db, typed: string, at: number): string | null {
	if (one(db, 'SELECT 1 FROM people WHERE login = ?', [typed])) return typed;
	if (!typed.includes('@')) return null;
	const found = all<{ login: string }>(
		db,
		`SELECT p.login FROM person_facts f JOIN people p ON p.id = f.person_id
		 WHERE f.mail = @typed COLLATE NOCASE AND ${asOf('person_facts f')} AND f.ends > @at LIMIT 2`,
		{ typed, at }
	);
	return found.length === 1 ? found[0]!.login : null;
}

/** Somebody as they are spoken of: their name, their home team's, and the time zone of their site; undefined where there is nobody. */
export function personWords(
	db: Db,
	login: string,
	at: number
): { name: string; team: string; zone: string } | undefined {
	return one(
		db,
		`SELECT p.name, coalesce(t.name, 'no team') AS team, s.time_zone AS zone FROM people p JOIN ${factsOf('p.id')} JOIN sites s ON s.id = f.site_id
		 LEFT JOIN teams t ON t.id = ${homeTeam('p.id')} WHERE p.login = @login`,
		{ login, at }
	);
}

/** How facts of people are said: teams, sites and people by their names, moments as days of a site. */
export function saidBy(db: Db): Said {
	const named = (sql: string) => new Map(all<{ id: string; name: string }>(db, sql).map((r) => [r.id, r.name]));
	const teams = named('SELECT id, name FROM teams');
	const sites = named('SELECT id, name FROM sites');
	const zones = named('SELECT id, time_zone AS name FROM sites');
	const zone = (site: string) => zones.get(site) ?? 'Etc/UTC';
	return {
		team: (id) => teams.get(id) ?? id,
		site: (id) => sites.get(id) ?? id,
		person: (login) => one<{ name: string }>(db, 'SELECT name FROM people WHERE login = ?', [login])?.name ?? login,
		day: (at, site) => dayWords(zone(site), at)
	};
}
