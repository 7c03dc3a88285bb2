/** Somebody is of these teams from a moment on, ms UTC: the home team first. */
export interface MemberChange {
	at: number;
	login: string;
	memberOf: readonly string[];
}

/** What some changes come to for one person: the teams before the first and after the last of them, home teams first. */
export interface Moved {
	login: string;
	before: readonly string[];
	after: readonly string[];
}

/**
 * Whom changes leave of other teams than before, in the order of their logins. Who ends where they began is not among them, nor is whom
 * `teamsOf` does not know (null).
 */
export function movedBy(
	changes: readonly MemberChange[],
	teamsOf: (login: string) => readonly string[] | null
): Moved[] {
	const last = new Map(changes.map((c) => [c.login, c.memberOf]));
	return [...last]
		.flatMap(([login, after]): Moved[] => {
			const before = teamsOf(login);
			return before === null || same(before, after) ? [] : [{ login, before, after }];
		})
		.sort((a, b) => (a.login < b.login ? -1 : 1));
}

/** The same home team, and the same others in any order. */
const same = (a: readonly string[], b: readonly string[]): boolean =>
	a[0] === b[0] && new Set(a).size === new Set(b).size && b.every((t) => a.includes(t));

/** However few people there are, so many may move without anybody looking. */
export const LEAST_HELD = 10;

/** How many people changes may move without anybody looking at them first: a share of everybody, 0–1, and never under LEAST_HELD. */
export const mayMove = (people: number, share: number): number => Math.max(LEAST_HELD, Math.floor(people * share));

/** What somebody's move is, in words: `from Hydrography to Charts`, `also in Training`, `no longer in Training`. */
export function movedWords({ before, after }: Moved, name: (team: string) => string): string {
	const home = before[0] === after[0] ? [] : [`from ${name(before[0] ?? '')} to ${name(after[0] ?? '')}`];
	const joins = after.slice(1).filter((t) => !before.includes(t));
	const leaves = before.slice(1).filter((t) => !after.includes(t));
	return [
		...home,
		...(joins.length ? [`also in ${joins.map(name).join(', ')}`] : []),
		...(leaves.length ? [`no longer in ${leaves.map(name).join(', ')}`] : [])
	].join('; ');
}
