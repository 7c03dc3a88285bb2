import { countWords } from '../time/units';

/** Something that happened, or will, as the ribbon marks it. Times in ms UTC. */
export interface Flag {
	at: number;
	words: string;
	failed: boolean;
	/** It lies ahead. */
	ahead: boolean;
	/** The job that it is of, where there is one. */
	job: number | null;
}

/** Flags that lie close together, as one. */
export interface FlagGroup extends Flag {
	/** The last of them; `at` is the first. */
	until: number;
	count: number;
	/** Each of them in order, up to `LISTED`. */
	of: { at: number; words: string; job: number | null }[];
}

/** So many of a group are listed when it is opened. */
const LISTED = 20;

/**
 * Gathers flags that lie within `within` ms of the first of their group: what has failed stays apart from what has not, and what lies ahead from
 * what has happened. One says its own words; of several the first is said, and how many there are more.
 */
export function gatherFlags(flags: readonly Flag[], within: number): FlagGroup[] {
	const open = new Map<string, Gathering>();
	const groups: Gathering[] = [];
	for (const f of [...flags].sort((a, b) => a.at - b.at)) {
		const key = `${f.failed} ${f.ahead}`;
		const group = open.get(key);
		if (group && f.at - group.first.at <= within) {
			group.until = f.at;
			group.count++;
			if (group.of.length < LISTED) group.of.push(item(f));
			continue;
		}
		const begun = { first: f, until: f.at, count: 1, of: [item(f)] };
		open.set(key, begun);
		groups.push(begun);
	}
	return groups.map(({ first, until, count, of }) => ({
		...first,
		until,
		count,
		of,
		words: count === 1 ? first.words : `${countWords(count, 'change')}: ${first.words}, and ${count - 1} more`
	}));
}

interface Gathering {
	first: Flag;
	until: number;
	count: number;
	of: FlagGroup['of'];
}

const item = ({ at, words, job }: Flag) => ({ at, words, job });
