import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import config from '../vite.node.config';

/** Packages that something in a folder imports, by their names. */
function imported(folder: string): Set<string> {
	const names = new Set<string>();
	for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
		if (!entry.isFile() || !/\.ts$/.test(entry.name) || /\.test\.ts$/.test(entry.name)) continue;
		const text = readFileSync(join(entry.parentPath, entry.name), 'utf8');
		for (const [, from] of text.matchAll(/(?:from|import\() ?'([^'.$][^']*)'/g)) {
			const parts = from!.split('/');
			names.add(from!.startsWith('@') ? parts.slice(0, 2).join('/') : parts[0]!);
		}
	}
	return names;
}

/** What a library reads or loads beside its own code: that stays where it is when the code is put together with ours. */
const OWN_FILES = /\.(wasm|node)$/;
const bringsFiles = (name: string): boolean => {
	const folder = join('node_modules', name);
	return existsSync(folder) && (readdirSync(folder, { recursive: true }) as string[]).some((f) => OWN_FILES.test(f));
};

test('libraries that bring files of their own along stay outside of what is built for the server and the bench', () => {
	const outside = config.build!.rollupOptions!.external as string[];
	const needs = [...imported('bench'), ...imported('src/lib/server'), ...imported('src/node')].filter(bringsFiles);
	expect(needs).toContain('highs');
	expect(needs).toContain('better-sqlite3');
	expect([...new Set(needs)].filter((name) => !outside.includes(name))).toEqual([]);
});
