import {
	generateAuthenticationOptions,
	generateRegistrationOptions,
	verifyAuthenticationResponse,
	verifyRegistrationResponse,
	type AuthenticationResponseJSON,
	type AuthenticatorTransport,
	type PublicKeyCredentialCreationOptionsJSON,
	type PublicKeyCredentialRequestOptionsJSON,
	type RegistrationResponseJSON
} from '@simplewebauthn/server';
import { LRUCache } from 'lru-cache';
import { createHash } from 'node:crypto';
import * as v from 'valibot';
import { isIP } from 'node:net';
import { MINUTE } from '$lib/core/time/units';
import { all, one, run, type Db } from '../db';
import { insertRow } from '../db/rows';
import type { FactorOwner } from './caller';
import { signInPolicy } from './portal';

/** Where passkeys are kept, and whose they are there. */
const TABLE = {
	operator: { name: 'operator_passkeys', key: 'operator_id' },
	person: { name: 'passkeys', key: 'person_id' }
} as const;

/** Whose they have to be: somebody's, or anybody's of their kind, where nobody is known yet. */
export type Anyone = FactorOwner | { kind: FactorOwner['kind']; id: null };

/** A passkey as its person sees it. */
export interface Passkey {
	id: string;
	name: string;
	/** The host name under which it works. */
	host: string;
	/** Whether whoever made it keeps it on several devices. */
	synced: boolean;
	madeAt: number;
	usedAt: number | null;
}

/** Where passkeys are made and used: the page's own address, as the browser has it. */
export interface Doorstep {
	origin: string;
	host: string;
}

/** Nobody needs more, and a list that grows without end is nobody's. */
export const MOST_PASSKEYS = 20;

export type PasskeyProblem = 'late' | 'unknown' | 'wrong' | 'too-many';
type Answer<T> = ({ ok: true } & T) | { ok: false; problem: PasskeyProblem };

/** Challenges that were given out and not answered: what each is for. They count once. In memory alone: they live for minutes. */
const challenges = new LRUCache<string, string>({ max: 20_000, ttl: 5 * MINUTE });

function challengeFor(purpose: string, challenge: string): void {
	challenges.set(challenge, purpose);
}
const takes = (purpose: string) => (challenge: string) => {
	const right = challenges.get(challenge) === purpose;
	challenges.delete(challenge);
	return right;
};

/** The address of a page as passkeys are bound to it; null where the standard allows none: without TLS, or by number instead of name. */
export function doorstepOf(url: URL): Doorstep | null {
	const safe = url.protocol === 'https:' || url.hostname === 'localhost' || url.hostname.endsWith('.localhost');
	const bare = url.hostname.replace(/^\[|\]$/g, '');
	return safe && isIP(bare) === 0 ? { origin: url.origin, host: url.hostname } : null;
}

/** The same where passkeys are taken at all; null where they are not. */
export const doorOf = (db: Db, url: URL): Doorstep | null => (signInPolicy(db).passkeys ? doorstepOf(url) : null);

export const passkeysOf = (db: Db, { kind, id }: FactorOwner): Passkey[] =>
	all<Omit<Passkey, 'synced'> & { synced: number }>(
		db,
		`SELECT id, name, host, synced, made_at AS madeAt, used_at AS usedAt FROM ${TABLE[kind].name} WHERE ${TABLE[kind].key} = ? ORDER BY made_at, id`,
		[id]
	).map((p) => ({ ...p, synced: p.synced === 1 }));

export const countPasskeys = (db: Db, { kind, id }: FactorOwner): number =>
	one<{ n: number }>(db, `SELECT count(*) AS n FROM ${TABLE[kind].name} WHERE ${TABLE[kind].key} = ?`, [id])!.n;

