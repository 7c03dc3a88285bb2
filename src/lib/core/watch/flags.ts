import { countWords } from '../time/units';

/** Something that happened, or will, as the ribbon marks it. Times in ms UTC. */
export interface Flag {
	at: number;
	words: string;
	failed: boolean;
	/** It lies ahead. */
	ahead: boolean;
}

/** Flags that lie close together, as one. */
export interface FlagGroup extends Flag {
	/** The last of them; `at` is the first. */
	until: number;
	count: number;
}

/**
 * Gathers flags that lie within `within` ms of the first of their group: what has failed stays apart from what has not, and what lies ahead from
 * what has happened. One says its own words; of several the first is said, and how many there are more.
 */
export function gatherFlags(flags: readonly Flag[], within: number): FlagGroup[] {
	const open = new Map<string, { first: Flag; until: number; count: number }>();
	const groups: { first: Flag; until: number; count: number }[] = [];
	for (const f of [...flags].sort((a, b) => a.at - b.at)) {
		const key = `${f.failed} ${f.ahead}`;
		const group = open.get(key);
		if (group && f.at - group.first.at <= within) {
			group.until = f.at;
			group.count++;
			continue;
		}
		const begun = { first: f, until: f.at, count: 1 };
		open.set(key, begun);
		groups.push(begun);
	}
	return groups.map(({ first, until, count }) => ({
		...first,
		until,
		count,
		words: count === 1 ? first.words : `${countWords(count, 'change')}: ${first.words}, and ${count - 1} more`
	}));
}
