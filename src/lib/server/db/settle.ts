import { LAB_ACCOUNT, LAB_SECRET, providerAddress } from '$lib/core/estate/providers';
import type { Estate } from '$lib/core/estate/schema';
import { stepKey, type BuildSheet } from '$lib/core/images/sheet';
import { FOREVER, MINUTE } from '$lib/core/time/units';
import { PLAIN_LOOK } from '../publishing/queries';
import { writeProvider } from '../network/providers';
import type { Vault } from '../network/vault';
import { all, putSetting, run, type Db } from './index';

/** What an estate file does not say: where endpoints are, which the provider knows, and how secrets are kept. */
export interface Given {
	addressOf: (login: string) => string;
	vault: Vault;
}

/** Writes what an estate file declares into an empty database, as of `at`. One transaction: all of it or nothing. */
export function settleEstate(db: Db, estate: Estate, at: number, { addressOf, vault }: Given): void {
	const sites = estate.sites.filter((s) => s.joined);
	const known = new Set(sites.map((s) => s.id));
	db.transaction(() => {
		putSetting(db, 'estate', estate.name);
		putSetting(db, 'domain', estate.domain);
		putSetting(db, 'home', estate.home ?? estate.sites[0]?.id ?? '');
		putSetting(db, 'history began', String(at));
		sites.forEach((s, i) => {
			run(db, 'INSERT INTO sites VALUES (?, ?, ?, ?, ?, ?, ?)', [
				s.id,
				s.name,
				s.kind,
				s.time_zone,
				i,
				JSON.stringify(s.links.filter((l) => known.has(l.to))),
				at
			]);
			for (const n of s.networks)
				run(db, 'INSERT INTO networks VALUES (?, ?, ?, ?, ?)', [n.id, s.id, n.range, n.first, n.last]);
		});
		for (const h of estate.hosts.filter((x) => known.has(x.site))) {
			run(db, 'INSERT INTO hosts(name, site_id, cores, memory, gpus, price_hour) VALUES (?, ?, ?, ?, ?, ?)', [
				h.id,
				h.site,
				h.cores,
				h.memory,
				h.gpus,
				Math.round(h.price_hour * 100)
			]);
		}
		for (const v of estate.volumes.filter((x) => known.has(x.site)))
			run(db, 'INSERT INTO volumes VALUES (?, ?, ?, ?, ?)', [
				v.id,
				v.site,
				v.size,
				v.iops,
				Math.round(v.price_tb_month * 100)
			]);
		for (const g of estate.gateways) {
			run(db, 'INSERT INTO gateways VALUES (?, ?, ?)', [g.id, g.site, g.address]);
			for (const p of g.protocols)
				run(db, 'INSERT INTO gateway_ports VALUES (?, ?, ?, ?, ?, ?)', [
					g.id,
					p.name,
					p.announced,
					p.listens,
					at,
					FOREVER
				]);
		}
		for (const h of estate.hours)
			run(db, 'INSERT INTO hours VALUES (?, ?, ?, ?)', [h.id, JSON.stringify(h.days), h.from, h.until]);
		for (const f of estate.directory.folders) run(db, 'INSERT INTO folders VALUES (?)', [f]);
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
		settlePeople(db, estate, addressOf);
		settleImages(db, estate, at);
		for (const b of estate.boot_servers)
			run(db, 'INSERT INTO boot_servers VALUES (?, ?, ?)', [b.id, b.site, b.address]);
		estate.pools.forEach((p, i) => {
			run(db, 'INSERT INTO pools VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)', [
				p.id,
				at,
				FOREVER,
				p.name,
				p.site,
				p.line,
				p.version,
				p.assignment,
				p.sessions_per_machine,
				p.cores,
				p.memory,
				p.gpus,
				p.disk,
				p.naming,
				p.folder,
				p.network,
				JSON.stringify({
					hours: p.policy.hours,
					headroomIn: p.policy.headroom_in,
					headroomOut: p.policy.headroom_out,
					least: p.policy.least,
					most: p.policy.most,
					patience: p.policy.patience,
					placing: p.policy.placing
				}),
				Math.round(p.price_hour * 100),
				i,
				p.page_file,
				p.page_place,
				JSON.stringify(p.boot_servers)
			]);
			run(db, 'INSERT INTO follow_rules VALUES (?, ?, ?, ?, ?, NULL)', [
				`pool/${p.id}`,
				at,
				FOREVER,
				JSON.stringify(p.follows ?? { takes: 'exactly', number: p.version }),
				JSON.stringify(p.takes_at)
			]);
		});
		estate.publications.forEach((p, i) => {
			run(
				db,
				'INSERT INTO publications(id, since, until, name, internal_name, icon, pools, protocol, position, look) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)',
				[
					p.id,
					at,
					FOREVER,
					p.name,
					p.internal_name,
					p.icon,
					JSON.stringify(p.pools),
					p.protocol,
					i,
					JSON.stringify({ ...PLAIN_LOOK, window: 'full' })
				]
			);
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
			run(
				db,
				'INSERT INTO grants(id, since, until, publication_id, team_id, person_id, conditions, channels) VALUES (?, ?, ?, ?, ?, ?, ?, ?)',
				[
					i + 1,
					at,
					FOREVER,
					g.publication,
					g.team ?? null,
					g.person ? people.get(g.person) : null,
					JSON.stringify(conditions),
					JSON.stringify(g.channels)
				]
			);
		});
	})();
}

