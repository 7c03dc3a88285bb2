import { all } from '../db';
import { asOf, INTERVALS, type IntervalTable } from '../db/intervals';
import { recordsAt } from '../directory';
import type { Harness } from './harness';

/** What is observed, and what happened: it is not decided, and no undo brings it back. */
const OBSERVED = new Set([
	'app_runs',
	'attach_failures',
	'attachments',
	'captures',
	'coming_moves',
	'endpoint_certificates',
	'endpoint_facts',
	'endpoint_states',
	'failing_checks',
	'findings',
	'held_changes',
	'joinings',
	'left_out',
	'machine_states',
	'machines',
	'machine_spots',
	'memberships',
	'person_endpoints',
	'person_facts',
	'session_states',
	'sessions',
	'site_checks',
	'waits'
]);
/** Of a row: when it counts, who wrote it, and its number. */
const APART = new Set(['since', 'until', 'by', 'operator_id', 'done_to', 'job_id']);
const NUMBERED = new Set(['openings', 'schedules', 'grants', 'enrolment_rules']);

/** Everything that has been decided about an estate and holds now, by table. */
export function decided(h: Harness): Record<string, unknown> {
	const at = { at: h.lab.now };
	const inForce = (Object.keys(INTERVALS) as IntervalTable[])
		.filter((table) => !OBSERVED.has(table))
		.map((table) => [
			table,
			all<Record<string, unknown>>(h.db, `SELECT * FROM ${table} WHERE ${asOf(table)}`, at)
				.map((r) =>
					Object.fromEntries(
						Object.entries(r)
							.filter(
								([c]) =>
									!APART.has(c) && !(c === 'id' && NUMBERED.has(table)) && !(c === 'position' && table === 'pools')
							)
							.map(([c, value]) => [c, readable(value)])
					)
				)
				.map((r) => JSON.stringify(r))
				.sort()
		]);
	return {
		...Object.fromEntries(inForce),
		machines: all(
			h.db,
			`SELECT m.name, m.pool_id AS pool, p.version, pe.login AS owner FROM machines m JOIN machine_spots p ON p.machine_id = m.id AND ${asOf('machine_spots p')}
			 LEFT JOIN people pe ON pe.id = p.owner_id WHERE ${asOf('machines m')} ORDER BY m.name`,
			at
		),
		people: [...recordsAt(h.db, h.lab.now).values()]
			.filter((p) => p.ends > h.lab.now)
			.map(({ id: _, ...p }) => ({ ...p, memberOf: [p.memberOf[0], ...p.memberOf.slice(1).sort()] })),
		teams: all(h.db, 'SELECT id, name, parent_id FROM teams WHERE gone = 0 ORDER BY id'),
		operators: all(h.db, 'SELECT login FROM operators WHERE disabled = 0 ORDER BY login'),
		tokens: all(h.db, 'SELECT name, role FROM tokens WHERE revoked_at IS NULL ORDER BY name'),
		settings: all(h.db, `SELECT key, value FROM settings WHERE key LIKE 'heads%' AND value <> '' ORDER BY key`),
		sites: all(h.db, 'SELECT id, name, links FROM sites ORDER BY id'),
		networks: all(h.db, 'SELECT * FROM networks ORDER BY id'),
		hosts: all(h.db, 'SELECT name, site_id FROM hosts ORDER BY name'),
		volumes: all(h.db, 'SELECT * FROM volumes ORDER BY id'),
		versions: all(h.db, 'SELECT line_id, number FROM versions WHERE gone_at > @at ORDER BY 1, 2', at),
		packages: all(h.db, 'SELECT name, number FROM package_versions WHERE gone_at > @at ORDER BY 1, 2', at),
		vouches: all(h.db, 'SELECT name, number, system FROM package_vouches ORDER BY 1, 2, 3'),
		accounts: [...h.lab.world.accounts.keys()].sort()
	};
}

/** JSON in any order of its fields is the same. */
function readable(value: unknown): unknown {
	if (typeof value !== 'string' || !/^[[{]/.test(value)) return value;
	const sorted = (x: unknown): unknown =>
		Array.isArray(x)
			? x.map(sorted)
			: x !== null && typeof x === 'object'
				? Object.fromEntries(
						Object.entries(x)
							.sort(([a], [b]) => (a < b ? -1 : 1))
							.map(([k, y]) => [k, sorted(y)])
					)
				: x;
	return sorted(JSON.parse(value));
}
