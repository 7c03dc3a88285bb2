import fc from 'fast-check';
import {
	ANYWHERE,
	EFFECTS,
	plainRule,
	type AccessRule,
	type Ask,
	type Circumstances,
	type Reacher,
	type Rulebook,
	type Used
} from './rules';
import { reach } from './decide';
import { Catalogue, type Target } from './targets';
import { World, type Ground } from './world';

/** A small world for tests: where everything can be tried. */

export const ground: Ground = {
	catalogue: new Catalogue(
		new Map([
			['films.example', 'films'],
			['learn.films.example', 'learning'],
			['news.example', 'news']
		])
	),
	services: [
		{ id: 'ledger', name: 'Ledger', group: 'books' },
		{ id: 'depot', name: 'Depot', group: null }
	],
	sites: new Map([
		['oslo', ['10.1.0.0/16', '2001:db8:1::/48']],
		['pune', ['10.2.0.0/16']]
	]),
	branches: new Map([
		['all', ['all']],
		['desks', ['desks', 'all']],
		['quiet', ['quiet', 'desks', 'all']]
	])
};
let next = 1;
export const nextId = (): number => next++;
export const rule = (more: Partial<AccessRule> = {}): AccessRule => ({
	...plainRule(`r${nextId()}`, 'allow'),
	...more
});
export const book = (...rules: AccessRule[]): Rulebook => ({ rules, otherwise: { web: 'allow', services: 'refuse' } });
export const person = (login: string, teams: string[] = [], employment: string | null = null): Reacher => ({
	login,
	teams,
	employment
});
export const ask = (p: Reacher, target: Target | string, more: Partial<Circumstances> = {}): Ask => ({
	...ANYWHERE,
	person: p,
	target:
		typeof target === 'string'
			? target.includes('.')
				? { kind: 'site', host: target }
				: { kind: 'service', id: target }
			: target,
	...more
});
export const ada = person('ada', ['charts', 'all'], 'permanent');
export const bo = person('bo', ['crew', 'all'], 'contractor');
export const effect = (b: Rulebook, a: Ask, used?: (r: AccessRule) => Used | undefined) =>
	reach(new World(b.rules, b.otherwise, ground), a, used).effect;

// Small worlds, where everything can be tried.
export const someWho = fc.constantFrom<AccessRule['who']>(
	[],
	[{ kind: 'team', id: 'all' }],
	[{ kind: 'team', id: 'crew' }],
	[{ kind: 'person', id: 'ada' }],
	[{ kind: 'employment', id: 'contractor' }]
);
export const someWhat = fc.constantFrom<AccessRule['what']>(
	[],
	[{ kind: 'web' }],
	[{ kind: 'services' }],
	[{ kind: 'category', id: 'films' }],
	[{ kind: 'site', name: 'films.example' }],
	[{ kind: 'site', name: '*.films.example' }],
	[{ kind: 'service', id: 'depot' }],
	[{ kind: 'group', id: 'books' }],
	[{ kind: 'channels' }],
	[
		{ kind: 'channel', id: 'clipboard', upTo: 100 },
		{ kind: 'channel', id: 'printers', upTo: null }
	],
	[{ kind: 'channel', id: 'clipboard-out', upTo: 20 }, { kind: 'web' }]
);
export const rarely = <T>(value: fc.Arbitrary<T>, none: T) =>
	fc.oneof({ weight: 3, arbitrary: fc.constant(none) }, { weight: 1, arbitrary: value });
export const someRule: fc.Arbitrary<AccessRule> = fc.record<AccessRule>({
	id: fc.constant('?'),
	name: fc.constant(''),
	effect: fc.constantFrom(...EFFECTS),
	words: fc.constant(null),
	who: someWho,
	whoNot: rarely(someWho, []),
	pools: rarely(fc.constantFrom<AccessRule['pools']>(['close'], ['close', 'far']), []),
	what: someWhat,
	whatNot: rarely(someWhat, []),
	from: rarely(
		fc.constantFrom<AccessRule['from']>(
			[{ kind: 'site', id: 'oslo' }],
			[{ kind: 'network', range: '10.1.0.0/17' }],
			[
				{ kind: 'site', id: 'pune' },
				{ kind: 'network', range: '10.0.0.0/8' }
			]
		),
		[]
	),
	device: rarely(
		fc.constantFrom<AccessRule['device']>(
			{ managed: true },
			{ branches: ['desks'] },
			{ branches: ['quiet'], managed: true },
			{ firmware: '4' },
			{ firmware: '5', locks: true }
		),
		{}
	),
	when: rarely(
		fc.constantFrom<AccessRule['when']>(
			{ duty: 'off' },
			{ holidays: 'not' },
			{ hours: { days: [1, 2], from: 480, until: 1020 } },
			{ hours: { days: [1], from: 1320, until: 360 }, duty: 'on' }
		),
		{}
	),
	how: rarely(fc.constantFrom<AccessRule['how']>(['window'], ['browser', 'window']), []),
	daily: rarely(fc.constantFrom<AccessRule['daily']>({ bytes: 10 }, { bytes: 20 }), null)
});
export const numbered = (rules: AccessRule[]): AccessRule[] =>
	rules.map((r, i) => ({ ...r, id: r.id === '?' ? `n${i}` : r.id }));
export const someBook = fc
	.tuple(fc.array(someRule, { maxLength: 6 }), fc.constantFrom('allow' as const, 'refuse' as const))
	.map(([rules, channels]): Rulebook => {
		const of = book(...numbered(rules));
		return { ...of, otherwise: { ...of.otherwise, channels } };
	});
export const people = [ada, bo, person('cy', ['crew', 'all'], 'permanent')];

/** Every ask of a small world, but for what people have used. */
export function* everyAsk(): Generator<Ask> {
	const targets: Target[] = [
		'films.example',
		'x.films.example',
		'learn.films.example',
		'y.learn.films.example',
		'news.example',
		'z.news.example',
		'else.example'
	].map((host) => ({ kind: 'site', host }));
	targets.push(...['ledger', 'depot', null].map((id): Target => ({ kind: 'service', id })));
	for (const bytes of [0, 20, 21, 100, 101, 5000])
		for (const passage of ['clipboard-in', 'clipboard-out'] as const) targets.push({ kind: 'channel', passage, bytes });
	targets.push({ kind: 'channel', passage: 'printers', bytes: 0 }, { kind: 'channel', passage: 'cameras', bytes: 0 });
	for (const p of people)
		for (const target of targets) for (const c of circumstances) yield { ...c, person: p, target };
}
export const circumstances: Circumstances[] = [];
for (const pool of [null, 'close', 'far'])
	for (const address of ['10.1.0.1', '10.1.200.1', '10.2.0.1', '10.9.0.1', null])
		for (const device of [
			[false, null, null, false],
			[true, 'desks', '4.1', true],
			[true, 'quiet', '5', true],
			[false, 'quiet', '5', false],
			[true, null, '3', false],
			[false, 'desks', '5', true]
		] as const)
			for (const minute of [0, 600, 1380, 1440 + 300, 3 * 1440])
				for (const onDuty of [true, false])
					for (const holiday of [true, false])
						for (const way of ['device', 'browser', 'window'] as const)
							circumstances.push({
								pool,
								address,
								managed: device[0],
								branch: device[1],
								firmware: device[2],
								locks: device[3],
								minute,
								onDuty,
								holiday,
								way
							});
/** Asks of a small world, a few of each draw. */
export const everything = [...everyAsk()];
