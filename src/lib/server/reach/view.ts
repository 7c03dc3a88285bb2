import { writtenTest } from '$lib/core/reach/file';
import { standings, type Standing } from '$lib/core/reach/standing';
import { runTests, type Tested } from '$lib/core/reach/tests';
import type { Db } from '../db';
import { contradictionsAt } from './relying';
import { publicationsAt } from '../publications';
import { reachersAt, reliedAt, spokenAt } from './queries';
import { inForceAt, type InForce } from './standing';
import { failedAt, shownRule, standWords, triesOf } from './shown';
import { testedWords } from './words';
import { innerGateways, privateServices, siteCategories } from './lists';
import { sitesOf } from '../estate';
import { EVERYTHING } from '$lib/core/scope/scope';

/** How rules stand and which tests hold, by the people whom they are about: it takes long where there are many. */
const worked = new WeakMap<object, { of: InForce; stand: Standing[]; tested: Tested[] }>();

function workedOut(db: Db, at: number) {
	const people = reachersAt(db, at);
	const of = inForceAt(db, at);
	const { book, ground, world } = of;
	let known = worked.get(people);
	if (known?.of !== of) {
		known = { of, stand: standings(book, ground, people), tested: runTests(world, book.tests, people) };
		worked.set(people, known);
	}
	return { book, stand: known.stand, tested: known.tested };
}

/** The rules in their order with how each stands, their tests, and what they speak of. */
export function rulesView(db: Db, at: number) {
	const { names, all } = spokenAt(db, at);
	const { book, stand, tested } = workedOut(db, at);
	const ask = { at, scope: EVERYTHING, sort: '', descending: false, limit: 10_000, offset: 0 };
	return {
		rules: book.rows.map(({ rule, since, by }, i) => ({
			...shownRule(rule, names),
			number: i + 1,
			stands: standWords(stand[i]!, book.rules),
			since,
			by
		})),
		otherwise: book.otherwise,
		tests: book.tests.map((t, i) => ({
			name: t.name,
			holds: tested[i]!.holds === true,
			words: testedWords(t, tested[i]!, names),
			tries: failedAt(tested[i]!),
			written: writtenTest(t)
		})),
		pools: [...all('pool')].map((id) => ({ id, name: names.pools([id]) })),
		branches: [...all('branch')].map((id) => ({ id, name: names.branches([id]) })),
		services: privateServices.page(db, ask).rows,
		contradictions: contradictionsAt(db, at).found.map((c) => ({
			words: c.words,
			publication: c.publication,
			service: c.service,
			tries: triesOf(c.example)
		})),
		relied: Object.fromEntries(reliedAt(db, at)),
		publications: publicationsAt(db, at).map(({ id, name }) => ({ id, name })),
		gateways: innerGateways.page(db, ask).rows,
		sites: sitesOf(db).map(({ id, name }) => ({ id, name })),
		categories: siteCategories.page(db, ask).rows
	};
}

/** What of one rule's standing needs saying, or null. */
export function standingOf(db: Db, id: string, at: number): ReturnType<typeof standWords> {
	const { book, stand } = workedOut(db, at);
	const n = book.rules.findIndex((r) => r.id === id);
	return n < 0 ? null : standWords(stand[n]!, book.rules);
}
