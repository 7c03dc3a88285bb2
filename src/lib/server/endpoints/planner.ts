import * as v from 'valibot';
import { partsOf, readCondition } from '$lib/core/endpoints/condition';
import {
	compareRules,
	handAgainstRule,
	neverDecide,
	runThrough,
	Tree,
	type Branch,
	type EnrolmentRule
} from '$lib/core/endpoints/rules';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all, one, type Db } from '../db';
import { slug } from '../plans/slug';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { saidBy } from '../directory';
import { certificatesOf } from './certificates';
import {
	branchCounts,
	devicesNow,
	endpointById,
	openFrom,
	rulesAt,
	startsBefore,
	treeAt,
	waits,
	type RuleRow
} from './queries';
import { spotsThen, type RuleWrite } from './steps';
import { called, namedEndpoints, someEndpoints } from './work-plans';

const problem = (field: string, words: string) => new InputProblem([{ field, words }]);
const against = (words: string, source = 'endpoints'): Fact => ({ words, side: 'against', source });
const quick = { middle: SECOND, ninety: 2 * SECOND };
/** The most rules, and parts of their conditions together: all of them are tried on every start of a month. */
const RULES = 200;
const PARTS = 2000;
/** The most branches, and how deep they hang. */
const BRANCHES = 2000;
const DEEP = 20;
/** Devices, and remarks, that a plan says one by one. */
const SAID = 12;

const text = (words: string, most = 100) =>
	v.pipe(v.string(words), v.trim(), v.nonEmpty(words), v.maxLength(most, `At most ${most} characters.`));
const number = v.pipe(v.number(), v.safeInteger(), v.minValue(1));

const branchOr = (tree: Tree, id: string, field: string): Branch => {
	const b = tree.get(id);
	if (!b) throw problem(field, `There is no branch ${id.slice(0, 60)}.`);
	return b;
};

const move = planKind({
	kind: 'endpoint.move',
	words: 'Put endpoints into a branch by hand, or let in those that wait',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		endpoints: someEndpoints,
		branch: text('Choose a branch.')
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const tree = treeAt(db, now);
		const branch = branchOr(tree, input.branch, 'branch');
		const rows = namedEndpoints(db, input.endpoints, now);
		const moved = rows.filter((e) => e.branch !== branch.id);
		const waiting = moved.filter((e) => e.branch === null);
		const after = devicesNow(db, now)
			.filter((d) => moved.some((e) => e.id === d.row.id))
			.map((d) => ({ device: d.device, stands: { branch: branch.id, rule: null, byHand: now } }));
		const rules = rulesAt(db, now);
		const undone = handAgainstRule(after, rules, tree);
		const one = called(moved);
		return {
			title:
				waiting.length === moved.length && moved.length > 0
					? `Let ${one} in, into ${branch.name}`
					: `Move ${one} to ${branch.name}`,
			effects: {
				...noEffects(),
				people: moved.flatMap((e) =>
					e.person === null
						? []
						: [
								{
									kind: 'person' as const,
									id: e.person,
									name: e.personName ?? e.person,
									how: `${e.name} stands in ${branch.name}`
								}
							]
				),
				endpoints: moved.map((e) => ({
					kind: 'endpoint',
					id: String(e.id),
					name: e.name,
					how:
						e.branch === null
							? `let in, into ${branch.name}`
							: `from ${tree.get(e.branch)?.name ?? e.branch} to ${branch.name}`
				})),
				duration: quick
			},
			warnings: [
				...undone
					.slice(0, SAID)
					.map((u) =>
						against(
							`${moved.find((e) => e.serial === u.serial)?.name ?? u.serial}: the rule ${rules.find((r) => r.id === u.rule)?.name ?? u.rule} would take it back to ${tree.get(u.to)?.name ?? u.to} at its next start`,
							'enrolment rules'
						)
					),
				...waiting
					.filter((e) => e.copies > 0)
					.map((e) => against(`${e.name}: another device has the serial number ${e.serial}`))
			],
			blocks: moved.length ? [] : [against('they stand there already')],
			reasons: [{ words: 'it is put there by hand, and stays as long as no rule takes it away', source: 'endpoints' }],
			objects: moved.map((e) => `endpoint/${e.id}`),
			steps: [
				stepOf(
					'endpoint.place',
					'Write down where they stand',
					{ endpoints: moved.map((e) => e.id), branch: branch.id },
					200
				)
			],
			undo: { kind: 'endpoint.put-back', input: { endpoints: moved.map((e) => e.id), then: now - 1 } },
			undoWords: 'Yes: they stand again where they stood, as they came there.'
		};
	}
});

