import { scimPatch, type ScimPatchOperation } from 'scim-patch';
import { parse, filter as matcher, type Filter } from 'scim2-parse-filter';
import { FOREVER } from '../time/units';
import type { GivenPerson } from './given';
import type { PersonRecord } from './record';

/** SCIM 2.0 (RFC 7643, RFC 7644): people as Users and teams as Groups, and what a client sends of them. */

export const USER = 'urn:ietf:params:scim:schemas:core:2.0:User';
export const GROUP = 'urn:ietf:params:scim:schemas:core:2.0:Group';
export const ENTERPRISE = 'urn:ietf:params:scim:schemas:extension:enterprise:2.0:User';
/** What the standard has no place for. */
export const OWN = 'urn:ietf:params:scim:schemas:extension:sextant:2.0:User';
export const LIST = 'urn:ietf:params:scim:api:messages:2.0:ListResponse';
export const PATCH = 'urn:ietf:params:scim:api:messages:2.0:PatchOp';
export const ERROR = 'urn:ietf:params:scim:api:messages:2.0:Error';

/** Kinds of errors of RFC 7644, table 9. */
export type ScimKind =
	| 'invalidFilter'
	| 'tooMany'
	| 'uniqueness'
	| 'mutability'
	| 'invalidSyntax'
	| 'invalidPath'
	| 'noTarget'
	| 'invalidValue'
	| 'invalidVers'
	| 'sensitive';

/** A refusal, as a client reads it. */
export class ScimProblem extends Error {
	constructor(
		readonly status: number,
		readonly detail: string,
		readonly scimType: ScimKind | null = null
	) {
		super(detail);
		this.name = 'ScimProblem';
	}
}

export type Resource = Record<string, unknown> & { id: string; schemas: string[] };

interface Attribute {
	name: string;
	type: 'string' | 'boolean' | 'dateTime' | 'reference' | 'complex';
	multiValued: boolean;
	description: string;
	required: boolean;
	caseExact: boolean;
	mutability: 'readOnly' | 'readWrite';
	returned: 'default' | 'always';
	uniqueness: 'none' | 'server';
	subAttributes?: Attribute[];
}

const attribute = (name: string, description: string, more: Partial<Attribute> = {}): Attribute => ({
	name,
	type: 'string',
	multiValued: false,
	description,
	required: false,
	caseExact: false,
	mutability: 'readWrite',
	returned: 'default',
	uniqueness: 'none',
	...more
});
const readOnly = { mutability: 'readOnly' } as const;

/** What is kept of each schema: the answer of /Schemas, and what a client may send. */
export const SCHEMAS: readonly { id: string; name: string; description: string; attributes: Attribute[] }[] = [
	{
		id: USER,
		name: 'User',
		description: 'Somebody who works with desktops and apps',
		attributes: [
			attribute('userName', 'Their login', { required: true, uniqueness: 'server' }),
			attribute('name', 'Their name', {
				type: 'complex',
				subAttributes: [
					attribute('formatted', 'The whole name: what is kept'),
					attribute('givenName', 'Read where no whole name is sent'),
					attribute('familyName', 'Read where no whole name is sent')
				]
			}),
			attribute('displayName', 'Their name'),
			attribute('userType', 'Kind of employment'),
			attribute('preferredLanguage', 'Language tag'),
			attribute('timezone', 'Time zone of their site', readOnly),
			attribute('active', 'Whether they are there, or to begin', { type: 'boolean' }),
			attribute('emails', 'Mail addresses: the primary one is kept', {
				type: 'complex',
				multiValued: true,
				subAttributes: [
					attribute('value', 'The address'),
					attribute('type', 'work'),
					attribute('primary', 'Whether it is the one that is kept', { type: 'boolean' })
				]
			}),
			attribute('groups', 'Teams that they are of', {
				...readOnly,
				type: 'complex',
				multiValued: true,
				subAttributes: [
					attribute('value', 'Id of the team', readOnly),
					attribute('display', 'Name of the team', readOnly),
					attribute('$ref', 'Address of the team', { ...readOnly, type: 'reference' })
				]
			})
		]
	},
	{
		id: ENTERPRISE,
		name: 'EnterpriseUser',
		description: 'Where somebody belongs in the organisation',
		attributes: [
			attribute('department', 'Home team, by name or id'),
			attribute('manager', 'Whom they report to', {
				type: 'complex',
				subAttributes: [
					attribute('value', 'Id of the user'),
					attribute('displayName', 'Their name', readOnly),
					attribute('$ref', 'Address of the user', { ...readOnly, type: 'reference' })
				]
			})
		]
	},
	{
		id: OWN,
		name: 'SextantUser',
		description: 'What Sextant keeps beside the standard attributes',
		attributes: [
			attribute('site', 'Site, by id or name'),
			attribute('pattern', 'Work pattern'),
			attribute('begins', 'First day, or moment', { type: 'dateTime' }),
			attribute('ends', 'Last day, or the moment from which on they are there no longer', { type: 'dateTime' })
		]
	},
	{
		id: GROUP,
		name: 'Group',
		description: 'A team',
		attributes: [
			attribute('displayName', 'Its name', { required: true, uniqueness: 'server' }),
			attribute('members', 'People of it, and teams that stand below it', {
				type: 'complex',
				multiValued: true,
				subAttributes: [
					attribute('value', 'Id of the user or group'),
					attribute('type', 'User or Group'),
					attribute('display', 'Its name', readOnly),
					attribute('$ref', 'Its address', { ...readOnly, type: 'reference' })
				]
			})
		]
	}
];

