import {
	firstWithRoom,
	goesOnIn,
	landAll,
	servingPools,
	type Crowd,
	type OpenSession,
	type Room
} from '$lib/core/access/broker';
import { countWords } from '$lib/core/time/units';
import type { Explained, Fact } from '$lib/core/why/explained';
import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';
import { siteOf } from '../moment/people-sql';
import { waysOf } from '../estate';
import { personCalled } from '../directory';
import { poolsAt, type PoolRow } from '../pools';
import { publicationsAt, type PublicationRow } from '../publications';
import { servedBy } from './serving';
import { poolCounts } from '../watch';

/** Where somebody would land: pools in the order in which the broker tries them. */
export interface Landing {
	pools: { id: string; name: string }[];
	/** The first of them that has room for them at the moment; null where they would wait. */
	first: string | null;
	/** The machine with a session of theirs in which they go on. */
	resumes: string | null;
}

/**
 * Where people who are let in would land at a moment, by the rules that the broker itself goes by: asks by login and publication. Null where
 * there is no such person or publication. What is true for everybody is read once.
 */
export function landingsAt(db: Db, at: number): (login: string, publication: string) => Explained<Landing> | null {
	const publications = publicationsAt(db, at);
	const serving = poolsOf(db, at);
	const way = waysOf(db);
	const room = roomAt(db, at);
	return (login, publication) => {
		const person = personCalled(db, login, at);
		const pub = publications.find((p) => p.id === publication);
		return person && pub ? landing(db, at, person, pub, serving(pub), way, room) : null;
	};
}

/** Where one person would land in one publication at a moment. */
export const landingOf = (db: Db, login: string, publication: string, at: number): Explained<Landing> | null =>
	landingsAt(db, at)(login, publication);

function landing(
	db: Db,
	at: number,
	person: { id: number; site: string },
	pub: PublicationRow,
	pools: PoolRow[],
	way: (from: string, to: string) => number,
	room: RoomFor
): Explained<Landing> {
	if (pub.reaches !== null)
		return {
			value: { pools: [], first: null, resumes: null },
			facts: [{ words: 'it opens in a browser alone, on no machine', source: 'publications' }]
		};
	const serving = servingPools(person.site, pools, (to) => way(person.site, to));
	const first = firstWithRoom(serving.value, room(person.id));
	const on = goesOnIn(
		sessionsOpen(db, person.id, at),
		pub.id,
		pub.app !== null,
		serving.value.map((p) => p.id)
	);
	return {
		value: {
			pools: serving.value.map((p) => ({ id: p.id, name: p.name })),
			first: on.value?.poolName ?? first.value?.name ?? null,
			resumes: on.value?.machine ?? null
		},
		facts: [...on.facts, ...serving.facts, ...first.facts]
	};
}

/** The sessions that somebody has open at a moment, oldest first, as the broker looks at them. */
const sessionsOpen = (db: Db, person: number, at: number): (OpenSession & { poolName: string })[] =>
	all<Omit<OpenSession, 'up' | 'known'> & { poolName: string | null; state: string }>(
		db,
		`SELECT s.publication_id AS publication, m.name AS machine, m.pool_id AS pool, p.name AS poolName, st.state, s.since
		 FROM sessions s JOIN machines m ON m.id = s.machine_id LEFT JOIN pools p ON p.id = m.pool_id AND ${asOf('pools p')}
		 JOIN machine_states st ON st.machine_id = m.id AND ${asOf('machine_states st')}
		 WHERE s.person_id = @person AND ${asOf('sessions s')} ORDER BY s.since, s.id`,
		{ person, at }
	).map(({ state, poolName, ...s }) => ({
		...s,
		poolName: poolName ?? s.pool,
		known: poolName !== null,
		up: state === 'ready' || state === 'in use'
	}));

/** The pools that serve a publication at a moment, in its order, as the broker has them. */
function poolsOf(db: Db, at: number): (pub: PublicationRow) => PoolRow[] {
	const serves = servedBy(db, at);
	const pools = new Map(poolsAt(db, at).map((p) => [p.id, p]));
	return (pub) => serves(pub).flatMap((id) => pools.get(id) ?? []);
}

/** What each pool has for a person, or for one who keeps nothing, null. */
type RoomFor = (person: number | null) => (p: PoolRow) => Room;

/** What each pool has for somebody at a moment. */
function roomAt(db: Db, at: number): RoomFor {
	const counts = poolCounts(db, at);
	return (person) => (p) => {
		const c = counts.get(p.id);
		const seats = Math.max(0, (c?.usable ?? 0) * p.perMachine - (c?.sessions ?? 0));
		return { seats, ...(p.assignment === 'personal' ? keptIn(db, p.id, person, at) : { own: 0, unkept: 0 }) };
	};
}

