import { readFileSync } from 'node:fs';
import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import type { Plugin } from 'vite';
import { defineConfig } from 'vitest/config';

const { dependencies } = JSON.parse(readFileSync('package.json', 'utf8')) as { dependencies: Record<string, string> };
/** Compiled ones, and those that cannot be put together with others. */
const OUTSIDE = [
	'better-sqlite3',
	'@node-rs/argon2',
	'@cyclonedx/cyclonedx-library',
	'reflect-metadata',
	'rrule',
	'pdfmake'
];

/**
 * What many pages share goes to browsers in three files and not in thirty, each of which would be a request of its own: what a person's first
 * page needs, what other pages of the portal need beside it, and what the console alone does.
 */
function fewFiles(): Plugin {
	const MANY = 12;
	const first = new Set<string>();
	const portal = new Set<string>();
	// SvelteKit looks for these by name.
	const mayBeMoved = (id: string) => !/runtime.client.entry|generated.client-optimized/.test(id);
	return {
		name: 'few-files',
		apply: 'build',
		// What the server runs is as it was.
		applyToEnvironment: (environment) => environment.name === 'client',
		buildEnd() {
			const imports = new Map<string, readonly string[]>();
			/** What a module imports: asked once of each, since asking takes long. */
			const importedBy = (id: string) => {
				let ids = imports.get(id);
				if (!ids) imports.set(id, (ids = this.getModuleInfo(id)?.importedIds ?? []));
				return ids;
			};
			const gather = (into: Set<string>, routes: RegExp) => {
				const ids = [...this.getModuleIds()].filter((id) => routes.test(id));
				for (const id of ids) {
					if (into.has(id)) continue;
					into.add(id);
					ids.push(...importedBy(id));
				}
			};
			gather(first, /\/routes\/(?:\(portal\)\/my\/)?\+[^/]*\.svelte$/);
			// A calendar's arithmetic is as large as all the rest, and whoever opens their desktop needs none: what leads to it goes elsewhere.
			const importers = new Map<string, string[]>();
			for (const id of first)
				for (const imported of importedBy(id)) importers.set(imported, [...(importers.get(imported) ?? []), id]);
			const calendar = [...first].filter((id) => /node_modules.luxon/.test(id));
			for (const id of calendar) if (first.delete(id)) calendar.push(...(importers.get(id) ?? []));
			gather(portal, /\/routes\/\(portal\)\/[^+]*\+[^/+]*\.svelte$/);
		},
		outputOptions(options) {
			const within = [first, portal, null].map((ids, i) => ({
				name: ['first', 'portal', 'console'][i]!,
				test: (id: string) => mayBeMoved(id) && (ids === null || ids.has(id)),
				minShareCount: MANY,
				priority: 3 - i
			}));
			return { ...options, codeSplitting: { groups: within } };
		}
	};
}

export default defineConfig({
	plugins: [tailwindcss(), sveltekit(), fewFiles()],
	build: { chunkSizeWarningLimit: 900 },
	// Libraries go into what is built: each of several threads would otherwise look for hundreds of files as it starts.
	ssr: { noExternal: process.env.VITEST ? [] : Object.keys(dependencies).filter((d) => !OUTSIDE.includes(d)) },
	test: {
		include: ['src/**/*.test.ts'],
		environment: 'node',
		// By itself it leaves a processor idle.
		maxWorkers: '100%',
		// Nothing is kept at the top of a module but by what it was made from: files share what they import, which halves the time.
		isolate: false,
		unstubGlobals: true,
		// What tests bring about is no news.
		env: { SEXTANT_LOG: 'silent' },
		// No test is a race, and none hangs for long: what takes longer than this says so itself.
		testTimeout: 120_000,
		hookTimeout: 120_000
	}
});
