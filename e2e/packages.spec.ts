import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import { expect, test } from '@playwright/test';

/** Packages from the command line: a real program captured, read by a common tool, and refused when it was tampered with. */
const env = { ...process.env, NO_COLOR: undefined, FORCE_COLOR: undefined };
const dir = mkdtempSync(join(tmpdir(), 'sextant-packages-'));
const at = (name: string) => join(dir, name);
const run = (command: string, ...args: string[]) =>
	spawnSync(command, args, { encoding: 'utf8', env, cwd: dir, maxBuffer: 1e9 });
const cli = (...args: string[]) =>
	spawnSync(process.execPath, [join(process.cwd(), 'build/node/cli.js'), ...args], { encoding: 'utf8', env, cwd: dir });
function well(result: ReturnType<typeof run>): string {
	expect(result.status, result.stderr).toBe(0);
	return result.stdout;
}
/** Files below a folder with their content. */
function filesIn(folder: string): Map<string, string> {
	const files = new Map<string, string>();
	const walk = (path: string) => {
		for (const name of readdirSync(path)) {
			const full = join(path, name);
			if (statSync(full).isDirectory()) walk(full);
			else files.set(relative(folder, full), readFileSync(full).toString('base64'));
		}
	};
	walk(folder);
	return files;
}

test.describe.configure({ mode: 'serial' });

const system = ['--system', 'Meridian Server 24', '--users', 'multi'];

test('a real package from the registry, captured by two inventories, holds exactly what was added, byte for byte', () => {
	mkdirSync(at('app'));
	writeFileSync(at('app/package.json'), '{"name":"app","private":true}');
	expect(well(cli('inventory', 'app', ...system, '-o', 'before.jsonl'))).toMatch(/1 files and folders/);
	well(run('npm', 'install', '--prefix', 'app', '--no-audit', '--no-fund', '--prefer-offline', 'picomatch@4'));
	well(cli('inventory', 'app', ...system, '-o', 'after.jsonl'));
	const printed = well(
		cli(
			...['capture', '--before', 'before.jsonl', '--after', 'after.jsonl', '--folder', 'app'],
			...['--name', 'picomatch', '--version', '4.0.0', '-o', 'one.tar']
		)
	);
	expect(printed).toMatch(/\d+ changes: \d+ added, 1 changed/);
	expect(printed).toMatch(/sha256:[0-9a-f]{64}/);
	expect(well(cli('package', 'check', 'one.tar'))).toMatch(
		/one\.tar is whole: picomatch 4\.0\.0 for Meridian Server 24, multi-user/
	);
	// Unpacked by tar itself, layer by layer.
	mkdirSync(at('layout'));
	well(run('tar', '-xf', 'one.tar', '-C', 'layout'));
	const index = JSON.parse(readFileSync(at('layout/index.json'), 'utf8')) as { manifests: { digest: string }[] };
	const blob = (digest: string) => at(`layout/blobs/sha256/${digest.slice(7)}`);
	const manifest = JSON.parse(readFileSync(blob(index.manifests[0]!.digest), 'utf8')) as {
		layers: { digest: string }[];
	};
	mkdirSync(at('unpacked'));
	for (const l of manifest.layers) well(run('tar', '-xzf', blob(l.digest), '-C', 'unpacked'));
	const [there, packed] = [filesIn(at('app/node_modules')), filesIn(at('unpacked/files/node_modules'))];
	expect(there.size).toBeGreaterThan(5);
	expect([...packed].sort()).toEqual([...there].sort());
	// What was there before is no part of it.
	expect(existsSync(at('unpacked/files/package.json'))).toBe(false);
});

test('a common tool for such images reads it, and copies it with every digest checked', () => {
	const seen = JSON.parse(well(run('skopeo', 'inspect', 'oci-archive:one.tar'))) as {
		Labels: Record<string, string>;
		Layers: string[];
	};
	expect(seen.Labels['org.opencontainers.image.title']).toBe('picomatch');
	expect(seen.Layers).toHaveLength(2);
	well(run('skopeo', 'copy', '--insecure-policy', 'oci-archive:one.tar', 'oci:copied:4.0.0'));
	// What the tool wrote is the same, to the digest.
	const digest = (JSON.parse(readFileSync(at('copied/index.json'), 'utf8')) as { manifests: { digest: string }[] })
		.manifests[0]!.digest;
	expect(well(cli('package', 'check', 'one.tar'))).toContain(digest);
});

test('a second version shares the layers that did not change; the same capture has the same digest', () => {
	writeFileSync(at('app/node_modules/picomatch/NEWS'), 'one more file\n');
	well(cli('inventory', 'app', '-o', 'bare.jsonl'));
	const upon = ['--name', 'picomatch', '--version', '4.0.1', '--upon', 'one.tar', '-o', 'none.tar'];
	const other = cli('capture', '--before', 'before.jsonl', '--after', 'bare.jsonl', '--folder', 'app', ...upon);
	expect(other.stderr).toMatch(/another system: picomatch cannot be packed upon it/);
	well(cli('inventory', 'app', ...system, '-o', 'later.jsonl'));
	const capture = (out: string) =>
		well(
			cli(
				...['capture', '--before', 'before.jsonl', '--after', 'later.jsonl', '--folder', 'app', '--name', 'picomatch'],
				...['--version', '4.0.1', '--upon', 'one.tar', '-o', out]
			)
		);
	const first = capture('two.tar');
	expect(first).toMatch(/of which [\d.]+ KB are new/);
	expect(capture('again.tar').split('\n').at(-2)).toBe(first.split('\n').at(-2));
	const layers = (file: string) =>
		(JSON.parse(well(run('skopeo', 'inspect', `oci-archive:${file}`))) as { Layers: string[] }).Layers;
	expect(layers('two.tar')[0]).toBe(layers('one.tar')[0]);
	expect(layers('two.tar')).toHaveLength(3);
});

test('what is wrong is said in a line, and nothing is written', () => {
	const refused = (words: RegExp, ...args: string[]) => {
		const result = cli(...args);
		expect(result.status).toBeGreaterThan(0);
		expect(result.stderr).toMatch(words);
	};
	refused(/there is no folder nowhere/, 'inventory', 'nowhere', '-o', 'x.jsonl');
	refused(/takes -o FILE/, 'inventory', 'app');
	refused(/there is no inventory gone/, 'capture', '--before', 'gone', '--after', 'after.jsonl', '--folder', 'app');
	const both = ['capture', '--before', 'before.jsonl', '--after', 'after.jsonl', '--folder', 'app', '-o', 'x.tar'];
	refused(/small letters/, ...both, '--name', 'Not Good');
	refused(/version such as/, ...both, '--name', 'x', '--version', '1');
	refused(/nothing is taken/, ...both, '--name', 'x', '--leave', '**');
	writeFileSync(at('bad.jsonl'), `${readFileSync(at('before.jsonl'), 'utf8')}{"file":"../up"}\n`);
	refused(
		/line \d+, column 1: the path \.\.\/up climbs/,
		'capture',
		'--before',
		'bad.jsonl',
		...both.slice(3),
		'--name',
		'x'
	);
	writeFileSync(at('app/node_modules/picomatch/index.js'), 'changed');
	refused(/index\.js is not what its inventory says/, ...both, '--name', 'x');
	const bytes = readFileSync(at('one.tar'));
	bytes[bytes.length >> 1]! ^= 1;
	writeFileSync(at('bent.tar'), bytes);
	refused(/has been changed or damaged/, 'package', 'check', 'bent.tar');
	expect(existsSync(at('x.tar'))).toBe(false);
	expect(existsSync(at('x.jsonl'))).toBe(false);
});