const shutOut = planKind({
	kind: 'endpoint.shut-out',
	words: 'Shut endpoints out: their certificates are revoked, and rules let them in no more',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		endpoints: someEndpoints,
		/** Such as lost, stolen, given away. */
		why: text('Say why.', 200)
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const rows = namedEndpoints(db, input.endpoints, now);
		const shut = rows.filter((e) => e.branch !== null || waits(e));
		const tree = treeAt(db, now);
		const held = shut.flatMap((e) =>
			certificatesOf(db, e.id, now).filter((c) => c.state === 'good' || (c.state === 'renewed' && c.ends > now))
		);
		const open = openFrom(
			db,
			shut.map((e) => e.id)
		);
		return {
			title: `Shut ${called(shut)} out`,
			effects: {
				...noEffects(),
				people: shut.flatMap((e) =>
					e.person === null
						? []
						: [
								{
									kind: 'person' as const,
									id: e.person,
									name: e.personName ?? e.person,
									how: `${e.name} is shut out`
								}
							]
				),
				endpoints: shut.map((e) => ({
					kind: 'endpoint',
					id: String(e.id),
					name: e.name,
					how: e.branch === null ? 'from the waiting room' : `from ${tree.get(e.branch)?.name ?? e.branch}`
				})),
				duration: quick
			},
			warnings: open
				.slice(0, SAID)
				.map((s) =>
					against(
						`${s.person} is on ${s.machine} from it, and would be set aside: nothing of theirs is lost`,
						'sessions'
					)
				),
			blocks: shut.length ? [] : [against('they are shut out already')],
			reasons: [
				{
					words: held.length
						? `${countWords(held.length, 'certificate')} of theirs would be revoked`
						: 'they hold no certificate',
					source: 'endpoint authority'
				},
				{ words: 'nobody is let in from them, and no rule lets them in until somebody does', source: 'endpoints' }
			],
			objects: shut.map((e) => `endpoint/${e.id}`),
			steps: [
				stepOf(
					'endpoint.shut-out',
					'Revoke their certificates, and write it down',
					{ endpoints: shut.map((e) => e.id), why: input.why },
					200
				),
				stepOf(
					'endpoint.cut-off',
					'Tell the gateways, and set aside what is open from them',
					{ endpoints: shut.map((e) => e.id) },
					SECOND
				)
			],
			undo: { kind: 'endpoint.put-back', input: { endpoints: shut.map((e) => e.id), then: now - 1 } },
			undoWords: 'Yes: they stand again where they stood, and are given new certificates when they are awake.'
		};
	}
});

const putBack = planKind({
	kind: 'endpoint.put-back',
	words: 'Put endpoints back to where they stood, as they came there',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({ endpoints: someEndpoints, then: v.pipe(v.number(), v.safeInteger(), v.minValue(0)) }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const tree = treeAt(db, now);
		const rows = spotsThen(db, input.endpoints, input.then).flatMap((s) => {
			const e = endpointById(db, s.id, now);
			return e && (s.branch === null || tree.get(s.branch)) ? [{ e, s }] : [];
		});
		const nameOf = (id: string | null) => (id === null ? 'the waiting room' : (tree.get(id)?.name ?? id));
		return {
			title: `Put ${called(rows.map((r) => r.e))} back`,
			effects: {
				...noEffects(),
				endpoints: rows.map(({ e, s }) => ({
					kind: 'endpoint',
					id: String(e.id),
					name: e.name,
					how: `from ${nameOf(e.branch)} to ${nameOf(s.branch)}`
				})),
				duration: quick
			},
			warnings: [],
			blocks: rows.length ? [] : [against('none of them is known, or the branch has gone')],
			reasons: [{ words: 'they stand there again as they came there: by hand, or by a rule', source: 'endpoints' }],
			objects: rows.map(({ e }) => `endpoint/${e.id}`),
			steps: [
				stepOf(
					'endpoint.put-back',
					'Write down where they stand',
					{ endpoints: rows.map((r) => r.e.id), then: input.then },
					200
				)
			],
			undo: null,
			undoWords: 'They are moved again.'
		};
	}
});

