import type { Estate } from '$lib/core/estate/schema';
import type { World } from './state';

/** Some teams and all above them, each once. */
export function teamsOver(teams: Estate['directory']['teams'], own: readonly string[]): string[] {
	const parents = new Map(teams.map((t) => [t.id, t.parent]));
	const over = new Set<string>();
	for (const team of own)
		for (let t: string | undefined = team; t !== undefined && !over.has(t); t = parents.get(t)) over.add(t);
	return [...over];
}

/** Somebody is of other teams from now on; what the file leaves out stays as it is. Whoever learns of changes finds it among them. */
export function changeMember(
	w: World,
	teams: Estate['directory']['teams'],
	change: Omit<Estate['directory']['changes'][number], 'at'>
): void {
	const person = w.people.get(change.person);
	if (!person) return;
	person.team = change.team ?? person.team;
	person.others = (change.teams ?? person.others).filter((t) => t !== person.team);
	person.teams = teamsOver(teams, [person.team, ...person.others]);
	w.directoryChanges.push({ at: w.now, login: person.login, memberOf: [person.team, ...person.others] });
}
