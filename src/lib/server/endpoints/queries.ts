import { readCondition, type Device } from '$lib/core/endpoints/condition';
import type { EndpointKind } from '$lib/core/endpoints/kinds';
import { Tree, type Branch, type EnrolmentRule, type Stands, type Starts } from '$lib/core/endpoints/rules';
import { wakers } from '$lib/core/endpoints/waking';
import { DAY, FOREVER } from '$lib/core/time/units';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { teamsAbove } from '../directory';
import { SEXTANT } from '../moment/endpoint-sql';
import { heldBack } from './announced';

/** Starts are kept, and rules are tried on them, for so long, ms. */
export const KEPT = 30 * DAY;

/** Goes up whenever branches or rules change. */
export const endpointRevision = (db: Db): number =>
	one<{ number: number }>(db, 'SELECT number FROM endpoint_revision')!.number;

/** Branches at a moment, by their names. */
export const branchesAt = (db: Db, at: number): Branch[] =>
	all(
		db,
		`SELECT id, name, parent_id AS parent, site_id AS site FROM branches WHERE ${asOf('branches')} ORDER BY name, id`,
		{ at }
	);

/** A rule with its condition as it was written. */
export type RuleRow = EnrolmentRule & { text: string; since: number };

/** Enrolment rules at a moment, in their order. One whose condition cannot be read fits nothing. */
export const rulesAt = (db: Db, at: number): RuleRow[] =>
	all<{
		id: number;
		name: string;
		text: string;
		into: string;
		bySite: number;
		whom: EnrolmentRule['whom'];
		often: EnrolmentRule['often'];
		deeper: EnrolmentRule['deeper'];
		since: number;
	}>(
		db,
		`SELECT id, name, condition AS text, into_id AS "into", by_site AS bySite, whom, often, deeper, since FROM enrolment_rules WHERE ${asOf('enrolment_rules')} ORDER BY position, id`,
		{ at }
	).map((r) => {
		const condition = readCondition(r.text);
		return {
			...r,
			bySite: r.bySite === 1,
			condition: 'is' in condition ? condition : { is: 'not', of: { is: 'any' } }
		};
	});

/** A device as it is known at a moment. */
export interface EndpointRow {
	id: number;
	serial: string;
	name: string;
	device: EndpointKind;
	model: string;
	hardware: string;
	firmware: string;
	address: string;
	site: string | null;
	/** Who was on it last, by login and name. */
	person: string | null;
	personName: string | null;
	state: 'awake' | 'asleep';
	/** Since when it is awake or asleep, ms UTC. */
	stateSince: number;
	/** Who is on it now. */
	on: string | null;
	branch: string | null;
	rule: number | null;
	/** Who put it there by hand. */
	by: string | null;
	spotSince: number;
	why: string;
	key: string;
	firstAt: number;
	/** Another device has called in with the same serial number. */
	copies: number;
}

const ROWS = `SELECT e.id, e.serial, e.key, e.first_at AS firstAt, f.name, f.device, f.model, f.hardware, f.firmware, f.address, f.site_id AS site,
	p.login AS person, p.name AS personName, st.state, st.since AS stateSince, o.login AS "on", sp.branch_id AS branch, sp.rule_id AS rule, sp.by, sp.since AS spotSince, sp.why,
	(SELECT count(*) FROM endpoints c JOIN endpoint_facts cf ON cf.endpoint_id = c.id AND ${asOf('endpoint_facts cf')} WHERE c.serial = e.serial) - 1 AS copies
	FROM endpoints e JOIN endpoint_facts f ON f.endpoint_id = e.id AND ${asOf('endpoint_facts f')}
	JOIN endpoint_states st ON st.endpoint_id = e.id AND ${asOf('endpoint_states st')}
	JOIN endpoint_spots sp ON sp.endpoint_id = e.id AND ${asOf('endpoint_spots sp')}
	LEFT JOIN people p ON p.id = f.person_id LEFT JOIN people o ON o.id = st.person_id`;

/** Every device that is known at a moment, by name; those of a condition on its facts `f`, state `st` and spot `sp`, if so asked. */
export const endpointsAt = (db: Db, at: number, where = '1'): EndpointRow[] =>
	all(db, `${ROWS} WHERE ${where} ORDER BY f.name, e.id`, { at });

/** Those that stand in no branch. */
export const NOWHERE = 'sp.branch_id IS NULL';

/** One device by its number; null where none is known at a moment. */
export const endpointById = (db: Db, id: number, at: number): EndpointRow | null =>
	one<EndpointRow>(db, `${ROWS} WHERE e.id = @id`, { id, at }) ?? null;

/** The device that somebody is on at a moment, or was on last; null where none is known. */
export const endpointOf = (db: Db, person: number, at: number): EndpointRow | null =>
	one<EndpointRow>(db, `${ROWS} WHERE f.person_id = @person ORDER BY st.since DESC LIMIT 1`, { person, at }) ?? null;

/** The devices that somebody is on at a moment, or was on last: those that are awake first. */
export const devicesOf = (db: Db, person: number, at: number): EndpointRow[] =>
	all(db, `${ROWS} WHERE f.person_id = @person ORDER BY st.state, st.since DESC, e.id LIMIT 20`, { person, at });

/** Teams of somebody with those above at a moment, by their number: what rules ask of a device's person. */
export function teamsOf(db: Db, at: number): (person: number | null) => readonly string[] {
	const above = teamsAbove(db, at);
	const known = new Map<number, readonly string[]>();
	return (person) => {
		if (person === null) return [];
		let teams = known.get(person);
		if (!teams) {
			teams = [
				...new Set(
					all<{ team: string }>(
						db,
						`SELECT team_id AS team FROM memberships WHERE person_id = @person AND ${asOf('memberships')}`,
						{ person, at }
					).flatMap((m) => above.get(m.team) ?? [m.team])
				)
			];
			known.set(person, teams);
		}
		return teams;
	};
}

