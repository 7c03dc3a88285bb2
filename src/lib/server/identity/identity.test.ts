import { Secret, TOTP } from 'otpauth';
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { createHash } from 'node:crypto';
import { openDb, all, one, putSetting, type Db } from '../db';
import { insertRow } from '../db/rows';
import {
	addFirstOperator,
	anyOperator,
	assign,
	callerOfSignIn,
	changePassword,
	callerOfToken,
	endSignIn,
	givePassword,
	isSignedIn,
	knownDevice,
	keepToken,
	newTokenSecret,
	operators,
	raiseSignIn,
	signInOperator,
	signInPerson
} from './accounts';
import { vaultOf } from '../vault';
import { asRole } from './caller';
import { beginFactor, confirmFactor, dropFactor, factorOwner, hasFactor, sealFactors, useCode } from './factor';
import { ownPath } from './own-path';

let db: Db;
const add = async (to: Db, login: string, name: string, role: string, password: string) => {
	insertRow(to, 'operators', { login, name, password: '' });
	assign(to, login, { role, part: '', ends: null, by: 'the test' }, 0);
	expect(await givePassword(to, login, password)).toBe(true);
};
beforeEach(async () => {
	vi.useRealTimers();
	db = openDb(':memory:');
	await add(db, 'ines', 'Ines Haugland', 'operator', 'a long password');
});
const vault = vaultOf(Buffer.alloc(32, 7));
const signIn = (
	login: string,
	password: string,
	code = '',
	address = '::1',
	more: { ticket?: string; device?: string } = {}
) =>
	signInOperator(
		{ db, vault },
		{ login, password, code, address, ticket: more.ticket ?? '', device: more.device ?? null }
	);
const HOUR = 3_600_000;
const MINUTE = 60_000;

describe('signing in', () => {
	test('with the right password gives a caller with the role', async () => {
		const answer = await signIn('ines', 'a long password', '', '::1');
		if (answer.outcome !== 'in') throw new Error(answer.outcome);
		expect(callerOfSignIn(db, answer.token, true, 0)).toMatchObject({
			name: 'Ines Haugland',
			role: 'operator',
			factor: false
		});
	});

	test('keeps neither password nor key in the database', async () => {
		const answer = await signIn('ines', 'a long password', '', '::1');
		const everything = JSON.stringify([all(db, 'SELECT * FROM operators'), all(db, 'SELECT * FROM sign_ins')]);
		expect(everything).not.toContain('a long password');
		expect(everything).not.toContain(answer.outcome === 'in' ? answer.token : '');
		expect(one<{ password: string }>(db, 'SELECT password FROM operators')!.password).toMatch(/^\$argon2id\$/);
	});

	test('answers a wrong login as it does a wrong password, and shuts after some', async () => {
		expect(await signIn('ines', 'wrong', '', '::1')).toEqual({ outcome: 'no' });
		expect(await signIn('nobody', 'wrong', '', '::1')).toEqual({ outcome: 'no' });
		for (let i = 0; i < 7; i++) await signIn('ines', 'wrong', '', '::1');
		expect(await signIn('ines', 'a long password', '', '::1')).toMatchObject({ outcome: 'too many' });
		// Somebody else's guesses do not lock her out from where she sits.
		expect(await signIn('ines', 'a long password', '', '10.0.0.9')).toMatchObject({ outcome: 'in' });
	});

	test('ends after idling, in any case after some days, when signed out, and when the account is shut', async () => {
		vi.useFakeTimers({ toFake: ['Date'] });
		const enter = async () => {
			const answer = await signIn('ines', 'a long password', '', '::1');
			return answer.outcome === 'in' ? answer.token : '';
		};
		const idle = await enter();
		vi.setSystemTime(Date.now() + 7 * HOUR);
		expect(callerOfSignIn(db, idle, true, 0)).not.toBeNull();
		vi.setSystemTime(Date.now() + 9 * HOUR);
		expect(callerOfSignIn(db, idle, true, 0)).toBeNull();

		const long = await enter();
		for (let i = 0; i < 24; i++) {
			vi.setSystemTime(Date.now() + 4.9 * HOUR);
			callerOfSignIn(db, long, true, 0);
		}
		expect(callerOfSignIn(db, long, true, 0)).not.toBeNull();
		vi.setSystemTime(Date.now() + 4.9 * HOUR);
		expect(callerOfSignIn(db, long, true, 0)).toBeNull();

		const out = await enter();
		endSignIn(db, callerOfSignIn(db, out, true, 0)!.signIn!);
		expect(callerOfSignIn(db, out, true, 0)).toBeNull();

		const shut = await enter();
		db.exec('UPDATE operators SET disabled = 1');
		expect(callerOfSignIn(db, shut, true, 0)).toBeNull();
		expect(await signIn('ines', 'a long password', '', '::1')).toEqual({ outcome: 'no' });
	});
});

