import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import Database from 'better-sqlite3';
import { stringify } from 'yaml';
import { toJsonSchema } from '@valibot/to-json-schema';
import { sizeWords } from '$lib/core/time/units';
import { generateEstate } from '$lib/core/estate/generate';
import { estateSchema } from '$lib/core/estate/schema';
import { backUp, BackupProblem, restore, verifyPackages } from '$lib/server/backup';
import { openDb, one, run, type Db } from '$lib/server/db';
import { addChange } from '$lib/server/changes';
import { HEADS_FILE, headProblems } from '$lib/server/changes/heads';
import { verifyData } from '$lib/server/verify';
import { STAFF } from '$lib/core/access/rights';
import { givePassword, keepToken, newTokenSecret } from '$lib/server/identity/accounts';
import { loadEstate } from '$lib/server/history';
import { sweepTemporary } from './temporary';
import { captureCommand, checkPackageCommand, CommandProblem, inventoryCommand } from './cli-packages';

const USAGE = `usage: npm run sextant -- <command>

  estate check FILE                          reads an estate file and says what is wrong with it
  estate schema                              prints the JSON Schema of estate files
  estate generate --people N --machines N --seed S    prints a large estate
  token create --name X --role R [--data DIR]         makes an API token and prints its secret once
  operator password LOGIN [--data DIR]       gives an operator a new password and prints it once
  backup FILE [--data DIR]                   copies the data while the server runs
  restore FILE [--data DIR]                  puts a copy back; the server must be stopped
  verify [--data DIR] [--against FILE]       checks the database, the change log, all intervals and packages;
                                             --against: the log against signed heads that were kept elsewhere
  inventory DIR [--settings FILE …] [--of NAME] [--system NAME --users single|multi] -o FILE
                                             writes down what a folder and files of settings hold
  inventory schema                           prints the JSON Schema of inventories
  capture --before FILE --after FILE --folder DIR --name NAME [--version V] [--note TEXT] [--idle FILE --idle FILE]
          [--take PATTERN …] [--leave PATTERN …] [--upon PACKAGE.tar] -o PACKAGE.tar
                                             makes a package from two inventories and the folder of the second
  package check FILE                         reads a package, checks every digest, and says what it is`;

function fail(line: string, code = 1): never {
	process.stderr.write(`${line}\n`);
	process.exit(code);
}

const { values, positionals } = (() => {
	try {
		return parseArgs({
			allowPositionals: true,
			options: {
				people: { type: 'string' },
				machines: { type: 'string' },
				seed: { type: 'string' },
				name: { type: 'string' },
				role: { type: 'string' },
				settings: { type: 'string', multiple: true },
				of: { type: 'string' },
				system: { type: 'string' },
				users: { type: 'string' },
				output: { type: 'string', short: 'o' },
				before: { type: 'string' },
				after: { type: 'string' },
				idle: { type: 'string', multiple: true },
				folder: { type: 'string' },
				version: { type: 'string' },
				note: { type: 'string' },
				take: { type: 'string', multiple: true },
				leave: { type: 'string', multiple: true },
				upon: { type: 'string' },
				against: { type: 'string' },
				data: { type: 'string', default: 'data/demo' }
			}
		});
	} catch (e) {
		return fail(`sextant: ${(e as Error).message.split('\n')[0]}\n\n${USAGE}`, 2);
	}
})();
// What is written is for its owner only.
process.umask(0o077);
sweepTemporary();
const dataDir = resolve(values.data!);
const dbPath = join(dataDir, 'sextant.db');
const labPath = join(dataDir, 'lab.db');
const [area, verb, argument] = positionals;

switch ([area, verb].filter(Boolean).join(' ')) {
	case 'estate check':
		checkEstate(argument);
		break;
	case 'estate schema':
		console.log(JSON.stringify(toJsonSchema(estateSchema, { typeMode: 'input', errorMode: 'ignore' }), null, 2));
		break;
	case 'estate generate':
		console.log(stringify(generateEstate(number('people'), number('machines'), number('seed'))));
		break;
	case 'token create':
		createToken();
		break;
	case 'operator password':
		await newPassword(argument);
		break;
	case 'verify':
		await verify();
		break;
	default:
		if ((area === 'backup' || area === 'restore') && verb) await copies(area, resolve(verb));
		else if (area === 'inventory' || area === 'capture' || (area === 'package' && verb === 'check'))
			await packages(area);
		else fail(USAGE, 2);
}

async function copies(command: 'backup' | 'restore', file: string): Promise<void> {
	try {
		await (command === 'backup' ? backup : putBack)(file);
	} catch (e) {
		if (!(e instanceof BackupProblem)) throw e;
		fail(`sextant: ${e.message}`);
	}
}

async function packages(command: string): Promise<void> {
	try {
		if (command === 'inventory') await inventoryCommand(verb, values);
		else if (command === 'capture') await captureCommand(values);
		else await checkPackageCommand(argument);
	} catch (e) {
		if (!(e instanceof CommandProblem)) throw e;
		fail(`sextant: ${e.message}`, e.code);
	}
}

