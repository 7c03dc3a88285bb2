import * as v from 'valibot';
import { byVersion, isVersion, proposeNumber } from '$lib/core/images/versions';
import { sameSystem, systemOf, systemWords } from '$lib/core/packages/fits';
import { USUAL_WRITES, WRITE_SCOPES, writeRuleProblems } from '$lib/core/packages/scope';
import { isPackageName } from '$lib/core/packages/spec';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, FOREVER, SECOND, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all } from '../db';
import { wholeOrder } from '../plans/fields';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { captureOrThrow } from './capture-plans';
import { systemsOf } from './delivery-plans';
import { deliveriesAt, usesOf } from './delivery';
import { packageAt, packagesAt, type PackageRow } from './queries';

const packageName = v.pipe(
	v.string(),
	v.check(isPackageName, 'Small letters and digits, with - between them, such as logline.')
);
const number = v.pipe(v.string(), v.check(isVersion, 'Write a version such as 1.0.0.'));
const writes = v.strictObject({
	usual: v.picklist(WRITE_SCOPES, 'Choose where it may write.'),
	branches: v.optional(
		v.array(v.strictObject({ branch: v.string(), scope: v.picklist(WRITE_SCOPES, 'Choose where it may write.') })),
		[]
	),
	overlay: v.optional(
		v.strictObject({ lives: v.picklist(['machine', 'profile disk']), outlasts: v.boolean() }),
		USUAL_WRITES.overlay
	)
});

const makePlan = planKind({
	kind: 'package.make',
	words: 'Make a package version of a capture: files, settings, what it starts and where it may write, as an OCI image',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		capture: v.pipe(v.number(), v.integer()),
		name: packageName,
		number: v.optional(number),
		note: v.optional(v.pipe(v.string(), v.maxLength(400, 'At most 400 characters.')), ''),
		/** Ids of what it starts; all that are in order where nothing is said. */
		targets: v.optional(v.array(v.string())),
		writes: v.optional(writes, USUAL_WRITES),
		/** Teams whose people may start it; none: whoever it is granted to. */
		teams: v.optional(v.array(v.string()), []),
		refusal: v.optional(v.pipe(v.string(), v.maxLength(200, 'At most 200 characters.')), '')
	}),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const capture = captureOrThrow(ctx, input.capture);
		if (capture.state !== 'sorted' && capture.state !== 'packaged')
			throw new InputProblem([
				{ field: 'capture', words: `The capture is ${capture.state}: there is nothing to make a package of.` }
			]);
		const problems = writeRuleProblems(input.writes);
		if (problems.length) throw new InputProblem(problems);
		const known = new Set(all<{ id: string }>(ctx.db, 'SELECT id FROM teams WHERE gone = 0').map((t) => t.id));
		const strange = input.teams.find((t) => !known.has(t));
		if (strange !== undefined)
			throw new InputProblem([{ field: 'teams', words: `There is no team called ${strange}.` }]);
		const before = packageAt(ctx.db, input.name, now);
		const newest = before?.versions.at(-1) ?? null;
		const taken = new Set(before?.versions.map((x) => x.number));
		const wanted = input.number ?? proposeNumber(newest?.number ?? null, 'steps', taken);
		const result = await ctx.packer.captures.result(input.capture, capture.choices);
		const fine = result.targets.filter((t) => t.problems.length === 0);
		const targets = input.targets ?? fine.map((t) => t.best.id);
		const unknown = targets.find((id) => !result.targets.some((t) => t.best.id === id));
		if (unknown !== undefined)
			throw new InputProblem([{ field: 'targets', words: `The capture starts nothing called ${unknown}.` }]);
		const flawed = result.targets.filter((t) => targets.includes(t.best.id) && t.problems.length);
		const upon = newest && sameSystem(newest.spec.system, capture.system ?? newest.spec.system) ? newest : null;
		const takes = 2 * SECOND + (result.root.takenBytes / 20e6) * SECOND;
		return {
			title: `Make the package ${input.name} ${wanted}`,
			effects: { ...noEffects(), bytes: result.root.takenBytes, duration: { middle: takes, ninety: takes * 3 } },
			warnings: [
				...(result.undecided
					? [
							{
								words: `${countWords(result.undecided, 'doubtful change')} ${result.undecided === 1 ? 'has' : 'have'} not been decided about, and ${result.undecided === 1 ? 'stays' : 'stay'} out`,
								side: 'against' as const,
								source: 'capture'
							}
						]
					: []),
				...result.left.map((l): Fact => ({
					words: `${l.path} stays out: ${l.why}`,
					side: 'against',
					source: 'capture'
				})),
				...flawed.flatMap((t) =>
					t.problems.map((p): Fact => ({
						words: `${t.best.name}: ${p.words}`,
						side: 'against',
						source: 'captured files'
					}))
				),
				...(targets.length === 0
					? [{ words: 'it starts nothing: nothing of it can be published', side: 'against' as const }]
					: []),
				...(newest && byVersion(wanted, newest.number) < 0
					? [
							{
								words: `${wanted} is older than ${newest.number}, the newest of ${input.name}`,
								side: 'against' as const
							}
						]
					: [])
			],
			blocks: [
				...(taken.has(wanted)
					? [{ words: `there is a version ${wanted} of ${input.name} already`, side: 'against' as const }]
					: []),
				...(result.missing
					? [
							{
								words: `${countWords(result.missing, 'file')} that ${result.missing === 1 ? 'is' : 'are'} taken ${result.missing === 1 ? 'has' : 'have'} no content here: leave ${result.missing === 1 ? 'it' : 'them'} out, or bring the folder`,
								side: 'against' as const,
								source: 'capture'
							}
						]
					: []),
				...(result.root.taken === 0
					? [{ words: 'nothing is taken: there is nothing to make a package of', side: 'against' as const }]
					: [])
			],
			reasons: [
				{
					words: `${countWords(result.root.taken, 'change')} of ${result.root.changes} go into it, ${sizeWords(result.root.takenBytes)}, ${countWords(result.settings, 'setting')}`,
					source: 'capture'
				},
				...(targets.length
					? [
							{
								words: `it starts ${targets.map((id) => result.targets.find((t) => t.best.id === id)!.best.name).join(', ')}`,
								source: 'captured files'
							}
						]
					: []),
				{
					words: upon
						? `it shares with ${upon.number} whatever did not change`
						: 'it is packed whole: there is no earlier version for this system',
					source: 'package store'
				},
				...(capture.system
					? [{ words: `it fits ${systemWords(capture.system)}, on which it was captured`, source: 'capture' }]
					: [])
			],
			objects: [`package/${input.name}`, `capture/${input.capture}`],
			steps: [
				{
					kind: 'package.build',
					words: `Pack ${input.name} ${wanted}`,
					input: {
						capture: input.capture,
						name: input.name,
						number: wanted,
						note: input.note,
						targets,
						writes: input.writes,
						teams: input.teams,
						refusal: input.refusal,
						upon: upon?.manifest ?? null
					},
					expected: takes
				},
				{ kind: 'package.clashes', words: 'Look for clashes with other packages', input: {}, expected: 2 * SECOND }
			],
			undo: { kind: 'package.remove', input: { name: input.name, number: wanted } },
			undoWords: 'Yes: the version is removed again, as long as nothing uses it.'
		};
	}
});

