// What a fresh clone lacks, said while it happens: packages, the build, a browser for the tests.
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
	closeSync,
	existsSync,
	mkdirSync,
	openSync,
	readFileSync,
	readdirSync,
	rmSync,
	statSync,
	writeFileSync
} from 'node:fs';
import { join } from 'node:path';

const root = join(import.meta.dirname, '..');

/** Runs a command, its output shown only when it fails or is asked for. */
export function run(command, args, { quiet = true, env = {} } = {}) {
	const result = spawnSync(command, args, {
		cwd: root,
		stdio: quiet ? 'pipe' : 'inherit',
		env: { ...process.env, ...env },
		encoding: 'utf8'
	});
	if (result.error) throw result.error;
	if (result.status !== 0) {
		if (quiet) process.stderr.write(`${result.stdout}\n${result.stderr}`);
		console.error(`sextant: ${command} ${args.join(' ')} ended with ${result.status ?? result.signal}`);
		process.exit(result.status ?? 1);
	}
	return result;
}

function hashOf(paths) {
	const hash = createHash('sha256');
	const add = (path) => {
		if (!existsSync(path)) return;
		if (statSync(path).isDirectory()) for (const name of readdirSync(path).sort()) add(join(path, name));
		else hash.update(path.slice(root.length)).update(readFileSync(path));
	};
	for (const p of paths) add(join(root, p));
	return hash.digest('hex');
}

const stampPath = (name) => join(root, '.sextant', name);
const fresh = (name, hash) => existsSync(stampPath(name)) && readFileSync(stampPath(name), 'utf8') === hash;
function stamp(name, hash) {
	mkdirSync(join(root, '.sextant'), { recursive: true });
	writeFileSync(stampPath(name), hash);
}

/**
 * Installs the packages when they are missing or the lock file has changed. What it answers with is done once the database driver is there, too:
 * where that has to be compiled, one processor has minutes of work, and Sextant can be built beside it. Without packages nothing can be: where
 * they cannot be had, it throws or ends at once.
 */
export function installPackages() {
	const hash = hashOf(['package-lock.json']);
	const driver = join(root, 'node_modules/better-sqlite3/build/Release/better_sqlite3.node');
	if (existsSync(driver) && fresh('packages', hash)) return Promise.resolve();
	console.log('Installing packages (about a minute) …');
	// Not `npm ci`: it insists on packages for other platforms, which not every registry mirror has. Nothing but the driver has a script to run.
	run('npm', ['install', '--no-save', '--no-audit', '--no-fund', '--ignore-scripts']);
	return (existsSync(driver) ? Promise.resolve() : makeDriver(driver)).then(() => stamp('packages', hash));
}

async function makeDriver(driver) {
	console.log('Getting the database driver (where it has to be compiled, two minutes beside the next step) …');
	// To a file: this process may not listen meanwhile, and who writes to a full pipe waits.
	const path = stampPath('driver.log');
	mkdirSync(join(root, '.sextant'), { recursive: true });
	const log = openSync(path, 'w');
	const npm = spawn('npm', ['rebuild', 'better-sqlite3', '--foreground-scripts'], {
		cwd: root,
		stdio: ['ignore', log, log],
		env: { ...process.env, JOBS: 'max' }
	});
	const end = () => npm.kill();
	process.on('exit', end);
	const why = await new Promise((ended) => {
		npm.on('error', (e) => ended(e.message));
		npm.on('exit', (status, signal) => ended(status === 0 ? null : `npm rebuild ended with ${status ?? signal}`));
	});
	process.off('exit', end);
	closeSync(log);
	if (why !== null || !existsSync(driver)) {
		process.stderr.write(readFileSync(path, 'utf8'));
		console.error(`sextant: there is no database driver${why === null ? '' : `: ${why}`}`);
		process.exit(1);
	}
	rmSync(path);
}

/** Builds the application when its sources have changed since the last build. */
export function build() {
	const hash = hashOf([
		'src',
		'static',
		'bench',
		'package-lock.json',
		'svelte.config.js',
		'vite.config.ts',
		'vite.node.config.ts',
		'tsconfig.json'
	]);
	if (existsSync(join(root, 'build/node/serve.js')) && fresh('build', hash)) return;
	console.log('Building Sextant (half a minute to a minute) …');
	const vite = join(root, 'node_modules/vite/bin/vite.js');
	run(process.execPath, [join(root, 'node_modules/@sveltejs/kit/svelte-kit.js'), 'sync']);
	// Most of what compilers make is gone with the file: with room for more of it, little is looked through to find out.
	run(process.execPath, ['--max-semi-space-size=64', vite, 'build', '--logLevel', 'error'], {
		env: { NODE_ENV: 'production' }
	});
	run(process.execPath, [vite, 'build', '-c', 'vite.node.config.ts', '--logLevel', 'error'], {
		env: { NODE_ENV: 'production' }
	});
	stamp('build', hash);
}

const SHELL = '/usr/bin/chromium-headless-shell';

/**
 * Finds Chromium, or installs Debian's: the one without windows, where Debian has it. Pages take half the time in it, since nothing of a
 * browser's own surface is drawn.
 */
export function chromium() {
	const found = [process.env.CHROMIUM, SHELL].find((p) => p && existsSync(p));
	if (found) return found;
	console.log('Installing Chromium for the tests (about a minute) …');
	run('apt-get', ['update', '-q']);
	const shell = spawnSync('apt-cache', ['show', 'chromium-headless-shell']).status === 0;
	install(shell ? 'chromium-headless-shell' : 'chromium');
	return shell ? SHELL : '/usr/bin/chromium';
}

/** Sees that there is a tool for OCI images, which the tests let read what Sextant packs. */
export function imageTool() {
	if (spawnSync('skopeo', ['--version']).status === 0) return;
	console.log('Installing skopeo for the tests …');
	debian('skopeo');
}

/** Sees that there is nginx, behind which the tests put a server, and openssl, which makes its certificate. */
export function proxy() {
	for (const [command, flag] of [
		['nginx', '-v'],
		['openssl', 'version']
	]) {
		if (spawnSync(command, [flag]).status === 0) continue;
		console.log(`Installing ${command} for the tests …`);
		debian(command);
	}
}

/** Sees that there is an LDAP server, which the tests load with what is written out, and what asks it. */
export function directoryServer() {
	for (const [command, name] of [
		['/usr/sbin/slapd', 'slapd'],
		['/usr/bin/ldapsearch', 'ldap-utils']
	]) {
		if (existsSync(command)) continue;
		console.log(`Installing ${name} for the tests …`);
		debian(name);
	}
}

function debian(name) {
	run('apt-get', ['update', '-q']);
	install(name);
}

const install = (name) =>
	run('apt-get', ['install', '-y', '-q', '--no-install-recommends', name], {
		env: { DEBIAN_FRONTEND: 'noninteractive' }
	});
