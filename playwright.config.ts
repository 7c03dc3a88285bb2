import { existsSync } from 'node:fs';
import { defineConfig } from '@playwright/test';
import { BASE, HALF } from './e2e/site';

const chromium = [process.env.CHROMIUM, '/usr/bin/chromium-headless-shell', '/usr/bin/chromium'].find(
	(p) => p && existsSync(p)
);

export default defineConfig({
	testDir: 'e2e',
	// No test is a race, and none hangs for long: what takes longer than this says so itself.
	timeout: 180_000,
	outputDir: `test-results/${HALF}`,
	expect: { timeout: 60_000 },
	workers: 1,
	fullyParallel: false,
	forbidOnly: true,
	// The builder works through hours of the lab's clock: after everybody else, who need the day as it begins.
	projects: [
		// People first: some of what they open has hours.
		{ name: 'people', testMatch: /portal\.spec/ },
		{
			name: 'day',
			testIgnore: /(portal|access-rules|packages|publisher|shelf|ldap|builder|commands|joiner|kill|faults|proxy)\.spec/
		},
		{ name: 'apps', testMatch: /(access-rules|ldap|packages|publisher|shelf)\.spec/ },
		{ name: 'evening', testMatch: /builder\.spec/ },
		// With servers of their own, one at a time.
		{ name: 'faults', testMatch: /(commands|faults|joiner|proxy)\.spec/ },
		{ name: 'kill', testMatch: /kill\.spec/ }
	],
	reporter: [['list']],
	globalSetup: './e2e/serve.ts',
	use: {
		baseURL: BASE,
		viewport: { width: 1280, height: 800 },
		actionTimeout: 60_000,
		// A trace costs a fifth of the time: it is taken where somebody wants to look at one.
		trace: process.env.TRACE ? 'retain-on-failure' : 'off',
		launchOptions: {
			executablePath: chromium,
			args: [
				'--no-sandbox',
				'--disable-gpu',
				'--disable-quic',
				'--disable-background-networking',
				'--disable-component-update',
				'--disable-sync',
				'--no-first-run'
			]
		}
	}
});
