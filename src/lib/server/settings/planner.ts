import * as v from 'valibot';
import { clashesAmong, compareGroups, type Change } from '$lib/core/settings/compare';
import { appliedParts, Groups } from '$lib/core/settings/effective';
import {
	GROUP_LIMITS,
	RANK,
	readGroup,
	readGroups,
	writeGroups,
	writtenGroup,
	type NotedGroup
} from '$lib/core/settings/file';
import { valueWords, type Setting } from '$lib/core/settings/kinds';
import { byId } from '$lib/core/settings/own';
import { readReach, reachText } from '$lib/core/settings/reach';
import { noEffects, type Touched } from '$lib/core/plans/effects';
import { countWords, durationWords, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { one, type Db } from '../db';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { freeSlug } from '../plans/slug';
import { catalogueIn, groupsAt, type GroupRow } from './queries';
import type { GroupWrite } from './steps';
import { isThere, knownAt, reachNames, type Known } from './subjects';

const against = (words: string): Fact => ({ words, side: 'against', source: 'settings' });
const problem = (field: string, words: string) => new InputProblem([{ field, words }]);
/** What a plan says one by one. */
const SAID = 12;
/** Changes that are said of one. */
const CHANGES = 3;
/** A sign-in that takes this much longer is said, ms. */
const SLOWER = 500;

const text = (words: string, most = 100) =>
	v.pipe(v.string(words), v.trim(), v.nonEmpty(words), v.maxLength(most, `At most ${most} characters.`));
const some = v.optional(v.array(v.string()), []);

export const changeWords = ({ setting, from, to }: Change): string =>
	`${setting.name}: ${valueWords(setting.type, to)} instead of ${valueWords(setting.type, from)}`;

const changesWords = (changes: readonly Change[]): string =>
	changes.slice(0, CHANGES).map(changeWords).join('; ') +
	(changes.length > CHANGES ? `; and ${changes.length - CHANGES} more` : '');

const NOUNS: Record<Known['kind'], [string, string]> = {
	endpoint: ['endpoint', 'endpoints'],
	machine: ['machine', 'machines'],
	session: ['person in a pool', 'people in their pools']
};

/** What a sign-in takes for settings, ms. */
const signInOf = (groups: Groups, s: Known): number => {
	const settings = groups.effective('session', s.under);
	return (['policies', 'drives'] as const)
		.flatMap((phase) => appliedParts(groups, settings, phase, 0))
		.reduce((n, p) => n + p.ms, 0);
};

/** What other groups would come to: who gets which value instead of which, from when, and what it takes. */
function whatChanges(
	ctx: Context,
	catalogue: readonly Setting[],
	before: readonly NotedGroup[],
	after: readonly NotedGroup[]
) {
	const { db } = ctx;
	const now = ctx.clock.now();
	const was = new Groups(catalogue, before);
	const is = new Groups(catalogue, after);
	const known = knownAt(db, now);
	const changed = compareGroups(was, is, known);
	const people = new Map<string, Touched>();
	const machines: Touched[] = [];
	const endpoints: Touched[] = [];
	const restarts = { endpoint: 0, machine: 0, session: 0 };
	for (const { subjects, changes } of changed) {
		const how = changesWords(changes);
		const restart = changes.some((c) => c.setting.holds === 'next start');
		for (const s of subjects) {
			if (restart) restarts[s.kind]++;
			if (s.kind === 'endpoint') endpoints.push({ kind: 'endpoint', id: s.id, name: s.name, how });
			else if (s.kind === 'machine') machines.push({ kind: 'machine', id: s.id, name: s.name, how });
			else if (s.person) people.set(s.person.login, { kind: 'person', id: s.person.login, name: s.person.name, how });
		}
	}
	// Who is touched alike takes as long as the first of them.
	const slower = new Map<number, number>();
	for (const { subjects } of changed) {
		const first = subjects[0]!;
		if (first.kind !== 'session') continue;
		const more = Math.round(signInOf(is, first) - signInOf(was, first));
		if (Math.abs(more) >= SLOWER) slower.set(more, (slower.get(more) ?? 0) + subjects.length);
	}
	const pairs = (groups: Groups) =>
		clashesAmong(groups, known).map((c) => ({ key: [c.setting.id, ...[...c.groups].sort()].join('\0'), c }));
	const old = new Set(pairs(was).map((p) => p.key));
	const nameOf = (id: string) => after.find((g) => g.id === id)?.name ?? id;
	const clashes = pairs(is)
		.filter((p) => !old.has(p.key))
		.map(({ c }) =>
			against(
				`${nameOf(c.groups[0])} and ${nameOf(c.groups[1])} of the same rank say ${c.setting.name} otherwise, for ${countWords(c.subjects, ...NOUNS[c.first.kind])}: ${valueWords(c.setting.type, c.counts)} would count`
			)
		);
	const waits = (['endpoint', 'machine'] as const).filter((k) => restarts[k] > 0);
	return {
		effects: {
			...noEffects(),
			people: [...people.values()],
			machines,
			endpoints,
			duration: { middle: SECOND, ninety: 3 * SECOND }
		},
		warnings: [
			...clashes.slice(0, SAID),
			...[...slower]
				.filter(([more]) => more > 0)
				.sort((a, b) => b[0] - a[0])
				.slice(0, SAID)
				.map(([more, n]) =>
					against(`sign-ins of ${countWords(n, ...NOUNS.session)} would take ${durationWords(more)} longer`)
				)
		],
		reasons: [
			...changed.slice(0, SAID).map(({ subjects, changes }) => ({
				words: `${countWords(subjects.length, ...NOUNS[subjects[0]!.kind])}: ${changesWords(changes)}; ${holdsWords(changes)}`,
				source: 'settings'
			})),
			...(changed.length === 0
				? [{ words: 'no value would count otherwise for anybody or anything that is known', source: 'settings' }]
				: []),
			...[...slower]
				.filter(([more]) => more < 0)
				.sort((a, b) => a[0] - b[0])
				.slice(0, SAID)
				.map(([more, n]) => ({
					words: `sign-ins of ${countWords(n, ...NOUNS.session)} would take ${durationWords(-more)} less`,
					side: 'for' as const,
					source: 'settings'
				})),
			...waits.map((k) => ({
				words: `${countWords(restarts[k], ...NOUNS[k])} would have to start anew for it: it takes hold as each next starts`,
				source: 'settings'
			}))
		]
	};
}

/** From when on changes hold, those that wait longest said. */
function holdsWords(changes: readonly Change[]): string {
	const holds = new Set(changes.map((c) => c.setting.holds));
	return holds.has('next start')
		? 'at the next start'
		: holds.has('next sign-in')
			? 'from the next sign-in on'
			: 'at once';
}

const asWrite = (settings: ReadonlyMap<string, Setting>, g: NotedGroup): GroupWrite => {
	const { id, ...is } = { note: '', ...writtenGroup(settings, g) };
	return { id, is };
};

/** A group as `settings.set` takes it. */
const asInput = writtenGroup;

/** Throws beside each reach of a group that there is nothing of; those that the group had before may stay. */
function checkReaches(
	db: Db,
	now: number,
	g: NotedGroup,
	before: NotedGroup | undefined,
	field = (path: string) => path
): void {
	const had = new Set([...(before?.assigned ?? []), ...(before?.excluded ?? [])].map(reachText));
	const problems = (['assigned', 'excluded'] as const).flatMap((key) =>
		g[key].flatMap((r, i) =>
			had.has(reachText(r)) || isThere(db, r, now)
				? []
				: [{ field: field(`${key}.${i}`), words: `There is no ${r.kind} ${r.id.slice(0, 60)}.` }]
		)
	);
	if (problems.length) throw new InputProblem(problems);
}

/** The draft of putting some groups in the place of those that hold. */
function draftOf(
	ctx: Context,
	title: string,
	before: readonly GroupRow[],
	after: readonly NotedGroup[],
	undo: Draft['undo'],
	undoWords: string
): Draft {
	const catalogue = catalogueIn(ctx.db);
	const settings = byId(catalogue);
	const key = (g: NotedGroup) => JSON.stringify(asWrite(settings, g));
	const was = new Map(before.map((g) => [g.id, key(g)]));
	const touched: GroupWrite[] = [
		...after.filter((g) => was.get(g.id) !== key(g)).map((g) => asWrite(settings, g)),
		...before.filter((g) => !after.some((a) => a.id === g.id)).map((g) => ({ id: g.id, is: null }))
	];
	if (after.length > GROUP_LIMITS.groups) throw problem('name', `At most ${GROUP_LIMITS.groups} groups.`);
	const { effects, warnings, reasons } = whatChanges(ctx, catalogue, before, after);
	return {
		title,
		effects,
		warnings,
		blocks: touched.length ? [] : [against('it is so already')],
		reasons,
		objects: touched.map((t) => `settings-group/${t.id}`),
		steps: [
			stepOf('settings.write', 'Write the groups down', { groups: touched }, 200),
			stepOf('settings.tell', 'Tell agents and devices', {}, 800)
		],
		undo,
		undoWords
	};
}

const set = planKind({
	kind: 'settings.set',
	words: 'Add a settings group, or change one: its values, rank, and what it is assigned to and left out of',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		/** None: a new one, with an id by its name. */
		id: v.optional(text('Choose an id.', 80)),
		name: text('Write a name.', GROUP_LIMITS.name),
		note: v.optional(
			v.pipe(v.string(), v.maxLength(GROUP_LIMITS.note, `At most ${GROUP_LIMITS.note} characters.`)),
			''
		),
		rank: v.optional(v.number('Write a number.'), RANK.usual),
		/** By the setting’s id, as people write them: `20 min`, `on`, a list. */
		values: v.optional(v.record(v.string(), v.unknown()), {}),
		/** Such as everything, endpoints, machines, branch/ships, team/watch, pool/desks. */
		assigned: some,
		excluded: some
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const settings = byId(catalogueIn(db));
		const before = groupsAt(db, now);
		const id = input.id ?? freeId(db, input.name);
		const read = readGroup(settings, { ...input, id });
		if ('problems' in read)
			throw new InputProblem(read.problems.map((p) => ({ field: p.path.join('.'), words: p.words })));
		const { group } = read;
		const was = before.find((g) => g.id === id);
		if (before.some((g) => g.id !== id && g.name.toLowerCase() === group.name.toLowerCase()))
			throw problem('name', 'Another group is called so.');
		checkReaches(db, now, group, was);
		return draftOf(
			ctx,
			`${was ? 'Change' : 'Add'} the settings group ${group.name}`,
			before,
			was ? before.map((g) => (g.id === id ? group : g)) : [...before, group],
			was ? { kind: 'settings.set', input: asInput(settings, was) } : { kind: 'settings.remove', input: { group: id } },
			was ? 'Yes: the group is again what it was.' : 'Yes: the group goes again.'
		);
	}
});

