import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';

/** A note on something, as it was worded at a moment. */
export interface NoteRow {
	id: number;
	/** What it is on, as cards are named: a kind, and which one. */
	kind: string;
	of: string;
	text: string;
	/** Who worded it so. */
	by: string;
	/** When, ms UTC. */
	since: number;
}

const COLUMNS = 'id, kind, of, text, by, since';

/** The notes that there were at a moment, newest wording first. */
export const notesAt = (db: Db, at: number): NoteRow[] =>
	all(db, `SELECT ${COLUMNS} FROM notes WHERE ${asOf('notes', '?1')} ORDER BY since DESC, id`, { 1: at });

/** The notes on one thing at a moment, newest wording first. */
export const notesOn = (db: Db, kind: string, of: string, at: number): NoteRow[] =>
	all(db, `SELECT ${COLUMNS} FROM notes WHERE kind = ? AND of = ? AND ${asOf('notes', '?')} ORDER BY since DESC, id`, [
		kind,
		of,
		at,
		at
	]);

/** One note at a moment, or null. */
export const noteAt = (db: Db, id: number, at: number): NoteRow | null =>
	one<NoteRow>(db, `SELECT ${COLUMNS} FROM notes WHERE id = ? AND ${asOf('notes', '?')}`, [id, at, at]) ?? null;

/** How a note was worded up to a moment, the newest first. */
export const wordingsOf = (db: Db, id: number, at: number): NoteRow[] =>
	all(db, `SELECT ${COLUMNS} FROM notes WHERE id = ? AND since <= ? ORDER BY since DESC`, [id, at]);

/** A number that no note has had. */
export const nextNote = (db: Db): number =>
	one<{ n: number }>(db, 'SELECT coalesce(max(id), 0) + 1 AS n FROM notes')!.n;
