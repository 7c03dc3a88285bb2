import { randomBytes } from 'node:crypto';
import { Agent, request, type ClientRequest, type IncomingMessage, type ServerResponse } from 'node:http';
import type { Worker } from 'node:worker_threads';
import { problem, problemLong, type Problem } from '$lib/server/api/problems';
import { workAt } from '$lib/server/process';
import { Keeper, type Ended } from './threads';

/**
 * Requests that may take long to answer: the thread that talks to everybody hands them to threads of their own, each of which serves the
 * whole of Sextant on a port that only this process knows. One that takes longer than the limit is refused, and its thread ended and started
 * anew; whatever else was on its way there is handed to another one.
 */

export interface ReadersOptions {
	script: string;
	/** What a reader is given beside its key. */
	data(): Record<string, unknown>;
	/** Who asks, signed in or by a token: whose turn it is goes by it. Null for strangers, who are answered where everybody is. */
	callerOf(request: IncomingMessage): string | null;
	count?: number;
	/** Ms that one answer may take. */
	longest?: number;
	/** Requests of one caller that may wait for their turn. */
	most?: number;
	memory?: number;
	waits?: readonly number[];
	up(worker: Worker): void;
	ended(how: Ended): void;
	/** What a reader has to tell. */
	told(message: { live?: string; wake?: true }): void;
}

interface Passed {
	request: IncomingMessage;
	response: ServerResponse;
	caller: string;
	/** Read whole before a reader is asked: nobody who sends slowly keeps one. */
	body: Buffer[];
	tries: number;
	upstream: ClientRequest | null;
	/** It has been refused, or whoever asked has gone: nothing more is to be said. */
	done: boolean;
	/** Its answer has been taken, or nobody is there to take it. */
	closed: boolean;
}

interface Reader {
	keeper: Keeper;
	port: number | null;
	/** What it is at: one thing at a time, so that it is known what takes long. */
	at: { passed: Passed; ms: number } | null;
}

/** The headers by which a reader knows its own process, and learns who asks. */
export const READER_KEY = 'x-reader-key';
export const READER_ADDRESS = 'x-reader-address';
/** What a reader takes of a request line and headers, and what is taken of its answer's: more than anybody else can send or be sent. */
export const READER_HEADERS = 1 << 18;
/** Headers of one connection, not of what is said on it (RFC 9110, §7.6.1), and those that go with them. */
const OF_THE_CONNECTION = new Set([
	'connection',
	'expect',
	'keep-alive',
	'proxy-authorization',
	'proxy-connection',
	'te',
	'trailer',
	'transfer-encoding',
	'upgrade'
]);
const LONGEST = 30_000;
/** Ms before one that has ended is started anew: others wait for it. */
const WAITS = [100, 500, 1000, 3000];
const LOOK = 250;
/** Bytes of a body: more than this is refused where everybody is. */
export const BODY = 1 << 19;
/** Requests of one caller that are answered at the same time where everybody is: others wait for no more than this. */
const AT_ONCE = 1;

export class Readers {
	private readonly key = randomBytes(24).toString('base64url');
	private readonly readers: Reader[];
	private readonly agent = new Agent({ keepAlive: true, maxSockets: 64 });
	private readonly longest: number;
	private readonly most: number;
	private readonly timer: NodeJS.Timeout;
	/** Ms from one look at what readers are at to the next, and when the last one was. */
	private readonly interval: number;
	private looked = performance.now();
	/** What each caller has asked for, the first of it on its way: nobody has more than one reader at once. */
	private readonly lines = new Map<string, Passed[]>();
	/** How much of each caller is on its way where everybody is. */
	private readonly here = new Map<string, number>();
	/** The first of each caller that no reader has been free for. */
	private readonly queue = new Set<Passed>();
	private started = false;

	constructor(private readonly options: ReadersOptions) {
		this.longest = options.longest ?? LONGEST;
		this.most = options.most ?? 60;
		this.readers = Array.from({ length: options.count ?? 2 }, (_v, n): Reader => {
			const reader: Reader = {
				port: null,
				at: null,
				keeper: new Keeper({
					name: `reader ${n + 1}`,
					script: options.script,
					waits: options.waits ?? WAITS,
					data: () => ({ ...options.data(), key: this.key }),
					...(options.memory ? { memory: options.memory } : {}),
					up: (worker) => options.up(worker),
					ended: (how) => {
						this.passOn(reader);
						options.ended(how);
					},
					message: ((m: { listening?: number; live?: string; wake?: true }) => {
						if (m.listening === undefined) return options.told(m);
						reader.port = m.listening;
						this.started = true;
						this.goOn();
					}) as never
				})
			};
			return reader;
		});
		this.interval = Math.min(LOOK, this.longest / 4);
		this.timer = setInterval(() => this.look(), this.interval);
		this.timer.unref();
	}

	/** Whether one has nothing to do. */
	get free(): boolean {
		return this.readers.some((r) => r.port !== null && r.at === null) && this.queue.size === 0;
	}

	/** The threads that run. */
	get running(): Worker[] {
		return this.readers.flatMap((r) => r.keeper.running ?? []);
	}

