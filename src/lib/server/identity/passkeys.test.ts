import { beforeEach, describe, expect, test } from 'vitest';
import { all, one, openDb, run, type Db } from '../db';
import { insertRow } from '../db/rows';
import { Authenticator } from '../testing/authenticator';
import { vaultOf } from '../vault';
import {
	assign,
	callerOfSignIn,
	callerOfToken,
	endOwnSignIn,
	endOwnToken,
	givePassword,
	keepToken,
	newTokenSecret,
	ownSignIns,
	ownTokens,
	raiseSignIn,
	signInByPasskey,
	signInOperator
} from './accounts';
import type { FactorOwner } from './caller';
import { setStaffPolicy, staffPolicy, USUAL_STAFF } from './staff';
import { forgetFactors, hasApp, hasFactor, useCode } from './factor';
import {
	addPasskey,
	doorOf,
	doorstepOf,
	MOST_PASSKEYS,
	passkeysOf,
	passkeyToAdd,
	passkeyToShow,
	removePasskey,
	renamePasskey,
	showPasskey,
	type Anyone,
	type Doorstep
} from './passkeys';
import { setSignInPolicy } from './portal';
import { looksLikeRecovery, makeRecoveryCodes, recoveryLeft, useRecoveryCode } from './recovery';

const DOOR: Doorstep = { origin: 'https://desk.testbay.example', host: 'desk.testbay.example' };
const ANNA = { kind: 'person' as const, id: 1, login: 'anna', name: 'Anna' };
const BO = { kind: 'person' as const, id: 2, login: 'bo', name: 'Bo' };
const ANYONE: Anyone = { kind: 'person', id: null };
const store = (db: Db) => ({ db, vault: vaultOf(Buffer.alloc(32, 7)) });

let db: Db;
let device: Authenticator;
const add = async (person: FactorOwner & { login: string; name: string } = ANNA, from = device, door = DOOR) =>
	addPasskey(db, person, door, {
		answer: from.make(await passkeyToAdd(db, person, person, door)),
		name: 'Phone',
		at: 1000
	});
const show = async (person: Anyone = ANYONE, from = device, door = DOOR) =>
	showPasskey(db, person, door, { answer: from.show(await passkeyToShow(db, person, door)), at: 2000 });

beforeEach(() => {
	db = openDb(':memory:');
	// Passkeys hang on people by number alone here.
	run(db, 'PRAGMA foreign_keys = OFF');
	device = new Authenticator(DOOR.origin, DOOR.host);
});

