import { beforeAll, describe, expect, test } from 'vitest';
import { one, run } from '../db';
import { Harness, OWNER, QUIET, testEstate } from '../testing/harness';
import { act, askPage, serveFrom } from '../testing/pages';
import { callerNow, callerOfSignIn, raiseSignIn, signInByPasskey, signInPerson } from './accounts';
import type { Caller } from './caller';
import { confirmFactor, beginFactor } from './factor';

const SETTINGS = '/src/routes/(console)/settings/+page.server.ts';
const ACCOUNT = '/src/routes/(portal)/my/account/+page.server.ts';
const QUARTER = 15 * 60_000;

let h: Harness;
/** Signed in so long ago, ms of the wall. */
function ago(token: string, ms: number): Caller {
	const caller = () => callerOfSignIn(h.db, token, true, h.lab.now)!;
	run(h.db, 'UPDATE sign_ins SET began = began - ?, factor_at = factor_at - ? WHERE token = ?', [
		ms,
		ms,
		caller().signIn
	]);
	return caller();
}
const person = (ms: number) =>
	ago(signInPerson(h.db, one<{ id: number }>(h.db, `SELECT id FROM people WHERE login = 'eve'`)!.id, false), ms);
const operator = (ms: number) => ago(signInByPasskey(h.db, OWNER.id, { address: '', browser: '' }), ms);

beforeAll(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	serveFrom(h);
	expect(callerNow(h.db, 'operator', OWNER.id, h.lab.now)).not.toBeNull();
});

describe('whoever changes how they sign in has just shown who they are', () => {
	test.each([
		[SETTINGS, 'factor', () => operator],
		[SETTINGS, 'confirm', () => operator],
		[SETTINGS, 'add-passkey', () => operator],
		[SETTINGS, 'remove-passkey', () => operator],
		[SETTINGS, 'recovery', () => operator],
		[ACCOUNT, 'factor', () => person],
		[ACCOUNT, 'confirm', () => person],
		[ACCOUNT, 'add-passkey', () => person],
		[ACCOUNT, 'remove-passkey', () => person],
		[ACCOUNT, 'recovery', () => person]
	])('on %s, for %s', async (page, action, who) => {
		const form = { code: '1', name: 'Key', answer: '{}', id: 'none' };
		const late = await act(page, action, form, {}, who()(QUARTER + 1000));
		expect(late).toMatchObject({ body: { status: 403 } });
		expect(JSON.stringify(late.body)).toMatch(/quarter of an hour/);
		const lately = await act(page, action, form, {}, who()(QUARTER - 60_000));
		expect(JSON.stringify(lately.body)).not.toMatch(/quarter of an hour/);
	});

	test('and a factor that was shown long ago is asked for again, on the page as by its forms', async () => {
		const owner = { kind: 'person', id: person(0).id } as const;
		const { secret } = beginFactor(h.ctx, owner, 'eve');
		const { TOTP, Secret } = await import('otpauth');
		expect(confirmFactor(h.ctx, owner, new TOTP({ secret: Secret.fromBase32(secret) }).generate())).toBe(true);
		const token = signInPerson(h.db, owner.id, true);
		const given = async (ms: number) => {
			const caller = ago(token, ms);
			expect(caller.factor).toBe(true);
			const { body } = await askPage(ACCOUNT, '/my/account', {}, caller);
			return [(body as { given: boolean }).given, JSON.stringify((await act(ACCOUNT, 'factor', {}, {}, caller)).body)];
		};
		expect(await given(0)).toEqual([true, expect.not.stringContaining('second factor first')]);
		expect(await given(QUARTER + 1000)).toEqual([false, expect.stringContaining('second factor first')]);
		raiseSignIn(h.db, ago(token, 0).signIn!);
		expect((await given(0))[0]).toBe(true);
	});
});