describe('the second factor', () => {
	const ines = { kind: 'operator', id: 1 } as const;
	afterEach(() => vi.useRealTimers());
	const code = (secret: string, at = Date.now()) =>
		new TOTP({ secret: Secret.fromBase32(secret) }).generate({ timestamp: at });

	test('counts from the first right code on, each code once', async () => {
		const { secret, uri } = beginFactor({ db, vault }, ines, 'ines');
		expect(uri).toMatch(/^otpauth:\/\/totp\/Sextant:ines/);
		expect(await signIn('ines', 'a long password', '', '::1')).toMatchObject({ outcome: 'in' });
		for (const wrong of ['000000', '', '1.0.0\ud800', '１２３４５６', '😀😀😀', '12345é'])
			expect(confirmFactor({ db, vault }, ines, wrong)).toBe(false);
		expect(confirmFactor({ db, vault }, ines, code(secret))).toBe(true);
		expect(operators(db, 0)[0]!.factor).toBe(true);
		expect(await signIn('ines', 'a long password', '', '::1')).toEqual({
			outcome: 'factor needed',
			ticket: expect.any(String)
		});
		// The code that switched it on has been used.
		expect(await signIn('ines', 'a long password', code(secret), '::1')).toEqual({ outcome: 'no' });
		const next = code(secret, Date.now() + 30_000);
		const answer = await signIn('ines', 'a long password', next, '::1');
		expect(answer.outcome).toBe('in');
		expect(await signIn('ines', 'a long password', next, '::1')).toEqual({ outcome: 'no' });
		expect(dropFactor({ db, vault }, ines, next)).toBe('wrong');
	});

	test('once the password was right it is not asked for again: a ticket stands for it, for this account and a while', async () => {
		const { secret } = beginFactor({ db, vault }, ines, 'ines');
		confirmFactor({ db, vault }, ines, code(secret));
		await add(db, 'bo', 'Bo', 'auditor', 'another password');
		const answer = await signIn('ines', 'a long password');
		if (answer.outcome !== 'factor needed') throw new Error(answer.outcome);
		const { ticket } = answer;
		expect(ticket).not.toContain('password');
		expect(await signIn('bo', '', '', '::1', { ticket })).toEqual({ outcome: 'no' });
		expect(await signIn('ines', '', '000000', '::1', { ticket })).toEqual({ outcome: 'no' });
		const next = code(secret, Date.now() + 30_000);
		expect((await signIn('ines', '', next, '::1', { ticket })).outcome).toBe('in');
		expect(await signIn('ines', '', code(secret, Date.now() + 60_000), '::1', { ticket })).toEqual({ outcome: 'no' });
	});

	test('stands sealed in the database, and what stood there in clear is sealed', () => {
		const { secret } = beginFactor({ db, vault }, ines, 'ines');
		const kept = () => one<{ s: string }>(db, 'SELECT factor_secret AS s FROM operators WHERE id = 1')!.s;
		expect(kept()).not.toContain(secret);
		db.prepare('UPDATE operators SET factor_secret = ?, factor_on = 1 WHERE id = 1').run(secret);
		sealFactors({ db, vault });
		expect(kept()).not.toContain(secret);
		expect(useCode({ db, vault }, ines, code(secret))).toBe('right');
	});

	test('a token has none, whatever its number', () => {
		const token = {
			kind: 'token',
			id: 1,
			name: '',
			login: '',
			...asRole('owner'),
			factor: false,
			signIn: null
		} as const;
		expect(factorOwner(token)).toBeNull();
		expect(factorOwner({ ...token, kind: 'operator' })).toEqual(ines);
	});

	test('goes off with a right code only, and can then be begun anew', () => {
		const first = beginFactor({ db, vault }, ines, 'ines').secret;
		confirmFactor({ db, vault }, ines, code(first));
		// While it is on, nobody can put another secret under it.
		beginFactor({ db, vault }, ines, 'ines');
		expect(dropFactor({ db, vault }, ines, '123456')).toBe('wrong');
		expect(dropFactor({ db, vault }, ines, code(first, Date.now() + 30_000))).toBe('right');
		expect(hasFactor(db, ines)).toBe(false);
		const second = beginFactor({ db, vault }, ines, 'ines').secret;
		expect(confirmFactor({ db, vault }, ines, code(second))).toBe(true);
	});

	test('takes no code at all after too many wrong ones, until the time is over', () => {
		const { secret } = beginFactor({ db, vault }, ines, 'ines');
		confirmFactor({ db, vault }, ines, code(secret));
		vi.useFakeTimers({ now: Date.now(), toFake: ['Date', 'performance'] });
		for (let i = 0; i < 8; i++) expect(useCode({ db, vault }, ines, '000000')).toBe('wrong');
		expect(useCode({ db, vault }, ines, code(secret, Date.now() + 30_000))).toBe('too many');
		vi.advanceTimersByTime(16 * MINUTE);
		expect(useCode({ db, vault }, ines, code(secret))).toBe('right');
	});

	test('of a person is their own, and raises the sign-in in which it was given', () => {
		db.exec(`INSERT INTO sites VALUES ('s', 'S', 'office', 'UTC', 0, '[]', 0); INSERT INTO teams(id, name, parent_id) VALUES ('t', 'T', NULL);
			INSERT INTO people(id, login, name, profile, address) VALUES (1, 'anna', 'Anna Quill', 0, '10.0.0.1')`);
		const anna = { kind: 'person', id: 1 } as const;
		const { secret } = beginFactor({ db, vault }, anna, 'anna');
		expect(hasFactor(db, anna)).toBe(false);
		expect(confirmFactor({ db, vault }, anna, code(secret))).toBe(true);
		expect([hasFactor(db, anna), hasFactor(db, ines)]).toEqual([true, false]);

		const cookie = signInPerson(db, 1, false);
		const caller = callerOfSignIn(db, cookie, true, 0)!;
		expect(caller).toMatchObject({ role: 'person', factor: false });
		raiseSignIn(db, caller.signIn!);
		expect(callerOfSignIn(db, cookie, true, 0)!.factor).toBe(true);
		expect(callerOfSignIn(db, signInPerson(db, 1, false), true, 0)!.factor).toBe(false);
	});
});

