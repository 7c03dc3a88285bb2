import * as v from 'valibot';
import { HOUR } from '$lib/core/time/units';
import { narrow, type Scope } from '$lib/core/scope/scope';
import type { Fact } from '$lib/core/why/explained';
import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import { fromJson } from '../db/json';
import { isHere } from '$lib/core/people/record';
import { recordsOf, saidBy, teamsAbove, type KnownPerson } from '../directory';
import { text } from '../lists/columns';
import { shortList } from '../lists/short';
import { ofTeams } from '../moment/people-sql';
import { poolsAt } from '../pools';
import { publicationsAt } from '../publications';
import { reachedBy } from '../publishing';
import { wanted, type Asks, type DeskState } from './desks';

/** A personal pool that is kept for a team. */
export interface KeptPool {
	pool: string;
	team: string;
	asks: Asks;
	/** So long before their first day machines are made, ms. */
	ahead: number;
	by: string;
	since: number;
}

/** Pools that are kept for teams at a moment, by their ids. */
export const keptPools = (db: Db, at: number): KeptPool[] =>
	all<Omit<KeptPool, 'asks'> & { asks: string }>(
		db,
		`SELECT pool_id AS pool, team_id AS team, asks, ahead, by, since FROM kept_pools WHERE ${asOf('kept_pools')} ORDER BY pool_id`,
		{ at }
	).map((k) => ({ ...k, asks: fromJson<Asks>('kept_pools.asks', k.asks) }));

/** How somebody stands with a pool that is kept for their team. */
export interface Desk {
	pool: string;
	login: string;
	name: string;
	team: string;
	site: string;
	state: DeskState;
	machine: string | null;
	words: string;
	/** When a machine was last made for them or taken back, ms UTC; 0: never. */
	tried: number;
	/** The job of that is under way. */
	busy: boolean;
	/** They keep a machine of it that is not for them. */
	over: boolean;
}

/** Everybody of the team that a pool is kept for, and whoever keeps a machine of it, with how they stand. */
export function desksOf(db: Db, k: KeptPool, at: number): Desk[] {
	const say = saidBy(db);
	const publication =
		k.asks.publication === undefined ? null : publicationsAt(db, at).find((p) => p.id === k.asks.publication);
	const reached = publication ? reachedBy(db, publication, at) : null;
	const holds = (login: string) => ['required', 'fetched'].includes(reached?.get(login)?.having ?? '');
	const members = new Set(
		all<{ login: string }>(db, `SELECT p.login FROM people p WHERE p.id IN ${ofTeams('(SELECT @team)')}`, {
			at,
			team: k.team
		}).map((p) => p.login)
	);
	const keepers = new Map(
		all<{ login: string; machine: string }>(
			db,
			`SELECT p.login, m.name AS machine FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl')}
			 JOIN people p ON p.id = pl.owner_id WHERE m.pool_id = @pool AND ${asOf('machines m')} ORDER BY m.name DESC`,
			{ at, pool: k.pool }
		).map((r) => [r.login, r.machine])
	);
	const tries = new Map(
		all<{ login: string; at: number; words: string; state: string | null; error: string | null; job: number | null }>(
			db,
			`SELECT p.login, t.at, t.words, j.state, j.error, t.job_id AS job FROM desk_tries t JOIN people p ON p.id = t.person_id LEFT JOIN jobs j ON j.id = t.job_id WHERE t.pool_id = ? AND t.at <= ?`,
			[k.pool, at]
		).map((t) => [t.login, t])
	);
	const handing = new Set(
		all<{ login: string }>(
			db,
			`SELECT p.login FROM handovers h JOIN people p ON p.id = h.person_id WHERE ${asOf('handovers h')} AND h.stage <> 'cleared'`,
			{ at }
		).map((p) => p.login)
	);
	const people = recordsOf(db, [...new Set([...members, ...keepers.keys()])], at);
	const stands = (p: KnownPerson): Pick<Desk, 'state' | 'machine' | 'words' | 'tried' | 'busy' | 'over'> => {
		const machine = keepers.get(p.now) ?? null;
		const t = tries.get(p.now);
		const busy = t?.state !== undefined && t.state !== null && ['queued', 'running', 'waiting'].includes(t.state);
		// What went well is not tried: whoever needs one again gets it at once.
		const base = { machine, tried: t && t.state !== 'done' ? t.at : 0, busy, over: false };
		// What somebody leaves is kept for as long as was agreed.
		if (machine !== null && !isHere(p, at) && p.ends <= at && handing.has(p.now))
			return { ...base, state: 'ready', words: 'they have left: it is kept as agreed' };
		const asked = members.has(p.now)
			? wanted(p, k.asks, at, {
					ahead: k.ahead,
					holds,
					publication: publication?.internalName ?? k.asks.publication ?? '',
					day: (t) => say.day(t, p.site)
				})
			: { wanted: false, words: `they are not of ${say.team(k.team)}` };
		if (!asked.wanted)
			return {
				...base,
				state: machine === null ? 'not wanted' : 'ready',
				over: machine !== null,
				words: machine === null ? asked.words : `${asked.words}: it is taken back`
			};
		if (machine !== null) return { ...base, state: 'ready', words: asked.words };
		if (busy) return { ...base, state: 'being made', words: `job ${t!.job} makes it` };
		if (t && t.words !== '') return { ...base, state: 'failed', words: t.words };
		if (t?.state === 'failed') return { ...base, state: 'failed', words: t.error ?? `job ${t.job} failed` };
		return { ...base, state: 'wanted', words: asked.words };
	};
	return [...people.values()]
		.map((p) => ({
			pool: k.pool,
			login: p.now,
			name: p.name,
			team: p.memberOf[0] ?? '',
			site: p.site,
			...stands(p)
		}))
		.sort((a, b) => ORDER.indexOf(a.state) - ORDER.indexOf(b.state) || a.name.localeCompare(b.name));
}

