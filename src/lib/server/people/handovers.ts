import { ownerless, type Afterwards, type Belongings, type Heir, type SessionsEnd } from '$lib/core/people/handover';
import { isHere } from '$lib/core/people/record';
import { FOREVER } from '$lib/core/time/units';
import { momentOf, wallTime } from '$lib/core/time/zone';
import type { Fact } from '$lib/core/why/explained';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { fromJson } from '../db/json';
import { personCalled, recordOf } from '../directory';
import { devicesLeftBy } from '../endpoints';
import { operators, tokensOf } from '../identity/accounts';
import { hasFactor } from '../identity/factor';
import { factsOf, HERE } from '../moment/people-sql';
import { grantsAt, publicationsAt } from '../publications';
import { schedulesAt } from '../schedules';

/** What has gone to whoever took over. */
export interface Handed {
	answersFor: string[];
	reports: string[];
	schedules: number[];
}

/** What has been agreed for somebody who leaves. */
export interface Handover {
	stage: 'agreed' | 'handed' | 'cleared';
	sessions: SessionsEnd;
	words: string;
	/** The login of whoever takes over. */
	to: string | null;
	after: Afterwards;
	keepDays: number;
	handed: Handed;
	by: string;
	since: number;
}

/** What is agreed for somebody at a moment; null where nothing is. */
export function handoverOf(db: Db, person: number, at: number): Handover | null {
	const row = one<Omit<Handover, 'handed'> & { handed: string }>(
		db,
		`SELECT h.stage, h.sessions, h.words, p.login AS "to", h.after, h.keep_days AS keepDays, h.handed, h.by, h.since
		 FROM handovers h LEFT JOIN people p ON p.id = h.to_id WHERE h.person_id = @person AND ${asOf('handovers h')}`,
		{ person, at }
	);
	return row ? { ...row, handed: fromJson<Handed>('handovers.handed', row.handed) } : null;
}

export const zoneOf = (db: Db, site: string): string =>
	one<{ zone: string }>(db, 'SELECT time_zone AS zone FROM sites WHERE id = ?', [site])?.zone ?? 'Etc/UTC';

/** Until when what somebody leaves is kept, ms UTC: so many days of their site's calendar after their last moment. */
export function keptUntil(db: Db, { ends, site }: { ends: number; site: string }, keepDays: number): number {
	const zone = zoneOf(db, site);
	const { day, minute } = wallTime(zone, ends);
	return momentOf(zone, day + keepDays, minute);
}

/** What of an estate is looked through for whatever hangs on somebody: read once where many are asked about. */
export const estateAt = (db: Db, at: number) => ({
	publications: publicationsAt(db, at),
	grants: grantsAt(db, at),
	operators: operators(db, at).filter((o) => !o.disabled),
	schedules: schedulesAt(db, at),
	tokens: tokensOf(db).filter((t) => t.revoked_at === null)
});
export type EstateThen = ReturnType<typeof estateAt>;

/** What somebody has at a moment, and what hangs on them; what has no past is as it is now. */
export function belongingsOf(db: Db, login: string, at: number, estate: EstateThen = estateAt(db, at)): Belongings {
	const p = recordOf(db, login, at)!;
	const operator = estate.operators.find((o) => o.login === login);
	return {
		answersFor: estate.publications.filter((x) => x.owner === login).map((x) => ({ id: x.id, name: x.internalName })),
		machines: all<{ name: string; pool: string; poolName: string }>(
			db,
			`SELECT m.name, m.pool_id AS pool, po.name AS poolName FROM machine_spots pl JOIN machines m ON m.id = pl.machine_id AND ${asOf('machines m')}
			 JOIN pools po ON po.id = m.pool_id AND ${asOf('pools po')} WHERE pl.owner_id = @id AND ${asOf('machine_spots pl')} ORDER BY m.name`,
			{ id: p.id, at }
		),
		profile: one<{ profile: number }>(db, 'SELECT profile FROM people WHERE id = ?', [p.id])!.profile,
		reports: all<{ login: string; name: string; source: string }>(
			db,
			`SELECT p.login, p.name, p.source FROM people p JOIN ${factsOf('p.id')} WHERE f.manager_id = @id AND ${HERE} ORDER BY p.name`,
			{ id: p.id, at }
		).map(({ login, name, source }) => ({ login, name, told: source !== 'here' })),
		schedules: operator
			? estate.schedules.filter((s) => s.operator === operator.id).map(({ id, title }) => ({ id, title }))
			: [],
		requests: one<{ n: number }>(
			db,
			'SELECT count(*) AS n FROM requests WHERE person_id = @id AND at <= @at AND (answered_at IS NULL OR answered_at > @at)',
			{ id: p.id, at }
		)!.n,
		grants: estate.grants.filter((g) => g.toLogin === login).map((g) => ({ id: g.id, name: g.publicationName })),
		role: operator?.assignments.map((a) => a.name).join(' and ') || null,
		tokens: operator ? estate.tokens.filter((t) => t.operator === operator.id).map((t) => t.name) : [],
		sessions: all<{ id: number; machine: string }>(
			db,
			`SELECT s.id, m.name AS machine FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE s.person_id = @id AND ${asOf('sessions s')}`,
			{ id: p.id, at }
		),
		devices: devicesLeftBy(db, p.id, at),
		factor: hasFactor(db, { kind: 'person', id: p.id })
	};
}

