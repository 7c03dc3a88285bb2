import { goneAt, isMoved, type Outcome } from '$lib/core/people/changes';
import { resolvePerson, type Ground, type KnownSite } from '$lib/core/people/given';
import { asLogin } from '$lib/core/people/login';
import { isHere, type PersonRecord } from '$lib/core/people/record';
import { givenOfUser, named, patched, ScimProblem, userOf, type Resource } from '$lib/core/people/scim';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, run, setting, type Db } from '../db';
import { asOf } from '../db/intervals';
import { personNumber, recordsOf, SOURCE_WORDS, writePerson, type KnownPerson, type Source } from '../directory';
import type { Resources } from './resources';
import { countMoved, noteHeld } from './guard';

interface Row {
	id: number;
	login: string;
	source: Source;
	external_id: string | null;
	deleted: number;
}

const ROWS = 'SELECT id, login, source, external_id, deleted FROM people';

/** Everybody as users, for a program that tells of them: those of others it may read, and not change. */
export function users(ctx: Context, at: string): Resources {
	const { db } = ctx;
	const now = ctx.clock.now();

	/** Some of them as resources: however many there are, in few questions. */
	const show = (rows: readonly Row[]): Resource[] => {
		const records = recordsOf(
			db,
			rows.map((r) => r.login),
			now
		);
		const named = (sql: string) => new Map(all<{ id: string; name: string }>(db, sql).map((r) => [r.id, r.name]));
		const zones = named('SELECT id, time_zone AS name FROM sites');
		const teams = named('SELECT id, name FROM teams');
		const managers = new Map(
			all<{ id: number; login: string; name: string }>(
				db,
				'SELECT id, login, name FROM people WHERE login IN (SELECT value FROM json_each(?))',
				[JSON.stringify([...new Set([...records.values()].flatMap((r) => r.manager ?? []))])]
			).map((m) => [m.login, m])
		);
		const changed = new Map(
			all<{ id: number; first: number; last: number }>(
				db,
				`SELECT id, min(since) AS first, max(max(since), max(iif(until = ${FOREVER}, 0, until))) AS last FROM (
				 SELECT person_id AS id, since, until FROM person_facts WHERE person_id IN (SELECT value FROM json_each(@ids))
				 UNION ALL SELECT person_id, since, until FROM memberships WHERE person_id IN (SELECT value FROM json_each(@ids))) GROUP BY id`,
				{ ids: JSON.stringify(rows.map((r) => r.id)) }
			).map((c) => [c.id, c])
		);
		return rows.flatMap((r) => {
			const is = records.get(r.login);
			if (!is) return [];
			const facts = {
				id: r.id,
				is,
				externalId: r.external_id,
				zone: zones.get(is.site) ?? 'Etc/UTC',
				now,
				created: changed.get(r.id)?.first ?? 0,
				modified: changed.get(r.id)?.last ?? 0,
				teamName: (id: string) => teams.get(id) ?? id,
				numberOf: (login: string) => managers.get(login)
			};
			return [userOf(facts, at)];
		});
	};
	const rowOf = (id: string): Row | undefined =>
		/^\d{1,15}$/.test(id) ? one<Row>(db, `${ROWS} WHERE id = ? AND deleted = 0`, [Number(id)]) : undefined;
	const shown = (id: number): Resource => show(all<Row>(db, `${ROWS} WHERE id = ?`, [id]))[0]!;

	const loginOf = (id: string): string | undefined => rowOf(id)?.login;

	/** Somebody as they become by what was sent. */
	function resolve(
		sent: Record<string, unknown>,
		known: KnownPerson | null,
		replace: boolean
	): { is: PersonRecord; externalId: string | null | undefined } {
		const { active, externalId, ...given } = givenOfUser(sent, replace, { loginOf, now });
		const resolved = resolvePerson(given, known, groundOf(db));
		if ('problems' in resolved) {
			const [p] = resolved.problems;
			throw new ScimProblem(400, `“${ATTRIBUTE[p!.field] ?? p!.field}”: ${p!.words}`, 'invalidValue');
		}
		let { is } = resolved;
		if (active === false) is = goneAt(is, now);
		else if (active === true && is.ends <= now) is = { ...is, ends: FOREVER };
		return { is, externalId };
	}

	/** Writes somebody down, in one transaction; what more than may be takes away is refused. */
	function write(
		row: Row | null,
		is: PersonRecord,
		before: KnownPerson | null,
		{ externalId, deleted }: { externalId: string | null; deleted: boolean }
	): number {
		let made = row?.id ?? 0;
		const outcome: Outcome | null = before && { login: is.login, before, after: is };
		try {
			db.transaction(() => {
				if (outcome && isMoved(outcome) && isHere(before!, now)) countMoved(db, 1, now);
				made = row?.id ?? personNumber(db, is, 'scim');
				writePerson(db, made, is, now);
				run(db, 'UPDATE people SET external_id = ?, deleted = ? WHERE id = ?', [externalId, deleted ? 1 : 0, made]);
			}).immediate();
		} catch (e) {
			if (e instanceof ScimProblem && e.status === 403) noteHeld(db, now);
			throw e;
		}
		return made;
	}
	const known = (row: Row): KnownPerson => recordsOf(db, [row.login], now).get(row.login)!;
	function own(id: string): Row {
		const row = rowOf(id)!;
		if (row.source !== 'scim')
			throw new ScimProblem(403, `${row.login} is kept by ${SOURCE_WORDS[row.source]}: change it there.`, 'mutability');
		return row;
	}
	function free(login: string, but: number | null): void {
		const taken = one<Row>(db, `${ROWS} WHERE login = ?`, [asLogin(login)]);
		if (taken && taken.id !== but && !(taken.deleted === 1 && taken.source === 'scim'))
			throw new ScimProblem(409, `There is somebody with the userName ${asLogin(login)} already.`, 'uniqueness');
	}
	function change(id: string, sent: Record<string, unknown>): Resource {
		const row = own(id);
		const before = known(row);
		if (typeof sent.userName === 'string') free(sent.userName, row.id);
		const { is, externalId } = resolve(sent, before, true);
		write(row, is, before, { externalId: externalId ?? null, deleted: false });
		return shown(row.id);
	}

	return {
		page(from, count) {
			const total = one<{ n: number }>(db, 'SELECT count(*) AS n FROM people WHERE deleted = 0')!.n;
			return {
				total,
				found: show(all<Row>(db, `${ROWS} WHERE deleted = 0 ORDER BY id LIMIT ? OFFSET ?`, [count, from - 1]))
			};
		},
		only(path, value) {
			const column = { userName: 'login', externalId: 'external_id COLLATE NOCASE', id: 'CAST(id AS TEXT)' }[path];
			return column === undefined ? null : show(all<Row>(db, `${ROWS} WHERE deleted = 0 AND ${column} = ?`, [value]));
		},
		all: () => show(all<Row>(db, `${ROWS} WHERE deleted = 0 ORDER BY id`)),
		one: (id) => {
			const row = rowOf(id);
			return row ? (show([row])[0] ?? null) : null;
		},
		create(body) {
			const sent = named('User', body);
			if (typeof sent.userName !== 'string' || sent.userName.trim() === '')
				throw new ScimProblem(400, 'A user has a “userName”.', 'invalidValue');
			free(sent.userName, null);
			const again = one<Row>(db, `${ROWS} WHERE login = ?`, [asLogin(sent.userName)]) ?? null;
			const before = again && known(again);
			const { is, externalId } = resolve({ active: true, ...sent }, before, true);
			return shown(write(again, is, before, { externalId: externalId ?? null, deleted: false }));
		},
		replace: (id, body) => change(id, named('User', body)),
		patch(id, body) {
			const row = own(id);
			return change(id, named('User', patched('User', shown(row.id), body)));
		},
		remove(id) {
			const row = own(id);
			const before = known(row);
			write(row, goneAt(before, now), before, { externalId: null, deleted: true });
		}
	};
}

