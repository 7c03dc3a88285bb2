import { createHash, randomBytes } from 'node:crypto';
import { EventEmitter } from 'node:events';
import {
	accessSync,
	constants,
	existsSync,
	mkdirSync,
	readdirSync,
	readFileSync,
	rmSync,
	writeFileSync
} from 'node:fs';
import { createServer } from 'node:http';
import { join, resolve } from 'node:path';
import { MessageChannel, Worker } from 'node:worker_threads';
import { ROLES } from '$lib/core/access/rights';
import type { EstateProblem } from '$lib/core/estate/read';
import { sharedClock } from '$lib/server/context';
import { one, openDb, putSetting, setting, type Db } from '$lib/server/db';
import { addOperator } from '$lib/server/identity/accounts';
import { vaultIn } from '$lib/server/network/vault';
import type { Packer } from '$lib/server/packages/packer';
import type { Providers } from '$lib/server/providers';
import { callThrough } from '$lib/server/providers/remote';
import { setRuntime, type Bench } from '$lib/server/runtime';
import { LAB_PASSWORD } from '$lib/server/simulator/server';
import { DEMO_OPERATORS, DEMO_PASSWORD, DEMO_PERSON } from './demo-accounts';
import { readOptions, type Options } from './options';

/** Says one line and ends, with nothing half made. */
function fail(line: string): never {
	console.error(`sextant: ${line}`);
	process.exit(1);
}

const here = import.meta.dirname;
let options: Options;
try {
	options = readOptions(process.argv.slice(2));
} catch (e) {
	fail((e as Error).message.split('\n')[0]!);
}
const dataDir = resolve(options.data);
const dbPath = join(dataDir, 'sextant.db');
const labPath = join(dataDir, 'lab.db');

/** Until everything is ready, whoever comes is told to wait. */
const notYet = (_request: unknown, response: import('node:http').ServerResponse) => {
	response
		.writeHead(503, { 'content-type': 'text/plain; charset=utf-8', 'retry-after': '10' })
		.end('Sextant is starting. Try again in a moment.\n');
};
const server = createServer(notYet);
await listen();
prepareFolder();
if (!existsSync(dbPath)) await makeEstate();
else if (options.estate) checkSameEstate(options.estate);
await start();

/** The same command a second time goes on; another estate file over data that are there is refused. */
function checkSameEstate(file: string): void {
	if (!existsSync(file)) fail(`there is no estate file ${file}`);
	let made: string | null = null;
	try {
		const db = openDb(dbPath);
		made = setting(db, 'estate file');
		db.close();
	} catch (e) {
		fail(`cannot read ${options.data}: ${(e as Error).message}`);
	}
	if (made !== fingerprint(file))
		fail(`${options.data} holds an estate already, made from another file; add --fresh to begin anew with ${file}`);
}

function fingerprint(file: string): string {
	return createHash('sha256').update(readFileSync(file)).digest('hex');
}

/** Takes the port first: when it is taken, nothing else has been touched. */
async function listen(): Promise<void> {
	await new Promise<void>((done) => {
		server.once('error', (e: NodeJS.ErrnoException) =>
			fail(
				e.code === 'EADDRINUSE'
					? `port ${options.port} is in use; choose another with --port`
					: `cannot listen on port ${options.port}: ${e.message}`
			)
		);
		server.listen(options.port, options.host, () => done());
	});
}

function prepareFolder(): void {
	try {
		mkdirSync(dataDir, { recursive: true });
		accessSync(dataDir, constants.R_OK | constants.W_OK);
		// Root may do anything; trying it out tells for everybody.
		const probe = join(dataDir, '.probe');
		writeFileSync(probe, '');
		rmSync(probe);
	} catch (e) {
		fail(`cannot use the data folder ${options.data}: ${(e as Error).message}`);
	}
	if (options.fresh)
		for (const file of readdirSync(dataDir))
			if (/^(sextant|lab)\.db(-wal|-shm)?$|^(making|captures|packages|uploads)$/.test(file))
				rmSync(join(dataDir, file), { recursive: true, force: true });
}

async function makeEstate(): Promise<void> {
	const estatePath =
		options.estate ?? join(here, '../..', options.demo ? 'demo/kittiwake/estate.yaml' : 'demo/empty.yaml');
	if (!existsSync(estatePath)) fail(`there is no estate file ${options.estate}`);
	const tty = process.stdout.isTTY;
	console.log(`Making the estate of ${estatePath.split('/').slice(-2).join('/')} with its history …`);
	let shown = -1;
	const worker = new Worker(join(here, 'history.js'), {
		workerData: { estatePath, dataDir, speed: options.speed ?? (options.demo ? 60 : 1) }
	});
	const problems = await new Promise<EstateProblem[] | null>((done, wrong) => {
		worker.on('message', (m: { share?: number; problems?: EstateProblem[]; done?: boolean }) => {
			if (m.problems) done(m.problems);
			else if (m.done) done(null);
			else if (m.share !== undefined) {
				const percent = Math.floor(m.share * 100);
				if (tty) process.stdout.write(`\r  ${percent} % of the history lived through `);
				else if (percent >= shown + 20) console.log(`  ${(shown = percent)} %`);
			}
		});
		worker.on('error', wrong);
	}).catch((e: Error) => {
		rmSync(join(dataDir, 'making'), { recursive: true, force: true });
		return fail(`could not make the estate: ${e.message}`);
	});
	await worker.terminate();
	if (tty) process.stdout.write('\r'.padEnd(60) + '\r');
	if (problems) {
		for (const p of problems.slice(0, 30))
			console.error(`${p.file}:${p.line}:${p.column}: ${p.path ? `${p.path}: ` : ''}${p.message}`);
		fail(
			`${options.estate ?? estatePath} has ${problems.length === 1 ? 'a problem' : `${problems.length} problems`}; nothing was made`
		);
	}
	const made = openDb(dbPath);
	putSetting(made, 'estate file', fingerprint(estatePath));
	made.close();
	if (options.demo) {
		const db = openDb(dbPath);
		putSetting(db, 'demo', 'yes');
		for (const o of DEMO_OPERATORS) await addOperator(db, o.login, o.name, o.role, DEMO_PASSWORD);
		db.close();
	}
}

