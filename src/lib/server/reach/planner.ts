import * as v from 'valibot';
import { CATALOGUE_LIMITS, readCatalogue } from '$lib/core/reach/catalogue-file';
import { compareBooks, type Comparison, type Difference } from '$lib/core/reach/compare';
import { editRules, editsBetween, type Edit } from '$lib/core/reach/edits';
import { readBook, readTest, WRITTEN_OTHERWISE, WRITTEN_TEST, writtenTest } from '$lib/core/reach/file';
import { serviceHost, servicePorts } from '$lib/core/reach/hosts';
import { namedIn, OTHERWISE, type AccessRule, type Otherwise } from '$lib/core/reach/rules';
import { ruleWords } from '$lib/core/reach/sentence';
import { standings } from '$lib/core/reach/standing';
import { siteName } from '$lib/core/reach/targets';
import { runTests, type RuleTest, type Tested } from '$lib/core/reach/tests';
import { World } from '$lib/core/reach/world';
import { readRule, RULE_LIMITS, WRITTEN_RULE, writtenRule, type Known } from '$lib/core/reach/written';
import { noEffects, type Touched } from '$lib/core/plans/effects';
import { countWords, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { one, type Db } from '../db';
import { everybody } from '../directory';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { slug } from '../plans/slug';
import {
	bookAt,
	cataloguedAt,
	categoriesAt,
	groundAt,
	reachersAt,
	servicesAt,
	spokenAt,
	type BookRow
} from './queries';
import type { BookWrite, ServiceWrite } from './steps';
import { differenceWords } from './words';

const fact = (words: string, side?: Fact['side']): Fact => ({
	words,
	...(side ? { side } : {}),
	source: 'access rules'
});
const problem = (field: string, words: string) => new InputProblem([{ field, words }]);
/** What a plan says one by one. */
const SAID = 12;
const text = (words: string, most = 100) =>
	v.pipe(v.string(words), v.trim(), v.nonEmpty(words), v.maxLength(most, `At most ${most} characters.`));
const id = (words: string) => text(words, 80);

const edit = v.union(
	[
		v.strictObject({ put: WRITTEN_RULE, before: v.optional(v.nullable(id('Name a rule.'))) }),
		v.strictObject({ move: id('Name a rule.'), before: v.nullable(id('Name a rule.')) }),
		v.strictObject({ remove: id('Name a rule.') })
	],
	'An edit puts a rule, moves one, or removes one.'
);

/** Rules, what decides where none does, and tests, as a draft would have them. */
interface Book {
	rules: readonly AccessRule[];
	otherwise: Otherwise;
	tests: readonly RuleTest[];
}

/** Who loses and who gains, as a plan touches people: those who lose first, each with the first of what it is. */
function touchedBy(ctx: Context, comparison: Comparison, say: (d: Difference) => string): Touched[] {
	const names = new Map(everybody(ctx.db, ctx.clock.now()).map((p) => [p.login, p.name]));
	const people = new Map<string, Touched>();
	for (const d of comparison.differences) {
		const how = say(d);
		for (const { login } of d.people)
			if (!people.has(login))
				people.set(login, {
					kind: 'person',
					id: login,
					name: names.get(login) ?? login,
					how,
					...(d.kind === 'gain' || d.kind === 'less' ? { helped: true } : {})
				});
	}
	return [...people.values()];
}

/** How a test came out that does not hold, in words. */
function failedWords(t: RuleTest, came: Tested, known: ReturnType<typeof spokenAt>): string {
	if (came.holds === null) return `“${t.name}” takes too long to work out`;
	if (!('nobody' in came)) return `“${t.name}” holds`;
	if (came.nobody) return `“${t.name}” speaks of ${known.names.whom([t.who])}, and nobody is there`;
	const by = came.rule === OTHERWISE ? 'the end of the list' : `rule ${came.number}`;
	return `“${t.name}” fails: ${came.example.person.login} comes to “${came.effect}” by ${by}`;
}

/** The draft of a book in place of the one in force. */
function draftOf(ctx: Context, title: string, before: BookRow, after: Book, known: ReturnType<typeof spokenAt>): Draft {
	const { db } = ctx;
	const now = ctx.clock.now();
	if (after.rules.length > RULE_LIMITS.rules) throw problem('edits', `At most ${RULE_LIMITS.rules} rules.`);
	if (namedIn(after.rules) > RULE_LIMITS.named)
		throw problem('edits', `All rules together name at most ${RULE_LIMITS.named} people, teams, targets and places.`);
	const ground = groundAt(db, now);
	const people = reachersAt(db, now);
	const comparison = compareBooks(before, after, ground, people);
	const say = (d: Difference) => differenceWords(d, comparison, before.rules, after.rules, known.names);
	const same = (a: AccessRule, b: AccessRule | undefined) =>
		b !== undefined && JSON.stringify(writtenRule(a)) === JSON.stringify(writtenRule(b));
	const was = new Map(before.rules.map((r) => [r.id, r]));
	const put = after.rules.filter((r) => !same(r, was.get(r.id)));
	const gone = before.rules.filter((r) => !after.rules.some((a) => a.id === r.id));
	const write: BookWrite = {
		put: put.map((r) => ({ id: r.id, spec: writtenRule(r) })),
		remove: gone.map((r) => r.id),
		order: after.rules.map((r) => r.id),
		tests: after.tests.map(writtenTest),
		otherwise: after.otherwise
	};
	const reordered = JSON.stringify(before.rules.map((r) => r.id)) !== JSON.stringify(write.order);
	const tests = JSON.stringify(before.tests.map(writtenTest)) !== JSON.stringify(write.tests);
	const ends = JSON.stringify(before.otherwise) !== JSON.stringify(after.otherwise);
	const nothing = !put.length && !gone.length && !reordered && !tests && !ends;
	// A test that does not hold now either keeps nobody from mending something else.
	const failing = failures(new World(before.rules, before.otherwise, ground), before.tests, people);
	const world = new World(after.rules, after.otherwise, ground);
	const broken = failures(world, after.tests, people);
	const stand = standings(after, ground, people);
	const idle = after.rules.flatMap((r, i) => {
		const s = stand[i]!;
		const changed = put.some((p) => p.id === r.id) || reordered;
		const called = `rule ${i + 1}${r.name ? `, ${r.name},` : ''}`;
		if (!changed) return [];
		if (s.stands === 'never')
			return [
				fact(
					`${called} would never decide: ${numbersOf(s.by, after.rules)} ${s.by.length === 1 ? 'has' : 'have'} all of it`,
					'against'
				)
			];
		if (s.stands === 'same') return [fact(`${called} would say what follows it says as well`, 'against')];
		return s.stands === 'nobody' ? [fact(`${called} is about nobody and nothing that is there`, 'against')] : [];
	});
	const { differences, lose, gain, exact } = comparison;
	return {
		title,
		effects: {
			...noEffects(),
			people: touchedBy(ctx, comparison, say),
			duration: { middle: SECOND, ninety: 3 * SECOND }
		},
		warnings: [
			...(lose.length ? [fact(`${countWords(lose.length, 'person loses', 'people lose')} something`, 'against')] : []),
			...broken
				.filter(([t]) => failing.some(([f]) => f.name === t.name))
				.map(([t, came]) => fact(`${failedWords(t, came, known)}, as it does now`, 'against')),
			...idle.slice(0, SAID),
			...(exact ? [] : [fact('some combinations take too long to work out, and are left out', 'against')])
		],
		blocks: [
			...(nothing ? [fact('it is so already', 'against')] : []),
			...broken
				.filter(([t]) => !failing.some(([f]) => f.name === t.name))
				.slice(0, SAID)
				.map(([t, came]) => fact(failedWords(t, came, known), 'against'))
		],
		reasons: [
			...(gain.length ? [fact(`${countWords(gain.length, 'person gains', 'people gain')} something`, 'for')] : []),
			...differences
				.slice(0, SAID)
				.map((d) => fact(say(d), d.kind === 'gain' || d.kind === 'less' ? 'for' : 'against')),
			...(differences.length === 0 ? [fact('nobody gains or loses anything by it')] : [])
		],
		objects: ['access-rulebook/book', ...[...put, ...gone].map((r) => `access-rule/${r.id}`)],
		steps: [stepOf('access-rules.write', 'Write the rules down', write, 300)],
		undo: {
			kind: 'access-rules.change',
			input: {
				edits: editsBetween(after.rules, before.rules).map((e) => ('put' in e ? { ...e, put: writtenRule(e.put) } : e)),
				...(ends ? { otherwise: before.otherwise } : {}),
				...(tests ? { tests: before.tests.map(writtenTest) } : {})
			}
		},
		undoWords: 'Yes: the rules are again what they were.'
	};
}

const numbersOf = (ids: readonly string[], rules: readonly AccessRule[]): string =>
	ids.map((i) => `rule ${rules.findIndex((r) => r.id === i) + 1}`).join(' and ');

/** The tests that do not hold. */
const failures = (world: World, tests: readonly RuleTest[], people: Parameters<typeof runTests>[2]) =>
	runTests(world, tests, people).flatMap((came, i): [RuleTest, Tested][] =>
		came.holds === true ? [] : [[tests[i]!, came]]
	);

/** Reads a rule that is sent, or throws beside each field that is wrong. */
function ruleOf(written: v.InferOutput<typeof WRITTEN_RULE>, known: Known, field: string): AccessRule {
	const read = readRule(written, known);
	if ('rule' in read) return read.rule;
	throw new InputProblem(read.problems.map((p) => ({ field: [field, ...p.path].join('.'), words: p.words })));
}

const change = planKind({
	kind: 'access-rules.change',
	words: 'Add, change, move and remove access rules: who may reach which web sites and private services',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		edits: v.optional(v.pipe(v.array(edit), v.maxLength(RULE_LIMITS.rules, `At most ${RULE_LIMITS.rules}.`)), []),
		/** What decides where no rule does. */
		otherwise: v.optional(WRITTEN_OTHERWISE),
		/** All tests that rules have to hold, in the place of those that there are. */
		tests: v.optional(v.pipe(v.array(WRITTEN_TEST), v.maxLength(RULE_LIMITS.tests, `At most ${RULE_LIMITS.tests}.`)))
	}),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const before = bookAt(ctx.db, now);
		const known = spokenAt(ctx.db, now);
		const edits = input.edits.map((e, i): Edit<AccessRule> =>
			'put' in e ? { ...e, put: ruleOf(e.put, known, `edits.${i}.put`) } : e
		);
		const rules = editRules(before.rules, edits);
		if (!Array.isArray(rules)) throw problem(`edits.${rules.edit}.${rules.field}`, rules.words);
		const tests = (input.tests ?? before.tests.map(writtenTest)).map((t, i) => {
			const read = readTest(t, input.tests ? known : { has: () => true, all: () => [] });
			if ('test' in read) return read.test;
			throw new InputProblem(read.problems.map((p) => ({ field: ['tests', i, ...p.path].join('.'), words: p.words })));
		});
		const twice = tests.findIndex((t, i) => tests.findIndex((o) => o.name === t.name) < i);
		if (twice >= 0) throw problem(`tests.${twice}.name`, 'Another test says the same.');
		return draftOf(
			ctx,
			titleOf(before, rules, edits, known),
			before,
			{ ...before, rules, tests, otherwise: input.otherwise ?? before.otherwise },
			known
		);
	}
});

