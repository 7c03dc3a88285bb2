import { FOREVER } from '../time/units';
import { dnKey, dnValue, keyOf, parseDn, rdnValue } from './dn';
import type { GivenPerson } from './given';
import type { LdifRecord, LineProblem } from './ldif';
import { asLogin } from './login';
import type { PersonRecord, TeamRecord } from './record';

/**
 * People and teams as entries of a directory, and back: people are inetOrgPerson (RFC 2798), teams groupOfNames (RFC 4519). What those do not
 * have a place for is in a class of our own, `sextantPerson`: see docs/examples/sextant.schema.
 */

const OWN_CLASS = 'sextantPerson';

/** The name that a domain gives a directory: `dc=kittiwake,dc=example`; of an estate without one `o=Test Bay`. */
export const baseOf = (domain: string | null, estate: string): string =>
	domain === null
		? `o=${dnValue(estate)}`
		: domain
				.split('.')
				.map((part) => `dc=${dnValue(part)}`)
				.join(',');

interface Entry {
	dn: string;
	attributes: (readonly [string, string])[];
}

/** A moment as GeneralizedTime (RFC 4517 3.3.13). */
export const generalizedTime = (at: number): string =>
	`${new Date(at).toISOString().slice(0, 19).replace(/[-T:]/g, '')}Z`;

/** The words of a name that a directory wants apart: the last is the family name. */
const familyName = (name: string): string => name.split(' ').at(-1)!;

/**
 * Everybody and all teams as entries, in an order in which a directory takes them: what lies above first.
 * @param own whether what has no place in the standard classes is written, for which a directory needs our class
 */
export function entriesOf(
	people: readonly PersonRecord[],
	teams: readonly TeamRecord[],
	estate: { domain: string | null; name: string },
	own: boolean
): Entry[] {
	const base = baseOf(estate.domain, estate.name);
	const personDn = (login: string) => `uid=${dnValue(login)},ou=people,${base}`;
	const names = new Map(teams.map((t) => [t.id, t.name]));
	const teamDn = (id: string) => `cn=${dnValue(names.get(id) ?? id)},ou=teams,${base}`;
	const members = new Map<string, string[]>();
	for (const p of people)
		for (const t of p.memberOf) {
			const list = members.get(t);
			if (list) list.push(p.login);
			else members.set(t, [p.login]);
		}
	const below = new Map<string, string[]>();
	for (const t of teams) if (t.parent !== null) below.set(t.parent, [...(below.get(t.parent) ?? []), t.id]);
	const logins = new Set(people.map((p) => p.login));
	const unit = (name: string): Entry => ({
		dn: `ou=${name},${base}`,
		attributes: [
			['objectClass', 'organizationalUnit'],
			['ou', name]
		]
	});
	return [
		estate.domain === null
			? {
					dn: base,
					attributes: [
						['objectClass', 'organization'],
						['o', estate.name]
					]
				}
			: {
					dn: base,
					attributes: [
						['objectClass', 'organization'],
						['objectClass', 'dcObject'],
						['o', estate.name],
						['dc', estate.domain.split('.')[0]!]
					]
				},
		unit('people'),
		unit('teams'),
		...people.map((p): Entry => ({
			dn: personDn(p.login),
			attributes: [
				['objectClass', 'inetOrgPerson'],
				...(own ? [['objectClass', OWN_CLASS] as const] : []),
				['uid', p.login],
				['cn', p.name],
				['sn', familyName(p.name)],
				...(p.mail === null ? [] : [['mail', p.mail] as const]),
				['employeeType', p.employment],
				...(p.manager === null || !logins.has(p.manager) ? [] : [['manager', personDn(p.manager)] as const]),
				['l', p.site],
				...(p.language === null ? [] : [['preferredLanguage', p.language] as const]),
				...(p.memberOf[0] === undefined ? [] : [['departmentNumber', p.memberOf[0]] as const]),
				...(own ? ownAttributes(p) : [])
			]
		})),
		...teams.map((t): Entry => {
			const within = [...(members.get(t.id) ?? []).map(personDn), ...(below.get(t.id) ?? []).map(teamDn)];
			return {
				dn: teamDn(t.id),
				attributes: [
					['objectClass', 'groupOfNames'],
					['cn', t.name],
					['ou', t.id],
					// The class asks for a member: the empty name stands for nobody.
					...(within.length ? within : ['']).map((dn) => ['member', dn] as const)
				]
			};
		})
	];
}

const ownAttributes = (p: PersonRecord): (readonly [string, string])[] => [
	['sextantPattern', p.pattern],
	...(p.begins > 0 ? [['sextantBegins', generalizedTime(p.begins)] as const] : []),
	...(p.ends < FOREVER ? [['sextantEnds', generalizedTime(p.ends)] as const] : []),
	...p.moves.map((m) => ['sextantMove', [generalizedTime(m.at), m.site, ...m.memberOf].join(' ')] as const)
];

