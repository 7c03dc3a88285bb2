import { recordThen, type Move, type PersonRecord, type TeamRecord } from '$lib/core/people/record';
import type { Estate, EstatePerson } from '$lib/core/estate/schema';
import { FOREVER } from '$lib/core/time/units';
import { addressText } from '$lib/core/network/addresses';
import { knowsZone } from '$lib/core/time/zone';
import { ProviderError, type Directory } from '../providers';
import { schedule } from './agenda';
import { takeKept } from './fleets';
import { hashText } from './random';
import type { PersonChange, SimFault, SimPerson, World } from './state';

type Teams = Estate['directory']['teams'];

/** Some teams and all above them, each once. */
function teamsOver(teams: Teams, own: readonly string[]): string[] {
	const parents = new Map(teams.map((t) => [t.id, t.parent]));
	const over = new Set<string>();
	for (const team of own)
		for (let t: string | undefined = team; t !== undefined && !over.has(t); t = parents.get(t)) over.add(t);
	return [...over];
}

/** Somebody as the directory tells of them. */
export const recordOf = (p: SimPerson): PersonRecord => ({
	login: p.login,
	name: p.name,
	mail: p.mail,
	employment: p.employment,
	manager: p.manager,
	site: p.site,
	language: p.language,
	pattern: p.pattern,
	begins: p.begins,
	ends: p.ends,
	memberOf: p.team === '' ? [] : [p.team, ...p.others],
	moves: p.moves
});

/** Whether the copy that the directory was put back from lacks somebody: a share of the team, always the same of them. */
export const isForgotten = (fault: SimFault, p: SimPerson): boolean =>
	fault.kind === 'directory-put-back' &&
	p.team === fault.target &&
	(hashText(p.login) % 1000) / 1000 < (fault.value ?? 0);

/** What the directory has changed after a cursor, by the page; one that was put back from a copy has forgotten what came before that. */
export function changesSince(w: World, after: number, upTo: number): Awaited<ReturnType<Directory['changes']>> {
	if (w.faults.some((f) => f.kind === 'directory-put-back' && after <= f.before!)) return { lost: true };
	const changes = w.directoryChanges.slice(after, Math.min(upTo, after + CHANGES_AT_ONCE));
	return { cursor: after + changes.length, changes };
}

/** All that the directory tells of, by the page. */
export function wholePage(estate: Estate, w: World, after: string): Awaited<ReturnType<Directory['whole']>> {
	const copies = w.faults.filter((f) => f.kind === 'directory-put-back');
	const { teams, people } = wholeDirectory(estate, w);
	return {
		cursor: w.directoryChanges.length,
		teams,
		people: people
			.map((p) => p.is)
			.filter((p) => p.login > after && !copies.some((f) => isForgotten(f, w.people.get(p.login)!)))
			.sort((a, b) => (a.login < b.login ? -1 : 1))
			.slice(0, PEOPLE_AT_ONCE)
	};
}

/** As a directory would answer: a page of them. */
const CHANGES_AT_ONCE = 2000;
const PEOPLE_AT_ONCE = 5000;

/** The directory as it is: its teams, and its people with what each of them sits at. */
export function wholeDirectory(
	estate: Estate,
	w: World
): { teams: TeamRecord[]; people: { is: PersonRecord; profile: number; address: string }[] } {
	return {
		teams: estate.directory.teams.map(({ id, name, parent }) => ({ id, name, parent: parent ?? null })),
		people: [...w.people.values()]
			.filter((p) => !p.kept)
			.map((p) => ({ is: recordOf(p), profile: p.profile, address: p.address }))
	};
}

const turns = new WeakMap<World, number>();
/** How often somebody has come, or sits or belongs elsewhere: what was worked out of people holds until the next time. */
export const turnsOfPeople = (w: World): number => turns.get(w) ?? 0;
const turned = (w: World): void => void turns.set(w, turnsOfPeople(w) + 1);

/** Puts somebody among the people of the lab, whose days are planned from then on. */
export function addPerson(w: World, estate: Estate, p: EstatePerson): SimPerson {
	const site = estate.sites.find((s) => s.id === p.site);
	const zone = site?.time_zone ?? 'Etc/UTC';
	if (!knowsZone(zone)) throw new RangeError(`unknown time zone ${zone}`);
	const index = hashText(p.login);
	const net = site?.networks[0];
	const person: SimPerson = {
		login: p.login,
		index,
		name: p.name,
		mail: p.mail ?? mailOf(estate, p.login),
		employment: p.employment,
		manager: p.manager ?? null,
		language: p.language ?? null,
		begins: p.begins ?? 0,
		ends: p.ends ?? FOREVER,
		moves: [],
		site: p.site,
		zone,
		team: p.team,
		others: p.teams.filter((t) => t !== p.team),
		teams: teamsOver(estate.directory.teams, [p.team, ...p.teams]),
		pattern: p.pattern,
		profile: p.profile,
		managed: p.managed_endpoint,
		open: [],
		// People's endpoints stand behind the desks' network; those of people without a managed one come from outside.
		address:
			net && p.managed_endpoint
				? addressText((net.first & 0xffffff00) + 1024 + (index % 200))
				: `198.51.100.${index % 250}`
	};
	w.people.set(p.login, person);
	turned(w);
	takeKept(w, person);
	schedule(w, w.now, { kind: 'day', person: p.login, day: Number.NaN });
	return person;
}

