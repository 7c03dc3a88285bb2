import * as v from 'valibot';
import { AS_FOUND } from '$lib/core/images/versions';
import { blocksAt } from '../network';
import { noEffects } from '$lib/core/plans/effects';
import { evenOut } from '$lib/core/pools/evening';
import { countWords, durationWords, FOREVER, HOUR, SECOND, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { poolAt, type PoolRow } from '../pools';
import type { Context } from '../context';
import { all, one } from '../db';
import { lasting, percent, whole } from '../plans/fields';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { sessionsOn } from '../watch';
import { AT_ONCE, DISKS_AT_ONCE, moveTime, signOutTime } from './expected';
import { sitesWith } from './queries';
import { versionOrThrow } from './version-plans';

/** What happens with people on machines that are to be made fresh. */
const PEOPLE = ['wait', 'ask', 'now'] as const;
export type FreshPeople = (typeof PEOPLE)[number];

const people = v.optional(v.picklist(PEOPLE, 'Choose wait, ask or now.'), 'wait');
const deadline = v.optional(lasting(72 * HOUR), 2 * HOUR);
const atOnce = v.optional(whole(1, 100, 'the machines at once'), AT_ONCE);

function poolOrThrow(ctx: Context, id: string): PoolRow {
	const pool = poolAt(ctx.db, id, ctx.clock.now());
	if (!pool) throw new InputProblem([{ field: 'pool', words: `There is no pool called ${id}.` }]);
	return pool;
}

interface PoolMachine {
	id: number;
	name: string;
	version: string;
	state: string;
}
const machinesOf = (ctx: Context, pool: string): PoolMachine[] =>
	all<PoolMachine>(
		ctx.db,
		`SELECT m.id, m.name, pl.version, st.state FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER}
		 JOIN machine_states st ON st.machine_id = m.id AND st.until = ${FOREVER} WHERE m.pool_id = ? AND m.until = ${FOREVER} ORDER BY m.name`,
		[pool]
	);

/** What a plan that touches every machine of a pool in turn says of people, time and capacity. */
function freshDraft(
	ctx: Context,
	pool: PoolRow,
	machines: PoolMachine[],
	input: { people: FreshPeople; deadline: number; atOnce: number },
	what: {
		title: string;
		how: string;
		number: string | null;
		blocks: Fact[];
		reasons: Fact[];
		undo: Draft['undo'];
		undoWords: string;
	}
): Draft {
	const sessions = sessionsOn(
		ctx.db,
		machines.map((m) => m.id)
	);
	const work = moveTime(ctx.db, machines.length, input.atOnce);
	const now = ctx.clock.now();
	const leave = leaving(
		ctx,
		machines.map((m) => m.id),
		sessions,
		input
	);
	return {
		title: what.title,
		effects: {
			...noEffects(),
			...leave.effects,
			machines: machines.map((m) => ({ kind: 'machine', id: m.name, name: m.name, how: what.how })),
			duration: { middle: work.middle + leave.middle, ninety: work.ninety + leave.ninety }
		},
		warnings: [
			...leave.warnings,
			...(pool.assignment === 'personal'
				? [
						{
							words: 'personal machines hold their people’s work on their disks: a reset takes it away',
							side: 'against' as const
						}
					]
				: [])
		],
		blocks: [
			...what.blocks,
			...notOurs(ctx.db, machines, what.number),
			...blocksAt(ctx.db, [pool.site], 'machines', now),
			...(machines.length === 0 ? [{ words: 'no machine of it is to be touched', side: 'against' as const }] : [])
		],
		reasons: [...what.reasons, ...leave.reasons('machines')],
		objects: machines.map((m) => `fresh/${m.name}`),
		steps: [
			{
				kind: 'machines.fresh',
				words: what.title,
				input: {
					pool: pool.id,
					machines: machines.map((m) => m.name),
					number: what.number,
					people: input.people,
					deadline: input.deadline,
					atOnce: input.atOnce
				},
				expected: work.middle + leave.middle
			}
		],
		undo: what.undo,
		undoWords: what.undoWords
	};
}

/** What a plan does to the people on the machines that it takes out of use in turn, and how long it waits for them. */
function leaving(
	ctx: Context,
	machines: readonly number[],
	sessions: ReturnType<typeof sessionsOn>,
	input: { people: FreshPeople; deadline: number; atOnce: number }
): {
	effects: Pick<Draft['effects'], 'people' | 'sessionsEnded'>;
	warnings: Fact[];
	reasons: (what: string) => Fact[];
	middle: number;
	ninety: number;
} {
	const atOnce = input.people === 'now';
	const wait =
		sessions.length === 0 || atOnce ? { middle: 0, ninety: 0 } : signOutTime(ctx.db, machines, ctx.clock.now());
	const waits = (quantile: number) => (input.people === 'ask' ? Math.min(quantile, input.deadline) : quantile);
	return {
		effects: {
			people:
				input.people === 'wait'
					? []
					: sessions.map((s) => ({
							kind: 'person',
							id: s.login,
							name: s.person,
							how: atOnce ? 'signed out' : 'asked to sign out'
						})),
			sessionsEnded: atOnce ? sessions.map((s) => ({ kind: 'session', id: String(s.id), name: s.person })) : []
		},
		warnings:
			atOnce && sessions.length
				? [
						{
							words: `${countWords(sessions.length, 'session')} ${sessions.length === 1 ? 'ends' : 'end'} at once, and what is not saved in them is lost`,
							side: 'against'
						}
					]
				: [],
		reasons: (what) => [
			{
				words:
					input.people === 'wait'
						? `${countWords(sessions.length, 'session')} on them now: each machine waits for its last sign-out`
						: input.people === 'ask'
							? `people are asked to sign out, and signed out after ${durationWords(input.deadline)}`
							: `${countWords(sessions.length, 'session')} on them now are ended at once`,
				source: 'measured'
			},
			{
				words: atOnce
					? `at most ${input.atOnce} ${what} at once; capacity falls meanwhile`
					: `at most ${input.atOnce} ${what} at once, and of machines that are up only as many as the headroom of the hour can spare`,
				source: 'policy'
			}
		],
		middle: waits(wait.middle),
		ninety: waits(wait.ninety)
	};
}

/** Machines that were taken over as they were: a reset has no image to go back to, and none can be put on a physical one. */
function notOurs(db: Context['db'], machines: PoolMachine[], number: string | null): Fact[] {
	const physical = new Set(
		all<{ name: string }>(db, `SELECT name FROM taken_machines WHERE kind = 'physical'`).map((t) => t.name)
	);
	return machines
		.filter((m) => physical.has(m.name) || (number === null && m.version === AS_FOUND))
		.slice(0, 6)
		.map((m) => ({
			words: physical.has(m.name)
				? `${m.name} is a physical machine: no image can be put on it`
				: `${m.name} was taken over as it was: there is no image to go back to`,
			side: 'against',
			about: { kind: 'machine', id: m.name },
			source: 'compute provider'
		}));
}

const resetPlan = planKind({
	kind: 'machines.reset',
	words: 'Put every machine of a pool back to its image, all at once or as people leave',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({ pool: v.string(), people, deadline, atOnce }),
	async draft(ctx, input): Promise<Draft> {
		const pool = poolOrThrow(ctx, input.pool);
		const machines = machinesOf(ctx, pool.id);
		return freshDraft(ctx, pool, machines, input, {
			title: `Reset ${pool.name} to its image: ${countWords(machines.length, 'machine')}`,
			how: 'reset to its image',
			number: null,
			blocks: [],
			reasons: [
				{
					words: 'each machine keeps its name, its account and its version; what was changed on it is gone',
					source: 'image store'
				}
			],
			undo: null,
			undoWords: 'No: what was changed on the machines is gone, which is what it is for.'
		});
	}
});

const movePlan = planKind({
	kind: 'machines.move',
	words: 'Move the machines of a pool to a version once, whatever the pool follows',
	area: 'images',
	undo: 'sometimes',
	schema: v.strictObject({
		pool: v.string(),
		number: v.pipe(v.string(), v.nonEmpty('Choose a version.')),
		people,
		deadline,
		atOnce
	}),
	async draft(ctx, input): Promise<Draft> {
		const pool = poolOrThrow(ctx, input.pool);
		const version = versionOrThrow(ctx, pool.line, input.number);
		const machines = machinesOf(ctx, pool.id).filter((m) => m.version !== input.number);
		const from = new Set(machines.map((m) => m.version));
		// Those that are on the version already would go back with the others.
		const together = from.size === 1 && machines.length === machinesOf(ctx, pool.id).length;
		const before = together && !from.has(AS_FOUND) ? [...from][0]! : null;
		const whole = sitesWith(ctx.db, pool.line, input.number, ctx.clock.now()).includes(pool.site);
		return freshDraft(ctx, pool, machines, input, {
			title: `Move ${pool.name} to ${pool.line} ${input.number}: ${countWords(machines.length, 'machine')}`,
			how: `moved to ${input.number}`,
			number: input.number,
			blocks: [
				...(whole
					? []
					: [
							{
								words: `${pool.siteName} does not have ${pool.line} ${input.number} yet: ship it there first`,
								side: 'against' as const
							}
						]),
				...(version.open ? [{ words: 'it is open for work by hand', side: 'against' as const }] : []),
				...(version.retired ? [{ words: 'it is retired', side: 'against' as const }] : [])
			],
			reasons: [
				{
					words: 'the pool’s follow rule stays: where it asks for another version, it is followed again afterwards',
					source: 'follow rules'
				}
			],
			undo: before === null ? null : { kind: 'machines.move', input: { ...input, number: before } },
			undoWords:
				before === null
					? 'They do not all come from one version: each can be brought back by a rule of its own, or the pool be moved again.'
					: `Yes: they are moved back to ${before}.`
		});
	}
});

const evenPlan = planKind({
	kind: 'volumes.even',
	words: 'Move machine disks between the volumes of a site until none is over a share, moving as little as can be',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({
		site: v.string(),
		/** Percent of a volume. */
		share: v.optional(percent(10), 80),
		people,
		deadline,
		atOnce: v.optional(whole(1, 100, 'the disks at once'), DISKS_AT_ONCE)
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const site = one<{ name: string }>(db, 'SELECT name FROM sites WHERE id = ?', [input.site]);
		if (!site) throw new InputProblem([{ field: 'site', words: `There is no site called ${input.site}.` }]);
		const volumes = (await ctx.providers.compute.volumes()).filter((x) => x.site === input.site);
		const disks = all<{ id: number; machine: string; volume: string; bytes: number }>(
			db,
			`SELECT m.id, m.name AS machine, pl.volume_id AS volume, p.disk + CASE p.page_file_on WHEN 'apart' THEN p.page_file ELSE 0 END AS bytes
			 FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} JOIN pools p ON p.id = m.pool_id AND p.until = ${FOREVER}
			 WHERE m.until = ${FOREVER} AND m.site_id = ? ORDER BY m.name`,
			[input.site]
		);
		const ids = new Map(disks.map((d) => [d.machine, d.id]));
		const { value, facts } = evenOut(volumes, disks, input.share / 100);
		const moves = value?.moves ?? [];
		const machines = moves.map((m) => ids.get(m.machine)!);
		const sessions = sessionsOn(db, machines);
		const work = moves.reduce((n, m) => n + 20 * SECOND + (m.bytes / 300e6) * SECOND, 0) / input.atOnce;
		const leave = leaving(ctx, machines, sessions, input);
		return {
			title: `Even the volumes of ${site.name} out under ${input.share} %`,
			effects: {
				...noEffects(),
				...leave.effects,
				bytes: value?.bytes ?? 0,
				machines: moves.map((m) => ({
					kind: 'machine',
					id: m.machine,
					name: m.machine,
					how: `disk from ${m.from} to ${m.to}`
				})),
				...(moves.length ? { duration: { middle: work + leave.middle, ninety: work * 1.5 + leave.ninety } } : {})
			},
			warnings: leave.warnings,
			blocks:
				value === null
					? facts.filter((f) => f.side === 'against')
					: moves.length === 0
						? [{ words: 'nothing has to be moved', side: 'against' }]
						: [],
			reasons: [
				...facts,
				...(moves.length ? leave.reasons('their disks') : []),
				...moves.slice(0, 10).map((m): Fact => ({
					words: `${m.machine}: ${sizeWords(m.bytes)} from ${m.from} to ${m.to}`,
					source: 'volumes'
				}))
			],
			objects: moves.map((m) => `fresh/${m.machine}`),
			steps: [
				{
					kind: 'volumes.move',
					words: `Move ${countWords(moves.length, 'disk')}`,
					input: {
						moves: moves.map(({ machine, to }) => ({ machine, to })),
						people: input.people,
						deadline: input.deadline,
						atOnce: input.atOnce
					},
					expected: work + leave.middle
				}
			],
			undo: null,
			undoWords: 'Not needed: the disks are the same, on another volume.'
		};
	}
});

export const freshPlans = [resetPlan, movePlan, evenPlan];