/** What a change of rules is called: the one rule that it is about, or how many. */
function titleOf(
	before: BookRow,
	after: readonly AccessRule[],
	edits: readonly Edit<AccessRule>[],
	known: ReturnType<typeof spokenAt>
): string {
	const [first] = edits;
	if (!first) return 'Change what decides where no access rule does, or the tests of the rules';
	if (edits.length > 1) return `Change ${edits.length} access rules`;
	const ruleId = 'put' in first ? first.put.id : 'move' in first ? first.move : first.remove;
	const rule = after.find((r) => r.id === ruleId) ?? before.rules.find((r) => r.id === ruleId);
	const called = rule ? rule.name || ruleWords(rule, known.names) : ruleId;
	const verb =
		'remove' in first
			? 'Remove'
			: 'move' in first
				? 'Move'
				: before.rules.some((r) => r.id === ruleId)
					? 'Change'
					: 'Add';
	return `${verb} the access rule ${called}`.slice(0, 200);
}

const bring = planKind({
	kind: 'access-rules.bring',
	words: 'Bring access rules and their tests from a file, in the place of all that there are',
	area: 'access',
	undo: 'back',
	longTexts: ['text'],
	schema: v.strictObject({
		text: v.pipe(v.string('Bring a file.'), v.nonEmpty('Bring a file.'), v.maxLength(4_000_000, 'At most 4 MB.'))
	}),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const known = spokenAt(ctx.db, now);
		const read = readBook(input.text, known);
		if ('problems' in read)
			throw new InputProblem(
				read.problems.map((p) => ({ field: 'text', words: `Line ${p.line}, column ${p.column}: ${p.words}` }))
			);
		const before = bookAt(ctx.db, now);
		return draftOf(
			ctx,
			`Bring ${countWords(read.book.rules.length, 'access rule')} from a file`,
			before,
			{ ...read.book, tests: read.tests },
			known
		);
	}
});

