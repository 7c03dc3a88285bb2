import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { readBook, readMomentOfWeek, writeBook } from './file';
import { ada, bo, book, everything, ground, people, rule, someBook } from './small-world';
import type { AccessRule } from './rules';
import { runTests, type RuleTest } from './tests';
import { World } from './world';
import { readHours, type Known, type Spoken } from './written';
import { reach } from './decide';

const THERE: Record<Spoken, string[]> = {
	team: ['all', 'charts', 'crew'],
	person: ['ada', 'bo', 'cy'],
	pool: ['close', 'far'],
	site: ['oslo', 'pune'],
	branch: ['all', 'desks', 'quiet'],
	category: ['films', 'learning', 'news'],
	service: ['ledger', 'depot'],
	group: ['books']
};
const known: Known = { has: (kind, id) => THERE[kind].includes(id), all: (kind) => THERE[kind] };

const file = (rules: string, rest = '') =>
	`access-rules: 1\nrules:\n${rules}otherwise: { web: allow, services: refuse }\n${rest}`;
const problems = (text: string) => {
	const read = readBook(text, known);
	return 'problems' in read ? read.problems.map((p) => `${p.line}: ${p.words}`) : [];
};

/** A rule as it can be written: what is refused has no share of a day, and what passes a session is shown in no window. */
function sayable(r: AccessRule): AccessRule {
	const some = r.effect === 'refuse' ? { ...r, daily: null } : r;
	if (!some.what.some((w) => w.kind === 'channels' || w.kind === 'channel')) return some;
	const effect = some.effect === 'window' ? 'allow' : some.effect;
	return { ...some, effect, how: some.what.some((w) => w.kind === 'web') ? some.how : [] };
}

describe('rules as a file', () => {
	test('are read as people write them', () => {
		const read = readBook(
			file(
				`  - id: own
    name: Off watch
    decide: allow
    who: [team/crew]
    but: [person/bo]
    what: [category/films, site/*.Tides.example]
    from: [site/oslo, 10.2.0.7]
    device: { managed: true, branches: [desks], firmware: "4.2" }
    hours: Mon-Fri 22:00-06:00
    duty: off
    through: [window, browser]
    daily: { amount: 40 MB, time: 30 min }
`,
				'tests:\n  - { name: Crew see films, who: team/crew, what: site/films.example, at: Tue 23:00, expect: reach }\n'
			),
			known
		);
		expect(read).toMatchObject({
			book: {
				rules: [
					{
						id: 'own',
						effect: 'allow',
						who: [{ kind: 'team', id: 'crew' }],
						whoNot: [{ kind: 'person', id: 'bo' }],
						what: [
							{ kind: 'category', id: 'films' },
							{ kind: 'site', name: '*.tides.example' }
						],
						from: [
							{ kind: 'site', id: 'oslo' },
							{ kind: 'network', range: '10.2.0.7/32' }
						],
						when: { hours: { days: [1, 2, 3, 4, 5], from: 1320, until: 360 }, duty: 'off' },
						how: ['browser', 'window'],
						daily: { bytes: 40_000_000, minutes: 30 }
					}
				]
			},
			tests: [{ given: { minute: 1440 + 23 * 60 }, expects: 'reach' }]
		});
	});
	test('and back to the same, whatever they say', () => {
		fc.assert(
			fc.property(someBook, (some) => {
				const b = { ...some, rules: some.rules.map(sayable) };
				const text = writeBook(b, []);
				const read = readBook(text, known);
				expect(read).toEqual({ book: b, tests: [] });
				if ('book' in read) expect(writeBook(read.book, read.tests)).toBe(text);
			}),
			{ numRuns: 300 }
		);
	});
	test('with what is wrong at its line, all of it at once', () => {
		expect(
			problems(
				file(
					`  - { id: Own, decide: alow }
  - id: b
    decide: allow
    wo: [team/crew]
`
				)
			)
		).toEqual([
			'3: Small letters, digits, dots and hyphens, at most 80.',
			'3: One of allow, reason, factor, window, refuse.',
			'6: There is no “wo” here.'
		]);
		expect(
			problems(
				file(
					`  - id: a
    decide: refuse
    who: [team/crw, everyone]
    what: [site/a b, service/depo, web/x]
    on: [closed]
    from: [site/osla, 10.1.0.0/33]
    device: { branches: [desk], firmware: new }
    hours: at night
    daily: { amount: some }
  - { id: a, decide: allow, daily: {} }
`,
					'tests:\n  - { name: x, who: team/crew, what: site/*.x.example, at: noon, expect: reach }\n'
				)
			)
		).toEqual([
			'5: There is no team crw. Do you mean crew?',
			'5: Write team/…, person/… or employment/….',
			'6: a b is no name of a web site.',
			'6: There is no service depo. Do you mean depot?',
			'6: Write web, services, channels, site/…, category/…, service/…, group/… or channel/….',
			'7: There is no pool closed. Do you mean close?',
			'8: There is no site osla. Do you mean oslo?',
			'8: Write site/… or a range such as 10.21.0.0/22.',
			'9: There is no branch desk. Do you mean desks?',
			'9: Write a version such as 4.2.',
			'10: Write hours such as Mon-Fri 07:00-19:00.',
			'11: Write a size such as 40 MB.',
			'11: What is refused has no share of a day.',
			'12: A second rule has the id a.',
			'12: Say an amount, a time, or both.',
			'15: *.x.example is no name of a web site.',
			'15: Write a day and a time such as Tue 14:30.'
		]);
		expect(problems('access-rules: 2\nrules: []')).toEqual([
			'1: Expected “access-rules: 1”, the version of this format.',
			'1: “otherwise” is missing.'
		]);
		const one = '  - { name: x, who: team/crew, what: service/depot, expect: reach }\n';
		expect(problems(file('', `tests:\n${one}${one}`).replace('rules:\n', 'rules: []\n'))).toEqual([
			'6: A second test says the same.'
		]);
		expect(problems(`${'['.repeat(20)}`)).toHaveLength(1);
		expect(problems('a: &x [1]\nb: *x')).not.toEqual([]);
	});
	test.each([
		['Mon-Fri 07:00-19:00', { days: [1, 2, 3, 4, 5], from: 420, until: 1140 }],
		['daily 08:00–24:00', { days: [1, 2, 3, 4, 5, 6, 7], from: 480, until: 0 }],
		['Mon 25:00-26:00', null],
		['Mon,Wed 7:00-9:00', { days: [1, 3], from: 420, until: 540 }],
		['07:00-19:00', null],
		['Mon 24:00-02:00', null]
	])('hours %s', (text, hours) => expect(readHours(text)).toEqual(hours));
	test.each([
		['Tue 14:30', 1440 + 870],
		['Tue', null],
		['Mon-Tue 10:00', null],
		['Sun 24:00', null]
	])('moment %s', (text, minute) => expect(readMomentOfWeek(text)).toBe(minute));
});

