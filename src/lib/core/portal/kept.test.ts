import { describe, expect, test } from 'vitest';
import { keptWords } from './kept';
import { speakerOf } from './say';

const say = speakerOf('en');
const kept = { by: 'rule', rule: 'Stays here', words: 'It stays.' } as const;

describe('why something does not pass', () => {
	test('is what the rule tells people, and which rule it is', () => {
		expect(keptWords(say, kept)).toBe('It stays. By the rule: Stays here');
		expect(keptWords(say, { ...kept, words: null })).toBe('By the rule: Stays here');
		expect(keptWords(say, { ...kept, rule: null, words: null })).toBe('No rule lets it pass.');
	});
	test('is said in their language where no rule says it', () => {
		for (const by of ['grant', 'own', 'factor', 'reason'] as const) {
			const none = { by, rule: null, words: null };
			const words = new Set((['en', 'nb', 'fr'] as const).map((l) => keptWords(speakerOf(l), none)));
			expect(words.size).toBe(3);
		}
		expect(keptWords(say, { by: 'reason', rule: 'Why', words: 'Say why.' })).toBe('Say why.');
	});
});