	/** Those that have said that they are ready. */
	get up(): Worker[] {
		return this.readers.flatMap((r) => r.keeper.up ?? []);
	}

	async start(): Promise<void> {
		await Promise.all(this.readers.map((r) => r.keeper.start()));
	}

	async stop(most: number): Promise<void> {
		clearInterval(this.timer);
		await Promise.all(this.readers.map((r) => r.keeper.stop(most)));
		this.agent.destroy();
	}

	/**
	 * Whether a caller has so much on its way where everybody is that what they ask now goes to readers, one after the other; else it is
	 * counted until it has been answered.
	 */
	crowds(request: IncomingMessage, response: ServerResponse): boolean {
		const { method, url = '' } = request;
		if (!this.started || (method !== 'GET' && method !== 'HEAD') || workOf(method, url) === 'here' || NEVER.test(url))
			return false;
		const caller = this.options.callerOf(request);
		if (caller === null) return false;
		const n = this.here.get(caller) ?? 0;
		if (n >= AT_ONCE) return true;
		this.here.set(caller, n + 1);
		response.on('close', () => {
			const left = this.here.get(caller)! - 1;
			if (left > 0) this.here.set(caller, left);
			else this.here.delete(caller);
		});
		return false;
	}

	/** Hands a request to a reader. False for strangers, and where no reader has ever been there: it is answered here then. */
	pass(request: IncomingMessage, response: ServerResponse): boolean {
		const caller = this.started ? this.options.callerOf(request) : null;
		if (caller === null) return false;
		const passed: Passed = {
			request,
			response,
			caller,
			body: [],
			tries: 0,
			upstream: null,
			done: false,
			closed: false
		};
		// Whoever has gone meanwhile is written to no more; that is no error of anybody's.
		response.on('error', () => {});
		const line = this.lines.get(caller) ?? [];
		if (line.length >= this.most) {
			this.refuse(passed, problem('many'));
			return true;
		}
		this.lines.set(caller, line);
		line.push(passed);
		response.on('close', () => {
			passed.done = passed.closed = true;
			// What a reader is at goes on to its end: until then its caller has had their turn.
			if (!passed.upstream) this.over(passed);
		});
		let size = 0;
		request.on('data', (part: Buffer) => {
			passed.body.push(part);
			size += part.length;
			if (size > BODY) request.destroy();
		});
		request.on('end', () => {
			if (passed.closed || line[0] !== passed) return;
			this.queue.add(passed);
			this.goOn();
		});
		return true;
	}

	/** Nothing more is done for a request: its caller's next has its turn. */
	private over(passed: Passed): void {
		this.queue.delete(passed);
		const { caller } = passed;
		const line = this.lines.get(caller);
		const n = line?.indexOf(passed) ?? -1;
		if (!line || n < 0) return;
		line.splice(n, 1);
		if (line.length === 0) this.lines.delete(caller);
		else if (n === 0 && line[0]!.request.readableEnded) this.queue.add(line[0]!);
		this.goOn();
	}

	/** Gives readers that are free what waits. */
	private goOn(): void {
		for (const passed of this.queue) {
			const reader = this.readerFor(passed.request.url ?? '/');
			if (!reader) return;
			this.queue.delete(passed);
			this.send(passed, reader);
		}
	}

	/** The reader that answers for an address, so that what it has worked out is at hand; another one while that is busy. */
	private readerFor(url: string): Reader | null {
		const free = this.readers.filter((r) => r.port !== null && r.at === null);
		let sum = 0;
		for (let i = 0; i < url.length; i++) sum = (sum * 31 + url.charCodeAt(i)) >>> 0;
		const usual = this.readers[sum % this.readers.length]!;
		return free.includes(usual) ? usual : (free[0] ?? null);
	}

	private send(passed: Passed, reader: Reader): void {
		const { request: from, response } = passed;
		passed.tries++;
		const at = (reader.at = { passed, ms: 0 });
		const changes = from.method !== 'GET' && from.method !== 'HEAD';
		const headers = Object.fromEntries(Object.entries(from.headers).filter(([name]) => !OF_THE_CONNECTION.has(name)));
		let upstream: ClientRequest;
		try {
			upstream = request({
				host: '127.0.0.1',
				port: reader.port!,
				agent: this.agent,
				method: from.method,
				path: from.url,
				headers: { ...headers, [READER_KEY]: this.key, [READER_ADDRESS]: from.socket.remoteAddress ?? '' },
				maxHeaderSize: READER_HEADERS
			});
		} catch {
			// Something in it cannot be said on: the reader has heard nothing of it.
			reader.at = null;
			return this.refuse(passed, problem('odd'));
		}
		passed.upstream = upstream;
		upstream.on('response', (answer) => {
			if (passed.done) return void answer.resume();
			const kept = Object.entries(answer.headers).filter(([name]) => !OF_THE_CONNECTION.has(name));
			response.writeHead(answer.statusCode ?? 502, Object.fromEntries(kept));
			// Taken as it comes: nobody who reads slowly keeps a reader, and a caller has one answer waiting at most.
			answer.on('data', (part: Buffer) => response.destroyed || response.write(part));
			answer.on('end', () => response.destroyed || response.end());
			answer.on('error', () => response.destroy());
		});
		let again = false;
		upstream.on('error', (e) => {
			// A reader keeps its connections: one that breaks has ended, or is about to.
			reader.port = null;
			reader.keeper.end(`its connection broke: ${e.message}`);
			if (passed.done) return;
			again = passed.tries < 3 && !changes && !response.headersSent;
			if (response.headersSent) response.destroy();
			else if (!again) this.refuse(passed, problem('away'));
		});
		upstream.on('close', () => {
			if (reader.at === at) reader.at = null;
			passed.upstream = null;
			if (again && !passed.done) this.queue.add(passed);
			else if (passed.closed) this.over(passed);
			this.goOn();
		});
		try {
			upstream.end(Buffer.concat(passed.body));
		} catch {
			this.refuse(passed, problem('odd'));
			upstream.removeAllListeners('error').on('error', () => {});
			upstream.destroy();
		}
	}

