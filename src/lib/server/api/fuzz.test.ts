import { beforeAll, describe, expect, test } from 'vitest';
import { HOUR } from '$lib/core/time/units';
import { mulberry } from '../testing/chance';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { keepPackage } from '../testing/packages';
import { act, actionsOf, askApi, askPage, PAGE_ROUTES, serveFrom } from '../testing/pages';
import { ENDPOINTS } from '../house/endpoints';
import { PLAN_KINDS } from '../areas';
import { one } from '../db';
import { asRole, type Caller } from '../identity/caller';

/**
 * Odd input at every page, endpoint, form and kind of plan: whatever comes, the answer is one that somebody foresaw. A portion of it each
 * time; `FUZZ=100000 FUZZ_SEED=7 npx vitest run src/lib/server/api/fuzz.test.ts` for a night.
 */
const MANY = Number(process.env.FUZZ ?? 4000);
const SEED = Number(process.env.FUZZ_SEED ?? Math.floor(Date.now() / 86_400_000));
const chance = mulberry(SEED);
const pick = <T>(of: readonly T[]): T => of[Math.floor(chance() * of.length)]!;

const TEXTS = [
	'',
	' ',
	'0',
	'-1',
	'1.5',
	'1e300',
	'-1e300',
	'NaN',
	'Infinity',
	'9007199254740993',
	'null',
	'undefined',
	'true',
	'[]',
	'{}',
	'constructor',
	'__proto__',
	'toString',
	'hasOwnProperty',
	'constructor:x',
	'site:nowhere',
	'site:quay pool:quay',
	'-strain>99',
	'signin>60s',
	'"'.repeat(30),
	'-team:crew '.repeat(200),
	"' OR 1=1 --",
	'%',
	'%00',
	'\u0000',
	'\ud800',
	'😀'.repeat(40),
	'李娜',
	'Мука',
	'ñuñez',
	'../../etc/passwd',
	'<script>alert(1)</script>',
	'a'.repeat(3000),
	'2026-11-17T14:05Z',
	'+275760-09-13T00:00Z',
	'-271821-04-20T00:00Z',
	'0000-00-00',
	'2026-02-31',
	'99999999999999999999',
	'W10',
	'WzFlMzAwLDFd',
	'quay',
	'desk',
	'desk/1.0.0',
	'1.0.0',
	'ada',
	'pool/quay',
	'machine/x',
	'finding/1',
	'change/1e9',
	'Europe/Oslo',
	'FREQ=DAILY;INTERVAL=-1',
	'[[[[[[',
	'&a [*a]',
	'{a: {b: {c: ',
	'&'.repeat(100)
];
const KEYS = [
	'scope', 'at', 'sort', 'limit', 'offset', 'cursor', 'list', 'pool', 'line', 'version', 'number', 'card', 'plan', 'make', 'edit', 'cell', 'who',
	'on', 'person', 'publication', 'address', 'managed', 'factor', 'count', 'from', 'naming', 'adopt', 'format', 'path', 'q', 'a', 'b', 'to', 'kind',
	'perMachine', 'keeps', 'pageFile', 'pageFileOn', 'wave', 'site', 'stock'
]; // prettier-ignore

const oddText = (): string =>
	chance() < 0.8
		? pick(TEXTS)
		: Array.from({ length: Math.floor(chance() * 12) }, () => pick(TEXTS).slice(0, 8)).join('');
function oddValue(depth = 0): unknown {
	const n = chance();
	if (n < 0.35) return oddText();
	if (n < 0.5) return pick([0, -1, 1, 0.5, 1e300, -1e300, 2 ** 53, 1e9, 7, 60_000]);
	if (n < 0.58) return pick([null, true, false]);
	if (depth > 3) return oddText();
	if (n < 0.75) return Array.from({ length: Math.floor(chance() * 4) }, () => oddValue(depth + 1));
	return Object.fromEntries(
		Array.from({ length: Math.floor(chance() * 5) }, () => [pick([...KEYS, ...TEXTS]), oddValue(depth + 1)])
	);
}
const oddQuery = (): string =>
	new URLSearchParams(Array.from({ length: Math.floor(chance() * 4) }, () => [pick(KEYS), oddText()])).toString();
const paramsOf = (id: string): Record<string, string> =>
	Object.fromEntries([...id.matchAll(/\[(?:\.\.\.)?(\w+)\]/g)].map((m) => [m[1]!, oddText()]));