/** Attributes of the core schemas that are not kept: clients send them, and they are passed over. */
const PASSED_OVER = new Set(
	[
		...['nickname', 'profileurl', 'title', 'locale', 'password', 'phonenumbers', 'ims', 'photos', 'addresses'],
		...['entitlements', 'roles', 'x509certificates', 'employeenumber', 'costcenter', 'organization', 'division']
	].map((n) => n.toLowerCase())
);
const COMMON = new Set(['schemas', 'id', 'externalid', 'meta']);
const NAMES = new Map(SCHEMAS.map((s) => [s.id, new Map(s.attributes.map((a) => [a.name.toLowerCase(), a]))]));

type Kind = 'User' | 'Group';
const coreOf = (kind: Kind): string => (kind === 'User' ? USER : GROUP);
const EXTENSIONS: Record<Kind, readonly string[]> = { User: [ENTERPRISE, OWN], Group: [] };

const isObject = (x: unknown): x is Record<string, unknown> => typeof x === 'object' && x !== null && !Array.isArray(x);

/**
 * A resource with its attributes by the names that they have, whatever capitals were sent. Throws ScimProblem for an attribute or a schema
 * that there is not, and for one of another type.
 */
export function named(kind: Kind, body: unknown): Record<string, unknown> {
	if (!isObject(body)) throw new ScimProblem(400, 'The body is no JSON object.', 'invalidSyntax');
	const schemas = body.schemas;
	const known = [coreOf(kind), ...EXTENSIONS[kind]];
	if (schemas !== undefined) {
		if (!Array.isArray(schemas) || schemas.some((s) => typeof s !== 'string'))
			throw new ScimProblem(400, '“schemas” is a list of names.', 'invalidSyntax');
		const strange = (schemas as string[]).find((s) => !known.includes(s));
		if (strange !== undefined)
			throw new ScimProblem(400, `There is no schema ${strange.slice(0, 120)} for a ${kind}.`, 'invalidSyntax');
	}
	const found: Record<string, unknown> = {};
	for (const [key, value] of Object.entries(body)) {
		const extension = EXTENSIONS[kind].find((e) => e.toLowerCase() === key.toLowerCase());
		if (extension) {
			if (value === null) continue;
			if (!isObject(value)) throw new ScimProblem(400, `“${key}” holds attributes.`, 'invalidSyntax');
			found[extension] = attributesOf(extension, value, `${extension}:`);
		} else Object.assign(found, attributesOf(coreOf(kind), { [key]: value }, ''));
	}
	return found;
}

