import type { DirectoryChange, PersonRecord } from './record';

/** What some changes come to for one person: as they were before the first and are after the last of them; null: they were not there. */
export interface Outcome {
	login: string;
	before: PersonRecord | null;
	after: PersonRecord;
}

/**
 * What changes come to for each person whom they name, in the order of their logins. Who ends as they began is left out. Whom a
 * directory has no longer ends then.
 * @param known somebody as they are known, by their login; null where nobody is
 * @param membersOf the logins of those who are known to be of a team
 */
export function outcomes(
	changes: readonly DirectoryChange[],
	known: (login: string) => PersonRecord | null,
	membersOf: (team: string) => readonly string[] = () => []
): Outcome[] {
	const found = new Map<string, Outcome>();
	for (const c of changes) {
		if (c.kind === 'person') {
			const was = c.was ?? c.is.login;
			const earlier = found.get(was);
			found.delete(was);
			found.set(c.is.login, { login: c.is.login, before: earlier ? earlier.before : known(was), after: c.is });
		} else if (c.kind === 'person gone') {
			const earlier = found.get(c.login);
			const is = earlier?.after ?? known(c.login);
			if (!is) continue;
			const before = earlier ? earlier.before : is;
			found.set(c.login, { login: c.login, before, after: goneAt(is, c.at) });
		} else if (c.kind === 'team gone') {
			// Nobody is of it any more, whoever was known to be or was told to be before.
			for (const login of new Set([...membersOf(c.team), ...found.keys()])) {
				const earlier = found.get(login);
				const is = earlier?.after ?? known(login);
				if (!is?.memberOf.includes(c.team)) continue;
				const after = { ...is, memberOf: is.memberOf.filter((t) => t !== c.team) };
				found.set(login, { login, before: earlier ? earlier.before : is, after });
			}
		}
	}
	return [...found.values()]
		.filter(({ before, after }) => before === null || !sameRecord(before, after))
		.sort((a, b) => (a.login < b.login ? -1 : 1));
}

/** Somebody whom a directory has no longer from a moment on, ms UTC. */
export const goneAt = (is: PersonRecord, at: number): PersonRecord =>
	is.ends <= at ? is : { ...is, ends: at, moves: [] };

const sameSet = (a: readonly string[], b: readonly string[]): boolean =>
	a[0] === b[0] && new Set(a).size === new Set(b).size && b.every((t) => a.includes(t));

const FACTS = [
	'login',
	'name',
	'mail',
	'employment',
	'manager',
	'site',
	'language',
	'pattern',
	'begins',
	'ends'
] as const;

/** Whether two records say the same: other teams in any order. */
export const sameRecord = (a: PersonRecord, b: PersonRecord): boolean =>
	FACTS.every((key) => a[key] === b[key]) &&
	sameSet(a.memberOf, b.memberOf) &&
	a.moves.length === b.moves.length &&
	a.moves.every((m, i) => {
		const other = b.moves[i]!;
		return m.at === other.at && m.site === other.site && sameSet(m.memberOf, other.memberOf);
	});

/** Whether somebody is taken out of what they had: of teams, of their site, or of the directory, now or on an earlier day than was known. */
export const isMoved = ({ before, after }: Outcome): boolean =>
	before !== null &&
	(before.site !== after.site || !sameSet(before.memberOf, after.memberOf) || after.ends < before.ends);

/** However few people there are, so many may move without anybody looking. */
export const LEAST_HELD = 10;

/** How many people changes may move without anybody looking at them first: a share of everybody, 0–1, and never under LEAST_HELD. */
export const mayMove = (people: number, share: number): number => Math.max(LEAST_HELD, Math.floor(people * share));
