import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { inRange } from '../network/addresses';
import { compareBooks, layOver } from './compare';
import { firstMissing, reach, whyReached } from './decide';
import {
	EFFECTS,
	endsOf,
	usedUp,
	type AccessRule,
	type Ask,
	type Circumstances,
	type Rulebook,
	type Used
} from './rules';
import { namesBy, ruleWords } from './sentence';
import {
	ada,
	ask,
	bo,
	book,
	effect,
	everything,
	ground,
	nextId,
	people,
	rule,
	someBook,
	someRule
} from './small-world';
import { standings } from './standing';
import { siteName, sitePattern, type Target } from './targets';
import { Budget } from './together';
import { World } from './world';

const names = namesBy(() => undefined);

describe('names', () => {
	test.each([
		['Films.Example.', 'films.example'],
		['bücher.example', 'xn--bcher-kva.example'],
		['a_b.example', 'a_b.example']
	])('%s is kept as %s', (written, kept) => expect(siteName(written)).toBe(kept));
	test.each([
		'',
		'a b',
		'x/y',
		'10.1.2.3',
		'a..b',
		'-',
		'http://x.example',
		`${'a'.repeat(64)}.example`,
		'x'.repeat(2000),
		'[::1]',
		'%41.example'
	])('%s is none', (written) => expect(siteName(written)).toBeNull());
	test('a star stands at the beginning alone', () => {
		expect(sitePattern('*.Films.example')).toBe('*.films.example');
		expect(sitePattern('films.*')).toBeNull();
		expect(sitePattern('*')).toBeNull();
	});
	test('a name is of the category of the nearest name that it lies beneath', () => {
		expect(ground.catalogue.categoryOf('a.films.example')).toBe('films');
		expect(ground.catalogue.categoryOf('a.learn.films.example')).toBe('learning');
		expect(ground.catalogue.categoryOf('notfilms.example')).toBeNull();
	});
});