function attributesOf(schema: string, given: Record<string, unknown>, before: string): Record<string, unknown> {
	const names = NAMES.get(schema)!;
	const found: Record<string, unknown> = {};
	for (const [key, value] of Object.entries(given)) {
		const low = key.toLowerCase();
		const a = names.get(low);
		if (a) {
			if (a.mutability === 'readOnly') continue;
			checkType(a, value, `${before}${a.name}`);
			found[a.name] = value;
		} else if (COMMON.has(low) && before === '') found[low === 'externalid' ? 'externalId' : low] = value;
		else if (!PASSED_OVER.has(low))
			throw new ScimProblem(400, `There is no attribute “${before}${key.slice(0, 60)}”.`, 'invalidSyntax');
	}
	return found;
}

function checkType(a: Attribute, value: unknown, path: string): void {
	if (value === null || value === undefined) return;
	const wrong = (what: string) => new ScimProblem(400, `“${path}” is ${what}.`, 'invalidValue');
	if (a.multiValued) {
		if (!Array.isArray(value)) throw wrong('a list');
		if (value.some((x) => !isObject(x))) throw wrong('a list of objects');
		return;
	}
	if (a.type === 'boolean' && typeof value !== 'boolean' && !/^(?:true|false)$/i.test(String(value)))
		throw wrong('true or false');
	if (a.type === 'complex' && !isObject(value) && typeof value !== 'string') throw wrong('an object');
	if ((a.type === 'string' || a.type === 'dateTime') && typeof value !== 'string') throw wrong('a text');
}

const text = (x: unknown): string | null | undefined => (x === undefined ? undefined : x === null ? null : String(x));

/** What a client sends of a person, as it is given; the manager is a number of a user, the home team a name. `replace`: what it leaves out is none. */
export function givenOfUser(
	sent: Record<string, unknown>,
	replace: boolean,
	ask: { loginOf: (id: string) => string | undefined; now: number }
): GivenPerson & { active: boolean | undefined; externalId: string | null | undefined } {
	const name = isObject(sent.name) ? sent.name : {};
	const parts = [name.givenName, name.familyName]
		.filter((x): x is string => typeof x === 'string' && x !== '')
		.join(' ');
	const whole = text(sent.displayName) ?? text(name.formatted) ?? (parts || undefined);
	const emails = Array.isArray(sent.emails) ? (sent.emails as Record<string, unknown>[]) : undefined;
	const mail = emails?.find((e) => String(e.primary).toLowerCase() === 'true') ?? emails?.[0];
	const enterprise = (sent[ENTERPRISE] ?? {}) as Record<string, unknown>;
	const own = (sent[OWN] ?? {}) as Record<string, unknown>;
	const managerValue = isObject(enterprise.manager) ? enterprise.manager.value : enterprise.manager;
	const none = replace ? null : undefined;
	const manager = managerValue === undefined ? undefined : text(managerValue);
	const login = typeof manager === 'string' && manager !== '' ? ask.loginOf(manager) : manager;
	if (typeof manager === 'string' && manager !== '' && login === undefined)
		throw new ScimProblem(
			400,
			`“manager.value” is ${manager.slice(0, 40)}, and there is no such user.`,
			'invalidValue'
		);
	return {
		login: typeof sent.userName === 'string' ? sent.userName : '',
		name: whole ?? undefined,
		mail: emails === undefined ? none : (text(mail?.value) ?? null),
		employment: text(sent.userType) ?? none,
		manager: login ?? none,
		site: text(own.site) ?? undefined,
		language: text(sent.preferredLanguage) ?? none,
		pattern: text(own.pattern) ?? undefined,
		// A client that does not know our own attributes leaves them as they are.
		begins: text(own.begins) ?? (sent[OWN] === undefined ? undefined : none),
		ends: text(own.ends) ?? (sent[OWN] === undefined ? undefined : none),
		team: text(enterprise.department) ?? undefined,
		active: sent.active === undefined ? undefined : String(sent.active).toLowerCase() === 'true',
		externalId: text(sent.externalId) ?? none
	};
}

/** What a resource of somebody is made of. */
export interface UserFacts {
	id: number;
	is: PersonRecord;
	externalId: string | null;
	zone: string;
	now: number;
	created: number;
	modified: number;
	teamName: (id: string) => string;
	numberOf: (login: string) => { id: number; name: string } | undefined;
}

