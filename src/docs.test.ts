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
	const linked = [...text.matchAll(/\]\((?!https?:|#)([^)#\s]+)/g)].map((m) => join(dirname(page), m[1]!));
	expect([...named, ...linked].filter((f) => !existsSync(f))).toEqual([]);
});
