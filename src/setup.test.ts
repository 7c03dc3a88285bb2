import { spawnSync } from 'node:child_process';
import {
	chmodSync,
	copyFileSync,
	existsSync,
	mkdirSync,
	mkdtempSync,
	readFileSync,
	rmSync,
	writeFileSync
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';

const DRIVER = 'node_modules/better-sqlite3/build/Release/better_sqlite3.node';
const [HAS, HAS_NOT] = [`mkdir -p $(dirname ${DRIVER}); : > ${DRIVER}`, 'echo no compiler here; exit 1'];

let clone: string;
beforeEach(() => {
	clone = mkdtempSync(join(tmpdir(), 'sextant-clone-'));
	for (const file of ['scripts/prepare.mjs', 'package-lock.json']) {
		mkdirSync(dirname(join(clone, file)), { recursive: true });
		copyFileSync(file, join(clone, file));
	}
});
afterEach(() => rmSync(clone, { recursive: true }));

/** Installs packages in a clone, with an `npm` that gets the driver so, or with none; after the call it says that it goes on, and in the end that it is done. */
function install(driver: string | null) {
	const bin = join(clone, 'bin');
	mkdirSync(bin, { recursive: true });
	rmSync(join(bin, 'npm'), { force: true });
	if (driver !== null) {
		writeFileSync(
			join(bin, 'npm'),
			`#!/bin/sh\necho "$1" >> called\n[ "$1" = rebuild ] || exit 0\n/bin/sleep 0.2\nPATH=/bin:/usr/bin\n${driver}\n`
		);
		chmodSync(join(bin, 'npm'), 0o755);
	}
	const { status, stdout, stderr } = spawnSync(
		process.execPath,
		[
			'-e',
			`import('./scripts/prepare.mjs').then((m) => { const all = m.installPackages(); console.log('goes on'); return all; }).then(() => console.log('done'))`
		],
		{ cwd: clone, env: { PATH: bin }, encoding: 'utf8', timeout: 60_000 }
	);
	const called = join(clone, 'called');
	return {
		status,
		said: stdout.split('\n').filter((line) => ['goes on', 'done'].includes(line)),
		complained: stderr,
		called: existsSync(called) ? readFileSync(called, 'utf8').split('\n').filter(Boolean) : []
	};
}

describe('packages', () => {
	test('are installed once, and the driver is made beside what follows', () => {
		expect(install(HAS)).toMatchObject({ status: 0, said: ['goes on', 'done'], called: ['install', 'rebuild'] });
		expect(existsSync(join(clone, '.sextant/driver.log'))).toBe(false);
		expect(install(HAS).called).toEqual(['install', 'rebuild']);
	});

	test('whose driver cannot be made end the start with what the compiler said, and are tried again', () => {
		const failed = install(HAS_NOT);
		expect(failed).toMatchObject({ status: 1, said: ['goes on'] });
		expect(failed.complained).toContain('no compiler here');
		expect(failed.complained).toContain('there is no database driver: npm rebuild ended with 1');
		expect(install(HAS).said).toEqual(['goes on', 'done']);
	});

	test('that cannot be had end it at once: nothing goes on without them', () => {
		const failed = install(null);
		expect(failed.status).toBe(1);
		expect(failed.said).toEqual([]);
		expect(failed.complained).toContain('npm');
	});
});
