import { Secret, TOTP } from 'otpauth';
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { openDb, all, one, type Db } from '../db';
import {
	addOperator,
	callerOfSignIn,
	callerOfToken,
	endSignIn,
	keepToken,
	newTokenSecret,
	operators,
	raiseSignIn,
	signInOperator,
	signInPerson
} from './accounts';
import { beginFactor, confirmFactor, dropFactor, hasFactor, useCode } from './factor';
import { mayRequest, ROUTES } from './routes';

let db: Db;
beforeEach(async () => {
	vi.useRealTimers();
	db = openDb(':memory:');
	await addOperator(db, 'ines', 'Ines Haugland', 'operator', 'a long password');
});
const HOUR = 3_600_000;
const MINUTE = 60_000;

describe('signing in', () => {
	test('with the right password gives a caller with the role', async () => {
		const answer = await signInOperator(db, 'ines', 'a long password', '', '::1');
		if (answer.outcome !== 'in') throw new Error(answer.outcome);
		expect(callerOfSignIn(db, answer.token)).toMatchObject({ name: 'Ines Haugland', role: 'operator', factor: false });
	});

	test('keeps neither password nor key in the database', async () => {
		const answer = await signInOperator(db, 'ines', 'a long password', '', '::1');
		const everything = JSON.stringify([all(db, 'SELECT * FROM operators'), all(db, 'SELECT * FROM sign_ins')]);
		expect(everything).not.toContain('a long password');
		expect(everything).not.toContain(answer.outcome === 'in' ? answer.token : '');
		expect(one<{ password: string }>(db, 'SELECT password FROM operators')!.password).toMatch(/^\$argon2id\$/);
	});

	test('answers a wrong login as it does a wrong password, and shuts after some', async () => {
		expect(await signInOperator(db, 'ines', 'wrong', '', '::1')).toEqual({ outcome: 'no' });
		expect(await signInOperator(db, 'nobody', 'wrong', '', '::1')).toEqual({ outcome: 'no' });
		for (let i = 0; i < 7; i++) await signInOperator(db, 'ines', 'wrong', '', '::1');
		expect(await signInOperator(db, 'ines', 'a long password', '', '::1')).toMatchObject({ outcome: 'too many' });
		// Somebody else's guesses do not lock her out from where she sits.
		expect(await signInOperator(db, 'ines', 'a long password', '', '10.0.0.9')).toMatchObject({ outcome: 'in' });
	});

	test('ends after idling, in any case after some days, when signed out, and when the account is shut', async () => {
		vi.useFakeTimers({ toFake: ['Date'] });
		const enter = async () => {
			const answer = await signInOperator(db, 'ines', 'a long password', '', '::1');
			return answer.outcome === 'in' ? answer.token : '';
		};
		const idle = await enter();
		vi.setSystemTime(Date.now() + 7 * HOUR);
		expect(callerOfSignIn(db, idle)).not.toBeNull();
		vi.setSystemTime(Date.now() + 9 * HOUR);
		expect(callerOfSignIn(db, idle)).toBeNull();

		const long = await enter();
		for (let i = 0; i < 24; i++) {
			vi.setSystemTime(Date.now() + 4.9 * HOUR);
			callerOfSignIn(db, long);
		}
		expect(callerOfSignIn(db, long)).not.toBeNull();
		vi.setSystemTime(Date.now() + 4.9 * HOUR);
		expect(callerOfSignIn(db, long)).toBeNull();

		const out = await enter();
		endSignIn(db, callerOfSignIn(db, out)!.signIn!);
		expect(callerOfSignIn(db, out)).toBeNull();

		const shut = await enter();
		db.exec('UPDATE operators SET disabled = 1');
		expect(callerOfSignIn(db, shut)).toBeNull();
		expect(await signInOperator(db, 'ines', 'a long password', '', '::1')).toEqual({ outcome: 'no' });
	});
});

