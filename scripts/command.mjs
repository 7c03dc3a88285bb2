// npm run sextant -- …, npm run bench: gets everything ready, then runs one of the built programs.
import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { build, installPackages } from './prepare.mjs';

const [program, ...args] = process.argv.slice(2);
// What is printed may be read by another program: words about the set-up go elsewhere.
console.log = console.error;
const packages = installPackages();
build();
await packages;
process.exit(
	spawnSync(process.execPath, [join(import.meta.dirname, '../build/node', `${program}.js`), ...args], {
		stdio: 'inherit'
	}).status ?? 1
);