const branchName = text('Write a name.');
/** What is wrong with a branch that hangs below another and is called so. */
function checkBranch(db: Db, tree: Tree, b: Branch): void {
	const problems: { field: string; words: string }[] = [];
	if (b.parent !== null) {
		if (!tree.get(b.parent)) problems.push({ field: 'parent', words: `There is no branch ${b.parent.slice(0, 60)}.` });
		else if (b.parent === b.id || tree.isBelow(b.parent, b.id))
			problems.push({ field: 'parent', words: 'It would hang below itself.' });
	}
	if (!problems.length) {
		const now = new Tree([...tree.branches.filter((x) => x.id !== b.id), b]);
		if (now.branches.length > BRANCHES) problems.push({ field: 'name', words: `At most ${BRANCHES} branches.` });
		if (now.branches.some((x) => now.above(x.id).length > DEEP))
			problems.push({ field: 'parent', words: `Branches hang at most ${DEEP} deep.` });
	}
	if (b.site !== null && !one(db, 'SELECT 1 FROM sites WHERE id = ?', [b.site]))
		problems.push({ field: 'site', words: `There is no site ${b.site.slice(0, 60)}.` });
	if (
		tree.branches.some((x) => x.id !== b.id && x.parent === b.parent && x.name.toLowerCase() === b.name.toLowerCase())
	)
		problems.push({ field: 'name', words: 'There is a branch of this name beside it.' });
	if (b.site !== null && tree.branches.some((x) => x.id !== b.id && x.site === b.site && x.parent === b.parent))
		problems.push({ field: 'site', words: 'A branch beside it is for this site already.' });
	if (problems.length) throw new InputProblem(problems);
}

/** Devices that would stand elsewhere by another tree or other rules, as effects, and who would be let in no more. */
function wouldMove(
	db: Db,
	now: number,
	before: { rules: readonly EnrolmentRule[]; tree: Tree },
	after: { rules: readonly EnrolmentRule[]; tree: Tree }
) {
	const devices = devicesNow(db, now);
	const rowOf = new Map(devices.map((d) => [d.row.serial, d.row]));
	const { moves, missed } = compareRules(devices, before.rules, after.rules, before.tree, after.tree);
	const nameOf = (id: string | null) =>
		id === null ? 'the waiting room' : ((after.tree.get(id) ?? before.tree.get(id))?.name ?? id);
	const say = saidBy(db);
	const bySite = new Map<string, number>();
	for (const m of moves) {
		const { site } = rowOf.get(m.serial)!;
		const key = site === null ? 'no site' : say.site(site);
		bySite.set(key, (bySite.get(key) ?? 0) + 1);
	}
	return {
		endpoints: moves.map((m) => {
			const e = rowOf.get(m.serial)!;
			return { kind: 'endpoint' as const, id: String(e.id), name: e.name, how: `${nameOf(m.from)} → ${nameOf(m.to)}` };
		}),
		people: moves.flatMap((m) => {
			const e = rowOf.get(m.serial)!;
			return e.person === null
				? []
				: [
						{
							kind: 'person' as const,
							id: e.person,
							name: e.personName ?? e.person,
							how: `${e.name}: ${nameOf(m.from)} → ${nameOf(m.to)}`
						}
					];
		}),
		missed: missed.map((serial) => rowOf.get(serial)!.name),
		words: [...bySite]
			.sort((a, b) => b[1] - a[1])
			.map(([site, n]) => `${countWords(n, 'endpoint')} at ${site} would move`)
	};
}

