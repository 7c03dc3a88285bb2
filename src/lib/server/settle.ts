import { LAB_ACCOUNT, LAB_SECRET, providerAddress } from '$lib/core/estate/providers';
import type { Estate } from '$lib/core/estate/schema';
import type { PersonRecord, TeamRecord } from '$lib/core/people/record';
import { stepKey, type BuildSheet } from '$lib/core/images/sheet';
import { MINUTE } from '$lib/core/time/units';
import { PLAIN_LOOK } from './publications';
import { writeProvider } from './network';
import { personNumber, type Sits, writePerson, writeTeam } from './directory';
import type { Vault } from './vault';
import { all, putSetting, type Db } from './db';
import { openAt } from './db/intervals';
import { insertRow } from './db/rows';
import { writeRule } from './images';
import { settleEndpoints } from './endpoints';
import { settleReach } from './reach';
import { settleSettings } from './settings';
import { settleHolidays, writeGateway, writeHost, writeNetwork, writeSite, writeVolume } from './estate';

/** What an estate file does not say: the directory as it is found, with what people sit at, and how secrets are kept. */
export interface Given {
	directory: { teams: readonly TeamRecord[]; people: readonly ({ is: PersonRecord } & Sits)[] };
	vault: Vault;
}

/** Writes what an estate file declares into an empty database, as of `at`. One transaction: all of it or nothing. */
export function settleEstate(db: Db, estate: Estate, at: number, { directory, vault }: Given): void {
	const sites = estate.sites.filter((s) => s.joined);
	const known = new Set(sites.map((s) => s.id));
	db.transaction(() => {
		putSetting(db, 'estate', estate.name);
		putSetting(db, 'domain', estate.domain);
		putSetting(db, 'home', estate.home ?? estate.sites.find((s) => s.joined)?.id ?? '');
		if (estate.visitor !== undefined) putSetting(db, 'visitor', estate.visitor);
		putSetting(db, 'history began', String(at));
		sites.forEach((s, i) => {
			const { id, name, kind, time_zone: timeZone } = s;
			writeSite(db, { id, name, kind, timeZone, links: s.links.filter((l) => known.has(l.to)) }, i, at);
			settleHolidays(db, id, s.holidays, at);
			for (const n of s.networks) writeNetwork(db, id, n);
		});
		for (const h of estate.hosts.filter((x) => known.has(x.site)))
			writeHost(db, h.site, { ...h, name: h.id }, h.price_hour);
		for (const v of estate.volumes.filter((x) => known.has(x.site))) writeVolume(db, v.site, v, v.price_tb_month);
		for (const g of estate.gateways.filter((x) => known.has(x.site))) writeGateway(db, g.site, g, at);
		for (const h of estate.hours)
			insertRow(db, 'hours', {
				id: h.id,
				days: JSON.stringify(h.days),
				from_minute: h.from,
				until_minute: h.until
			});
		for (const name of estate.directory.folders) insertRow(db, 'folders', { name });
		for (const s of sites) {
			const pools = estate.pools.filter((p) => p.site === s.id);
			writeProvider(
				db,
				vault,
				s.id,
				{
					address: providerAddress(estate, s),
					account: s.provider.account,
					secret: LAB_SECRET,
					confirmed: null,
					confirmedBy: null,
					folder: pools[0]?.folder ?? estate.directory.folders[0] ?? '',
					joinAccount: LAB_ACCOUNT,
					joinSecret: LAB_SECRET,
					planned: pools.reduce((n, p) => n + p.count, 0)
				},
				at
			);
		}
		settlePeople(db, directory);
		settleEndpoints(db, estate, at);
		settleSettings(db, estate, at);
		settleReach(db, estate, at);
		settleImages(db, estate, at);
		for (const b of estate.boot_servers)
			insertRow(db, 'boot_servers', { id: b.id, site_id: b.site, address: b.address });
		estate.pools.forEach((p, position) => {
			const policy = {
				hours: p.policy.hours,
				headroomIn: p.policy.headroom_in,
				headroomOut: p.policy.headroom_out,
				least: p.policy.least,
				most: p.policy.most,
				patience: p.policy.patience,
				placing: p.policy.placing
			};
			const { id, name, version, assignment, cores, memory, gpus, disk, naming, folder, page_file, page_file_on } = p;
			openAt(
				db,
				'pools',
				{
					...{ id, name, version, assignment, cores, memory, gpus, disk, naming, folder, page_file, page_file_on },
					site_id: p.site,
					line_id: p.line,
					network_id: p.network,
					per_machine: p.sessions_per_machine,
					policy: JSON.stringify(policy),
					price_hour: Math.round(p.price_hour * 100),
					position,
					boot_servers: JSON.stringify(p.boot_servers)
				},
				at
			);
			writeRule(db, `pool/${id}`, p.follows ?? { takes: 'exactly', number: version }, p.takes_at, at);
		});
		estate.publications.forEach((p, position) => {
			const { id, name, internal_name, icon, protocol, reaches = null } = p;
			const look = JSON.stringify({ ...PLAIN_LOOK, window: 'full' });
			const pools = JSON.stringify(p.pools);
			openAt(db, 'publications', { id, name, internal_name, icon, pools, protocol, position, look, reaches }, at);
		});
		const hours = new Map(estate.hours.map((h) => [h.id, { days: h.days, from: h.from, until: h.until }]));
		const people = new Map(
			all<{ id: number; login: string }>(db, 'SELECT id, login FROM people').map((p) => [p.login, p.id])
		);
		estate.grants.forEach((g, i) => {
			const conditions = {
				...(g.hours ? { hours: hours.get(g.hours) } : {}),
				...(g.managed_endpoint ? { managedEndpoint: true } : {}),
				...(g.second_factor ? { secondFactor: true } : {}),
				...(g.networks ? { networks: g.networks } : {})
			};
			openAt(
				db,
				'grants',
				{
					id: i + 1,
					publication_id: g.publication,
					team_id: g.team ?? null,
					person_id: g.person ? people.get(g.person)! : null,
					conditions: JSON.stringify(conditions),
					channels: JSON.stringify(g.channels)
				},
				at
			);
		});
	}).immediate();
}