const putService = planKind({
	kind: 'private-service.put',
	words: 'Add a private service, or change where it is',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		/** None: a new one, with an id by its name. */
		id: v.optional(id('Choose a service.')),
		name: text('Write a name.'),
		group: v.optional(v.nullable(text('Write the name of a group.', 60)), null),
		/** Names, addresses and ranges. */
		hosts: v.pipe(v.array(v.string()), v.minLength(1, 'Name at least one host.'), v.maxLength(100, 'At most 100.')),
		/** Such as 5432 or 8000-8010. */
		ports: v.pipe(v.array(v.string()), v.minLength(1, 'Name at least one port.'), v.maxLength(50, 'At most 50.')),
		protocol: v.optional(v.picklist(['tcp', 'udp'], 'Choose tcp or udp.'), 'tcp')
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const before = servicesAt(db, ctx.clock.now());
		const was = before.find((s) => s.id === input.id);
		if (input.id !== undefined && !was && !/^[a-z0-9][a-z0-9.-]*$/.test(input.id))
			throw problem('id', 'Small letters, digits, dots and hyphens.');
		const wrong: { field: string; words: string }[] = [];
		const kept = (field: 'hosts' | 'ports', read: (written: string) => string | null, words: string) =>
			input[field].map((written, i) => {
				const is = read(written);
				if (is === null) wrong.push({ field: `${field}.${i}`, words });
				return is ?? '';
			});
		const service: ServiceWrite = {
			id: input.id ?? freeId(db, input.name),
			name: input.name,
			group: input.group,
			hosts: kept('hosts', serviceHost, 'Write a name, an address or a range.'),
			ports: kept('ports', servicePorts, 'Write a port such as 5432, or some such as 8000-8010.'),
			protocol: input.protocol
		};
		if (before.some((s) => s.id !== service.id && s.name.toLowerCase() === service.name.toLowerCase()))
			wrong.push({ field: 'name', words: 'Another service is called so.' });
		if (wrong.length) throw new InputProblem(wrong);
		return serviceDraft(ctx, service, was);
	}
});

