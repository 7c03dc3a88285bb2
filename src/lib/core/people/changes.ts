import type { DirectoryChange, PersonRecord, TeamRecord } from './record';

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

/** All that a directory has: teams, and people by what it tells of each. */
export interface WholeDirectory {
	teams: readonly TeamRecord[];
	people: readonly PersonRecord[];
}

/**
 * What must have changed between a directory as it is known and as it is read anew, as the changes that it would have told: teams that
 * are new or other than they were, those above before those below; people; who is there no longer; teams that are gone.
 * @param known who and what is known from this directory; whoever has ended already stays so unless the directory has them
 * @param at the moment that counts as that of each change, ms UTC: when it was really made is not known any more
 */
export function differences(known: WholeDirectory, whole: WholeDirectory, at: number): DirectoryChange[] {
	const teams = new Map(known.teams.map((t) => [t.id, t]));
	const people = new Map(known.people.map((p) => [p.login, p]));
	const there = { teams: new Set(whole.teams.map((t) => t.id)), people: new Set(whole.people.map((p) => p.login)) };
	return [
		...fromAbove(whole.teams)
			.filter((t) => {
				const was = teams.get(t.id);
				return !was || was.name !== t.name || was.parent !== t.parent;
			})
			.map((team) => ({ at, kind: 'team' as const, team })),
		...whole.people
			.filter((p) => {
				const was = people.get(p.login);
				return !was || !sameRecord(was, p);
			})
			.map((is) => ({ at, kind: 'person' as const, is })),
		...known.people
			.filter((p) => !there.people.has(p.login) && p.ends > at)
			.map(({ login }) => ({ at, kind: 'person gone' as const, login })),
		...known.teams.filter((t) => !there.teams.has(t.id)).map(({ id }) => ({ at, kind: 'team gone' as const, team: id }))
	];
}

/** Teams so that each comes after what it belongs to; those of a circle as they stand. */
function fromAbove(teams: readonly TeamRecord[]): TeamRecord[] {
	const by = new Map(teams.map((t) => [t.id, t]));
	const sorted = new Set<TeamRecord>();
	for (const t of teams) {
		const up: TeamRecord[] = [];
		for (
			let above: TeamRecord | undefined = t;
			above && !sorted.has(above) && !up.includes(above);
			above = by.get(above.parent ?? '')
		)
			up.push(above);
		for (const above of up.reverse()) sorted.add(above);
	}
	return [...sorted];
}

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
