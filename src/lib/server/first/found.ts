import type { Found } from '$lib/core/first/way';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { foldersOf } from '../estate';
import { buildsAt, linesAt, suppliesOf } from '../images';
import { joiningsAt } from '../joining';
import { hoursById, machineCount, poolsAt } from '../pools';
import { grantsAt, publicationsAt } from '../publications';
import { type DirectoryPerson, everybody } from '../directory';

/** What there is now on the way to the first desktop. */
export async function foundNow(ctx: Context): Promise<Found> {
	const { db } = ctx;
	const now = ctx.clock.now();
	const people = everybody(db, now);
	// Whom teams and grants to persons reach: everybody is gone through once, however many there are.
	const byTeam = new Map<string, { people: number; first: DirectoryPerson }>();
	for (const p of people)
		for (const team of p.teams) {
			const known = byTeam.get(team);
			if (known) known.people++;
			else byTeam.set(team, { people: 1, first: p });
		}
	const byLogin = new Map(people.map((p) => [p.login, p]));
	const grants = grantsAt(db, now).map((g) => {
		const person = g.toKind === 'person' ? byLogin.get(g.toLogin ?? '') : undefined;
		const reached = g.toKind === 'team' ? byTeam.get(g.toId) : person && { people: 1, first: person };
		return { publication: g.publication, to: g.toName, people: reached?.people ?? 0, first: reached?.first };
	});
	const publications = publicationsAt(db, now);
	const first = grants.find((g) => g.first !== undefined && publications.some((p) => p.id === g.publication));
	const builds = buildsAt(db, now, 60);
	const working = jobsByObject(db, now);
	return {
		sites: all<{ id: string; name: string }>(db, 'SELECT id, name FROM sites ORDER BY position').map((s) => ({
			...s,
			hosts: all<{ cores: number; memory: number }>(db, 'SELECT cores, memory FROM hosts WHERE site_id = ?', [s.id]),
			networks: freeIn(db, s.id)
		})),
		joining: joiningsAt(db, now).find((j) => j.site === null)?.id ?? null,
		folders: foldersOf(db),
		stock: (await suppliesOf(ctx)).stock.map(({ id, name, users, leastDisk }) => ({ id, name, users, leastDisk })),
		lines: linesAt(db, now).map((l) => ({
			id: l.id,
			name: l.name,
			users: l.users,
			versions: l.versions
				.filter((v) => !v.retired)
				.map((v) => ({
					number: v.number,
					held: v.held,
					size: v.size,
					profiles: v.contents.some((c) => c.name === 'profile disk client')
				})),
			building: builds.find((b) => b.line === l.id && (b.state === 'running' || b.state === 'queued'))?.jobId ?? null
		})),
		hours: [...hoursById(db).keys()],
		teams: all<{ id: string; name: string }>(db, 'SELECT id, name FROM teams ORDER BY name').map((t) => ({
			...t,
			people: byTeam.get(t.id)?.people ?? 0
		})),
		people: people.length,
		pools: poolsAt(db, now).map((p) => ({
			id: p.id,
			name: p.name,
			site: p.site,
			line: p.line,
			machines: machineCount(db, p.id, now),
			job: working.get(`pool/${p.id}`) ?? null
		})),
		publications: publications
			.filter((p) => p.reaches === null)
			.map((p) => ({ id: p.id, name: p.name, pools: p.pools })),
		grants: grants.map(({ publication, to, people: n }) => ({ publication, to, people: n })),
		opened:
			one<{ login: string; name: string }>(
				db,
				`SELECT p.login, p.name FROM connections c JOIN people p ON p.id = c.person_id WHERE c.result = 'open' ORDER BY c.ended LIMIT 1`
			) ?? null,
		reached:
			first?.first === undefined
				? null
				: {
						login: first.first.login,
						name: first.first.name,
						publication: publications.find((p) => p.id === first.publication)!.name
					}
	};
}

/** Free addresses of a site's networks. */
const freeIn = (db: Db, site: string): { id: string; free: number }[] =>
	all<{ id: string; free: number }>(
		db,
		`SELECT n.id, n.last - n.first + 1 - (SELECT count(*) FROM machines m JOIN pools p ON p.id = m.pool_id AND p.until = ${FOREVER} WHERE m.until = ${FOREVER} AND p.network_id = n.id) AS free
		 FROM networks n WHERE n.site_id = ? ORDER BY n.id`,
		[site]
	);

/** Jobs that are under way, by what they touch. */
function jobsByObject(db: Db, now: number): ReadonlyMap<string, number> {
	const rows = all<{ id: number; object: string }>(
		db,
		`SELECT j.id, o.value AS object FROM jobs j JOIN plans p ON p.id = j.plan_id, json_each(p.touches, '$.objects') o
		 WHERE j.state IN ('queued', 'running') AND j.not_before <= ?`,
		[now]
	);
	return new Map(rows.map((r) => [r.object, r.id]));
}

/** Whether nobody has ever been at work: the way to the first desktop still has to be gone. */
export const nobodyYet = (db: Db, at: number): boolean =>
	one(db, 'SELECT 1 FROM connections LIMIT 1') === undefined &&
	one(db, `SELECT 1 FROM grants WHERE ${asOf('grants')} LIMIT 1`, { at }) === undefined;
