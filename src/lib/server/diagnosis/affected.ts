import type { Finding } from '$lib/core/diagnosis/findings';
import { fromOutside } from '$lib/core/network/addresses';
import { DAY, MINUTE } from '$lib/core/time/units';
import { all, one, type Db } from '../db';

/** What has to be known of a finding to count whom it affects. */
export interface CountedFinding {
	kind: Finding['kind'];
	subject: string;
	/** As the finding itself gave them: those of one that lies ahead. */
	people: number;
	remedy: { input: Record<string, unknown> } | null;
	since: number;
}

/** Findings of comparisons made now and then: their people are those of the figures they were found by. */
export const COUNTED_WHEN_FOUND: ReadonlySet<Finding['kind']> = new Set([
	'slow sign-ins',
	'pool runs out',
	'people give up'
]);

/** A sweep finds a fault some minutes after it began: connections lost in between count as well. */
const BEFORE_THE_SWEEP = 10 * MINUTE;

interface Somebody {
	login: string;
	name: string;
}

const each = (people: readonly Somebody[]): Somebody[] => [
	...new Map(people.map(({ login, name }) => [login, { login, name }])).values()
];

/** The people whose connections through a gateway by a protocol ended in one way within a span, and from which addresses. */
const through = (db: Db, gateway: string, protocol: string, result: 'open' | 'lost', from: number, to: number) =>
	all<Somebody & { address: string }>(
		db,
		// Said twice, so that an index of the connections that failed serves.
		`SELECT DISTINCT pe.login, pe.name, c.address FROM connections c JOIN people pe ON pe.id = c.person_id
		 WHERE c.gateway_id = ? AND c.protocol = ? AND c.result = ? ${result === 'lost' ? `AND c.result <> 'open'` : ''}
			AND c.ended >= ? AND c.ended <= ? ORDER BY pe.name`,
		[gateway, protocol, result, from, to]
	);

/** People who lost a connection through a gateway by a protocol since it went wrong, up to a moment. */
export const peopleLostThrough = (db: Db, gateway: string, protocol: string, since: number, at: number): Somebody[] =>
	each(through(db, gateway, protocol, 'lost', since - BEFORE_THE_SWEEP, at));

/** Those of them who came from outside the offices by the protocol that needs a relay. */
export const peopleLostOutside = (db: Db, gateway: string, since: number, at: number): Somebody[] =>
	each(through(db, gateway, 'stream', 'lost', since - BEFORE_THE_SWEEP, at).filter((c) => fromOutside(c.address)));

/** People who came through a gateway by a protocol in the day before a moment; only those from outside the offices, if so asked. */
export const peopleThrough = (db: Db, gateway: string, protocol: string, at: number, outside: boolean): Somebody[] =>
	each(through(db, gateway, protocol, 'open', at - DAY, at).filter((c) => !outside || fromOutside(c.address)));

/** How many people a finding affects at a moment. */
export function peopleAffected(db: Db, finding: CountedFinding, at: number): number {
	const count = (sql: string, params: unknown[]) => one<{ n: number }>(db, sql, params)!.n;
	const on = 'p.since <= s.since AND p.until > s.since';
	switch (finding.kind) {
		case 'gateway port':
			return peopleLostThrough(db, finding.subject, String(finding.remedy?.input.protocol), finding.since, at).length;
		case 'gateway relay':
			return peopleLostOutside(db, finding.subject, finding.since, at).length;
		case 'slow sign-ins': {
			const [line, version] = finding.subject.split('/');
			return count(
				`SELECT count(DISTINCT c.person_id) AS n FROM connections c JOIN machine_spots p ON p.machine_id = c.machine_id AND p.since <= c.ended AND p.until > c.ended
				 WHERE c.ended > ? AND c.ended <= ? AND c.result = 'open' AND c.phases LIKE '%"shell"%' AND p.line_id = ? AND p.version = ?`,
				[at - DAY, at, line, version]
			);
		}
		case 'runaway machine':
			return count(
				'SELECT count(DISTINCT s.person_id) AS n FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE m.name = ? AND s.until > ? AND +s.since <= ?',
				[finding.subject, at, at]
			);
		case 'volume nearly full':
			return count(
				`SELECT count(DISTINCT s.person_id) AS n FROM sessions s JOIN machine_spots p ON p.machine_id = s.machine_id AND ${on}
				 WHERE p.volume_id = ? AND s.until > ? AND +s.since <= ?`,
				[finding.subject, at, at]
			);
		case 'site not in order':
			return count(
				`SELECT count(DISTINCT s.person_id) AS n FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE m.site_id = ? AND s.until > ? AND +s.since <= ?`,
				[finding.subject, at, at]
			);
		case 'package not attached': {
			const [pool, name] = finding.subject.split('/');
			return count(
				`SELECT count(DISTINCT s.person_id) AS n FROM sessions s JOIN machines m ON m.id = s.machine_id AND m.pool_id = ?
				 JOIN attach_failures f ON f.machine_id = m.id AND f.package = ? AND f.until > ? AND f.since <= ? WHERE s.until > ? AND +s.since <= ?
				 AND NOT EXISTS (SELECT 1 FROM attachments a WHERE a.machine_id = m.id AND a.package = ? AND a.state = 'attached' AND a.until > ? AND a.since <= ?)`,
				[pool, name, at, at, at, at, name, at, at]
			);
		}
		case 'pool runs out':
		case 'people give up':
			return finding.people;
		default:
			return 0;
	}
}
