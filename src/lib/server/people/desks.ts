import { isHere, type PersonRecord } from '$lib/core/people/record';
import type { Touched } from '$lib/core/plans/effects';
import { AS_FOUND } from '$lib/core/images/versions';
import { countWords, MINUTE } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { growBy } from '../machines';
import { stepOf, type StepSpec } from '../plans/kind';
import type { PoolRow } from '../pools';

/** Somebody who is to have a machine. */
export interface Sitter {
	login: string;
	name: string;
}

/** Machines of a personal pool that work and that nobody keeps, at a moment. */
export const freeMachines = (db: Db, pool: string, at: number): string[] =>
	all<{ name: string }>(
		db,
		`SELECT m.name FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl')}
		 JOIN machine_states st ON st.machine_id = m.id AND ${asOf('machine_states st')}
		 WHERE m.pool_id = @pool AND ${asOf('machines m')} AND pl.owner_id IS NULL AND st.state <> 'failed' ORDER BY m.name`,
		{ pool, at }
	).map((m) => m.name);

/** The machine of a pool that somebody keeps at a moment; null where they keep none. */
export const deskOf = (db: Db, pool: string, login: string, at: number): string | null =>
	one<{ name: string }>(
		db,
		`SELECT m.name FROM machine_spots pl JOIN people p ON p.id = pl.owner_id JOIN machines m ON m.id = pl.machine_id AND ${asOf('machines m')}
		 WHERE p.login = @login AND m.pool_id = @pool AND ${asOf('machine_spots pl')}`,
		{ pool, login, at }
	)?.name ?? null;

/** What giving each of some people a machine of a personal pool comes to: those that nobody keeps first, then as many made as are missing. */
export async function desksFor(ctx: Context, pool: PoolRow, sitters: readonly Sitter[]) {
	const { db } = ctx;
	const now = ctx.clock.now();
	const has = sitters.filter((s) => deskOf(db, pool.id, s.login, now) !== null);
	const need = sitters.filter((s) => !has.includes(s));
	const free = freeMachines(db, pool.id, now).slice(0, need.length);
	const short = need.length - free.length;
	const grown = short > 0 && pool.version !== AS_FOUND ? await growBy(ctx, pool, short) : null;
	const names = [...free, ...(grown?.names ?? [])];
	const give = need.flatMap((s, i) => (names[i] === undefined ? [] : [{ machine: names[i], person: s.login }]));
	const steps: StepSpec[] = [
		...(grown?.steps.filter((s) => s.kind !== 'broker.tell') ?? []),
		...(give.length ? [stepOf('machines.give', 'Give the machines to their people', { give }, 200)] : []),
		...(give.length ? [stepOf('broker.tell', 'Tell the gateways', {}, 500)] : [])
	];
	const by = new Map(sitters.map((s) => [s.login, s.name]));
	return {
		give,
		steps,
		/** Those of the machines that are made for it. */
		made: give.map((g) => g.machine).filter((m) => !free.includes(m)),
		machines: give.map((g): Touched => ({
			kind: 'machine',
			id: g.machine,
			name: g.machine,
			how: `${free.includes(g.machine) ? 'given to' : 'made for'} ${by.get(g.person)}`
		})),
		bytes: grown?.made.bytes ?? 0,
		cost: grown?.made.cost ?? null,
		duration: grown?.made.duration ?? { middle: MINUTE / 60, ninety: MINUTE / 30 },
		blocks: [
			...(grown?.laid.blocks ?? []),
			...(short > 0 && pool.version === AS_FOUND
				? [
						{
							words: `the machines of ${pool.name} were taken over: no more are made of it, and ${free.length} are free`,
							side: 'against' as const,
							source: 'broker'
						}
					]
				: [])
		] satisfies Fact[],
		reasons: [
			...(free.length
				? [
						{
							words: `${countWords(free.length, 'machine')} of ${pool.name} ${free.length === 1 ? 'is' : 'are'} there that nobody keeps`,
							source: 'broker'
						}
					]
				: []),
			...(grown
				? [{ words: `${countWords(short, 'machine is', 'machines are')} made`, source: 'broker' }, grown.made.from]
				: []),
			...has.map((s): Fact => ({ words: `${s.name} has a machine of ${pool.name} already`, source: 'broker' }))
		] satisfies Fact[]
	};
}

/** What a pool that is kept for a team asks of people, beside being of it. */
export interface Asks {
	/** A kind of employment. */
	employment?: string | undefined;
	/** A publication that they hold. */
	publication?: string | undefined;
}

/** How somebody of a team stands with the pool that is kept for it. */
export type DeskState = 'ready' | 'being made' | 'wanted' | 'failed' | 'not wanted';

/** Whether a pool that is kept for a team keeps a machine for somebody, or why not. */
export function wanted(
	p: PersonRecord,
	asks: Asks,
	at: number,
	{
		ahead,
		holds,
		publication,
		day
	}: { ahead: number; holds: (login: string) => boolean; publication: string; day: (t: number) => string }
): { wanted: boolean; words: string } {
	if (p.ends <= at) return { wanted: false, words: 'they have ended' };
	if (asks.employment !== undefined && p.employment !== asks.employment)
		return { wanted: false, words: `${p.employment}: it is for ${asks.employment}` };
	if (asks.publication !== undefined && !holds(p.login))
		return { wanted: false, words: `they do not hold ${publication}` };
	if (!isHere(p, at) && p.begins > at + ahead)
		return { wanted: false, words: `they begin ${day(p.begins)}: made from ${day(p.begins - ahead)} on` };
	return {
		wanted: true,
		words: asks.employment ?? (asks.publication === undefined ? 'they are of the team' : `they hold ${publication}`)
	};
}
