import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeAll, beforeEach, describe, expect, test, vi } from 'vitest';
import { endpointFor } from '$lib/server/house/endpoints';
import { sayWork } from '$lib/server/process';
import { mayTakeLong, Readers, type ReadersOptions } from './readers';
import type { Ended } from './threads';

/** A reader that tells what it begins and ends, says what it was asked, keeps /held until it is let go, and never comes back from /hang. */
const READER = `
import { createServer } from 'node:http';
import { parentPort, workerData } from 'node:worker_threads';
let go;
const letGo = new Promise((done) => (go = done));
const server = createServer({ maxHeaderSize: 1 << 18 }, async (request, response) => {
	if (request.headers['x-reader-key'] !== workerData.key) return response.writeHead(403).end();
	let body = '';
	for await (const part of request) body += part;
	const url = new URL(request.url, 'http://x');
	parentPort.postMessage({ live: 'begins ' + url.pathname });
	if (url.pathname.includes('hang')) for (;;);
	if (url.pathname.includes('die') && (workerData.tag === 0 || !url.pathname.includes('once'))) process.exit(1);
	if (url.pathname.includes('held')) await letGo;
	parentPort.postMessage({ live: 'ends ' + url.pathname });
	if (url.pathname === '/big') return response.writeHead(200).end(Buffer.alloc(9e6));
	response.writeHead(201, { 'set-cookie': ['a=1', 'b=2'], 'content-type': 'application/json' });
	response.end(JSON.stringify({ method: request.method, url: request.url, body, host: request.headers.host, address: request.headers['x-reader-address'], tag: workerData.tag }));
});
server.keepAliveTimeout = 0;
server.listen(0, '127.0.0.1', () => { parentPort.postMessage({ listening: server.address().port }); parentPort.postMessage({ ready: true }); });
parentPort.on('message', (m) => { if (m.go) go(); if (m.stop) parentPort.postMessage({ stopped: true }); });
`;

/** What ends what a test has begun. */
const open: (() => Promise<unknown>)[] = [];
let dir: string;
let front: Server;
let base: string;
let readers: Readers;
let ends: Ended[];
/** What readers have begun and ended, in turn; and what has reached the server in front of them. */
let told: string[];
let arrived: string[];

async function begin(more: Partial<ReadersOptions> = {}) {
	writeFileSync(join(dir, 'reader.mjs'), READER);
	ends = [];
	told = [];
	arrived = [];
	let tag = 0;
	readers = new Readers({
		script: join(dir, 'reader.mjs'),
		data: () => ({ tag: tag++ }),
		up: () => {},
		callerOf: ({ headers }) => /sextant=(\w+)/.exec(headers.cookie ?? '')?.[1] ?? null,
		ended: (how) => ends.push(how),
		told: (m) => void told.push(m.live!),
		waits: [10],
		...more
	});
	front = createServer((request, response) => {
		arrived.push(request.url!);
		response.on('close', () => response.writableFinished || front.emit('hung up'));
		if (!readers.pass(request, response)) response.end('here');
	});
	open.push(async () => {
		front.close();
		front.closeAllConnections();
		const threads = readers.running;
		await readers.stop(0);
		await Promise.all(threads.map((thread) => thread.terminate()));
	});
	await new Promise<void>((done) => front.listen(0, '127.0.0.1', done));
	base = `http://127.0.0.1:${(front.address() as AddressInfo).port}`;
}
const ask = (path: string, who: string, more: RequestInit = {}) =>
	fetch(base + path, { ...more, headers: { cookie: `sextant=${who}`, ...more.headers } });
/** Asks, and goes on when a reader has begun with it. */
async function askUntilBegun(path: string, who: string, more?: RequestInit) {
	const answer = ask(path, who, more);
	answer.catch(() => {});
	await vi.waitUntil(() => told.includes(`begins ${path}`), PATIENCE);
	return { answer };
}
/** Asks, and goes on when it has arrived. */
async function askUntilThere(path: string, who: string, more?: RequestInit) {
	const answer = ask(path, who, more);
	answer.catch(() => {});
	await vi.waitUntil(() => arrived.includes(path), PATIENCE);
	return { answer };
}
/** Lets readers answer what they have held. */
const letGo = () => {
	for (const worker of readers.running) worker.postMessage({ go: true });
};
const PATIENCE = { timeout: 60_000, interval: 5 };

