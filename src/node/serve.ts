import { logOf } from '$lib/server/log';
import { createHash, randomBytes } from 'node:crypto';
import { EventEmitter } from 'node:events';
import {
	accessSync,
	chmodSync,
	type Dirent,
	constants,
	existsSync,
	mkdirSync,
	readdirSync,
	readFileSync,
	rmSync,
	statSync,
	writeFileSync
} from 'node:fs';
import { createServer, type RequestListener } from 'node:http';
import { join, resolve } from 'node:path';
import { MessageChannel, Worker, type MessagePort } from 'node:worker_threads';
import Database from 'better-sqlite3';
import { ROLES } from '$lib/core/access/rights';
import type { EstateProblem } from '$lib/core/estate/read';
import { FOREVER } from '$lib/core/time/units';
import { sharedClock, shownClock } from '$lib/server/context';
import { one, openDb, putSetting, run, setting, type Db } from '$lib/server/db';
import { partName } from '$lib/server/part';
import { anyOperator, givePassword, operators, type OperatorRow } from '$lib/server/identity/accounts';
import { sealFactors } from '$lib/server/identity/factor';
import { SERVED_AT } from '$lib/server/identity/portal';
import { callerOfRequest } from '$lib/server/identity/presented';
import { vaultIn } from '$lib/server/vault';
import type { Packer } from '$lib/server/packing/packer';
import type { Providers } from '$lib/server/providers';
import { Line } from '$lib/server/providers/remote';
import { setRuntime, type Bench, type Progress } from '$lib/server/process';
import { LAB_PASSWORD } from '$lib/server/simulator/server';

import { watchDisk } from './disk';
import { readOptions, type Options } from './options';
import { LARGE, mayTakeLong, Readers } from './readers';
import { keepOpen } from './resting';
import { sayStrays } from './strays';
import { Keeper, type Ended } from './threads';

const log = logOf('server');

/** What everybody of the demo signs in with: there is nothing to protect in it. */
const DEMO_PASSWORD = 'tideline';
/** A house that has listened for so long stands, ms. */
const STANDS = 15_000;

/** Says one line and ends, with nothing half made. */
function fail(line: string): never {
	process.stderr.write(`sextant: ${line}\n`);
	process.exit(1);
}

// Everything that is written is for its owner only.
process.umask(0o077);
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
keepOpen(server);
// Who only makes the estate serves nobody, and needs no port.
if (!options.make) await listen();
prepareFolder();
if (!existsSync(dbPath)) await makeEstate();
else if (options.estate) checkSameEstate(options.estate);
if (options.make) process.exit(0);
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
			if (/^(sextant|lab)\.db(-wal|-shm)?$|^changes\.heads$|^(making|captures|packages|uploads)$/.test(file))
				rmSync(join(dataDir, file), { recursive: true, force: true });
}

async function makeEstate(): Promise<void> {
	const estatePath =
		options.estate ?? join(here, '../..', options.demo ? 'demo/kittiwake/estate.yaml' : 'demo/empty.yaml');
	if (!existsSync(estatePath)) fail(`there is no estate file ${options.estate}`);
	const tty = process.stdout.isTTY;
	console.log(`Making the estate of ${estatePath.split('/').slice(-2).join('/')} with its history …`);
	let shown = -1;
	const began = performance.now();
	const worker = new Worker(join(here, 'history.js'), {
		// Most of what a minute needs is gone with it: with room for many of them, little is looked through to find out.
		resourceLimits: { maxYoungGenerationSizeMb: 192 },
		workerData: { estatePath, dataDir, speed: options.speed ?? (options.demo ? 60 : 1) }
	});
	const problems = await new Promise<EstateProblem[] | null>((done, wrong) => {
		worker.on('message', (m: { told?: Progress; problems?: EstateProblem[]; done?: boolean }) => {
			if (m.problems) done(m.problems);
			else if (m.done) done(null);
			else if (m.told) {
				const { share, at, acts } = m.told;
				const percent = Math.floor(share * 100);
				const left = Math.ceil(((performance.now() - began) / 1000) * (1 / Math.max(share, 0.01) - 1));
				const line = `${percent} % of the history lived through, now at ${new Date(at).toISOString().slice(0, 10)}${acts ? `; ${acts} plans carried out by its people` : ''}${percent >= 5 ? `; about ${left} s to go` : ''}`;
				if (tty) process.stdout.write(`\r  ${line}`.padEnd(110));
				else if (percent >= shown + 20) console.log(`  ${((shown = percent), line)}`);
			}
		});
		worker.on('error', wrong);
	}).catch((e: Error) => {
		rmSync(join(dataDir, 'making'), { recursive: true, force: true });
		return fail(`could not make the estate: ${e.message}`);
	});
	await worker.terminate();
	if (tty) process.stdout.write('\r'.padEnd(110) + '\r');
	if (problems) {
		for (const p of problems.slice(0, 30))
			process.stderr.write(`${p.file}:${p.line}:${p.column}: ${p.path ? `${p.path}: ` : ''}${p.message}\n`);
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
		for (const o of operators(db, 0)) await givePassword(db, o.login, DEMO_PASSWORD);
		db.close();
	}
}

