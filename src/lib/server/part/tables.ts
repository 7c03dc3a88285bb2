import { FOREVER } from '$lib/core/time/units';
import { asOf } from '../db/intervals';
import { OBJECT_KINDS } from './kinds';

/** What a part is made of: the ids of each kind that are in it stand in a table of their own, `within_…`. */
export const SETS = {
	site: 'TEXT',
	machine: 'INTEGER',
	person: 'INTEGER',
	pool: 'TEXT',
	publication: 'TEXT',
	host: 'INTEGER',
	endpoint: 'INTEGER'
} as const;
export type SetName = keyof typeof SETS;

/** Which rows of a table somebody sees who is there for a part: all, none, those for which a condition holds, what a statement reads instead, or
 * those of which a column holds that very part. */
export type Seen = 'all' | 'none' | { where: string } | { instead: string } | { ofPart: string };

const of = (set: SetName, column: string) => `${column} IN (SELECT id FROM within_${set})`;
const where = (...conditions: string[]): Seen => ({ where: conditions.join(' AND ') });
const site = where(of('site', 'site_id'));
const machine = where(of('machine', 'machine_id'));
const person = where(of('person', 'person_id'));
const pool = where(of('pool', 'pool_id'));
const endpoint = where(of('endpoint', 'endpoint_id'));
const host = where(of('host', 'host_id'));
const there = (view: string, column: string, key = 'id'): string =>
	`EXISTS (SELECT 1 FROM ${view.includes('.') ? view : `temp.${view}`} v WHERE v.${key} = ${column})`;

/** Whether an object such as `machine/desk-001` is in the part, as SQL over an expression. */
function objectSeen(object: string, but?: string): string {
	const kind = `substr(${object}, 1, instr(${object}, '/') - 1)`;
	const rest = `substr(${object}, instr(${object}, '/') + 1)`;
	/** The first of what follows the kind: `ada` of `shelf/ada/office`. */
	const first = `substr(${rest}, 1, instr(${rest} || '/', '/') - 1)`;
	const kinds = Object.entries(OBJECT_KINDS).filter(([name]) => name !== but);
	const cases = kinds.map(([name, k]) => {
		const seen = k.seen === 'all' ? '1' : there(k.seen.table, k.by === 'rest' ? rest : first, k.seen.key);
		return `WHEN '${name}' THEN ${seen}`;
	});
	return `CASE ${kind} ${cases.join(' ')} ELSE 0 END`;
}

/** A list within a column of JSON, as a table: what cannot be read is none. */
const jsonList = (column: string, path?: string) =>
	`json_each(CASE WHEN json_valid(${column}) THEN ${column} ELSE '[]' END${path === undefined ? '' : `, '${path}'`})`;

const allSeen = (objects: string, path?: string) =>
	`NOT EXISTS (SELECT 1 FROM ${jsonList(objects, path)} o WHERE NOT ${objectSeen('o.value')}) AND EXISTS (SELECT 1 FROM ${jsonList(objects, path)})`;
const peopleSeen = `NOT EXISTS (SELECT 1 FROM ${jsonList(`effects`, '$.people')} o WHERE NOT ${there('people', `CASE WHEN o.type = 'object' THEN o.value ->> 'id' END`, 'login')})`;

/** Of somebody, or of an endpoint at which nobody was known to be. */
const ofWhom = where(`(${of('person', 'person_id')} OR (person_id = 0 AND ${of('endpoint', 'endpoint_id')}))`);

/**
 * Every table, and what of it is in a part. One that does not stand here is seen by nobody who is there for a part: forgetting one shuts it,
 * and a test names it. What is the same for all (image lines, packages, rules, names of teams, gateways through which everybody comes)
 * is seen whole; it is not thereby theirs to change.
 */
