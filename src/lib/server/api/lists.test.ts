import { beforeAll, describe, expect, test } from 'vitest';
import { verify } from '@node-rs/argon2';
import { parseScope, termWords } from '$lib/core/scope/scope';
import { InputProblem } from '../plans/kind';
import { all, one } from '../db';
import { NotAllowed, NotFound, planById, PlanRefused } from '../plans';
import { ProviderError } from '../providers';
import { OWNER, type Harness } from '../testing/harness';
import { asRole } from '../identity/caller';
import { livedIn } from '../testing/lived';
import { cardOf } from '../house/cards';
import { figuresAt } from '../watch';
import { askedOf } from '../calls/endpoint';
import * as v from 'valibot';
import { cursorOf, LISTS, readCursor } from '../house/lists';
import type { PageAsk } from '../lists/kind';
import { answer, problemOf } from './problems';

let h: Harness;
beforeAll(async () => {
	h = await livedIn();
});

const list = (kind: string, scope = '', more: Partial<PageAsk> = {}) =>
	LISTS.get(kind)!.page(h.db, {
		at: h.lab.now,
		scope: parseScope(scope).scope,
		sort: '',
		descending: false,
		limit: 100,
		offset: 0,
		...more
	});

describe('what a caller looks at', () => {
	const asked = (query: string) => () => askedOf(new URL(`http://x/api/v1/who?${query}`), h.ctx);
	test('is refused beside its name where it cannot be read, never guessed', () => {
		expect(asked('at=2026-11-17T09:00Z&scope=team:harbour')()).toMatchObject({ at: Date.UTC(2026, 10, 17, 9) });
		for (const [query, field] of [
			['at=zzz', 'at'],
			['scope=boats:many', 'scope']
		] as const)
			expect(asked(query)).toThrow(
				expect.objectContaining({ problems: [expect.objectContaining({ field })] }) as Error
			);
	});
});

describe('lists of every kind', () => {
	test.each([...LISTS.keys()])(
		'%s have rows here, each as its schema says, with its card or its reasons',
		async (name) => {
			const kind = LISTS.get(name)!;
			const { rows, total, left } = list(name);
			expect(rows.length).toBeGreaterThan(0);
			expect(total).toBe(rows.length);
			expect(left).toEqual([]);
			for (const row of rows) {
				expect(v.safeParse(kind.row, row).issues?.map((i) => `${v.getDotPath(i)}: ${i.message}`)).toBeUndefined();
				if (kind.card === null) expect(kind.why!(h.db, row, h.lab.now).length).toBeGreaterThan(0);
				else expect(await cardOf(h.ctx, kind.card, kind.idOf(row), { at: h.lab.now, live: true })).not.toBeNull();
			}
		}
	);

	test.each<[string, string, number]>([
		['sites', 'site:isle', 1],
		['requests', 'team:visitors', 1],
		['requests', 'team:everybody person:eve publication:boat', 1],
		['requests', 'team:harbour', 0],
		['pools', 'site:quay', 2],
		['pools', '-pool:own', 2],
		['grants', 'publication:own', 1],
		['grants', 'team:everybody', 1],
		['publications', 'team:harbour', 1],
		['publications', 'site:quay', 3],
		['pools', 'publication:own', 1],
		['grants', 'person:eve', 1],
		['teams', 'team:harbour', 1],
		['publications', 'own', 1],
		['image-lines', 'line:none', 0],
		['checks', 'machine:quay-01', 1],
		['checks', 'site:isle', 0],
		['findings', 'site:isle', 1],
		['deliveries', 'site:isle', 1]
	])('%s under %s are %i', (kind, scope, n) => {
		expect(list(kind, scope).total).toBe(n);
	});

	test('name the terms that say nothing of them', () => {
		const left = (kind: string, scope: string) => list(kind, scope).left.map((t) => termWords(t));
		expect(left('pools', 'site:quay strain>50')).toEqual(['strain over 50']);
		expect(left('sites', 'team:harbour')).toEqual(['team harbour']);
		expect(left('machines', 'strain>50')).toEqual([]);
	});

	test('sort by any of their columns, both ways, and refuse another beside the field', () => {
		const names = (descending: boolean) =>
			list('pools', '', { sort: 'name', descending }).rows.map((r) => r.name as string);
		expect(names(false)).toEqual([...names(false)].sort());
		expect(names(true)).toEqual([...names(false)].reverse());
		for (const kind of LISTS.keys()) {
			const refused = (() => {
				try {
					list(kind, '', { sort: 'colour' });
				} catch (e) {
					return e as InputProblem;
				}
			})()!;
			expect(refused).toBeInstanceOf(InputProblem);
			expect(refused.problems[0]!.field).toBe('sort');
			expect(refused.message).toMatch(/no column colour to sort by; there are \w/);
		}
	});

	test('are cut into pages that make up the whole', () => {
		for (const kind of ['machines', 'people', 'pools'] as const) {
			const whole = list(kind).rows.map((r) => r.id);
			const cut = [0, 2, 4, 6, 8, 10].flatMap((offset) => list(kind, '', { limit: 2, offset }).rows.map((r) => r.id));
			expect(cut).toEqual(whole.slice(0, 12));
		}
	});

	test('a finding has as many people as Today says', () => {
		const [finding] = list('findings').rows;
		expect(finding).toMatchObject({ kind: 'volume nearly full', remedy: { kind: 'volume.extend' } });
		const on = list('sessions', 'site:isle').total;
		expect(finding!.people).toBe(on);
	});

	test('a site’s reasons carry the figures of the scope line', () => {
		const f = figuresAt(h.db, parseScope('site:quay').scope, h.lab.now);
		const words = LISTS.get('sites')!.why!(h.db, { id: 'quay' }, h.lab.now).map((r) => r.words);
		expect(words[0]).toMatch(new RegExp(`^${f.people} `));
		expect(words[1]).toBe(`${f.up} of ${f.machines} machines are up`);
		expect(words[2]).toBe('1 machine is unusable');
	});
});