	/**
	 * Ends readers that have been at one answer for too long. While this thread itself could not go on, as on a machine that was halted, their
	 * answers may have come without having been heard: no more is counted of such a time than between two looks.
	 */
	private look(): void {
		const now = performance.now();
		const passed = Math.min(now - this.looked, 2 * this.interval);
		this.looked = now;
		for (const { at, keeper } of this.readers) {
			if (!at || (at.ms += passed) <= this.longest) continue;
			const { method, url } = at.passed.request;
			this.refuse(at.passed, problemLong(this.longest));
			keeper.end(`${method} ${url?.slice(0, 200)} took more than ${this.longest} ms`);
		}
	}

	/** A reader has ended: what it was at fails, and is asked of another one where that can be. */
	private passOn(reader: Reader): void {
		reader.port = null;
		reader.at?.passed.upstream?.destroy(new Error('its reader has ended'));
	}

	private refuse(passed: Passed, problem: Problem): void {
		const { request: from, response } = passed;
		passed.done = true;
		if (response.headersSent) return void response.destroy();
		const path = (from.url ?? '/').split('?')[0]!;
		const [type, body] = path.startsWith('/api/')
			? ['application/problem+json', JSON.stringify(problem)]
			: path.endsWith('/__data.json')
				? [
						'application/json',
						JSON.stringify({ message: problem.title, safe: 'Nothing was changed.', advice: problem.detail })
					]
				: ['text/plain; charset=utf-8', `${problem.title}. ${problem.detail}\n`];
		response.writeHead(problem.status, {
			'content-type': type,
			'cache-control': 'no-store',
			'x-content-type-options': 'nosniff',
			'retry-after': '5'
		});
		response.end(body);
	}
}

/** Addresses that are answered where everybody is, whoever asks: streams, uploads and downloads, sign-in, and what is next to nothing. */
const NEVER =
	/^\/(?:_app|live|here|(?:my\/)?sign-(?:in|out)|welcome|favicon|robots|api\/v1\/openapi\.json)(?:[/.?]|$)|\/progress(?:\?|$)/;
/** What people see of their own is quick, however large the estate. */
const OWN = /^\/my(?:[/.?]|$)/;
/** Pages on which what is worked out grows with what somebody has written, not with the estate. */
const LONG_PAGES = /^\/secure\/(?:rules|activity)(?:[/.?]|$)/;
/** A scope is a condition of every query: one of more than this is no longer cheap. */
const SCOPE = { characters: 60, parts: 3 };

/** Machines, with four people to each, beyond which every page may take long. */
export const LARGE = 3000;

/** What is declared of how an address of the API is worked out, whatever it asks for. */
const workOf = (method: string, url: string) => workAt(method, url.split('?')[0]!);

/**
 * Whether a request may take so long that others should not wait for it: as long as it likes; or somewhat long, where every page may
 * (`large`), so that it goes to a reader if one is free.
 */
export function mayTakeLong(
	method: string,
	url: string,
	headers: IncomingMessage['headers'],
	large: boolean
): 'long' | 'somewhat' | 'no' {
	const sent = Number(headers['content-length'] ?? ('transfer-encoding' in headers ? Infinity : 0));
	// What programs tell of people, and ask by filters of their own: as long as they like, beside everybody.
	if (url.startsWith('/scim/')) return sent <= BODY ? 'long' : 'no';
	const work = workOf(method, url);
	if (method === 'POST')
		return work === 'long' && Number(headers['content-length'] ?? Infinity) <= BODY ? 'long' : 'no';
	if ((method !== 'GET' && method !== 'HEAD') || work === 'here' || NEVER.test(url) || OWN.test(url)) return 'no';
	if (work === 'long' || LONG_PAGES.test(url)) return 'long';
	const query = url.indexOf('?');
	const scope = query < 0 ? '' : (new URLSearchParams(url.slice(query)).get('scope') ?? '');
	if (scope.length > SCOPE.characters || scope.split(' ').length > SCOPE.parts) return 'long';
	return large ? 'somewhat' : 'no';
}
