import { outcomes, sameRecord, type Outcome } from './changes';
import type { Brought } from './entries';
import { resolvePerson, type Ground } from './given';
import type { LineProblem } from './ldif';
import { FOREVER } from '../time/units';
import { changeWords, type DirectoryChange, type PersonRecord, type Said, type TeamRecord } from './record';

/** What a file comes to, beside what is known. */
export interface Bringing {
	/** Whoever is new, is another in something, or goes, by login. */
	outcomes: Outcome[];
	/** What is told, in the order in which it is taken in: teams first, those above before those below. */
	changes: DirectoryChange[];
	/** Teams that are new or called or placed otherwise, and those that go. */
	teams: TeamRecord[];
	goneTeams: string[];
	/** People of whom the file says what is known already. */
	same: number;
	/** In the order of their lines. */
	problems: LineProblem[];
}

export interface KnownDirectory {
	/** By login. */
	people: ReadonlyMap<string, PersonRecord>;
	teams: readonly TeamRecord[];
	/** Why nobody may change somebody or a team from here; null where they may. */
	shut(kind: 'person' | 'team', id: string): string | null;
	/** The id of a team that is new, by its name; none of those that are taken. */
	teamId(name: string, taken: (id: string) => boolean): string;
}

/**
 * What a file comes to: who comes, who changes in what, who goes, and which lines are wrong and why.
 * @param whole everybody who may be changed from here and whom the file does not name goes
 * @param ground what texts mean, with the teams that the file brings; made from them
 * @param now ms UTC
 */
export function bringing(
	brought: Brought,
	known: KnownDirectory,
	whole: boolean,
	ground: (teams: readonly TeamRecord[], isPerson: (login: string) => boolean) => Ground,
	now: number
): Bringing {
	const problems: LineProblem[] = [...brought.problems];
	const { teams, goneTeams, all } = teamsOf(brought, known, problems);
	const logins = new Set(brought.people.map((p) => p.given.login));
	const by = ground(all, (login) => known.people.has(login) || logins.has(login));
	const changes: DirectoryChange[] = teams.map((team) => ({ at: now, kind: 'team', team }));
	for (const { line, given } of brought.people) {
		const before = known.people.get(given.was ?? given.login) ?? null;
		const shut = before && known.shut('person', before.login);
		if (given.was !== undefined && given.was !== given.login && known.people.has(given.login)) {
			problems.push({ line, words: `Somebody else has the login ${given.login}.` });
			continue;
		}
		const resolved = resolvePerson(given, before, by);
		if (shut) {
			// Whom others tell of may stand in it as they are.
			if ('problems' in resolved || !sameRecord(before, resolved.is)) problems.push({ line, words: shut });
			continue;
		}
		if ('problems' in resolved) {
			for (const p of resolved.problems) problems.push({ line, words: `${p.field}: ${p.words}` });
			continue;
		}
		const { is } = resolved;
		// Whoever comes back is there again, where nothing else is said.
		const back = before !== null && before.ends <= now && given.ends === undefined ? { ...is, ends: FOREVER } : is;
		changes.push({ at: now, kind: 'person', is: back, ...(given.was === undefined ? {} : { was: given.was }) });
	}
	const goes = [...brought.gone];
	if (whole)
		for (const p of known.people.values())
			if (p.ends > now && !logins.has(p.login) && known.shut('person', p.login) === null)
				goes.push({ line: 0, login: p.login });
	for (const { line, login } of goes) {
		const shut = known.shut('person', login);
		if (shut) problems.push({ line, words: shut });
		else if (known.people.has(login)) changes.push({ at: now, kind: 'person gone', login });
	}
	for (const team of goneTeams) changes.push({ at: now, kind: 'team gone', team });
	const found = outcomes(changes, (login) => known.people.get(login) ?? null);
	const same = brought.people.length - found.filter((o) => logins.has(o.login)).length;
	return {
		outcomes: found,
		changes,
		teams,
		goneTeams,
		same: Math.max(0, same),
		problems: problems.sort((a, b) => a.line - b.line)
	};
}

function teamsOf(
	brought: Brought,
	known: KnownDirectory,
	problems: LineProblem[]
): { teams: TeamRecord[]; goneTeams: string[]; all: TeamRecord[] } {
	const all = new Map(known.teams.map((t) => [t.id, t]));
	const byName = new Map(known.teams.map((t) => [t.name, t.id]));
	const idOf = (text: string): string | undefined => (all.has(text) ? text : byName.get(text));
	const changed = new Map<string, number>();
	// Each by its id or name, then where it hangs: the one above may come after it.
	for (const { line, team } of brought.teams) {
		const id =
			(team.id !== null && all.has(team.id) ? team.id : undefined) ??
			idOf(team.was ?? team.name) ??
			team.id ??
			known.teamId(team.name, (x) => all.has(x));
		const before = all.get(id);
		if (before && before.name === team.name) continue;
		const shut = before && known.shut('team', id);
		if (shut) problems.push({ line, words: shut });
		else if (byName.has(team.name)) problems.push({ line, words: `Another team is called ${team.name}.` });
		else {
			if (before) byName.delete(before.name);
			all.set(id, { id, name: team.name, parent: before?.parent ?? null });
			byName.set(team.name, id);
			changed.set(id, line);
		}
	}
	for (const { line, team } of brought.teams) {
		const id = idOf(team.name);
		const is = id === undefined ? undefined : all.get(id);
		if (!is || team.parent === undefined) continue;
		const parent = team.parent === null ? null : (idOf(team.parent) ?? null);
		if (parent === is.parent) continue;
		const shut = known.teams.some((t) => t.id === is.id) ? known.shut('team', is.id) : null;
		if (shut) {
			problems.push({ line, words: shut });
			continue;
		}
		const above = new Set([is.id]);
		let up = parent;
		while (up !== null && !above.has(up)) {
			above.add(up);
			up = all.get(up)?.parent ?? null;
		}
		if (up !== null) {
			problems.push({ line, words: `${is.name} would stand above itself.` });
			continue;
		}
		all.set(is.id, { ...is, parent });
		changed.set(is.id, line);
	}
	const goneTeams = brought.goneTeams.flatMap(({ line, team }) => {
		const shut = known.shut('team', team);
		if (shut) problems.push({ line, words: shut });
		return shut ? [] : [team];
	});
	for (const team of goneTeams) all.delete(team);
	// Those above before those below.
	const ordered: TeamRecord[] = [];
	const placed = new Set<string>();
	const place = (id: string) => {
		if (placed.has(id) || !changed.has(id)) return;
		placed.add(id);
		const team = all.get(id)!;
		if (team.parent !== null) place(team.parent);
		ordered.push(team);
	};
	for (const id of changed.keys()) place(id);
	return { teams: ordered, goneTeams, all: [...all.values()] };
}

/** The ways in which people change, those of most people first: `3 people: from A to B`. */
export function waysOf(found: readonly Outcome[], say: Said, most: number): { words: string; people: number }[] {
	const ways = new Map<string, number>();
	for (const o of found) {
		const words = changeWords(o.before, o.after, say).join('; ');
		ways.set(words, (ways.get(words) ?? 0) + 1);
	}
	return [...ways]
		.map(([words, people]) => ({ words, people }))
		.sort((a, b) => b.people - a.people)
		.slice(0, most);
}