const removeService = planKind({
	kind: 'private-service.remove',
	words: 'Remove a private service: nobody reaches it by its name any more',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({ service: id('Choose a service.') }),
	async draft(ctx, input): Promise<Draft> {
		const was = servicesAt(ctx.db, ctx.clock.now()).find((s) => s.id === input.service);
		if (!was) throw problem('service', `There is no service ${input.service.slice(0, 60)}.`);
		return serviceDraft(ctx, null, was);
	}
});

function serviceDraft(
	ctx: Context,
	is: ServiceWrite | null,
	was: (ServiceWrite & { since: number }) | undefined
): Draft {
	const { name, id: service } = (is ?? was)!;
	const asInput = ({ id, name, group, hosts, ports, protocol }: ServiceWrite): ServiceWrite => ({
		id,
		name,
		group,
		hosts,
		ports,
		protocol
	});
	const speaking = bookAt(ctx.db, ctx.clock.now()).rules.filter((r) =>
		[...r.what, ...r.whatNot].some((w) => w.kind === 'service' && w.id === service)
	);
	const same = is !== null && was !== undefined && JSON.stringify(asInput(is)) === JSON.stringify(asInput(was));
	return {
		title: is === null ? `Remove the private service ${name}` : `${was ? 'Change' : 'Add'} the private service ${name}`,
		effects: noEffects(),
		warnings: [],
		blocks: [
			...(same ? [fact('it is so already', 'against')] : []),
			...(is === null && speaking.length
				? [
						fact(
							`${countWords(speaking.length, 'access rule speaks', 'access rules speak')} of it: ${speaking
								.slice(0, 5)
								.map((r) => r.name || r.id)
								.join(', ')}`,
							'against'
						)
					]
				: [])
		],
		reasons: [
			fact(
				is === null
					? 'what is there is something inside that is no service'
					: `${is.hosts.join(', ')} at ${is.protocol} ${is.ports.join(', ')}`
			)
		],
		objects: [`private-service/${service}`],
		steps: [
			stepOf(
				'private-service.write',
				is === null ? 'Remove the service' : 'Write the service down',
				{ id: service, is },
				200
			)
		],
		undo: was
			? { kind: 'private-service.put', input: asInput(was) }
			: { kind: 'private-service.remove', input: { service } },
		undoWords: was ? 'Yes: it is again what it was.' : 'Yes: it goes again.'
	};
}

