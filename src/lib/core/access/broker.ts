import { countWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';

/** The rules by which the broker at the gateways finds somebody a machine, once they are let in. */

/** A round trip up to this, in ms, is not felt. */
export const SHORT_WAY = 40;

/** A pool that a publication is served by. */
export interface ServingPool {
	id: string;
	name?: string;
	site: string;
	assignment: 'shared' | 'personal';
}

/**
 * The pools that may serve somebody at a site, in the order in which they are tried: those of their own site, then the others in the
 * order of the publication. Who has a shared pool at their own site is sent elsewhere only where the way is short: a far desktop is
 * worse than a wait. Each pool comes with the reason; one that is passed over, too.
 * @param way round trip from their site to another, ms
 */
export function servingPools<P extends ServingPool>(
	site: string,
	pools: readonly P[],
	way: (to: string) => number
): Explained<P[]> {
	const near = pools.filter((p) => p.site === site);
	const waits = near.some((p) => p.assignment === 'shared');
	const facts: Fact[] = [];
	const say = (p: P, words: string, side: 'for' | 'against') =>
		facts.push({
			words: `${p.name ?? p.id} ${words}`,
			side,
			about: { kind: 'pool', id: p.id, ...(p.name ? { name: p.name } : {}) },
			source: 'broker'
		});
	for (const p of near) say(p, 'stands where they sit', 'for');
	const far = pools.filter((p) => {
		if (p.site === site) return false;
		const ms = Math.round(way(p.site));
		const short = ms <= SHORT_WAY;
		if (!waits) say(p, `comes after: nothing shared serves it where they sit; ${ms} ms away`, 'for');
		else if (short) say(p, `comes after those where they sit: only ${ms} ms away`, 'for');
		else say(p, `is passed over: ${ms} ms away, and one that is shared is where they sit`, 'against');
		return !waits || short;
	});
	return { value: [...near, ...far], facts };
}

/** What a pool has for somebody at a moment. */
export interface Room {
	/** Of a shared pool: seats that are free. */
	seats: number;
	/** Of a personal one: machines that they keep in it, and machines that nobody keeps and that work. */
	own: number;
	unkept: number;
}

/**
 * The first of the pools that may serve somebody, in their order, that has room for them: a free seat, a machine that they keep, or one that
 * nobody keeps and that they are given. Null where they would wait.
 */
export function firstWithRoom<P extends ServingPool>(
	pools: readonly P[],
	roomIn: (pool: P) => Room
): Explained<P | null> {
	const facts: Fact[] = [];
	let first: P | null = null;
	for (const p of pools) {
		const { seats, own, unkept } = roomIn(p);
		const name = p.name ?? p.id;
		const [has, words] =
			p.assignment === 'shared'
				? [seats > 0, `${countWords(seats, 'seat is', 'seats are')} free in ${name}`]
				: own > 0
					? [
							true,
							`they keep ${own === 1 ? 'a machine' : countWords(own, 'machine')} in ${name}; one that is off is started first`
						]
					: unkept > 0
						? [
								true,
								`${countWords(unkept, 'machine of', 'machines of')} ${name} ${unkept === 1 ? 'is' : 'are'} nobody’s yet`
							]
						: [false, `${name} has no working machine left that nobody keeps`];
		const about = { kind: 'pool', id: p.id, ...(p.name ? { name: p.name } : {}) };
		facts.push({ words, side: has ? 'for' : 'against', about, source: 'measured' });
		if (has) first ??= p;
	}
	return { value: first, facts };
}

/** People of one site who would all open the same thing at once. */
export interface Crowd {
	site: string;
	/** What the site is called. */
	name: string;
	people: number;
	/** How many of them keep a machine in a personal pool, by the pool's id. */
	keep: ReadonlyMap<string, number>;
}

/** What becomes of a crowd: how many land in each pool, and how many wait. */
export interface Landed {
	site: string;
	lands: { pool: string; people: number }[];
	wait: number;
}

/**
 * Where the people of several sites would land were all of them to open something at one moment, by the rules that hold for each of them.
 * Crowds take their seats in the order given, and compete for those of a pool that serves several. People are counted, not told
 * apart: within a crowd, those who keep a machine of their own are reckoned to come last, so that no fewer find room than would.
 * One reason for each crowd.
 * @param roomIn what a pool has for somebody who keeps nothing in it (`own` is not looked at)
 */
export function landAll<P extends ServingPool>(
	crowds: readonly Crowd[],
	pools: readonly P[],
	way: (from: string, to: string) => number,
	roomIn: (pool: P) => Room
): Explained<Landed[]> {
	const left = new Map(
		pools.map((p) => {
			const { seats, unkept } = roomIn(p);
			return [p.id, p.assignment === 'shared' ? seats : unkept];
		})
	);
	const value = crowds.map(({ site, people, keep }): Landed => {
		const lands: Landed['lands'] = [];
		let wait = people;
		for (const p of servingPools(site, pools, (to) => way(site, to)).value) {
			const own = p.assignment === 'personal' ? Math.min(wait, keep.get(p.id) ?? 0) : 0;
			const free = Math.min(wait - own, left.get(p.id)!);
			left.set(p.id, left.get(p.id)! - free);
			wait -= own + free;
			if (own + free) lands.push({ pool: p.id, people: own + free });
		}
		return { site, lands, wait };
	});
	const nameOf = new Map(pools.map((p) => [p.id, p.name ?? p.id]));
	const facts = value.map(({ lands, wait }, i): Fact => {
		const { name, people } = crowds[i]!;
		const some = lands.map((l) => `${l.people === people ? 'all' : l.people} in ${nameOf.get(l.pool)}`);
		if (wait) some.push(`${wait === people ? 'all' : wait} would wait`);
		return {
			words: `were ${people === 1 ? 'the one person' : `all ${people} people`} at ${name} to open it now: ${people === 1 ? (wait ? 'they would wait' : `a machine of ${nameOf.get(lands[0]!.pool)}`) : some.join(', ')}`,
			side: wait ? 'against' : 'for',
			about: { kind: 'site', id: crowds[i]!.site, name },
			source: 'broker'
		};
	});
	return { value, facts };
}

/** A session that somebody has open, and the machine that it is on. */
export interface OpenSession {
	publication: string;
	machine: string;
	pool: string;
	/** Whether the pool is known to the broker. */
	known: boolean;
	/** Whether the machine is ready or in use. */
	up: boolean;
	/** Since when, ms UTC, where it is known. */
	since?: number;
}

/**
 * The session in which somebody who opens a publication goes on, of those that they have open, oldest first: one of the same publication
 * is taken up again, and an app opens in one whose pool serves it too. Of several the newest; null where they are given a machine.
 * @param serving the pools that may serve them
 */
export function goesOnIn<S extends OpenSession>(
	open: readonly S[],
	publication: string,
	app: boolean,
	serving: readonly string[]
): Explained<S | null> {
	let value: S | null = null;
	const facts: Fact[] = [];
	for (const session of open) {
		const same = session.publication === publication;
		if (!same && !app) continue;
		const shares = same ? takenUp(session) : sharesSession(session, serving);
		facts.push(...shares.facts);
		if (shares.value) value = session;
	}
	return { value, facts };
}

const takenUp = ({ machine, since }: OpenSession): Explained<boolean> => ({
	value: true,
	facts: [
		{
			words: `they have it open on ${machine}: that session is taken up again`,
			side: 'for',
			...(since === undefined ? {} : { at: since }),
			about: { kind: 'machine', id: machine },
			source: 'broker'
		}
	]
});

/** Whether an app may open in a session that its person has already: where the pool of its machine serves the app too. */
function sharesSession(session: OpenSession, serving: readonly string[]): Explained<boolean> {
	const value = serving.includes(session.pool) && session.up;
	const no = !session.known
		? 'its pool is unknown'
		: serving.includes(session.pool)
			? 'its machine is not up'
			: `its pool, ${session.pool}, does not serve the app`;
	return {
		value,
		facts: [
			{
				words: value
					? `the session on ${session.machine} is shared: its pool serves the app too`
					: `the session on ${session.machine} is not shared: ${no}`,
				side: value ? 'for' : 'against',
				about: { kind: 'machine', id: session.machine },
				source: 'broker'
			}
		]
	};
}

/**
 * Whether somebody may have one more personal machine, `owned` being those that they keep and `given` what each grant that reaches
 * them gives; the most generous one counts, and gives one at least.
 */
export function mayHaveAnother(
	owned: readonly string[],
	given: readonly number[]
): Explained<boolean> & { most: number } {
	const most = Math.max(1, ...given);
	const value = owned.length < most;
	return {
		value,
		most,
		facts: [
			{
				words: value
					? `they have ${countWords(owned.length, 'machine')} of ${most} that the grant gives`
					: `they have ${owned.join(', ')} already; the grant gives ${most}`,
				side: value ? 'for' : 'against',
				source: 'grants'
			}
		]
	};
}

/** Somebody who waits for a machine. */
export interface Waiting {
	/** Since when, ms UTC. */
	since: number;
	/** The number of the connection, by which two of the same moment come in order. */
	id: number;
}

/** Who waits longest is served first. */
export const waitsLonger = (a: Waiting, b: Waiting): boolean =>
	a.since < b.since || (a.since === b.since && a.id < b.id);
