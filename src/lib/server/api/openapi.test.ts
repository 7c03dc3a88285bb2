import { createConfig, lintFromString } from '@redocly/openapi-core';
import { beforeAll, describe, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { PLAN_KINDS } from '../areas';
import { one, run } from '../db';
import { ENDPOINTS, endpointFor } from '../house/endpoints';
import { providerAt } from '../network';
import type { Harness } from '../testing/harness';
import { livedIn } from '../testing/lived';
import { assign, callerNow } from '../identity/accounts';
import { askApi, serveFrom } from '../testing/pages';
import { openApi } from './openapi';

describe('the API’s description', () => {
	const doc = openApi() as {
		paths: Record<string, Record<string, { operationId: string; responses: Record<string, { content?: object }> }>>;
		components: { schemas: Record<string, { type?: string; description?: string }> };
	};
	test('is OpenAPI that a linter finds nothing wrong with', async () => {
		const problems = await lintFromString({
			source: JSON.stringify(doc),
			absoluteRef: '/openapi.json',
			config: await createConfig({ extends: ['recommended'], rules: { 'info-license': 'off' } })
		});
		expect(problems.map((p) => `${p.ruleId}: ${p.message} ${p.location[0]?.pointer}`)).toEqual([]);
	});
	test('holds a schema for the input of every kind of plan', () => {
		for (const k of PLAN_KINDS)
			expect(doc.components.schemas[`input.${k.kind}`], k.kind).toMatchObject({ type: 'object', description: k.words });
	});
	test('names each operation once, and says what it answers', () => {
		const operations = Object.values(doc.paths).flatMap((p) => Object.values(p));
		expect(operations).toHaveLength(ENDPOINTS.length);
		expect(new Set(operations.map((o) => o.operationId)).size).toBe(operations.length);
		for (const o of operations)
			if (!o.responses[204]) expect(Object.values(o.responses)[0], o.operationId).toBeDefined();
	});
});

describe('every address of the API', () => {
	let h: Harness;
	let job: number;
	beforeAll(async () => {
		h = await livedIn();
		serveFrom(h);
		job = one<{ id: number }>(h.db, 'SELECT max(id) AS id FROM jobs')!.id;
	});

	const post = (path: string, body: unknown = {}) => askApi(h, 'POST', `/api/v1${path}`, JSON.stringify(body));
	const get = (path: string) => askApi(h, 'GET', `/api/v1${path}`);
	const made = async (path: string, body?: unknown) => {
		const asked = await post(path, body);
		expect(asked.status, `${path} ${JSON.stringify(asked)}`).toBeLessThan(300);
		return JSON.parse(String(asked.body)) as { id: number };
	};

	test('answers as it is described: right questions, in an order that works', async () => {
		const met = new Set<string>();
		const meet = (method: string, path: string) =>
			met.add(`${method} ${endpointFor(method, `/api/v1${path.split('?')[0]}`)!.endpoint.path}`);
		const ok = async (method: 'GET' | 'POST' | 'DELETE', path: string, body?: unknown) => {
			const asked = await askApi(h, method, `/api/v1${path}`, body === undefined ? undefined : JSON.stringify(body));
			expect(asked.status, `${method} ${path}: ${JSON.stringify(asked).slice(0, 600)}`).toBeOneOf([200, 201, 202, 204]);
			meet(method, path);
			return asked.body === undefined || asked.body === '' ? null : String(asked.body);
		};
		for (const e of ENDPOINTS.filter((x) => x.method === 'GET' && !x.path.includes('{') && !x.path.startsWith('/lab')))
			if (
				![
					'/overlay',
					'/access-test',
					'/search',
					'/effective-settings',
					'/compared-settings',
					'/record/files.tar',
					'/report-preview'
				].includes(e.path) &&
				!e.path.startsWith('/reach')
			)
				await ok('GET', e.path);
		for (const [path, id] of [
			['sites', 'quay'],
			['hosts', 'quay-h1'],
			['machines', 'quay-01'],
			['pools', 'quay'],
			['image-lines', 'desk'],
			['publications', 'desk'],
			['grants', '1'],
			['people', 'anna'],
			['teams', 'harbour'],
			['jobs', String(job)],
			['changes', '1'],
			['deliveries', 'quay/logline'],
			['requests', '1'],
			['checks', 'quay-01'],
			['notes', '1'],
			['endpoints', '1'],
			['branches', 'offices'],
			['enrolment-rules', '1'],
			['announced-endpoints', 'TB-7'],
			['endpoint-firmware', '1'],
			['settings-groups', 'sleep'],
			['access-rules', 'depot'],
			['private-services', 'depot'],
			['site-categories', 'films'],
			['inner-gateways', 'quay-gate'],
			['activity-looks', '1'],
			['unusual-findings', '1'],
			['settings', 'lock.after'],
			['record-entries', '1'],
			['reports', 'largest-transfers'],
			['report-runs', '1'],
			['report-runs', '1/made'],
			['report-runs', '1/made.csv'],
			['report-runs', '1/made.pdf'],
			['endpoint-certificates', one<{ number: string }>(h.db, 'SELECT number FROM endpoint_certificates')!.number],
			['sessions', String(one<{ id: number }>(h.db, 'SELECT id FROM sessions LIMIT 1')!.id)]
		])
			await ok('GET', `/${path}/${id}`);
		await h.lab.apply({ kind: 'fault', fault: 'volume-full', target: 'isle-v1', value: 0.96 });
		await h.live(7 * MINUTE);
		const { rows } = JSON.parse((await ok('GET', '/comings'))!) as { rows: { id: string }[] };
		await ok('GET', `/comings/${rows[0]!.id}`);
		const kept = JSON.parse((await ok('GET', '/desks'))!) as { rows: { id: string }[] };
		await ok('GET', `/desks/${kept.rows[0]!.id}`);
		await ok('GET', `/findings/${one<{ id: number }>(h.db, 'SELECT id FROM findings LIMIT 1')!.id}`);
		await ok('GET', '/machines.csv?sort=-strain&limit=2');
		expect(await ok('GET', '/search?q=quay-0')).toContain('"kind":"machine","id":"quay-01"');
		await ok('GET', '/report-preview?source=machines&columns=name,state&group=state&chart=rows');
		await ok('GET', '/who/harbour/desk');
		await ok('GET', '/shelves/anna');
		await ok('GET', '/access-test?person=anna&publication=desk&managed=no');
		await ok('GET', '/overlay?line=desk&perMachine=3');
		await ok('GET', '/names?naming=new-%23%23&count=3');
		await ok('GET', '/effective-settings?of=person/anna@pool/quay');
		await ok('GET', '/compared-settings?of=branch/offices&with=endpoint/1');
		await ok('GET', '/settings-groups-file');
		await ok('GET', '/reach?person=anna&what=service/depot&when=Tue%2014:30');
		await ok('GET', '/reach/people?what=host/tides.example&limit=2');
		await ok('GET', '/reach/targets?person=anna');
		await ok('GET', '/activity/people/anna?limit=5');
		await ok('GET', '/sheets/desk');
		await ok('GET', '/boms/desk/1.0.0');
		await ok('GET', '/packages');
		await ok('POST', '/sheets/desk/check', { text: String((await get('/sheets/desk')).body) });
		await ok('POST', '/sheets/desk/check', { text: 'steps: [' });

		const policy = { kind: 'policy.set', input: { pool: 'quay', headroomIn: 5 } };
		await ok('GET', '/problems');
		await ok('GET', '/problems/refused');
		await ok('POST', '/plans/foresee', policy);
		const { id } = JSON.parse((await ok('POST', '/plans', policy))!) as { id: number };
		await ok('GET', `/plans/${id}`);
		await ok('POST', `/plans/${id}/recompute`);
		const committed = JSON.parse((await ok('POST', `/plans/${id}/commit`, { at: '2100-01-01T00:00Z' }))!) as {
			job: number;
		};
		await ok('POST', `/jobs/${committed.job}/cancel`);
		await ok('DELETE', `/plans/${(await made('/plans', policy)).id}`);
		await ok(
			'POST',
			`/changes/${one<{ n: number }>(h.db, `SELECT max(number) AS n FROM changes WHERE undo IS NOT NULL`)!.n}/undo`
		);
		await ok('POST', '/notices');
		await ok('GET', '/record/files.tar?from=2020-01-01T00:00:00Z');
		await ok('POST', '/changes/compare', { heads: 'no head' });

		// What waits for another: answered by another.
		await h.carryOut('consent.rules', { kinds: ['note.write'] });
		run(h.db, `INSERT INTO operators(id, login, name, password) VALUES (2, 'second', 'Second', '')`);
		assign(h.db, 'second', { role: 'owner', part: '', ends: null, by: 'the test' }, h.lab.now);
		const second = callerNow(h.db, 'operator', 2, h.lab.now)!;
		for (const answer of ['consent', 'decline'] as const) {
			const waits = await made('/plans', { kind: 'note.write', input: { about: 'person/anna', text: answer } });
			expect(await ok('POST', `/plans/${waits.id}/commit`)).toContain('"job":null');
			await ok('GET', `/plans/${waits.id}/consent`);
			const body = answer === 'decline' ? JSON.stringify({ words: 'not now' }) : undefined;
			const asked = await askApi(h, 'POST', `/api/v1/plans/${waits.id}/${answer}`, body, second);
			expect(asked.status, JSON.stringify(asked)).toBeOneOf([202, 204]);
			meet('POST', `/plans/${waits.id}/${answer}`);
		}

		const joining = JSON.parse((await ok('POST', '/joinings', {}))!) as { id: number };
		await ok('GET', `/joinings/${joining.id}`);
		await ok('DELETE', `/joinings/${joining.id}`);
		const renewing = await made('/joinings', { site: 'quay' });
		const { address } = providerAt(h.db, h.ctx.vault, 'quay', h.lab.now)!;
		await ok('POST', `/joinings/${renewing.id}/address`, { address });

		const capture = JSON.parse((await ok('POST', '/captures', { name: 'tide' }))!) as { id: number };
		for (const [part, list] of [
			['before', ['a.txt']],
			['after', ['a.txt', 'b.txt']]
		] as const)
			await inventory(capture.id, part, list).then((asked) => {
				expect(asked.status, JSON.stringify(asked)).toBe(201);
				meet('POST', `/captures/${capture.id}/files/${part}`);
			});
		await ok('POST', `/captures/${capture.id}/compare`);
		await ok('GET', `/captures/${capture.id}`);
		await ok('GET', `/captures/${capture.id}/changes?sort=app`);
		await ok('GET', `/captures/${capture.id}/changes?q=b`);
		await ok('POST', `/captures/${capture.id}/choices`, { choices: [{ branch: 'srv', take: true }] });

		const file = await askApi(
			h,
			'POST',
			'/api/v1/directory/files?name=a.csv',
			new TextEncoder().encode('login,name\nzoe,Zoe\n')
		);
		expect(file.status, JSON.stringify(file)).toBe(201);
		meet('POST', '/directory/files');

		// What takes more than a question is asked where it is tested: joining up, bringing folders and packages, consoles, pictures, the lab.
		const elsewhere =
			/^\w+ \/(lab|joinings\/\{id\}\/(?!address)|captures\/\{id\}\/files\/(idle|folder)|consoles|icons|packages|endpoint-screens)/;
		expect(ENDPOINTS.map((e) => `${e.method} ${e.path}`).filter((e) => !met.has(e) && !elsewhere.test(e))).toEqual([]);
	});

	const inventory = (id: number, part: string, files: readonly string[]) =>
		askApi(
			h,
			'POST',
			`/api/v1/captures/${id}/files/${part}`,
			new TextEncoder().encode(
				[
					{ inventory: 1, of: 'box', at: h.lab.now },
					{ file: 'srv', kind: 'folder', size: 0, mode: '0755', owner: 'root', mtime: 0 },
					...files.map((f) => ({
						file: `srv/${f}`,
						kind: 'file',
						size: 3,
						mode: '0644',
						owner: 'root',
						mtime: 0,
						sha256: 'a'.repeat(64)
					}))
				]
					.map((line) => JSON.stringify(line))
					.join('\n')
			)
		);

	test('says what is there, what is not, and what is wrong, each in its way', async () => {
		expect(await get('/moon')).toMatchObject({ status: 404 });
		expect(await get('/machines/moon')).toMatchObject({ status: 404 });
		const other = await askApi(h, 'DELETE', '/api/v1/machines');
		expect(other).toMatchObject({ status: 405 });
		const wrong = await get('/plans/abc');
		expect(wrong).toMatchObject({ status: 422 });
		expect(String(wrong.body)).toContain('"field":"id"');
		expect(await get('/names?naming=a-%23&count=many')).toMatchObject({ status: 422 });
		expect(await get('/machines?limit=0')).toMatchObject({ status: 422 });
		// Of what is said twice the first counts, everywhere.
		const { body } = await get('/machines?limit=2&limit=0&limit=many');
		expect((JSON.parse(String(body)) as { rows: unknown[] }).rows).toHaveLength(2);
		expect(await get('/machines.csv?limit=50001')).toMatchObject({ status: 422 });
	});
});