describe('the second factor', () => {
	const ines = { kind: 'operator', id: 1 } as const;
	afterEach(() => vi.useRealTimers());
	const code = (secret: string, at = Date.now()) =>
		new TOTP({ secret: Secret.fromBase32(secret) }).generate({ timestamp: at });

	test('counts from the first right code on, each code once', async () => {
		const { secret, uri } = beginFactor(db, ines, 'ines');
		expect(uri).toMatch(/^otpauth:\/\/totp\/Sextant:ines/);
		expect(await signInOperator(db, 'ines', 'a long password', '', '::1')).toMatchObject({ outcome: 'in' });
		expect(confirmFactor(db, ines, '000000')).toBe(false);
		expect(confirmFactor(db, ines, code(secret))).toBe(true);
		expect(operators(db)[0]!.factor).toBe(true);
		expect(await signInOperator(db, 'ines', 'a long password', '', '::1')).toEqual({ outcome: 'factor needed' });
		// The code that switched it on has been used.
		expect(await signInOperator(db, 'ines', 'a long password', code(secret), '::1')).toEqual({ outcome: 'no' });
		const next = code(secret, Date.now() + 30_000);
		const answer = await signInOperator(db, 'ines', 'a long password', next, '::1');
		expect(answer.outcome).toBe('in');
		expect(await signInOperator(db, 'ines', 'a long password', next, '::1')).toEqual({ outcome: 'no' });
		expect(dropFactor(db, ines, next)).toBe('wrong');
	});

	test('goes off with a right code only, and can then be begun anew', () => {
		const first = beginFactor(db, ines, 'ines').secret;
		confirmFactor(db, ines, code(first));
		// While it is on, nobody can put another secret under it.
		beginFactor(db, ines, 'ines');
		expect(dropFactor(db, ines, '123456')).toBe('wrong');
		expect(dropFactor(db, ines, code(first, Date.now() + 30_000))).toBe('right');
		expect(hasFactor(db, ines)).toBe(false);
		const second = beginFactor(db, ines, 'ines').secret;
		expect(confirmFactor(db, ines, code(second))).toBe(true);
	});

	test('takes no code at all after too many wrong ones, until the time is over', () => {
		const { secret } = beginFactor(db, ines, 'ines');
		confirmFactor(db, ines, code(secret));
		vi.useFakeTimers({ now: Date.now(), toFake: ['Date'] });
		for (let i = 0; i < 8; i++) expect(useCode(db, ines, '000000')).toBe('wrong');
		expect(useCode(db, ines, code(secret, Date.now() + 30_000))).toBe('too many');
		vi.setSystemTime(Date.now() + 11 * MINUTE);
		expect(useCode(db, ines, code(secret))).toBe('right');
	});

	test('of a person is their own, and raises the sign-in in which it was given', () => {
		db.exec(`INSERT INTO sites VALUES ('s', 'S', 'office', 'UTC', 0, '[]', 0); INSERT INTO teams VALUES ('t', 'T', NULL);
			INSERT INTO people VALUES (1, 'anna', 'Anna Quill', 's', 't', 'day', 0, 1, '10.0.0.1')`);
		const anna = { kind: 'person', id: 1 } as const;
		const { secret } = beginFactor(db, anna, 'anna');
		expect(hasFactor(db, anna)).toBe(false);
		expect(confirmFactor(db, anna, code(secret))).toBe(true);
		expect([hasFactor(db, anna), hasFactor(db, ines)]).toEqual([true, false]);

		const cookie = signInPerson(db, 1, false);
		const caller = callerOfSignIn(db, cookie)!;
		expect(caller).toMatchObject({ role: 'person', factor: false });
		raiseSignIn(db, caller.signIn!);
		expect(callerOfSignIn(db, cookie)!.factor).toBe(true);
		expect(callerOfSignIn(db, signInPerson(db, 1, false))!.factor).toBe(false);
	});
});

describe('tokens', () => {
	test('are known by hash alone', () => {
		const { secret, hash } = newTokenSecret();
		keepToken(db, 'script', 'auditor', hash, 'tests', 1);
		expect(callerOfToken(db, secret)).toMatchObject({ kind: 'token', role: 'auditor', name: 'token script' });
		expect(callerOfToken(db, hash)).toBeNull();
		expect(JSON.stringify(all(db, 'SELECT * FROM tokens'))).not.toContain(secret);
	});
});

describe('the table of routes', () => {
	test('shuts what it does not name', () => {
		expect(mayRequest(null, 'GET', 'owner')).toBe('no');
		expect(mayRequest('/(console)', 'PUT', 'owner')).toBe('no');
		expect(mayRequest('/(console)', 'HEAD', 'auditor')).toBe('yes');
	});
	test('asks everybody unknown to sign in, but for what is open', () => {
		for (const [id, needs] of Object.entries(ROUTES))
			for (const [method, need] of Object.entries(needs))
				expect(mayRequest(id, method, null)).toBe(need === 'open' ? 'yes' : 'sign in');
	});
	test('lets people into the portal, and to nothing else that is not open to all', () => {
		const open = Object.entries(ROUTES).flatMap(([id, needs]) =>
			Object.entries(needs).flatMap(([method, need]) =>
				need !== 'open' && need !== 'signed in' && mayRequest(id, method, 'person') === 'yes' ? [id] : []
			)
		);
		expect(open.filter((id) => !id.startsWith('/(portal)/'))).toEqual([]);
	});
	test('lets auditors change nothing but their own settings and notices; a sheet is looked over without changing it', () => {
		const open = Object.entries(ROUTES).flatMap(([id, needs]) =>
			Object.entries(needs).flatMap(([method, need]) =>
				method !== 'GET' && need !== 'open' && mayRequest(id, method, 'auditor') === 'yes' ? [id] : []
			)
		);
		expect(open.sort()).toEqual(['/(console)/settings', '/api/v1/notices', '/api/v1/sheets/[line]/check', '/sign-out']);
	});
});