/** What the engine may be connected to. */
type Far = 'lab' | 'packer';

async function start(): Promise<void> {
	let db: Db;
	try {
		db = openDb(dbPath);
		noteUncleanEnd(db);
		// Behind a proxy it is not known under which name people come.
		putSetting(db, SERVED_AT, options.url ?? (options.proxy === 0 ? `http://localhost:${options.port}` : ''));
	} catch (e) {
		fail(`cannot read ${options.data}: ${(e as Error).message}`);
	}
	const vault = vaultIn(dataDir);
	sealFactors({ db, vault });
	shut(dataDir);
	sweepLeftovers(dataDir);
	const memory = new SharedArrayBuffer(16);
	const clock = sharedClock(memory);
	const turns = new SharedArrayBuffer(4);
	// Until the lab tells, the clock stands where it was last.
	clock.set(lastMoment(labPath, db), 0);
	const events = new EventEmitter().setMaxListeners(0);
	const lines = { lab: new Line<Providers & { bench: Bench }>('lab'), packer: new Line<Packer>('packer') };
	const health = watchDisk(dataDir, () => events.emit('live', { live: 'estate' }));

	const threadEnded = ({ thread, why, times }: Ended) => {
		log.error({ thread, times, why }, `the ${thread} thread ended (${times} within ten minutes) and is started anew`);
		if (thread !== 'engine') {
			lines[thread as Far].cut();
			for (const worker of [engine.running, ...readers.running]) worker?.postMessage({ cut: thread });
		}
		if (thread === 'lab') clock.set(clock.now(), 0);
		try {
			db.transaction(() => {
				run(db, 'INSERT INTO thread_ends(thread, at, why) VALUES (?, ?, ?)', [thread, clock.now(), why.slice(0, 4000)]);
				// Of calls to the others the engine itself knows which job had made them.
				if (thread === 'engine') run(db, `UPDATE jobs SET thread_ends = thread_ends + 1 WHERE state = 'running'`);
			}).immediate();
		} catch (e) {
			log.error({ err: e }, 'this could not be written down');
		}
		events.emit('live', { live: 'estate' });
	};
	/** Lets a thread and the engine, or a thread and this one, talk to each other. */
	const portTo = (worker: Worker, withBench: boolean): MessagePort => {
		const { port1, port2 } = new MessageChannel();
		worker.postMessage({ port: port1, withBench }, [port1]);
		return port2;
	};
	const connect = (to: Worker | null, far: Far, withBench: boolean) => {
		// Of two that come up side by side, the later one finds the other: they are connected once.
		const worker = keepers[far].up;
		if (!worker || !to) return;
		const port = portTo(worker, withBench);
		to.postMessage({ connect: far, port }, [port]);
	};
	const keeperOf = (name: Far, data: () => Record<string, unknown>) =>
		new Keeper({
			name,
			script: join(here, `${name}.js`),
			data,
			memory: MEMORY,
			up: (worker) => {
				lines[name].connect(portTo(worker, name === 'lab'));
				connect(engine.up, name, false);
				for (const reader of readers.up) connect(reader, name, name === 'lab');
			},
			ended: threadEnded
		});
	let speed = options.speed;
	const keepers = {
		lab: keeperOf('lab', () => {
			const data = { path: labPath, memory, speed };
			// Asked for once: a lab that is started anew goes on at the pace that it had.
			speed = null;
			return data;
		}),
		packer: keeperOf('packer', () => ({ dataDir }))
	};
	const engine = new Keeper({
		name: 'engine',
		script: join(here, 'engine.js'),
		data: () => ({ path: dbPath, dataDir, memory, turns }),
		memory: MEMORY,
		up: (worker) => {
			connect(worker, 'lab', false);
			connect(worker, 'packer', false);
		},
		ended: threadEnded,
		message: (m: { live?: string }) => m.live && events.emit('live', m)
	});
	const readers = new Readers({
		script: join(here, 'reader.js'),
		data: () => ({ path: dbPath, dataDir, memory, turns, demo: setting(db, 'demo') === 'yes' }),
		memory: MEMORY,
		callerOf: ({ url = '', headers }) => {
			const caller = callerOfRequest(db, url.split('?')[0]!, headers, clock.now());
			return caller && `${caller.kind}/${caller.id}`;
		},
		up: (worker) => {
			connect(worker, 'lab', true);
			connect(worker, 'packer', false);
		},
		// Whoever asked has been told; it is nobody's trouble any more.
		ended: ({ thread, why }) => log.error({ thread, why }, `the ${thread} has ended and is started anew`),
		told: (m) => {
			if (m.wake) engine.running?.postMessage({ wake: true });
			if (m.live) events.emit('live', m);
		}
	});
	// Packages are larger than what the adapter takes; hooks.server.ts has the limits.
	process.env.BODY_SIZE_LIMIT ??= 'Infinity';
	behindProxy(options);
	// What the pages are made of is read while the threads come up; each waits for the others where it needs them.
	const pages = import(join(here, '../handler.js')) as Promise<{ handler: RequestListener }>;
	const [lab] = await Promise.all([keepers.lab.start(), keepers.packer.start(), engine.start()]);
	if (!lab.ready && lab.refused !== null) fail(`cannot read ${options.data}: ${lab.refused}`);
	const shown = shownClock(clock, undefined, new Int32Array(turns));
	// A job has moved: whoever asks next sees what it did.
	events.on('live', (m: { live: string }) => (m.live === 'jobs' || clock.speed() === 0) && shown.next());
	setRuntime({
		db,
		clock: shown,
		providers: lines.lab.api,
		vault,
		packer: lines.packer.api,
		dataDir,
		bench: lines.lab.api.bench,
		rehearse: (thread) => {
			const ends = thread === 'readers' ? readers.running : [(thread === 'engine' ? engine : keepers[thread]).running];
			for (const worker of ends) worker?.postMessage({ rehearse: true });
		},
		events,
		health,
		wake: () => engine.running?.postMessage({ wake: true }),
		demo: setting(db, 'demo') === 'yes'
	});

	const { handler } = await pages;
	server.off('request', notYet);
	let large = isLarge(db);
	setInterval(() => (large = isLarge(db)), 60_000).unref();
	// Readers take as much to start as everything else: they come with the first request that may take long, or once the house stands.
	let coming = false;
	const startReaders = () => {
		if (coming) return;
		coming = true;
		void readers.start();
	};
	setTimeout(startReaders, STANDS).unref();
	server.on('request', (request, response) => {
		const { method = '', url = '', headers } = request;
		const long = mayTakeLong(method, url, headers, large);
		if (long !== 'no') startReaders();
		const apart = long === 'long' || (long === 'somewhat' && readers.free) || readers.crowds(request, response);
		if (!apart || !readers.pass(request, response)) handler(request, response);
	});
	// One request that nobody foresaw ends itself, and none beside it.
	process.on('uncaughtException', (e) => log.error({ err: e }, 'nobody caught this'));
	sayStrays('sextant');
	announce(db);

	let ending = false;
	const end = async () => {
		if (ending) return;
		ending = true;
		server.close();
		server.closeAllConnections();
		await Promise.all([engine.stop(5000), keepers.lab.stop(5000), keepers.packer.stop(0), readers.stop(1000)]);
		try {
			putSetting(db, 'running', 'no');
		} catch {
			// A disk that is full: the next start takes it for an end that nobody asked for.
		}
		process.exit(0);
	};
	process.on('SIGINT', end);
	process.on('SIGTERM', end);
}