describe('an operator', () => {
	const INES = { kind: 'operator' as const, id: 1, login: 'ines', name: 'Ines' };
	const signIn = (code = '', ticket = '') =>
		signInOperator(store(db), {
			login: 'ines',
			password: ticket ? '' : 'a long password',
			code,
			ticket,
			address: '::1',
			device: null,
			browser: 'a browser on Linux'
		});
	beforeEach(async () => {
		run(db, `INSERT INTO operators(id, login, name, password) VALUES (1, 'ines', 'Ines', '')`);
		assign(db, 'ines', { role: 'operator', part: '', ends: null, by: 'the test' }, 0);
		await givePassword(db, 'ines', 'a long password');
	});

	test('has passkeys of their own, that let nobody in as a person of the same number, nor the other way round', async () => {
		expect(await add(INES)).toMatchObject({ ok: true });
		expect(passkeysOf(db, ANNA)).toEqual([]);
		expect(await show({ kind: 'operator', id: null })).toEqual({ ok: true, id: 1 });
		expect(await show()).toEqual({ ok: false, problem: 'unknown' });
		const token = signInByPasskey(db, 1, { address: '10.0.0.9', browser: 'x' });
		expect(callerOfSignIn(db, token, true, 0)).toMatchObject({ login: 'ines', factor: true });
	});

	test('who has a passkey does not come in by a password alone; a recovery code counts, once', async () => {
		await add(INES);
		const codes = makeRecoveryCodes(db, INES, 1);
		const asked = await signIn();
		expect(asked.outcome).toBe('factor needed');
		const { ticket } = asked as { ticket: string };
		expect((await signIn('123456', ticket)).outcome).toBe('no');
		expect((await signIn(codes[0]!, ticket)).outcome).toBe('in');
		const again = (await signIn()) as { ticket: string };
		expect((await signIn(codes[0]!, again.ticket)).outcome).toBe('no');
	});

	test('in a role that asks for a second factor acts only with one', async () => {
		setStaffPolicy(db, { factorFor: ['operator'], idle: 3_600_000, most: 7_200_000 });
		const bare = (await signIn()) as { token: string };
		// Until it is given they may nothing at all.
		expect(callerOfSignIn(db, bare.token, true, 0)).toMatchObject({ needsFactor: true, rights: {} });
		await add(INES);
		const token = signInByPasskey(db, 1, { address: '', browser: '' });
		expect(callerOfSignIn(db, token, true, 0)!.needsFactor).toBeUndefined();
		raiseSignIn(db, callerOfSignIn(db, bare.token, true, 0)!.signIn!);
		expect(callerOfSignIn(db, bare.token, true, 0)!.needsFactor).toBeUndefined();
	});

	test('sees where they are signed in, and ends one of those and nobody else’s', async () => {
		const here = callerOfSignIn(db, ((await signIn()) as { token: string }).token, true, 0)!;
		const there = (await signIn()) as { token: string };
		const list = ownSignIns(db, here);
		expect(list.map((s) => [s.here, s.browser, s.shown])).toEqual([
			[true, 'a browser on Linux', 'password'],
			[false, 'a browser on Linux', 'password']
		]);
		expect(endOwnSignIn(db, { ...here, id: 2 }, list[1]!.id)).toBe(false);
		expect(endOwnSignIn(db, here, 'nonsense')).toBe(false);
		expect(endOwnSignIn(db, here, list[1]!.id)).toBe(true);
		expect(callerOfSignIn(db, there.token, true, 0)).toBeNull();
		expect(JSON.stringify(list)).not.toContain(there.token);
	});

	test('sees the tokens that they have made and that work, and ends those alone', async () => {
		const here = callerOfSignIn(db, ((await signIn()) as { token: string }).token, true, 0)!;
		const keep = (name: string, operator: number | null, ends: number | null) => {
			const { secret, hash } = newTokenSecret();
			keepToken(db, { name, role: 'auditor', part: '', ends }, hash, { name: 'Ines', operator }, 1);
			return secret;
		};
		const mine = keep('mine', 1, null);
		const namesake = keep('of a namesake', null, null);
		keep('over', 1, 5);
		expect(ownTokens(db, here, 10).map((t) => t.name)).toEqual(['mine']);
		expect(ownTokens(db, { ...here, kind: 'token' }, 10)).toEqual([]);
		expect(endOwnToken(db, here, 'of a namesake', 10)).toBe(false);
		expect(endOwnToken(db, { ...here, kind: 'person' }, 'mine', 10)).toBe(false);
		expect(callerOfToken(db, mine, 10)).not.toBeNull();
		expect(endOwnToken(db, here, 'mine', 10)).toBe(true);
		expect(endOwnToken(db, here, 'mine', 11)).toBe(false);
		expect(callerOfToken(db, mine, 10)).toBeNull();
		expect(callerOfToken(db, namesake, 10)).not.toBeNull();
	});

	test('is signed out when the limits that are set have passed', async () => {
		setStaffPolicy(db, { factorFor: [], idle: 60_000, most: 120_000 });
		const { token } = (await signIn()) as { token: string };
		expect(callerOfSignIn(db, token, true, 0)).not.toBeNull();
		run(db, 'UPDATE sign_ins SET seen = seen - 61000');
		expect(callerOfSignIn(db, token, true, 0)).toBeNull();
		run(db, 'UPDATE sign_ins SET seen = seen + 61000, began = began - 121000');
		expect(callerOfSignIn(db, token, true, 0)).toBeNull();
		run(db, `UPDATE settings SET value = '{"idle":' WHERE key = 'staff sign-in'`);
		expect(staffPolicy(db)).toEqual(USUAL_STAFF);
	});
});