/** What a file gives: people, those whom it takes away, teams and their like, each with its line. */
export interface Brought {
	people: { line: number; given: GivenPerson }[];
	gone: { line: number; login: string }[];
	teams: { line: number; team: GivenTeam }[];
	goneTeams: { line: number; team: string }[];
	problems: LineProblem[];
}

/** A team as it is given; `id` null: it is known by its name. `parent`: its name or id; absent: it is not spoken of. */
export interface GivenTeam {
	id: string | null;
	name: string;
	was?: string;
	parent?: string | null;
}

/** What of an entry says whether it is of a person, a group, or of neither. */
const PERSONS = new Set(['person', 'organizationalperson', 'inetorgperson', 'account', 'posixaccount']);
const GROUPS = new Set(['groupofnames', 'groupofuniquenames', 'posixgroup', 'group']);

/** Which attribute says what of a person. */
const FACTS: readonly (readonly [keyof GivenPerson, string])[] = [
	['mail', 'mail'],
	['employment', 'employeetype'],
	['language', 'preferredlanguage'],
	['site', 'l'],
	['pattern', 'sextantpattern'],
	['begins', 'sextantbegins'],
	['ends', 'sextantends'],
	['team', 'departmentnumber']
];

/** A person as the entries before have made them. */
interface Working {
	line: number;
	given: GivenPerson & Record<string, unknown>;
	/** The teams that they are said to be of by groups, in their order; null: no group speaks of them. */
	groups: Set<string> | null;
	gone: boolean;
}

/**
 * What the records of an LDIF file give, applied one after the other to what is known. A content record says what it says, and is silent
 * of what it leaves out; change records change what is known.
 * @param known people and teams, by which names of entries are understood that the file does not bring itself
 */