const personId = (db: Db, login: string | null): number | null =>
	login === null ? null : (one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [login])?.id ?? null);

/** A device as rules see it. */
export const deviceOf = (db: Db, e: EndpointRow, teams: (person: number | null) => readonly string[]): Device => ({
	serial: e.serial,
	name: e.name,
	model: e.model,
	hardware: e.hardware,
	firmware: e.firmware,
	address: e.address,
	site: e.site,
	teams: teams(personId(db, e.person))
});

export const standsOf = (e: Pick<EndpointRow, 'branch' | 'rule' | 'by' | 'spotSince'>): Stands => ({
	branch: e.branch,
	rule: e.rule,
	byHand: e.by === null ? null : e.spotSince
});

/** Every device that stands in a branch or waits for a rule: those that rules are tried on. Copies are none of them, nor is what is not let in. */
export function devicesNow(db: Db, at: number, where?: string): { row: EndpointRow; device: Device; stands: Stands }[] {
	const teams = teamsOf(db, at);
	const held = heldBack(db, at);
	return endpointsAt(db, at, where)
		.filter((e) => e.why !== COPY && !isKeptOut(e) && (e.branch !== null || held(e) === null))
		.map((row) => ({ row, device: deviceOf(db, row, teams), stands: standsOf(row) }));
}

/** Whether a device is kept out, by whoever it was: rules are not asked. */
export const isKeptOut = (e: Pick<EndpointRow, 'branch' | 'by'>): boolean => e.branch === null && e.by !== null;
/** Whether it waits for somebody to let it in; what somebody has shut out does not. */
export const waits = (e: Pick<EndpointRow, 'branch' | 'by'>): boolean =>
	e.branch === null && (e.by === null || e.by === SEXTANT);

/** Whether somebody has shut it out: it is let in by no rule, and nobody in by it. */
export const isShutOut = (e: Pick<EndpointRow, 'branch' | 'by'>): boolean => e.branch === null && !waits(e);

/** Sessions that somebody is active in from some devices now. */
export const openFrom = (
	db: Db,
	endpoints: readonly number[]
): { id: number; endpoint: number; login: string; person: string; machine: string }[] =>
	all(
		db,
		`SELECT s.id, c.endpoint_id AS endpoint, p.login, p.name AS person, m.name AS machine FROM sessions s
		 JOIN session_states st ON st.session_id = s.id AND st.until = ${FOREVER} AND st.state = 'active'
		 JOIN connections c ON c.id = (SELECT max(x.id) FROM connections x WHERE x.session_id = s.id AND x.result = 'open')
		 JOIN people p ON p.id = s.person_id JOIN machines m ON m.id = s.machine_id
		 WHERE s.until = ${FOREVER} AND c.endpoint_id IN (SELECT value FROM json_each(@endpoints)) ORDER BY p.name, s.id`,
		{ endpoints: JSON.stringify(endpoints) }
	);

/** Who can wake devices at a moment, or why nobody can. */
export const wakersAt = (db: Db, at: number) =>
	wakers(
		endpointsAt(db, at, `st.state = 'awake'`),
		all<{ range: string }>(db, 'SELECT range FROM endpoint_ranges').map((r) => r.range)
	);

/** Why a copy waits, whatever the rules are. */
export const COPY = 'another device has called in with this serial number and another key';

/** The starts of the last thirty days, those alike taken together. */
export function startsBefore(db: Db, at: number): Starts[] {
	const teams = teamsOf(db, at);
	return all<{
		serial: string;
		name: string;
		model: string;
		hardware: string;
		firmware: string;
		address: string;
		site: string | null;
		person: number | null;
		times: number;
	}>(
		db,
		`SELECT e.serial, f.name, f.model, f.hardware, s.firmware, s.address, s.site_id AS site, s.person_id AS person, count(*) AS times
		 FROM endpoint_starts s JOIN endpoints e ON e.id = s.endpoint_id JOIN endpoint_facts f ON f.endpoint_id = e.id AND ${asOf('endpoint_facts f')}
		 WHERE s.at > @from AND s.at <= @at GROUP BY s.endpoint_id, s.address, s.firmware, s.person_id`,
		{ at, from: at - KEPT }
	).map(({ person, times, ...d }) => ({ device: { ...d, teams: teams(person) }, times }));
}

/** The tree of branches at a moment. */
export const treeAt = (db: Db, at: number): Tree => new Tree(branchesAt(db, at));

/** How many devices stand in each branch, and in it with those below, at a moment. */
export function branchCounts(db: Db, tree: Tree, at: number): Map<string, { here: number; all: number }> {
	const counts = new Map(tree.branches.map((b) => [b.id, { here: 0, all: 0 }]));
	for (const { branch, n } of all<{ branch: string; n: number }>(
		db,
		`SELECT branch_id AS branch, count(*) AS n FROM endpoint_spots WHERE ${asOf('endpoint_spots')} AND branch_id IS NOT NULL GROUP BY branch_id`,
		{ at }
	)) {
		const own = counts.get(branch);
		if (own) own.here = n;
		for (const b of tree.above(branch)) counts.get(b.id)!.all += n;
	}
	return counts;
}

/** Ranges of addresses that the devices of each site sit in. */
export const deviceRanges = (db: Db): { site: string; range: string }[] =>
	all(db, 'SELECT site_id AS site, range FROM endpoint_ranges ORDER BY site_id, range');
