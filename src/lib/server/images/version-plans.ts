import * as v from 'valibot';
import { parseRule, ruleWords, TRIES, WILL_TAKE, type FollowRule, type FollowWhen } from '$lib/core/images/follow';
import { noEffects, type Effects } from '$lib/core/plans/effects';
import { countWords, SECOND, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { machinesNotToMove, poolAt } from '../pools';
import type { Context } from '../context';
import { all, one, type Db } from '../db';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { lineId, lineOrThrow } from './build-plans';
import { openBuilds } from './builds';
import { moveTime, signOutTime } from './expected';
import { followingAt, moveOf, rulesAt, rulesNaming, whoTakes, type WhatIf } from './following';
import { machinesOn, sitesWith, usedLineAt, type UsedVersion } from './queries';
import { fromJson } from '../db/json';

export function versionOrThrow(ctx: Context, line: string, number: string): UsedVersion {
	lineOrThrow(ctx, line);
	const version = usedLineAt(ctx.db, line, ctx.clock.now())!.versions.find((x) => x.number === number);
	if (!version) throw new InputProblem([{ field: 'number', words: `There is no ${line} ${number}.` }]);
	return version;
}

/**
 * What machines do once a change is made that they would not do now: those that take another version, and why the others of
 * the line do not.
 */
function consequences(ctx: Context, whatIf: WhatIf): { effects: Partial<Effects>; reasons: Fact[] } {
	const busy = machinesNotToMove(ctx);
	const now = ctx.clock.now();
	const [before, after] = [followingAt(ctx.db, now, busy), followingAt(ctx.db, now, busy, whatIf)];
	const was = new Map(before.machines.map((m) => [m.name, moveOf(before, m).value]));
	const moves = after.machines.flatMap((m) => {
		const move = moveOf(after, m).value;
		const old = was.get(m.name);
		return WILL_TAKE.has(move.reason) && !(old && old.to === move.to && WILL_TAKE.has(old.reason)) ? [{ m, move }] : [];
	});
	const stays = after.machines.filter((m) => {
		const old = was.get(m.name);
		return old && WILL_TAKE.has(old.reason) && !WILL_TAKE.has(moveOf(after, m).value.reason);
	});
	const time = moveTime(ctx.db, moves.length);
	const leave = signOutTime(
		ctx.db,
		moves.map(({ m }) => m.id),
		now
	);
	const groups = new Map<string, number>();
	for (const { move } of moves) groups.set(move.reason, (groups.get(move.reason) ?? 0) + 1);
	const words: Record<string, string> = {
		'takes it': 'at once: nobody is signed in',
		'in use': 'after the last sign-out',
		'next start': 'before the next start',
		'not yet': 'from the time that was set on',
		'being worked on': 'once the job on it has ended'
	};
	return {
		effects: {
			machines: moves.map(({ m, move }) => ({ kind: 'machine', id: m.name, name: m.name, how: `takes ${move.to!}` })),
			...(moves.length ? { duration: { middle: time.middle + leave.middle, ninety: time.ninety + leave.ninety } } : {})
		},
		reasons: [
			...[...groups].map(([reason, n]): Fact => ({
				words: `${countWords(n, 'machine')} ${n === 1 ? 'takes' : 'take'} it ${words[reason] ?? reason}`,
				source: 'follow rules'
			})),
			...(moves.length === 0 ? [{ words: 'no machine changes its version by it', source: 'follow rules' }] : []),
			...(stays.length
				? [
						{
							words: `${countWords(stays.length, 'machine')} that would have taken another version ${stays.length === 1 ? 'stays' : 'stay'}`,
							source: 'follow rules'
						}
					]
				: [])
		]
	};
}

const holdPlan = planKind({
	kind: 'image.hold',
	words: 'Hold a version back from being taken as newest, or release it',
	area: 'images',
	undo: 'back',
	schema: v.strictObject({ line: lineId, number: v.string(), held: v.boolean() }),
	async draft(ctx, input): Promise<Draft> {
		const version = versionOrThrow(ctx, input.line, input.number);
		const verb = input.held ? 'Hold' : 'Release';
		const follows = consequences(ctx, { version: input });
		const after = followingAt(ctx.db, ctx.clock.now(), machinesNotToMove(ctx), { version: input });
		const left = input.held
			? []
			: whoTakes(after, input.line, input.number).filter((g) => !g.will && g.reason !== 'has it');
		return {
			title: `${verb} ${input.line} ${input.number}`,
			effects: { ...noEffects(), ...follows.effects },
			warnings: [],
			blocks: [
				...(version.held === input.held
					? [{ words: input.held ? 'it is held already' : 'it is not held', side: 'against' as const }]
					: []),
				...(version.retired ? [{ words: 'it is retired: bring it back first', side: 'against' as const }] : [])
			],
			reasons: [
				{
					words: `${countWords(version.machines, 'machine')} ${version.machines === 1 ? 'is' : 'are'} on it and ${version.machines === 1 ? 'stays' : 'stay'} on it`,
					source: 'measured'
				},
				...follows.reasons,
				...left.map((g): Fact => ({
					words: `${countWords(g.machines.length, 'machine')} ${g.machines.length === 1 ? 'does' : 'do'} not: ${reasonsOfAll(g.machines.map((m) => m.facts.at(-1)?.words ?? g.reason))}`,
					side: 'against',
					source: 'follow rules'
				})),
				{
					words: input.held ? 'new pools can no longer be made from it' : 'pools can be made from it',
					source: 'follow rules'
				}
			],
			objects: [`version/${input.line}/${input.number}`],
			steps: [{ kind: 'image.set-hold', words: `${verb} the version`, input, expected: 200 }],
			undo: { kind: 'image.hold', input: { ...input, held: !input.held } },
			undoWords: input.held
				? 'Yes: it is released again.'
				: 'Yes: it is held again; machines that have taken it by then stay on it until they are told otherwise.'
		};
	}
});

const retirePlan = planKind({
	kind: 'image.retire',
	words: 'Retire a version, so that nothing new is made from it, or bring it back',
	area: 'images',
	undo: 'back',
	schema: v.strictObject({ line: lineId, number: v.string(), retired: v.optional(v.boolean(), true) }),
	async draft(ctx, input): Promise<Draft> {
		const version = versionOrThrow(ctx, input.line, input.number);
		const follows = consequences(ctx, { version: input });
		return {
			title: `${input.retired ? 'Retire' : 'Bring back'} ${input.line} ${input.number}`,
			effects: { ...noEffects(), ...follows.effects },
			warnings: [],
			blocks: [
				...(version.retired === input.retired
					? [{ words: input.retired ? 'it is retired already' : 'it is not retired', side: 'against' as const }]
					: []),
				...(version.open ? [{ words: 'it is open for work by hand', side: 'against' as const }] : [])
			],
			reasons: [
				{
					words: `${countWords(version.machines, 'machine')} on it ${version.machines === 1 ? 'stays' : 'stay'} on it`,
					source: 'measured'
				},
				...follows.reasons
			],
			objects: [`version/${input.line}/${input.number}`],
			steps: [
				{
					kind: 'image.set-retired',
					words: input.retired ? 'Retire the version' : 'Bring the version back',
					input,
					expected: 200
				}
			],
			undo: { kind: 'image.retire', input: { ...input, retired: !input.retired } },
			undoWords: 'Yes: it is put back as it was.'
		};
	}
});

const deletePlan = planKind({
	kind: 'image.delete',
	words: 'Delete a version that nobody needs from every store',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({ line: lineId, number: v.string() }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const version = versionOrThrow(ctx, input.line, input.number);
		const machines = machinesOn(db, input.line, input.number);
		const sites = sitesWith(db, input.line, input.number, now);
		const blocks: Fact[] = [
			...(machines.length
				? [
						{
							words: `${countWords(machines.length, 'machine')} ${machines.length === 1 ? 'is' : 'are'} on it: ${machines.slice(0, 6).join(', ')}${machines.length > 6 ? ' …' : ''}`,
							side: 'against' as const,
							about: { kind: 'machine', id: machines[0]! }
						}
					]
				: []),
			...(version.people
				? [{ words: `${countWords(version.people, 'person is', 'people are')} on it`, side: 'against' as const }]
				: []),
			...rulesNaming(db, input.line, input.number, now).map((who): Fact => ({
				words: `${who} follows exactly it`,
				side: 'against',
				source: 'follow rules'
			})),
			...(version.open ? [{ words: 'it is open for work by hand', side: 'against' as const }] : []),
			...openBuilds(db, input.line)
				.filter((b) => b.state === 'running' || b.state === 'queued')
				.filter((b) => b.sheet.includes(`"number":"${input.number}"`))
				.map((b): Fact => ({
					words: `${b.number} is being built from it`,
					side: 'against',
					about: { kind: 'job', id: String(b.jobId) }
				})),
			...sheetsFrom(db, input.line, input.number).map((line): Fact => ({
				words: `the build sheet of ${line} starts from it`,
				side: 'against',
				source: 'build sheet'
			}))
		];
		return {
			title: `Delete ${input.line} ${input.number}`,
			effects: { ...noEffects(), duration: { middle: 20 * SECOND, ninety: 30 * SECOND } },
			warnings: [],
			blocks,
			reasons: [
				{
					words: `it is at ${sites.length ? sites.join(', ') : 'no site'}, ${sizeWords(version.size)}; what other versions share stays`,
					source: 'image stores'
				}
			],
			objects: [`version/${input.line}/${input.number}`],
			steps: [{ kind: 'image.delete', words: 'Delete it from every store', input, expected: 20 * SECOND }],
			undo: null,
			undoWords:
				'No: it is gone. Its sheet is in the log of its build; building it again gives the same, as long as the stores have it.'
		};
	}
});

/** Lines whose sheet starts from a version. */
const sheetsFrom = (db: Db, line: string, number: string): string[] =>
	all<{ line: string; body: string }>(db, 'SELECT line_id AS line, body FROM sheets WHERE until = 9007199254740991')
		.filter((s) => {
			const source = fromJson<{ steps: { kind: string; with: Record<string, unknown> }[] }>(
				'sheets.body',
				s.body
			).steps.find((x) => x.kind === 'source');
			return source?.with.from === 'version' && source.with.line === line && source.with.number === number;
		})
		.map((s) => s.line);

const ruleText = v.pipe(
	v.string(),
	v.check((t) => parseRule(t) !== null, 'Write newest, newest 3.x, exactly 3.1.4 or nothing.')
);
const takesAt = v.union(
	[v.picklist(['next start', 'next sign-out']), v.strictObject({ from: v.pipe(v.number(), v.integer()) })],
	'Choose next start, next sign-out, or a time.'
);

const followPlan = planKind({
	kind: 'image.follow',
	words: 'Say which versions of its line a pool takes and when, or let one machine differ from its pool',
	area: 'images',
	undo: 'sometimes',
	schema: v.strictObject({
		pool: v.optional(v.string()),
		machine: v.optional(v.string()),
		/** Null: the machine follows its pool again. */
		rule: v.nullable(ruleText),
		takesAt: v.optional(takesAt, 'next sign-out')
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		if ((input.pool === undefined) === (input.machine === undefined))
			throw new InputProblem([{ field: 'pool', words: 'Name a pool, or a machine.' }]);
		const pool = input.pool !== undefined ? poolAt(db, input.pool, now) : null;
		if (input.pool !== undefined && !pool)
			throw new InputProblem([{ field: 'pool', words: `There is no pool called ${input.pool}.` }]);
		const machine =
			input.machine !== undefined
				? one<{ pool: string; line: string }>(
						db,
						'SELECT m.pool_id AS pool, p.line_id AS line FROM machines m JOIN pools p ON p.id = m.pool_id AND p.until = 9007199254740991 WHERE m.name = ? AND m.until = 9007199254740991',
						[input.machine]
					)
				: undefined;
		if (input.machine !== undefined && !machine)
			throw new InputProblem([{ field: 'machine', words: `There is no machine called ${input.machine}.` }]);
		if (input.rule === null && pool)
			throw new InputProblem([{ field: 'rule', words: 'A pool follows something, or “nothing”.' }]);
		const rule: FollowRule | null = input.rule === null ? null : parseRule(input.rule)!;
		const line = lineOrThrow(ctx, pool?.line ?? machine!.line);
		if (rule?.takes === 'exactly' && !line.versions.some((x) => x.number === rule.number))
			throw new InputProblem([{ field: 'rule', words: `There is no ${line.id} ${rule.number}.` }]);
		const subject = pool ? `pool/${pool.id}` : `machine/${input.machine!}`;
		const when: FollowWhen = input.takesAt;
		if (typeof when === 'object' && when.from <= now)
			throw new InputProblem([{ field: 'takesAt', words: 'That time has passed.' }]);
		const before = rulesAt(db, now).get(subject);
		const follows = consequences(ctx, { rules: new Map([[subject, rule === null ? null : { rule, when }]]) });
		const name = pool?.name ?? input.machine!;
		const same =
			rule === null
				? !before
				: before && ruleWords(before.rule) === ruleWords(rule) && JSON.stringify(before.when) === JSON.stringify(when);
		return {
			title: rule === null ? `Let ${name} follow its pool again` : `Let ${name} follow ${ruleWords(rule)}`,
			effects: { ...noEffects(), ...follows.effects },
			warnings: before?.rollout
				? [{ words: 'a rollout has set its rule: this takes it out of the rollout', side: 'against' }]
				: [],
			blocks: same ? [{ words: 'it does already', side: 'against' }] : [],
			reasons: [
				{
					words: before
						? `until now it follows ${ruleWords(before.rule)}`
						: pool
							? 'until now it follows nothing'
							: 'until now it follows what its pool does',
					source: 'follow rules'
				},
				...follows.reasons
			],
			objects: [subject],
			steps: [{ kind: 'image.set-rule', words: 'Write the rule', input: { subject, rule, when }, expected: 200 }],
			undo: before
				? {
						kind: 'image.follow',
						input: {
							...(pool ? { pool: pool.id } : { machine: input.machine }),
							rule: ruleWords(before.rule),
							takesAt: typeof before.when === 'object' ? 'next sign-out' : before.when
						}
					}
				: pool
					? { kind: 'image.follow', input: { pool: pool.id, rule: 'nothing' } }
					: { kind: 'image.follow', input: { machine: input.machine, rule: null } },
			undoWords:
				'Yes: the rule as it was is put back; machines that have changed by then follow it again where it says exactly which version.'
		};
	}
});

const tryAgainPlan = planKind({
	kind: 'image.try-again',
	words: 'Let machines that failed to take a version twice try it again',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({ line: lineId, number: v.string() }),
	async draft(ctx, input): Promise<Draft> {
		versionOrThrow(ctx, input.line, input.number);
		const f = followingAt(ctx.db, ctx.clock.now(), machinesNotToMove(ctx));
		const failed = f.machines.filter((m) => m.line === input.line && m.failures(input.number) >= TRIES);
		return {
			title: `Let ${countWords(failed.length, 'machine')} try ${input.line} ${input.number} again`,
			effects: {
				...noEffects(),
				machines: failed.map((m) => ({
					kind: 'machine',
					id: m.name,
					name: m.name,
					how: `tries ${input.number} again`
				})),
				duration: moveTime(ctx.db, failed.length)
			},
			warnings: [],
			blocks: failed.length ? [] : [{ words: 'no machine of the line has failed to take it twice', side: 'against' }],
			reasons: failed.slice(0, 12).flatMap((m) => moveOf(f, m).facts.slice(-1)),
			objects: failed.map((m) => `machine/${m.name}`),
			steps: [
				{
					kind: 'image.try-again',
					words: 'Let them try again',
					input: { machines: failed.map((m) => m.name), number: input.number },
					expected: 200
				}
			],
			undo: null,
			undoWords: 'Not needed: a machine that fails twice more is left alone again.'
		};
	}
});

export const versionPlans = [holdPlan, retirePlan, deletePlan, followPlan, tryAgainPlan];

/** The reasons of many, each with how many have it, the commonest first; those of a few are not said for all. */
export function reasonsOfAll(reasons: readonly string[]): string {
	const counts = new Map<string, number>();
	for (const r of reasons) counts.set(r, (counts.get(r) ?? 0) + 1);
	if (counts.size === 1) return reasons[0]!;
	const sorted = [...counts].sort((a, b) => b[1] - a[1]);
	const shown = sorted.slice(0, 3).map(([words, n]) => `${n} since ${words}`);
	const rest = sorted.slice(3).reduce((n, [, k]) => n + k, 0);
	return shown.join('; ') + (rest ? `; ${rest} for reasons of their own` : '');
}
