// npm run demo, npm start: gets everything ready, then serves. Arguments are passed on.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { build, installPackages } from './prepare.mjs';

const packages = installPackages();
build();
await packages;
const server = spawn(
	process.execPath,
	[join(import.meta.dirname, '../build/node/serve.js'), ...process.argv.slice(2)],
	{ stdio: 'inherit' }
);
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => server.kill(signal));
server.on('exit', (code, signal) => process.exit(code ?? (signal ? 1 : 0)));