describe('the first rule that fits decides', () => {
	test('about sites by name, beneath a name, and by category', () => {
		const b = book(
			rule({ what: [{ kind: 'site', name: 'films.example' }], effect: 'factor' }),
			rule({
				what: [{ kind: 'site', name: '*.films.example' }],
				whatNot: [{ kind: 'category', id: 'learning' }],
				effect: 'refuse'
			}),
			rule({ what: [{ kind: 'category', id: 'learning' }], effect: 'window' })
		);
		expect(effect(b, ask(ada, 'films.example'))).toBe('factor');
		expect(effect(b, ask(ada, 'a.b.films.example'))).toBe('refuse');
		expect(effect(b, ask(ada, 'x.learn.films.example'))).toBe('window');
		expect(effect(b, ask(ada, 'elsewhere.example'))).toBe('allow');
		expect(effect(b, ask(ada, 'depot'))).toBe('refuse');
		expect(effect(b, ask(ada, { kind: 'service', id: null }))).toBe('refuse');
	});
	test('by who, from where, on what, when and how', () => {
		const open = (more: Partial<AccessRule>) => book(rule({ what: [{ kind: 'group', id: 'books' }], ...more }));
		const may = (more: Partial<AccessRule>, c: Partial<Circumstances>, p = ada) =>
			effect(open(more), ask(p, 'ledger', c)) === 'allow';
		expect(may({ who: [{ kind: 'team', id: 'crew' }] }, {})).toBe(false);
		expect(
			may({ who: [{ kind: 'team', id: 'all' }], whoNot: [{ kind: 'employment', id: 'contractor' }] }, {}, bo)
		).toBe(false);
		expect(may({ who: [{ kind: 'person', id: 'bo' }] }, {}, bo)).toBe(true);
		expect(may({ from: [{ kind: 'site', id: 'oslo' }] }, { address: '10.1.200.3' })).toBe(true);
		expect(may({ from: [{ kind: 'site', id: 'oslo' }] }, { address: '2001:db8:1::9' })).toBe(true);
		expect(may({ from: [{ kind: 'site', id: 'oslo' }] }, { address: '10.2.0.1' })).toBe(false);
		expect(may({ from: [{ kind: 'network', range: '10.2.4.0/30' }] }, { address: '10.2.4.3' })).toBe(true);
		expect(may({ from: [{ kind: 'network', range: '10.2.4.0/30' }] }, { address: 'what' })).toBe(false);
		expect(
			may(
				{ device: { managed: true, branches: ['desks'], firmware: '4.2', locks: true } },
				{ managed: true, branch: 'quiet', firmware: '4.10.1', locks: true }
			)
		).toBe(true);
		expect(may({ device: { branches: ['quiet'] } }, { branch: 'desks' })).toBe(false);
		expect(may({ device: { firmware: '4.2' } }, { firmware: '4.1.9' })).toBe(false);
		expect(may({ device: { firmware: '4.2' } }, { firmware: 'none' })).toBe(false);
		const night = { days: [5], from: 22 * 60, until: 6 * 60 };
		expect(may({ when: { hours: night } }, { minute: 4 * 1440 + 23 * 60 })).toBe(true);
		expect(may({ when: { hours: night } }, { minute: 5 * 1440 + 5 * 60 + 59 })).toBe(true);
		expect(may({ when: { hours: night } }, { minute: 5 * 1440 + 6 * 60 })).toBe(false);
		// Sunday night runs into Monday.
		expect(may({ when: { hours: { ...night, days: [7] } } }, { minute: 10 })).toBe(true);
		expect(may({ when: { duty: 'off', holidays: 'only' } }, { onDuty: false, holiday: true })).toBe(true);
		expect(may({ when: { duty: 'off' } }, { onDuty: true })).toBe(false);
		expect(may({ how: ['window'] }, { way: 'browser' })).toBe(false);
		expect(may({ pools: ['close'] }, { pool: 'other' })).toBe(false);
		expect(may({ pools: ['close'] }, { pool: 'close' })).toBe(true);
	});
	test('and a share that is used up leaves it to the next', () => {
		const own = rule({ daily: { bytes: 100 }, what: [{ kind: 'web' }] });
		const b = book(own, rule({ effect: 'refuse', words: 'The line is thin.' }));
		const after = (bytes: number) => effect(b, ask(bo, 'x.example'), () => ({ bytes, minutes: 0 }));
		expect([after(0), after(99), after(100)]).toEqual(['allow', 'allow', 'refuse']);
	});
	test('says why those above did not', () => {
		const b = book(
			rule({ who: [{ kind: 'team', id: 'crew' }], what: [{ kind: 'services' }] }),
			rule({ what: [{ kind: 'web' }] }),
			rule({ from: [{ kind: 'site', id: 'oslo' }], daily: { minutes: 30 } }),
			rule({ daily: { minutes: 30 } }),
			rule({ effect: 'refuse', words: 'Not today.' })
		);
		const why = whyReached(
			new World(b.rules, b.otherwise, ground),
			ask(ada, 'depot', { address: '10.2.0.1' }),
			names,
			() => ({ bytes: 0, minutes: 30 })
		);
		expect(why.value).toMatchObject({ effect: 'refuse', number: 5, words: 'Not today.' });
		expect(why.facts.map((f) => f.words)).toEqual([
			'rule 5 fits',
			'rule 1 does not fit: they are not of crew',
			'rule 2 does not fit: it is about all of the web',
			'rule 3 does not fit: not from oslo',
			'rule 4 does not fit: 30 min of today are used up'
		]);
		expect(ruleWords(b.rules[2]!, names)).toBe('everybody · whatever it is · from oslo, 30 min a day each');
	});
});

