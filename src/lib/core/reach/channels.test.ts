import { describe, expect, test } from 'vitest';
import { compareBooks } from './compare';
import { whyReached } from './decide';
import { readBook, writeBook } from './file';
import { namesBy, ruleWords } from './sentence';
import { ada, ask, bo, book, effect, ground, people, rule } from './small-world';
import { standings } from './standing';
import { runTests } from './tests';
import type { What } from './targets';
import { World } from './world';
import { WHATEVER } from './written';

const names = namesBy(() => undefined);
const through = (passage: 'clipboard-in' | 'clipboard-out' | 'printers', bytes = 0) =>
	({ kind: 'channel', passage, bytes }) as const;
const out = (upTo: number | null = null): What => ({ kind: 'channel', id: 'clipboard-out', upTo });
const LINE = book(
	rule({ id: 'line', who: [{ kind: 'team', id: 'crew' }], what: [out(2000)] }),
	rule({
		id: 'keep',
		who: [{ kind: 'team', id: 'crew' }],
		what: [{ kind: 'channel', id: 'clipboard', upTo: null }],
		effect: 'refuse'
	})
);

describe('what passes a session', () => {
	test('is decided by its way and its size, by the first rule that fits', () => {
		expect(effect(LINE, ask(bo, through('clipboard-out', 2000)))).toBe('allow');
		expect(effect(LINE, ask(bo, through('clipboard-out', 2001)))).toBe('refuse');
		expect(effect(LINE, ask(bo, through('clipboard-in', 1)))).toBe('refuse');
		expect(effect(LINE, ask(bo, through('printers')))).toBe('allow');
		expect(effect(LINE, ask(ada, through('clipboard-out', 5_000_000)))).toBe('allow');
	});
	test('is spoken of by name alone: a rule about whatever people reach is not about it', () => {
		const shut = book(rule({ effect: 'refuse' }));
		expect(effect(shut, ask(ada, 'films.example'))).toBe('refuse');
		expect(effect(shut, ask(ada, through('printers')))).toBe('allow');
		const { facts } = whyReached(new World(shut.rules, shut.otherwise, ground), ask(ada, through('printers')), names);
		expect(facts.map((f) => f.words)).toEqual([
			'no rule fits, and at the end what a grant lets pass is allowed',
			'rule 1 does not fit: it is about what people reach, not what passes a session'
		]);
	});
	test('is refused at the end where that is said, and then by the end alone', () => {
		const shut = { ...LINE, otherwise: { ...LINE.otherwise, channels: 'refuse' as const } };
		expect(effect(shut, ask(bo, through('printers')))).toBe('refuse');
		expect(effect(shut, ask(bo, through('clipboard-out', 5)))).toBe('allow');
		const { differences } = compareBooks(LINE, shut, ground, people);
		expect(differences.every((d) => d.kind === 'lose' && d.targets.every((t) => t.kind === 'channel'))).toBe(true);
		expect(differences.flatMap((d) => d.targets).some((t) => t.kind === 'channel' && t.passage === 'printers')).toBe(
			true
		);
	});
	test('says up to how many bytes rules tell it apart', () => {
		const world = new World(LINE.rules, LINE.otherwise, ground);
		expect(world.sizesOf('clipboard-out')).toEqual([2000]);
		expect(world.sizesOf('clipboard-in')).toEqual([]);
	});
	test('who gains and loses by a smaller bound is told, with a size at which it is so', () => {
		const tighter = book(...LINE.rules.map((r) => (r.id === 'line' ? { ...r, what: [out(100)] } : r)));
		const { differences, lose } = compareBooks(LINE, tighter, ground, people);
		expect(lose.map((p) => p.login).sort()).toEqual(['bo', 'cy']);
		const [d] = differences;
		expect(d).toMatchObject({ kind: 'lose', whole: true, before: { rule: 'line' }, after: { rule: 'keep' } });
		expect(effect(LINE, d!.example)).toBe('allow');
		expect(effect(tighter, d!.example)).toBe('refuse');
	});
	test('a rule that a wider one covers never decides', () => {
		const idle = book(
			rule({ id: 'wide', what: [{ kind: 'channels' }] }),
			rule({ id: 'narrow', what: [out(10)], effect: 'refuse' })
		);
		expect(standings(idle, ground, people)[1]).toMatchObject({ stands: 'never', by: ['wide'] });
	});
	test('has its tests as other rules have', () => {
		const world = new World(LINE.rules, LINE.otherwise, ground);
		const expects = (bytes: number, is: 'allow' | 'refuse') =>
			runTests(
				world,
				[
					{
						name: 'x',
						who: { kind: 'person', id: 'bo' },
						target: through('clipboard-out', bytes),
						from: null,
						given: {},
						expects: is
					}
				],
				people
			)[0];
		expect(expects(1500, 'allow')).toMatchObject({ holds: true });
		expect(expects(2500, 'allow')).toMatchObject({ holds: false, rule: 'keep' });
	});
	test('is said in words, and written and read back', () => {
		expect(ruleWords(LINE.rules[0]!, names)).toContain('clipboard out of the session up to 2 KB');
		const text = writeBook(LINE, []);
		expect(text).toContain('channel/clipboard-out up to 2 KB');
		expect(readBook(text, WHATEVER)).toMatchObject({ book: { rules: LINE.rules } });
	});
	test.each([
		['channel/clipbord', 'Do you mean clipboard?'],
		['channel/printers up to 2 KB', 'no size is known'],
		['channel/clipboard-out up to much', 'Write a size'],
		['channel/clipboard-out up to 0 B', 'Write a size'],
		['channel/clipboard up to 1 KB up to 2 KB', 'Write a size']
	])('%s is refused where it stands', (what, words) => {
		const read = readBook(
			`access-rules: 1\nrules:\n  - { id: a, decide: allow, what: ["${what}"] }\notherwise: { web: allow, services: refuse }\n`,
			WHATEVER
		);
		expect('problems' in read && read.problems.map((p) => p.words).join()).toContain(words);
	});
	test.each(['decide: window', 'decide: allow, through: [browser]', 'decide: allow, daily: { time: 5 min }'])(
		'%s makes no sense of it',
		(more) => {
			const read = readBook(
				`access-rules: 1\nrules:\n  - { id: a, ${more}, what: [channels] }\notherwise: { web: allow, services: refuse }\n`,
				WHATEVER
			);
			expect('problems' in read && read.problems).toHaveLength(1);
		}
	);
});
