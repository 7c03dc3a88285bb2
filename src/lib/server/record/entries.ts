import { createHash } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import { MINUTE } from '$lib/core/time/units';
import { all, one, type Db } from '../db';
import { insertRow } from '../db/rows';
import { isStorage } from '../db/storage';
import { Rate } from '../identity/attempts';

/** What the record holds beside changes: sign-ins and attempts at them, what was refused, and who looked at what somebody did. */
export const ENTRY_KINDS = ['sign-in', 'refused', 'looked'] as const;
export type EntryKind = (typeof ENTRY_KINDS)[number];

export interface NewEntry {
	kind: EntryKind;
	/** Name of an operator or token; the login that was tried, where nobody is known. */
	who: string;
	role: string;
	words: string;
	address: string;
	/** Whether somebody got what they came for. */
	good: boolean;
}

export interface Entry extends NewEntry {
	number: number;
	/** The estate's clock, ms UTC, and the wall's. */
	at: number;
	wall: number;
	hash: string;
}

interface Raw extends Omit<Entry, 'good'> {
	good: number;
	before: string;
}

/** What the first entry is chained to. */
const GENESIS = '0'.repeat(64);

const hashOf = (r: Omit<Raw, 'hash'>): string =>
	createHash('sha256')
		.update(JSON.stringify([r.number, r.at, r.wall, r.kind, r.who, r.role, r.words, r.address, r.good, r.before]))
		.digest('hex');

/** Entries that one of whom something is noted leaves in a minute of the wall; beyond that one line says that there were more. */
const MOST = 60;
/** Attempts of strangers that are written down in a minute, from wherever they come. */
const STRANGERS = new Rate(600, MINUTE);
const noted = new LRUCache<string, { n: number }>({ max: 10_000, ttl: MINUTE });

/** At most so many characters of what comes from outside. */
const short = (text: string, most: number) => (text.length > most ? `${text.slice(0, most - 1)}…` : text);

/**
 * Adds a line to the record, chained to the one before it. Somebody who is refused a thousand times in a minute leaves no thousand lines; a
 * full disk keeps nobody from what they came for.
 * @param at the estate's clock, ms UTC
 */
export function note(db: Db, at: number, entry: NewEntry): void {
	// Somebody who stays on a page looks once a minute.
	const looks = entry.kind === 'looked';
	// Whoever is not known may call themselves another each time: they are told apart by where they come from alone.
	const stranger = entry.kind === 'sign-in' && !entry.good;
	if (stranger && !STRANGERS.take('all')) return;
	const of = `${entry.kind} ${stranger ? '' : entry.who} ${looks ? entry.words : entry.address}`;
	const count = noted.get(of) ?? { n: 0 };
	if (++count.n === 1) noted.set(of, count);
	if (count.n > (looks ? 1 : MOST + 1)) return;
	noteEach(db, at, count.n > MOST ? { ...entry, words: 'and more within a minute, which are left out' } : entry);
}

/** Adds a line to the record as `note` does, however many there are: for what a job did, of which there are no more than jobs. */
export function noteEach(db: Db, at: number, entry: NewEntry): void {
	try {
		db.transaction(() => {
			const last = one<{ number: number; hash: string }>(
				db,
				'SELECT number, hash FROM record_entries ORDER BY number DESC LIMIT 1'
			);
			const row = {
				number: (last?.number ?? 0) + 1,
				at,
				wall: Date.now(),
				kind: entry.kind,
				who: short(entry.who, 120),
				role: short(entry.role, 60),
				words: short(entry.words, 500),
				address: short(entry.address, 60),
				good: entry.good ? 1 : 0,
				before: last?.hash ?? GENESIS
			};
			insertRow(db, 'record_entries', { ...row, hash: hashOf(row) });
		}).immediate();
	} catch (e) {
		if (!isStorage(e)) throw e;
	}
}

const fromRaw = ({ before: _, good, ...r }: Raw): Entry => ({ ...r, good: good === 1 });

/** Entries up to a moment, ms UTC, newest first. */
export const entriesBefore = (db: Db, at: number, limit: number): Entry[] =>
	all<Raw>(db, 'SELECT * FROM record_entries WHERE at <= ? ORDER BY number DESC LIMIT ?', [at, limit]).map(fromRaw);

/** The last entry's number and digest; null where there is none. */
export const lastEntry = (db: Db): { number: number; hash: string } | null =>
	one<{ number: number; hash: string }>(db, 'SELECT number, hash FROM record_entries ORDER BY number DESC LIMIT 1') ??
	null;

/** The first number at which the chain does not hold; null when it does. */
export function firstBrokenEntry(db: Db): number | null {
	let before = GENESIS;
	let number = 0;
	for (const row of db.prepare('SELECT * FROM record_entries ORDER BY number').iterate() as IterableIterator<Raw>) {
		number++;
		if (row.number !== number || row.before !== before || row.hash !== hashOf(row)) return number;
		before = row.hash;
	}
	return null;
}

/** Lines of the record between two moments, as JSON, each with what it is chained by: as they are written out. */
export function* linesBetween(db: Db, from: number, to: number): Generator<string> {
	for (const table of ['changes', 'record_entries'] as const)
		for (const row of db
			.prepare(`SELECT * FROM ${table} WHERE at >= ? AND at < ? ORDER BY number`)
			.iterate(from, to) as IterableIterator<Record<string, unknown>>)
			yield `${JSON.stringify({ of: table === 'changes' ? 'change' : 'entry', ...row })}\n`;
}

/** What the change log was told of the record. */
export const toldTitle = ({ number, hash }: { number: number; hash: string }): string =>
	`The record of sign-ins and refusals has come to entry ${number}, ${hash}`;

/** Where the record is another than the change log was told, one line each: it was cut at its end, or worked out anew. */
export function toldProblems(db: Db): string[] {
	return all<{ title: string }>(db, `SELECT title FROM changes WHERE kind = 'record.head' ORDER BY number`).flatMap(
		({ title }) => {
			const [, number, hash] = /entry (\d+), ([0-9a-f]{64})$/.exec(title) ?? [];
			const is = one<{ hash: string }>(db, 'SELECT hash FROM record_entries WHERE number = ?', [Number(number ?? 0)]);
			if (is?.hash === hash) return [];
			return [`record: it was ${is ? 'written anew' : 'cut'}: the change log speaks of another entry ${number}`];
		}
	);
}
