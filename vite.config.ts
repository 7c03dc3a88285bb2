import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
	plugins: [tailwindcss(), sveltekit()],
	build: { chunkSizeWarningLimit: 900 },
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
		testTimeout: 60_000,
		hookTimeout: 120_000
	}
});
