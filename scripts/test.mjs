// npm test: gets everything ready, then lint, types, unit tests and the tests that drive the real interface.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build, chromium, imageTool, installPackages, proxy } from './prepare.mjs';

const root = join(import.meta.dirname, '..');
installPackages();
build();
const browser = chromium();
imageTool();
proxy();

// Whatever tests put aside goes with the run.
const temporary = mkdtempSync(join(tmpdir(), 'sextant-run-'));
process.on('exit', () => rmSync(temporary, { recursive: true, force: true, maxRetries: 3 }));

const steps = [
	['Format', 'prettier/bin/prettier.cjs', ['--check', '--log-level', 'warn', '.']],
	['Lint', 'eslint/bin/eslint.js', ['.', '--max-warnings', '0']],
	[
		'Types',
		'svelte-check/bin/svelte-check',
		['--tsconfig', './tsconfig.json', '--threshold', 'warning', '--fail-on-warnings']
	],
	['Unused', 'knip/bin/knip.js', ['--no-progress', '--no-config-hints']],
	[
		'Structure',
		'dependency-cruiser/bin/dependency-cruise.mjs',
		['src', '--config', '.dependency-cruiser.js', '--output-type', 'err']
	],
	['Unit tests', 'vitest/vitest.mjs', ['run']],
	['End-to-end tests', '@playwright/test/cli.js', ['test']]
];
for (const [name, script, args] of steps) {
	const began = Date.now();
	console.log(`\n── ${name}`);
	const { status } = spawnSync(process.execPath, [join(root, 'node_modules', script), ...args], {
		cwd: root,
		stdio: 'inherit',
		env: { ...process.env, CHROMIUM: browser, TMPDIR: temporary, FORCE_COLOR: '0' }
	});
	if (status !== 0) {
		console.error(`\n${name} failed.`);
		process.exit(status ?? 1);
	}
	console.log(`── ${name}: well, ${Math.round((Date.now() - began) / 1000)} s`);
}