describe('a passkey', () => {
	test('is made, shown at a sign-in, and says whose it is', async () => {
		expect(await add()).toMatchObject({ ok: true, passkey: { name: 'Phone', host: DOOR.host, usedAt: null } });
		expect(hasFactor(db, { kind: 'person', id: ANNA.id })).toBe(true);
		expect(hasApp(db, { kind: 'person', id: ANNA.id })).toBe(false);
		expect(await show()).toEqual({ ok: true, id: ANNA.id });
		expect(passkeysOf(db, ANNA)[0]!.usedAt).toBe(2000);
	});

	test('counts once: the same answer, or one that was asked for something else, is none', async () => {
		await add();
		const options = await passkeyToShow(db, ANYONE, DOOR);
		const answer = device.show(options);
		expect((await showPasskey(db, ANYONE, DOOR, { answer, at: 1 })).ok).toBe(true);
		expect(await showPasskey(db, ANYONE, DOOR, { answer, at: 1 })).toEqual({ ok: false, problem: 'late' });
		// Asked of one person, it is no sign-in; and the other way round.
		const forAnna = device.show(await passkeyToShow(db, ANNA, DOOR));
		expect(await showPasskey(db, ANYONE, DOOR, { answer: forAnna, at: 1 })).toEqual({ ok: false, problem: 'late' });
		const forAnybody = device.show(await passkeyToShow(db, ANYONE, DOOR));
		expect((await showPasskey(db, ANNA, DOOR, { answer: forAnybody, at: 1 })).ok).toBe(false);
	});

	test('of somebody else does not show who this one is', async () => {
		await add();
		expect(await show(BO)).toEqual({ ok: false, problem: 'unknown' });
		expect(await add(BO)).toEqual({ ok: false, problem: 'wrong' });
		expect(passkeysOf(db, BO)).toEqual([]);
	});

	test('made or shown at another address, or not unlocked by its person, is refused', async () => {
		expect((await add(ANNA, new Authenticator('https://desk.evil.example', DOOR.host))).ok).toBe(false);
		expect((await add(ANNA, new Authenticator(DOOR.origin, 'evil.example'))).ok).toBe(false);
		expect((await add(ANNA, new Authenticator(DOOR.origin, DOOR.host, false))).ok).toBe(false);
		expect(passkeysOf(db, ANNA)).toEqual([]);
		await add();
		const other: Doorstep = { origin: 'https://other.example', host: 'other.example' };
		expect(await show(ANYONE, device, other)).toEqual({ ok: false, problem: 'unknown' });
	});

	test('whose count does not go on is a copy', async () => {
		await add();
		expect((await show()).ok).toBe(true);
		device.count -= 1;
		expect(await show()).toEqual({ ok: false, problem: 'wrong' });
	});

	test('is kept from nonsense: nothing is written, nothing is thrown', async () => {
		for (const answer of ['', 'null', '[]', '{', '{"id":1}', '"x"', `{"id":"${'x'.repeat(200_000)}"}`]) {
			expect(await addPasskey(db, ANNA, DOOR, { answer, name: 'x', at: 1 })).toEqual({ ok: false, problem: 'wrong' });
			expect((await showPasskey(db, ANYONE, DOOR, { answer, at: 1 })).ok).toBe(false);
		}
		const made = JSON.parse(device.make(await passkeyToAdd(db, ANNA, ANNA, DOOR))) as {
			response: Record<string, string>;
		};
		made.response.attestationObject = Buffer.from('not cbor at all').toString('base64url');
		expect(await addPasskey(db, ANNA, DOOR, { answer: JSON.stringify(made), name: 'x', at: 1 })).toEqual({
			ok: false,
			problem: 'wrong'
		});
		expect(all(db, 'SELECT * FROM passkeys')).toEqual([]);
	});

	test('is renamed and removed by its own person alone; there are only so many', async () => {
		await add();
		const { id } = passkeysOf(db, ANNA)[0]!;
		expect(renamePasskey(db, BO, id, 'Mine')).toBe(false);
		expect(removePasskey(db, BO, id)).toBeNull();
		expect(renamePasskey(db, ANNA, id, 'Old phone')).toBe(true);
		expect(removePasskey(db, ANNA, id)).toBe('Old phone');
		for (let i = 0; i < MOST_PASSKEYS; i++)
			insertRow(db, 'passkeys', {
				id: Buffer.from(`key ${i}`).toString('base64url'),
				person_id: ANNA.id,
				name: 'k',
				public_key: Buffer.from('k'),
				counter: 0,
				transports: '',
				host: DOOR.host,
				synced: 0,
				made_at: 0,
				used_at: null
			});
		expect(await add()).toEqual({ ok: false, problem: 'too-many' });
	});

	test('counts for nothing where none are taken: nobody is asked for what they cannot show', async () => {
		await add();
		const url = new URL(DOOR.origin);
		expect(doorOf(db, url)).toEqual(DOOR);
		setSignInPolicy(db, { passkeys: false, ownDays: 0, ownFor: [] });
		expect(doorOf(db, url)).toBeNull();
		expect(hasFactor(db, { kind: 'person', id: ANNA.id })).toBe(false);
		setSignInPolicy(db, { passkeys: true, ownDays: 0, ownFor: [] });
		expect(hasFactor(db, { kind: 'person', id: ANNA.id })).toBe(true);
	});

	test('needs an address with a name, and TLS but on the machine itself', () => {
		const at = (url: string) => doorstepOf(new URL(url))?.host ?? null;
		expect(at('https://desk.testbay.example:8443/my')).toBe('desk.testbay.example');
		expect(at('http://localhost:4880/my')).toBe('localhost');
		expect(at('http://desk.testbay.example/my')).toBeNull();
		expect(at('https://192.0.2.7/my')).toBeNull();
		expect(at('https://[2001:db8::7]/my')).toBeNull();
	});
});