/** Somebody as a resource. `at`: where resources stand, such as `https://x/scim/v2`. */
export function userOf(p: UserFacts, at: string): Resource {
	const { is } = p;
	const manager = is.manager === null ? undefined : p.numberOf(is.manager);
	const enterprise = {
		...(is.memberOf[0] === undefined ? {} : { department: p.teamName(is.memberOf[0]) }),
		...(manager
			? { manager: { value: String(manager.id), displayName: manager.name, $ref: `${at}/Users/${manager.id}` } }
			: {})
	};
	return {
		schemas: [USER, ENTERPRISE, OWN],
		id: String(p.id),
		...(p.externalId === null ? {} : { externalId: p.externalId }),
		userName: is.login,
		name: { formatted: is.name },
		displayName: is.name,
		userType: is.employment,
		...(is.language === null ? {} : { preferredLanguage: is.language }),
		timezone: p.zone,
		active: is.ends > p.now,
		...(is.mail === null ? {} : { emails: [{ value: is.mail, type: 'work', primary: true }] }),
		groups: is.memberOf.map((t) => ({
			value: t,
			display: p.teamName(t),
			$ref: `${at}/Groups/${encodeURIComponent(t)}`
		})),
		[ENTERPRISE]: enterprise,
		[OWN]: {
			site: is.site,
			pattern: is.pattern,
			...(is.begins > 0 ? { begins: new Date(is.begins).toISOString() } : {}),
			...(is.ends < FOREVER ? { ends: new Date(is.ends).toISOString() } : {})
		},
		meta: {
			resourceType: 'User',
			created: new Date(p.created).toISOString(),
			lastModified: new Date(p.modified).toISOString(),
			location: `${at}/Users/${p.id}`
		}
	};
}

/** A member of a group, as a client sends it. */
export interface Member {
	value: string;
	kind: Kind | null;
}

/** The members that a client sends. Throws ScimProblem where one names nothing. */
export function membersOf(sent: unknown): Member[] {
	if (sent === undefined || sent === null) return [];
	if (!Array.isArray(sent)) throw new ScimProblem(400, '“members” is a list.', 'invalidValue');
	return sent.map((m: unknown): Member => {
		const value = isObject(m) ? m.value : m;
		if (typeof value !== 'string' || value === '')
			throw new ScimProblem(400, 'A member says its “value”.', 'invalidValue');
		const type = isObject(m) ? String(m.type ?? '').toLowerCase() : '';
		return { value, kind: type === 'group' ? 'Group' : type === 'user' ? 'User' : null };
	});
}

/** The most that a filter may hold, characters and terms. */
const FILTER = { characters: 2000, terms: 50 };

/** Attribute paths by the names that they have, whatever capitals were sent, and without the name of the core schema before them. */
function namedPath(kind: Kind, path: string): string {
	for (const schema of [coreOf(kind), ...EXTENSIONS[kind]]) {
		if (!path.toLowerCase().startsWith(`${schema.toLowerCase()}:`)) continue;
		const rest = attributePath(schema, path.slice(schema.length + 1), kind);
		return schema === coreOf(kind) ? rest : `${schema}:${rest}`;
	}
	return attributePath(coreOf(kind), path, kind);
}

function attributePath(schema: string, path: string, kind: Kind): string {
	const [name = '', ...sub] = path.split('.');
	const low = name.toLowerCase();
	const a = NAMES.get(schema)!.get(low);
	const common = { id: 'id', externalid: 'externalId', meta: 'meta', schemas: 'schemas' }[low];
	if (!a && !common) throw new ScimProblem(400, `A ${kind} has no attribute “${path.slice(0, 60)}”.`, 'invalidFilter');
	const below = sub.map(
		(s) => a?.subAttributes?.find((x) => x.name.toLowerCase() === s.toLowerCase())?.name ?? metaName(s)
	);
	return [a?.name ?? common!, ...below].join('.');
}
const metaName = (s: string): string =>
	({ lastmodified: 'lastModified', created: 'created', resourcetype: 'resourceType', location: 'location' })[
		s.toLowerCase()
	] ?? s;