/** Data of before may be readable for others: it is shut, as what is written from now on is. What is not ours to shut is told of. */
function shut(folder: string): void {
	const close = (path: string, wanted: number) => {
		try {
			if ((statSync(path).mode & 0o777) !== wanted) chmodSync(path, wanted);
		} catch (e) {
			log.warn({ path, err: e }, 'this cannot be shut for others');
		}
	};
	close(folder, 0o700);
	const below = (path: string) => {
		for (const entry of entriesOf(path)) {
			const full = join(path, entry.name);
			if (entry.isFile()) close(full, 0o600);
			if (!entry.isDirectory()) continue;
			close(full, 0o700);
			below(full);
		}
	};
	below(folder);
}

/** What is in a folder; nothing where there is none, or none that can be read. */
function entriesOf(folder: string): Dirent[] {
	try {
		return readdirSync(folder, { withFileTypes: true });
	} catch {
		return [];
	}
}

/** What uploads, imports and packings left that a hard end cut off. Nothing of it is anybody's: no thread runs yet. */
function sweepLeftovers(folder: string): void {
	const packages = join(folder, 'packages');
	const captures = join(folder, 'captures');
	const removeIn = (path: string, gone: (name: string) => boolean) => {
		for (const { name } of entriesOf(path)) if (gone(name)) remove(join(path, name));
	};
	const remove = (path: string) => {
		try {
			rmSync(path, { recursive: true, force: true });
		} catch (e) {
			log.warn({ path, err: e }, 'what an earlier start left cannot be removed');
		}
	};
	remove(join(folder, 'uploads'));
	removeIn(packages, (name) => /^(making|import)-/.test(name));
	removeIn(join(packages, 'blobs/sha256'), (name) => !/^[0-9a-f]{64}$/.test(name));
	removeIn(join(packages, 'out'), (name) => name.includes('.making'));
	for (const capture of entriesOf(captures))
		removeIn(join(captures, capture.name), (name) => /^root-[0-9a-f-]{36}$/.test(name));
}

