import { spawn } from 'node:child_process';
import { cpSync, existsSync, rmSync } from 'node:fs';
import { DATA, PORT } from './site';

/** Starts the demo as `npm run demo` does, on a port and in a folder of its own; ends it after the tests. */
export default async function serve(): Promise<() => Promise<void>> {
	// For the tests that start a server of their own, one at a time.
	if (process.env.WITHOUT_DEMO) return async () => {};
	rmSync(DATA, { recursive: true, force: true });
	// Made once for all that ask; whoever finds none makes it.
	const made = process.env.SEXTANT_MADE;
	if (made && existsSync(made)) cpSync(made, DATA, { recursive: true });
	const server = spawn(
		process.execPath,
		['build/node/serve.js', '--demo', '--port', String(PORT), '--data', DATA, '--speed', '60'],
		{ stdio: ['ignore', 'pipe', 'pipe'] }
	);
	let output = '';
	await new Promise<void>((ready, wrong) => {
		const timer = setTimeout(
			() => wrong(new Error(`the demo did not start within fifteen minutes:\n${output}`)),
			900_000
		);
		const hear = (chunk: Buffer) => {
			output += chunk.toString();
			if (output.includes('looks after')) {
				clearTimeout(timer);
				ready();
			}
		};
		server.stdout.on('data', hear);
		server.stderr.on('data', hear);
		server.on('exit', (code) => wrong(new Error(`the demo ended with ${code}:\n${output}`)));
	});
	return async () => {
		server.removeAllListeners('exit');
		const ended = new Promise((done) => server.on('exit', done));
		server.kill('SIGTERM');
		await ended;
		// What the server complained of would otherwise go unseen.
		if (/Error/.test(output)) console.error(output.slice(0, 4000));
	};
}
