import type { Caller } from '../identity/caller';
import { askedOf, isSchema, isStream, readFields, type Ask, type Endpoint, type Serving } from '../calls/endpoint';
import { endpointsAt } from '../house/endpoints';
import { note } from '../record';
import { partName } from '../part';
import { NotAllowed, NotFound, parseInput } from '../plans';
import { bodyOf } from './body';
import { answer, problem, problemResponse } from './problems';

/** A request of the API, once it is known who asks. */
export interface ApiRequest {
	url: URL;
	request: Request;
	caller: Caller | null;
	/** As whoever asks may see it. */
	ctx: Serving;
	/** The whole of it: what changes something looks by itself whether it is theirs. */
	whole: Serving;
	/** The number that the request has in the log. */
	number?: string;
	/** Where it comes from. */
	address?: string;
}

/** Answers a request of the API by what is declared at its address; whatever goes wrong is answered with a problem document. */
export function answerApi({ url, request, caller, ctx, whole, number, address = '' }: ApiRequest): Promise<Response> {
	return answer(async () => {
		const there = endpointsAt(url.pathname);
		if (there.size === 0) throw new NotFound(`address ${url.pathname} of the API`);
		const found = there.get(request.method === 'HEAD' ? 'GET' : request.method);
		if (!found) return problemResponse(problem('method'), { allow: [...there.keys()].join(', ') });
		const { endpoint } = found;
		const reads = endpoint.method === 'GET';
		// Forgetting to say so shuts it.
		if (caller?.part && !reads && !endpoint.keepsWithin)
			throw new NotAllowed(`This is of the whole estate, and you are there ${partName(whole.db, caller.part)}.`);
		const ask = {
			ctx: reads && !endpoint.keepsWithin ? ctx : whole,
			request,
			caller,
			via: caller?.kind === 'token' ? 'api' : 'screen',
			params: readFields(endpoint.params ?? {}, (name) => found.params[name] ?? null),
			query: readFields(endpoint.query ?? {}, (name) => url.searchParams.get(name)),
			body: await readBody(endpoint, request),
			look: () => askedOf(url, ctx),
			noteLook: (words) => noteOf(whole, caller, 'looked', words, address)
		} as Ask<undefined, undefined, unknown>;
		try {
			return responseOf(endpoint, await endpoint.handle(ask));
		} catch (e) {
			if (e instanceof NotAllowed)
				noteOf(whole, caller, 'refused', `${request.method} ${url.pathname}: ${e.message}`, address);
			throw e;
		}
	}, number);
}

function noteOf(
	{ db, clock }: Serving,
	caller: Caller | null,
	kind: 'refused' | 'looked',
	words: string,
	address: string
): void {
	if (caller && caller.kind !== 'person')
		note(db, clock.now(), { kind, who: caller.name, role: caller.role, words, address, good: kind === 'looked' });
}

async function readBody({ body, instead }: Endpoint, request: Request): Promise<unknown> {
	if (body === undefined) return undefined;
	if (isStream(body)) return request.body;
	return parseInput(body, await bodyOf(request, instead));
}

function responseOf(endpoint: Endpoint, value: unknown): Response {
	if (value instanceof Response) return value;
	if (!isSchema(endpoint.answer)) return new Response(null, { status: endpoint.status });
	const location = endpoint.location?.(value as never);
	return Response.json(value, {
		status: endpoint.status,
		...(location === undefined ? {} : { headers: { location: `/api/v1${location}` } })
	});
}