/** What the adapter goes by: the address that people use, or what a proxy says of it. */
function behindProxy(o: Options): void {
	if (o.url !== null) process.env.ORIGIN = o.url;
	else if (o.proxy === 0) process.env.ORIGIN ??= `http://localhost:${o.port}`;
	if (o.proxy === 0) return;
	process.env.PROTOCOL_HEADER ??= 'x-forwarded-proto';
	process.env.HOST_HEADER ??= 'x-forwarded-host';
	process.env.ADDRESS_HEADER ??= 'x-forwarded-for';
	process.env.XFF_DEPTH ??= String(o.proxy);
}

/** Whether an estate is so large that whoever looks at a page first makes others wait. */
function isLarge(db: Db): boolean {
	const counted = one<{ machines: number; people: number }>(
		db,
		`SELECT (SELECT count(*) FROM machines WHERE until = ${FOREVER}) AS machines, (SELECT count(*) FROM people) AS people`
	)!;
	return counted.machines + counted.people / 4 > LARGE;
}

/** Mebibytes that a thread may hold before it, and not the process, ends. */
const MEMORY = 4096;

/** After an end that nobody asked for: jobs that were running may have been what brought it about. */
function noteUncleanEnd(db: Db): void {
	db.transaction(() => {
		if (setting(db, 'running') === 'yes')
			run(db, `UPDATE jobs SET process_ends = process_ends + 1 WHERE state = 'running'`);
		putSetting(db, 'running', 'yes');
	}).immediate();
}

/** How far the estate's clock has come, as far as it can be read. */
function lastMoment(path: string, db: Db): number {
	try {
		const store = new Database(path, { readonly: true });
		const row = store.prepare('SELECT now FROM mark').get() as { now: number } | undefined;
		store.close();
		if (row) return row.now;
	} catch {
		// Told of when the lab itself cannot read it.
	}
	return one<{ at: number | null }>(db, 'SELECT max(at) AS at FROM changes')?.at ?? Date.now();
}

/** Whom a newcomer may sign in to the portal as: whoever the estate names, or the first of its people; null where there is nobody. */
function ordinaryPerson(db: Db): string | null {
	return (
		one<{ login: string }>(db, 'SELECT login FROM people ORDER BY login <> ?, login LIMIT 1', [
			setting(db, 'visitor') ?? ''
		])?.login ?? null
	);
}

function announce(db: Db): void {
	const estate = setting(db, 'estate');
	const lines = [`\nSextant looks after ${estate} at http://localhost:${options.port}\n`];
	if (setting(db, 'demo') === 'yes') {
		lines.push(`Demo accounts, all with the password ${DEMO_PASSWORD}:`);
		const partOf = (o: OperatorRow) => (o.assignments[0]?.part ? `, ${partName(db, o.assignments[0].part)} alone` : '');
		const rank = (o: OperatorRow) => ROLES.findIndex((r) => r === o.assignments[0]?.role);
		const staff = operators(db, Number.MAX_SAFE_INTEGER - 1).sort((a, b) => rank(a) - rank(b));
		for (const o of staff)
			lines.push(`  ${o.login.padEnd(10)} ${(o.assignments[0]?.name ?? '').padEnd(9)} ${o.name}${partOf(o)}`);
		const person = ordinaryPerson(db);
		if (person !== null)
			lines.push(
				`Portal, at http://localhost:${options.port}/my, with the password ${LAB_PASSWORD}:\n  ${person.padEnd(10)} person    an ordinary person\n`
			);
		else lines.push('');
	} else if (!anyOperator(db)) {
		const code = randomBytes(9).toString('base64url');
		putSetting(db, 'first code', createHash('sha256').update(code).digest('hex'));
		lines.push(
			`Nobody can sign in yet. Make the first operator at http://localhost:${options.port}/welcome\nwith this code, which works once: ${code}\n`
		);
	}
	// At once: whoever waits for the address reads the accounts with it.
	console.log(lines.join('\n'));
}