/** Whether an address lies in a range, by the library and once. */
const within = (() => {
	const known = new Map<string, boolean>();
	return (address: string, range: string) => {
		const key = `${address} ${range}`;
		let is = known.get(key);
		if (is === undefined) known.set(key, (is = inRange(address, range)));
		return is;
	};
})();
const ENDS = { site: 'web', service: 'services', channel: 'channels' } as const;
/** Whether a rule fits, written down as plainly as it can be said. */
function fits(r: AccessRule, a: Ask, used: Used): boolean {
	const { person: p, target: t } = a;
	const whom = (w: AccessRule['who'][number]) =>
		(w.kind === 'person' && w.id === p.login) ||
		(w.kind === 'team' && p.teams.includes(w.id)) ||
		(w.kind === 'employment' && w.id === p.employment);
	const what = (w: AccessRule['what'][number]): boolean => {
		if (t.kind === 'channel')
			return (
				w.kind === 'channels' ||
				(w.kind === 'channel' && t.passage.startsWith(w.id) && (w.upTo === null || t.bytes <= w.upTo))
			);
		if (t.kind === 'service')
			return (
				w.kind === 'services' || (w.kind === 'service' && w.id === t.id) || (w.kind === 'group' && t.id === 'ledger')
			);
		if (w.kind === 'site') return w.name.startsWith('*') ? t.host.endsWith(w.name.slice(1)) : t.host === w.name;
		return (
			w.kind === 'web' ||
			(w.kind === 'category' &&
				w.id ===
					(t.host.endsWith('learn.films.example')
						? 'learning'
						: t.host.endsWith('films.example')
							? 'films'
							: t.host.endsWith('news.example')
								? 'news'
								: ''))
		);
	};
	const ranges = r.from.flatMap((f) => (f.kind === 'network' ? [f.range] : [...ground.sites.get(f.id)!]));
	const above = a.branch === 'quiet' ? ['quiet', 'desks', 'all'] : a.branch === 'desks' ? ['desks', 'all'] : [];
	const { hours } = r.when;
	const day = Math.floor(a.minute / 1440) + 1;
	const inDay = a.minute % 1440;
	return (
		(r.who.length === 0 || r.who.some(whom)) &&
		!r.whoNot.some(whom) &&
		(r.what.length === 0 ? t.kind !== 'channel' : r.what.some(what)) &&
		!r.whatNot.some(what) &&
		(r.pools.length === 0 || r.pools.includes(a.pool ?? '')) &&
		(r.from.length === 0 || (a.address !== null && ranges.some((x) => within(a.address!, x)))) &&
		(!r.device.managed || a.managed) &&
		(!r.device.branches || r.device.branches.some((x) => above.includes(x))) &&
		(!r.device.firmware || (a.firmware !== null && parseFloat(a.firmware) >= parseFloat(r.device.firmware))) &&
		(!r.device.locks || a.locks) &&
		(!hours ||
			(hours.from < hours.until
				? hours.days.includes(day) && inDay >= hours.from && inDay < hours.until
				: (hours.days.includes(day) && inDay >= hours.from) ||
					(hours.days.includes(((day + 5) % 7) + 1) && inDay < hours.until))) &&
		(!r.when.duty || (r.when.duty === 'on') === a.onDuty) &&
		(!r.when.holidays || (r.when.holidays === 'only') === a.holiday) &&
		(r.how.length === 0 || r.how.includes(a.way)) &&
		(!r.daily || used.bytes < (r.daily.bytes ?? Infinity))
	);
}
/** The decision, rule by rule. */
const plainly = (b: Rulebook, a: Ask, used: (r: AccessRule) => Used): { n: number; effect: string } => {
	const n = b.rules.findIndex((r) => fits(r, a, used(r)));
	return n < 0 ? { n, effect: endsOf(b.otherwise)[ENDS[a.target.kind]] } : { n, effect: b.rules[n]!.effect };
};
const drawn = fc.array(fc.nat(everything.length - 1), { minLength: 100, maxLength: 100 });
const AMOUNTS = [0, 15, 25];

