import { firstWithRoom, servingPools } from '$lib/core/access/broker';
import type { Explained, Fact } from '$lib/core/why/explained';
import { one, type Db } from '../db';
import { waysOf } from '../estate';
import { personCalled } from '../people';
import { poolsAt } from '../pools';
import { publicationsAt } from '../publications';
import { servedBy } from '../publishing';
import { poolCounts } from '../watch';

/** Where somebody would land: pools in the order in which the broker tries them. */
export interface Landing {
	pools: { id: string; name: string }[];
	/** The first of them that has room for them at the moment; null where they would wait. */
	first: string | null;
	/** The machine with a session of theirs that is taken up again. */
	resumes: string | null;
}

/**
 * Where a person who is let in would land at a moment, by the rules that the broker itself goes by. Null where there is no such
 * person or publication.
 */
export function landingOf(db: Db, login: string, publication: string, at: number): Explained<Landing> | null {
	const person = personCalled(db, login);
	const pub = publicationsAt(db, at).find((p) => p.id === publication);
	if (!person || !pub) return null;
	const serves = servedBy(db, at)(pub);
	const pools = poolsAt(db, at).filter((p) => serves.includes(p.id));
	// In the order of the publication, as the broker has them.
	pools.sort((a, b) => serves.indexOf(a.id) - serves.indexOf(b.id));
	const way = waysOf(db);
	const serving = servingPools(person.site, pools, (to) => way(person.site, to));
	const counts = poolCounts(db, at);
	const first = firstWithRoom(serving.value, (p) => {
		const c = counts.get(p.id);
		const seats = Math.max(0, (c?.usable ?? 0) * p.perMachine - (c?.sessions ?? 0));
		return { seats, ...(p.assignment === 'personal' ? keptIn(db, p.id, person.id, at) : { own: 0, unkept: 0 }) };
	});
	const open = one<{ machine: string; pool: string; since: number }>(
		db,
		`SELECT m.name AS machine, m.pool_id AS pool, s.since FROM sessions s JOIN machines m ON m.id = s.machine_id
		 WHERE s.person_id = ? AND s.publication_id = ? AND s.since <= ? AND s.until > ? ORDER BY s.since LIMIT 1`,
		[person.id, publication, at, at]
	);
	const resumed = pools.find((p) => p.id === open?.pool);
	const again: Fact[] = open
		? [
				{
					words: `they have it open on ${open.machine}: that session is taken up again`,
					side: 'for',
					at: open.since,
					about: { kind: 'machine', id: open.machine },
					source: 'broker'
				}
			]
		: [];
	return {
		value: {
			pools: serving.value.map((p) => ({ id: p.id, name: p.name })),
			first: (resumed ?? first.value)?.name ?? null,
			resumes: open?.machine ?? null
		},
		facts: [...again, ...serving.facts, ...first.facts]
	};
}

/** Machines of a personal pool that somebody keeps, and that nobody keeps and that have not failed. */
const keptIn = (db: Db, pool: string, person: number, at: number): { own: number; unkept: number } =>
	one(
		db,
		`SELECT coalesce(sum(pl.owner_id = @person), 0) AS own, coalesce(sum(pl.owner_id IS NULL AND st.state <> 'failed'), 0) AS unkept FROM machines m
		 JOIN machine_spots pl ON pl.machine_id = m.id AND pl.since <= @at AND pl.until > @at
		 JOIN machine_states st ON st.machine_id = m.id AND st.since <= @at AND st.until > @at
		 WHERE m.pool_id = @pool AND m.since <= @at AND m.until > @at`,
		{ pool, person, at }
	)!;
