import type { MessagePort } from 'node:worker_threads';
import { failureOf, problemCodeOf } from './failures';
import type { Providers } from './index';

/** A call across threads: `area.method(...args)`. */
interface Call {
	id: number;
	area: string;
	method: string;
	args: unknown[];
}
type Answer =
	| { id: number; ok: true; value: unknown }
	| { id: number; ok: false; message: string; problem: string | null; code?: string };

type Callable = Record<string, Record<string, (...args: never[]) => Promise<unknown>>>;

function methodOf(target: Callable, { area, method }: Call): (...args: unknown[]) => Promise<unknown> {
	const of = Object.hasOwn(target, area) ? target[area]! : {};
	if (!Object.hasOwn(of, method)) throw new Error(`no such call: ${area}.${method}`);
	return of[method] as (...args: unknown[]) => Promise<unknown>;
}

/** Answers calls that come in on a port by calling `target[area][method]`. Where `target` is a function, it gives what is called. */
export function answerCalls(port: MessagePort, target: Callable | (() => Promise<Callable>)): void {
	port.on('message', (call: Call) => {
		const answer = (a: Answer) => port.postMessage(a);
		const refuse = (e: unknown) =>
			answer({
				id: call.id,
				ok: false,
				message: e instanceof Error ? e.message : String(e),
				problem: problemCodeOf(e),
				...(typeof (e as { code?: unknown } | null)?.code === 'string' ? { code: (e as { code: string }).code } : {})
			});
		Promise.resolve(typeof target === 'function' ? target() : target)
			.then((called) => methodOf(called, call)(...call.args))
			.then((value) => answer({ id: call.id, ok: true, value }))
			// What cannot be sent over is an answer as well: nobody is left waiting.
			.catch(refuse);
	});
}

/**
 * The thread that was to answer has ended, or is not there. `during`: it ended while this call was open, so that the call may have been
 * what ended it.
 */
export class ThreadLost extends Error {
	readonly problem = 'away';
	constructor(
		readonly thread: string,
		readonly during: boolean
	) {
		super(
			during
				? `the ${thread} thread ended while it worked on this; it is started anew`
				: `the ${thread} thread is being started anew`
		);
		this.name = 'ThreadLost';
	}

	/** By name: the routes are bundled apart from what makes it. */
	static override [Symbol.hasInstance](e: unknown): boolean {
		return e instanceof Error && e.name === 'ThreadLost';
	}
}

/** A call that finds nobody waits this long, ms of the wall, for somebody to come back. */
const PATIENCE = 15_000;

/**
 * A line to another thread, which may end and be started anew: calls through `api` look like the interface on the other side, and are
 * answered by whoever is connected when they are made.
 */
export class Line<T extends object> {
	readonly api: T;
	private port: MessagePort | null = null;
	private next = 1;
	private readonly open = new Map<number, { resolve: (v: unknown) => void; reject: (e: Error) => void }>();
	private readonly waiting = new Set<{ go: () => void; timer: NodeJS.Timeout }>();

	constructor(
		private readonly thread: string,
		private readonly patience = PATIENCE
	) {
		const areas = new Map<string, object>();
		const area = (name: string) =>
			new Proxy(
				{},
				{
					get: (_t, method: string) =>
						method === 'then' ? undefined : (...args: unknown[]) => this.call(name, method, args)
				}
			);
		this.api = new Proxy({} as T, {
			get: (_t, name: string) => {
				if (name === 'then') return undefined;
				if (!areas.has(name)) areas.set(name, area(name));
				return areas.get(name);
			}
		});
	}

	/** Takes the port on which somebody answers from now on. */
	connect(port: MessagePort): void {
		this.cut();
		this.port = port;
		port.on('message', (a: Answer) => {
			const caller = this.open.get(a.id);
			this.open.delete(a.id);
			if (a.ok) caller?.resolve(a.value);
			else
				caller?.reject(
					failureOf(a.problem, a.message) ?? Object.assign(new Error(a.message), a.code ? { code: a.code } : {})
				);
		});
		for (const w of this.waiting) {
			clearTimeout(w.timer);
			w.go();
		}
		this.waiting.clear();
	}

	/** Says that whoever answered has ended: what was asked and not answered is lost. */
	cut(): void {
		this.port?.close();
		this.port = null;
		const lost = [...this.open.values()];
		this.open.clear();
		for (const caller of lost) caller.reject(new ThreadLost(this.thread, true));
	}

	private async call(area: string, method: string, args: unknown[]): Promise<unknown> {
		if (!this.port) await this.someone();
		return new Promise((resolve, reject) => {
			const id = this.next++;
			this.open.set(id, { resolve, reject });
			try {
				this.port!.postMessage({ id, area, method, args } satisfies Call);
			} catch (e) {
				this.open.delete(id);
				reject(e as Error);
			}
		});
	}

	private someone(): Promise<void> {
		return new Promise((resolve, reject) => {
			const entry = {
				go: resolve,
				timer: setTimeout(() => {
					this.waiting.delete(entry);
					reject(new ThreadLost(this.thread, false));
				}, this.patience)
			};
			this.waiting.add(entry);
		});
	}
}

/** Calls through a port that stays. */
export function callThrough<T extends object>(port: MessagePort): T {
	const line = new Line<T>('other');
	line.connect(port);
	return line.api;
}

export type { Providers };
