import { CATALOGUE } from '$lib/core/settings/catalogue';
import { writtenValue } from '$lib/core/settings/kinds';
import { EVERYTHING } from '$lib/core/scope/scope';
import { DAY } from '$lib/core/time/units';
import { all, run } from '$lib/server/db';
import { openAt } from '$lib/server/db/intervals';
import { endpoints } from '$lib/server/endpoints';
import { settingsAt } from '$lib/server/settings/queries';
import { endpointKnownAt, knownEndpoints } from '$lib/server/settings/subjects';
import { settled } from './settled';

type Report = (name: string, value: number, unit: string, aim: string, met: boolean) => void;
type Median = (work: () => unknown, n?: number) => number;

const DEVICES = 20_000;
const BRANCHES = 60;
const GROUPS = 100;

/** Effective settings of many endpoints, against reading the same endpoints as a list. */
export function settingsBench(report: Report, median: Median): void {
	const { db, now } = settled(2000, 2000);
	const at = now + DAY;
	const sites = all<{ id: string }>(db, 'SELECT id FROM sites').map((s) => s.id);
	const teams = all<{ id: string }>(db, 'SELECT id FROM teams').map((t) => t.id);
	const people = all<{ id: number }>(db, 'SELECT id FROM people').map((p) => p.id);
	db.transaction(() => {
		// Branches four deep.
		for (let i = 0; i < BRANCHES; i++)
			openAt(
				db,
				'branches',
				{ id: `b${i}`, name: `b${i}`, parent_id: i < 3 ? null : `b${Math.floor(i / 3)}`, site_id: null },
				0
			);
		for (let i = 1; i <= DEVICES; i++) {
			run(db, 'INSERT INTO endpoints(id, serial, key, first_at) VALUES (?, ?, ?, 0)', [i, `K${i}`, `k${i}`]);
			openAt(
				db,
				'endpoint_facts',
				{
					endpoint_id: i,
					name: `box-${i}`,
					device: 'desk box',
					model: 'Tern 7',
					hardware: '',
					firmware: '4.2.0',
					address: '',
					site_id: sites[i % sites.length]!,
					person_id: people[i % people.length]!
				},
				0
			);
			openAt(db, 'endpoint_states', { endpoint_id: i, state: 'awake', person_id: null }, 0);
			openAt(
				db,
				'endpoint_spots',
				{ endpoint_id: i, branch_id: `b${i % BRANCHES}`, rule_id: null, by: 'x', why: '' },
				0
			);
		}
		const own = CATALOGUE.filter((s) => s.for.includes('endpoint'));
		for (let g = 0; g < GROUPS; g++) {
			const reach = [`branch/b${g % BRANCHES}`, `team/${teams[g % teams.length]!}`, `site/${sites[g % sites.length]!}`][
				g % 3
			]!;
			openAt(
				db,
				'settings_groups',
				{
					id: `g${g}`,
					name: `g${g}`,
					note: '',
					rank: 100 + (g % 4),
					said: JSON.stringify(
						Object.fromEntries(own.filter((_s, i) => i % 4 === g % 4).map((s) => [s.id, writtenValue(s.type, s.usual)]))
					),
					assigned: JSON.stringify([reach]),
					excluded: JSON.stringify(g % 5 ? [] : [`branch/b${(g + 7) % BRANCHES}`]),
					by: 'x'
				},
				0
			);
		}
	}).immediate();
	const known = knownEndpoints(db, at);
	const every = median(() => {
		const groups = settingsAt(db, at);
		return known.map((k) => groups.effective(k.kind, k.under));
	}, 5);
	report(`effective settings of 20,000 endpoints, ${GROUPS} groups`, every, 'ms', 'under 300', every < 300);
	const one = median(() => {
		const k = endpointKnownAt(db, 777, at)!;
		return settingsAt(db, at).effective(k.kind, k.under);
	}, 20);
	report('effective settings of one, groups and all read anew', one, 'ms', 'under 2', one < 2);
	const ask = { at, scope: EVERYTHING, sort: 'name', descending: false, limit: -1, offset: 0 };
	// In turn: what else a machine does meanwhile is in both.
	let read = 0;
	let listed = 0;
	for (let i = 0; i < 5; i++) {
		read += median(() => {
			const groups = settingsAt(db, at);
			return knownEndpoints(db, at).map((k) => groups.effective(k.kind, k.under));
		}, 1);
		listed += median(() => endpoints.page(db, ask), 1);
	}
	report('the same read from the database, against the list of them', read / listed, '×', 'under 2', read < 2 * listed);
	db.close();
}
