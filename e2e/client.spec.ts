import { createHash, randomBytes } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, request as newRequest, test } from '@playwright/test';
import openapiTS, { astToString } from 'openapi-typescript';
import ts from 'typescript';
import { BASE } from './site';

const ORIGIN = BASE;
const FOLDER = join(import.meta.dirname, 'client');

/** What a compiler has to say of a program that uses the client. */
function complaints(file: string): string[] {
	const program = ts.createProgram([join(FOLDER, file)], {
		strict: true,
		noEmit: true,
		skipLibCheck: true,
		module: ts.ModuleKind.ESNext,
		moduleResolution: ts.ModuleResolutionKind.Bundler,
		target: ts.ScriptTarget.ES2022,
		lib: ['lib.es2023.d.ts', 'lib.dom.d.ts'],
		types: []
	});
	return ts
		.getPreEmitDiagnostics(program)
		.map((d) => `${d.file?.fileName}: ${ts.flattenDiagnosticMessageText(d.messageText, '\n')}`);
}

test('a client made from the API’s description compiles, works, and knows what is wrong', async () => {
	const owner = await newRequest.newContext({ baseURL: ORIGIN, extraHTTPHeaders: { origin: ORIGIN } });
	await owner.post('/sign-in', { form: { login: 'owner', password: 'tideline' }, maxRedirects: 0 });
	const carryOut = async (kind: string, input: unknown) => {
		const plan = (await (await owner.post('/api/v1/plans', { data: { kind, input } })).json()) as { id: number };
		const { job } = (await (await owner.post(`/api/v1/plans/${plan.id}/commit`, { data: {} })).json()) as {
			job: number;
		};
		await expect
			.poll(async () => ((await (await owner.get(`/api/v1/jobs/${job}`)).json()) as { state: string }).state)
			.toBe('done');
	};
	const description = await (await owner.get('/api/v1/openapi.json')).text();
	writeFileSync(join(FOLDER, 'schema.d.ts'), astToString(await openapiTS(description)));
	expect(complaints('walk.ts')).toEqual([]);

	// What is not as it is described does not compile.
	const wrong = (line: string) => {
		writeFileSync(
			join(FOLDER, 'wrong.ts'),
			`import createClient from 'openapi-fetch';\nimport type { paths } from './schema';\nconst api = createClient<paths>();\n${line}\n`
		);
		return complaints('wrong.ts');
	};
	expect(wrong(`void api.GET('/machines');`)).toEqual([]);
	expect(wrong(`void api.GET('/machine');`)).not.toEqual([]);
	expect(wrong(`void api.POST('/plans', { body: { kind: 'note.write', input: { txt: 'x' } } });`)).not.toEqual([]);
	expect(wrong(`const { data } = await api.GET('/machines'); data!.rows[0]!.colour;\nexport {};`)).not.toEqual([]);

	const secret = randomBytes(24).toString('hex');
	const hash = createHash('sha256').update(secret).digest('hex');
	await carryOut('token.create', { name: 'client', role: 'operator', hash });
	// Just after the clock was moved on, nothing has been measured there yet.
	await expect
		.poll(async () => {
			const busiest = await owner.get('/api/v1/machines?scope=site:bergen&sort=-strain&limit=1');
			return ((await busiest.json()) as { rows: { strain: number | null }[] }).rows[0]!.strain;
		})
		.not.toBeNull();
	const { walk } = (await import(join(FOLDER, 'walk.ts'))) as { walk(url: string, token: string): Promise<string[]> };
	expect(await walk(`${ORIGIN}/api/v1`, secret)).toEqual([
		'3 of many',
		'number',
		'its card',
		'true',
		'true',
		'0 blocks',
		'note.remove',
		'done',
		'Left by a script',
		'404 It is not there'
	]);
	await carryOut('token.revoke', { name: 'client' });
	await owner.dispose();
});