const ORDER: readonly DeskState[] = ['failed', 'wanted', 'being made', 'ready', 'not wanted'];

/** What was refused or failed is tried again after this long, ms. */
const AGAIN = HOUR;

/** Whose machines are to be made, and whose taken back, at a moment. */
export function deskWork(db: Db, k: KeptPool, now: number): { make: Desk[]; back: Desk[] } {
	const due = desksOf(db, k, now).filter((d) => !d.busy && (d.tried === 0 || d.tried <= now - AGAIN));
	return {
		make: due.filter((d) => d.state === 'wanted' || d.state === 'failed'),
		back: due.filter((d) => d.over)
	};
}

const row = v.strictObject({
	id: text,
	pool: text,
	poolName: text,
	person: text,
	name: text,
	team: text,
	site: text,
	state: v.picklist(['ready', 'being made', 'wanted', 'failed', 'not wanted']),
	machine: v.nullable(text),
	words: text
});

/** Every desk of every pool that is kept for a team. */
function allDesks(db: Db, at: number): v.InferOutput<typeof row>[] {
	const names = new Map(poolsAt(db, at).map((p) => [p.id, p.name]));
	return keptPools(db, at).flatMap((k) =>
		desksOf(db, k, at).map((d) => ({
			id: `${d.pool}:${d.login}`,
			pool: d.pool,
			poolName: names.get(d.pool) ?? d.pool,
			person: d.login,
			name: d.name,
			team: d.team,
			site: d.site,
			state: d.state,
			machine: d.machine,
			words: d.words
		}))
	);
}

/** Those of a scope. */
function desksIn(db: Db, scope: Scope, at: number) {
	const above = teamsAbove(db, at);
	return narrow(
		scope,
		allDesks(db, at),
		{
			site: (d) => d.site,
			team: (d) => above.get(d.team) ?? [d.team],
			person: (d) => d.person,
			pool: (d) => d.pool,
			machine: (d) => d.machine ?? [],
			state: (d) => d.state
		},
		(d) => `${d.name} ${d.person} ${d.poolName} ${d.machine ?? ''} ${d.state}`
	);
}

export const desks = shortList({
	name: 'desks',
	words: 'Machines of pools that are kept for teams: who has one, who waits for one, and why',
	card: null,
	row,
	rows: (db, at, scope) => desksIn(db, scope, at),
	called: (r) => r.name,
	why: (_db, r): Fact[] => [
		{ words: r.words, side: r.state === 'failed' ? 'against' : 'for', source: 'people' },
		...(r.machine === null
			? []
			: [{ words: `${r.machine} is theirs`, about: { kind: 'machine' as const, id: r.machine }, source: 'broker' }])
	]
});
