import { CHECK_WORDS, type CheckName } from '$lib/core/diagnosis/checks';
import { durationWords } from '$lib/core/time/units';
import type { Need } from '$lib/core/why/need';
import { asOf, asOfByEnd } from '../db/intervals';
import { all, type Db } from '../db';
import { announcedBySite } from '../endpoints';
import { findingsAt, type FindingRow } from './queries';

/** The sign-ins on a version (`line/number`), the longest first. */
const signInsOf = (version: string): string => {
	const [line, number] = version.split('/');
	return `/watch?${new URLSearchParams({ list: 'sessions', sort: '-signin', scope: `line:${line} version:${number}` })}`;
};

/** What findings about Sextant itself are about: nothing that has a card of its own. */
const OWN: ReadonlySet<string> = new Set(['sextant', 'table']);

/** How many devices of a site stay away; the site itself, where none is missed yet. */
const awayCount = (away: ReturnType<typeof announcedBySite>, site: string): { count: number; unit: string } => {
	const count = away.find((s) => s.id === site)?.away.length ?? 0;
	return count === 0 ? { count: 1, unit: 'site' } : { count, unit: count === 1 ? 'endpoint' : 'endpoints' };
};

/** Findings that are open, and machines with a check that fails. */
export const diagnosisNeeds = (db: Db, at: number): Need[] => [...findingNeeds(db, at), ...failingNeeds(db, at)];

function findingNeeds(db: Db, at: number): Need[] {
	const findings = findingsAt(db, at);
	const away = findings.some((f) => f.kind === 'endpoints stay away') ? announcedBySite(db, at) : [];
	return findings.map((f) => {
		const soon =
			f.kind === 'pool runs out' ||
			f.kind === 'volume nearly full' ||
			f.kind === 'addresses running out' ||
			f.kind === 'site not in order' ||
			f.kind === 'endpoints stay away';
		return {
			key: `finding-${f.id}`,
			people: f.people,
			...(OWN.has(f.subjectKind)
				? { count: 1, unit: 'fault in Sextant' }
				: f.kind === 'endpoints stay away' && f.people === 0
					? awayCount(away, f.subject)
					: { count: f.people, unit: `${f.people === 1 ? 'person' : 'people'}${soon ? ' soon' : ''}` }),
			tone: soon || OWN.has(f.subjectKind) ? 'sand' : 'buoy',
			title: f.title,
			facts: f.facts,
			card: OWN.has(f.subjectKind) ? `finding/${f.id}` : `${f.subjectKind}/${f.subject}`,
			href: null,
			plan: f.remedy,
			breakdown: f.kind === 'slow sign-ins' ? signInsOf(f.subject) : null,
			since: f.since,
			about: aboutFinding(db, f, at)
		};
	});
}

function failingNeeds(db: Db, at: number): Need[] {
	return all<{
		name: CheckName;
		machine: string;
		site: string;
		pool: string;
		line: string;
		version: string;
		host: string;
		since: number;
		saw: string;
		people: number;
	}>(
		db,
		`SELECT f.name, m.name AS machine, m.site_id AS site, m.pool_id AS pool, p.line_id AS line, p.version, h.name AS host, f.since, f.saw,
		 (SELECT count(*) FROM (
			SELECT s.person_id FROM sessions s WHERE s.machine_id = m.id AND ${asOfByEnd('sessions s', '?1')}
			UNION SELECT c.person_id FROM connections c WHERE c.machine_id = m.id AND c.result <> 'open' AND c.result = 'lost' AND c.ended >= f.since AND c.ended <= ?1
		 )) AS people
		 FROM failing_checks f JOIN machines m ON m.id = f.machine_id JOIN machine_spots p ON p.machine_id = m.id AND ${asOf('machine_spots p', '?1')}
		 JOIN hosts h ON h.id = p.host_id WHERE ${asOf('failing_checks f', '?1')} AND f.name <> 'gateway'`,
		{ 1: at }
	).map((f) => ({
		key: `check-${f.machine}`,
		people: f.people,
		count: f.people,
		unit: f.people === 1 ? 'person' : 'people',
		tone: 'buoy',
		title: `${f.machine} is unusable: ${CHECK_WORDS[f.name].fails}`,
		facts: [
			{
				words: `${f.saw}, for ${durationWords(at - f.since)}`,
				side: 'against',
				at: f.since,
				source: 'check',
				about: { kind: 'machine', id: f.machine }
			}
		],
		card: `machine/${f.machine}`,
		href: null,
		plan: { kind: 'runbook.run', input: { machine: f.machine, check: f.name }, words: 'Plan the repair' },
		since: f.since,
		about: {
			site: [f.site],
			pool: [f.pool],
			machine: [f.machine],
			line: [f.line],
			version: [f.version],
			host: [f.host]
		}
	}));
}

/** The pools that a finding is about: those on the volume or network, behind the gateway, or of the machine. */
function aboutFinding(db: Db, f: FindingRow, at: number): Need['about'] {
	const pools = (sql: string) => all<{ id: string }>(db, sql, { at, id: f.subject, site: f.site }).map((p) => p.id);
	const site = f.site === null ? [] : [f.site];
	switch (f.subjectKind) {
		case 'gateway':
			return {
				site,
				gateway: [f.subject],
				protocol: [String(f.remedy?.input.protocol)],
				pool: pools(`SELECT id FROM pools WHERE site_id = @site AND ${asOf('pools')}`)
			};
		case 'network':
			return { site, pool: pools(`SELECT id FROM pools WHERE network_id = @id AND ${asOf('pools')}`) };
		case 'volume':
			return {
				site,
				pool: pools(
					`SELECT DISTINCT m.pool_id AS id FROM machine_spots p JOIN machines m ON m.id = p.machine_id
					 WHERE p.volume_id = @id AND ${asOf('machine_spots p')}`
				)
			};
		case 'version': {
			const [line, version] = f.subject.split('/');
			return {
				line: [line!],
				version: [version!],
				pool: pools(
					`SELECT DISTINCT m.pool_id AS id FROM machine_spots p JOIN machines m ON m.id = p.machine_id
					 WHERE p.line_id || '/' || p.version = @id AND ${asOf('machine_spots p')}`
				)
			};
		}
		case 'machine':
			return {
				site,
				machine: [f.subject],
				pool: pools(`SELECT pool_id AS id FROM machines WHERE name = @id AND ${asOf('machines')}`)
			};
		case 'settings-group':
			return { site };
		default:
			return { site, [f.subjectKind]: [f.subject] };
	}
}
