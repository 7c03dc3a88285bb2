import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { get } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { openDb, run } from '$lib/server/db';

/**
 * The real server under two hundred operators as people use it: each asks for the data of a page every ten seconds, each has a live stream
 * open, and asks again for what it shows when it is told so, as a browser does. Generator and server share the machine.
 */
const OPERATORS = Number(process.env.BENCH_OPERATORS ?? 200);
const SECONDS = Number(process.env.BENCH_SECONDS ?? 120);
const EVERY = 10_000;
/** Ms that somebody floods. */
const FLOOD = 15_000;
const PORT = 4893;
const BASE = `http://localhost:${PORT}`;
const PAGES = [
	'/',
	'/watch',
	'/watch?scope=site:bergen',
	'/watch?list=sessions',
	'/publish',
	'/publish/who',
	'/build',
	'/scale',
	'/fix'
];

const ROLES = ['owner', 'builder', 'operator', 'helpdesk', 'auditor'];

export type Report = (name: string, value: number, unit: string, aim: string, met: boolean) => void;

export async function loadBench(report: Report): Promise<void> {
	const data = mkdtempSync(join(tmpdir(), 'sextant-work-load-'));
	await served(['--port', String(PORT), '--data', data, '--speed', '60'], async (server) => {
		// Each operator has an account of their own, as people have: whose turn it is goes by it.
		const cookies = await accounts(data);
		for (const page of PAGES) await dataOf(BASE, page, cookies[0]!);
		console.log(`${OPERATORS} operators, ${SECONDS} s …`);
		const times: number[] = [];
		let refused = 0;
		const start = performance.now();
		const end = start + SECONDS * 1000;
		const minutes: { times: number[]; answers: Map<number, number>; memory: number }[] = [];
		const timed = async (page: string, cookie: string) => {
			const began = performance.now();
			const { status } = await dataOf(BASE, page, cookie).catch(() => ({ status: 0 }));
			const took = performance.now() - began;
			times.push(took);
			const minute = (minutes[Math.floor((began - start) / 60_000)] ??= { times: [], answers: new Map(), memory: 0 });
			minute.times.push(took);
			minute.answers.set(status, (minute.answers.get(status) ?? 0) + 1);
			minute.memory = memoryOf(server.pid!);
			if (status !== 200) refused++;
		};
		const early = memoryOf(server.pid!);
		const streams = Array.from({ length: OPERATORS }, (_v, i) => operator(i, cookies[i]!, timed, end));
		await wait(SECONDS * 500);
		const middle = memoryOf(server.pid!);
		await Promise.all(streams);
		const late = memoryOf(server.pid!);
		const quantile = (of: number[], q: number) => of[Math.min(of.length - 1, Math.floor(q * of.length))]!;
		const at = (q: number) => quantile(times, q);
		times.sort((a, b) => a - b);
		// Over a long run: whether it gets worse, and what was refused with which status (0: no answer came).
		console.table(
			minutes.map((m) => {
				m.times.sort((a, b) => a - b);
				return {
					pages: m.times.length,
					p50: Math.round(quantile(m.times, 0.5)),
					p99: Math.round(quantile(m.times, 0.99)),
					answers: [...m.answers].map(([status, n]) => `${n} × ${status}`).join(', '),
					MB: m.memory
				};
			})
		);
		console.log(
			`        ${times.length} pages asked for; p90 ${at(0.9).toFixed(0)} ms; memory ${early}, ${middle}, ${late} MB`
		);
		report(`${OPERATORS} operators, live open: p50 of a page’s data`, at(0.5), 'ms', 'under 60', at(0.5) < 60);
		report(`${OPERATORS} operators, live open: p99 of a page’s data`, at(0.99), 'ms', 'under 250', at(0.99) < 250);
		report(`${OPERATORS} operators: refused`, refused, 'pages', 'none', refused === 0);
		report('memory at the end, of that half way', late / middle, '×', 'at most 1.15', late / middle <= 1.15);
		const beside = await besideFlood(cookies.at(-1)!, cookies[0]!);
		const worst = quantile(beside, 0.99);
		report('p99 of a page beside one who asks for a hundred at once', worst, 'ms', 'under 250', worst < 250);
	}).finally(() => rmSync(data, { recursive: true, force: true }));
}

/**
 * How long pages take somebody while somebody else asks for a hundred at a time, none like another; ms, sorted. The flood comes from a process
 * of its own, as that of somebody else would: what is measured does not wait for its own client.
 */
async function besideFlood(flooding: string, other: string): Promise<number[]> {
	const flood = spawn(process.execPath, [process.argv[1]!, 'flood', flooding], {
		stdio: ['ignore', 'pipe', 'inherit']
	});
	let said = '';
	flood.stdout.on('data', (chunk: Buffer) => (said += chunk.toString()));
	const over = new Promise<void>((done) => flood.on('exit', () => done()));
	const end = performance.now() + FLOOD;
	const times: number[] = [];
	for (let i = 0; performance.now() < end; i++) {
		const began = performance.now();
		await dataOf(BASE, PAGES[i % PAGES.length]!, other);
		times.push(performance.now() - began);
		await wait(50);
	}
	await over;
	console.log(`        the flood: ${said.trim()}`);
	return times.sort((a, b) => a - b);
}

