import { resolvePerson, type GivenPerson } from '$lib/core/people/given';
import { asLogin } from '$lib/core/people/login';
import type { DirectoryChange, PersonRecord } from '$lib/core/people/record';
import type { Fact } from '$lib/core/why/explained';
import type { Db } from '../db';
import { recordsOf } from '../directory';
import { knownHere } from './files';

/** What some people come to who are given one by one, and what is wrong with them, by the field. */
export interface Put {
	changes: (DirectoryChange & { kind: 'person' })[];
	/** As each of them is known now. */
	known: ReadonlyMap<string, PersonRecord>;
	problems: { field: string; words: string }[];
	/** Whom others tell of. */
	blocks: Fact[];
}

/** People who are given for our own list, as they would be. */
export function putNow(db: Db, people: readonly GivenPerson[], now: number): Put {
	const named = people.map((p) => ({ login: asLogin(p.login), was: asLogin(p.was ?? p.login) }));
	const logins = [...named.flatMap((n) => [n.login, n.was]), ...people.map((p) => asLogin(p.manager ?? ''))];
	const here = knownHere(db, now, recordsOf(db, logins, now));
	const given = new Set(named.map((n) => n.login));
	const ground = here.ground({})(here.teams, (login) => given.has(login) || here.people.has(login));
	const put: Put = { changes: [], known: here.people, problems: [], blocks: [] };
	people.forEach((p, i) => {
		const { login, was } = named[i]!;
		const wrong = (field: string, words: string) => put.problems.push({ field: `people.${i}.${field}`, words });
		const before = here.people.get(was) ?? null;
		if (p.was !== undefined && !before) wrong('was', `Nobody has the login ${was}.`);
		const shut = before && here.shut('person', was);
		if (shut)
			put.blocks.push({ words: shut, side: 'against', source: 'directory', about: { kind: 'person', id: was } });
		if (named.findIndex((n) => n.login === login) !== i) wrong('login', `${login} is named twice.`);
		if (login !== was && here.people.has(login)) wrong('login', `Somebody else has the login ${login}.`);
		const resolved = resolvePerson(p, before, ground);
		if ('problems' in resolved) for (const x of resolved.problems) wrong(x.field, x.words);
		else put.changes.push({ at: now, kind: 'person', is: resolved.is, ...(login === was ? {} : { was }) });
	});
	return put;
}
