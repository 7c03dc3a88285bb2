import { createHash } from 'node:crypto';
import {
	ENTERPRISE,
	ERROR,
	GROUP,
	LIST,
	OWN,
	readFilter,
	returned,
	SCHEMAS,
	ScimProblem,
	sortKey,
	USER,
	type Resource
} from '$lib/core/people/scim';
import { may } from '$lib/core/access/rights';
import type { Caller } from '../identity/caller';
import { isStorage } from '../db/storage';
import type { Context } from '../context';
import { logOf } from '../log';
import { groups } from './groups';
import type { Resources } from './resources';
import { users } from './users';

/** What is served at an address. */
export interface ScimAsk {
	ctx: Context;
	url: URL;
	request: Request;
	caller: Caller | null;
	number?: string;
}

const TYPE = 'application/scim+json';
const MOST = 500;
const USUAL = 100;

const answer = (status: number, body: unknown, headers: Record<string, string> = {}): Response =>
	new Response(body === null ? null : JSON.stringify(body), {
		status,
		headers: { ...(body === null ? {} : { 'content-type': TYPE }), ...headers }
	});

/** A refusal as RFC 7644 3.12 has it. */
const refused = (
	status: number,
	detail: string,
	scimType: string | null = null,
	headers: Record<string, string> = {}
): Response =>
	answer(status, { schemas: [ERROR], ...(scimType ? { scimType } : {}), detail, status: String(status) }, headers);

const listOf = (resources: readonly unknown[], total = resources.length, from = 1): object => ({
	schemas: [LIST],
	totalResults: total,
	startIndex: from,
	itemsPerPage: resources.length,
	Resources: resources
});

/** A resource with the version that it has, by what it holds. */
function versioned(r: Resource): { tag: string; r: Resource } {
	const tag = `W/"${createHash('sha256').update(JSON.stringify(r)).digest('base64url').slice(0, 20)}"`;
	return { tag, r: { ...r, meta: { ...(r.meta as object), version: tag } } };
}

/** What the server can do (RFC 7643 5). */
const configOf = (at: string) => ({
	schemas: ['urn:ietf:params:scim:schemas:core:2.0:ServiceProviderConfig'],
	patch: { supported: true },
	bulk: { supported: false, maxOperations: 0, maxPayloadSize: 0 },
	filter: { supported: true, maxResults: MOST },
	changePassword: { supported: false },
	sort: { supported: true },
	etag: { supported: true },
	authenticationSchemes: [
		{
			type: 'oauthbearertoken',
			name: 'Bearer token',
			description: 'A token of the role directory, in the Authorization header (RFC 6750)',
			primary: true
		}
	],
	meta: { resourceType: 'ServiceProviderConfig', location: `${at}/ServiceProviderConfig` }
});

const typesOf = (at: string) =>
	[
		{
			id: 'User',
			name: 'User',
			endpoint: '/Users',
			schema: USER,
			schemaExtensions: [
				{ schema: ENTERPRISE, required: false },
				{ schema: OWN, required: false }
			]
		},
		{ id: 'Group', name: 'Group', endpoint: '/Groups', schema: GROUP, schemaExtensions: [] }
	].map((t) => ({
		schemas: ['urn:ietf:params:scim:schemas:core:2.0:ResourceType'],
		...t,
		meta: { resourceType: 'ResourceType', location: `${at}/ResourceTypes/${t.id}` }
	}));

const schemasOf = (at: string) =>
	SCHEMAS.map((s) => ({
		schemas: ['urn:ietf:params:scim:schemas:core:2.0:Schema'],
		...s,
		meta: { resourceType: 'Schema', location: `${at}/Schemas/${s.id}` }
	}));

const whole = (text: string | null, usual: number): number => {
	const n = text === null ? usual : Number(text);
	if (!Number.isInteger(n)) throw new ScimProblem(400, `“${text}” is no whole number.`, 'invalidValue');
	return n;
};

/** The questions of a list, from an address or from the body of a search. */
type Query = (name: string) => string | null;

function listing(kind: 'User' | 'Group', resources: Resources, query: Query): object {
	const from = Math.max(1, whole(query('startIndex'), 1));
	const count = Math.min(MOST, Math.max(0, whole(query('count'), USUAL)));
	const filter = query('filter');
	const sortBy = query('sortBy');
	const show = (r: Resource) => returned(kind, versioned(r).r, query('attributes'), query('excludedAttributes'));
	if (filter === null && sortBy === null) {
		const { total, found } = resources.page(from, count);
		return listOf(found.map(show), total, from);
	}
	const read = filter === null ? null : readFilter(kind, filter);
	const some = read?.only ? resources.only(read.only.path, read.only.value) : null;
	const found = some ?? resources.all().filter((r) => read === null || read.fits(r));
	if (sortBy !== null) {
		const key = sortKey(kind, sortBy);
		const down = query('sortOrder')?.toLowerCase() === 'descending' ? -1 : 1;
		found.sort((a, b) => (key(a) < key(b) ? -down : key(a) > key(b) ? down : 0));
	}
	return listOf(found.slice(from - 1, from - 1 + count).map(show), found.length, from);
}