/** A filter (RFC 7644 3.4.2.2), read: what it asks, and the one text that it asks of one attribute where it asks nothing else. */
export function readFilter(
	kind: Kind,
	given: string
): { fits: (r: Resource) => boolean; only: { path: string; value: string } | null } {
	if (given.length > FILTER.characters) throw new ScimProblem(400, 'The filter is too long.', 'invalidFilter');
	let read: Filter;
	try {
		read = parse(given);
	} catch {
		throw new ScimProblem(400, `The filter “${given.slice(0, 100)}” cannot be read.`, 'invalidFilter');
	}
	let terms = 0;
	const name = (f: Filter, within: string | null): Filter => {
		if (++terms > FILTER.terms) throw new ScimProblem(400, 'The filter has too many terms.', 'invalidFilter');
		if ('filters' in f) return { ...f, filters: f.filters.map((x) => name(x, within)) };
		if ('filter' in f) return { ...f, filter: name(f.filter, within) };
		if ('valFilter' in f) {
			const attrPath = namedPath(kind, f.attrPath);
			return { ...f, attrPath, valFilter: name(f.valFilter, attrPath) };
		}
		const attrPath = within === null ? namedPath(kind, f.attrPath) : f.attrPath;
		// Texts are compared whatever their capitals: none of the attributes that are kept is exact in them.
		if ('compValue' in f && typeof f.compValue === 'string')
			return { ...f, attrPath, compValue: f.compValue.toLowerCase() };
		return { ...f, attrPath };
	};
	const filter = name(read, null);
	const test = matcher(filter);
	const only =
		filter.op === 'eq' && 'compValue' in filter && typeof filter.compValue === 'string'
			? { path: filter.attrPath, value: filter.compValue }
			: null;
	return { fits: (r) => test(lowered(r)), only };
}

/** All texts of a value in small letters. */
function lowered(value: unknown): unknown {
	if (typeof value === 'string') return value.toLowerCase();
	if (Array.isArray(value)) return value.map(lowered);
	if (isObject(value)) return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, lowered(v)]));
	return value;
}

/** What sorting by a path compares. */
export function sortKey(kind: Kind, path: string): (r: Resource) => string {
	const named = namedPath(kind, path);
	const extension = EXTENSIONS[kind].find((e) => named.startsWith(`${e}:`));
	const steps = [...(extension ? [extension] : []), ...named.slice(extension ? extension.length + 1 : 0).split('.')];
	return (r) => {
		let value: unknown = r;
		for (const s of steps) {
			if (Array.isArray(value)) value = value[0];
			value = isObject(value) ? value[s] : undefined;
		}
		return typeof value === 'string' ? value.toLowerCase() : value === undefined ? '\uffff' : String(value);
	};
}

/** The most operations of one request. */
const OPERATIONS = 1000;