const freeId = (db: Db, name: string): string =>
	freeSlug(name, 'group', (id) => one(db, 'SELECT 1 FROM settings_groups WHERE id = ?', [id]) !== undefined);

function groupOr(id: string, before: readonly GroupRow[]): GroupRow {
	const group = before.find((g) => g.id === id);
	if (!group) throw problem('group', `There is no settings group ${id.slice(0, 60)}.`);
	return group;
}

const remove = planKind({
	kind: 'settings.remove',
	words: 'Remove a settings group: what it said counts no more',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ group: text('Choose a group.') }),
	async draft(ctx, input): Promise<Draft> {
		const before = groupsAt(ctx.db, ctx.clock.now());
		const group = groupOr(input.group, before);
		return draftOf(
			ctx,
			`Remove the settings group ${group.name}`,
			before,
			before.filter((g) => g !== group),
			{ kind: 'settings.set', input: asInput(byId(catalogueIn(ctx.db)), group) },
			'Yes: the group is there again, as it was.'
		);
	}
});

const rank = planKind({
	kind: 'settings.rank',
	words: 'Give a settings group another rank: of two that say the same setting, the higher counts',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		group: text('Choose a group.'),
		rank: v.pipe(
			v.number('Write a number.'),
			v.integer('Write a whole number.'),
			v.minValue(1, 'At least 1.'),
			v.maxValue(RANK.most, `At most ${RANK.most}.`)
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const before = groupsAt(ctx.db, ctx.clock.now());
		const group = groupOr(input.group, before);
		return draftOf(
			ctx,
			`Give ${group.name} the rank ${input.rank}`,
			before,
			before.map((g) => (g === group ? { ...g, rank: input.rank } : g)),
			{ kind: 'settings.rank', input: { group: group.id, rank: group.rank } },
			'Yes: it has its rank again.'
		);
	}
});

