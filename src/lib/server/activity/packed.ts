import { all, allColumns, one, run, type Db } from '../db';
import { rolledUpTo } from './write';

/**
 * The sums of a whole day in one piece. What everybody reached within thirty days may be millions of sums of people, rules and targets: as rows
 * they take seconds to be read, as numbers side by side a fraction of one. A day is packed once all of its hours have been summed up: it
 * does not change after that.
 *
 * Packed are whole numbers alone, as unsigned LEB128 (seven bits a byte, the lowest first; DWARF 5, §7.6): for each target in
 * ascending order how much larger it is than the one before, how many sums it has, and of each of these the person, twice the rule (and one
 * more where it was let through), decisions, bytes to them and bytes from them.
 */

/** Numbers of a sum, and so the fewest bytes of one. */
const WIDTH = 5;

/** What a day has packed that cannot be read. */
export class PackedProblem extends Error {}

/** A sum of a person, a rule and a target; 0: nobody is known, or none decided. */
export type Sum = [
	target: number,
	person: number,
	rule: number,
	through: number,
	decisions: number,
	down: number,
	up: number
];

/** Packs sums, which come in the order of their targets. */
export function packed(sums: readonly Sum[]): Uint8Array {
	let bytes = new Uint8Array(4096);
	let at = 0;
	const put = (n: number) => {
		if (at + 8 > bytes.length) {
			const larger = new Uint8Array(bytes.length * 2);
			larger.set(bytes);
			bytes = larger;
		}
		for (; n > 127; n = Math.floor(n / 128)) bytes[at++] = (n % 128) + 128;
		bytes[at++] = n;
	};
	let before = 0;
	for (let from = 0, to = 0; from < sums.length; from = to) {
		const [target] = sums[from]!;
		while (to < sums.length && sums[to]![0] === target) to++;
		put(target - before);
		put(to - from);
		before = target;
		for (const [, person, rule, through, decisions, down, up] of sums.slice(from, to))
			for (const n of [person, rule * 2 + through, decisions, down, up]) put(n);
	}
	return bytes.slice(0, at);
}

/** Reads what was packed, target by target. */
export class Unpacking {
	/** The target whose sums come next; Infinity: there are no more. */
	target = 0;
	private at = 0;
	private sums = 0;

	/** Throws PackedProblem, as all that reads on. */
	constructor(private readonly bytes: Uint8Array) {
		// A day without sums is not packed.
		if (bytes.length === 0) throw new PackedProblem();
		this.next();
	}

	/** Gives the sums of the target, and goes on to the next. */
	take(
		each: (person: number, rule: number, through: boolean, decisions: number, down: number, up: number) => void
	): void {
		for (; this.sums > 0; this.sums--) {
			const person = this.number();
			const rule = this.number();
			each(person, rule >>> 1, (rule & 1) === 1, this.number(), this.number(), this.number());
		}
		this.next();
	}

	private next(): void {
		if (this.at === this.bytes.length) {
			this.target = Infinity;
			return;
		}
		const more = this.number();
		this.sums = this.number();
		if (more === 0 || this.sums === 0 || this.sums * WIDTH > this.bytes.length - this.at) throw new PackedProblem();
		this.target += more;
	}

	private number(): number {
		const { bytes } = this;
		let byte = bytes[this.at++]!;
		if (byte < 128) return byte;
		let n = byte - 128;
		for (let step = 128; ; step *= 128) {
			byte = bytes[this.at++]!;
			n += (byte & 127) * step;
			if (byte < 128) break;
			// It has come to its end, or is larger than any number that is counted with.
			if (byte === undefined || step > 2 ** 49) throw new PackedProblem();
		}
		if (n > Number.MAX_SAFE_INTEGER) throw new PackedProblem();
		return n;
	}
}

const sumsOf = (db: Db, day: number): Uint8Array =>
	packed(
		allColumns<Sum>(
			db,
			`SELECT target_id, person_id, rule_id, through, sum(decisions), sum(down), sum(up) FROM activity_days WHERE day = ?
			 GROUP BY target_id, person_id, rule_id, through ORDER BY target_id, person_id, rule_id, through`,
			[day]
		)
	);

/** Packs the oldest day that has come to its end and is not packed: one at a time, since a large one takes seconds. */
export function packDay(db: Db): void {
	const rolled = rolledUpTo(db);
	if (rolled === null) return;
	// An hour of the day after has been summed up: nothing is counted in this one any more.
	const { day } = one<{ day: number | null }>(
		db,
		'SELECT min(day) AS day FROM activity_days WHERE day > ? AND day < ?',
		[lastPacked(db) ?? -1, Math.floor(rolled / 24)]
	)!;
	// Whoever else writes does not wait for it: it is read before anything is written.
	if (day !== null)
		run(db, 'INSERT INTO activity_packed(day, body) VALUES (?, ?)', [day, Buffer.from(sumsOf(db, day))]);
}

/** The last day that is packed: all before it are, of which there are sums. */
export const lastPacked = (db: Db): number | null =>
	one<{ day: number | null }>(db, 'SELECT max(day) AS day FROM activity_packed')!.day;

/** Days as they are packed. Throws PackedProblem. */
export const unpack = (db: Db, first: number, last: number): Unpacking[] =>
	all<{ body: Buffer }>(db, 'SELECT body FROM activity_packed WHERE day >= ? AND day <= ?', [first, last]).map(
		({ body }) => new Unpacking(body)
	);

/** Days whose packed sums are not those of their rows, and those that were left out. */
export const packedProblems = (db: Db): string[] => [
	...all<{ day: number; body: Buffer }>(db, 'SELECT day, body FROM activity_packed').flatMap(({ day, body }) =>
		body.equals(sumsOf(db, day)) ? [] : [`activity_packed: day ${day} is not the sum of its rows`]
	),
	...all<{ day: number }>(
		db,
		`SELECT DISTINCT day FROM activity_days WHERE day < (SELECT max(day) FROM activity_packed)
		 AND day NOT IN (SELECT day FROM activity_packed)`
	).map(({ day }) => `activity_packed: day ${day} is missing`)
];