function number(key: 'people' | 'machines' | 'seed'): number {
	const n = Number(values[key]);
	if (values[key] === undefined || !Number.isInteger(n) || n < 0) fail(`sextant: --${key} takes a whole number`, 2);
	return n;
}

function open(): Db {
	if (!existsSync(dbPath)) fail(`sextant: there is no data in ${values.data}`);
	return openDb(dbPath);
}

function checkEstate(file: string | undefined): void {
	if (!file || !existsSync(file)) fail(`sextant: there is no file ${file ?? ''}`);
	const read = loadEstate(file);
	if ('problems' in read) {
		for (const p of read.problems)
			process.stderr.write(`${p.file}:${p.line}:${p.column}: ${p.path ? `${p.path}: ` : ''}${p.message}\n`);
		fail(`${read.problems.length} to put right`);
	}
	const e = read.estate;
	console.log(
		`${file} is right: ${e.sites.length} sites, ${e.hosts.length} hosts, ${e.pools.length} pools with ${e.pools.reduce((n, p) => n + p.count, 0)} machines, ${e.directory.people.length} people.`
	);
}

async function newPassword(login: string | undefined): Promise<void> {
	if (!login) fail('sextant: operator password takes the login of an operator', 2);
	const db = open();
	const password = randomBytes(15).toString('base64url');
	if (!(await givePassword(db, login!, password))) fail(`sextant: there is no operator ${login}`);
	db.transaction(() => {
		run(db, 'DELETE FROM sign_ins WHERE operator_id = (SELECT id FROM operators WHERE login = ?)', [login]);
		addChange(db, {
			at: labNow() ?? Date.now(),
			by: 'command line',
			via: 'command line',
			kind: 'operator.password',
			title: `Give operator ${login} a new password`,
			objects: [`operator/${login}`],
			planId: null,
			jobId: null,
			outcome: 'done',
			undo: null
		});
	}).immediate();
	console.log(password);
}

function createToken(): void {
	const { name, role } = values;
	if (!name || !role || ![...STAFF, 'directory'].includes(role))
		fail('sextant: token create takes --name and --role (owner, builder, operator, helpdesk, auditor or directory)', 2);
	const db = open();
	if (one(db, 'SELECT 1 FROM tokens WHERE name = ? AND revoked_at IS NULL', [name]))
		fail(`sextant: there is a token ${name} already`);
	const { secret, hash } = newTokenSecret();
	// The estate's clock, as far as it has come.
	const at = labNow() ?? Date.now();
	db.transaction(() => {
		keepToken(
			db,
			{ name: name!, role: role!, part: '', ends: null },
			hash,
			{ name: 'command line', operator: null },
			at
		);
		addChange(db, {
			at,
			by: 'command line',
			via: 'command line',
			kind: 'token.create',
			title: `Create API token ${name} as ${role}`,
			objects: [`token/${name}`],
			planId: null,
			jobId: null,
			outcome: 'done',
			undo: { kind: 'token.revoke', input: { name } }
		});
	}).immediate();
	console.log(secret);
}

function labNow(): number | null {
	if (!existsSync(labPath)) return null;
	const lab = new Database(labPath, { readonly: true });
	const row = lab.prepare('SELECT now FROM mark').get() as { now: number } | undefined;
	lab.close();
	return row?.now ?? null;
}

async function backup(file: string): Promise<void> {
	if (!existsSync(dbPath)) fail(`sextant: there is no data in ${values.data}`);
	const bytes = await backUp(dataDir, file);
	console.log(`${file} holds the data of ${values.data}: ${sizeWords(bytes)}.`);
}

async function putBack(file: string): Promise<void> {
	await restore(file, dataDir);
	console.log(`${values.data} holds what ${file} held.`);
}

async function verify(): Promise<void> {
	const against = values.against === undefined ? null : resolve(values.against);
	if (against !== null && !existsSync(against)) fail(`sextant: there is no file ${values.against}`);
	const problems: string[] = [];
	try {
		const db = open();
		const heads = join(dataDir, HEADS_FILE);
		problems.push(
			...verifyData(db),
			...(existsSync(heads) ? headProblems(db, readFileSync(heads, 'utf8'), HEADS_FILE) : []),
			...(against === null ? [] : headProblems(db, readFileSync(against, 'utf8'), values.against!)),
			...(await verifyPackages(db, dataDir))
		);
		db.close();
	} catch (e) {
		// SQLite says in words what is wrong with a file that is none of its own, or is no longer.
		const code = (e as { code?: string }).code ?? '';
		if (!code.startsWith('SQLITE_') && !code.startsWith('E')) throw e;
		problems.push(`database: ${(e as Error).message}: it is damaged, or no database; put a backup back with restore`);
	}
	for (const p of problems) process.stderr.write(`${p}\n`);
	if (problems.length) fail(`${problems.length} wrong`);
	console.log(
		'The database is whole, the change log is unbroken, every interval has its place, and packages are what they were.'
	);
}