const importPlan = planKind({
	kind: 'package.import',
	words: 'Take a package in that was uploaded and has been found whole',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		manifest: v.pipe(v.string(), v.regex(/^sha256:[0-9a-f]{64}$/, 'This is no digest of a manifest.'))
	}),
	async draft(ctx, input): Promise<Draft> {
		const found = await ctx.packer.packages.contents(input.manifest).catch(() => null);
		if (!found) throw new InputProblem([{ field: 'manifest', words: 'It has not been uploaded, or was refused.' }]);
		const { spec } = found;
		const there = packageAt(ctx.db, spec.name, ctx.clock.now())?.versions.find((x) => x.number === spec.version);
		return {
			title: `Take in the package ${spec.name} ${spec.version}`,
			effects: noEffects(),
			warnings: [],
			blocks: there
				? [
						{
							words:
								there.manifest === input.manifest
									? `${spec.name} ${spec.version} is there already: the same, to the digest`
									: `there is another ${spec.name} ${spec.version} already`,
							side: 'against'
						}
					]
				: [],
			reasons: [
				{ words: `every digest of it was checked; it is ${input.manifest}`, side: 'for', source: 'package' },
				{ words: `it fits ${systemWords(spec.system)}`, source: 'package' },
				{ words: `it starts ${spec.targets.map((t) => t.name).join(', ') || 'nothing'}`, source: 'package' }
			],
			objects: [`package/${spec.name}`],
			steps: [
				{ kind: 'package.import', words: 'Write it down', input, expected: 500 },
				{ kind: 'package.clashes', words: 'Look for clashes with other packages', input: {}, expected: 2 * SECOND }
			],
			undo: { kind: 'package.remove', input: { name: spec.name, number: spec.version } },
			undoWords: 'Yes: the version is removed again, as long as nothing uses it.'
		};
	}
});

const removePlan = planKind({
	kind: 'package.remove',
	words: 'Remove a package version that nobody needs, and the content that no other has',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({ name: v.string(), number: v.string() }),
	async draft(ctx, input): Promise<Draft> {
		const version = versionOrThrow(ctx, input.name, input.number);
		return {
			title: `Remove the package ${input.name} ${input.number}`,
			effects: { ...noEffects(), duration: { middle: SECOND, ninety: 5 * SECOND } },
			warnings: [],
			blocks: usesOf(ctx.db, input.name, input.number, ctx.clock.now()),
			reasons: [
				{ words: `${sizeWords(version.size)} of content; what other versions share stays`, source: 'package store' }
			],
			objects: [`package/${input.name}`],
			steps: [
				{ kind: 'package.remove', words: 'Remove it', input, expected: SECOND },
				{ kind: 'package.clashes', words: 'Look for clashes anew', input: {}, expected: 2 * SECOND }
			],
			undo: null,
			undoWords: 'No: it would have to be captured or taken in again.'
		};
	}
});

