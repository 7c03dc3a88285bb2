import { createHash } from 'node:crypto';
import { recordThen, type PersonRecord } from '$lib/core/people/record';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, run, type Db } from '../db';
import { asOf } from '../db/intervals';
import { steady } from '../db/steady';
import { recordsOf, writePerson } from '../directory';

/** Accounts that are made or changed at one look: the rest follows at the next. */
const AT_ONCE = 2000;

/** What an account is made of, with the login that it has. */
const stateOf = (is: PersonRecord): string =>
	`${is.login} ${createHash('sha256').update(JSON.stringify(is)).digest('base64url')}`;

/** Whoever is not told of by the directory goes where they were to go, once the day has come. */
export function makeMoves(db: Db, now: number): void {
	const due = all<{ login: string }>(
		db,
		`SELECT DISTINCT p.login FROM coming_moves m JOIN people p ON p.id = m.person_id AND p.source <> 'directory' WHERE ${asOf('coming_moves m')} AND m.day <= @at`,
		{ at: now }
	);
	if (due.length === 0) return;
	db.transaction(() => {
		for (const p of recordsOf(
			db,
			due.map((d) => d.login),
			now
		).values())
			writePerson(db, p.id, recordThen(p, now), now);
	}).immediate();
}

/** Where newcomers have come from, once they have: until what they sit at is known of itself. */
export function noteAddresses(db: Db): void {
	run(
		db,
		`UPDATE people SET address = (SELECT c.address FROM connections c WHERE c.person_id = people.id ORDER BY c.ended DESC LIMIT 1)
		 WHERE address = '' AND EXISTS (SELECT 1 FROM connections c WHERE c.person_id = people.id)`
	);
}

/** Whoever has ended is signed in nowhere any more. */
export function endSignIns(db: Db, now: number): void {
	run(
		db,
		`DELETE FROM sign_ins WHERE person_id IN (SELECT f.person_id FROM person_facts f WHERE f.until = ${FOREVER} AND f.ends <= ?)`,
		[now]
	);
}

/** Those who have become others since their account was told of it, whoever has waited longest first. */
const changedSince = steady(['people', 'person_facts', 'memberships'], (db) =>
	all<{ id: number; login: string; account: string | null }>(
		db,
		`SELECT p.id, p.login, p.account FROM people p JOIN person_facts f ON f.person_id = p.id AND f.until = ${FOREVER}
		 WHERE p.source <> 'directory' AND (p.account IS NULL OR p.account_at < f.since OR p.account_at < (SELECT coalesce(max(max(since), max(iif(until = ${FOREVER}, 0, until))), 0) FROM memberships mb WHERE mb.person_id = p.id)) ORDER BY p.account_at LIMIT ${AT_ONCE}`
	)
);

/**
 * People whom Sextant keeps itself, or a program that tells it, have an account in the directory that machines ask: it is made for them,
 * and changed as they change.
 */
export async function keepAccounts(ctx: Context): Promise<void> {
	const { db } = ctx;
	const now = ctx.clock.now();
	const kept = changedSince(db, now);
	if (kept.length === 0) return;
	const records = recordsOf(
		db,
		kept.map((k) => k.login),
		now
	);
	let wrong: unknown = null;
	for (const k of kept) {
		const { id: _, source: __, now: ___, ...is } = records.get(k.login)!;
		const state = stateOf(is);
		const before = k.account?.split(' ')[0];
		try {
			// Called otherwise, they have another account: the one before is shut.
			if (before !== undefined && before !== is.login)
				await ctx.providers.directory.keepPerson(
					{ ...is, login: before, ends: now, moves: [] },
					`account ${k.id} ${before} ends`
				);
			if (k.account !== state) await ctx.providers.directory.keepPerson(is, `account ${k.id} ${state}`);
			run(db, 'UPDATE people SET account = ?, account_at = ? WHERE id = ?', [state, now, k.id]);
		} catch (e) {
			// One that is refused keeps nobody else from theirs.
			wrong ??= e;
		}
	}
	if (wrong !== null) throw wrong as Error;
}
