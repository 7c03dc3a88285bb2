import { FOREVER } from '../time/units';

/** Somebody goes to other teams, to another site, or both, on a day that is known ahead. */
export interface Move {
	/** From when on, ms UTC. */
	at: number;
	site: string;
	/** The home team first. */
	memberOf: readonly string[];
}

/** All that a directory says of somebody. */
export interface PersonRecord {
	login: string;
	name: string;
	mail: string | null;
	/** Kind of employment, in the organisation's own words: `employee`, `contractor`. */
	employment: string;
	/** The login of whoever they report to. */
	manager: string | null;
	site: string;
	/** A language tag (RFC 5646), such as `nb` or `fr-CA`; null where nothing is said. */
	language: string | null;
	/** Their work pattern, by its id. */
	pattern: string;
	/** Their first moment, ms UTC; 0 where they have been there ever since anything is on record. */
	begins: number;
	/** The moment from which on they are there no longer, ms UTC; FOREVER where none is known. */
	ends: number;
	/** The teams that they are of, the home team first; none where they are of no team. */
	memberOf: readonly string[];
	/** What is known of them to come, in the order of its days. */
	moves: readonly Move[];
}

/** A team of a directory. */
export interface TeamRecord {
	id: string;
	name: string;
	/** The team that it belongs to. */
	parent: string | null;
}

/** Something that a directory tells: what somebody or a team is from a moment on, or that it has it no longer. */
export type DirectoryChange = { at: number } & (
	| { kind: 'person'; is: PersonRecord; /** Their login until now, where it was another. */ was?: string }
	| { kind: 'person gone'; login: string }
	| { kind: 'team'; team: TeamRecord }
	| { kind: 'team gone'; team: string }
);

/** Kind of employment of whom nothing is said. */
export const USUAL_EMPLOYMENT = 'employee';

/** Whether somebody has begun and has not ended at a moment. */
export const isHere = (p: Pick<PersonRecord, 'begins' | 'ends'>, at: number): boolean => p.begins <= at && at < p.ends;

/** A moment on the last day that somebody is there, ms UTC. */
export const lastDay = (p: Pick<PersonRecord, 'ends'>): number => p.ends - 1;

/** Somebody as they will be at a moment, as far as it is known: with the moves whose day has come by then. */
export function recordThen(p: PersonRecord, at: number): PersonRecord {
	const due = p.moves.filter((m) => m.at <= at).at(-1);
	return due ? { ...p, site: due.site, memberOf: due.memberOf, moves: p.moves.filter((m) => m.at > at) } : p;
}

/** How facts are said of people: teams and sites by their names, moments as days. */
export interface Said {
	team(id: string): string;
	site(id: string): string;
	/** A person by their login. */
	person(login: string): string;
	day(at: number, site: string): string;
}

const teamsWords = (memberOf: readonly string[], say: Said): string =>
	memberOf.length ? memberOf.map((t) => say.team(t)).join(', ') : 'no team';

/** From some teams to others: `from Hydrography to Charts`, `also in Training`, `no longer in Training`. */
export function teamWords(before: readonly string[], after: readonly string[], team: (id: string) => string): string[] {
	const home =
		before[0] === after[0]
			? []
			: [`from ${before[0] ? team(before[0]) : 'no team'} to ${after[0] ? team(after[0]) : 'no team'}`];
	const joins = after.slice(1).filter((t) => !before.includes(t));
	const leaves = before.slice(1).filter((t) => !after.includes(t));
	return [
		...home,
		...(joins.length ? [`also in ${joins.map(team).join(', ')}`] : []),
		...(leaves.length ? [`no longer in ${leaves.map(team).join(', ')}`] : [])
	];
}

/** Facts that are said as they stand, with what they are called. */
const PLAIN = [
	['login', 'login'],
	['name', 'name'],
	['mail', 'mail'],
	['employment', 'employment'],
	['language', 'language'],
	['pattern', 'works']
] as const;

/** What differs between somebody as they were and as they become, each in a few words; none where nothing does. Null: they were not there. */
export function changeWords(before: PersonRecord | null, after: PersonRecord, say: Said): string[] {
	if (before === null) {
		const where = `${teamsWords(after.memberOf, say)}, ${say.site(after.site)}`;
		return [after.begins > 0 ? `begins ${say.day(after.begins, after.site)}: ${where}` : `is new: ${where}`];
	}
	const plain = PLAIN.flatMap(([key, words]) =>
		before[key] === after[key] ? [] : [`${words}: ${before[key] ?? 'none'} → ${after[key] ?? 'none'}`]
	);
	const manager =
		before.manager === after.manager
			? []
			: [`reports to ${after.manager === null ? 'nobody' : say.person(after.manager)}`];
	const site = before.site === after.site ? [] : [`from ${say.site(before.site)} to ${say.site(after.site)}`];
	const begins =
		before.begins === after.begins
			? []
			: [after.begins > 0 ? `begins ${say.day(after.begins, after.site)}` : 'has begun'];
	const ends =
		before.ends === after.ends
			? []
			: [after.ends < FOREVER ? `ends ${say.day(lastDay(after), after.site)}` : 'does not end'];
	return [
		...teamWords(before.memberOf, after.memberOf, say.team),
		...site,
		...begins,
		...ends,
		...movesWords(before, after, say),
		...plain,
		...manager
	];
}

function movesWords(before: PersonRecord, after: PersonRecord, say: Said): string[] {
	const key = (m: Move) => `${m.at} ${m.site} ${m.memberOf.join()}`;
	const known = new Set(before.moves.map(key));
	const kept = new Set(after.moves.map(key));
	return [
		...after.moves
			.filter((m) => !known.has(key(m)))
			.map((m) => `goes to ${teamsWords(m.memberOf, say)}, ${say.site(m.site)} on ${say.day(m.at, m.site)}`),
		// One whose day has come, and that is so now, is no longer to come.
		...before.moves
			.filter((m) => !kept.has(key(m)) && key(m) !== `${m.at} ${after.site} ${after.memberOf.join()}`)
			.map((m) => `does not go to ${teamsWords(m.memberOf, say)} on ${say.day(m.at, m.site)}`)
	];
}