/** Machines of a personal pool that somebody keeps, and that nobody keeps and that have not failed. */
const keptIn = (db: Db, pool: string, person: number | null, at: number): { own: number; unkept: number } =>
	one(
		db,
		`SELECT coalesce(sum(pl.owner_id = @person), 0) AS own, coalesce(sum(pl.owner_id IS NULL AND st.state <> 'failed'), 0) AS unkept FROM machines m
		 JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl')}
		 JOIN machine_states st ON st.machine_id = m.id AND ${asOf('machine_states st')}
		 WHERE m.pool_id = @pool AND ${asOf('machines m')}`,
		{ pool, person, at }
	)!;

/** How many sites are named one by one; those with the most people come first. */
const SITES = 6;

/**
 * What people who are let in to a publication find, were they all to open it at a moment: a reason for each site with the most of them,
 * and a warning where people can have no machine of their own, which no policy mends by itself.
 * @param pub the publication as it will be
 */
export function landingFacts(
	db: Db,
	pub: PublicationRow,
	people: readonly { id: string }[],
	at: number
): { warnings: Fact[]; reasons: Fact[] } {
	const pools = poolsOf(db, at)(pub);
	if (people.length === 0 || pools.length === 0) return { warnings: [], reasons: [] };
	const logins = JSON.stringify(people.map((p) => p.id));
	// From the machines to their owners: nothing finds the machines of somebody but looking at all of them.
	const personal = pools.filter((p) => p.assignment === 'personal');
	const kept = all<{ site: string; pool: string; n: number }>(
		db,
		`SELECT ${siteOf('p.id')} AS site, m.pool_id AS pool, count(DISTINCT p.id) AS n
		 FROM machines m CROSS JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl')} CROSS JOIN people p ON p.id = pl.owner_id
		 WHERE m.pool_id IN (SELECT value FROM json_each(@pools)) AND ${asOf('machines m')} AND p.login IN (SELECT value FROM json_each(@logins))
		 GROUP BY 1, 2`,
		{ at, logins, pools: JSON.stringify(personal.map((p) => p.id)) }
	);
	const crowds = sitesOf(db, logins, at).map((s): Crowd => ({
		...s,
		keep: new Map(kept.filter((k) => k.site === s.site).map((k) => [k.pool, k.n]))
	}));
	const { value, facts } = landAll(crowds, pools, waysOf(db), roomAt(db, at)(null));
	const without = value.reduce((n, l) => n + l.wait, 0);
	const more = facts.length - SITES;
	return {
		warnings:
			personal.length === pools.length && without
				? [
						{
							words: `${countWords(without, 'person finds', 'people find')} no machine: every one is somebody’s, or has failed`,
							side: 'against',
							source: 'broker'
						}
					]
				: [],
		reasons: [
			...facts.slice(0, SITES),
			...(more > 0 ? [{ words: `and so on, at ${countWords(more, 'more site')}`, source: 'broker' }] : [])
		]
	};
}

/**
 * Who is sent elsewhere when other pools serve a publication, or the same in another order: a reason for each site whose people are tried in
 * another pool first.
 */
export function movedFacts(
	db: Db,
	before: PublicationRow,
	after: PublicationRow,
	people: readonly string[],
	at: number
): Fact[] {
	const serving = poolsOf(db, at);
	const [had, has] = [serving(before), serving(after)];
	if (had.map((p) => p.id).join('\n') === has.map((p) => p.id).join('\n')) return [];
	const way = waysOf(db);
	const first = (pools: PoolRow[], site: string) => servingPools(site, pools, (to) => way(site, to)).value[0];
	return sitesOf(db, JSON.stringify(people), at)
		.flatMap(({ site, name, people: n }): Fact[] => {
			const [was, is] = [first(had, site), first(has, site)];
			if (was?.id === is?.id) return [];
			return [
				{
					words: `${countWords(n, 'person', 'people')} at ${name} ${n === 1 ? 'is' : 'are'} tried in ${is?.name ?? 'no pool'} first, no longer in ${was?.name ?? 'none'}`,
					about: { kind: 'site', id: site, name },
					source: 'broker'
				}
			];
		})
		.slice(0, SITES);
}

/** The sites of people, those with the most of them first. */
const sitesOf = (db: Db, logins: string, at: number): { site: string; name: string; people: number }[] =>
	all(
		db,
		`SELECT s.id AS site, s.name, count(*) AS people FROM people p JOIN sites s ON s.id = ${siteOf('p.id')}
		 WHERE p.login IN (SELECT value FROM json_each(@logins)) GROUP BY s.id ORDER BY people DESC, s.id`,
		{ logins, at }
	);
