import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { GB, HOUR } from '../time/units';
import { KINDS } from './library/kinds';
import { defaultOf, readParam } from './library/params';
import { chosenTweaks, savingsOf, TWEAKS } from './library/tweaks';
import { mustsOf, nearestOrder, type Must } from './order';
import {
	betterOrder,
	checkSheet,
	expectedContents,
	makeStep,
	packageFor,
	rightsNeeded,
	stepWords,
	type BuildSheet,
	type Supplies
} from './sheet';
import { completionsAt, readSheet, writeSheet } from './sheet-text';

const SOURCE = makeStep('source', { system: 'server-24' });
const sheet = (...steps: (string | ReturnType<typeof makeStep>)[]): BuildSheet => ({
	steps: steps.map((s) => (typeof s === 'string' ? (s === 'source' ? SOURCE : makeStep(s)) : s)),
	limit: HOUR,
	builder: { cores: 4, memory: 16 * GB, disk: 80 * GB, generation: 2 }
});
const SUPPLIES: Supplies = {
	stock: [
		{
			id: 'server-24',
			name: 'Meridian Server 24',
			system: 'Meridian Server 24',
			users: 'multi',
			generation: 2,
			leastDisk: 40 * GB,
			component: { name: 'Meridian Server', version: '24.11', size: 21 * GB }
		},
		{
			id: 'desktop-9',
			name: 'Meridian Desktop 9',
			system: 'Meridian Desktop 9',
			users: 'single',
			generation: 1,
			leastDisk: 120 * GB,
			component: { name: 'Meridian Desktop', version: '9', size: 18 * GB }
		}
	],
	packages: [
		{ name: 'Paperlane', version: '13.9', size: GB },
		{ name: 'Paperlane', version: '13.10', size: GB },
		{ name: 'Paperlane', version: '12.6', size: GB },
		{ name: 'desktop agent', version: '9.2', size: GB },
		{ name: 'profile disk client', version: '3.4', size: GB }
	],
	versions: [
		{
			line: 'desk',
			number: '1.0.0',
			generation: 2,
			users: 'multi',
			size: 30 * GB,
			contents: [{ name: 'Meridian Server', version: '24.9', size: 20 * GB }]
		}
	],
	machines: []
};
const words = (s: BuildSheet, line?: { users: 'single' | 'multi'; generation: 1 | 2 }, supplies?: Supplies) =>
	checkSheet(s, line, supplies).map((p) => p.fact.words);

describe('the library', () => {
	test('has thirty kinds and more, each in words with its defaults, and every default is one that it takes', () => {
		expect(KINDS.length).toBeGreaterThanOrEqual(30);
		for (const k of KINDS) {
			expect(stepWords(makeStep(k.kind)).length).toBeGreaterThan(3);
			for (const p of Object.values(k.params)) {
				const value = defaultOf(p);
				if (value !== undefined) expect(readParam(p, value)).toEqual({ value });
			}
		}
	});
	test('rules speak of kinds that there are', () => {
		const names = new Set(KINDS.map((k) => k.kind));
		for (const k of KINDS) for (const r of k.rules) if ('step' in r) expect(names).toContain(r.step);
	});
	test('some sixty tweaks, with names of their own; the safe ones break nothing; savings add up', () => {
		expect(new Set(TWEAKS.map((t) => t.id)).size).toBe(TWEAKS.length);
		expect(TWEAKS.length).toBeGreaterThanOrEqual(60);
		const safe = chosenTweaks('safe');
		expect(safe.every((t) => t.breaks === null)).toBe(true);
		expect(safe.length).toBeLessThan(TWEAKS.length);
		expect(savingsOf(safe).memory).toBe(safe.reduce((n, t) => n + (t.saves.memory ?? 0), 0));
		expect(chosenTweaks(['hibernation', 'nothing like it'])).toHaveLength(1);
	});
	test.each([
		['codes', { kind: 'codes', label: 'codes', default: [0] }, '0, 3010', [0, 3010]],
		['duration', { kind: 'duration', label: 'd', least: 1, most: HOUR, default: 1 }, '25 min', 1_500_000],
		['size', { kind: 'size', label: 's', least: 1, most: GB * 99, default: 1 }, '8 GB', 8 * GB],
		['list', { kind: 'list', label: 'l' }, 'nb, fr-CA', ['nb', 'fr-CA']],
		['flag', { kind: 'flag', label: 'f', default: false }, 'yes', true]
	] as const)('reads %s as people write it', (_n, param, given, value) =>
		expect(readParam(param as never, given)).toEqual({ value })
	);
	test.each([
		['codes', { kind: 'codes', label: 'codes', default: [0] }, 'zero'],
		['duration', { kind: 'duration', label: 'd', least: 1, most: HOUR, default: 1 }, '2 h'],
		['number', { kind: 'number', label: 'n', least: 1, most: 5, default: 1 }, 'many'],
		['choice', { kind: 'choice', label: 'c', options: ['a'], default: 'a' }, 'b'],
		['text', { kind: 'text', label: 't' }, '']
	] as const)('says what is wrong with %s', (_n, param, given) =>
		expect(readParam(param as never, given)).toHaveProperty('wrong')
	);
});

