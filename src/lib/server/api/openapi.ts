import { toJsonSchema } from '@valibot/to-json-schema';
import type * as v from 'valibot';
import { PLAN_KINDS } from '../areas';
import { JOINING_STEPS, joiningSchemas } from '../joining';
import { broughtBody, choicesBody, PARTS } from '../packages';
import { LISTS } from '../house/lists';
import { clockBody, commitBody, faultBody, threadBody } from './schemas';

const schemaOf = (schema: v.GenericSchema) => {
	const { $schema: _drop, ...rest } = toJsonSchema(schema as never, { typeMode: 'input', errorMode: 'ignore' });
	return rest;
};

const json = (schema: unknown, description: string) => ({ description, content: { 'application/json': { schema } } });
const problem = {
	description: 'Why not, as a problem document (RFC 9457)',
	content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } }
};
const path = (name: string, description: string, type = 'string') => ({
	name,
	in: 'path',
	required: true,
	description,
	schema: { type }
});
const query = (name: string, description: string, type = 'string') => ({
	name,
	in: 'query',
	description,
	schema: { type }
});

/** The whole API as OpenAPI 3.1, made from the schemas that requests are validated with. */
export function openApi(): Record<string, unknown> {
	const fact = {
		type: 'object',
		properties: {
			words: { type: 'string' },
			side: { enum: ['for', 'against'] },
			at: { type: 'integer' },
			source: { type: 'string' },
			about: { type: 'object' }
		},
		required: ['words']
	};
	const listQuery = [
		query('scope', 'Narrows the list: site:north pool:"Big desks" signin>60s -team:guests'),
		query('at', 'A moment: 2026-11-17T08:00Z. Left out, now.'),
		query('sort', 'A column; with a minus in front, descending'),
		query('limit', 'Rows a page, at most 1000', 'integer'),
		query('cursor', 'The cursor of the page before')
	];
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
		components: {
			securitySchemes: { token: { type: 'http', scheme: 'bearer' } },
			schemas: {
				Fact: fact,
				Problem: {
					type: 'object',
					properties: {
						type: { type: 'string' },
						title: { type: 'string' },
						status: { type: 'integer' },
						detail: { type: 'string' },
						errors: { type: 'array', items: { type: 'object' } },
						reasons: { type: 'array', items: { $ref: '#/components/schemas/Fact' } }
					},
					required: ['type', 'title', 'status']
				},
				Plan: {
					type: 'object',
					properties: {
						id: { type: 'integer' },
						kind: { type: 'string' },
						title: { type: 'string' },
						effects: { type: 'object' },
						warnings: { type: 'array', items: { $ref: '#/components/schemas/Fact' } },
						blocks: { type: 'array', items: { $ref: '#/components/schemas/Fact' } },
						reasons: { type: 'array', items: { $ref: '#/components/schemas/Fact' } },
						state: { enum: ['draft', 'committed', 'discarded'] },
						undo: { type: ['object', 'null'] },
						jobId: { type: ['integer', 'null'] }
					}
				},
				Job: {
					type: 'object',
					properties: {
						id: { type: 'integer' },
						state: { enum: ['waiting', 'queued', 'running', 'done', 'failed', 'cancelled'] },
						progress: { type: 'number' },
						steps: { type: 'array', items: { type: 'object' } },
						log: { type: 'array', items: { type: 'object' } }
					}
				},
				...Object.fromEntries(
					PLAN_KINDS.map((k) => [`input.${k.kind}`, { description: k.words, ...schemaOf(k.schema) }])
				)
			}
		},
		paths: {
			'/{kind}': {
				get: {
					summary: 'A list of one kind of object',
					parameters: [{ ...path('kind', 'What to list'), schema: { enum: [...LISTS.keys()] } }, ...listQuery],
					responses: {
						200: json(
							{
								type: 'object',
								properties: {
									rows: { type: 'array', items: { type: 'object' } },
									total: { type: 'integer' },
									cursor: { type: ['string', 'null'] },
									at: { type: 'integer' },
									leftOut: { type: 'array', items: { type: 'string' } }
								}
							},
							'A page of the list'
						),
						400: problem,
						404: problem
					}
				}
			},
			'/{kind}/{id}': {
				get: {
					summary: 'One object with its reasons',
					parameters: [
						{ ...path('kind', 'Its kind'), schema: { enum: [...LISTS.keys()] } },
						path('id', 'Its id or name'),
						query('at', 'A moment')
					],
					responses: {
						200: json(
							{
								type: 'object',
								properties: { facts: { type: 'array', items: { $ref: '#/components/schemas/Fact' } } }
							},
							'The object'
						),
						404: problem
					}
				}
			},
			'/plans': {
				get: { summary: 'Drafts that wait', responses: { 200: json({ type: 'object' }, 'Drafts') } },
				post: {
					summary: 'Draft a plan',
					requestBody: {
						required: true,
						content: {
							'application/json': {
								schema: {
									oneOf: PLAN_KINDS.map((k) => ({
										type: 'object',
										description: k.words,
										properties: { kind: { const: k.kind }, input: { $ref: `#/components/schemas/input.${k.kind}` } },
										required: ['kind', 'input']
									}))
								}
							}
						}
					},
					responses: {
						201: json({ $ref: '#/components/schemas/Plan' }, 'The plan with its effects'),
						403: problem,
						422: problem
					}
				}
			},
			'/plans/{id}': {
				get: {
					summary: 'A plan',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 200: json({ $ref: '#/components/schemas/Plan' }, 'The plan'), 404: problem }
				},
				delete: {
					summary: 'Throw a draft away',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 204: { description: 'Gone' }, 404: problem }
				}
			},
			'/plans/{id}/commit': {
				post: {
					summary: 'Commit a plan, now or at a time',
					parameters: [path('id', 'Number', 'integer')],
					requestBody: { content: { 'application/json': { schema: schemaOf(commitBody) } } },
					responses: {
						202: json({ type: 'object', properties: { job: { type: 'integer' } } }, 'The job that carries it out'),
						403: problem,
						409: problem
					}
				}
			},
			'/plans/{id}/recompute': {
				post: {
					summary: 'Compute a draft again from how things are now',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 200: json({ $ref: '#/components/schemas/Plan' }, 'The plan'), 409: problem }
				}
			},
			'/jobs/{id}': {
				get: {
					summary: 'A job with its steps and log',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 200: json({ $ref: '#/components/schemas/Job' }, 'The job'), 404: problem }
				}
			},
			'/jobs/{id}/cancel': {
				post: {
					summary: 'Ask a job to stop where that is safe',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 202: { description: 'It will stop' }, 409: problem }
				}
			},
			'/changes/{id}/undo': {
				post: {
					summary: 'Draft the plan that undoes a change',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 201: json({ $ref: '#/components/schemas/Plan' }, 'The plan'), 409: problem }
				}
			},
			'/overlay': {
				get: {
					summary: 'How large the overlay disk of a machine should be, from what a day’s work writes',
					parameters: [
						query('line', 'The image line'),
						query('perMachine', 'Sessions on a machine', 'integer'),
						query('keeps', 'Days of work until a reset', 'integer'),
						query('pageFile', 'Bytes of the page file', 'integer'),
						query('pagePlace', 'overlay or apart')
					],
					responses: { 200: json({ type: 'object' }, 'Bytes, with the facts behind them'), 404: problem, 422: problem }
				}
			},
			'/names': {
				get: {
					summary: 'Names that a pattern would give, with clashes',
					parameters: [
						query('naming', 'Pattern'),
						query('count', 'How many', 'integer'),
						query('from', 'First number', 'integer'),
						query('adopt', 'A folder whose accounts without a machine may be used')
					],
					responses: { 200: json({ type: 'object' }, 'Names') }
				}
			},
			'/access-test': {
				get: {
					summary: 'May this person open that, from there, at that time?',
					parameters: [
						query('person', 'Login'),
						query('publication', 'Id'),
						query('at', 'Moment'),
						query('address', 'Address'),
						query('managed', 'yes or no'),
						query('factor', 'yes or no')
					],
					responses: { 200: json({ type: 'object' }, 'The decision with each fact that made it') }
				}
			},
			'/sheets/{line}': {
				get: {
					summary: 'The build sheet of an image line, as a file',
					parameters: [path('line', 'The image line'), query('at', 'A moment in the past')],
					responses: {
						200: { description: 'The sheet', content: { 'application/yaml': { schema: { type: 'string' } } } },
						404: problem
					}
				}
			},
			'/sheets/{line}/check': {
				post: {
					summary: 'Looks a sheet over without changing anything: problems, nearest right order, time, cost, rights',
					parameters: [path('line', 'The image line')],
					requestBody: {
						required: true,
						content: { 'application/json': { schema: { type: 'object', properties: { text: { type: 'string' } } } } }
					},
					responses: {
						200: json({ type: 'object' }, 'The report, or where the text cannot be read'),
						404: problem,
						422: problem
					}
				}
			},
			'/boms/{line}/{number}': {
				get: {
					summary: 'The contents of a version as CycloneDX',
					parameters: [path('line', 'The image line'), path('number', 'The version')],
					responses: {
						200: {
							description: 'A bill of materials',
							content: { 'application/vnd.cyclonedx+json': { schema: { type: 'object' } } }
						},
						404: problem
					}
				}
			},
			'/calendar.ics': {
				get: {
					summary: 'What comes back by itself, as a calendar; takes the token in the address, too',
					parameters: [query('token', 'A token, for calendars that cannot send a header')],
					responses: {
						200: { description: 'iCalendar (RFC 5545)', content: { 'text/calendar': { schema: { type: 'string' } } } }
					}
				}
			},
			'/consoles/{line}': {
				post: {
					summary: 'Types a line at the console of a reference machine that is open',
					parameters: [path('line', 'The image line')],
					requestBody: {
						required: true,
						content: {
							'application/json': {
								schema: { type: 'object', properties: { text: { type: 'string' } }, required: ['text'] }
							}
						}
					},
					responses: { 200: json({ type: 'object' }, 'What it printed'), 403: problem, 502: problem }
				}
			},
			'/joinings': {
				get: {
					summary: 'Places on their way to being joined up',
					responses: { 200: json({ type: 'object' }, 'Those under way') }
				},
				post: {
					summary: 'Begin to join up a place, or to change how one is reached',
					requestBody: {
						content: {
							'application/json': {
								schema: { type: 'object', properties: { site: { type: ['string', 'null'] } } }
							}
						}
					},
					responses: { 201: json({ type: 'object' }, 'The joining'), 422: problem }
				}
			},
			'/joinings/{id}': {
				get: {
					summary: 'What has been answered so far, and the certificate that was seen; no secrets',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 200: json({ type: 'object' }, 'The joining'), 404: problem }
				},
				delete: {
					summary: 'Give it up',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 204: { description: 'Given up' }, 404: problem }
				}
			},
			'/joinings/{id}/{step}': {
				post: {
					summary: 'Save the answer to one question, after trying it out',
					parameters: [
						path('id', 'Number', 'integer'),
						{ ...path('step', 'The question'), schema: { enum: JOINING_STEPS } }
					],
					requestBody: {
						required: true,
						content: {
							'application/json': { schema: { oneOf: JOINING_STEPS.map((s) => schemaOf(joiningSchemas[s])) } }
						}
					},
					responses: { 200: json({ type: 'object' }, 'The joining'), 404: problem, 422: problem }
				}
			},
			'/joinings/{id}/checks': {
				post: {
					summary: 'Run the checks for a place on its way',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 200: json({ type: 'object' }, 'Every check with what it saw and the remedy'), 422: problem }
				}
			},
			'/captures': {
				get: { summary: 'Captures, newest first', responses: { 200: json({ type: 'object' }, 'Captures') } },
				post: {
					summary: 'Begin a capture whose inventories are brought along',
					requestBody: { required: true, content: { 'application/json': { schema: schemaOf(broughtBody) } } },
					responses: { 201: json({ type: 'object' }, 'The capture'), 422: problem }
				}
			},
			'/captures/{id}': {
				get: {
					summary: 'How a capture was sorted, what is taken of it, and what that can start',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 200: json({ type: 'object' }, 'The capture'), 404: problem }
				}
			},
			'/captures/{id}/changes': {
				get: {
					summary: 'What lies right below a branch of a capture, or what a text is found in',
					parameters: [
						path('id', 'Number', 'integer'),
						query('path', 'The branch; settings begin with settings:'),
						{ ...query('sort', 'Only these'), schema: { enum: ['app', 'noise', 'doubtful'] } },
						query('q', 'A text that the path holds')
					],
					responses: { 200: json({ type: 'object' }, 'Branches'), 404: problem }
				}
			},
			'/captures/{id}/files/{part}': {
				post: {
					summary: 'Bring an inventory, or the folder as a tar',
					parameters: [path('id', 'Number', 'integer'), { ...path('part', 'Which'), schema: { enum: PARTS } }],
					requestBody: {
						required: true,
						content: { 'application/octet-stream': { schema: { type: 'string', format: 'binary' } } }
					},
					responses: { 201: json({ type: 'object' }, 'How many entries it holds'), 404: problem, 422: problem }
				}
			},
			'/captures/{id}/compare': {
				post: {
					summary: 'Compare the inventories that were brought',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 200: json({ type: 'object' }, 'The capture'), 404: problem, 422: problem }
				}
			},
			'/captures/{id}/choices': {
				post: {
					summary: 'Keep which branches and patterns go into the package',
					parameters: [path('id', 'Number', 'integer')],
					requestBody: { required: true, content: { 'application/json': { schema: schemaOf(choicesBody) } } },
					responses: { 200: json({ type: 'object' }, 'What that comes to'), 404: problem, 422: problem }
				}
			},
			'/packages': {
				get: {
					summary: 'Packages with their versions, in the order in which they win',
					responses: { 200: json({ type: 'object' }, 'Packages') }
				},
				post: {
					summary: 'Take a package up as a tar of an OCI image layout; every digest is checked',
					requestBody: {
						required: true,
						content: { 'application/x-tar': { schema: { type: 'string', format: 'binary' } } }
					},
					responses: { 201: json({ type: 'object' }, 'Its manifest, for the plan package.import'), 422: problem }
				}
			},
			'/packages/{name}/{number}': {
				get: {
					summary: 'A package version as a tar of an OCI image layout',
					parameters: [path('name', 'Package'), path('number', 'Version')],
					responses: {
						200: { description: 'The tar', content: { 'application/x-tar': {} } },
						404: problem
					}
				}
			},
			'/icons': {
				post: {
					summary: 'Take a picture up (PNG, JPEG or SVG, at most 256 KB), to be named as the icon of a publication',
					requestBody: { required: true, content: { 'image/*': { schema: { type: 'string', format: 'binary' } } } },
					responses: { 201: json({ type: 'object' }, 'Its name'), 422: problem }
				}
			},
			'/who': {
				get: {
					summary: 'Who gets what: teams against publications, as rows or as CSV',
					parameters: [
						query('scope', 'What is looked at, such as `team:survey`'),
						query('at', 'A moment, ms UTC, past or to come'),
						{ ...query('format', 'How'), schema: { enum: ['json', 'csv'] } }
					],
					responses: { 200: json({ type: 'object' }, 'People of each team who have each publication') }
				}
			},
			'/who/{team}/{publication}': {
				get: {
					summary: 'Why a team has a publication, or has it not',
					parameters: [path('team', 'Team'), path('publication', 'Publication'), query('at', 'A moment, ms UTC')],
					responses: { 200: json({ type: 'object' }, 'The answer with its facts') }
				}
			},
			'/shelves/{login}': {
				get: {
					summary: 'Somebody’s shelf at a moment, past or to come',
					parameters: [path('login', 'Person'), query('at', 'A moment, ms UTC')],
					responses: { 200: json({ type: 'object' }, 'What stands on it, and by which grant'), 404: problem }
				}
			},
			'/lab/clock': {
				get: { summary: 'The lab’s clock', responses: { 200: json({ type: 'object' }, 'Now, speed, paused') } },
				post: {
					summary: 'Pause, step or speed up the lab',
					requestBody: { content: { 'application/json': { schema: schemaOf(clockBody) } } },
					responses: { 200: json({ type: 'object' }, 'The clock'), 422: problem }
				}
			},
			'/lab/faults': {
				get: { summary: 'Faults that are on', responses: { 200: json({ type: 'object' }, 'Faults') } },
				post: {
					summary: 'Switch a fault on',
					requestBody: { required: true, content: { 'application/json': { schema: schemaOf(faultBody) } } },
					responses: { 201: json({ type: 'object' }, 'Its number'), 422: problem }
				}
			},
			'/lab/faults/{id}': {
				delete: {
					summary: 'Switch a fault off',
					parameters: [path('id', 'Number', 'integer')],
					responses: { 204: { description: 'Off' }, 404: problem }
				}
			},
			'/lab/threads': {
				post: {
					summary:
						'End a thread of Sextant (lab, engine or packer), to see that it is started anew and nothing is lost',
					requestBody: { required: true, content: { 'application/json': { schema: schemaOf(threadBody) } } },
					responses: { 202: { description: 'It ends' }, 422: problem }
				}
			},
			'/lab/outbox': {
				get: { summary: 'Mails that the lab has taken', responses: { 200: json({ type: 'object' }, 'Mails') } }
			}
		}
	};
}