export const TABLES: Readonly<Record<string, Seen>> = {
	access_rulebook: 'all',
	access_rules: 'all',
	activity_reasons: person,
	activity: ofWhom,
	activity_now: ofWhom,
	activity_days: person,
	// Sums of everybody in one piece: those of the part are summed up row by row.
	activity_packed: 'none',
	activity_habits: person,
	activity_looks: person,
	activity_person_hours: person,
	// Sums of everybody are made again, of those in the part.
	activity_rule_hours: {
		instead:
			'SELECT hour, rule_id, sum(decisions) AS decisions, sum(CASE WHEN through THEN 0 ELSE decisions END) AS refused, sum(down) AS down, sum(up) AS up FROM temp.activity GROUP BY hour, rule_id'
	},
	announced_endpoints: site,
	app_refusals: person,
	app_runs: where(of('person', 'person_id'), of('machine', 'machine_id')),
	assignments: 'all',
	attach_failures: machine,
	attachments: machine,
	boot_servers: site,
	branches: 'all',
	brought_files: 'none',
	builds: 'all',
	captures: 'all',
	categorised_sites: 'all',
	changes: where(allSeen('objects')),
	chunks: 'all',
	coming_moves: person,
	consents: where(there('plans', 'plan_id')),
	connections: where(of('person', 'person_id'), `(machine_id IS NULL OR ${of('machine', 'machine_id')})`),
	day_writes: machine,
	deliveries: pool,
	desk_tries: person,
	directory_revision: 'all',
	endpoint_admissions: where(`(site = '' OR ${of('site', 'site')})`),
	endpoint_certificates: endpoint,
	endpoint_facts: endpoint,
	endpoint_looks: endpoint,
	endpoint_ranges: site,
	endpoint_revision: 'all',
	endpoint_spots: endpoint,
	endpoint_starts: endpoint,
	endpoint_states: endpoint,
	endpoints: where(of('endpoint', 'id')),
	enrolment_rules: 'all',
	failing_checks: machine,
	fetched: person,
	findings: where(`(site_id IS NULL OR ${of('site', 'site_id')})`, objectSeen(`(subject_kind || '/' || subject_id)`)),
	firmware_told: endpoint,
	firmware_wishes: 'all',
	folders: 'all',
	follow_rules: where(objectSeen('subject')),
	gateway_ports: 'all',
	gateway_relays: 'all',
	gateways: 'all',
	grants: where(of('publication', 'publication_id'), `(person_id IS NULL OR ${of('person', 'person_id')})`),
	handover_refusals: person,
	handovers: person,
	held_changes: 'none',
	host_samples_15m: host,
	host_samples_1m: host,
	hosts: where(of('host', 'id')),
	hours: 'all',
	icons: 'all',
	inner_gateway_states: where(there('inner_gateways', 'gateway_id')),
	inner_gateways: site,
	invitations: person,
	job_items: where(there('jobs', 'job_id')),
	job_log: where(there('jobs', 'job_id')),
	job_steps: where(there('jobs', 'job_id')),
	jobs: where(there('plans', 'plan_id')),
	joinings: site,
	kept_endpoints: endpoint,
	kept_pools: pool,
	left_out: 'none',
	lines: 'all',
	machine_spots: machine,
	machine_states: machine,
	machines: where(of('machine', 'id')),
	made_roles: 'all',
	memberships: person,
	moves: machine,
	networks: site,
	// No note is on a note.
	notes: where(objectSeen(`(kind || '/' || "of")`, 'note')),
	notices: 'all',
	opening_lines: 'all',
	operator_passkeys: 'all',
	operator_recovery_codes: 'all',
	openings: 'all',
	operators: 'all',
	own_channels: person,
	own_names: person,
	own_settings: 'all',
	package_clashes: 'all',
	package_positions: 'all',
	package_trials: 'all',
	package_versions: 'all',
	package_vouches: 'all',
	packages: 'all',
	part_revision: 'all',
	passkeys: person,
	people: where(of('person', 'id')),
	person_endpoints: person,
	person_facts: person,
	person_factors: person,
	plans: where(allSeen('touches', '$.objects'), peopleSeen),
	pools: where(of('pool', 'id')),
	power_actions: machine,
	private_service_states: 'all',
	private_services: 'all',
	proof_revision: 'all',
	publications: where(of('publication', 'id')),
	reached_from: 'all',
	reached_rules: 'all',
	reached_targets: 'all',
	record_entries: 'none',
	recovery_codes: person,
	relied_services: where(of('publication', 'publication_id')),
	report_runs: { ofPart: 'part' },
	// What others look at may name what is elsewhere.
	reports: where(`scope = ''`),
	requests: person,
	revisions: 'all',
	revoked_certificates: 'all',
	rollout_gates: where(there('rollouts', 'rollout_id')),
	rollout_machines: where(there('machines', 'machine', 'name')),
	rollouts: where(
		`EXISTS (SELECT 1 FROM main.rollout_machines r WHERE r.rollout_id = rollouts.id AND ${there('machines', 'r.machine', 'name')})`
	),
	samples_15m: machine,
	samples_1m: machine,
	samples_6h: machine,
	schedule_runs: 'none',
	schedules: 'none',
	session_states: where(there('sessions', 'session_id')),
	sessions: where(of('person', 'person_id'), of('machine', 'machine_id')),
	settings: 'all',
	settings_groups: 'all',
	sheets: 'all',
	shipment_sites: site,
	shipments: where(there('shipment_sites', 'shipments.id', 'shipment_id')),
	sign_ins: 'all',
	site_categories: 'all',
	site_checks: site,
	site_holidays: site,
	site_providers: site,
	site_versions: site,
	sites: where(of('site', 'id')),
	step_runs: 'all',
	taken_machines: 'all',
	team_nesting: 'all',
	teams: 'all',
	thread_ends: 'none',
	tokens: 'none',
	trials: 'all',
	unmade_machines: pool,
	unusual_activity: person,
	version_chunks: 'all',
	version_holds: 'all',
	version_retired: 'all',
	versions: 'all',
	volumes: site,
	waits: person,
	warm_ups: 'all'
};