describe('the check of a sheet', () => {
	test('in order has no problem', () =>
		expect(
			words(
				sheet('source', 'updates', 'trim', 'profile client', 'agent', 'seal'),
				{ users: 'multi', generation: 2 },
				SUPPLIES
			)
		).toEqual([]));
	test.each<[string, BuildSheet, RegExp, number]>([
		['seal not last', sheet('source', 'seal', 'agent'), /must be last: whatever comes after/, 1],
		[
			'agent before a program',
			sheet('source', 'agent', makeStep('package', { package: 'Paperlane' }), 'seal'),
			/must be last but for what closes/,
			1
		],
		['source not first', sheet('updates', 'source', 'agent', 'seal'), /must be first/, 1],
		['no seal', sheet('source', 'agent'), /no seal step/, -1],
		['two agents', sheet('source', 'agent', 'agent', 'seal'), /stands twice/, 2],
		['updates after trim', sheet('source', 'trim', 'updates', 'agent', 'seal'), /updates bring back/, 2],
		['sessions without the role', sheet('source', 'sessions', 'agent', 'seal'), /needs a role step/, 1],
		['generalised twice', sheet('source', 'agent', 'generalise', 'seal'), /cannot stand with “Generalise and seal”/, 2],
		[
			'the same package twice',
			sheet(
				'source',
				makeStep('package', { package: 'Paperlane' }),
				makeStep('package', { package: 'paperlane' }),
				'agent',
				'seal'
			),
			/like step 2/,
			2
		],
		['a parameter that is missing', sheet('source', makeStep('package'), 'agent', 'seal'), /“package” is missing/, 1],
		[
			'a kind that there is not',
			sheet('source', makeStep('incantation'), 'agent', 'seal'),
			/no kind of step called incantation/,
			1
		],
		[
			'a circle',
			sheet(
				'source',
				makeStep('script', { name: 'a', text: 'x' }, { id: 'a', after: ['b'] }),
				makeStep('script', { name: 'b', text: 'x' }, { id: 'b', after: ['a'] }),
				'agent',
				'seal'
			),
			/no order can be right: “Script a” has to come before “Script b” has to come before “Script a”/,
			1
		],
		[
			'after a step that there is not',
			sheet('source', makeStep('reboot', {}, { after: ['elsewhere'] }), 'agent', 'seal'),
			/no step is called that/,
			1
		]
	])('%s is named with its reason', (_name, s, pattern, step) => {
		expect(checkSheet(s).find((p) => pattern.test(p.fact.words))).toMatchObject({ step });
	});
	test('a rule that many steps break is named once', () =>
		expect(
			words(sheet('source', 'seal', 'updates', 'trim', 'reboot', 'agent')).filter((w) => /must be last:/.test(w))
		).toHaveLength(1));
	test('source, builder and outcome agree on generation, kind of user and disk', () => {
		const multi = { users: 'multi', generation: 2 } as const;
		const old = sheet(makeStep('source', { system: 'desktop-9' }), 'agent', 'seal');
		expect(words(old, multi, SUPPLIES)).toEqual([
			'Meridian Desktop 9 is generation 1 (BIOS), the builder generation 2 (UEFI)',
			'Meridian Desktop 9 is a single-user system, the line is for multi-user machines',
			'Meridian Desktop 9 needs a disk of 120 GB at least, the builder has 80 GB'
		]);
		expect(words(sheet('source', 'agent', 'seal'), { users: 'multi', generation: 1 }, SUPPLIES)[0]).toMatch(
			/the machines of the line are generation 1/
		);
		expect(
			words(
				sheet(makeStep('source', { from: 'version', line: 'desk', number: '7.0.0' }), 'agent', 'seal'),
				multi,
				SUPPLIES
			)
		).toEqual(['there is no version desk 7.0.0 to start from']);
		expect(
			words(
				sheet('source', makeStep('package', { package: 'Paperlane', version: '14' }), 'agent', 'seal'),
				multi,
				SUPPLIES
			)[0]
		).toMatch(/has no Paperlane 14; it has 13.9, 13.10, 12.6/);
	});
	test('what it is expected to hold, and what the builder has to be allowed', () => {
		const s = sheet(
			'source',
			makeStep('package', { package: 'Paperlane', version: '13' }),
			makeStep('copy', { from: 'x', to: 'C:\\x' }),
			'agent',
			'seal'
		);
		expect(expectedContents(s, SUPPLIES).map((c) => `${c.name} ${c.version}`)).toEqual([
			'Meridian Server 24.11',
			'Paperlane 13.10',
			'desktop agent 9.2'
		]);
		expect(rightsNeeded(s).map((r) => [r.right, r.steps])).toEqual([
			['machines', [0]],
			['staging', [0]],
			['packages', [1, 3]],
			['files', [2]],
			['images', [4]]
		]);
		expect(packageFor(SUPPLIES.packages, 'Paperlane', '12')?.version).toBe('12.6');
		expect(packageFor(SUPPLIES.packages, 'Paperlane', '1')).toBeNull();
	});
});