beforeAll(() => sayWork((method, path) => endpointFor(method, path)?.endpoint.work));
beforeEach(() => {
	dir = mkdtempSync(join(tmpdir(), 'sextant-readers-'));
});
afterEach(async () => {
	for (const end of open.splice(0)) await end();
	rmSync(dir, { recursive: true, force: true });
});

describe('requests that may take long', () => {
	test('are answered here until a reader is there, and then by it, as they were asked', async () => {
		await begin();
		expect(await (await ask('/x', 'ann')).text()).toBe('here');
		await readers.start();
		const answer = await ask('/api/x?y=1', 'ann', { method: 'POST', body: 'text' });
		expect(answer.status).toBe(201);
		expect(answer.headers.getSetCookie()).toEqual(['a=1', 'b=2']);
		expect(await answer.json()).toMatchObject({
			method: 'POST',
			url: '/api/x?y=1',
			body: 'text',
			host: base.slice(7),
			address: '127.0.0.1'
		});
	});

	test.each([
		['/api/hang', 'application/problem+json', { type: '/api/v1/problems/too-long', status: 503 }],
		[
			'/hang/__data.json',
			'application/json',
			{ message: 'This takes too long to work out', safe: 'Nothing was changed.' }
		],
		['/hang', 'text/plain; charset=utf-8', /^This takes too long to work out\. It was ended after 1 s, and nothing/]
	])('and do are refused: %s; the reader is started anew, and what waited is answered', async (path, type, says) => {
		await begin({ longest: 700, count: 1 });
		await readers.start();
		const [hung, waits] = [ask(path, 'ann'), ask('/plain', 'bo')];
		const answer = await hung;
		expect([answer.status, answer.headers.get('content-type')]).toEqual([503, type]);
		const text = await answer.text();
		if (says instanceof RegExp) expect(text).toMatch(says);
		else expect(JSON.parse(text)).toMatchObject(says);
		expect((await waits).status).toBe(201);
		expect(ends.map((e) => e.why)).toEqual([`GET ${path} took more than 700 ms`]);
	});

	test('and do keep nobody else waiting, while there is another reader', async () => {
		await begin();
		await readers.start();
		expect(readers.free).toBe(true);
		await askUntilBegun('/hang', 'ann');
		const { answer } = await askUntilBegun('/held', 'bo');
		expect(readers.free).toBe(false);
		letGo();
		expect((await answer).status).toBe(201);
		for (let i = 0; i < 20; i++) expect((await ask(`/n${i}`, 'bo')).status).toBe(201);
		expect(ends).toEqual([]);
	});

	test('and were answered while the thread in front could not go on, are not refused', async () => {
		await begin({ longest: 400, count: 1 });
		await readers.start();
		const { answer } = await askUntilBegun('/held', 'ann');
		letGo();
		// A machine that is halted, before timers are looked at: nobody here hears of what has come.
		await new Promise((done) => setImmediate(done));
		Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 1500);
		expect((await answer).status).toBe(201);
		expect(ends).toEqual([]);
	});

	test('whose reader dies are asked of the next one, but not where that might do something twice', async () => {
		await begin({ count: 1 });
		await readers.start();
		const page = await ask('/die-once', 'ann');
		expect([page.status, ((await page.json()) as { tag: number }).tag]).toEqual([201, 1]);
		const made = await ask('/api/die', 'bo', { method: 'POST', body: '1' });
		expect([made.status, await made.json()]).toMatchObject([
			503,
			{ type: '/api/v1/problems/away', detail: 'Nothing was changed. Try again in a moment.' }
		]);
		// Whatever ends each reader that it meets is not asked for ever.
		expect((await ask('/die', 'cy')).status).toBe(503);
		expect((await ask('/plain', 'cy')).status).toBe(201);
	});

	test('of one caller take turns, so that others need not wait; more than a few at once are refused', async () => {
		await begin({ most: 4 });
		await readers.start();
		const first = await askUntilBegun('/held', 'ann');
		const more = [];
		for (const n of [2, 3, 4]) more.push(await askUntilThere(`/ann${n}`, 'ann'));
		expect((await ask('/ann5', 'ann')).status).toBe(429);
		expect((await ask('/bo', 'bo')).status).toBe(201);
		letGo();
		for (const { answer } of [first, ...more]) expect((await answer).status).toBe(201);
		expect(told.filter((t) => t.startsWith('begins'))).toEqual(
			['/held', '/bo', '/ann2', '/ann3', '/ann4'].map((path) => `begins ${path}`)
		);
	});

	test('take no longer from a reader than it works: not while a body comes slowly, nor while an answer is read slowly', async () => {
		await begin({ longest: 400, count: 1 });
		await readers.start();
		const port = (front.address() as AddressInfo).port;
		const slow = connect(port, '127.0.0.1');
		slow.write('POST /api/slow HTTP/1.1\r\nHost: x\r\nCookie: sextant=ann\r\nContent-Length: 4\r\n\r\nab');
		const lazy = connect(port, '127.0.0.1');
		lazy.pause();
		lazy.write('GET /big HTTP/1.1\r\nHost: x\r\nCookie: sextant=cy\r\n\r\n');
		for (let i = 0; i < 8; i++) {
			expect((await ask('/n', 'bo')).status).toBe(201);
			await new Promise((done) => setTimeout(done, 100));
		}
		expect(ends).toEqual([]);
		slow.write('cd');
		expect(await new Promise<string>((done) => slow.once('data', (b) => done(String(b))))).toMatch(/201 Created/);
		let read = 0;
		lazy.on('data', (b) => (read += b.length));
		lazy.resume();
		await vi.waitUntil(() => read > 8e6, PATIENCE);
		slow.destroy();
		lazy.destroy();
	});

	test('of strangers are answered where everybody is', async () => {
		await begin();
		await readers.start();
		expect(await (await fetch(`${base}/x`)).text()).toBe('here');
	});

	test('with an address or headers that cannot be said on are refused, and keep no reader', async () => {
		await begin({ count: 1 });
		await readers.start();
		const port = (front.address() as AddressInfo).port;
		const raw = (line: string, headers = '') =>
			new Promise<string>((done) => {
				const socket = connect(port, '127.0.0.1');
				socket.once('data', (b) => {
					done(String(b).split('\r\n')[0]!);
					socket.destroy();
				});
				socket.write(Buffer.from(`${line} HTTP/1.1\r\nHost: x\r\nCookie: sextant=ann\r\n${headers}\r\n`, 'latin1'));
			});
		// Whatever the server in front takes: refused in words, or answered.
		for (const [line, headers] of [
			['GET /a', 'Trailer: x\r\n'],
			['GET /a', 'TE: trailers\r\nProxy-Connection: close\r\n'],
			['GET /a', 'Connection: Upgrade\r\nUpgrade: websocket\r\n'],
			['GET /a\xf1\xff?x="<>', 'X-Odd: \xf1\r\n'],
			['GET http://elsewhere/a', ''],
			['GET *', ''],
			['GET /a', `X-Long: ${'a'.repeat(16_000)}\r\n`],
			[`GET /a?${'"'.repeat(15_000)}`, '']
		] as const)
			expect(await raw(line, headers), line.slice(0, 30)).toMatch(/^HTTP\/1\.1 (201|400)/);
		expect((await ask('/plain', 'ann')).status).toBe(201);
		expect(ends).toEqual([]);
	});

	test('that cannot even be begun leave their reader free', async () => {
		await begin({ count: 1 });
		await readers.start();
		front.removeAllListeners('request');
		front.on('request', (request, response) => {
			if (request.url === '/odd') Object.defineProperty(request, 'url', { value: '/o\td d' });
			readers.pass(request, response);
		});
		const odd = await ask('/odd', 'ann');
		expect([odd.status, await odd.text()]).toEqual([400, expect.stringMatching(/^This cannot be asked/)]);
		expect((await ask('/plain', 'ann')).status).toBe(201);
		expect(ends).toEqual([]);
	});

	test('of somebody who has gone are worked out to their end; then it is the turn of their next', async () => {
		await begin();
		await readers.start();
		const gone = new AbortController();
		const left = await askUntilBegun('/held', 'ann', { signal: gone.signal });
		const next = await askUntilThere('/next', 'ann');
		const never = await askUntilThere('/never', 'ann', { signal: gone.signal });
		const closed = new Promise<void>((done) => front.once('hung up', done));
		gone.abort();
		await expect(left.answer).rejects.toThrow(/abort/);
		await expect(never.answer).rejects.toThrow(/abort/);
		await closed;
		// Time for what should not happen.
		await new Promise((done) => setTimeout(done, 100));
		letGo();
		expect((await next.answer).status).toBe(201);
		expect(told).toEqual(['begins /held', 'ends /held', 'begins /next', 'ends /next']);
		expect(ends).toEqual([]);
	});
});