/** People of some teams, or of one below them: as things are now, or were last of whoever has left. */
const ofTeams = (teams: string) =>
	`(SELECT mb.person_id FROM main.memberships mb JOIN main.team_nesting tn ON tn.team_id = mb.team_id
	 WHERE tn.above_id IN ${teams} AND mb.since <= @at AND (mb.until > @at OR mb.until = (SELECT max(l.until) FROM main.memberships l WHERE l.person_id = mb.person_id)) AND ${asOf('team_nesting tn')})`;
const POOLS_OF_LINES = `(SELECT id FROM main.pools WHERE line_id IN $ AND until = ${FOREVER})`;
/** Pools that may serve somebody by a grant to them, or to a team above or below the teams `$`. */
const POOLS_OF_TEAMS = `(SELECT j.value FROM main.publications p, ${jsonList('p.pools')} j WHERE ${asOf('publications p')} AND p.id IN (
	SELECT g.publication_id FROM main.grants g WHERE ${asOf('grants g')} AND (g.person_id IN ${ofTeams('$')}
	OR g.team_id IN (SELECT above_id FROM main.team_nesting WHERE team_id IN $ UNION SELECT team_id FROM main.team_nesting WHERE above_id IN $))))`;
/** People who may be served by the pools `$`, or have been there of late. */
const peopleOf = (pools: string) => `(pe.id IN (
	SELECT g.person_id FROM main.grants g JOIN main.publications p ON p.id = g.publication_id AND ${asOf('publications p')}
	 WHERE ${asOf('grants g')} AND g.person_id IS NOT NULL AND EXISTS (SELECT 1 FROM ${jsonList('p.pools')} j WHERE j.value IN ${pools})
	UNION SELECT mb.person_id FROM main.memberships mb JOIN main.team_nesting tn ON tn.team_id = mb.team_id AND ${asOf('team_nesting tn')}
	 JOIN main.grants g ON g.team_id = tn.above_id AND ${asOf('grants g')} JOIN main.publications p ON p.id = g.publication_id AND ${asOf('publications p')}
	 WHERE ${asOf('memberships mb')} AND EXISTS (SELECT 1 FROM ${jsonList('p.pools')} j WHERE j.value IN ${pools})
	UNION SELECT s.person_id FROM main.sessions s JOIN main.machines m ON m.id = s.machine_id WHERE s.until > @at - 2592000000 AND m.pool_id IN ${pools}))`;
