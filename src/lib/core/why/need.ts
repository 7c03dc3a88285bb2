import type { Facet } from '../scope/scope';
import type { Fact } from './explained';

/** Something that needs a person, with what would put it right. */
export interface Need {
	key: string;
	/** People it affects: what needs are ranked by. */
	people: number;
	/** What stands before the unit: the people, or how many there are of something else. */
	count: number;
	/** What is counted: people · plan waits · failed job. */
	unit: string;
	tone: 'buoy' | 'sand' | 'plum';
	title: string;
	facts: Fact[];
	card: string | null;
	href: string | null;
	/** What would put it right; `blocked` says what stands in the way of that right now. */
	plan: { kind: string; input: unknown; words: string; blocked?: string } | null;
	/** Where the figures behind it are spread out, as a path of the console. */
	breakdown?: string | null;
	since: number;
	/** What it is about, by facet: the ids by which a scope finds it. */
	about: Partial<Record<Facet, string[]>>;
}

/** What a need counts: the people it affects, since needs are ranked by them; where it affects none, how many there are of something else. */
export const counted = (
	people: number,
	count: number,
	[single, several]: readonly [string, string]
): Pick<Need, 'people' | 'count' | 'unit'> =>
	people > 0
		? { people, count: people, unit: people === 1 ? 'person' : 'people' }
		: { people: 0, count, unit: count === 1 ? single : several };
