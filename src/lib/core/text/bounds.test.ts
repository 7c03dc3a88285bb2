import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { jsonBeyond, yamlBeyond, type Bounds } from './bounds';
import { readYaml } from './yaml';

const BOUNDS: Bounds = { characters: 200_000, depth: 20, nodes: 5000 };

describe('JSON within bounds', () => {
	test('what is within them is let through, brackets in strings and all', () => {
		fc.assert(
			fc.property(fc.json({ maxDepth: 6 }), (text) => {
				expect(jsonBeyond(text, { ...BOUNDS, nodes: 1e6 })).toBeNull();
			})
		);
		expect(jsonBeyond(JSON.stringify({ a: '['.repeat(100), b: '\\"[[' }), BOUNDS)).toBeNull();
	});
	test.each([
		['['.repeat(100_000), /deep/],
		['{"a":'.repeat(30), /deep/],
		[`[${'1,'.repeat(10_000)}1]`, /more than 5000 values/],
		['"'.repeat(20_001), /more than 5000 values/],
		['a'.repeat(200_001), /characters/]
	])('what is beyond them is refused, %#', (text, words) => expect(jsonBeyond(text, BOUNDS)).toMatch(words));
});

describe('YAML within bounds', () => {
	test.each([
		['brackets', '['.repeat(50_000), /deep/],
		['braces', '{a: '.repeat(50_000), /deep/],
		['dashes', '- '.repeat(50_000), /deep/],
		['question marks', '? '.repeat(50_000), /deep/],
		['indentation', Array.from({ length: 400 }, (_v, i) => `${' '.repeat(i)}a:`).join('\n'), /deep/],
		[
			'many keys',
			Array.from({ length: 30_000 }, (_v, i) => `k${i}: 1`)
				.join('\n')
				.slice(0, 199_999),
			/values/
		],
		['an alias bomb', 'a: &a [x]\nb: &b [*a, *a]\nc: [*b, *b]', /anchor/],
		['too many characters', 'a'.repeat(200_001), /characters/]
	])('%s are refused before anything is made of them', (_what, text, words) => {
		expect(yamlBeyond(text, BOUNDS)).toMatch(words);
		expect(readYaml(text, BOUNDS, true)).toMatchObject({ problems: [{ message: expect.stringMatching(words) }] });
	});
	test('scripts with brackets, stars and ampersands are text', () => {
		const text = `steps:\n  - kind: script\n    text: |\n      if [[ $a && *b ]]; then echo "{{{{{{"; fi\n    more: "a & *b"\n`;
		expect(readYaml(text, BOUNDS, true)).toMatchObject({ value: { steps: [{ kind: 'script', more: 'a & *b' }] } });
	});
	test('a key that stands twice is named where it stands the second time', () => {
		expect(readYaml('a: 1\nb:\n  c: 1\n  c: 2\n', BOUNDS, true)).toEqual({
			problems: [{ line: 4, column: 3, message: 'the key “c” stands twice' }]
		});
	});
	test('whatever comes, it is read or refused, and nothing is thrown', () => {
		const piece = fc.constantFrom(
			'a',
			': ',
			'- ',
			'\n',
			' ',
			'[',
			']',
			'{',
			'}',
			',',
			'"',
			"'",
			'|',
			'>',
			'#',
			'!',
			'%',
			'&a',
			'*a',
			'?',
			'\t',
			'---',
			'...',
			'\u0000',
			'1'
		);
		fc.assert(
			fc.property(fc.array(piece, { maxLength: 60 }), (pieces) => {
				readYaml(pieces.join(''), BOUNDS, true);
				readYaml(pieces.join(''), BOUNDS, false);
			}),
			{ numRuns: 3000 }
		);
	});
});