const mailOf = (estate: Estate, login: string): string | null =>
	estate.domain === undefined || login.includes('@') ? null : `${login}@${estate.domain}`;

/** Whoever learns of changes finds somebody among them as they are now. */
export const tell = (w: World, person: SimPerson): void => {
	if (!person.kept) w.directoryChanges.push({ at: w.now, kind: 'person', is: structuredClone(recordOf(person)) });
};

/** Somebody comes into the directory, whether or not they have begun. */
export function personComes(w: World, estate: Estate, p: EstatePerson): void {
	if (w.people.has(p.login)) return;
	tell(w, addPerson(w, estate, p));
}

/** Something of somebody is another from now on; what the file leaves out stays as it is. */
export function changePerson(w: World, estate: Estate, login: string, { teams, ...facts }: PersonChange): void {
	const person = w.people.get(login);
	if (!person) return;
	Object.assign(person, facts);
	person.others = (teams ?? person.others).filter((t) => t !== person.team);
	person.moves = person.moves.filter((m) => m.at > w.now);
	takePlace(w, person, estate);
	tell(w, person);
}

/** Where somebody sits, and whom they are above, follow from their site and teams. */
function takePlace(w: World, person: SimPerson, estate: Estate): void {
	turned(w);
	person.teams = teamsOver(estate.directory.teams, person.team === '' ? [] : [person.team, ...person.others]);
	person.zone = estate.sites.find((s) => s.id === person.site)?.time_zone ?? person.zone;
	const net = estate.sites.find((s) => s.id === person.site)?.networks[0];
	if (net && person.managed) person.address = addressText((net.first & 0xffffff00) + 1024 + (person.index % 200));
}

/** A change of the estate file as the directory makes it when its day has come. */
export function changeOf(change: Omit<Estate['directory']['changes'][number], 'person' | 'told'>): PersonChange {
	const { at, ends, ...facts } = change;
	return { ...facts, ...(ends ? { ends: at } : {}) };
}

/** What the directory says before a change: that somebody ends, or goes elsewhere. Null where it cannot be said ahead. */
export function announced(
	w: World,
	login: string,
	{ at, ends, team, teams, site }: Omit<Estate['directory']['changes'][number], 'person' | 'told'>
): PersonChange | null {
	const p = w.people.get(login);
	if (ends) return { ends: at };
	if (!p || (team === undefined && teams === undefined && site === undefined)) return null;
	const home = team ?? p.team;
	const move: Move = {
		at,
		site: site ?? p.site,
		memberOf: [home, ...(teams ?? p.others).filter((t) => t !== home)].filter(Boolean)
	};
	return { moves: [...p.moves.filter((m) => m.at !== at), move].sort((a, b) => a.at - b.at) };
}

/** Removes a profile, or puts it into another's. Returns its bytes. */
export function moveProfile(w: World, { login, to, key }: { login: string; to: string | null; key: string }): number {
	const known = w.operations.get(key);
	if (known) return known.result as number;
	const from = w.people.get(login);
	const bytes = from?.profile ?? 0;
	const heir = to === null ? null : w.people.get(to);
	if (heir === undefined) throw new ProviderError(`the directory knows nobody called ${to}`, false);
	if (from) from.profile = 0;
	if (heir) heir.profile += bytes;
	w.operations.set(key, { key, done: true, at: w.now, error: null, result: bytes });
	return bytes;
}

/** Makes or changes the account of somebody whom Sextant keeps: they live by it like everybody. */
export function keepPerson(w: World, estate: Estate, is: PersonRecord): void {
	// What they are once the day of a move has come is told then.
	const { login, memberOf, moves: _, ...facts } = recordThen(is, w.now);
	const known = w.people.get(login);
	const place = { team: memberOf[0] ?? '', others: memberOf.slice(1) };
	const person =
		known ??
		addPerson(w, estate, {
			...facts,
			login,
			team: place.team,
			teams: place.others,
			mail: facts.mail ?? undefined,
			manager: facts.manager ?? undefined,
			language: facts.language ?? undefined,
			profile: 2e9,
			managed_endpoint: true
		} as EstatePerson);
	if (!known) person.kept = true;
	if (!person.kept) return;
	Object.assign(person, facts, place);
	takePlace(w, person, estate);
}
