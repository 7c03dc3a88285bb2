import { AREAS } from '../areas';
import { type Endpoint } from '../calls/endpoint';
import { mayAsk } from '../calls/need';
import type { Rights } from '$lib/core/access/rights';
import { labEndpoints } from './lab-endpoints';
import { listEndpoints } from './list-endpoints';
import { workEndpoints } from './work-endpoints';

/** Everything that the API answers; of two for the same address, the last. */
export const ENDPOINTS: readonly Endpoint[] = [
	...new Map(
		[...listEndpoints, ...AREAS.flatMap((a) => a.endpoints ?? []), ...labEndpoints, ...workEndpoints].map((e) => [
			`${e.method} ${e.path}`,
			e
		])
	).values()
];

interface Known {
	endpoint: Endpoint;
	parts: string[];
	rest: boolean;
}

/** By the first part of their address, those with more fixed parts first. */
const BY_FIRST = new Map<string, Known[]>();
for (const endpoint of ENDPOINTS) {
	const parts = endpoint.path.slice(1).split('/');
	const known = BY_FIRST.get(parts[0]!);
	const entry = { endpoint, parts, rest: endpoint.rest ?? false };
	if (known) known.push(entry);
	else BY_FIRST.set(parts[0]!, [entry]);
}
const isParam = (part: string) => part.startsWith('{');
const fixed = (k: Known) => k.parts.filter((p) => !isParam(p)).length - (k.rest ? 0.5 : 0);
for (const list of BY_FIRST.values()) list.sort((a, b) => fixed(b) - fixed(a));

/** What is at an address of the API: its endpoints by method, each with the parameters that the address gives. */
export interface Found {
	endpoint: Endpoint;
	params: Record<string, string>;
}

const PREFIX = '/api/v1/';

/** Endpoints at a path such as `/api/v1/machines/desk-001`, by method; empty where there is none. */
export function endpointsAt(pathname: string): Map<string, Found> {
	const found = new Map<string, Found>();
	if (!pathname.startsWith(PREFIX)) return found;
	const parts = partsOf(pathname.slice(PREFIX.length));
	for (const known of (parts && BY_FIRST.get(parts[0]!)) ?? []) {
		const params = paramsIn(known, parts!);
		if (params && !found.has(known.endpoint.method))
			found.set(known.endpoint.method, { endpoint: known.endpoint, params });
	}
	return found;
}

/** The parts of an address, decoded; null where they cannot be. */
function partsOf(path: string): string[] | null {
	try {
		return path.split('/').map(decodeURIComponent);
	} catch {
		return null;
	}
}

function paramsIn({ parts, rest }: Known, given: readonly string[]): Record<string, string> | null {
	if (rest ? given.length < parts.length : given.length !== parts.length) return null;
	const params: Record<string, string> = {};
	for (const [i, part] of parts.entries()) {
		if (!isParam(part)) {
			if (part !== given[i]) return null;
			continue;
		}
		const value = rest && i === parts.length - 1 ? given.slice(i).join('/') : given[i]!;
		if (value === '') return null;
		params[part.slice(1, -1)] = value;
	}
	return params;
}

/** The endpoint that a request is for; HEAD is answered as GET is. Undefined where there is none. */
export const endpointFor = (method: string, pathname: string): Found | undefined =>
	endpointsAt(pathname).get(method === 'HEAD' ? 'GET' : method);

/** Whether these rights let one make this request of the API: 'no' too where nothing is at the address. */
export function mayAskFor(method: string, pathname: string, rights: Rights | null): 'yes' | 'sign in' | 'no' {
	const found = endpointFor(method, pathname);
	return found ? mayAsk(found.endpoint.need, rights) : 'no';
}