/** What a change of branches or rules comes to, where that is nothing as well. */
const movedReasons = (words: readonly string[]): Fact[] =>
	words.length
		? words.map((w) => ({ words: `${w} at their next start`, source: 'enrolment rules' }))
		: [{ words: 'nothing that is known would stand elsewhere', source: 'enrolment rules' }];

const addBranch = planKind({
	kind: 'branch.add',
	words: 'Add a branch for endpoints to stand in',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		name: branchName,
		parent: v.optional(v.nullable(text('Choose a branch.')), null),
		site: v.optional(v.nullable(text('Choose a site.')), null),
		id: v.optional(text('Choose an id.'))
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const tree = treeAt(db, now);
		const base = slug(input.name) || 'branch';
		let id = input.id ?? base;
		for (let n = 2; input.id === undefined && one(db, 'SELECT 1 FROM branches WHERE id = ?', [id]); n++)
			id = `${base}-${n}`;
		if (tree.get(id)) throw problem('id', 'There is a branch with this id.');
		const b = { id, name: input.name, parent: input.parent, site: input.site };
		checkBranch(db, tree, b);
		const rules = rulesAt(db, now);
		const moved = wouldMove(db, now, { rules, tree }, { rules, tree: new Tree([...tree.branches, b]) });
		return {
			title: `Add the branch ${b.name}${b.parent === null ? '' : ` below ${tree.get(b.parent)!.name}`}`,
			effects: { ...noEffects(), endpoints: moved.endpoints, people: moved.people, duration: quick },
			warnings: [],
			blocks: [],
			reasons: movedReasons(moved.words),
			objects: [`branch/${id}`],
			steps: [stepOf('branch.write', 'Write the branch down', b, 100)],
			undo: { kind: 'branch.remove', input: { branch: id } },
			undoWords: 'Yes, as long as nothing stands in it.'
		};
	}
});

const changeBranch = planKind({
	kind: 'branch.change',
	words: 'Call a branch otherwise, hang it below another, or let it be for another site',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		branch: text('Choose a branch.'),
		name: v.optional(branchName),
		parent: v.optional(v.nullable(text('Choose a branch.'))),
		site: v.optional(v.nullable(text('Choose a site.')))
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const tree = treeAt(db, now);
		const was = branchOr(tree, input.branch, 'branch');
		const is = {
			id: was.id,
			name: input.name ?? was.name,
			parent: input.parent === undefined ? was.parent : input.parent,
			site: input.site === undefined ? was.site : input.site
		};
		checkBranch(db, tree, is);
		const rules = rulesAt(db, now);
		const moved = wouldMove(
			db,
			now,
			{ rules, tree },
			{ rules, tree: new Tree(tree.branches.map((b) => (b.id === is.id ? is : b))) }
		);
		const same = JSON.stringify(was) === JSON.stringify({ ...was, ...is });
		return {
			title: `Change the branch ${was.name}`,
			effects: { ...noEffects(), endpoints: moved.endpoints, people: moved.people, duration: quick },
			warnings: [],
			blocks: same ? [against('it is so already')] : [],
			reasons: movedReasons(moved.words),
			objects: [`branch/${was.id}`],
			steps: [stepOf('branch.write', 'Write the branch down', is, 100)],
			undo: { kind: 'branch.change', input: { branch: was.id, name: was.name, parent: was.parent, site: was.site } },
			undoWords: 'Yes: it is again what it was.'
		};
	}
});