describe('a cursor', () => {
	test('reads back what it names, and nothing else does', () => {
		expect(readCursor(cursorOf(200, 1_700_000_000_000))).toEqual({ offset: 200, at: 1_700_000_000_000 });
		for (const wrong of ['', 'zzz', cursorOf(-1, 5), cursorOf(1.5, 5), Buffer.from('{}').toString('base64url')])
			expect(readCursor(wrong), wrong).toBeNull();
	});
});

describe('what goes wrong', () => {
	test.each([
		[new InputProblem([{ field: 'count', words: 'Say how many.' }]), 422],
		[new PlanRefused([{ words: 'it has changed' }]), 409],
		[new NotAllowed('As auditor you may not.'), 403],
		[new NotFound('plan 7'), 404],
		[new ProviderError('busy', true), 502],
		[new SyntaxError('Unexpected token'), 400]
	])('%o becomes a problem document', (error, status) => {
		expect(problemOf(error)).toMatchObject({ status, title: expect.any(String) as string });
	});
	test('an error that nobody foresaw tells the caller nothing of the inside', async () => {
		expect(problemOf(new Error('secret path'))).toBeNull();
		const response = await answer(() => {
			throw new Error('secret path /srv/x');
		});
		expect(response.status).toBe(500);
		expect(response.headers.get('content-type')).toBe('application/problem+json');
		expect(await response.text()).not.toContain('secret');
	});
	test('it is found in the log by the number that the caller is told', async () => {
		const response = await answer(() => {
			throw new Error('secret path /srv/x');
		}, 'a1b2c3d4');
		expect(((await response.json()) as { detail: string }).detail).toMatch(/under request a1b2c3d4\.$/);
	});
	test('an error of another bundle is known by its name', () => {
		const twin = Object.assign(new Error('busy'), { name: 'ProviderError', retry: true, problem: 'provider-failed' });
		expect(problemOf(twin)!.status).toBe(502);
	});
});

describe('operators and tokens, by plan like everything else', () => {
	const operator = {
		login: 'nia',
		name: 'Nia Quist',
		role: 'operator',
		password: 'correct horse battery'
	};
	test('an operator is added, given another role, and shut; each is in the change log', async () => {
		expect((await h.carryOut('operator.add', operator)).state).toBe('done');
		await expect(h.draft('operator.add', operator)).rejects.toMatchObject({ problems: [{ field: 'login' }] });
		expect((await h.carryOut('assignment.give', { login: 'nia', role: 'auditor' })).state).toBe('done');
		expect((await h.carryOut('operator.disable', { login: 'nia', disabled: true })).state).toBe('done');
		const titles = list('changes').rows.map((c) => c.title as string);
		expect(titles.filter((t) => /Nia|nia/.test(t))).toHaveLength(3);
		expect(JSON.stringify(list('changes').rows)).not.toContain('argon2id');
		// Neither the password nor its hash stands anywhere but in the account.
		for (const table of ['plans', 'jobs', 'job_steps', 'job_log', 'changes'])
			expect(JSON.stringify(all(h.db, `SELECT * FROM ${table}`))).not.toMatch(/argon2id|correct horse/);
		const plan = one<{ id: number }>(h.db, `SELECT id FROM plans WHERE kind = 'operator.add'`)!.id;
		expect(planById(h.db, plan)).toMatchObject({ input: { login: 'nia', password: '(kept secret)' } });
		expect(
			await verify(
				one<{ p: string }>(h.db, `SELECT password AS p FROM operators WHERE login = 'nia'`)!.p,
				'correct horse battery'
			)
		).toBe(true);
	});
	test('what is no first password is refused, and nothing is kept of it', async () => {
		await expect(h.draft('operator.add', { ...operator, login: 'bo', password: 'short' })).rejects.toMatchObject({
			problems: [{ field: 'password' }]
		});
		// A secret that somebody else sealed opens nothing.
		const odd = await h.carryOut('operator.add', {
			...operator,
			login: 'bo',
			password: 'sealed:AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA'
		});
		expect(odd.state).toBe('done');
	});
	test('a token is kept by its hash alone, and may be revoked once', async () => {
		const hash = 'a'.repeat(64);
		expect((await h.carryOut('token.create', { name: 'walk', role: 'auditor', hash })).state).toBe('done');
		expect((await h.carryOut('token.revoke', { name: 'walk' })).state).toBe('done');
		const again = await h.draft('token.revoke', { name: 'walk' }).catch((e: unknown) => e);
		expect(again instanceof InputProblem || (again as { blocks: unknown[] }).blocks.length > 0).toBe(true);
	});
	test('only an owner may', async () => {
		for (const role of ['builder', 'operator', 'helpdesk', 'auditor'] as const)
			await expect(
				h.draft('token.create', { name: 'x', role: 'owner', hash: 'b' }, { ...OWNER, ...asRole(role) })
			).rejects.toThrow(NotAllowed);
	});
});