/** Asks for a hundred pages at a time until the time is over, and says how they were answered. */
export async function flood(cookie: string): Promise<void> {
	const end = performance.now() + FLOOD;
	const answers = new Map<number, number>();
	let n = 0;
	await Promise.all(
		Array.from({ length: 100 }, async () => {
			while (performance.now() < end) {
				const page = `${PAGES[n % PAGES.length]!.split('?')[0]}?another=${n++}`;
				const { status } = await dataOf(BASE, page, cookie).catch(() => ({ status: 0 }));
				answers.set(status, (answers.get(status) ?? 0) + 1);
				// Refused, it would ask as fast as the machine can: that measures the generator.
				if (status !== 200) await wait(100);
			}
		})
	);
	console.log([...answers].map(([status, count]) => `${count} × ${status}`).join(', '));
}

/** Starts the real server as a demo, works with it once it answers, and ends it. */
export async function served(options: string[], work: (server: ChildProcess) => Promise<void>): Promise<void> {
	const server = spawn(process.execPath, [join(import.meta.dirname, 'serve.js'), '--demo', ...options], {
		stdio: ['ignore', 'pipe', 'inherit']
	});
	try {
		await new Promise<void>((ready, wrong) => {
			server.stdout.on('data', (chunk: Buffer) => chunk.toString().includes('looks after') && ready());
			server.on('exit', (code) => wrong(new Error(`the server ended with ${code}`)));
		});
		await work(server);
	} finally {
		server.removeAllListeners('exit');
		const ended = new Promise((done) => server.on('exit', done));
		server.kill('SIGTERM');
		await ended;
	}
}

/**
 * Makes accounts with the password of the demo, and signs them in. They are written beside the server: two hundred changes within a minute
 * would be an estate of its own kind.
 */
async function accounts(data: string): Promise<string[]> {
	const db = openDb(join(data, 'sextant.db'));
	for (let i = 0; i < OPERATORS; i++)
		run(
			db,
			`INSERT INTO operators(login, name, role, password) SELECT ?, ?, role, password FROM operators WHERE login = ?`,
			[`bench-${i}`, `Bench ${i}`, ROLES[i % ROLES.length]]
		);
	db.close();
	const cookies: string[] = [];
	for (let i = 0; i < OPERATORS; i++) cookies.push(await signIn(BASE, `bench-${i}`));
	return cookies;
}

/** Signs an account in; the cookie of the sign-in. */
export async function signIn(base: string, login: string): Promise<string> {
	const answer = await fetch(`${base}/sign-in`, {
		method: 'POST',
		headers: { origin: base, accept: 'text/html', 'content-type': 'application/x-www-form-urlencoded' },
		body: `login=${login}&password=tideline`,
		redirect: 'manual'
	});
	const cookie = answer.headers.getSetCookie().find((c) => c.startsWith('sextant='));
	if (!cookie) throw new Error(`signing in answered ${answer.status}`);
	return cookie.split(';')[0]!;
}

/** The data of a page, as a browser that goes to it asks for it. */
export async function dataOf(base: string, page: string, cookie: string): Promise<{ status: number; size: number }> {
	const url = new URL(page, base);
	url.pathname = `${url.pathname === '/' ? '' : url.pathname}/__data.json`;
	url.searchParams.set('x-sveltekit-invalidated', '111');
	const answer = await fetch(url, { headers: { cookie } });
	return { status: answer.status, size: (await answer.arrayBuffer()).byteLength };
}

/** One operator: goes from page to page, and asks again for what is shown when the stream says so, two seconds later as the page does. */
async function operator(
	i: number,
	cookie: string,
	timed: (page: string, cookie: string) => Promise<void>,
	end: number
): Promise<void> {
	let page = PAGES[i % PAGES.length]!;
	let pending = false;
	const stream = get(`${BASE}/live`, { headers: { cookie } }, (answer) => {
		answer.setEncoding('utf8');
		answer.on('data', (text: string) => {
			if (pending || !/event: (estate|jobs)/.test(text)) return;
			pending = true;
			setTimeout(() => {
				pending = false;
				if (performance.now() < end) void timed(page, cookie);
			}, 2000);
		});
	});
	stream.on('error', () => {});
	await wait((i / OPERATORS) * EVERY);
	for (let n = 0; performance.now() < end; n++) {
		page = PAGES[(i + n) % PAGES.length]!;
		await timed(page, cookie);
		await wait(EVERY);
	}
	stream.destroy();
}

const wait = (ms: number) => new Promise<void>((done) => setTimeout(done, ms));

/** Memory that a process holds, MB. */
const memoryOf = (pid: number): number =>
	Math.round(Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) / 1024);
