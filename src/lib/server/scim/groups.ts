import { GROUP, membersOf, named, patched, ScimProblem, type Member, type Resource } from '$lib/core/people/scim';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, run } from '../db';
import {
	endTeam,
	freeTeamId,
	joinTeam,
	leaveTeam,
	SOURCE_WORDS,
	teamProblem,
	writeTeam,
	type Source
} from '../directory';
import type { Resources } from './resources';
import { countMoved, noteHeld } from './guard';

interface Row {
	id: string;
	name: string;
	parent: string | null;
	source: Source;
	external_id: string | null;
}

const ROWS = 'SELECT id, name, parent_id AS parent, source, external_id FROM teams';

/** Teams as groups, for a program that tells of them: those of others it may read, and not change. */
export function groups(ctx: Context, at: string): Resources {
	const { db } = ctx;
	const now = ctx.clock.now();

	const people = (team: string) =>
		all<{ id: number; name: string }>(
			db,
			`SELECT p.id, p.name FROM memberships m JOIN people p ON p.id = m.person_id AND p.deleted = 0 WHERE m.team_id = ? AND m.until = ${FOREVER} ORDER BY p.id`,
			[team]
		);
	const below = (team: string) => all<Row>(db, `${ROWS} WHERE parent_id = ? AND gone = 0 ORDER BY id`, [team]);
	const show = (t: Row): Resource => {
		const modified =
			one<{ at: number | null }>(
				db,
				`SELECT max(max(since, iif(until = ${FOREVER}, 0, until))) AS at FROM memberships WHERE team_id = ?`,
				[t.id]
			)?.at ?? 0;
		return {
			schemas: [GROUP],
			id: t.id,
			...(t.external_id === null ? {} : { externalId: t.external_id }),
			displayName: t.name,
			members: [
				...people(t.id).map((p) => ({
					value: String(p.id),
					type: 'User',
					display: p.name,
					$ref: `${at}/Users/${p.id}`
				})),
				...below(t.id).map((b) => ({
					value: b.id,
					type: 'Group',
					display: b.name,
					$ref: `${at}/Groups/${encodeURIComponent(b.id)}`
				}))
			],
			meta: {
				resourceType: 'Group',
				created: new Date(0).toISOString(),
				lastModified: new Date(modified).toISOString(),
				location: `${at}/Groups/${encodeURIComponent(t.id)}`
			}
		};
	};
	const rowOf = (id: string): Row | undefined => one<Row>(db, `${ROWS} WHERE id = ? AND gone = 0`, [id]);
	function own(id: string): Row {
		const row = rowOf(id)!;
		if (row.source !== 'scim')
			throw new ScimProblem(403, `${row.name} is kept by ${SOURCE_WORDS[row.source]}: change it there.`, 'mutability');
		return row;
	}

	/** Who and what the members are that were sent. */
	function sorted(members: readonly Member[]): { people: Set<number>; teams: Map<string, Row> } {
		const found = { people: new Set<number>(), teams: new Map<string, Row>() };
		for (const m of members) {
			const person =
				m.kind !== 'Group' && /^\d{1,15}$/.test(m.value)
					? one<{ id: number }>(db, 'SELECT id FROM people WHERE id = ? AND deleted = 0', [Number(m.value)])
					: undefined;
			const team = person || m.kind === 'User' ? undefined : rowOf(m.value);
			if (person) found.people.add(person.id);
			else if (team) found.teams.set(team.id, team);
			else
				throw new ScimProblem(400, `“members”: there is no user and no group ${m.value.slice(0, 60)}.`, 'invalidValue');
		}
		return found;
	}

	/** Writes a team down as it was sent, with its members, in one transaction: all of it or nothing. */
	function write(id: string, before: Row | null, sent: Record<string, unknown>): Resource {
		const name = typeof sent.displayName === 'string' ? sent.displayName.trim() : '';
		if (name === '' || name.length > 200)
			throw new ScimProblem(400, 'A group has a “displayName”, of at most 200 characters.', 'invalidValue');
		const team = { id, name, parent: before?.parent ?? null };
		const wrong = teamProblem(db, team);
		if (wrong) throw new ScimProblem(409, `“displayName”: ${wrong}.`, 'uniqueness');
		const members = sorted(membersOf(sent.members));
		try {
			db.transaction(() => {
				writeTeam(db, team, 'scim', now);
				run(db, 'UPDATE teams SET external_id = ? WHERE id = ?', [
					typeof sent.externalId === 'string' ? sent.externalId : null,
					id
				]);
				const were = new Set(people(id).map((p) => p.id));
				const leave = [...were].filter((p) => !members.people.has(p));
				countMoved(db, leave.length, now);
				for (const p of leave) leaveTeam(db, p, id, now);
				for (const p of members.people) if (!were.has(p)) joinTeam(db, p, id, now);
				for (const b of below(id)) if (!members.teams.has(b.id)) hang(b, null);
				for (const b of members.teams.values()) hang(b, id);
			}).immediate();
		} catch (e) {
			if (e instanceof ScimProblem && e.status === 403) noteHeld(db, now);
			throw e;
		}
		return show(rowOf(id)!);
	}

	/** Hangs a team below another, or below none. */
	function hang(t: Row, parent: string | null): void {
		if (t.parent === parent) return;
		if (t.source !== 'scim')
			throw new ScimProblem(
				400,
				`“members”: ${t.name} is kept by ${SOURCE_WORDS[t.source]}, and is placed there.`,
				'invalidValue'
			);
		if (parent !== null && t.parent !== null)
			throw new ScimProblem(
				400,
				`“members”: ${t.name} is a member of another group: a team stands below one other.`,
				'invalidValue'
			);
		const team = { id: t.id, name: t.name, parent };
		const wrong = teamProblem(db, team);
		if (wrong) throw new ScimProblem(400, `“members”: ${wrong}.`, 'invalidValue');
		writeTeam(db, team, 'scim', now);
	}

	return {
		page(from, count) {
			const total = one<{ n: number }>(db, 'SELECT count(*) AS n FROM teams WHERE gone = 0')!.n;
			return {
				total,
				found: all<Row>(db, `${ROWS} WHERE gone = 0 ORDER BY id LIMIT ? OFFSET ?`, [count, from - 1]).map(show)
			};
		},
		only(path, value) {
			const column = { displayName: 'name COLLATE NOCASE', externalId: 'external_id COLLATE NOCASE', id: 'id' }[path];
			return column === undefined ? null : all<Row>(db, `${ROWS} WHERE gone = 0 AND ${column} = ?`, [value]).map(show);
		},
		all: () => all<Row>(db, `${ROWS} WHERE gone = 0 ORDER BY id`).map(show),
		one: (id) => {
			const row = rowOf(id);
			return row ? show(row) : null;
		},
		create(body) {
			const sent = named('Group', body);
			const name = typeof sent.displayName === 'string' ? sent.displayName.slice(0, 500) : '';
			return write(freeTeamId(db, name), null, sent);
		},
		replace: (id, body) => write(id, own(id), named('Group', body)),
		patch: (id, body) => write(id, own(id), named('Group', patched('Group', show(own(id)), body))),
		remove(id) {
			own(id);
			try {
				db.transaction(() => {
					countMoved(db, people(id).length, now);
					endTeam(db, id, now);
				}).immediate();
			} catch (e) {
				if (e instanceof ScimProblem && e.status === 403) noteHeld(db, now);
				throw e;
			}
		}
	};
}