function settlePeople(db: Db, { teams, people }: Given['directory']): void {
	// Parents first, whatever the order of the file.
	const byId = new Map(teams.map((t) => [t.id, t]));
	const written = new Set<string>();
	const write = (id: string) => {
		if (written.has(id)) return;
		written.add(id);
		const team = byId.get(id)!;
		if (team.parent !== null) write(team.parent);
		writeTeam(db, team, 'directory', 0);
	};
	for (const t of teams) write(t.id);
	// Everybody first, so that whoever reports to somebody finds them. From before anything that is on record.
	const numbers = people.map(({ is, ...sits }) => personNumber(db, is, 'directory', sits));
	people.forEach(({ is }, i) => writePerson(db, numbers[i]!, is, 0));
}

function settleImages(db: Db, estate: Estate, at: number): void {
	estate.image_lines.forEach((l, position) => {
		const { id, name, system, users, generation } = l;
		insertRow(db, 'lines', { id, name, system, users, position, generation });
		const sheet: BuildSheet = {
			steps: l.sheet.steps.map((s) => s.step),
			limit: l.sheet.limit,
			builder: l.sheet.builder
		};
		openAt(db, 'sheets', { line_id: id, body: JSON.stringify(sheet) }, at);
		for (const v of l.versions) {
			insertRow(db, 'versions', {
				line_id: id,
				number: v.number,
				built_at: v.built,
				built_by: v.by,
				note: v.note,
				contents: JSON.stringify(v.contents),
				size: v.contents.reduce((n, c) => n + c.size, 0)
			});
			if (v.held) openAt(db, 'version_holds', { line_id: id, number: v.number }, v.built);
		}
		for (const b of l.past_builds) {
			b.minutes.forEach((minutes, n) => {
				const { step } = l.sheet.steps[n]!;
				const { cores, disk } = l.sheet.builder;
				const of = { line_id: id, kind: step.kind, words: stepKey(step) };
				insertRow(db, 'step_runs', { ...of, at: b.at, cores, took: Math.round(minutes * MINUTE), disk });
			});
		}
	});
}