function settlePeople(db: Db, estate: Estate, addressOf: Given['addressOf']): void {
	// Parents first, whatever the order of the file.
	const teams = new Map(estate.directory.teams.map((t) => [t.id, t]));
	const placed = new Set<string>();
	const place = (id: string) => {
		if (placed.has(id)) return;
		placed.add(id);
		const team = teams.get(id)!;
		if (team.parent) place(team.parent);
		run(db, 'INSERT INTO teams VALUES (?, ?, ?)', [team.id, team.name, team.parent ?? null]);
		for (let up: string | undefined = id; up !== undefined; up = teams.get(up)!.parent)
			run(db, 'INSERT INTO team_nesting VALUES (?, ?)', [id, up]);
	};
	for (const t of estate.directory.teams) place(t.id);
	for (const p of estate.directory.people) {
		run(
			db,
			'INSERT INTO people(login, name, site_id, team_id, pattern, profile, managed, address) VALUES (?, ?, ?, ?, ?, ?, ?, ?)',
			[p.login, p.name, p.site, p.team, p.pattern, p.profile, p.managed_endpoint ? 1 : 0, addressOf(p.login)]
		);
	}
}

function settleImages(db: Db, estate: Estate, at: number): void {
	estate.image_lines.forEach((l, i) => {
		run(db, 'INSERT INTO lines VALUES (?, ?, ?, ?, ?, ?)', [l.id, l.name, l.system, l.users, i, l.generation]);
		const sheet: BuildSheet = {
			steps: l.sheet.steps.map((s) => s.step),
			limit: l.sheet.limit,
			builder: l.sheet.builder
		};
		run(db, 'INSERT INTO sheets VALUES (?, ?, ?, ?)', [l.id, at, FOREVER, JSON.stringify(sheet)]);
		for (const v of l.versions) {
			run(
				db,
				'INSERT INTO versions(line_id, number, built_at, built_by, note, contents, size) VALUES (?, ?, ?, ?, ?, ?, ?)',
				[l.id, v.number, v.built, v.by, v.note, JSON.stringify(v.contents), v.contents.reduce((n, c) => n + c.size, 0)]
			);
			if (v.held) run(db, 'INSERT INTO version_holds VALUES (?, ?, ?, ?)', [l.id, v.number, v.built, FOREVER]);
		}
		for (const b of l.past_builds) {
			b.minutes.forEach((minutes, n) => {
				const { step } = l.sheet.steps[n]!;
				run(db, 'INSERT INTO step_runs VALUES (?, ?, ?, ?, ?, ?, ?)', [
					l.id,
					step.kind,
					stepKey(step),
					b.at,
					l.sheet.builder.cores,
					Math.round(minutes * MINUTE),
					l.sheet.builder.disk
				]);
			});
		}
	});
}