describe('requests that are quick', () => {
	test('go to readers where their caller has many on their way: nobody else waits for all of them', async () => {
		await begin();
		await readers.start();
		front.removeAllListeners('request');
		const here: { url: string; end: () => void }[] = [];
		front.on('request', (request, response) => {
			if (readers.crowds(request, response)) return void readers.pass(request, response);
			here.push({ url: request.url!, end: () => response.writeHead(200).end() });
		});
		const inHand = (n: number) => vi.waitUntil(() => here.length === n, PATIENCE);
		const first = ask('/first', 'ann');
		await inHand(1);
		const others = Array.from({ length: 8 }, (_v, i) => ask(`/n${i}`, 'ann').then((a) => a.status));
		expect(await Promise.all(others)).toEqual(Array<number>(8).fill(201));
		const beside = [ask('/other', 'bo'), ask('/_app/x.js', 'ann')];
		await inHand(3);
		for (const { end } of here) end();
		for (const answer of [first, ...beside]) expect((await answer).status).toBe(200);
		// What has been answered counts no more: it is answered here again.
		const again = ask('/again', 'ann');
		await inHand(4);
		here[3]!.end();
		expect((await again).status).toBe(200);
	});
});

describe('which requests may take long', () => {
	const small = (method: string, url: string) => mayTakeLong(method, url, { 'content-length': '9' }, false);
	test.each([
		['GET', '/watch', 'no'],
		['GET', '/watch?scope=site:bergen', 'no'],
		['GET', '/watch?scope=a+b+c+d', 'long'],
		['HEAD', '/watch?scope=a+b+c+d', 'long'],
		['GET', `/api/v1/machines?scope=${'x'.repeat(80)}`, 'long'],
		['POST', '/api/v1/plans', 'long'],
		['POST', '/api/v1/plans/12/commit', 'long'],
		['POST', '/api/v1/sheets/desk/check', 'long'],
		['POST', '/api/v1/changes/3/undo', 'long'],
		['DELETE', '/api/v1/plans/12', 'no'],
		['POST', '/sign-in', 'no'],
		['GET', '/live?scope=a+b+c+d', 'no'],
		['GET', '/my?scope=a+b+c+d', 'no'],
		['GET', '/secure', 'no'],
		['GET', '/secure/rules', 'long'],
		['GET', '/secure/rules/__data.json?list=tests', 'long']
	])('%s %s: %s', (method, url, long) => {
		expect(small(method, url)).toBe(long);
	});
	test('on a large estate every page may somewhat; streams, sign-in, downloads and what is one’s own do not', () => {
		const large = (url: string) => mayTakeLong('GET', url, {}, true);
		for (const url of ['/', '/publish', '/__data.json', '/watch/__data.json?x=1', '/api/v1/machines'])
			expect(large(url)).toBe('somewhat');
		expect(large('/watch?scope=a+b+c+d')).toBe('long');
		for (const url of ['/live', '/sign-in', '/_app/x.js', '/my/desk/1', '/api/v1/packages/a/b', '/jobs/7/progress'])
			expect(large(url)).toBe('no');
	});
	test('a body of unknown length, or that is too long, is not handed on', () => {
		expect(mayTakeLong('POST', '/api/v1/plans', {}, false)).toBe('no');
		expect(mayTakeLong('POST', '/api/v1/plans', { 'content-length': '600000' }, false)).toBe('no');
	});
});
