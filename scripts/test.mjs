// npm test: gets everything ready, then lint, types, unit tests and the tests that drive the real interface.
import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { setPriority, tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { build, chromium, directoryServer, imageTool, installPackages, proxy } from './prepare.mjs';

const root = join(import.meta.dirname, '..');
const packages = installPackages();

// Whatever tests put aside goes with the run.
const temporary = mkdtempSync(join(tmpdir(), 'sextant-run-'));
process.on('exit', () => rmSync(temporary, { recursive: true, force: true, maxRetries: 3 }));

const made = join(root, '.sextant/e2e-made');
const environment = { ...process.env, TMPDIR: temporary, FORCE_COLOR: '0', SEXTANT_MADE: made };
/** Runs a tool of node_modules; what it says is kept until it ends where `apart`, and others go first where `nice`. Answers with its status. */
const run = (script, args, more = {}, apart = false, nice = 0) =>
	new Promise((ended) => {
		const child = spawn(process.execPath, [join(root, 'node_modules', script), ...args], {
			cwd: root,
			stdio: ['ignore', apart ? 'pipe' : 'inherit', apart ? 'pipe' : 'inherit'],
			env: { ...environment, ...more }
		});
		if (nice > 0 && child.pid) setPriority(child.pid, nice);
		const end = () => child.kill('SIGINT');
		process.on('exit', end);
		child.on('close', () => process.off('exit', end));
		let said = '';
		child.stdout?.on('data', (d) => (said += d));
		child.stderr?.on('data', (d) => (said += d));
		child.on('close', (status) => {
			if (apart) process.stdout.write(said);
			ended(status ?? 1);
		});
	});

const PLAYWRIGHT = '@playwright/test/cli.js';
const LANES = ['west', 'east', 'own', 'kill'];
const reports = Object.fromEntries(['unit', ...LANES].map((of) => [of, join(temporary, `${of}.json`)]));
const lane = (name, projects, more, apart, nice) =>
	run(
		PLAYWRIGHT,
		['test', ...projects.map((p) => `--project=${p}`), '--reporter=list,json'],
		{ ...more, SEXTANT_LANE: name, PLAYWRIGHT_JSON_OUTPUT_NAME: reports[name] },
		apart,
		nice
	);
const tool = (script, ...args) => run(script, args, {}, true);
/** Whether there is a checker of types that was compiled for this machine: it takes a third of the time, and finds the same. */
const compiled = existsSync(join(root, `node_modules/@typescript/native-preview-${process.platform}-${process.arch}`));
/** What looks at the files alone: two lines of work side by side, the first while Sextant is built, both while the driver and the history are made. */
const looks = [
	[
		['Format', () => tool('prettier/bin/prettier.cjs', '--check', '--log-level', 'warn', '.')],
		['Lint', () => tool('eslint/bin/eslint.js', '.', '--max-warnings', '0')]
	],
	[
		[
			'Types',
			() =>
				tool(
					'svelte-check/bin/svelte-check',
					...['--tsconfig', './tsconfig.json', '--threshold', 'warning', '--fail-on-warnings'],
					...(compiled ? ['--tsgo-experimental-api'] : [])
				)
		],
		['Unused', () => tool('knip/bin/knip.js', '--no-progress', '--no-config-hints')],
		[
			'Structure',
			() =>
				tool(
					'dependency-cruiser/bin/dependency-cruise.mjs',
					...['src', '--config', '.dependency-cruiser.js', '--output-type', 'err']
				)
		]
	]
];
const looked = [inTurn(looks[0])];

// Nothing of what was begun needs this.
build();
environment.CHROMIUM = chromium();
imageTool();
proxy();
directoryServer();
looked.push(inTurn(looks[1]));

await packages;
/** The demo's history is made once, beside the steps that need one processor, and copied for each server that needs it. */
rmSync(made, { recursive: true, force: true });
const making = spawn(
	process.execPath,
	[join(root, 'build/node/serve.js'), '--demo', '--data', made, '--speed', '60', '--make'],
	{ cwd: root, stdio: ['ignore', 'ignore', 'inherit'] }
);
const history = new Promise((ready) => making.on('exit', (code) => ready(code)));
process.on('exit', () => making.kill());

const steps = [
	[
		'Unit tests',
		() =>
			run('vitest/vitest.mjs', ['run', '--reporter=default', '--reporter=json', `--outputFile.json=${reports.unit}`])
	],
	[
		'End-to-end tests',
		async () => {
			const code = await history;
			if (code !== 0) return code ?? 1;
			// Side by side: two with a demo each, and, while those wait for their estates, what starts servers of its own and what ends them hard.
			const ended = await Promise.all([
				lane('west', ['people', 'day'], {}, false),
				lane('east', ['apps', 'evening'], {}, true),
				lane('own', ['faults'], { WITHOUT_DEMO: '1' }, true, 5),
				lane('kill', ['kill'], { WITHOUT_DEMO: '1' }, true, 5)
			]);
			return Math.max(...ended);
		}
	]
];
/** Does one after the other, and says how each went. Ends the run at the first that fails. */
async function inTurn(works) {
	for (const [name, work] of works) {
		const began = Date.now();
		console.log(`\n── ${name}`);
		const status = await work();
		if (status !== 0) {
			console.error(`\n${name} failed.`);
			process.exit(status);
		}
		console.log(`── ${name}: well, ${Math.round((Date.now() - began) / 1000)} s`);
	}
}
await Promise.all(looked);
await inTurn(steps);
sayWhatTookLong();

/** The ten that took longest: where `npm test` is to be made quicker next. */
function sayWhatTookLong() {
	const read = (path) => JSON.parse(readFileSync(path, 'utf8'));
	const unit = read(reports.unit).testResults.flatMap((f) =>
		f.assertionResults.map((a) => ({ ms: a.duration ?? 0, name: `${relative(root, f.name)}: ${a.fullName}` }))
	);
	const inSuite = (suite, file) => [
		...(suite.specs ?? []).map((s) => ({
			ms: s.tests.flatMap((t) => t.results).reduce((n, r) => n + r.duration, 0),
			name: `e2e/${file}: ${s.title}`
		})),
		...(suite.suites ?? []).flatMap((s) => inSuite(s, file))
	];
	const whole = ['west', 'east', 'own', 'kill'].flatMap((h) =>
		read(reports[h]).suites.flatMap((s) => inSuite(s, s.file))
	);
	console.log('\nWhat took longest:');
	for (const t of [...unit, ...whole].sort((a, b) => b.ms - a.ms).slice(0, 10))
		console.log(`  ${(t.ms / 1000).toFixed(1).padStart(6)} s  ${t.name}`);
}