describe('recovery codes', () => {
	test('stand once each for the second factor, however they are written', () => {
		const codes = makeRecoveryCodes(db, ANNA, 1);
		expect(codes).toHaveLength(10);
		expect(new Set(codes).size).toBe(10);
		for (const code of codes) expect(code).toMatch(/^[0-9a-hjkmnp-tv-z]{4}(-[0-9a-hjkmnp-tv-z]{4}){3}$/);
		const who = { kind: 'person', id: ANNA.id } as const;
		expect(useCode(store(db), who, ` ${codes[0]!.toUpperCase().replaceAll('-', ' ').replaceAll('0', 'o')} `)).toBe(
			'right'
		);
		expect(useCode(store(db), who, codes[0]!)).toBe('wrong');
		expect(useRecoveryCode(db, BO, codes[1]!, 2)).toBe(false);
		expect(recoveryLeft(db, ANNA)).toBe(9);
		expect(recoveryLeft(db, BO)).toBeNull();
	});

	test('end when new ones are made, and with everything else', async () => {
		const [first] = makeRecoveryCodes(db, ANNA, 1);
		makeRecoveryCodes(db, ANNA, 2);
		expect(useRecoveryCode(db, ANNA, first!, 3)).toBe(false);
		await add();
		forgetFactors(db, ANNA.id);
		expect([recoveryLeft(db, ANNA), passkeysOf(db, ANNA)]).toEqual([null, []]);
	});

	test('are kept by hash alone, and guessing them is held up', () => {
		const codes = makeRecoveryCodes(db, ANNA, 1);
		const kept = JSON.stringify(all(db, 'SELECT * FROM recovery_codes'));
		for (const code of codes) expect(kept).not.toContain(code.replaceAll('-', ''));
		const guesses = Array.from({ length: 12 }, () =>
			useCode(store(db), { kind: 'person', id: ANNA.id }, '0000-0000-0000-0000')
		);
		expect(guesses.at(-1)).toBe('too many');
		expect(one<{ n: number }>(db, 'SELECT count(*) AS n FROM recovery_codes WHERE used_at IS NULL')!.n).toBe(10);
	});

	test('are told from the codes of an app', () => {
		expect(['123456', '123 456', '', 'x'.repeat(100)].map(looksLikeRecovery)).toEqual([false, false, false, false]);
	});
});
