import { readFileSync } from 'node:fs';
import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
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

export default defineConfig({
	plugins: [tailwindcss(), sveltekit()],
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