/** What a browser needs to make one: tells it those that are there already, so that one device makes no second. */
export async function passkeyToAdd(
	db: Db,
	who: FactorOwner,
	called: { login: string; name: string },
	door: Doorstep
): Promise<PublicKeyCredentialCreationOptionsJSON> {
	const options = await generateRegistrationOptions({
		rpName: 'Sextant',
		rpID: door.host,
		userName: called.login,
		userDisplayName: called.name,
		userID: handleOf(who),
		attestationType: 'none',
		excludeCredentials: passkeysOf(db, who)
			.filter((p) => p.host === door.host)
			.map(({ id }) => ({ id })),
		authenticatorSelection: { residentKey: 'required', userVerification: 'required' }
	});
	challengeFor(`add ${who.kind} ${who.id}`, options.challenge);
	return options;
}

/** Keeps a passkey that a browser has made. */
export async function addPasskey(
	db: Db,
	who: FactorOwner,
	door: Doorstep,
	given: { answer: string; name: string; at: number }
): Promise<Answer<{ passkey: Passkey }>> {
	const response = parsed(given.answer, REGISTRATION) as RegistrationResponseJSON | null;
	if (response === null) return { ok: false, problem: 'wrong' };
	let late = false;
	const verified = await verifyRegistrationResponse({
		response,
		expectedChallenge: (c) => {
			const right = takes(`add ${who.kind} ${who.id}`)(c);
			late = !right;
			return right;
		},
		expectedOrigin: door.origin,
		expectedRPID: door.host,
		requireUserVerification: true
	}).catch(() => null);
	if (!verified?.verified) return { ok: false, problem: late ? 'late' : 'wrong' };
	const { credential, credentialBackedUp } = verified.registrationInfo;
	return db
		.transaction((): Answer<{ passkey: Passkey }> => {
			if (countPasskeys(db, who) >= MOST_PASSKEYS) return { ok: false, problem: 'too-many' };
			// A number that somebody else's has would let them in here.
			if (one(db, `SELECT 1 FROM ${TABLE[who.kind].name} WHERE id = ?`, [credential.id]))
				return { ok: false, problem: 'wrong' };
			insertRow(db, TABLE[who.kind].name, {
				id: credential.id,
				[TABLE[who.kind].key]: who.id,
				name: given.name,
				public_key: Buffer.from(credential.publicKey),
				counter: credential.counter,
				transports: (credential.transports ?? []).join(' '),
				host: door.host,
				synced: credentialBackedUp ? 1 : 0,
				made_at: given.at,
				used_at: null
			});
			return { ok: true, passkey: passkeysOf(db, who).find((p) => p.id === credential.id)! };
		})
		.immediate();
}

/**
 * What a browser needs to show one that it has: any of this host, where nobody is known yet, else those of the person.
 */
export async function passkeyToShow(
	db: Db,
	who: Anyone,
	door: Doorstep
): Promise<PublicKeyCredentialRequestOptionsJSON> {
	const options = await generateAuthenticationOptions({
		rpID: door.host,
		userVerification: 'required',
		...(who.id === null
			? {}
			: {
					allowCredentials: all<{ id: string; transports: string }>(
						db,
						`SELECT id, transports FROM ${TABLE[who.kind].name} WHERE ${TABLE[who.kind].key} = ? AND host = ?`,
						[who.id, door.host]
					).map(({ id, transports }) => ({
						id,
						transports: transports.split(' ').filter(Boolean) as AuthenticatorTransport[]
					}))
				})
	});
	challengeFor(`show ${who.kind} ${who.id ?? 'anybody'}`, options.challenge);
	return options;
}

/**
 * Whose passkey was shown. It was unlocked by its person (a finger, a face, a number), and so counts as both factors.
 */