const leaveOut = planKind({
	kind: 'settings.leave-out',
	words: 'Leave a pool, a branch, a team or the like out of a settings group',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		group: text('Choose a group.'),
		/** Such as pool/desks. */
		from: text('Choose what is to be left out.', 250)
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const before = groupsAt(db, now);
		const group = groupOr(input.group, before);
		const reach = readReach(input.from);
		if (!reach) throw problem('from', 'Write what is to be left out, such as pool/desks or branch/ships.');
		if (!isThere(db, reach, now)) throw problem('from', `There is no ${reach.kind} ${reach.id.slice(0, 60)}.`);
		const same = (r: typeof reach) => reachText(r) === reachText(reach);
		// What it is assigned to itself is assigned no more; what it reaches from above is left out.
		const next = group.assigned.some(same)
			? { ...group, assigned: group.assigned.filter((r) => !same(r)) }
			: group.excluded.some(same)
				? group
				: { ...group, excluded: [...group.excluded, reach] };
		return draftOf(
			ctx,
			`Leave ${reachNames(db, now)(reach)} out of ${group.name}`,
			before,
			before.map((g) => (g === group ? next : g)),
			{ kind: 'settings.set', input: asInput(byId(catalogueIn(db)), group) },
			'Yes: the group reaches it again.'
		);
	}
});