async function start(): Promise<void> {
	let db: Db;
	try {
		db = openDb(dbPath);
	} catch (e) {
		fail(`cannot read ${options.data}: ${(e as Error).message}`);
	}
	const vault = vaultIn(dataDir);
	const memory = new SharedArrayBuffer(16);
	const clock = sharedClock(memory);
	const labThread = await startThread('lab', { path: labPath, memory, speed: options.speed });
	const forEngine = new MessageChannel();
	const forHttp = new MessageChannel();
	labThread.postMessage({ port: forEngine.port1 }, [forEngine.port1]);
	labThread.postMessage({ port: forHttp.port1, withBench: true }, [forHttp.port1]);
	const packerThread = await startThread('packer', { dataDir });
	const [packerForEngine, packerForHttp] = [new MessageChannel(), new MessageChannel()];
	for (const { port1 } of [packerForEngine, packerForHttp]) packerThread.postMessage({ port: port1 }, [port1]);
	const engineThread = await startThread(
		'engine',
		{ path: dbPath, dataDir, memory, port: forEngine.port2, packer: packerForEngine.port2 },
		[forEngine.port2, packerForEngine.port2]
	);
	const outside = callThrough<Providers & { bench: Bench }>(forHttp.port2);
	const events = new EventEmitter().setMaxListeners(0);
	engineThread.on('message', (m: { live?: string }) => m.live && events.emit('live', m));
	setRuntime({
		db,
		clock,
		providers: outside,
		vault,
		packer: callThrough<Packer>(packerForHttp.port2),
		dataDir,
		bench: outside.bench,
		events,
		wake: () => engineThread.postMessage({ wake: true }),
		demo: setting(db, 'demo') === 'yes'
	});

	// Packages are larger than what the adapter takes; hooks.server.ts has the limits.
	process.env.BODY_SIZE_LIMIT ??= 'Infinity';
	process.env.ORIGIN ??= `http://localhost:${options.port}`;
	const { handler } = (await import(join(here, '../handler.js'))) as { handler: Parameters<typeof server.on>[1] };
	server.off('request', notYet);
	server.on('request', handler as never);
	announce(db);

	let ending = false;
	const end = async () => {
		if (ending) return;
		ending = true;
		server.close();
		server.closeAllConnections();
		const stopped = (t: Worker) =>
			new Promise<void>((done) => t.on('message', (m: { stopped?: boolean }) => m.stopped && done()));
		const both = Promise.all([stopped(engineThread), stopped(labThread)]);
		engineThread.postMessage({ stop: true });
		labThread.postMessage({ stop: true });
		await Promise.race([both, new Promise((done) => setTimeout(done, 5000))]);
		process.exit(0);
	};
	process.on('SIGINT', end);
	process.on('SIGTERM', end);
}

function startThread(
	name: string,
	workerData: Record<string, unknown>,
	transferList: import('node:worker_threads').MessagePort[] = []
): Promise<Worker> {
	const worker = new Worker(join(here, `${name}.js`), { workerData, transferList });
	return new Promise((done) => {
		worker.on('error', (e) => fail(`the ${name} thread ended: ${e.stack ?? e.message}`));
		worker.on('message', (m: { ready?: boolean }) => m.ready && done(worker));
	});
}

function announce(db: Db): void {
	const estate = setting(db, 'estate');
	console.log(`\nSextant looks after ${estate} at http://localhost:${options.port}\n`);
	if (setting(db, 'demo') === 'yes') {
		console.log(`Demo accounts, all with the password ${DEMO_PASSWORD}:`);
		for (const role of ROLES) {
			const account = DEMO_OPERATORS.find((o) => o.role === role);
			if (account) console.log(`  ${account.login.padEnd(10)} ${role.padEnd(9)} ${account.name}`);
		}
		console.log(
			`Portal, at http://localhost:${options.port}/my, with the password ${LAB_PASSWORD}:\n  ${DEMO_PERSON.padEnd(10)} person    an ordinary person\n`
		);
	} else if (one<{ n: number }>(db, 'SELECT count(*) AS n FROM operators')!.n === 0) {
		const code = randomBytes(9).toString('base64url');
		putSetting(db, 'first code', createHash('sha256').update(code).digest('hex'));
		console.log(
			`Nobody can sign in yet. Make the first operator at http://localhost:${options.port}/welcome\nwith this code, which works once: ${code}\n`
		);
	}
}