describe('on small worlds, where everything can be tried,', () => {
	test('the quick decision is the one that the words explain', () => {
		fc.assert(
			fc.property(someBook, drawn, fc.constantFrom(...AMOUNTS), (b, picks, bytes) => {
				const world = new World(b.rules, b.otherwise, ground);
				const used = () => ({ bytes, minutes: 0 });
				for (const i of picks) {
					const a = everything[i]!;
					const quick = reach(world, a, used);
					const plain = plainly(b, a, used);
					if ((quick.number ?? 0) !== plain.n + 1 || quick.effect !== plain.effect)
						expect([b, a, quick]).toEqual(plain);
					for (const [n, r] of b.rules.entries())
						if (n < 2) expect(firstMissing(r, a, ground, names, used()) === null).toBe(fits(r, a, used()));
				}
			}),
			{ numRuns: 1500 }
		);
	});

	test('who gains and who loses is what trying everything finds', () => {
		const edit = fc.tuple(
			someBook,
			fc.array(fc.tuple(fc.constantFrom('put', 'drop', 'move', 'change'), fc.nat(5), fc.nat(5), someRule), {
				minLength: 1,
				maxLength: 2
			})
		);
		fc.assert(
			fc.property(edit, drawn, ([before, edits], picks) => {
				const rules = [...before.rules];
				for (const [kind, i, j, r] of edits) {
					const at = Math.min(i, rules.length);
					if (kind === 'put') rules.splice(at, 0, { ...r, id: `e${nextId()}` });
					else if (kind === 'drop') rules.splice(at, 1);
					else if (kind === 'move') rules.splice(Math.min(j, rules.length), 0, ...rules.splice(at, 1));
					else if (rules[at]) rules[at] = { ...r, id: rules[at].id };
				}
				const after = book(...rules);
				const said = compareBooks(before, after, ground, people);
				expect(said.exact).toBe(true);
				const names = { lose: new Set<string>(), gain: new Set<string>() };
				const alike = (a: Target) => JSON.stringify(a);
				// What is said of each example is so, with some share used or none.
				for (const d of said.differences) {
					const fits = AMOUNTS.some((x) =>
						AMOUNTS.some((y) => {
							const used = (r: AccessRule) => ({ bytes: Number(r.id.slice(1)) % 2 ? x : y, minutes: 0 });
							const was = plainly(before, d.example, used);
							const will = plainly(after, d.example, used);
							return was.effect === d.before.effect && will.effect === d.after.effect;
						})
					);
					if (before.rules.filter((r) => r.daily).length + after.rules.filter((r) => r.daily).length < 2)
						expect(fits).toBe(true);
					const kindOf = d.kind;
					if (kindOf === 'lose' || kindOf === 'gain') d.people.forEach((p) => names[kindOf].add(p.login));
					expect(d.targets.length).toBe(new Set(d.targets.map(alike)).size);
				}
				expect(said.lose.map((p) => p.login).sort()).toEqual([...names.lose].sort());
				expect(said.gain.map((p) => p.login).sort()).toEqual([...names.gain].sort());
				// Whatever is tried and differs has been said, and of whom.
				for (const i of picks)
					for (const bytes of AMOUNTS) {
						const a = everything[i]!;
						const used = () => ({ bytes, minutes: 0 });
						const was = plainly(before, a, used).effect;
						const will = plainly(after, a, used).effect;
						if (was === will) continue;
						const kind =
							was === 'refuse'
								? 'gain'
								: will === 'refuse'
									? 'lose'
									: EFFECTS.indexOf(will as never) > EFFECTS.indexOf(was as never)
										? 'more'
										: 'less';
						const bits = said.world.targetBits(a.target);
						const found = said.differences.some(
							(d) =>
								d.kind === kind &&
								d.before.effect === was &&
								d.after.effect === will &&
								d.people.includes(a.person) &&
								d.targets.some((t) => said.world.targetBits(t).every((w, n) => w === bits[n])) &&
								d.only.every((o) => o.classes.includes(said.world.dimensions[o.dimension]!.classOf(a)))
						);
						if (!found) expect({ was, will, a, bytes }).toBeNull();
					}
			}),
			{ numRuns: 1500 }
		);
	});

	test('rules that never decide never do, and those that do have an example', () => {
		fc.assert(
			fc.property(someBook, drawn, (b, picks) => {
				const said = standings(b, ground, people);
				const decided = new Set<number>();
				for (const i of picks)
					for (const bytes of AMOUNTS) decided.add(plainly(b, everything[i]!, () => ({ bytes, minutes: 0 })).n);
				said.forEach((s, n) => {
					const own = b.rules[n]!;
					const earlier = b.rules.slice(0, n).filter((r) => r.daily);
					const used = (r: AccessRule) => (earlier.includes(r) ? { bytes: 1e9, minutes: 0 } : { bytes: 0, minutes: 0 });
					expect(s.stands).not.toBe('unknown');
					if (s.stands === 'never' || s.stands === 'nobody') expect(decided.has(n)).toBe(false);
					else if ('example' in s) expect(firstMissing(own, s.example, ground, names, undefined)).toBeNull();
					if (s.stands === 'same') {
						const without = { ...b, rules: b.rules.filter((r) => r !== own) };
						for (const i of picks.slice(0, 60)) {
							const a = everything[i]!;
							const before = plainly(b, a, used).effect;
							expect(plainly(without, a, used).effect).toBe(before);
						}
					}
					if (s.stands === 'never') {
						expect(s.by.length).toBeGreaterThan(0);
						// The example is one that it fits, and that another decides.
						expect(firstMissing(own, s.example, ground, names, undefined)).toBeNull();
						expect(reach(new World(b.rules, b.otherwise, ground), s.example).rule).not.toBe(own.id);
						// Those that are named cover it by themselves.
						const few = { ...b, rules: [...b.rules.slice(0, n).filter((r) => s.by.includes(r.id)), own] };
						expect(standings(few, ground, people).at(-1)!.stands).toBe('never');
					}
				});
			}),
			{ numRuns: 500 }
		);
	});
});

