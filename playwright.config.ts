import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { defineConfig } from '@playwright/test';
import { BASE, LANE } from './e2e/site';

const chromium = [process.env.CHROMIUM, '/usr/bin/chromium-headless-shell', '/usr/bin/chromium'].find(
	(p) => p && existsSync(p)
);

const projects = [
	// People first: some of what they open has hours.
	{ name: 'people', testMatch: /\/portal\.spec/ },
	{
		name: 'day',
		testMatch:
			/\/(activity|administrators|api|auditor|channels|client|endpoints|helpdesk|operator|people|reports|settings|settings-groups)\.spec/
	},
	{ name: 'apps', testMatch: /\/(access-rules|ldap|publisher|shelf)\.spec/ },
	// The builder works through hours of the lab's clock: after those who need the day as it begins.
	{ name: 'evening', testMatch: /\/builder\.spec/ },
	// With servers of their own, one at a time, or with none.
	{ name: 'faults', testMatch: /\/(commands|faults|joiner|packages|proxy)\.spec/ },
	{ name: 'kill', testMatch: /\/kill\.spec/ }
];
for (const file of readdirSync(join(import.meta.dirname, 'e2e')).filter((f) => f.endsWith('.spec.ts')))
	if (projects.filter((p) => p.testMatch.test(`/${file}`)).length !== 1)
		throw new Error(`${file} belongs to one project, and to one alone: say to which in playwright.config.ts`);

export default defineConfig({
	testDir: 'e2e',
	// No test is a race, and none hangs for long: what takes longer than this says so itself.
	timeout: 180_000,
	outputDir: `test-results/${LANE}`,
	expect: { timeout: 60_000 },
	workers: 1,
	fullyParallel: false,
	forbidOnly: true,
	projects,
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
				'--no-first-run',
				// A page of a test lives for seconds: what compilers would win in it is less than what they take.
				'--js-flags=--no-maglev --no-turbofan'
			]
		}
	}
});