/** The last that was known of somebody or something: it stays of its part when it is over. */
const LAST_SITE = (table: string, key: string) =>
	`(SELECT ${key} FROM (SELECT ${key}, site_id, max(since) FROM main.${table} WHERE since <= @at GROUP BY ${key}) WHERE site_id IN $)`;
const ON_MACHINES = `h.id IN (SELECT host_id FROM main.machine_spots WHERE until > @at AND machine_id IN (SELECT id FROM within_machine))`;

/** A publication that a pool of the part serves, or that is granted to somebody who is in it. */
const SERVES = `(x.id IN (SELECT p.id FROM main.publications p, ${jsonList('p.pools')} j WHERE j.value IN (SELECT id FROM within_pool))
			OR x.id IN (SELECT g.publication_id FROM main.grants g WHERE ${asOf('grants g')} AND (g.person_id IN (SELECT id FROM within_person)
				OR g.team_id IN (SELECT tn.above_id FROM main.team_nesting tn JOIN main.memberships mb ON mb.team_id = tn.team_id
					WHERE ${asOf('team_nesting tn')} AND ${asOf('memberships mb')} AND mb.person_id IN (SELECT id FROM within_person)))))`;

/**
 * What makes something of a part, by each facet that the part names, as SQL: `$` is the list of its values. In the order in which they are
 * filled: later ones look at those before. A facet that says nothing of a kind leaves none of it.
 */
export const MADE_OF: readonly { set: SetName; from: string; facets: Record<string, string> }[] = [
	{
		set: 'person',
		from: 'main.people pe',
		facets: {
			site: `pe.id IN ${LAST_SITE('person_facts', 'person_id')}`,
			team: `pe.id IN ${ofTeams('$')}`,
			pool: peopleOf('$'),
			line: peopleOf(POOLS_OF_LINES)
		}
	},
	{
		set: 'machine',
		from: 'main.machines m',
		facets: {
			site: 'm.site_id IN $',
			pool: 'm.pool_id IN $',
			line: `m.pool_id IN ${POOLS_OF_LINES}`,
			team: `(m.id IN (SELECT machine_id FROM main.machine_spots WHERE until > @at AND owner_id IN ${ofTeams('$')})
				OR m.id IN (SELECT machine_id FROM main.sessions WHERE until > @at AND person_id IN ${ofTeams('$')}))`
		}
	},
	{
		set: 'pool',
		from: '(SELECT DISTINCT id, site_id, line_id FROM main.pools) p',
		facets: { site: 'p.site_id IN $', pool: 'p.id IN $', line: 'p.line_id IN $', team: `p.id IN ${POOLS_OF_TEAMS}` }
	},
	{
		set: 'publication',
		from: '(SELECT DISTINCT id FROM main.publications) x',
		// Whoever gives a team what it needs sees all that there is to give.
		facets: { site: SERVES, pool: SERVES, line: SERVES, team: '1' }
	},
	{
		set: 'host',
		from: 'main.hosts h',
		facets: { site: 'h.site_id IN $', pool: ON_MACHINES, line: ON_MACHINES, team: ON_MACHINES }
	},
	{
		set: 'endpoint',
		from: 'main.endpoints e',
		facets: {
			site: `e.id IN ${LAST_SITE('endpoint_facts', 'endpoint_id')}`,
			team: `e.id IN (SELECT endpoint_id FROM main.endpoint_facts WHERE until > @at AND person_id IN ${ofTeams('$')})`
		}
	},
	{
		set: 'site',
		from: 'main.sites s',
		facets: {
			site: 's.id IN $',
			...Object.fromEntries(
				['team', 'pool', 'line'].map((facet) => [
					facet,
					`(s.id IN (SELECT f.site_id FROM main.person_facts f WHERE ${asOf('person_facts f')} AND f.person_id IN (SELECT id FROM within_person))
						OR s.id IN (SELECT m.site_id FROM main.machines m WHERE m.id IN (SELECT id FROM within_machine))
						OR s.id IN (SELECT p.site_id FROM main.pools p WHERE ${asOf('pools p')} AND p.id IN (SELECT id FROM within_pool)))`
				])
			)
		}
	}
];