export function broughtBy(
	records: readonly LdifRecord[],
	known: { people: ReadonlyMap<string, PersonRecord>; teams: readonly TeamRecord[] }
): Brought {
	const problems: LineProblem[] = [];
	const people = new Map<string, Working>();
	const gone: Brought['gone'] = [];
	const goneTeams: Brought['goneTeams'] = [];
	/** Logins and teams by the names of their entries. */
	const logins = new Map<string, string>();
	const groups = new Map<
		string,
		{ line: number; name: string; id: string | null; members: Set<string>; was?: string; told: boolean }
	>();
	const teamsByName = new Map(known.teams.map((t) => [t.name.toLowerCase(), t]));
	const teamsById = new Map(known.teams.map((t) => [t.id, t]));

	const working = (login: string, line: number): Working => {
		let p = people.get(login);
		if (!p) people.set(login, (p = { line, given: { login }, groups: null, gone: false }));
		return p;
	};
	/** Whose entry a name is of. */
	const loginOf = (dn: string): string | null => {
		const parts = parseDn(dn);
		const key = keyOf(parts);
		const brought = key === null ? undefined : logins.get(key);
		if (brought !== undefined) return brought;
		const uid = rdnValue(parts, 'uid');
		return uid === undefined ? null : asLogin(uid);
	};
	const personSays = (p: Working, attribute: string, values: string[]) => {
		const value = values[0]?.trim();
		const fact = FACTS.find(([, name]) => name === attribute)?.[0];
		if (fact !== undefined) (p.given as Record<string, unknown>)[fact] = value || null;
		else if (attribute === 'displayname' || (attribute === 'cn' && !p.given.named)) {
			if (value) p.given.name = value;
			if (attribute === 'displayname') p.given.named = true;
		} else if (attribute === 'manager') p.given.manager = value ? (loginOf(value) ?? value) : null;
		else if (attribute === 'sextantmove') p.given.moves = values.map(moveOf);
	};

	// Entries first that other entries name.
	for (const r of records)
		if (r.kind === 'content' || r.kind === 'add') {
			const classes = new Set((r.attributes.get('objectclass') ?? []).map((c) => c.toLowerCase()));
			const parts = parseDn(r.dn);
			const key = keyOf(parts);
			if (key === null) continue;
			if ([...classes].some((c) => GROUPS.has(c)) || !isPersonEntry(classes, r.attributes)) continue;
			const uid = r.attributes.get('uid')?.[0] ?? rdnValue(parts, 'uid') ?? r.attributes.get('mail')?.[0];
			if (uid !== undefined) logins.set(key, asLogin(uid));
		}

	for (const r of records) {
		const parts = parseDn(r.dn);
		const key = keyOf(parts);
		if (key === null) {
			problems.push({ line: r.line, words: `“${r.dn.slice(0, 60)}” is no name of an entry.` });
			continue;
		}
		const group = groups.get(key) ?? knownGroup(parts, r);
		if (r.kind === 'content' || r.kind === 'add') {
			const classes = new Set((r.attributes.get('objectclass') ?? []).map((c) => c.toLowerCase()));
			if ([...classes].some((c) => GROUPS.has(c))) bringGroup(key, r);
			else if (isPersonEntry(classes, r.attributes)) bringPerson(key, r);
			continue;
		}
		if (group) changeGroup(key, group, r);
		else changePerson(r);
	}

	function bringPerson(key: string, r: LdifRecord & { kind: 'content' | 'add' }) {
		const login = logins.get(key);
		if (login === undefined) {
			problems.push({ line: r.line, words: 'It has no uid and no mail, by which somebody could sign in.' });
			return;
		}
		const before = people.get(login);
		if (before && !before.gone && r.kind === 'content') {
			problems.push({ line: r.line, words: `A second entry of ${login}; the first is at line ${before.line}.` });
			return;
		}
		const p = working(login, r.line);
		p.gone = false;
		p.line = r.line;
		for (const [attribute, values] of r.attributes) personSays(p, attribute, values);
		p.given.name ??= [r.attributes.get('givenname')?.[0], r.attributes.get('sn')?.[0]].filter(Boolean).join(' ');
	}

	function bringGroup(key: string, r: LdifRecord & { kind: 'content' | 'add' }) {
		const name = r.attributes.get('cn')?.[0]?.trim() ?? '';
		if (name === '') {
			problems.push({ line: r.line, words: 'The group has no cn.' });
			return;
		}
		if (groups.has(key)) {
			problems.push({ line: r.line, words: `A second entry of ${name}.` });
			return;
		}
		groups.set(key, {
			line: r.line,
			name,
			id: r.attributes.get('ou')?.[0]?.trim() || null,
			told: true,
			members: new Set([
				...(r.attributes.get('member') ?? []),
				...(r.attributes.get('uniquemember') ?? []),
				...(r.attributes.get('memberuid') ?? []).map((uid) => `uid=${dnValue(uid)}`)
			])
		});
	}

	/** A team that is known and that a change is of, as a group with those whom it has. */
	function knownGroup(parts: ReturnType<typeof parseDn>, r: LdifRecord) {
		if (r.kind === 'content' || r.kind === 'add') return undefined;
		const cn = rdnValue(parts, 'cn');
		const team = cn === undefined ? undefined : teamsByName.get(cn.toLowerCase());
		if (!team) return undefined;
		const members = [...known.people.values()]
			.filter((p) => p.memberOf.includes(team.id))
			.map((p) => `uid=${dnValue(p.login)}`);
		const below = known.teams.filter((t) => t.parent === team.id).map((t) => `cn=${dnValue(t.name)}`);
		const group = {
			line: r.line,
			name: team.name,
			id: team.id as string | null,
			members: new Set([...members, ...below]),
			told: true
		};
		groups.set(keyOf(parts)!, group);
		return group;
	}

	function changeGroup(key: string, group: NonNullable<ReturnType<typeof groups.get>>, r: LdifRecord) {
		if (r.kind === 'delete') {
			groups.delete(key);
			const team = group.id ?? teamsByName.get(group.name.toLowerCase())?.id;
			if (team !== undefined && teamsById.has(team)) goneTeams.push({ line: r.line, team });
		} else if (r.kind === 'move') {
			const name = rdnValue(parseDn(r.rdn), 'cn');
			if (name === undefined) problems.push({ line: r.line, words: 'A group is called by cn.' });
			else {
				const made = { ...group, was: group.was ?? group.name, name };
				groups.set(key, made);
			}
		} else if (r.kind === 'modify')
			for (const c of r.changes) {
				const values = c.attribute === 'memberuid' ? c.values.map((uid) => `uid=${dnValue(uid)}`) : c.values;
				if (!['member', 'uniquemember', 'memberuid'].includes(c.attribute)) continue;
				if (c.kind === 'replace' || (c.kind === 'delete' && values.length === 0)) group.members.clear();
				const keyed = (dn: string) => loginOf(dn) ?? dnKey(dn);
				const among = new Set(values.map(keyed));
				if (c.kind === 'delete') for (const m of group.members) if (among.has(keyed(m))) group.members.delete(m);
				if (c.kind !== 'delete') for (const m of values) group.members.add(m);
			}
	}

	function changePerson(r: LdifRecord) {
		const login = loginOf(r.dn);
		if (login === null || (!people.has(login) && !known.people.has(login))) {
			problems.push({ line: r.line, words: `Nobody and no team is known as ${r.dn.slice(0, 80)}.` });
			return;
		}
		if (r.kind === 'delete') {
			people.delete(login);
			if (known.people.has(login)) gone.push({ line: r.line, login });
		} else if (r.kind === 'move') {
			const uid = rdnValue(parseDn(r.rdn), 'uid');
			// Called by their name: it is the login alone that anybody signs in by.
			if (uid === undefined) return;
			const p = people.get(login) ?? working(login, r.line);
			people.delete(login);
			const to = asLogin(uid);
			people.set(to, { ...p, given: { ...p.given, login: to, was: p.given.was ?? login } });
			logins.set(dnKey(`uid=${dnValue(uid)}`)!, to);
		} else if (r.kind === 'modify') {
			const p = working(login, r.line);
			for (const c of r.changes) {
				// Of a fact that has one value, what is added stands in the place of what was.
				if (c.kind === 'delete' && c.values.length && c.attribute === 'sextantmove') continue;
				personSays(p, c.attribute, c.kind === 'delete' ? [] : c.values);
			}
		}
	}

	/** Whom each group names, and which stands below which. */
	const teams: Brought['teams'] = [];
	const parents = new Map<string, string>();
	const called = (g: { id: string | null; name: string }) =>
		g.id !== null && !teamsById.has(g.id) && teamsByName.has(g.name.toLowerCase())
			? teamsByName.get(g.name.toLowerCase())!.id
			: (g.id ?? g.name);
	const groupNames = new Map<string, string>();
	for (const [key, g] of groups) {
		groupNames.set(key, called(g));
		groupNames.set(dnKey(`cn=${dnValue(g.name)}`)!, called(g));
	}
	for (const g of groups.values())
		for (const m of g.members) {
			if (m === '') continue;
			const key = dnKey(m);
			const child = key === null ? undefined : (groupNames.get(key) ?? teamByDn(m));
			if (child !== undefined) {
				const other = parents.get(child);
				if (other !== undefined && other !== called(g))
					problems.push({
						line: g.line,
						words: `${child} stands below ${other} already: a team stands below one other.`
					});
				else parents.set(child, called(g));
				continue;
			}
			const login = loginOf(m);
			if (login === null || (!people.has(login) && !known.people.has(login))) {
				problems.push({ line: g.line, words: `Nobody and no team is known as ${m.slice(0, 80)}.` });
				continue;
			}
			const p = working(login, g.line);
			(p.groups ??= new Set()).add(called(g));
		}
	function teamByDn(dn: string): string | undefined {
		const cn = rdnValue(parseDn(dn), 'cn');
		return cn === undefined ? undefined : teamsByName.get(cn.toLowerCase())?.id;
	}
	const spoken = new Set([...groups.values()].map(called));
	for (const g of groups.values())
		teams.push({
			line: g.line,
			team: {
				id: g.id,
				name: g.name,
				...(g.was === undefined ? {} : { was: g.was }),
				...(parents.has(called(g)) ? { parent: parents.get(called(g))! } : {})
			}
		});
	// Whom a group that the file speaks of does not name any more is of it no longer.
	const away = new Set(gone.map((x) => x.login));
	for (const p of known.people.values())
		if (p.memberOf.some((t) => spoken.has(t)) && !away.has(p.login)) {
			const line = groups.values().next().value!.line;
			const w = people.get(p.login);
			const is = w?.groups ?? new Set<string>();
			if (w?.groups || p.memberOf.some((t) => spoken.has(t) && !is.has(t))) working(p.login, line).groups ??= new Set();
		}
	for (const p of people.values()) {
		if (!p.groups) continue;
		const before = known.people.get(p.given.was ?? p.given.login)?.memberOf ?? [];
		const kept = before.filter((t) => !spoken.has(t));
		const all = [...new Set([...kept, ...p.groups])];
		const home = typeof p.given.team === 'string' ? p.given.team : before[0];
		const team = home !== undefined && all.includes(home) ? home : (all[0] ?? null);
		p.given.team = team;
		p.given.teams = all.filter((t) => t !== team);
	}
	return {
		people: [...people.values()]
			.filter((p) => !p.gone)
			.map(({ line, given: { named: _, ...given } }) => ({ line, given })),
		gone,
		teams,
		goneTeams,
		problems
	};
}

const isPersonEntry = (classes: ReadonlySet<string>, attributes: ReadonlyMap<string, string[]>): boolean =>
	[...classes].some((c) => PERSONS.has(c)) || (classes.size === 0 && attributes.has('uid'));

/** A move as our own attribute has it: moment, site, teams. */
function moveOf(text: string): NonNullable<GivenPerson['moves']>[number] {
	const [on, site, team, ...teams] = text.split(' ');
	return { on: on ?? '', ...(site === undefined ? {} : { site }), ...(team === undefined ? {} : { team }), teams };
}