const removeBranch = planKind({
	kind: 'branch.remove',
	words: 'Remove a branch in which nothing stands and to which no rule leads',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ branch: text('Choose a branch.') }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const tree = treeAt(db, now);
		const b = branchOr(tree, input.branch, 'branch');
		const here = branchCounts(db, tree, now).get(b.id)!.here;
		const below = tree.branches.filter((x) => x.parent === b.id);
		const lead = rulesAt(db, now).filter((r) => r.into === b.id);
		return {
			title: `Remove the branch ${b.name}`,
			effects: { ...noEffects(), duration: quick },
			warnings: [],
			blocks: [
				...(here ? [against(`${countWords(here, 'endpoint stands', 'endpoints stand')} in it`)] : []),
				...below.map((x) => against(`${x.name} hangs below it`)),
				...lead.map((r) => against(`the rule ${r.name} leads to it`, 'enrolment rules'))
			],
			reasons: [{ words: here ? 'what stands in it has to go first' : 'nothing stands in it', source: 'endpoints' }],
			objects: [`branch/${b.id}`],
			steps: [stepOf('branch.end', 'Take it out', { id: b.id }, 100)],
			undo: { kind: 'branch.add', input: { name: b.name, parent: b.parent, site: b.site, id: b.id } },
			undoWords: 'Yes: it is there again.'
		};
	}
});

const ruleSchema = v.strictObject({
	/** Of a rule that there is; a new one has none. */
	id: v.optional(number),
	name: text('Write a name.', 60),
	/** Such as `address in 10.21.0.0/22 and not model ~ Tern*`. */
	condition: v.pipe(v.string('Write a condition.'), v.trim(), v.nonEmpty('Write a condition, or any device.')),
	into: text('Choose a branch.'),
	bySite: v.optional(v.boolean(), false),
	whom: v.optional(v.picklist(['new', 'all'], 'Choose new or all.'), 'all'),
	often: v.optional(v.picklist(['start', 'once'], 'Choose start or once.'), 'start'),
	deeper: v.optional(v.picklist(['stay', 'move'], 'Choose stay or move.'), 'stay')
});
type RuleInput = v.InferOutput<typeof ruleSchema>;

const asInput = (r: RuleRow): RuleWrite => ({
	id: r.id,
	name: r.name,
	condition: r.text,
	into: r.into,
	bySite: r.bySite,
	whom: r.whom,
	often: r.often,
	deeper: r.deeper
});

/** Rules as they are given, read; throws beside the field for what cannot be. */
function readRules(db: Db, tree: Tree, given: readonly RuleInput[]): EnrolmentRule[] {
	// One that has gone may come back as itself.
	const known = new Set(all<{ id: number }>(db, 'SELECT DISTINCT id FROM enrolment_rules').map((r) => r.id));
	const teams = new Set(all<{ id: string }>(db, 'SELECT id FROM teams WHERE gone = 0').map((t) => t.id));
	const sites = new Set(all<{ id: string }>(db, 'SELECT id FROM sites').map((s) => s.id));
	const problems: { field: string; words: string }[] = [];
	const seen = new Set<number>();
	const names = new Set<string>();
	const rules = given.map((r, i): EnrolmentRule => {
		const wrong = (field: string, words: string): void => void problems.push({ field: `rules.${i}.${field}`, words });
		if (r.id !== undefined && (!known.has(r.id) || seen.has(r.id)))
			wrong('id', known.has(r.id) ? 'It is named twice.' : `There is no rule ${r.id}.`);
		if (r.id !== undefined) seen.add(r.id);
		if (names.has(r.name.toLowerCase())) wrong('name', 'Another rule is called so.');
		names.add(r.name.toLowerCase());
		if (!tree.get(r.into)) wrong('into', `There is no branch ${r.into.slice(0, 60)}.`);
		const condition = readCondition(r.condition);
		if (!('is' in condition)) wrong('condition', `At sign ${condition.at + 1}: ${condition.words}`);
		else {
			const missing = namedIn(condition).flatMap((n) =>
				(n.of === 'team' && !teams.has(n.value)) || (n.of === 'site' && !sites.has(n.value))
					? [`There is no ${n.of} ${n.value.slice(0, 60)}.`]
					: []
			);
			if (missing.length) wrong('condition', missing[0]!);
		}
		return {
			id: r.id ?? -1 - i,
			name: r.name,
			condition: 'is' in condition ? condition : { is: 'any' },
			into: r.into,
			bySite: r.bySite,
			whom: r.whom,
			often: r.often,
			deeper: r.deeper
		};
	});
	if (rules.reduce((n, r) => n + partsOf(r.condition), 0) > PARTS)
		problems.push({ field: 'rules', words: `At most ${PARTS} parts in the conditions of all rules together.` });
	if (problems.length) throw new InputProblem(problems);
	return rules;
}