describe('a password of one’s own', () => {
	const clock = { now: () => 5, speed: () => 1 };
	const caller = async () => {
		const answer = await signIn('ines', 'a long password');
		return callerOfSignIn(db, answer.outcome === 'in' ? answer.token : '', true, 0)!;
	};
	test('is changed with the one before, ends other sign-ins, and leaves a line in the change log', async () => {
		const other = await caller();
		const here = await caller();
		expect(await changePassword({ db, clock }, here, 'wrong', 'a newer password')).toMatchObject({ field: 'before' });
		expect(await changePassword({ db, clock }, here, 'a long password', 'short')).toMatchObject({ field: 'next' });
		expect(await changePassword({ db, clock }, here, 'a long password', 'a newer password')).toBeNull();
		expect(isSignedIn(db, here.signIn!, 0)).toBe(true);
		expect(isSignedIn(db, other.signIn!, 0)).toBe(false);
		expect(await signIn('ines', 'a long password')).toEqual({ outcome: 'no' });
		expect((await signIn('ines', 'a newer password')).outcome).toBe('in');
		expect(one(db, 'SELECT by, title FROM changes')).toEqual({
			by: 'Ines Haugland',
			title: 'Ines Haugland has changed their password'
		});
	});
});

test('whom an estate file names signs in with no password at all, until one is given; the first owner may be one of them', async () => {
	const fresh = openDb(':memory:');
	insertRow(fresh, 'operators', { login: 'ida', name: 'Ida Rask', password: '' });
	expect(anyOperator(fresh)).toBe(false);
	const as = (password: string) =>
		signInOperator(
			{ db: fresh, vault },
			{ login: 'ida', password, code: '', ticket: '', address: '::1', device: null }
		);
	expect(await as('')).toEqual({ outcome: 'no' });
	expect(await as('tideline')).toEqual({ outcome: 'no' });
	const first = createHash('sha256').update('once').digest('hex');
	putSetting(fresh, 'first code', first);
	const who = { login: 'ida', name: 'Ida R.', password: 'a long password' };
	expect(await addFirstOperator(fresh, 'once', who, 0)).toBe(true);
	expect(anyOperator(fresh)).toBe(true);
	expect(operators(fresh, 0)).toMatchObject([
		{ login: 'ida', name: 'Ida R.', assignments: [{ role: 'owner', part: '' }] }
	]);
	expect(await as('a long password')).toMatchObject({ outcome: 'in' });
});