test('two books are laid over each other with what both have once', () => {
	const [a, b, c, d] = [rule(), rule(), rule(), rule()];
	expect(
		layOver([a, b, c], [a, c, d]).map(
			(l) => `${l.rule.id === a.id ? 'a' : l.rule.id === b.id ? 'b' : l.rule.id === c.id ? 'c' : 'd'} ${l.in}`
		)
	).toEqual(['a both', 'b before', 'c both', 'd after']);
	expect(layOver([a, b], [b, a]).filter((l) => l.in !== 'both')).toHaveLength(2);
	expect(usedUp({ minutes: 5 }, { bytes: 0, minutes: 5 })).toBe(true);
});

describe('rules that were made to take long', () => {
	const many = (n: number, of: (i: number) => Partial<AccessRule>) => Array.from({ length: n }, (_v, i) => rule(of(i)));
	const crowd = Array.from({ length: 2000 }, (_v, i) => ({ login: `p${i}`, teams: [`t${i % 50}`], employment: null }));
	test.each<[string, AccessRule[]]>([
		[
			'by hours',
			many(1500, (i) => ({ when: { hours: { days: [(i % 7) + 1], from: i % 1440, until: (i * 7) % 1440 } } }))
		],
		[
			'by ranges',
			many(1500, (i) => ({ from: [{ kind: 'network', range: `10.${i % 250}.${i % 199}.0/${9 + (i % 20)}` }] }))
		],
		['by firmware', many(1500, (i) => ({ device: { firmware: `1.${i}.0` } }))],
		[
			'by many things at once',
			many(60, (i) => ({
				when: { hours: { days: [1, 2, 3, 4, 5], from: i * 11, until: i * 13 + 200 }, duty: i % 2 ? 'on' : 'off' },
				from: [{ kind: 'network', range: `10.${i}.0.0/${8 + (i % 9)}` }],
				device: { firmware: `1.${i}.0`, ...(i % 3 ? { locks: true } : {}) },
				daily: { bytes: i + 1 }
			}))
		],
		[
			'one for each of many people',
			many(1500, (i) => ({
				who: [{ kind: 'person', id: `p${i}` }],
				whatNot: [{ kind: 'site', name: `s${i}.example` }]
			}))
		]
	])('%s end, and what could not be worked out is said to be so', (_by, rules) => {
		const after = book(...rules.toReversed().map((r, i) => ({ ...r, id: `x${i}` })));
		const before = book(...rules);
		expect(typeof compareBooks(before, after, ground, crowd).exact).toBe('boolean');
		expect(standings(before, ground, crowd)).toHaveLength(rules.length);
	});
	test('with nothing left to look at claim nothing', () => {
		const rules = [rule({ effect: 'refuse', when: { duty: 'off' } }), rule({ effect: 'refuse' }), rule()];
		expect(standings(book(...rules), ground, people, new Budget(0)).map((s) => s.stands)).toEqual([
			'unknown',
			'unknown',
			'unknown'
		]);
		expect(compareBooks(book(), book(...rules), ground, people, new Budget(0)).exact).toBe(false);
	});
});