const orderPlan = planKind({
	kind: 'package.order',
	words: 'Say which of two packages wins where they clash: the one that stands earlier',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ order: v.array(v.string()) }),
	async draft(ctx, input): Promise<Draft> {
		const packages = packagesAt(ctx.db, ctx.clock.now());
		const names = packages.map((p) => p.name);
		const order = wholeOrder(input.order, names, 'package');
		const turned = all<{ a: string; b: string; total: number }>(
			ctx.db,
			`SELECT a, b, total FROM package_clashes WHERE until = ${FOREVER}`
		).filter((c) => names.indexOf(c.a) < names.indexOf(c.b) !== order.indexOf(c.a) < order.indexOf(c.b));
		return {
			title: 'Change which package wins',
			effects: noEffects(),
			warnings: [],
			blocks: order.every((n, i) => n === names[i]) ? [{ words: 'it is in that order already', side: 'against' }] : [],
			reasons: turned.length
				? turned.map((c): Fact => {
						const wins = order.indexOf(c.a) < order.indexOf(c.b) ? c.a : c.b;
						return {
							words: `${wins} wins over ${wins === c.a ? c.b : c.a} in ${countWords(c.total, 'thing')} from now on`,
							source: 'clashes'
						};
					})
				: [{ words: 'no two that clash change ranks', source: 'clashes' }],
			objects: ['packages/order'],
			steps: [
				{ kind: 'package.order', words: 'Write the order', input: { order }, expected: 200 },
				{ kind: 'package.clashes', words: 'Look at the clashes anew', input: {}, expected: 2 * SECOND },
				{ kind: 'agents.tell', words: 'Tell the agents', input: {}, expected: 500 }
			],
			undo: { kind: 'package.order', input: { order: names } },
			undoWords: 'Yes: the order as it was is put back.'
		};
	}
});

const vouchPlan = planKind({
	kind: 'package.vouch',
	words: 'Vouch for a package on a system that it was not captured on, or take that back',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		name: v.string(),
		number: v.string(),
		system: v.pipe(v.string(), v.trim(), v.nonEmpty('Write the system, such as Meridian Desktop 11.')),
		users: v.picklist(['single', 'multi'], 'Choose single or multi.'),
		vouch: v.optional(v.boolean(), true),
		why: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(200, 'At most 200 characters.')), '')
	}),
	async draft(ctx, input): Promise<Draft> {
		const version = versionOrThrow(ctx, input.name, input.number);
		const system = systemOf(input.system, input.users);
		const has = version.spec.vouched.find((x) => sameSystem(x.system, system));
		if (input.vouch && input.why === '')
			throw new InputProblem([{ field: 'why', words: 'Say why: it stands on record.' }]);
		return {
			title: `${input.vouch ? 'Vouch for' : 'No longer vouch for'} ${input.name} ${input.number} on ${systemWords(system)}`,
			effects: noEffects(),
			warnings: input.vouch
				? []
				: deliveriesAt(ctx.db, ctx.clock.now())
						.filter((d) => d.package === input.name && d.version === input.number)
						.filter((d) => systemsOf(ctx.db, d.pool).some((s) => sameSystem(s, system)))
						.map((d) => ({
							words: `${d.poolName} has it by this: machines that start from now on do not get it`,
							side: 'against' as const,
							about: { kind: 'delivery', id: `${d.pool}/${d.package}`, name: `${d.package} on ${d.poolName}` }
						})),
			blocks: [
				...(sameSystem(version.spec.system, system)
					? [{ words: 'it was captured on that system', side: 'against' as const }]
					: []),
				...(input.vouch && has ? [{ words: `${has.by} vouches for it already`, side: 'against' as const }] : []),
				...(!input.vouch && !has ? [{ words: 'nobody vouches for it', side: 'against' as const }] : [])
			],
			reasons: [{ words: `it was captured on ${systemWords(version.spec.system)}`, source: 'package' }],
			objects: [`package/${input.name}`],
			steps: [
				{ kind: 'package.vouch', words: 'Write it down', input: { ...input, system }, expected: 200 },
				{ kind: 'agents.tell', words: 'Tell the agents', input: {}, expected: 500 }
			],
			undo: {
				kind: 'package.vouch',
				input: { ...input, vouch: !input.vouch, why: input.vouch ? '' : (has?.why ?? '') }
			},
			undoWords: input.vouch ? 'Yes: it is taken back.' : 'Yes: it is vouched for again.'
		};
	}
});

function versionOrThrow(ctx: Context, name: string, wanted: string): PackageRow['versions'][number] {
	const p = packageAt(ctx.db, name, ctx.clock.now());
	if (!p) throw new InputProblem([{ field: 'name', words: `There is no package called ${name}.` }]);
	const version = p.versions.find((x) => x.number === wanted);
	if (!version) throw new InputProblem([{ field: 'number', words: `There is no ${name} ${wanted}.` }]);
	return version;
}

export const packagePlans = [makePlan, importPlan, removePlan, orderPlan, vouchPlan];