export async function showPasskey(
	db: Db,
	who: Anyone,
	door: Doorstep,
	given: { answer: string; at: number }
): Promise<Answer<{ id: number }>> {
	const response = parsed(given.answer, AUTHENTICATION) as AuthenticationResponseJSON | null;
	if (response === null) return { ok: false, problem: 'wrong' };
	const { name, key } = TABLE[who.kind];
	const row = one<{ of: number; public_key: Buffer; counter: number; host: string }>(
		db,
		`SELECT ${key} AS of, public_key, counter, host FROM ${name} WHERE id = ?`,
		[response.id]
	);
	if (!row || row.host !== door.host || (who.id !== null && row.of !== who.id))
		return { ok: false, problem: 'unknown' };
	let late = false;
	const verified = await verifyAuthenticationResponse({
		response,
		expectedChallenge: (c) => {
			const right = takes(`show ${who.kind} ${who.id ?? 'anybody'}`)(c);
			late = !right;
			return right;
		},
		expectedOrigin: door.origin,
		expectedRPID: door.host,
		credential: { id: response.id, publicKey: new Uint8Array(row.public_key), counter: row.counter },
		requireUserVerification: true
	}).catch(() => null);
	if (!verified?.verified) return { ok: false, problem: late ? 'late' : 'wrong' };
	// Two answers with one count: a copy of the key is in use, or the same answer came twice.
	const taken = run(
		db,
		`UPDATE ${name} SET counter = @next, used_at = @at WHERE id = @id AND (counter = @before OR @next = 0)`,
		{ next: verified.authenticationInfo.newCounter, at: given.at, id: response.id, before: row.counter }
	);
	return taken.changes ? { ok: true, id: row.of } : { ok: false, problem: 'wrong' };
}

/** Calls one of somebody's passkeys otherwise. False when they have none such. */
export const renamePasskey = (db: Db, who: FactorOwner, id: string, name: string): boolean =>
	run(db, `UPDATE ${TABLE[who.kind].name} SET name = ? WHERE id = ? AND ${TABLE[who.kind].key} = ?`, [name, id, who.id])
		.changes > 0;

/** Takes one of somebody's passkeys away. Answers what it was called; null when they have none such. */
export function removePasskey(db: Db, who: FactorOwner, id: string): string | null {
	const { name, key } = TABLE[who.kind];
	const found = one<{ name: string }>(db, `SELECT name FROM ${name} WHERE id = ? AND ${key} = ?`, [id, who.id]);
	if (!found) return null;
	run(db, `DELETE FROM ${name} WHERE id = ? AND ${key} = ?`, [id, who.id]);
	return found.name;
}

/** What stands for somebody on their devices: says nothing of who they are (WebAuthn Level 3, §14.6.1). */
const handleOf = ({ kind, id }: FactorOwner) =>
	new Uint8Array(createHash('sha256').update(`passkeys of ${kind} ${id}`).digest());

const part = v.pipe(v.string(), v.maxLength(40_000));
const shared = {
	id: v.pipe(v.string(), v.maxLength(1500)),
	rawId: v.pipe(v.string(), v.maxLength(1500)),
	type: v.literal('public-key'),
	authenticatorAttachment: v.optional(v.string()),
	clientExtensionResults: v.optional(v.record(v.string(), v.unknown()), {})
};
const REGISTRATION = v.object({
	...shared,
	response: v.object({
		clientDataJSON: part,
		attestationObject: part,
		transports: v.optional(v.pipe(v.array(v.pipe(v.string(), v.regex(/^[a-z-]{1,20}$/))), v.maxLength(10)))
	})
});
const AUTHENTICATION = v.object({
	...shared,
	response: v.object({
		clientDataJSON: part,
		authenticatorData: part,
		signature: part,
		userHandle: v.optional(v.nullable(part))
	})
});

/** What a browser sent, where it has the shape of the standard; else null. */
function parsed(text: string, schema: typeof REGISTRATION | typeof AUTHENTICATION): unknown {
	if (text.length > 100_000) return null;
	try {
		const read = v.safeParse(schema, JSON.parse(text));
		return read.success ? read.output : null;
	} catch {
		return null;
	}
}
