import { expect, test } from 'vitest';
import { draftedRules } from './drafted';
import { plainRule, type AccessRule } from './rules';

const rules = (ids: string): AccessRule[] => [...ids].map((id) => plainRule(id, 'allow'));
const says = (rows: ReturnType<typeof draftedRules>) =>
	rows.map((r) => `${r.rule.id} ${r.mark} ${r.was ?? '-'}>${r.number ?? '-'}`);

test('a draft stands in its order, with what is new, changed, moved and gone', () => {
	const before = rules('abcd');
	const after = [before[2]!, { ...before[0]!, words: 'Not here.' }, ...rules('n'), before[3]!];
	const rows = draftedRules(before, after, new Set(['c']));
	expect(says(rows)).toEqual(['c moved 3>1', 'a changed 1>2', 'b gone 2>-', 'n new ->3', 'd same 4>4']);
	expect(rows[1]!.earlier).toEqual(before[0]);
});

test('what goes from the head stands at the head; several stay in their order', () => {
	expect(says(draftedRules(rules('abcde'), rules('ce')))).toEqual([
		'a gone 1>-',
		'b gone 2>-',
		'c same 3>1',
		'd gone 4>-',
		'e same 5>2'
	]);
});

test('of a file nobody knows what was moved: the fewest moves are taken', () => {
	expect(says(draftedRules(rules('abcd'), rules('bcda')))).toEqual([
		'b same 2>1',
		'c same 3>2',
		'd same 4>3',
		'a moved 1>4'
	]);
	expect(says(draftedRules(rules('ab'), rules('ab')))).toEqual(['a same 1>1', 'b same 2>2']);
});

test('one that is moved forth and back has not moved', () => {
	expect(says(draftedRules(rules('ab'), rules('ab'), new Set(['b'])))).toEqual(['a same 1>1', 'b same 2>2']);
});
