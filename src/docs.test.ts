import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { expect, test } from 'vitest';

const PAGES = ['README.md', ...['docs', 'docs/decisions'].flatMap((d) => readdirSync(d).map((f) => join(d, f)))].filter(
	(f) => f.endsWith('.md')
);

test.each(PAGES)('%s names files that there are', (page) => {
	const text = readFileSync(page, 'utf8');
	const named = [...text.matchAll(/\b(?:src|e2e|scripts|bench|demo)\/[\w/.-]+\.(?:ts|mjs|yaml|svelte|csv)\b/g)].map(
		(m) => m[0]
	);
	// Tests are named as they stand below src/lib, or from the top.
	const tests = testsIn(text).map((t) => (/^(e2e|src)\//.test(t) ? t : `src/lib/${t}`));
	const linked = [...text.matchAll(/\]\((?!https?:|#)([^)#\s]+)/g)].map((m) => join(dirname(page), m[1]!));
	expect([...named, ...tests, ...linked].filter((f) => !existsSync(f))).toEqual([]);
});

const testsIn = (text: string): string[] =>
	[...text.matchAll(/`((?:core|server|ui|src|e2e)\/[\w/.-]+\.(?:test|spec)\.ts)`/g)].map((m) => m[1]!);

/** Pages that tell how to work on Sextant, or where to read on, promise nothing of it. */
const PROMISING = PAGES.filter(
	(p) => p.startsWith('docs/') && !p.startsWith('docs/decisions/') && p !== 'docs/develop.md'
);

test.each(PROMISING)('each part of %s names a test that holds what it promises', (page) => {
	const parts = readFileSync(page, 'utf8')
		.replaceAll(/^```[\s\S]*?^```/gm, '')
		.split(/^(?=## )/m);
	const bare = (parts.length > 1 ? parts.slice(1) : parts).filter((part) => testsIn(part).length === 0);
	expect(bare.map((part) => part.split('\n')[0])).toEqual([]);
});