describe('the nearest order', () => {
	test('moves one step where one is enough', () => {
		const s = sheet('source', 'trim', 'updates', 'profile client', 'agent', 'seal');
		expect(betterOrder(s)).toMatchObject({
			order: [0, 2, 1, 3, 4, 5],
			words: [expect.stringMatching(/to position [23]$/)]
		});
		expect(betterOrder(sheet('source', 'updates', 'agent', 'seal'))).toBeNull();
	});

	/** Fewest moves by trying every set of steps that stays, for small cases. */
	function fewest(n: number, musts: Must[]): number {
		let best = n;
		for (let stays = 0; stays < 1 << n; stays++) {
			const kept = Array.from({ length: n }, (_v, i) => i).filter((i) => (stays >> i) & 1);
			const chain: Must[] = kept
				.slice(1)
				.map((b, i) => ({ before: kept[i]!, after: b, by: 0, rule: 0, why: '', says: '' }));
			if (n - kept.length < best && nearestOrder(n, [...musts, ...chain]) !== null) best = n - kept.length;
		}
		return best;
	}
	test('is valid, and no order moves fewer: against all sets, for random rules', () => {
		fc.assert(
			fc.property(
				fc.shuffledSubarray([0, 1, 2, 3, 4, 5, 6], { minLength: 7 }),
				fc.array(fc.tuple(fc.nat(6), fc.nat(6)), { maxLength: 12 }),
				(hidden, pairs) => {
					// Rules that some order obeys: pairs along a hidden one.
					const musts = pairs
						.filter(([a, b]) => a !== b)
						.map(([a, b]): Must => {
							const [x, y] = hidden.indexOf(a) < hidden.indexOf(b) ? [a, b] : [b, a];
							return { before: x, after: y, by: x, rule: 0, why: '', says: '' };
						});
					const nearest = nearestOrder(7, musts)!;
					expect([...nearest.order].sort()).toEqual([0, 1, 2, 3, 4, 5, 6]);
					for (const m of musts) expect(nearest.order.indexOf(m.before)).toBeLessThan(nearest.order.indexOf(m.after));
					expect(nearest.moved.length).toBe(fewest(7, musts));
					const stay = nearest.order.filter((i) => !nearest.moved.includes(i));
					expect(stay).toEqual([...stay].sort((a, b) => a - b));
				}
			),
			{ numRuns: 60 }
		);
	});
	test('of a shuffled sheet passes the check', () => {
		const right = sheet(
			'source',
			'role',
			makeStep('language', { packs: ['nb'] }),
			'updates',
			'trim',
			makeStep('package', { package: 'Paperlane' }),
			'precompile',
			'profile client',
			'limits',
			'clean',
			'compact',
			'agent',
			'seal'
		).steps;
		fc.assert(
			fc.property(fc.shuffledSubarray(right, { minLength: right.length }), (steps) => {
				const s = { ...sheet(), steps };
				const better = betterOrder(s);
				const order = better ? better.order.map((i) => steps[i]!) : steps;
				expect(checkSheet({ ...s, steps: order })).toEqual([]);
			}),
			{ numRuns: 50 }
		);
	});
	test('there is none in a circle', () =>
		expect(
			nearestOrder(
				2,
				mustsOf([makeStep('reboot', {}, { id: 'a', after: ['b'] }), makeStep('reboot', {}, { id: 'b', after: ['a'] })])
			)
		).toBeNull());
});