/** Fields of a kind of plan, as its schema has them. */
function fieldsOf(schema: unknown): string[] {
	const s = schema as { entries?: Record<string, unknown>; options?: unknown[]; pipe?: unknown[] };
	if (s.entries) return Object.keys(s.entries);
	return [...(s.options ?? []), ...(s.pipe ?? [])].flatMap((o) => (o === schema ? [] : fieldsOf(o)));
}

let h: Harness;
let PERSON: Caller;
beforeAll(async () => {
	h = await Harness.of(testEstate());
	serveFrom(h);
	await h.live(HOUR, 20_000);
	const person = one<{ id: number; name: string; login: string }>(h.db, 'SELECT id, name, login FROM people LIMIT 1')!;
	PERSON = { ...person, kind: 'person', ...asRole('person'), factor: false, signIn: 'x' };
	keepPackage(h, 'logline', '1.0.0');
	await h.carryOut('package.deliver', { package: 'logline', pools: ['quay'], version: '1.0.0' });
});

/** What nobody foresaw, with how to ask again. */
const wrong: string[] = [];
function note(what: string, asked: { status: number | null; error?: unknown; body?: unknown }): void {
	const foreseen = asked.status !== null && (asked.status < 500 || [502, 503, 507].includes(asked.status));
	const where = asked.error instanceof Error ? asked.error.stack!.split('\n')[1]! : what.slice(0, 40);
	if (!foreseen && wrong.length < 20 && !wrong.some((w) => w.includes(where)))
		wrong.push(
			`${what}: ${asked.status} ${asked.error instanceof Error ? asked.error.stack : JSON.stringify(asked.body)}`
		);
}

describe(`odd input (seed ${SEED}, ${MANY} in all)`, () => {
	test('at every page', async () => {
		for (let i = 0; i < MANY / 4; i++) {
			const { file, id } = pick(PAGE_ROUTES);
			const url = `/?${oddQuery()}`;
			const params = paramsOf(id);
			note(
				`${id} ${url} ${JSON.stringify(params)}`,
				await askPage(file, url, params, id.includes('portal') ? PERSON : OWNER)
			);
		}
		expect(wrong.splice(0)).toEqual([]);
	}, 600_000);

	test('at every endpoint', async () => {
		for (let i = 0; i < MANY / 4; i++) {
			const { method, path } = pick(ENDPOINTS);
			if (path.startsWith('/lab')) continue;
			const address = path.replaceAll(/\{\w+\}/g, () => encodeURIComponent(oddText().toWellFormed()));
			const url = `/api/v1${address}?${oddQuery()}`;
			const body =
				method === 'GET' || method === 'DELETE' ? undefined : chance() < 0.2 ? oddText() : JSON.stringify(oddValue());
			note(`${method} ${url} ${body}`, await askApi(h, method, url, body));
		}
		expect(wrong.splice(0)).toEqual([]);
	}, 600_000);

	test('at every form', async () => {
		const forms = (
			await Promise.all(PAGE_ROUTES.map(async (r) => (await actionsOf(r.file)).map((action) => ({ ...r, action }))))
		).flat();
		for (let i = 0; i < MANY / 20; i++) {
			const { file, id, action } = pick(forms);
			if (id.includes('portal') && ['fetch', 'put', 'ask', 'answer'].includes(action) && chance() < 0.9) continue;
			const fields = [
				'login',
				'password',
				'code',
				'name',
				'role',
				'token',
				'tokenRole',
				'before',
				'next',
				'publication',
				'why',
				'request',
				'run',
				'ticket',
				'another'
			];
			const form = Object.fromEntries(fields.filter(() => chance() < 0.6).map((f) => [f, oddText()]));
			note(
				`${id}?/${action} ${JSON.stringify(form)}`,
				await act(file, action, form, paramsOf(id), id.includes('portal') ? PERSON : OWNER)
			);
		}
		expect(wrong.splice(0)).toEqual([]);
	}, 600_000);

	test('at every kind of plan', async () => {
		for (let i = 0; i < MANY / 2; i++) {
			const kind = pick(PLAN_KINDS);
			const fields = fieldsOf(kind.schema);
			const input = Object.fromEntries(fields.filter(() => chance() < 0.85).map((f) => [f, oddValue()]));
			const body = JSON.stringify({ kind: chance() < 0.02 ? oddText() : kind.kind, input });
			note(`plan ${body}`, await askApi(h, 'POST', '/api/v1/plans', body));
		}
		expect(wrong.splice(0)).toEqual([]);
	}, 600_000);
});
