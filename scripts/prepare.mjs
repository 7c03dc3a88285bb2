// What a fresh clone lacks, said while it happens: packages, the build, a browser for the tests.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs';
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

/** Installs the packages when they are missing or the lock file has changed. */
export function installPackages() {
	const hash = hashOf(['package-lock.json']);
	const native = join(root, 'node_modules/better-sqlite3/build/Release/better_sqlite3.node');
	if (existsSync(native) && fresh('packages', hash)) return;
	console.log('Installing packages (about a minute; where the database driver has to be compiled, three more) …');
	// Not `npm ci`: it insists on packages for other platforms, which not every registry mirror has.
	run('npm', ['install', '--no-save', '--no-audit', '--no-fund']);
	// Newer npm versions hold install scripts back; the database driver needs its own.
	if (!existsSync(native)) {
		console.log('Building the database driver …');
		run('npm', ['rebuild', 'better-sqlite3', '--foreground-scripts']);
	}
	stamp('packages', hash);
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
	console.log('Building Sextant (about half a minute) …');
	const vite = join(root, 'node_modules/vite/bin/vite.js');
	run(process.execPath, [join(root, 'node_modules/@sveltejs/kit/svelte-kit.js'), 'sync']);
	run(process.execPath, [vite, 'build', '--logLevel', 'error'], { env: { NODE_ENV: 'production' } });
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
