import { folded } from '../text/nearest';
import { FOREVER } from '../time/units';
import { momentOf } from '../time/zone';
import { isLanguage } from './language';
import { asLogin, isPersonLogin } from './login';
import { USUAL_EMPLOYMENT, type Move, type PersonRecord, type TeamRecord } from './record';

/** Somebody as they are given from outside, in text. What is absent is not spoken of and stays as it is; null: there is none. */
export interface GivenPerson {
	login: string;
	/** Their login until now, where it was another. */
	was?: string | undefined;
	name?: string | undefined;
	mail?: string | null | undefined;
	employment?: string | null | undefined;
	/** A login. */
	manager?: string | null | undefined;
	/** A site by its id or name. */
	site?: string | undefined;
	language?: string | null | undefined;
	pattern?: string | undefined;
	/** Their first day, such as 2026-11-23, or moment. */
	begins?: string | null | undefined;
	/** Their last day, or the moment from which on they are there no longer. */
	ends?: string | null | undefined;
	/** Their home team by its id or name; null: none. */
	team?: string | null | undefined;
	/** The other teams that they are of. */
	teams?: readonly string[] | undefined;
	moves?: readonly GivenMove[] | undefined;
}

/** A move to come; what it does not say stays as it is. */
export interface GivenMove {
	/** The first day of it, or a moment. */
	on: string;
	site?: string | undefined;
	team?: string | undefined;
	teams?: readonly string[] | undefined;
}

export interface KnownSite {
	id: string;
	name: string;
	zone: string;
}

/** What is known where somebody is given: by it what is given is read. */
export interface Ground {
	site(text: string): KnownSite | undefined;
	/** The id of a team. */
	team(text: string): string | undefined;
	/** Whether somebody has that login, or is given it beside them. */
	isPerson(login: string): boolean;
	/** Where nothing is said of a newcomer. */
	usual: { site: string | null; team: string | null; pattern: string };
}

/** What is wrong with something that is given, by its field. */
export interface GivenProblem {
	field: string;
	words: string;
}

/** Finds what texts mean by id, or by name whatever its capitals and accents; a name that two have means neither. */
function finder<T extends { id: string; name: string }>(all: readonly T[]): (text: string) => T | undefined {
	const byId = new Map(all.map((t) => [t.id, t]));
	const byName = new Map<string, T | null>();
	for (const t of all) byName.set(folded(t.name), byName.has(folded(t.name)) ? null : t);
	return (text) => byId.get(text) ?? byName.get(folded(text.trim())) ?? undefined;
}

/** The ground of what is known. */
export function groundOf(
	sites: readonly KnownSite[],
	teams: readonly TeamRecord[],
	isPerson: (login: string) => boolean,
	usual: Ground['usual']
): Ground {
	const site = finder(sites);
	const team = finder(teams);
	return { site, team: (text) => team(text)?.id, isPerson, usual };
}

/**
 * A day written `2026-11-23`, a moment of ISO 8601 with its zone, or one of LDAP (GeneralizedTime, RFC 4517 3.3.13), as ms UTC. A day
 * is its first moment in the zone; `after`: the first one behind it. Null for anything else.
 */
export function readWhen(text: string, zone: string, after: boolean): number | null {
	const day = /^(\d{4})-(\d\d)-(\d\d)$/.exec(text);
	if (day) {
		const at = Date.UTC(Number(day[1]), Number(day[2]) - 1, Number(day[3]));
		if (new Date(at).toISOString().slice(0, 10) !== text) return null;
		return momentOf(zone, at / 86_400_000 + (after ? 1 : 0), 0);
	}
	const general = /^(\d{4})(\d\d)(\d\d)(\d\d)(\d\d)?(\d\d)?(?:[.,]\d+)?(Z|[+-]\d\d(?:\d\d)?)$/.exec(text);
	const iso = general
		? `${general[1]}-${general[2]}-${general[3]}T${general[4]}:${general[5] ?? '00'}:${general[6] ?? '00'}${general[7]!.length === 3 ? `${general[7]}:00` : general[7]!.replace(/^([+-]\d\d)(\d\d)$/, '$1:$2')}`
		: /^\d{4}-\d\d-\d\dT\d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:Z|[+-]\d\d:?\d\d)$/.test(text)
			? text
			: null;
	const at = iso === null ? NaN : Date.parse(iso);
	return Number.isNaN(at) ? null : at;
}

/** A moment as `readWhen` reads it: a day where it begins or ends one in the zone. */
export function whenText(at: number, zone: string, after: boolean): string {
	for (const day of [Math.floor(at / 86_400_000) - 1, Math.floor(at / 86_400_000), Math.floor(at / 86_400_000) + 1])
		if (momentOf(zone, day, 0) === at) return new Date((day - (after ? 1 : 0)) * 86_400_000).toISOString().slice(0, 10);
	return new Date(at).toISOString();
}

const MOST = { name: 200, mail: 254, employment: 60, pattern: 60, teams: 500, moves: 20 };
const MAIL = /^[^\s@]+@[^\s@]+$/;
const WHEN = 'Write a day such as 2026-11-23.';

/**
 * What somebody becomes by what is given of them: what is not spoken of stays as it is known, or is usual.
 * @param known as they are known now; null: nobody is
 */