const bring = planKind({
	kind: 'settings.bring',
	words: 'Bring settings groups from a file: those of it are put in the place of those that are there',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		text: v.pipe(v.string('Bring a file.'), v.nonEmpty('Bring a file.'), v.maxLength(2_000_000, 'At most 2 MB.')),
		/** Groups that the file does not have. */
		others: v.optional(v.picklist(['stay', 'go'], 'Choose stay or go.'), 'stay')
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const settings = byId(catalogueIn(db));
		const before = groupsAt(db, now);
		const read = readGroups(settings, input.text);
		if ('problems' in read)
			throw new InputProblem(
				read.problems.map((p) => ({ field: 'text', words: `Line ${p.line}, column ${p.column}: ${p.words}` }))
			);
		const { groups } = read;
		for (const g of groups) {
			const was = before.find((b) => b.id === g.id);
			checkReaches(db, now, g, was, () => 'text');
		}
		const stay = input.others === 'go' ? [] : before.filter((b) => !groups.some((g) => g.id === b.id));
		const names = new Map<string, string>();
		for (const g of [...stay, ...groups]) {
			const other = names.get(g.name.toLowerCase());
			if (other !== undefined) throw problem('text', `${g.id} and ${other} are both called ${g.name}.`);
			names.set(g.name.toLowerCase(), g.id);
		}
		const gone = input.others === 'go' ? before.filter((b) => !groups.some((g) => g.id === b.id)) : [];
		const draft = draftOf(
			ctx,
			`Bring ${countWords(groups.length, 'settings group')} from a file`,
			before,
			[...stay, ...groups],
			{ kind: 'settings.bring', input: { text: writeGroups(settings, before), others: 'go' } },
			'Yes: the groups are again those that were there.'
		);
		return {
			...draft,
			warnings: [
				...gone.slice(0, SAID).map((g) => against(`${g.name} goes: the file does not have it`)),
				...draft.warnings
			]
		};
	}
});

export const settingsPlans = [set, remove, rank, leaveOut, bring];
