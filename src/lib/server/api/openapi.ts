import { toJsonSchema, toJsonSchemaDefs, type ConversionConfig } from '@valibot/to-json-schema';
import * as v from 'valibot';
import { PLAN_KINDS } from '../areas';
import { NAMED } from '../calls/answers';
import { isSchema, isStream, type Endpoint } from '../calls/endpoint';
import { ENDPOINTS } from '../house/endpoints';

/** Schemas that have a name in the description: what answers share, and the input of each kind of plan. */
const DEFINITIONS = { ...NAMED, ...Object.fromEntries(PLAN_KINDS.map((k) => [`input.${k.kind}`, k.schema])) };

const CONFIG: ConversionConfig = {
	target: 'draft-2020-12',
	// What a request is held to beyond its shape is said by the answer that refuses it.
	errorMode: 'ignore',
	typeMode: 'input',
	overrideRef: ({ referenceId }) => `#/components/schemas/${referenceId}`
};

type Json = Record<string, unknown>;

function schemaOf(schema: v.GenericSchema): Json {
	const {
		$schema: _s,
		$defs: _d,
		...rest
	} = toJsonSchema(schema as never, { ...CONFIG, definitions: DEFINITIONS as never });
	return rest;
}

const isRequired = (schema: unknown) =>
	!['optional', 'nullish', 'exact_optional'].includes((schema as v.GenericSchema).type);

/** The parameters of an endpoint: of its address, and after the question mark. */
function parametersOf(e: Endpoint): Json[] {
	const params = Object.entries(e.params ?? {}).map(([name, schema]) => ({
		name,
		in: 'path',
		required: true,
		schema: schemaOf(schema as v.GenericSchema)
	}));
	const looks = e.looks
		? [
				...(e.looks === 'scope and moment'
					? [
							{
								name: 'scope',
								in: 'query',
								description: 'Narrows what is looked at: `site:north pool:"Big desks" signin>60s -team:guests`',
								schema: { type: 'string' }
							}
						]
					: []),
				{
					name: 'at',
					in: 'query',
					description: 'A moment, as `2026-11-17T08:00Z` or in ms UTC. Left out, now.',
					schema: { type: 'string' }
				}
			]
		: [];
	const query = Object.entries(e.query ?? {}).map(([name, schema]) => {
		const { description, ...rest } = schemaOf(schema as v.GenericSchema);
		return {
			name,
			in: 'query',
			...(description === undefined ? {} : { description }),
			...(isRequired(schema) ? { required: true } : {}),
			schema: rest
		};
	});
	return [...params, ...looks, ...query];
}

function bodyOf(e: Endpoint): Json | undefined {
	if (e.body === undefined) return undefined;
	if (isStream(e.body))
		return { required: true, content: { [e.body.stream]: { schema: { type: 'string', format: 'binary' } } } };
	const required = e.instead === undefined || e.instead === null;
	const schema = e.path === '/plans' && e.method === 'POST' ? drafts : schemaOf(e.bodyAs ?? e.body);
	return { ...(required ? { required } : {}), content: { 'application/json': { schema } } };
}

/** Each kind of plan with its own input. */
const drafts: Json = {
	oneOf: PLAN_KINDS.map((k) => ({
		type: 'object',
		description: k.words,
		properties: { kind: { const: k.kind }, input: { $ref: `#/components/schemas/input.${k.kind}` } },
		required: ['kind', 'input'],
		additionalProperties: false
	}))
};

const text = { schema: { type: 'string' } };
const STATUS_WORDS = { 200: 'The answer', 201: 'It is made', 202: 'It will be done', 204: 'Done' };

function responsesOf(e: Endpoint): Json {
	const content = isSchema(e.answer)
		? { 'application/json': { schema: schemaOf(e.answer) } }
		: e.answer
			? { [e.answer.file]: text }
			: {};
	const refused = (words: string): Json => ({
		description: words,
		content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } }
	});
	return {
		[e.status]: {
			description: STATUS_WORDS[e.status],
			...(Object.keys(content).length ? { content } : {}),
			...(e.location ? { headers: { location: { description: 'Where it is from now on', ...text } } } : {})
		},
		...(e.need === 'open'
			? {}
			: { 401: refused('Nobody is signed in'), 403: refused('The role does not reach that far') }),
		...(e.params ? { 404: refused('It is not there') } : {}),
		...(e.method === 'GET' ? {} : { 409: refused('It no longer holds, or cannot be done now') }),
		422: refused('What is asked is not right, field by field')
	};
}

/** A name for each operation, for clients that are made from the description: `getMachines`, `postPlansIdCommit`. */
const operationOf = (e: Endpoint): string =>
	e.method.toLowerCase() +
	e.path
		.split(/[^A-Za-z0-9]+/)
		.filter(Boolean)
		.map((part) => part[0]!.toUpperCase() + part.slice(1))
		.join('');

/** The whole API as OpenAPI 3.1, made from what is declared of each address, and from the schemas that requests are validated with. */
export function openApi(): Json {
	const paths: Record<string, Json> = {};
	for (const e of ENDPOINTS) {
		const parameters = parametersOf(e);
		const requestBody = bodyOf(e);
		(paths[e.path] ??= {})[e.method.toLowerCase()] = {
			operationId: operationOf(e),
			summary: e.summary,
			tags: [e.path.split('/')[1]!],
			...(e.need === 'open' ? { security: [] } : {}),
			...(typeof e.need === 'string' ? {} : { 'x-needs': `${e.need.level} ${e.need.area}` }),
			...(parameters.length ? { parameters } : {}),
			...(requestBody ? { requestBody } : {}),
			responses: responsesOf(e)
		};
	}
	const schemas = toJsonSchemaDefs(DEFINITIONS as never, CONFIG) as Record<string, Json>;
	for (const k of PLAN_KINDS) schemas[`input.${k.kind}`] = { description: k.words, ...schemas[`input.${k.kind}`] };
	return {
		openapi: '3.1.0',
		info: {
			title: 'Sextant',
			version: '1',
			description:
				'Everything that the screens can do. Changes are drafted as plans, committed, and carried out as jobs.'
		},
		servers: [{ url: '/api/v1' }],
		security: [{ token: [] }],
		tags: [...new Map(ENDPOINTS.map((e) => [e.path.split('/')[1]!, e.summary] as const).reverse())]
			.map(([name, description]) => ({ name, description }))
			.sort((a, b) => a.name.localeCompare(b.name, 'en')),
		components: { securitySchemes: { token: { type: 'http', scheme: 'bearer' } }, schemas },
		paths
	};
}