export function resolvePerson(
	given: GivenPerson,
	known: PersonRecord | null,
	ground: Ground
): { is: PersonRecord } | { problems: GivenProblem[] } {
	const problems: GivenProblem[] = [];
	const wrong = (field: string, words: string) => void problems.push({ field, words });
	const short = (field: 'name' | 'employment' | 'pattern', text: string | null | undefined, stays: string): string => {
		if (text === undefined) return stays;
		const value = (text ?? '').trim();
		if (value.length > MOST[field]) wrong(field, `Write at most ${MOST[field]} characters.`);
		return value;
	};

	const login = asLogin(given.login);
	if (!isPersonLogin(login)) wrong('login', 'A login is made of letters, digits, dots and hyphens.');
	const name = short('name', given.name, known?.name ?? '');
	if (name === '') wrong('name', 'Write a name.');
	const employment = short('employment', given.employment, known?.employment ?? USUAL_EMPLOYMENT) || USUAL_EMPLOYMENT;
	const pattern = short('pattern', given.pattern, known?.pattern ?? ground.usual.pattern) || ground.usual.pattern;

	const mail = given.mail === undefined ? (known?.mail ?? null) : given.mail?.trim() || null;
	if (mail !== null && (mail.length > MOST.mail || !MAIL.test(mail))) wrong('mail', 'This is no mail address.');
	const language = given.language === undefined ? (known?.language ?? null) : given.language?.trim() || null;
	if (language !== null && !isLanguage(language)) wrong('language', 'Write a language tag such as nb or fr-CA.');
	const manager = given.manager === undefined ? (known?.manager ?? null) : asLogin(given.manager ?? '') || null;
	if (manager !== null && given.manager !== undefined) {
		if (manager === login) wrong('manager', 'Nobody reports to themselves.');
		else if (!ground.isPerson(manager)) wrong('manager', `Nobody has the login ${manager}.`);
	}

	const siteText = given.site ?? known?.site ?? ground.usual.site;
	const site = siteText === null ? undefined : ground.site(siteText);
	if (!site)
		wrong('site', siteText === null ? 'Say at which site they are.' : `There is no site ${siteText.slice(0, 60)}.`);
	const zone = site?.zone ?? 'Etc/UTC';

	const when = (field: 'begins' | 'ends', none: number): number => {
		const text = given[field];
		if (text === undefined) return known?.[field] ?? none;
		if (text === null || text.trim() === '') return none;
		const at = readWhen(text.trim(), zone, field === 'ends');
		if (at === null) wrong(field, WHEN);
		return at ?? none;
	};
	const begins = when('begins', 0);
	const ends = when('ends', FOREVER);
	if (ends <= begins) wrong('ends', 'They would end before they begin.');

	/** Teams by what is given, from those that there were. */
	const membersOf = (
		{ team, teams }: Pick<GivenPerson, 'team' | 'teams'>,
		before: readonly string[],
		beside: string
	): string[] => {
		const found = (text: string, field: string): string[] => {
			const id = ground.team(text);
			if (id === undefined) wrong(`${beside}${field}`, `There is no team ${text.slice(0, 60)}.`);
			return id === undefined ? [] : [id];
		};
		const home = team === undefined ? before.slice(0, 1) : team === null || team === '' ? [] : found(team, 'team');
		if (teams && teams.length > MOST.teams) wrong(`${beside}teams`, `Write at most ${MOST.teams} teams.`);
		const others = (teams?.slice(0, MOST.teams).flatMap((t) => found(t, 'teams')) ?? before.slice(1)).filter(
			(t) => t !== home[0]
		);
		return [...new Set([...home, ...others])];
	};
	const usualTeam = known === null && given.team === undefined ? ground.usual.team : null;
	const memberOf = membersOf(usualTeam === null ? given : { ...given, team: usualTeam }, known?.memberOf ?? [], '');

	if (given.moves && given.moves.length > MOST.moves) wrong('moves', `Write at most ${MOST.moves} moves.`);
	let moves: readonly Move[] = known?.moves ?? [];
	if (given.moves) {
		let then: Pick<Move, 'site' | 'memberOf'> = { site: site?.id ?? '', memberOf };
		moves = given.moves.slice(0, MOST.moves).map((m, i): Move => {
			const beside = `moves.${i}.`;
			const to = m.site === undefined ? ground.site(then.site) : ground.site(m.site);
			if (!to && m.site !== undefined) wrong(`${beside}site`, `There is no site ${m.site.slice(0, 60)}.`);
			const at = readWhen(m.on.trim(), to?.zone ?? zone, false);
			if (at === null) wrong(`${beside}on`, WHEN);
			else if (at <= begins || at >= ends) wrong(`${beside}on`, 'They are not there then.');
			then = { site: to?.id ?? then.site, memberOf: membersOf(m, then.memberOf, beside) };
			return { at: at ?? 0, ...then };
		});
		for (let i = 1; i < moves.length; i++)
			if (moves[i]!.at <= moves[i - 1]!.at) wrong(`moves.${i}.on`, 'It does not come after the one before it.');
	}
	if (problems.length) return { problems };
	return {
		is: { login, name, mail, employment, manager, site: site!.id, language, pattern, begins, ends, memberOf, moves }
	};
}

/** Somebody as they would be given again: all that is known of them, in text. The other way round than `resolvePerson`. */
export function givenOf(is: PersonRecord, zoneOf: (site: string) => string): GivenPerson {
	const zone = zoneOf(is.site);
	return {
		login: is.login,
		name: is.name,
		mail: is.mail,
		employment: is.employment,
		manager: is.manager,
		site: is.site,
		language: is.language,
		pattern: is.pattern,
		begins: is.begins > 0 ? whenText(is.begins, zone, false) : null,
		ends: is.ends < FOREVER ? whenText(is.ends, zone, true) : null,
		team: is.memberOf[0] ?? null,
		teams: is.memberOf.slice(1),
		moves: is.moves.map((m) => ({
			on: whenText(m.at, zoneOf(m.site), false),
			site: m.site,
			...(m.memberOf[0] === undefined ? {} : { team: m.memberOf[0] }),
			teams: m.memberOf.slice(1)
		}))
	};
}
