import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { rightsInPart, rightsOf, type Role } from '$lib/core/access/rights';
import type { Context } from '../context';
import { openDb } from '../db';
import type { Caller } from '../identity/caller';
import { OWNER, type Harness } from './harness';

let files = 0;

/** The estate of a harness as it stands now, in a file: what a part of it shows is a connection of its own, and memory has but one. */
export function inFile(h: Harness): Context {
	const file = join(h.dataDir, `part-${files++}.db`);
	writeFileSync(file, h.db.serialize());
	return { ...h.ctx, db: openDb(file) };
}

/** Somebody who has a role for a part of the estate. */
export const asPart = (role: Role, part: string): Caller => ({
	...OWNER,
	id: 7,
	login: 'part',
	name: 'Pia Part',
	role,
	rights: rightsInPart(rightsOf(role)),
	part
});
