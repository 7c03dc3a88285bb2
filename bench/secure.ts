import { newEnforcer, newModelFromString } from 'casbin';
import { compareBooks } from '$lib/core/reach/compare';
import { ANYWHERE, type AccessRule, type Ask, type Reacher, type Rulebook } from '$lib/core/reach/rules';
import { standings } from '$lib/core/reach/standing';
import { Catalogue, type Service, type What } from '$lib/core/reach/targets';
import { World, type Ground } from '$lib/core/reach/world';

type Report = (name: string, value: number, unit: string, aim: string, met: boolean) => void;
type Median = (work: () => unknown, n?: number) => number;

const RULES = 2000;
const PEOPLE = 50_000;
const TARGETS = 3000;
const TEAMS = 300;
const CATEGORIES = 40;
const SERVICES = 200;

/** The same numbers each time. */
function draws(seed: number): (below: number) => number {
	let state = seed;
	// A linear congruential generator (Knuth, The Art of Computer Programming 2, 3.3.4).
	return (below) => Math.floor(((state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32) * below);
}

/** An organisation and its rules, a third of which ask something of the circumstances. */
function organisation(): { book: Rulebook; ground: Ground; people: Reacher[] } {
	const draw = draws(14);
	const sites = Array.from({ length: TARGETS - SERVICES }, (_v, i) => `s${i}.g${i % 97}.example`);
	const services = Array.from({ length: SERVICES }, (_v, i): Service => ({
		id: `v${i}`,
		name: `Service ${i}`,
		group: i % 4 ? `group${i % 12}` : null
	}));
	const ground: Ground = {
		catalogue: new Catalogue(new Map(sites.map((s, i) => [s, `c${i % CATEGORIES}`]))),
		services,
		sites: new Map(Array.from({ length: 12 }, (_v, i) => [`site${i}`, [`10.${i}.0.0/16`]])),
		branches: new Map([
			['all', ['all']],
			...Array.from({ length: 30 }, (_v, i): [string, string[]] => [`b${i}`, [`b${i}`, 'all']])
		])
	};
	// Three levels of teams: each person is in one or two of the lowest, and so in those above.
	const above = (t: number) => [`t${t}`, `d${t % 40}`, `u${t % 8}`];
	const people = Array.from({ length: PEOPLE }, (_v, i): Reacher => ({
		login: `p${i}`,
		teams: [...new Set([...above(draw(TEAMS)), ...(draw(4) ? [] : above(draw(TEAMS)))])],
		employment: ['permanent', 'contractor', 'trainee'][Math.min(2, draw(10) >> 2)]!
	}));
	const what = (): What => {
		const kind = draw(5);
		if (kind === 0) return { kind: 'category', id: `c${draw(CATEGORIES)}` };
		if (kind === 1) return { kind: 'site', name: `*.g${draw(97)}.example` };
		if (kind === 2) return { kind: 'site', name: sites[draw(sites.length)]! };
		return kind === 3 ? { kind: 'group', id: `group${draw(12)}` } : { kind: 'service', id: `v${draw(SERVICES)}` };
	};
	const rules = Array.from({ length: RULES }, (_v, i): AccessRule => {
		const asks = draw(3) === 0;
		const which = draw(6);
		return {
			id: `r${i}`,
			name: '',
			effect: draw(3) ? 'allow' : 'refuse',
			words: null,
			who: [
				draw(10) === 0
					? { kind: 'person', id: `p${draw(PEOPLE)}` }
					: { kind: 'team', id: draw(6) ? `t${draw(TEAMS)}` : `d${draw(40)}` }
			],
			whoNot: [],
			pools: [],
			what: [what()],
			whatNot: [],
			from: asks && which === 0 ? [{ kind: 'site', id: `site${draw(12)}` }] : [],
			device: asks && which === 1 ? { managed: true } : asks && which === 2 ? { branches: [`b${draw(30)}`] } : {},
			when:
				asks && which === 3
					? { hours: { days: [1, 2, 3, 4, 5], from: 60 * (6 + draw(4)), until: 60 * (16 + draw(4)) } }
					: asks && which === 4
						? { duty: 'off' }
						: {},
			how: asks && which === 5 ? ['window'] : [],
			daily: null
		};
	});
	return { book: { rules, otherwise: { web: 'allow', services: 'refuse' } }, ground, people };
}

/** Rules of access: against a well-known library with the same rules, and what one edit and all rules together come to. */
export async function secureBench(report: Report, median: Median): Promise<void> {
	const { book, ground, people } = organisation();
	const world = new World(book.rules, book.otherwise, ground);
	const draw = draws(7);
	const sites = [...ground.catalogue.names.keys()];
	const asks = Array.from({ length: 20_000 }, (): Ask => ({
		...ANYWHERE,
		person: people[draw(PEOPLE)]!,
		target: draw(4)
			? { kind: 'site', host: sites[draw(sites.length)]! }
			: { kind: 'service', id: `v${draw(SERVICES)}` },
		address: `10.${draw(16)}.3.4`,
		managed: draw(3) > 0,
		branch: draw(5) ? `b${draw(30)}` : null,
		minute: draw(7 * 1440),
		onDuty: draw(2) === 0,
		way: draw(9) ? 'device' : 'window'
	}));
	const each =
		median(() => {
			for (const a of asks) world.first(a.person, a.target, a);
		}, 9) / asks.length;
	report('one decision of 2,000 rules, 50,000 people, 3,000 targets', each * 1000, 'µs', 'under 2', each * 1000 < 2);

	// The same rules for the library: what each asks is a function of what is asked, the first that fits decides.
	const model = newModelFromString(`
[request_definition]
r = ask
[policy_definition]
p = n, eft
[policy_effect]
e = priority(p.eft) || deny
[matchers]
m = fits(p.n, r.ask)
`);
	const enforcer = await newEnforcer(model);
	await enforcer.addPolicies(book.rules.map((r, i) => [String(i), r.effect === 'refuse' ? 'deny' : 'allow']));
	const single = book.rules.map((r) => new World([r], book.otherwise, ground));
	await enforcer.addFunction('fits', (n: string, a: Ask) => single[Number(n)]!.first(a.person, a.target, a) === 0);
	const few = asks.slice(0, 40);
	let alike = 0;
	const began = performance.now();
	for (const a of few) {
		const said = await enforcer.enforce(a);
		const n = world.first(a.person, a.target, a);
		if (n >= book.rules.length || said === (world.deciding[n]!.effect !== 'refuse')) alike++;
	}
	const library = (performance.now() - began) / few.length;
	if (alike !== few.length) throw new Error(`the library decides otherwise in ${few.length - alike} of ${few.length}`);
	report('decisions against a library with the same rules', library / each, '×', 'over 100', library / each > 100);

	const edited = book.rules.slice();
	edited[900] = { ...edited[900]!, who: [], effect: 'refuse', what: [{ kind: 'category', id: 'c3' }], device: {} };
	const edit = median(() => compareBooks(book, { ...book, rules: edited }, ground, people), 5);
	const said = compareBooks(book, { ...book, rules: edited }, ground, people);
	if (!said.exact || said.lose.length === 0) throw new Error('an edit that shuts a category loses nobody anything');
	report('who gains and loses by one edit, exact', edit, 'ms', 'under 500', edit < 500);
	const all = median(() => standings(book, ground, people), 3);
	const never = standings(book, ground, people).filter((s) => s.stands === 'never').length;
	report(`which of 2,000 rules never decide (${never} do not)`, all, 'ms', 'under 2,000', all < 2000);
}
