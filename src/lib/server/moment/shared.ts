import { LRUCache } from 'lru-cache';
import type { Clock } from '../context';
import type { Db } from '../db';

/** So many answers are kept for a database; each is dropped a little after nobody can ask for its moment any more. */
const KEPT = 120;
const LIFE = 15_000;
const STANDING = 600_000;

const caches = new WeakMap<Db, LRUCache<string, { value: unknown }>>();

/**
 * What several people ask for alike, worked out once: figures, ribbon, cells and lists under one scope at one moment. Whoever looks at the
 * present within the same second or so looks at the same moment (`Clock.shown`), so that two hundred pages cost as much as one for each scope.
 * What is answered is shared: nobody may change it.
 * @param question names the query and everything that its answer depends on beside the moment
 */
export const shared = <T>(ctx: { db: Db; clock: Clock }, question: string, at: number, answer: () => T): T =>
	kept(ctx, `${at} ${ctx.clock.turn?.() ?? ''} ${question}`, answer);

/** The same for what nothing that is done changes at once: the curves of the past and the hours ahead. */
export const standing = <T>(ctx: { db: Db; clock: Clock }, question: string, at: number, answer: () => T): T =>
	kept(ctx, `${at} standing ${question}`, answer, STANDING);

function kept<T>({ db, clock }: { db: Db; clock: Clock }, key: string, answer: () => T, ttl = LIFE): T {
	// Without a present that people share there is nothing to share.
	if (!clock.turn) return answer();
	let cache = caches.get(db);
	if (!cache) caches.set(db, (cache = new LRUCache({ max: KEPT, ttl: LIFE })));
	const known = cache.get(key);
	if (known) return known.value as T;
	const began = performance.now();
	const value = answer();
	const entry = { value };
	cache.set(key, entry, { ttl });
	const told = () => clock.spent?.(performance.now() - began);
	if (!(value instanceof Promise)) told();
	else
		// What waits for others costs less than it takes, and what failed is asked anew.
		value.then(told, () => {
			if (cache.get(key) === entry) cache.delete(key);
		});
	return value;
}
