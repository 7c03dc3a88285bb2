import { expect, test } from 'vitest';
import { Unread, unreadIn } from './unread';

const unread = new Unread('x', 'Write a size such as 24 GB.');

test('what could not be made out is found by its path, however deep', () => {
	expect(unreadIn({ name: 'Quay', size: 3, none: null, list: [1, 'two'] })).toEqual({});
	expect(unreadIn({ size: unread })).toEqual({ size: unread.problem });
	expect(unreadIn({ conditions: { from: unread }, waves: [{ share: 5 }, { share: unread }] })).toEqual({
		'conditions.from': unread.problem,
		'waves.1.share': unread.problem
	});
});

test('it never passes for a number', () => {
	expect(Number.isNaN(Number(unread))).toBe(true);
});