describe('a sheet as text', () => {
	const full = sheet(
		SOURCE,
		makeStep('updates', { which: 'named', names: ['KB-1', 'KB-2'] }),
		makeStep(
			'package',
			{ package: 'Paperlane', version: '13.10', codes: [0, 1641] },
			{ id: 'paper', note: 'two words: “why”' }
		),
		makeStep('script', { name: 'tidy', text: 'echo one\necho "two: 2"\n', limit: 90_000 }, { after: ['paper'] }),
		makeStep('limits', { idle: 1_500_000 }),
		makeStep('trim', { tweaks: ['hibernation', 'fax'] }),
		'agent',
		makeStep('seal', { generalise: false })
	);
	test('comes back as the same sheet, and that as the same bytes', () => {
		const text = writeSheet(full);
		const read = readSheet(text);
		if ('problems' in read) throw new Error(JSON.stringify(read.problems));
		expect(read.sheet).toEqual(full);
		expect(writeSheet(read.sheet)).toBe(text);
		expect(text).toContain('limit: 1 h');
		expect(text).toContain('names: [KB-1, KB-2]');
	});
	test('random sheets do, too', () => {
		const step = fc
			.constantFrom(
				...KINDS.filter((k) =>
					Object.values(k.params).every((p) => defaultOf(p) !== undefined || ('optional' in p && p.optional))
				)
			)
			.chain((k) =>
				fc
					.record({
						id: fc.option(fc.stringMatching(/^[a-z]{1,6}$/), { nil: undefined }),
						note: fc.option(
							fc.string({ minLength: 1 }).filter((n) => n.trim() === n && n !== ''),
							{ nil: undefined }
						)
					})
					.map(({ id, note }) => makeStep(k.kind, {}, { ...(id ? { id } : {}), ...(note ? { note } : {}) }))
			);
		fc.assert(
			fc.property(
				fc.array(step, { minLength: 1, maxLength: 8 }),
				fc.integer({ min: 60_000, max: 9e7 }),
				fc.integer({ min: 1, max: 9e11 }),
				(steps, limit, disk) => {
					const s: BuildSheet = { steps, limit, builder: { cores: 8, memory: 16 * GB, disk, generation: 1 } };
					const text = writeSheet(s);
					const read = readSheet(text);
					if ('problems' in read) throw new Error(`${JSON.stringify(read.problems)}\n${text}`);
					expect(read.sheet).toEqual(s);
					expect(writeSheet(read.sheet)).toBe(text);
				}
			)
		);
	});
	test.each([
		['not YAML', 'steps: [', 1],
		['no steps', 'build-sheet: 1\nlimit: 1 h\nbuilder: {cores: 4, memory: 8 GB, disk: 80 GB}\n', 1],
		[
			'a limit in no unit',
			'build-sheet: 1\nlimit: a while\nbuilder: {cores: 4, memory: 8 GB, disk: 80 GB}\nsteps: [{kind: agent}]',
			2
		],
		[
			'an unknown kind',
			'build-sheet: 1\nlimit: 1 h\nbuilder: {cores: 4, memory: 8 GB, disk: 80 GB}\nsteps:\n  - kind: updates\n  - kind: trimm',
			6
		],
		[
			'an unknown parameter',
			'build-sheet: 1\nlimit: 1 h\nbuilder: {cores: 4, memory: 8 GB, disk: 80 GB}\nsteps:\n  - kind: updates\n    what: all',
			6
		],
		[
			'a wrong value',
			'build-sheet: 1\nlimit: 1 h\nbuilder: {cores: 4, memory: 8 GB, disk: 80 GB}\nsteps:\n  - kind: limits\n    idle: soon',
			6
		]
	])('%s is told with its line', (_n, text, line) => {
		const read = readSheet(text);
		expect('problems' in read && read.problems.map((p) => p.line)).toContain(line);
	});
	test('problems of meaning are placed; comments are said to be lost', () => {
		const read = readSheet(
			`build-sheet: 1 # mine\nlimit: 1 h\nbuilder: {cores: 4, memory: 8 GB, disk: 80 GB}\nsteps:\n  - kind: source\n    system: server-24\n  - kind: seal\n  - kind: agent\n`
		);
		if ('problems' in read) throw new Error('it is well formed');
		const wrong = checkSheet(read.sheet).find((p) => /must be last:/.test(p.fact.words))!;
		expect(read.positionOf(wrong)).toEqual({ line: 7, column: 5 });
		expect(read.remarks).toHaveLength(1);
	});
	test('completes kinds, parameters and values', () => {
		const text = 'build-sheet: 1\nsteps:\n  - kind: package\n    pack';
		expect(completionsAt(text, text.length, SUPPLIES).options.map((o) => o.label)).toEqual([
			'package',
			'version',
			'codes',
			'id',
			'after',
			'note'
		]);
		const kind = 'steps:\n  - kind: up';
		expect(completionsAt(kind, kind.length, null)).toMatchObject({ from: kind.length - 2 });
		expect(completionsAt(kind, kind.length, null).options.length).toBe(KINDS.length);
		const value = 'steps:\n  - kind: package\n    package: ';
		expect(completionsAt(value, value.length, SUPPLIES).options.map((o) => o.label)).toContain('Paperlane');
		const top = 'limit: 1 h\nst';
		expect(completionsAt(top, top.length, null).options.map((o) => o.label)).toEqual(['builder', 'steps']);
	});
});