/** A resource as operations leave it (RFC 7644 3.5.2). Throws ScimProblem for what cannot be read, or has no target. */
export function patched(kind: Kind, resource: Resource, body: unknown): Record<string, unknown> {
	if (!isObject(body) || !Array.isArray(body.schemas) || !body.schemas.includes(PATCH))
		throw new ScimProblem(400, `The body is a ${PATCH}.`, 'invalidSyntax');
	const operations = body.Operations ?? body.operations;
	if (!Array.isArray(operations) || operations.length === 0 || operations.length > OPERATIONS)
		throw new ScimProblem(400, `“Operations” are 1 to ${OPERATIONS}.`, 'invalidSyntax');
	const read = operations.map((o: unknown): ScimPatchOperation => {
		if (!isObject(o)) throw new ScimProblem(400, 'An operation is an object.', 'invalidSyntax');
		const op = String(o.op ?? '').toLowerCase();
		if (op !== 'add' && op !== 'remove' && op !== 'replace')
			throw new ScimProblem(400, `“${String(o.op).slice(0, 20)}” is none of add, remove and replace.`, 'invalidSyntax');
		const path = o.path === undefined ? undefined : patchPath(kind, String(o.path));
		if (op === 'remove' && path === undefined)
			throw new ScimProblem(400, 'An operation that removes says its path.', 'noTarget');
		const root = path?.split(/[.[:]/)[0] ?? '';
		if (path !== undefined && NAMES.get(coreOf(kind))!.get(root.toLowerCase())?.mutability === 'readOnly')
			throw new ScimProblem(400, `“${root}” cannot be changed.`, 'mutability');
		const value = path === undefined ? namedValue(kind, o.value) : o.value;
		return {
			op,
			...(path === undefined ? {} : { path }),
			...(o.value === undefined ? {} : { value })
		} as ScimPatchOperation;
	});
	try {
		const done = scimPatch(renamed(resource, (k) => ALIAS.get(k)) as never, read, { mutateDocument: false });
		return renamed(done as unknown as Record<string, unknown>, (k) => SCHEMA_OF.get(k));
	} catch (e) {
		const kindOf = String((e as { scimCode?: unknown }).scimCode ?? 'invalidPath');
		throw new ScimProblem(400, (e as Error).message.slice(0, 200), kindOf === 'noTarget' ? 'noTarget' : 'invalidPath');
	}
}

/** Names of extensions hold dots and colons, by which paths are taken apart: within operations they go by others. */
const ALIAS = new Map([
	[ENTERPRISE, 'enterpriseUser'],
	[OWN, 'sextantUser']
]);
const SCHEMA_OF = new Map([...ALIAS].map(([schema, alias]) => [alias, schema]));
const renamed = (r: Record<string, unknown>, to: (key: string) => string | undefined): Record<string, unknown> =>
	Object.fromEntries(Object.entries(r).map(([k, v]) => [to(k) ?? k, v]));

/** A value without a path is attributes: by their names, those of extensions as `urn:…:User:department` as well. */
function namedValue(kind: Kind, value: unknown): unknown {
	if (!isObject(value)) return value;
	const found: Record<string, unknown> = {};
	for (const [key, v] of Object.entries(value)) {
		const extension = EXTENSIONS[kind].find((e) => key.toLowerCase().startsWith(`${e.toLowerCase()}:`));
		if (extension)
			found[extension] = { ...((found[extension] as object | undefined) ?? {}), [key.slice(extension.length + 1)]: v };
		else found[key] = v;
	}
	return renamed(named(kind, found), (k) => ALIAS.get(k));
}

/** A path of an operation, its attributes by the names that they have; what stands in brackets stays. */
function patchPath(kind: Kind, path: string): string {
	if (path.length > FILTER.characters) throw new ScimProblem(400, 'The path is too long.', 'invalidPath');
	const extension = EXTENSIONS[kind].find((e) => path.toLowerCase() === e.toLowerCase());
	if (extension) return ALIAS.get(extension)!;
	const bracket = path.indexOf('[');
	const [head, rest] = bracket < 0 ? [path, ''] : [path.slice(0, bracket), path.slice(bracket)];
	try {
		const name = namedPath(kind, head);
		const of = EXTENSIONS[kind].find((e) => name.startsWith(`${e}:`));
		return `${of ? `${ALIAS.get(of)}.${name.slice(of.length + 1)}` : name}${rest}`;
	} catch {
		throw new ScimProblem(400, `A ${kind} has no attribute “${path.slice(0, 60)}”.`, 'invalidPath');
	}
}

/** A resource with some attributes alone, or without some (RFC 7644 3.9). */
export function returned(
	kind: Kind,
	r: Resource,
	only: string | null,
	without: string | null
): Record<string, unknown> {
	const names = (list: string) =>
		new Set(
			list
				.split(',')
				.map((x) => x.trim())
				.filter(Boolean)
				.map(
					(x) =>
						x
							.toLowerCase()
							.replace(`${coreOf(kind).toLowerCase()}:`, '')
							.split('.')[0]!
				)
		);
	const always = (key: string) => key === 'id' || key === 'schemas' || key === 'meta';
	if (only !== null) {
		const keep = names(only);
		return Object.fromEntries(
			Object.entries(r).filter(
				([k]) => always(k) || keep.has(k.toLowerCase()) || [...keep].some((x) => x.startsWith(`${k.toLowerCase()}:`))
			)
		);
	}
	if (without !== null) {
		const leave = names(without);
		return Object.fromEntries(Object.entries(r).filter(([k]) => always(k) || !leave.has(k.toLowerCase())));
	}
	return r;
}
