import fc from 'fast-check';
import picomatch from 'picomatch';
import { describe, expect, test } from 'vitest';
import { pathMatcher, wrongWithPattern } from './pattern';

describe('patterns of paths', () => {
	test.each([
		['**/*.log', 'a/b/c.log', true],
		['**/*.log', 'c.log', true],
		['*.log', 'a/c.log', false],
		['C:/Temp/**', 'C:/Temp/x/y', true],
		['C:/Temp/**', 'C:/Temporary', false],
		['a/?.txt', 'a/b.txt', true],
		['a/[0-9]*', 'a/7x', true],
		['a/[!0-9]*', 'a/7x', false],
		['**/*.{log,tmp}', 'x/.hidden.tmp', true],
		['опора/*', 'опора/файл', true],
		['a/\\*', 'a/*', true],
		['a/\\*', 'a/b', false]
	])('%s on %s: %s', (pattern, path, wanted) => {
		expect(pathMatcher(pattern)(path)).toBe(wanted);
	});

	test('says the same as a well-known library on ordinary patterns', () => {
		const part = fc.constantFrom('a', 'b', 'ab', '*', 'a*', '*b', '**', '?');
		const name = fc.constantFrom('a', 'b', 'ab', 'aab', '.a');
		fc.assert(
			fc.property(
				fc.array(part, { minLength: 1, maxLength: 5 }),
				fc.array(name, { minLength: 1, maxLength: 5 }),
				(pattern, path) => {
					// At the end of a pattern with a star before it, the library wants something for `**` to stand for.
					fc.pre(pattern.at(-1) !== '**');
					const text = pattern.join('/');
					expect(pathMatcher(text)(path.join('/'))).toBe(picomatch(text, { dot: true })(path.join('/')));
				}
			),
			{ numRuns: 2000 }
		);
	});

	test('a dozen stars are no more work than one for each', () => {
		const stars = pathMatcher(`${'*a'.repeat(40)}b`);
		expect(stars('a'.repeat(4000))).toBe(false);
		expect(pathMatcher(`${'**/a/'.repeat(40)}b`)('a/'.repeat(1000))).toBe(false);
	});

	test('is refused when it is empty, too long, or stands for too many', () => {
		expect(wrongWithPattern('')).not.toBeNull();
		expect(wrongWithPattern('a'.repeat(501))).not.toBeNull();
		expect(wrongWithPattern('{a,b}'.repeat(10))).not.toBeNull();
		expect(pathMatcher('{a,b}'.repeat(10))('ababababab')).toBe(false);
	});
});