async function bodyOf(request: Request): Promise<unknown> {
	try {
		return JSON.parse(await request.text());
	} catch {
		throw new ScimProblem(400, 'The body is no JSON.', 'invalidSyntax');
	}
}

/** Answers a request to the SCIM server. */
export async function answerScim(ask: ScimAsk): Promise<Response> {
	const { request, caller } = ask;
	if (caller === null)
		return refused(401, 'Send a token of the role directory as a bearer token.', null, {
			'www-authenticate': 'Bearer'
		});
	const reads = request.method === 'GET' || ask.url.pathname.endsWith('/.search');
	if (!may(caller.rights, 'directory', reads ? 'read' : 'commit'))
		return refused(403, `The role ${caller.role} does not reach that far.`);
	try {
		return await serve(ask);
	} catch (e) {
		if (e instanceof ScimProblem) return refused(e.status, e.detail, e.scimType);
		if (isStorage(e)) return refused(507, 'Nothing can be written: the disk of the data folder is full.');
		logOf('scim').error({ request: ask.number, err: e }, 'this was not foreseen');
		return refused(500, 'Something went wrong on our side. Nothing was changed.');
	}
}

async function serve({ ctx, url, request }: ScimAsk): Promise<Response> {
	const at = `${url.origin}/scim/v2`;
	const path = decodeURIComponent(url.pathname.slice('/scim/v2'.length).replace(/\/$/, ''));
	const [, first = '', ...rest] = path.split('/');
	const id = rest.join('/');
	const query: Query = (name) => url.searchParams.get(name);
	const get = request.method === 'GET';
	switch (first) {
		case 'ServiceProviderConfig':
			if (get && id === '') return answer(200, configOf(at));
			break;
		case 'ResourceTypes':
		case 'Schemas': {
			if (!get) break;
			const all: { id: string }[] = first === 'Schemas' ? schemasOf(at) : typesOf(at);
			if (id === '') return answer(200, listOf(all));
			const found = all.find((x) => x.id === id);
			return found ? answer(200, found) : refused(404, `There is no ${id.slice(0, 120)}.`);
		}
		case 'Users':
		case 'Groups': {
			const kind = first === 'Users' ? 'User' : 'Group';
			return one(kind, (first === 'Users' ? users : groups)(ctx, at), id, request, query);
		}
		case 'Me':
		case 'Bulk':
			return refused(501, `${first} is not supported.`);
		default:
			return refused(404, 'There is nothing at this address.');
	}
	return refused(405, `${request.method} is not possible here.`);
}

async function one(
	kind: 'User' | 'Group',
	resources: Resources,
	id: string,
	request: Request,
	query: Query
): Promise<Response> {
	const { method } = request;
	if (id === '' && method === 'GET') return answer(200, listing(kind, resources, query));
	if (id === '.search' && method === 'POST') {
		const body = (await bodyOf(request)) as Record<string, unknown> | null;
		return answer(
			200,
			listing(kind, resources, (name) => {
				const value = body?.[name];
				return value === undefined || value === null ? null : Array.isArray(value) ? value.join(',') : String(value);
			})
		);
	}
	const shown = (r: Resource, status: number): Response => {
		const { tag, r: whole } = versioned(r);
		return answer(status, returned(kind, whole, query('attributes'), query('excludedAttributes')), {
			etag: tag,
			location: String((r.meta as { location: string }).location)
		});
	};
	if (id === '')
		return method === 'POST'
			? shown(resources.create(await bodyOf(request)), 201)
			: refused(405, `${method} is not possible here.`);
	const before = resources.one(id);
	if (!before) return refused(404, `There is no ${kind.toLowerCase()} ${id.slice(0, 60)}.`);
	const { tag } = versioned(before);
	const among = (header: string | null) =>
		header !== null && (header.trim() === '*' || header.split(',').some((t) => t.trim() === tag));
	if (method === 'GET')
		return among(request.headers.get('if-none-match')) ? answer(304, null, { etag: tag }) : shown(before, 200);
	const match = request.headers.get('if-match');
	if (match !== null && !among(match)) return refused(412, 'It has changed since you read it.');
	if (method === 'PUT') return shown(resources.replace(id, await bodyOf(request)), 200);
	if (method === 'PATCH') return shown(resources.patch(id, await bodyOf(request)), 200);
	if (method === 'DELETE') {
		resources.remove(id);
		return answer(204, null);
	}
	return refused(405, `${method} is not possible here.`);
}
