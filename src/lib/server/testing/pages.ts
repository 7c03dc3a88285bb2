import { EventEmitter } from 'node:events';
import { isHttpError, isRedirect } from '@sveltejs/kit';
import * as v from 'valibot';
import { answerApi } from '../api/request';
import { isSchema } from '../calls/endpoint';
import { endpointFor } from '../house/endpoints';
import type { Context } from '../context';
import type { Caller } from '../identity/caller';
import { setRuntime } from '../process';
import { OWNER, type Harness } from './harness';

/** The pages and the API of the product, asked without a server: for tests that go through all of them. */

type Event = Record<string, unknown>;
type Handler = (event: Event) => unknown;

const PAGES = import.meta.glob<{ load?: Handler; actions?: Record<string, Handler> }>(
	'/src/routes/**/+{page,layout}.server.ts'
);

/** The routes that have data, as SvelteKit names them: `/(console)/watch`. */
const named = (files: Record<string, unknown>) =>
	Object.keys(files).map((file) => ({
		file,
		id: file.replace('/src/routes', '').replace(/\/\+(page|layout)?\.?server\.ts$/, '') || '/'
	}));
export const PAGE_ROUTES = named(PAGES);

/** What SvelteKit makes of what a handler throws: a status, or null for what nobody foresaw. */
export interface Asked {
	status: number | null;
	error?: unknown;
	body?: unknown;
}

/** Makes a harness the runtime that the routes see. */
export function serveFrom(h: Harness): void {
	setRuntime({
		...h.ctx,
		dataDir: h.dataDir,
		bench: null,
		events: new EventEmitter(),
		health: { full: false },
		wake: () => h.runner.tick(),
		demo: false
	});
}

function eventOf(url: string, params: Record<string, string>, caller: Caller | null, more: Event = {}): Event {
	return {
		url: new URL(url, 'http://localhost'),
		params,
		locals: { caller, theme: 'day', language: 'en' },
		depends: () => {},
		setHeaders: () => {},
		parent: async () => ({}),
		cookies: { get: () => undefined, set: () => {}, delete: () => {} },
		getClientAddress: () => '127.0.0.1',
		request: new Request(new URL(url, 'http://localhost')),
		...more
	};
}

async function settle(work: () => unknown): Promise<Asked> {
	try {
		const body = await work();
		if (body instanceof Response) return { status: body.status, body: await body.text() };
		// What a page is given has to fit through the wire, as it does in the product.
		return { status: 200, body };
	} catch (e) {
		if (isHttpError(e)) return { status: e.status, error: e };
		if (isRedirect(e)) return { status: e.status };
		return { status: null, error: e };
	}
}

/** The data of a page; null status where its code threw. */
export async function askPage(
	file: string,
	url: string,
	params: Record<string, string> = {},
	caller: Caller | null = OWNER
): Promise<Asked> {
	const { load } = await PAGES[file]!();
	return settle(() => load?.(eventOf(url, params, caller)));
}

/** Posts a form to a page's action. */
export async function act(
	file: string,
	action: string,
	form: Record<string, string>,
	params: Record<string, string> = {},
	caller: Caller | null = OWNER
): Promise<Asked> {
	const { actions } = await PAGES[file]!();
	const body = new URLSearchParams(form);
	const request = new Request('http://localhost/', { method: 'POST', body });
	return settle(() => actions![action]!(eventOf('/', params, caller, { request })));
}
export async function actionsOf(file: string): Promise<string[]> {
	return Object.keys((await PAGES[file]!()).actions ?? {});
}

/** Asks the API, as `answerApi` does once it is known who asks; an answer that is not as described counts as one that nobody foresaw. */
export async function askApi(
	h: Harness,
	method: string,
	url: string,
	body?: string | Uint8Array,
	caller: Caller | null = OWNER,
	/** The whole estate, where the harness shows a part of it. */
	whole: Context = h.ctx
): Promise<Asked> {
	const request = new Request(new URL(url, 'http://localhost'), {
		method,
		...(body === undefined ? {} : { body: body as never, headers: { 'content-type': 'application/json' } })
	});
	const ctx = { ...h.ctx, dataDir: h.dataDir, wake: () => h.runner.tick() };
	const asked = await settle(() =>
		answerApi({ url: new URL(request.url), request, caller, ctx, whole: { ...ctx, ...whole } })
	);
	const endpoint = endpointFor(method, new URL(request.url).pathname)?.endpoint;
	if (endpoint?.status === asked.status && isSchema(endpoint.answer) && String(asked.body).startsWith('{')) {
		const issues = v.safeParse(endpoint.answer, JSON.parse(String(asked.body))).issues ?? [];
		// It is not what the API's description says: nobody foresaw that.
		if (issues.length)
			return {
				status: null,
				error: issues.map((i) => `${v.getDotPath(i)}: ${i.message}`).join('; '),
				body: asked.body
			};
	}
	return asked;
}