/** What a field of ours is called in a resource. */
const ATTRIBUTE: Record<string, string> = {
	login: 'userName',
	name: 'displayName',
	mail: 'emails',
	employment: 'userType',
	language: 'preferredLanguage',
	team: 'department'
};

/** What texts mean, asked one by one: a request is of one person. */
function groundOf(db: Db): Ground {
	const site = (text: string) =>
		one<KnownSite>(
			db,
			'SELECT id, name, time_zone AS zone FROM sites WHERE id = ?1 OR name = ?1 COLLATE NOCASE ORDER BY id = ?1 DESC LIMIT 1',
			{
				1: text
			}
		);
	return {
		site,
		team: (text) =>
			one<{ id: string }>(
				db,
				'SELECT id FROM teams WHERE gone = 0 AND (id = ?1 OR name = ?1 COLLATE NOCASE) ORDER BY id = ?1 DESC LIMIT 1',
				{ 1: text }
			)?.id,
		isPerson: (login) => one(db, 'SELECT 1 FROM people WHERE login = ?', [login]) !== undefined,
		usual: {
			site: setting(db, 'home') ?? one<{ id: string }>(db, 'SELECT id FROM sites ORDER BY id LIMIT 1')?.id ?? null,
			team: null,
			pattern:
				one<{ pattern: string }>(
					db,
					`SELECT pattern FROM person_facts f WHERE ${asOf('person_facts f', FOREVER_TEXT)} LIMIT 1`
				)?.pattern ?? 'day'
		}
	};
}
/** A moment at which whatever has not ended is in force. */
const FOREVER_TEXT = String(FOREVER - 1);
