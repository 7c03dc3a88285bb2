import { eachRow } from '../text/table';
import { siteName } from './targets';

/** A catalogue of web sites as a table: in each line a name and its category. */

/** So many names and categories are read, and so many problems said. */
export const CATALOGUE_LIMITS = { sites: 50_000, categories: 500, name: 60, problems: 100 } as const;

export interface CatalogueProblem {
	line: number;
	words: string;
}

/** A category’s id by its name: small letters and digits with hyphens between. */
export const categoryId = (name: string): string =>
	name
		.normalize('NFKD')
		.toLowerCase()
		.split(/[^\p{L}\p{N}]+/u)
		.filter(Boolean)
		.join('-')
		.slice(0, 60);

/**
 * Reads a table in CSV (RFC 4180; also with semicolons or tabs), whose first line names its columns `name` and `category`.
 * @returns categories by their ids, and each name with the id of its category; or what is wrong, by line
 */
export function readCatalogue(
	text: string
): { categories: Map<string, string>; sites: Map<string, string> } | { problems: CatalogueProblem[] } {
	const problems: CatalogueProblem[] = [];
	const categories = new Map<string, string>();
	const sites = new Map<string, string>();
	let columns: { name: number; category: number } | null = null;
	eachRow(text, ({ fields, line, problem }) => {
		const wrong = (words: string): boolean => problems.push({ line, words }) < CATALOGUE_LIMITS.problems;
		if (columns === null) {
			const titles = fields.map((t) => t.trim().toLowerCase());
			columns = { name: titles.indexOf('name'), category: titles.indexOf('category') };
			if (columns.name >= 0 && columns.category >= 0) return true;
			wrong('The first line names the columns: name and category.');
			return false;
		}
		if (problem !== null) return wrong(problem);
		const written = (fields[columns.name] ?? '').trim();
		const name = siteName(written);
		const category = (fields[columns.category] ?? '').trim();
		const id = categoryId(category);
		if (name === null) return wrong(`${written.slice(0, 60) || 'Nothing'} is no name of a web site.`);
		if (id === '' || category.length > CATALOGUE_LIMITS.name)
			return wrong(`Write a category of at most ${CATALOGUE_LIMITS.name} characters.`);
		const before = sites.get(name);
		if (before !== undefined && before !== id) return wrong(`${name} is of another category before.`);
		if (sites.size >= CATALOGUE_LIMITS.sites || categories.size > CATALOGUE_LIMITS.categories) {
			wrong(`It has more than ${CATALOGUE_LIMITS.sites} names or ${CATALOGUE_LIMITS.categories} categories.`);
			return false;
		}
		sites.set(name, id);
		if (!categories.has(id)) categories.set(id, category);
		return true;
	});
	if (columns === null && problems.length === 0) problems.push({ line: 1, words: 'It is empty.' });
	return problems.length ? { problems } : { categories, sites };
}