/** Teams and sites that a condition names. */
function namedIn(c: EnrolmentRule['condition']): { of: 'team' | 'site'; value: string }[] {
	if (c.is === 'all' || c.is === 'some') return c.of.flatMap(namedIn);
	if (c.is === 'not') return namedIn(c.of);
	return c.is === 'equals' && (c.of === 'team' || c.of === 'site') ? [{ of: c.of, value: c.value }] : [];
}

const setRules = planKind({
	kind: 'rules.set',
	words: 'Set the enrolment rules, in the order in which they are tried: the whole list',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ rules: v.pipe(v.array(ruleSchema), v.maxLength(RULES, `At most ${RULES} rules.`)) }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const tree = treeAt(db, now);
		const before = rulesAt(db, now);
		const after = readRules(db, tree, input.rules);
		const moved = wouldMove(db, now, { rules: before, tree }, { rules: after, tree });
		const starts = startsBefore(db, now);
		const run = runThrough(starts, after, tree);
		const was = runThrough(starts, before, tree);
		const nameOf = (id: number) => after.find((r) => r.id === id)?.name ?? String(id);
		const remarks = neverDecide(after, run);
		const writes = input.rules as RuleWrite[];
		const same =
			JSON.stringify(before.map(asInput)) ===
			JSON.stringify(
				writes.map((r) => ({
					id: r.id,
					name: r.name,
					condition: r.condition,
					into: r.into,
					bySite: r.bySite,
					whom: r.whom,
					often: r.often,
					deeper: r.deeper
				}))
			);
		const fresh = input.rules.filter((r) => r.id === undefined);
		const gone = before.filter((b) => !input.rules.some((r) => r.id === b.id));
		const title =
			fresh.length === 1 && gone.length === 0
				? `Add the enrolment rule ${fresh[0]!.name}`
				: gone.length === 1 && fresh.length === 0
					? `Remove the enrolment rule ${gone[0]!.name}`
					: 'Change the enrolment rules';
		return {
			title,
			effects: { ...noEffects(), endpoints: moved.endpoints, people: moved.people, duration: quick },
			warnings: [
				...(moved.missed.length
					? [
							against(
								`${countWords(moved.missed.length, 'endpoint')} that a rule let in would wait: ${moved.missed.slice(0, 6).join(', ')}`,
								'enrolment rules'
							)
						]
					: []),
				...(run.missed.starts > was.missed.starts
					? [
							against(
								`${countWords(run.missed.starts - was.missed.starts, 'start')} of the last 30 days more would have been let in by no rule`,
								'enrolment rules'
							)
						]
					: []),
				...remarks.slice(0, SAID).map((r) => against(`${nameOf(r.rule)} ${r.words}`, 'enrolment rules')),
				...run.fro
					.slice(0, SAID)
					.map((f) =>
						against(
							`${f.serial} would go to and fro: ${f.branches.map((b) => tree.get(b)?.name ?? b).join(', ')}`,
							'enrolment rules'
						)
					)
			],
			blocks: same ? [against('they are so already', 'enrolment rules')] : [],
			reasons: [
				...movedReasons(moved.words),
				{
					words: `tried on ${countWords(
						starts.reduce((n, s) => n + s.times, 0),
						'start'
					)} of the last 30 days`,
					source: 'enrolment rules'
				}
			],
			objects: ['endpoints/rules'],
			steps: [stepOf('rules.write', 'Write the rules down', { rules: writes }, 200)],
			undo: { kind: 'rules.set', input: { rules: before.map(asInput) } },
			undoWords: 'Yes: the rules are again what they were. What has moved meanwhile moves back at its next start.'
		};
	}
});

export const endpointPlans = [move, shutOut, putBack, addBranch, changeBranch, removeBranch, setRules];
