import { servingPools } from '$lib/core/access/broker';
import { countWords } from '$lib/core/time/units';
import type { Explained, Fact } from '$lib/core/why/explained';
import type { Db } from '../db';
import { waysOf } from '../estate';
import { personCalled } from '../people';
import { poolsAt } from '../pools';
import { publicationsAt } from '../publications';
import { servedBy } from '../publishing';
import { poolCounts } from '../watch';

/** Where somebody would land: pools in the order in which the broker tries them. */
export interface Landing {
	pools: { id: string; name: string }[];
	/** The first of them with a seat that is free at the moment; null where they would wait. */
	first: string | null;
}

/**
 * Where a person who is let in would land at a moment, by the rules that the broker itself goes by. Null where there is no such
 * person or publication.
 */
export function landingOf(db: Db, login: string, publication: string, at: number): Explained<Landing> | null {
	const person = personCalled(db, login);
	const pub = publicationsAt(db, at).find((p) => p.id === publication);
	if (!person || !pub) return null;
	const serving = servedBy(db, at)(pub);
	const pools = poolsAt(db, at).filter((p) => serving.includes(p.id));
	const way = waysOf(db);
	const { value, facts } = servingPools(person.site, pools, (to) => way(person.site, to));
	const counts = poolCounts(db, at);
	const free = new Map(
		value.map((p) => {
			const c = counts.get(p.id);
			return [p.id, Math.max(0, (c?.usable ?? 0) * p.perMachine - (c?.sessions ?? 0))] as const;
		})
	);
	const first = value.find((p) => p.assignment === 'personal' || free.get(p.id)! > 0);
	const seats: Fact[] = value
		.filter((p) => p.assignment === 'shared')
		.map((p) => ({
			words: `${countWords(free.get(p.id)!, 'seat is', 'seats are')} free in ${p.name}`,
			side: free.get(p.id)! > 0 ? 'for' : 'against',
			about: { kind: 'pool', id: p.id, name: p.name },
			source: 'measured'
		}));
	return {
		value: { pools: value.map((p) => ({ id: p.id, name: p.name })), first: first?.name ?? null },
		facts: [...facts, ...seats]
	};
}