/** Whoever takes over, as they are at a moment; null where they are not there. */
export function heirOf(db: Db, login: string, at: number): Heir | null {
	const p = personCalled(db, login, at);
	if (!p || !isHere(p, at)) return null;
	const keeps = all<{ pool: string }>(
		db,
		`SELECT DISTINCT m.pool_id AS pool FROM machine_spots pl JOIN machines m ON m.id = pl.machine_id AND ${asOf('machines m')} WHERE pl.owner_id = @id AND ${asOf('machine_spots pl')}`,
		{ id: p.id, at }
	).map((m) => m.pool);
	return { login, name: p.name, operates: operators(db, at).some((o) => o.login === login && !o.disabled), keeps };
}

/** People who have ended and for whom nothing is agreed, though they leave something that would have no owner: longest gone first. */
export const leftBehind = (db: Db, at: number): { login: string; name: string; ends: number }[] =>
	all(
		db,
		`SELECT p.login, p.name, f.ends FROM people p JOIN ${factsOf('p.id')} WHERE f.ends <= @at
		 AND NOT EXISTS (SELECT 1 FROM handovers h WHERE h.person_id = p.id AND ${asOf('handovers h')})
		 AND (EXISTS (SELECT 1 FROM publications x WHERE x.owner = p.login AND ${asOf('publications x')})
			OR EXISTS (SELECT 1 FROM machine_spots pl JOIN machines m ON m.id = pl.machine_id AND ${asOf('machines m')} WHERE pl.owner_id = p.id AND ${asOf('machine_spots pl')}))
		 ORDER BY f.ends, p.login LIMIT 500`,
		{ at }
	);

/** What somebody leaves of whom nothing is agreed. */
export function leftFacts(db: Db, login: string, at: number): Fact[] {
	const has = belongingsOf(db, login, at);
	return [
		...ownerless(has, null, 'remove'),
		...has.machines.map((m): Fact => ({
			words: `${m.name} is still theirs`,
			side: 'against',
			source: 'compute provider',
			about: { kind: 'machine', id: m.name }
		}))
	];
}

/** People who have ended and may still sign in to the console: what that is, an owner takes from them. */
export const openAccounts = (
	db: Db,
	at: number
): { operator: number; login: string; name: string; role: string; ends: number }[] =>
	all(
		db,
		`SELECT o.id AS operator, p.login, p.name, coalesce((SELECT group_concat(a.role, ' and ') FROM assignments a WHERE a.operator_id = o.id AND ${asOf('assignments a')}), 'nothing') AS role, f.ends FROM operators o JOIN people p ON p.login = o.login JOIN ${factsOf('p.id')}
		 WHERE o.disabled = 0 AND o.password <> '' AND f.ends <= @at ORDER BY f.ends, p.login LIMIT 100`,
		{ at }
	);

/** Something that is due of a handover. */
export interface DueHandover {
	id: number;
	login: string;
	name: string;
	by: string;
	due: 'hand over' | 'clear' | 'return';
	/** When it was last tried, ms UTC; 0: never. */
	tried: number;
}

/** Handovers of which something is due at a moment. */
export const dueHandovers = (db: Db, now: number): DueHandover[] =>
	all<Omit<DueHandover, 'due'> & { stage: Handover['stage']; ends: number; site: string; keepDays: number }>(
		db,
		`SELECT p.id, p.login, p.name, h.by, h.stage, f.ends, f.site_id AS site, h.keep_days AS keepDays, coalesce(r.at, 0) AS tried
		 FROM handovers h JOIN people p ON p.id = h.person_id JOIN person_facts f ON f.person_id = p.id AND f.until = ${FOREVER}
		 LEFT JOIN handover_refusals r ON r.person_id = p.id
		 WHERE h.until = ${FOREVER} AND h.stage IN ('agreed', 'handed') ORDER BY f.ends, p.id`
	).flatMap(({ stage, ends, site, keepDays, ...h }): DueHandover[] => {
		if (stage === 'agreed') return ends <= now ? [{ ...h, due: 'hand over' }] : [];
		// Whoever tells of them has brought them back.
		if (ends > now) return [{ ...h, due: 'return' }];
		return keptUntil(db, { ends, site }, keepDays) <= now ? [{ ...h, due: 'clear' }] : [];
	});

/** Handovers that were due and refused, with why. */
export const refusedHandovers = (db: Db, at: number): { login: string; words: string; at: number }[] =>
	all(
		db,
		`SELECT p.login, r.words, r.at FROM handover_refusals r JOIN people p ON p.id = r.person_id WHERE r.words <> '' AND r.at <= ? ORDER BY r.at, p.id LIMIT 100`,
		[at]
	);
