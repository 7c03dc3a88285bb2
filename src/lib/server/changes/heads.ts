import { createPrivateKey, createPublicKey, generateKeyPairSync, sign, verify, type KeyObject } from 'node:crypto';
import { appendFileSync, existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import * as v from 'valibot';
import { all, one, type Db } from '../db';
import { firstBrokenChange } from '.';

/**
 * Heads of the change log: how far it had come, when, signed with a key that is not in the database. The chain of digests shows a line that
 * was altered; a head shows one that was cut off at the end, and a chain that was worked out anew. Whoever holds both the key and every copy
 * of the heads can still forge everything: so heads are sent elsewhere, too, where that is set.
 */

export interface Head {
	/** Number and digest of the last change. */
	number: number;
	hash: string;
	/** The estate's clock, ms UTC, and the wall's. */
	at: number;
	wall: string;
	/** The public key, SPKI in base64, and the signature of all the rest by it (Ed25519, RFC 8032), base64. */
	key: string;
	signature: string;
}

export const HEADS_FILE = 'changes.heads';
const headSchema = v.strictObject({
	number: v.pipe(v.number(), v.safeInteger()),
	hash: v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/)),
	at: v.number(),
	wall: v.pipe(v.string(), v.maxLength(40)),
	key: v.pipe(v.string(), v.maxLength(200)),
	signature: v.pipe(v.string(), v.maxLength(200))
});

/** The key beside the data, readable for its owner only; a new one where there is none yet. */
export function headKeyIn(folder: string): KeyObject {
	const file = process.env.SEXTANT_HEAD_KEY_FILE ?? join(folder, 'changes.key');
	if (!existsSync(file)) {
		const { privateKey } = generateKeyPairSync('ed25519');
		writeFileSync(file, privateKey.export({ type: 'pkcs8', format: 'pem' }), { mode: 0o600, flag: 'wx' });
	}
	return createPrivateKey(readFileSync(file));
}

const signed = (h: Omit<Head, 'signature'>): Buffer =>
	Buffer.from(JSON.stringify([h.number, h.hash, h.at, h.wall, h.key]));

/** The head of the log as it stands; null while it is empty. */
export function headOf(db: Db, key: KeyObject, at: number, wall: Date): Head | null {
	const last = one<{ number: number; hash: string }>(
		db,
		'SELECT number, hash FROM changes ORDER BY number DESC LIMIT 1'
	);
	if (!last) return null;
	const head = {
		...last,
		at,
		wall: wall.toISOString(),
		key: createPublicKey(key).export({ type: 'spki', format: 'der' }).toString('base64')
	};
	return { ...head, signature: sign(null, signed(head), key).toString('base64') };
}

export const headLine = (head: Head): string => `${JSON.stringify(head)}\n`;

/** Keeps heads in a file beside the database, each time that the log has grown. */
export class HeadKeeper {
	private last: number;

	constructor(
		private readonly folder: string,
		private readonly key: KeyObject
	) {
		this.last = readHeads(readText(join(folder, HEADS_FILE))).heads.at(-1)?.number ?? 0;
	}

	/** Writes a head when there is a newer change than the last one had. Answers with it. */
	keep(db: Db, at: number, wall = new Date()): Head | null {
		const head = headOf(db, this.key, at, wall);
		if (!head || head.number <= this.last) return null;
		appendFileSync(join(this.folder, HEADS_FILE), headLine(head), { mode: 0o600 });
		this.last = head.number;
		return head;
	}
}

const readText = (path: string): string => (existsSync(path) ? readFileSync(path, 'utf8') : '');

/** The heads of a text, and how many of its lines are none. */
export function readHeads(text: string): { heads: Head[]; unreadable: number } {
	const heads: Head[] = [];
	let unreadable = 0;
	for (const line of text.split('\n')) {
		if (line.trim() === '') continue;
		try {
			heads.push(v.parse(headSchema, JSON.parse(line)));
		} catch {
			unreadable++;
		}
	}
	return { heads, unreadable };
}

/**
 * What the heads of a text say against a change log, one line each; none when they agree.
 * @param name what the text is called
 */
export function headProblems(db: Db, text: string, name: string): string[] {
	const { heads, unreadable } = readHeads(text);
	const problems: string[] = [];
	if (unreadable) problems.push(`${name}: ${unreadable} of its lines cannot be read`);
	const changes = new Map(
		all<{ number: number; hash: string }>(db, 'SELECT number, hash FROM changes').map((c) => [c.number, c.hash])
	);
	const keys = new Set(heads.map((h) => h.key));
	if (keys.size > 1) problems.push(`${name}: it is signed with ${keys.size} keys, not one`);
	let before = 0;
	for (const head of heads) {
		const of = `head of change ${head.number}, ${head.wall}`;
		if (!signatureHolds(head)) problems.push(`${name}: the signature of the ${of}, does not hold`);
		else if (!changes.has(head.number))
			problems.push(`change log: it has been cut: ${name} has the ${of}, and the log ends at ${changes.size}`);
		else if (changes.get(head.number) !== head.hash)
			problems.push(`change log: it was written anew: change ${head.number} is another than in the ${of}, of ${name}`);
		if (head.number < before) problems.push(`${name}: the ${of}, comes after that of change ${before}`);
		before = head.number;
	}
	return problems;
}

/** How a change log agrees with heads of it that were kept elsewhere. */
export interface Compared {
	/** Heads that could be read, the last change that any of them speaks of, and how many changes the log has. */
	heads: number;
	last: number | null;
	changes: number;
	/** What does not agree, one line each. */
	problems: string[];
}

/** Compares a change log with heads that were kept elsewhere: its own chain first, then each head. */
export function compareHeads(db: Db, text: string): Compared {
	const { heads } = readHeads(text);
	const broken = firstBrokenChange(db);
	return {
		heads: heads.length,
		last: heads.length ? Math.max(...heads.map((h) => h.number)) : null,
		changes: one<{ n: number }>(db, 'SELECT count(*) AS n FROM changes')!.n,
		problems: [
			...(broken === null ? [] : [`change log: broken at change ${broken}`]),
			...headProblems(db, text, 'what was kept')
		]
	};
}

function signatureHolds(head: Head): boolean {
	try {
		const key = createPublicKey({ key: Buffer.from(head.key, 'base64'), type: 'spki', format: 'der' });
		return (
			key.asymmetricKeyType === 'ed25519' && verify(null, signed(head), key, Buffer.from(head.signature, 'base64'))
		);
	} catch {
		return false;
	}
}

/** Whether jobs and the change log speak of the same: every job that has ended left one line, and every line's job is there. */
export function countProblems(db: Db): string[] {
	const count = (sql: string) => one<{ n: number }>(db, sql)!.n;
	const problems: string[] = [];
	const silent = count(
		'SELECT count(*) AS n FROM jobs j WHERE j.ended IS NOT NULL AND NOT EXISTS (SELECT 1 FROM changes c WHERE c.job_id = j.id)'
	);
	if (silent) problems.push(`change log: ${silent} jobs have ended and left no line in it`);
	const lost = count(
		'SELECT count(*) AS n FROM changes c WHERE c.job_id IS NOT NULL AND NOT EXISTS (SELECT 1 FROM jobs j WHERE j.id = c.job_id)'
	);
	if (lost) problems.push(`change log: ${lost} of its lines are of jobs that are not there`);
	return problems;
}