function freeId(db: Db, name: string): string {
	const base =
		slug(name)
			.normalize('NFKD')
			.split(/[^a-z0-9]+/)
			.filter(Boolean)
			.join('-') || 'service';
	let free = base;
	for (let n = 2; one(db, 'SELECT 1 FROM private_services WHERE id = ?', [free]); n++) free = `${base}-${n}`;
	return free;
}

/** Changes to the catalogue of web sites. */
interface CatalogueChange {
	categories: readonly (readonly [id: string, name: string])[];
	sites: readonly (readonly [name: string, category: string])[];
	remove: readonly string[];
	removeCategories: readonly string[];
}

/** The draft of a change to the catalogue, with what changes nothing left out. */
function catalogueDraft(ctx: Context, title: string, wanted: CatalogueChange): Draft {
	const { db } = ctx;
	const now = ctx.clock.now();
	const before = cataloguedAt(db, now);
	const called = new Map(categoriesAt(db, now).map((c) => [c.id, c.name]));
	const sites = wanted.sites.filter(([name, category]) => before.get(name) !== category);
	const gone = wanted.remove.filter((n) => before.has(n));
	const categories = wanted.categories.filter(([c, name]) => called.get(c) !== name);
	const goneCategories = wanted.removeCategories.filter((c) => called.has(c));
	const moved = sites.filter(([n]) => before.has(n));
	const fresh = sites.filter(([n]) => !before.has(n));
	if (before.size - gone.length + fresh.length > CATALOGUE_LIMITS.sites)
		throw problem('sites', `At most ${CATALOGUE_LIMITS.sites} names.`);
	const asSite = (name: string, category: string) => ({ name, category });
	const kept = (ids: Iterable<string>) =>
		[...ids].flatMap((c) => (called.has(c) ? [{ id: c, name: called.get(c)! }] : []));
	return {
		title,
		effects: noEffects(),
		warnings: [],
		blocks:
			sites.length + gone.length + categories.length + goneCategories.length === 0
				? [fact('it is so already', 'against')]
				: [],
		reasons: [
			fact(
				`${countWords(fresh.length, 'name')} would be new, ${moved.length} of another category, ${gone.length} gone`
			),
			...(categories.length
				? [
						fact(
							`categories written down: ${categories
								.slice(0, SAID)
								.map(([, name]) => name)
								.join(', ')}`
						)
					]
				: []),
			...(goneCategories.length ? [fact(`categories gone: ${goneCategories.slice(0, SAID).join(', ')}`)] : [])
		],
		objects: ['site-categories/all'],
		steps: [
			stepOf(
				'site-categories.write',
				'Write the catalogue down',
				{
					categories: categories.map(([c, name]) => ({ id: c, name })),
					sites: sites.map(([name, category]) => [name, category]),
					without: gone,
					withoutCategories: goneCategories
				},
				500
			)
		],
		undo: {
			kind: 'site-categories.put',
			input: {
				categories: kept([...categories.map(([c]) => c), ...goneCategories]),
				sites: [...moved.map(([n]) => asSite(n, before.get(n)!)), ...gone.map((n) => asSite(n, before.get(n)!))],
				remove: fresh.map(([n]) => n),
				removeCategories: categories.flatMap(([c]) => (called.has(c) ? [] : [c]))
			}
		},
		undoWords: 'Yes: the catalogue is again what it was.'
	};
}

