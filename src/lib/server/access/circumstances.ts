import { decideOpening, type AccessRequest, type Decision, type GrantRule } from '$lib/core/access/decide';
import { UNKNOWN_DEVICE, type DeviceProof } from '$lib/core/endpoints/proof';
import { compareAccess, type AccessChange, type PersonRequests, type Way } from '$lib/core/access/compare';
import { momentOf } from '$lib/core/time/zone';
import { DAY, MINUTE } from '$lib/core/time/units';
import type { Explained } from '$lib/core/why/explained';
import { allColumns, one, type Db } from '../db';
import { type GrantRow, grantsAt, publicationsAt } from '../publications';
import { type DirectoryPerson, everybody, personCalled } from '../directory';
import { doorsAt } from '../publishing';

/** Any device that is managed. */
const MANAGED_DEVICE: DeviceProof = { name: null, certificate: 'good' };

/** A grant as the core decides on it. */
export const asRule = (
	g: Pick<GrantRow, 'id' | 'toKind' | 'toId' | 'toLogin' | 'toName' | 'conditions' | 'channels'>
): GrantRule => ({
	id: String(g.id),
	to: { kind: g.toKind, id: g.toKind === 'person' ? g.toLogin! : g.toId, name: g.toName },
	conditions: g.conditions,
	channels: g.channels
});

/** A request as a person would make it: from where they sit, with what they sit at, at a time. */
function requestOf(p: DirectoryPerson, at: number, address = p.address): AccessRequest {
	return {
		personId: p.login,
		teams: [...p.teams],
		at,
		zone: p.zone,
		address,
		device: p.device,
		secondFactor: true,
		begins: p.begins,
		ends: p.ends
	};
}

/** A moment, on whose day grants count; or a day, such as 2026-12-01, which begins for each person when it does at their site. */
export type OnDay = number | string;

/** The moment that a day is judged by for somebody in a zone: noon there, or now once that has passed. */
const onDay = (on: OnDay, zone: string, now: number): number =>
	typeof on === 'number' ? on : Math.max(now, momentOf(zone, Date.parse(`${on}T00:00:00Z`) / DAY, 720));

/**
 * Everybody whom a set of grants can reach, with their last sign-ins to a publication in 14 days (20 at most), or
 * one made now by those who have none. `on`: the moment on whose day grants have begun or run out.
 */
export function requestsFor(
	db: Db,
	publication: string,
	now: number,
	reaching: GrantRule[],
	on: OnDay = now
): PersonRequests[] {
	const teams = new Set(reaching.flatMap((g) => (g.to.kind === 'team' ? [g.to.id] : [])));
	const logins = new Set(reaching.flatMap((g) => (g.to.kind === 'person' ? [g.to.id] : [])));
	const past = lastSignIns(db, publication, now);
	const reached: PersonRequests[] = [];
	for (const p of everybody(db, now)) {
		if (!logins.has(p.login) && !p.teams.some((t) => teams.has(t))) continue;
		const day = onDay(on, p.zone, now);
		const signIns = past.get(p.id) ?? [{ at: now, address: p.address }];
		reached.push({
			id: p.login,
			name: p.name,
			requests: signIns.map((s) => ({ ...requestOf(p, s.at, s.address), on: day }))
		});
	}
	return reached;
}

/**
 * Whom a change of the way into a publication lets in and keeps out, tried on what they really asked for. `on`: the moment on
 * whose day grants have begun or run out.
 */
export const changeOfWay = (
	db: Db,
	publication: string,
	now: number,
	before: Way,
	after: Way,
	on: OnDay = now
): AccessChange =>
	compareAccess(requestsFor(db, publication, now, [...before.grants, ...after.grants], on), before, after);

interface SignIn {
	at: number;
	address: string;
}

/** Ms of the wall that they are kept: on a large estate they are many. */
const KEPT = 5000;

/** What was read last for a database: one plan asks the same several times. */
const signIns = new WeakMap<Db, { key: string; byPerson: ReadonlyMap<number, SignIn[]> }>();

/** The last sign-ins to a publication in 14 days, to the minute: by person, 20 at most, the newest first. */
function lastSignIns(db: Db, publication: string, now: number): ReadonlyMap<number, SignIn[]> {
	const minute = Math.floor(now / MINUTE);
	const newest = one<{ id: number | null }>(db, 'SELECT max(id) AS id FROM connections')!.id;
	const key = `${minute} ${newest} ${publication}`;
	const known = signIns.get(db);
	if (known?.key === key) return known.byPerson;
	const byPerson = new Map<number, SignIn[]>();
	for (const [person, at, address] of allColumns<[number, number, string]>(
		db,
		'SELECT person_id, began, address FROM connections WHERE publication_id = ? AND ended > ? AND ended <= ? ORDER BY ended DESC',
		[publication, minute * MINUTE - 14 * DAY, now]
	)) {
		const list = byPerson.get(person);
		if (!list) byPerson.set(person, [{ at, address }]);
		else if (list.length < 20) list.push({ at, address });
	}
	const entry = { key, byPerson };
	signIns.set(db, entry);
	setTimeout(() => signIns.get(db) === entry && signIns.delete(db), KEPT).unref();
	return byPerson;
}

export interface AccessQuestion {
	login: string;
	publication: string;
	at: number;
	address: string | null;
	/** Whether what they ask from is managed; null: as what they were on last. */
	managed: boolean | null;
	secondFactor: boolean;
}

/** What a person would ask with, where they sit and with what they sit at. Null when there is no such person. */
export function requestOfPerson(db: Db, login: string, at: number, secondFactor: boolean): AccessRequest | null {
	const p = personCalled(db, login, at);
	return p ? { ...requestOf(p, at), secondFactor } : null;
}

/** May this person open that publication, from there, at that time? Null when there is no such person. */
export function testAccess(db: Db, q: AccessQuestion): (Explained<Decision> & { request: AccessRequest }) | null {
	const p = personCalled(db, q.login, q.at);
	if (!p) return null;
	const request: AccessRequest = {
		...requestOf(p, q.at, q.address ?? p.address),
		device: q.managed === null ? p.device : q.managed ? MANAGED_DEVICE : UNKNOWN_DEVICE,
		secondFactor: q.secondFactor
	};
	const rules = grantsAt(db, q.at)
		.filter((g) => g.publication === q.publication)
		.map(asRule);
	const publication = publicationsAt(db, q.at).find((x) => x.id === q.publication);
	return { ...decideOpening(request, publication ? doorsAt(db, q.at)(publication) : {}, rules), request };
}