describe('tests of rules', () => {
	const films: RuleTest = {
		name: 'Crew see films',
		who: { kind: 'team', id: 'crew' },
		target: { kind: 'site', host: 'films.example' },
		from: null,
		given: {},
		expects: 'allow'
	};
	const run = (rules: Parameters<typeof book>, t: RuleTest) => {
		const b = book(...rules);
		return runTests(new World(b.rules, b.otherwise, ground), [t], people)[0]!;
	};
	const petrol = rule({ id: 'oslo', effect: 'refuse', from: [{ kind: 'network', range: '10.1.128.0/17' }] });
	test('hold over everybody and all circumstances that they leave open', () => {
		expect(run([], films)).toEqual({ holds: true, people: 2 });
		expect(run([petrol], films)).toMatchObject({ holds: false, effect: 'refuse', rule: 'oslo', number: 1 });
		expect(run([petrol], { ...films, from: { kind: 'site', id: 'pune' } })).toEqual({ holds: true, people: 2 });
		// Part of the site lies in the range.
		expect(run([petrol], { ...films, from: { kind: 'site', id: 'oslo' } })).toMatchObject({
			holds: false,
			example: { address: '10.1.128.0' }
		});
		expect(run([petrol], { ...films, from: { kind: 'network', range: '10.1.0.0/17' } })).toMatchObject({ holds: true });
	});
	test('say for whom they do not, and where nobody is there', () => {
		const one = rule({ id: 'bo', effect: 'window', who: [{ kind: 'person', id: 'bo' }] });
		expect(run([one], films)).toMatchObject({ holds: false, effect: 'window', example: { person: { login: 'bo' } } });
		expect(run([one], { ...films, expects: 'reach' })).toMatchObject({ holds: true });
		expect(run([one], { ...films, who: { kind: 'person', id: 'nobody' } })).toEqual({ holds: false, nobody: true });
		expect(run([rule({ id: 'r', daily: { bytes: 5 }, who: [] }), rule({ effect: 'refuse' })], films)).toMatchObject({
			holds: true
		});
	});
	test('fail wherever trying everything finds somebody', () => {
		fc.assert(
			fc.property(someBook, fc.constantFrom('depot', 'ledger'), fc.boolean(), (b, service, managed) => {
				const world = new World(b.rules, b.otherwise, ground);
				for (const who of [ada, bo]) {
					const t: RuleTest = {
						name: '',
						who: { kind: 'person', id: who.login },
						target: { kind: 'service', id: service },
						from: null,
						given: { managed },
						expects: 'reach'
					};
					const [said] = runTests(world, [t], people);
					const tried = everything.filter(
						(a) => a.person === who && a.target.kind === 'service' && a.target.id === service && a.managed === managed
					);
					if (said!.holds) expect(tried.every((a) => reach(world, a).effect !== 'refuse')).toBe(true);
					else if ('example' in said!) expect(reach(world, said.example).effect).toBe('refuse');
				}
			}),
			{ numRuns: 60 }
		);
	});
});
