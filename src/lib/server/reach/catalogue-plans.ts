import * as v from 'valibot';
import { CATALOGUE_LIMITS, readCatalogue } from '$lib/core/reach/catalogue-file';
import { siteName } from '$lib/core/reach/targets';
import { noEffects } from '$lib/core/plans/effects';
import { countWords } from '$lib/core/time/units';
import type { Context } from '../context';
import type { Db } from '../db';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { fact, id, LONGEST_TEXT, problem, SAID, text, TOO_LONG, tellGateways } from './fields';
import { bookAt, cataloguedAt, categoriesAt } from './queries';

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
			),
			tellGateways()
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
export const putCatalogue = planKind({
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

export const bringCatalogue = planKind({
	kind: 'site-categories.bring',
	words: 'Bring names of web sites with their categories from a table (CSV)',
	area: 'access',
	undo: 'back',
	longTexts: ['text'],
	schema: v.strictObject({
		text: v.pipe(v.string('Bring a table.'), v.nonEmpty('Bring a table.'), v.maxLength(LONGEST_TEXT, TOO_LONG)),
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
