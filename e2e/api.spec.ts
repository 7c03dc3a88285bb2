import http from 'node:http';
import { existsSync, readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { expect, request as newRequest, test, type APIRequestContext } from '@playwright/test';
import { rightsOf, type Area, type Level, type Role } from '../src/lib/core/access/rights';
import { mayAsk, type Need } from '../src/lib/server/calls/need';
import { mayRequest, ROUTES } from '../src/lib/server/house/routes';
import { signedIn } from './hands';
import { BASE } from './site';

const ORIGIN = BASE;
/** Behind it stands all that is declared of the API. */
const API = '/api/v1/[...path]';

/** What the API says that each of its addresses needs. */
async function needsOfApi(): Promise<{ method: 'GET' | 'POST' | 'DELETE'; path: string; need: Need }[]> {
	const context = await newRequest.newContext({ baseURL: ORIGIN });
	const { paths } = (await (await context.get('/api/v1/openapi.json')).json()) as {
		paths: Record<string, Record<string, { 'x-needs'?: string }>>;
	};
	await context.dispose();
	return Object.entries(paths).flatMap(([path, methods]) =>
		Object.entries(methods).map(([method, { 'x-needs': needs }]) => {
			const [level, area] = (needs ?? '').split(' ') as [Level, Area];
			return { method: method.toUpperCase() as 'GET', path, need: needs ? { area, level } : ('signed in' as const) };
		})
	);
}

/** What the API says that it lists. */
async function kindsOfLists(owner: APIRequestContext): Promise<string[]> {
	const api = (await (await owner.get('/api/v1/openapi.json')).json()) as {
		paths: Record<string, { get?: { parameters?: { name: string }[] } }>;
	};
	const kinds = Object.entries(api.paths).flatMap(([path, { get }]) =>
		get?.parameters?.some((p) => p.name === 'cursor') ? [path.slice(1)] : []
	);
	expect(kinds.length).toBeGreaterThan(10);
	return kinds;
}

/** Every route that the app has, from its files. */
function routesOf(dir = 'src/routes', id = ''): string[] {
	return readdirSync(dir, { withFileTypes: true }).flatMap((entry) => {
		if (entry.isDirectory()) return routesOf(join(dir, entry.name), `${id}/${entry.name}`);
		return /^\+(page\.svelte|server\.ts)$/.test(entry.name) ? [id || '/'] : [];
	});
}

test('the table of rights names every route there is, and no other', () => {
	const routes = routesOf().filter((id) => id !== API);
	expect([...new Set(routes)].sort()).toEqual(Object.keys(ROUTES).sort());
});

test('every method that a route answers stands in the table', () => {
	for (const id of routesOf()) {
		if (id === API) continue;
		const file = join('src/routes', id, '+server.ts');
		if (!existsSync(file)) continue;
		const text = readFileSync(file, 'utf8');
		const methods = [...text.matchAll(/export const (GET|POST|PUT|PATCH|DELETE)\b/g)].map((m) => m[1]!);
		expect(Object.keys(ROUTES[id]!).sort(), id).toEqual(methods.sort());
	}
});

test('every route answers every role as the table says', async () => {
	test.setTimeout(300_000);
	const roles: [Role | null, string | null][] = [
		['owner', 'owner'],
		['builder', 'builder'],
		['operator', 'operator'],
		['helpdesk', 'helpdesk'],
		['auditor', 'auditor'],
		['person', 'alindqvist'],
		[null, null]
	];
	const declared = await needsOfApi();
	expect(declared.length).toBeGreaterThan(50);
	for (const [role, login] of roles) {
		const context = login
			? await signedIn(login)
			: await newRequest.newContext({ baseURL: ORIGIN, extraHTTPHeaders: { origin: ORIGIN } });
		const asked = [
			// What programs tell of people by says itself who may, by a token alone.
			...Object.entries(ROUTES)
				.filter(([id]) => !id.startsWith('/scim'))
				.flatMap(([id, needs]) =>
					(Object.keys(needs) as (keyof typeof needs)[]).map((method) => {
						// A sign-in of the console is none on the portal, and the other way round: each has its own cookie.
						const portal = id.startsWith('/(portal)');
						const seen = role === null || portal === (role === 'person') ? role : null;
						const path = id.replace(/\/\(\w+\)/, '').replaceAll(/\[\w+\]/g, '999999') || '/';
						return {
							api: id.startsWith('/api'),
							method,
							path,
							verdict: mayRequest(id, method, seen && rightsOf(seen))
						};
					})
				),
			...declared.map(({ method, path, need }) => ({
				api: true,
				method,
				path: `/api/v1${path.replaceAll(/\{\w+\}/g, '999999')}`,
				verdict: mayAsk(need, role === null || role === 'person' ? null : rightsOf(role))
			}))
		];
		for (const { api, method, path, verdict } of asked) {
			if (['/live', '/sign-out', '/api/v1/notices'].includes(path)) continue;
			const response = await context.fetch(path, {
				method,
				maxRedirects: 0,
				// Pages are asked as a browser asks for them.
				headers: {
					accept: api ? 'application/json' : 'text/html',
					origin: ORIGIN,
					'content-type': 'application/json'
				},
				...(method === 'POST' ? { data: '{}' } : {})
			});
			const status = response.status();
			const words = `${role ?? 'nobody'} ${method} ${path}: ${status}`;
			if (verdict === 'yes')
				expect(status === 401 || (status === 403 && !(await response.text()).includes('may not')), words).toBe(false);
			else if (verdict === 'sign in')
				expect(
					api ? status === 401 : status === 303 && (response.headers().location ?? '').includes('sign-in'),
					words
				).toBe(true);
			else expect(status === 403 || (status === 303 && response.headers().location === '/my'), words).toBe(true);
		}
		await context.dispose();
	}
});

test('a route that is not in the table is shut, and one that is not there is not found', async ({ request }) => {
	expect((await request.get('/nowhere')).status()).toBe(404);
});

test.describe('over the API alone', () => {
	let owner: APIRequestContext;
	let token = '';
	test.beforeAll(async () => {
		owner = await signedIn('owner');
	});
	const send = async (context: APIRequestContext, path: string, data: unknown) =>
		context.post(`/api/v1${path}`, { data, headers: { origin: ORIGIN } });

	test('a token is made by plan, works, and is refused once revoked', async () => {
		const { createHash, randomBytes } = await import('node:crypto');
		token = randomBytes(24).toString('hex');
		const carryOut = async (kind: string, input: unknown) => {
			const plan = (await (await send(owner, '/plans', { kind, input })).json()) as { id: number };
			const { job } = (await (await send(owner, `/plans/${plan.id}/commit`, {})).json()) as { job: number };
			await expect
				.poll(async () => ((await (await owner.get(`/api/v1/jobs/${job}`)).json()) as { state: string }).state)
				.toBe('done');
		};
		await carryOut('token.create', {
			name: 'walk',
			role: 'operator',
			hash: createHash('sha256').update(token).digest('hex')
		});
		const bearer = await newRequest.newContext({
			baseURL: ORIGIN,
			extraHTTPHeaders: { authorization: `Bearer ${token}` }
		});
		for (const kind of await kindsOfLists(owner)) {
			// Its role does not read who signed in and was refused.
			if (kind === 'record-entries') {
				expect((await bearer.get(`/api/v1/${kind}`)).status()).toBe(403);
				continue;
			}
			const answer = await bearer.get(`/api/v1/${kind}?limit=3`);
			expect(answer.status(), kind).toBe(200);
			expect((await answer.json()) as object, kind).toMatchObject({
				rows: expect.any(Array),
				total: expect.any(Number)
			});
		}
		await carryOut('token.revoke', { name: 'walk' });
		expect((await bearer.get('/api/v1/sites')).status()).toBe(401);
		await bearer.dispose();
	});

	test('whoever reads that a job has ended sees what it did', async () => {
		const grants = async () => {
			const { rows } = (await (await owner.get('/api/v1/grants?limit=200')).json()) as {
				rows: { id: string; publication: string; team: string }[];
			};
			return rows.filter((r) => r.publication === 'bridge-trial' && r.team === 'charts').map((r) => Number(r.id));
		};
		const grantsAfter = async (kind: string, input: object) => {
			const { id } = (await (await send(owner, '/plans', { kind, input })).json()) as { id: number };
			const { job } = (await (await send(owner, `/plans/${id}/commit`, {})).json()) as { job: number };
			// Others look at the present all the while. Asked without a pause: the first word of its end is the moment that counts.
			let state = '';
			while (state !== 'done') {
				await owner.get('/api/v1/sites?limit=1');
				state = ((await (await owner.get(`/api/v1/jobs/${job}`)).json()) as { state: string }).state;
				expect(state).not.toMatch(/failed|cancelled/);
			}
			return await grants();
		};
		for (let i = 0; i < 5; i++) {
			const given = await grantsAfter('grant.add', { publication: 'bridge-trial', team: 'charts', channels: [] });
			expect(given).toHaveLength(1);
			expect(await grantsAfter('grant.remove', { grant: given[0]! })).toEqual([]);
		}
	});

	test('lists are cut into pages that hold everything once, as of one moment', async () => {
		const seen: string[] = [];
		let cursor: string | null = null;
		do {
			const page = (await (
				await owner.get(`/api/v1/machines?sort=-name&limit=200${cursor ? `&cursor=${cursor}` : ''}`)
			).json()) as { rows: { name: string }[]; total: number; cursor: string | null };
			seen.push(...page.rows.map((r) => r.name));
			cursor = page.cursor;
		} while (cursor);
		expect(seen.length).toBeGreaterThanOrEqual(450);
		expect(new Set(seen).size).toBe(seen.length);
		expect(seen).toEqual([...seen].sort().reverse());
	});

	test('an object comes with its reasons; a past moment answers as it was', async () => {
		const then = '2026-11-17T02:00:00Z';
		const states = async (at: string) => {
			const { rows } = (await (await owner.get(`/api/v1/machines?limit=200&sort=name${at}`)).json()) as {
				rows: { name: string; state: string }[];
			};
			return new Map(rows.map((r) => [r.name, r.state]));
		};
		const [now, were] = [await states(''), await states(`&at=${then}`)];
		const [name] = [...now].find(([n, state]) => were.get(n) !== state)!;
		type Facts = { facts: { words: string }[] };
		const card = (await (await owner.get(`/api/v1/machines/${name}`)).json()) as Facts;
		expect(card.facts.length).toBeGreaterThan(1);
		const past = (await (await owner.get(`/api/v1/machines/${name}?at=${then}`)).json()) as Facts;
		expect(past.facts[0]!.words).not.toBe(card.facts[0]!.words);
	});

	test('every kind of object comes with its facts, by its id from the list', async () => {
		for (const kind of await kindsOfLists(owner)) {
			const { rows } = (await (await owner.get(`/api/v1/${kind}?limit=1`)).json()) as {
				rows: Record<string, unknown>[];
			};
			const [row] = rows;
			if (!row) continue;
			const id = String(
				{
					machines: row.name,
					hosts: row.name,
					people: row.login,
					changes: row.number,
					'record-entries': row.number,
					checks: row.machine
				}[kind as string] ?? row.id
			);
			const response = await owner.get(`/api/v1/${kind}/${encodeURIComponent(id)}`);
			expect(response.status(), `${kind}/${id}`).toBe(200);
			const { facts } = (await response.json()) as { facts: { words: string }[] };
			expect(facts.length, `${kind}/${id}`).toBeGreaterThan(0);
		}
		expect((await owner.get('/api/v1/sites/atlantis')).status()).toBe(404);
	});

	test('a site is joined up question by question; secrets never come back', async () => {
		const begun = await owner.post('/api/v1/joinings', { data: {} });
		expect(begun.status()).toBe(201);
		const { id } = (await begun.json()) as { id: number };
		const save = (step: string, data: unknown) => owner.post(`/api/v1/joinings/${id}/${step}`, { data });
		const wrong = await save('address', { address: 'compute.vardo.kittiwake.example' });
		expect(wrong.status()).toBe(422);
		expect(((await wrong.json()) as { errors: { field: string }[] }).errors[0]!.field).toBe('address');
		const seen = (await (await save('address', { address: 'compute.vardo.kittiwake.example:8443' })).json()) as {
			certificate: { fingerprint: string; standing: { value: string } };
		};
		expect(seen.certificate.standing.value).toBe('to confirm');
		await save('certificate', { fingerprint: seen.certificate.fingerprint });
		expect((await save('account', { account: 'sextant', secret: 'tideline' })).status()).toBe(200);
		const kept = await (await owner.get(`/api/v1/joinings/${id}`)).text();
		expect(kept).toContain('vrd-h01');
		expect(kept).not.toContain('tideline');
		expect((await owner.post(`/api/v1/joinings/${id}/checks`)).status()).toBe(422);
		expect((await save('weather', {})).status()).toBe(404);
		const { rows } = (await (await owner.get('/api/v1/joinings')).json()) as { rows: { id: number }[] };
		expect(rows.map((r) => r.id)).toContain(id);
		expect((await owner.delete(`/api/v1/joinings/${id}`)).status()).toBe(204);
		expect((await owner.delete(`/api/v1/joinings/${id}`)).status()).toBe(404);
	});

	test('the size of an overlay comes with the facts behind it', async () => {
		const answer = await owner.get('/api/v1/overlay?line=bridge-desk&perMachine=10&pageFile=4000000000');
		const { value, facts } = (await answer.json()) as { value: number; facts: { words: string }[] };
		expect(value).toBeGreaterThan(20e9);
		expect(facts[0]!.words).toMatch(/99 of 100 machine-days wrote under/);
		expect((await owner.get('/api/v1/overlay?line=moon')).status()).toBe(404);
		expect((await owner.get('/api/v1/overlay?line=bridge-desk&perMachine=0')).status()).toBe(422);
	});

	test('a list says which terms it left out, and refuses a column it has not', async () => {
		const page = (await (await owner.get('/api/v1/pools?scope=site:bergen%20strain>50')).json()) as {
			rows: { site: string }[];
			leftOut: string[];
		};
		expect(page.leftOut).toEqual(['strain over 50']);
		expect(new Set(page.rows.map((r) => r.site))).toEqual(new Set(['bergen']));
		for (const kind of ['machines', 'pools']) {
			const refused = await owner.get(`/api/v1/${kind}?sort=colour`);
			expect(refused.status()).toBe(422);
			expect(await refused.json()).toMatchObject({ errors: [{ field: 'sort' }] });
		}
	});

	test('what is wrong is said as a problem document', async () => {
		const cases: [
			Promise<{ status(): number; json(): Promise<unknown>; headers(): Record<string, string> }>,
			number,
			object
		][] = [
			[owner.get('/api/v1/unicorns'), 404, { title: 'It is not there' }],
			[owner.get('/api/v1/machines?scope=colour:red'), 422, { errors: [{ field: 'scope' }] }],
			[owner.get('/api/v1/machines?cursor=zzz'), 422, { errors: [{ field: 'cursor' }] }],
			[
				send(owner, '/plans', { kind: 'policy.set', input: { pool: 'payroll', most: 'many' } }),
				422,
				{ errors: [{ field: 'most' }] }
			],
			[send(owner, '/plans', { kind: 'nothing', input: {} }), 422, { errors: [{ field: 'kind' }] }],
			[send(owner, '/plans/999999/commit', {}), 404, {}],
			[send(owner, '/lab/clock', { speed: 9999 }), 422, { errors: [{ field: 'speed' }] }],
			[
				owner.post('/api/v1/plans', {
					data: Buffer.from('{not json'),
					headers: { origin: ORIGIN, 'content-type': 'application/json' }
				}),
				400,
				{ title: 'The body is not JSON' }
			]
		];
		for (const [asked, status, shape] of cases) {
			const response = await asked;
			expect(response.status()).toBe(status);
			expect(response.headers()['content-type']).toBe('application/problem+json');
			expect(await response.json()).toMatchObject({
				status,
				title: expect.any(String),
				detail: expect.any(String),
				...shape
			});
		}
	});

	test('the description is served, with every kind of plan', async () => {
		const doc = (await (await owner.get('/api/v1/openapi.json')).json()) as {
			openapi: string;
			paths: Record<string, object>;
			components: { schemas: Record<string, object> };
		};
		expect(doc.openapi).toBe('3.1.0');
		expect(Object.keys(doc.paths)).toEqual(expect.arrayContaining(['/machines', '/plans/{id}/commit', '/notes']));
		expect(doc.components.schemas['input.pool.create']).toMatchObject({
			required: expect.arrayContaining(['naming', 'count'])
		});
	});

	test('a change from another site is refused, and pages carry their guards', async () => {
		const strange = await owner.post('/api/v1/plans', {
			data: { kind: 'grant.remove', input: { grant: 1 } },
			headers: { origin: 'https://elsewhere.example' }
		});
		expect(strange.status()).toBe(403);
		const page = await owner.get('/');
		const csp = page.headers()['content-security-policy'] ?? '';
		expect(csp).toMatch(/script-src 'self' 'nonce-/);
		expect(/script-src[^;]*unsafe-inline/.test(csp)).toBe(false);
		expect(csp).toContain("base-uri 'none'");
		// What is no page runs nothing, wherever it is opened.
		expect((await owner.get('/api/v1/sites')).headers()['content-security-policy']).toMatch(/^default-src 'none'/);
		expect(page.headers()).toMatchObject({ 'x-content-type-options': 'nosniff', 'x-frame-options': 'DENY' });
	});

	test('what is sent is not given back to whoever traces it', async () => {
		const { hostname, port } = new URL(ORIGIN);
		const answer = await new Promise<{ status: number; body: string }>((ready, wrong) => {
			const asked = http.request({
				hostname,
				port,
				path: '/',
				method: 'TRACE',
				headers: { 'x-secret': 'slack water' }
			});
			asked.on('response', (r) => {
				let body = '';
				r.on('data', (d: Buffer) => (body += d.toString()));
				r.on('end', () => ready({ status: r.statusCode ?? 0, body }));
			});
			asked.on('error', wrong);
			asked.end();
		});
		expect(answer.status).toBeGreaterThanOrEqual(400);
		expect(answer.status).toBeLessThan(500);
		expect(answer.body).not.toContain('slack water');
	});

	test('sign-in attempts are limited', async () => {
		const guess = await newRequest.newContext({ baseURL: ORIGIN, extraHTTPHeaders: { origin: ORIGIN } });
		let last = '';
		for (let i = 0; i < 10; i++)
			last = await (await guess.post('/sign-in', { form: { login: 'nobody', password: `guess ${i}` } })).text();
		expect(last).toContain('Too many attempts');
		await guess.dispose();
	});
});

test('a sheet goes out as a file and comes back the same; a wrong one says where', async () => {
	const context = await signedIn('builder');
	const file = await context.get('/api/v1/sheets/bridge-desk');
	expect(file.headers()['content-type']).toMatch(/yaml/);
	const text = await file.text();
	expect(text).toMatch(/^build-sheet: 1\nlimit: 3 h 30 min\n/);
	const same = await context.post('/api/v1/plans', {
		data: { kind: 'image.sheet', input: { line: 'bridge-desk', text } }
	});
	expect(((await same.json()) as { blocks: { words: string }[] }).blocks.map((b) => b.words)).toEqual([
		'nothing in it is different'
	]);
	const wrong = await context.post('/api/v1/plans', {
		data: { kind: 'image.sheet', input: { line: 'bridge-desk', text: text.replace('kind: trim', 'kind: trimm') } }
	});
	expect(wrong.status()).toBe(422);
	expect(((await wrong.json()) as { errors: { field: string; words: string }[] }).errors[0]).toMatchObject({
		field: 'text',
		words: expect.stringMatching(/^Line \d+, column \d+: there is no kind of step called trimm/) as unknown as string
	});
	const looked = await context.post('/api/v1/sheets/bridge-desk/check', { data: { text } });
	const { report } = (await looked.json()) as {
		report: { steps: unknown[]; expected: { middle: number; ninety: number } };
	};
	expect(report.steps).toHaveLength(11);
	expect(report.expected.ninety).toBeGreaterThan(report.expected.middle);
	expect((await context.get('/api/v1/sheets/none')).status()).toBe(404);
});

test('contents leave as CycloneDX, schedules as a calendar that takes its token in the address', async () => {
	const context = await signedIn('builder');
	const bom = (await (await context.get('/api/v1/boms/bridge-desk/3.2.0')).json()) as {
		components: { name: string; version: string }[];
	};
	expect(bom.components).toContainEqual(expect.objectContaining({ name: 'Paperlane', version: '13.0' }));
	expect((await context.get('/api/v1/boms/bridge-desk/9.9.9')).status()).toBe(404);
	const nobody = await newRequest.newContext({ baseURL: ORIGIN });
	expect((await nobody.get('/api/v1/calendar.ics?token=sxt_wrong')).status()).toBe(401);
	const calendar = await (await context.get('/api/v1/calendar.ics')).text();
	expect(calendar).toMatch(/^BEGIN:VCALENDAR\r\n[\s\S]*END:VCALENDAR/);
});

test('a console that is not open says so; who may not build may not type', async () => {
	const builder = await signedIn('builder');
	const closed = await builder.post('/api/v1/consoles/chart-studio', { data: { text: 'programs' } });
	expect(closed.status()).toBe(502);
	expect(((await closed.json()) as { detail: string }).detail).toBe('no version of chart-studio is open');
	const helpdesk = await signedIn('helpdesk');
	expect((await helpdesk.post('/api/v1/consoles/chart-studio', { data: { text: 'programs' } })).status()).toBe(403);
});

test('a body that is too large is refused before it is read, but for packages, which are refused for what they are', async () => {
	const context = await signedIn('builder');
	const large = Buffer.alloc(600_000, 32);
	const upload = await context.post('/api/v1/packages', { data: large });
	expect(upload.status()).toBe(422);
	expect(((await upload.json()) as { detail: string }).detail).toMatch(/It is refused/);
	const plan = await context.post('/api/v1/plans', { data: large });
	expect(plan.status()).toBe(413);
	expect(await plan.json()).toMatchObject({ type: '/api/v1/problems/too-large', status: 413 });
});