test('the code of the first start makes one owner, however many come with it at once', async () => {
	db.exec('DELETE FROM assignments; DELETE FROM operators');
	putSetting(db, 'first code', createHash('sha256').update('once').digest('hex'));
	const made = await Promise.all(
		['a', 'b', 'c'].map((login) => addFirstOperator(db, 'once', { login, name: login, password: 'a long password' }, 1))
	);
	expect(made.filter(Boolean)).toHaveLength(1);
	expect(operators(db, 0)).toHaveLength(1);
});

test('a browser that has signed in is known, for its account alone', async () => {
	const answer = await signIn('ines', 'a long password');
	if (answer.outcome !== 'in') throw new Error(answer.outcome);
	expect(knownDevice(vault, 'operator/ines', answer.device)).not.toBeNull();
	expect(knownDevice(vault, 'operator/bo', answer.device)).toBeNull();
	expect(knownDevice(vault, 'operator/ines', 'made up')).toBeNull();
	// Guesses from all over the world do not hold it up.
	for (let i = 0; i < 40; i++) await signIn('ines', 'wrong', '', `10.0.0.${i}`);
	expect((await signIn('ines', 'a long password', '', '10.9.9.9', { device: answer.device })).outcome).toBe('in');
	expect((await signIn('ines', 'a long password', '', '10.9.9.9')).outcome).toBe('too many');
});

test('what a page asks for by itself keeps no sign-in from ending', async () => {
	vi.useFakeTimers({ now: Date.now(), toFake: ['Date'] });
	db.exec(`INSERT INTO sites VALUES ('s', 'S', 'office', 'UTC', 0, '[]', 0); INSERT INTO teams(id, name, parent_id) VALUES ('t', 'T', NULL);
		INSERT INTO people(id, login, name, profile, address) VALUES (1, 'anna', 'Anna Quill', 0, '10.0.0.1')`);
	const token = signInPerson(db, 1, false);
	for (let i = 0; i < 9; i++) {
		vi.setSystemTime(Date.now() + HOUR);
		callerOfSignIn(db, token, false, 0);
	}
	expect(callerOfSignIn(db, token, true, 0)).toBeNull();
	vi.useRealTimers();
});

test.each([
	['/watch?a=1', '/watch?a=1'],
	['/', '/'],
	[null, '/'],
	['//evil.example', '/'],
	['/\\evil.example', '/'],
	['/\t/evil.example', '/'],
	['/\n/evil.example', '/'],
	['https://evil.example', '/'],
	['javascript:alert(1)', '/'],
	['/./\\evil.example', '/']
])('after signing in %j leads to %j', (to, path) => expect(ownPath(to)).toBe(path));

describe('tokens', () => {
	test('are known by hash alone', () => {
		const { secret, hash } = newTokenSecret();
		keepToken(
			db,
			{ name: 'script', role: 'auditor', part: '', ends: null },
			hash,
			{ name: 'tests', operator: null },
			1
		);
		expect(callerOfToken(db, secret, 0)).toMatchObject({ kind: 'token', role: 'auditor', name: 'token script' });
		expect(callerOfToken(db, hash, 0)).toBeNull();
		expect(JSON.stringify(all(db, 'SELECT * FROM tokens'))).not.toContain(secret);
	});
});
