import type { MessagePort } from 'node:worker_threads';
import { ProviderError, type Providers } from './index';

/** A call across threads: `area.method(...args)`. */
interface Call {
	id: number;
	area: string;
	method: string;
	args: unknown[];
}
type Answer =
	| { id: number; ok: true; value: unknown }
	| { id: number; ok: false; message: string; retry: boolean; provider: boolean };

type Callable = Record<string, Record<string, (...args: never[]) => Promise<unknown>>>;

/** Answers calls that come in on a port by calling `target[area][method]`. */
export function answerCalls(port: MessagePort, target: Callable): void {
	port.on('message', (call: Call) => {
		const method = target[call.area]?.[call.method] as ((...args: unknown[]) => Promise<unknown>) | undefined;
		const answer = (a: Answer) => port.postMessage(a);
		if (!method) {
			answer({
				id: call.id,
				ok: false,
				message: `no such call: ${call.area}.${call.method}`,
				retry: false,
				provider: false
			});
			return;
		}
		Promise.resolve()
			.then(() => method(...call.args))
			.then(
				(value) => answer({ id: call.id, ok: true, value }),
				(e: unknown) =>
					answer({
						id: call.id,
						ok: false,
						message: e instanceof Error ? e.message : String(e),
						retry: e instanceof ProviderError && e.retry,
						provider: e instanceof ProviderError
					})
			);
	});
}

/** Makes calls through a port look like the interface on its other side. */
export function callThrough<T extends object>(port: MessagePort): T {
	let next = 1;
	const open = new Map<number, { resolve: (v: unknown) => void; reject: (e: Error) => void }>();
	port.on('message', (a: Answer) => {
		const caller = open.get(a.id);
		open.delete(a.id);
		if (a.ok) caller?.resolve(a.value);
		else caller?.reject(a.provider ? new ProviderError(a.message, a.retry) : new Error(a.message));
	});
	const areas = new Map<string, object>();
	const area = (name: string) =>
		new Proxy(
			{},
			{
				get:
					(_t, method: string) =>
					(...args: unknown[]) =>
						new Promise((resolve, reject) => {
							const id = next++;
							open.set(id, { resolve, reject });
							port.postMessage({ id, area: name, method, args } satisfies Call);
						})
			}
		);
	return new Proxy({} as T, {
		get: (_t, name: string) => {
			if (name === 'then') return undefined;
			if (!areas.has(name)) areas.set(name, area(name));
			return areas.get(name);
		}
	});
}

export type { Providers };