const most = (n: number) => `At most ${n}.`;
const putCatalogue = planKind({
	kind: 'site-categories.put',
	words: 'Say of which category web sites are, one by one, or that they are of none',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		categories: v.optional(
			v.pipe(
				v.array(v.strictObject({ id: id('Write an id.'), name: text('Write a name.', CATALOGUE_LIMITS.name) })),
				v.maxLength(CATALOGUE_LIMITS.categories, most(CATALOGUE_LIMITS.categories))
			),
			[]
		),
		sites: v.optional(
			v.pipe(
				v.array(v.strictObject({ name: text('Write a name.', 300), category: id('Choose a category.') })),
				v.maxLength(CATALOGUE_LIMITS.sites, most(CATALOGUE_LIMITS.sites))
			),
			[]
		),
		/** Names that are of no category any more. */
		remove: v.optional(
			v.pipe(v.array(text('Write a name.', 300)), v.maxLength(CATALOGUE_LIMITS.sites, most(CATALOGUE_LIMITS.sites))),
			[]
		),
		removeCategories: v.optional(
			v.pipe(
				v.array(id('Choose a category.')),
				v.maxLength(CATALOGUE_LIMITS.categories, most(CATALOGUE_LIMITS.categories))
			),
			[]
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const there = new Set([...categoriesAt(db, now), ...input.categories].map((c) => c.id));
		const wrong: { field: string; words: string }[] = [];
		const sites = input.sites.map(({ name, category }, i): [string, string] => {
			const host = siteName(name);
			if (host === null)
				wrong.push({ field: `sites.${i}.name`, words: `${name.slice(0, 60)} is no name of a web site.` });
			if (!there.has(category))
				wrong.push({ field: `sites.${i}.category`, words: `There is no category ${category.slice(0, 60)}.` });
			return [host ?? '', category];
		});
		const elsewhere = new Set([...input.remove, ...sites.map(([name]) => name)]);
		const used = new Set([...cataloguedAt(db, now)].flatMap(([n, c]) => (elsewhere.has(n) ? [] : [c])));
		const speaking = categoriesSpokenOf(db, now);
		input.removeCategories.forEach((c, i) => {
			const why = speaking.has(c)
				? 'An access rule speaks of it.'
				: used.has(c) || sites.some(([, own]) => own === c)
					? 'Web sites are of it.'
					: null;
			if (why) wrong.push({ field: `removeCategories.${i}`, words: why });
		});
		if (wrong.length) throw new InputProblem(wrong.slice(0, 100));
		return catalogueDraft(ctx, 'Change the catalogue of web sites', {
			categories: input.categories.map((c) => [c.id, c.name]),
			sites,
			remove: input.remove,
			removeCategories: input.removeCategories
		});
	}
});

/** Categories that any rule speaks of. */
const categoriesSpokenOf = (db: Db, at: number): Set<string> =>
	new Set(
		bookAt(db, at).rules.flatMap((r) => [...r.what, ...r.whatNot].flatMap((w) => (w.kind === 'category' ? [w.id] : [])))
	);

const bringCatalogue = planKind({
	kind: 'site-categories.bring',
	words: 'Bring names of web sites with their categories from a table (CSV)',
	area: 'access',
	undo: 'back',
	longTexts: ['text'],
	schema: v.strictObject({
		text: v.pipe(v.string('Bring a table.'), v.nonEmpty('Bring a table.'), v.maxLength(5_000_000, 'At most 5 MB.')),
		/** Names that the table does not have. */
		others: v.optional(v.picklist(['stay', 'go'], 'Choose stay or go.'), 'stay')
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const read = readCatalogue(input.text);
		if ('problems' in read)
			throw new InputProblem(read.problems.map((p) => ({ field: 'text', words: `Line ${p.line}: ${p.words}` })));
		const go = input.others === 'go';
		const speaking = categoriesSpokenOf(db, now);
		return catalogueDraft(ctx, `Bring ${countWords(read.sites.size, 'web site')} with their categories`, {
			categories: [...read.categories],
			sites: [...read.sites],
			remove: go ? [...cataloguedAt(db, now).keys()].filter((n) => !read.sites.has(n)) : [],
			removeCategories: go
				? categoriesAt(db, now).flatMap((c) => (read.categories.has(c.id) || speaking.has(c.id) ? [] : [c.id]))
				: []
		});
	}
});

export const reachPlans = [change, bring, putService, removeService, putCatalogue, bringCatalogue] as const;
