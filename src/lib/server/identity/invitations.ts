import { createHash, randomBytes } from 'node:crypto';
import { one, run, type Db } from '../db';
import { insertRow } from '../db/rows';
import type { Vault } from '../vault';

const hashOf = (token: string): string => createHash('sha256').update(token).digest('hex');
const about = (person: number): string => `invitation of person ${person}`;

/** A link by which somebody may come in once, as it is found by what stands in it. */
export interface Invitation {
	id: number;
	person: number;
	endsAt: number;
	usedAt: number | null;
}

/** A new invitation, which is the only one of theirs from then on. Kept sealed until it has been sent; within a transaction. */
export function makeInvitation(
	db: Db,
	vault: Vault,
	{ person, at, endsAt, by }: { person: number; at: number; endsAt: number; by: string }
): void {
	const token = randomBytes(32).toString('base64url');
	run(db, 'UPDATE invitations SET ends_at = ? WHERE person_id = ? AND used_at IS NULL AND ends_at > ?', [
		at,
		person,
		at
	]);
	insertRow(db, 'invitations', {
		person_id: person,
		hash: hashOf(token),
		sealed: vault.seal(token, about(person)),
		made_at: at,
		ends_at: endsAt,
		by
	});
}

/** What is to be sent to somebody; null where nothing is. */
export function unsentInvitation(
	db: Db,
	vault: Vault,
	person: number
): { id: number; token: string; endsAt: number } | null {
	const row = one<{ id: number; sealed: string; endsAt: number }>(
		db,
		'SELECT id, sealed, ends_at AS endsAt FROM invitations WHERE person_id = ? AND sealed IS NOT NULL AND used_at IS NULL ORDER BY id DESC LIMIT 1',
		[person]
	);
	const token = row ? vault.open(row.sealed, about(person)) : null;
	return row && token !== null ? { id: row.id, token, endsAt: row.endsAt } : null;
}

/** It has been sent: nobody reads it here any more. */
export const invitationSent = (db: Db, id: number): void =>
	void run(db, 'UPDATE invitations SET sealed = NULL WHERE id = ?', [id]);

/** The invitation of a link; null where there is none such. */
export const invitationCalled = (db: Db, token: string): Invitation | null =>
	one<Invitation>(
		db,
		'SELECT id, person_id AS person, ends_at AS endsAt, used_at AS usedAt FROM invitations WHERE hash = ?',
		[hashOf(token.slice(0, 200))]
	) ?? null;

/** Uses an invitation up. Answers whether it still counted: of two who use one link, one does. */
export const useInvitation = (db: Db, id: number, at: number): boolean =>
	run(db, 'UPDATE invitations SET used_at = ? WHERE id = ? AND used_at IS NULL AND ends_at > ?', [at, id, at]).changes >
	0;

/** Ends what somebody has been sent and has not used. */
export const endInvitations = (db: Db, person: number, at: number): void =>
	void run(db, 'UPDATE invitations SET ends_at = ? WHERE person_id = ? AND used_at IS NULL AND ends_at > ?', [
		at,
		person,
		at
	]);

/** The last invitation of somebody that was made up to a moment. */
export const lastInvitation = (
	db: Db,
	person: number,
	at: number
): { madeAt: number; endsAt: number; usedAt: number | null; by: string } | null =>
	one(
		db,
		'SELECT made_at AS madeAt, ends_at AS endsAt, CASE WHEN used_at <= @at THEN used_at END AS usedAt, by FROM invitations WHERE person_id = @person AND made_at <= @at ORDER BY made_at DESC, id DESC LIMIT 1',
		{ person, at }
	) ?? null;
