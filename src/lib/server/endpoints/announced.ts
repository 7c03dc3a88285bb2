import { announcedState, type Admission, type AnnouncedState } from '$lib/core/endpoints/announced';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { checksAt } from '../network';

/** A device that was announced, and what has become of it. */
export interface AnnouncedRow {
	serial: string;
	site: string | null;
	expectedAt: number;
	/** Since when it is announced, ms UTC. */
	since: number;
	state: AnnouncedState;
	/** The device that called in with this serial number; the first, where there are copies. */
	endpoint: number | null;
	name: string | null;
}

/** Devices that are announced at a moment, by serial number. */
export const announcedAt = (db: Db, at: number): AnnouncedRow[] =>
	all<Omit<AnnouncedRow, 'state'>>(
		db,
		`SELECT a.serial, a.site_id AS site, a.expected_at AS expectedAt, a.since, e.id AS endpoint, f.name
		 FROM announced_endpoints a
		 LEFT JOIN endpoints e ON e.id = (SELECT x.id FROM endpoints x WHERE x.serial = a.serial AND x.first_at <= @at ORDER BY x.first_at, x.id LIMIT 1)
		 LEFT JOIN endpoint_facts f ON f.endpoint_id = e.id AND ${asOf('endpoint_facts f')}
		 WHERE ${asOf('announced_endpoints a')} ORDER BY a.serial`,
		{ at }
	).map((a) => ({ ...a, state: announcedState({ expectedAt: a.expectedAt, calledIn: a.endpoint !== null }, at) }));

/** How devices of each site are let in at a moment; a site that is not there: by the rules. The empty site: addresses of none. */
export const admissionsAt = (db: Db, at: number): Map<string, Admission> =>
	new Map(
		all<{ site: string; way: Admission }>(
			db,
			`SELECT site, way FROM endpoint_admissions WHERE ${asOf('endpoint_admissions')}`,
			{ at }
		).map((a) => [a.site, a.way])
	);

/** Why a device that has never stood anywhere is not put by the rules at a moment; null where it is. */
export function heldBack(db: Db, at: number): (d: { serial: string; site: string | null }) => string | null {
	const ways = admissionsAt(db, at);
	return ({ serial, site }) => {
		const way = ways.get(site ?? '') ?? 'rules';
		const where = site === null ? 'of addresses of no site' : 'of this site';
		if (way === 'rules') return null;
		if (way === 'hand') return `new endpoints ${where} wait until somebody lets them in`;
		const announced = one(
			db,
			`SELECT 1 FROM announced_endpoints WHERE serial = @serial AND (site_id IS NULL OR site_id = @site) AND ${asOf('announced_endpoints')}`,
			{ serial, site, at }
		);
		return announced ? null : `only announced endpoints ${where} are let in, and its serial number is not among them`;
	};
}

/** The networks in which a site's devices have their addresses. */
export const rangesOf = (db: Db, site: string): string[] =>
	all<{ range: string }>(db, 'SELECT range FROM endpoint_ranges WHERE site_id = ? ORDER BY range', [site]).map(
		(r) => r.range
	);

/** Sites with what has become of devices announced for them, and what is seen of where their devices call. */
export function announcedBySite(db: Db, at: number) {
	const rows = announcedAt(db, at);
	const ways = admissionsAt(db, at);
	return all<{ id: string; name: string; zone: string }>(
		db,
		'SELECT id, name, time_zone AS zone FROM sites ORDER BY position'
	).map((s) => {
		const own = rows.filter((r) => r.site === s.id);
		return {
			...s,
			ranges: rangesOf(db, s.id),
			way: ways.get(s.id) ?? ('rules' as const),
			announced: own.length,
			calledIn: own.filter((r) => r.state === 'called in').length,
			away: own.filter((r) => r.state === 'stays away'),
			check: checksAt(db, s.id, at).find((c) => c.name === 'devices') ?? null
		};
	});
}
