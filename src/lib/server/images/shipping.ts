import { median } from '$lib/core/measures/quantile';
import { missingChunks, unionOf, type ChunkIds } from '$lib/core/images/delta';
import {
	goodput,
	planShipping,
	type NightWindow,
	type ShipLink,
	type ShipSite,
	type ShipPlan
} from '$lib/core/images/shipping';
import { FOREVER, SECOND } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, setting, type Db } from '../db';
import { chunkIds } from './stores';
import { fromJson } from '../db/json';

/** What was agreed to for a shipment. */
export interface ShipSettings {
	/** Sites that are to have the version. */
	sites: string[];
	/** Minutes of the local day of each site. */
	from: number;
	until: number;
	share: number;
	nights: number;
}

/** Mbit/s from which a link carries versions by itself, without a shipment. */
export const THICK = 100;

/** Ms that a store takes to put a version together from its chunks. */
const ASSEMBLE = 90 * SECOND;

/** Ms that handing bytes out over a link takes, with putting them together at its end. */
export const handOutTime = (bytes: number, mbit: number, loss: number): number =>
	Math.round(ASSEMBLE + (bytes / goodput({ a: '', b: '', mbit, loss }, 1)) * SECOND);

/** Bytes of a version (`line/number`) as they go over a link, when nothing of it is there. */
export function packedSize(db: Db, id: string): number {
	const cut = id.indexOf('/');
	return [...packedSizes(db, chunkIds(db, id.slice(0, cut), id.slice(cut + 1))).values()].reduce((n, b) => n + b, 0);
}

/**
 * Ms that handing out the next version of a line is expected to take: as the last ones took; where none was handed out, as long as half of
 * the newest one needs over the slowest of the thick links, since most of a version is in the one before.
 */
export function expectedHandOut(db: Db, line: string, newest: string | null): number {
	const past = all<{ took: number }>(
		db,
		`SELECT s.ended - s.began AS took FROM job_steps s JOIN builds b ON b.job_id = s.job_id
		 WHERE s.kind = 'image.hand-out' AND s.state = 'done' AND b.line_id = ? ORDER BY s.ended DESC LIMIT 5`,
		[line]
	)
		.map((r) => r.took)
		.sort((a, b) => a - b);
	if (past.length) return median(past);
	const home = setting(db, 'home');
	const thick = linksOf(db).filter((l) => (l.a === home || l.b === home) && l.mbit >= THICK);
	if (thick.length === 0 || newest === null) return ASSEMBLE;
	const bytes = packedSize(db, `${line}/${newest}`) / 2;
	return Math.max(...thick.map((l) => handOutTime(bytes, l.mbit, l.loss)));
}

/** Links between sites, each once. */
export function linksOf(db: Db): ShipLink[] {
	const links: ShipLink[] = [];
	for (const s of all<{ id: string; links: string }>(db, 'SELECT id, links FROM sites ORDER BY position'))
		for (const l of fromJson<{ to: string; mbit: number; loss?: number }[]>('sites.links', s.links))
			if (!links.some((x) => (x.a === s.id && x.b === l.to) || (x.a === l.to && x.b === s.id)))
				links.push({ a: s.id, b: l.to, mbit: l.mbit, loss: l.loss ?? 0 });
	return links;
}

/** Everything that a site's image store holds right now, as the store says: whole versions, and chunks that came loose. */
export async function heldChunks(ctx: Context, site: string): Promise<ChunkIds> {
	const { whole, loose } = await ctx.providers.builder.held(site);
	const sets = whole.map((id) => chunkIds(ctx.db, id.slice(0, id.indexOf('/')), id.slice(id.indexOf('/') + 1)));
	const ids = all<{ id: number }>(
		ctx.db,
		'SELECT id FROM chunks WHERE digest IN (SELECT value FROM json_each(?)) ORDER BY id',
		[JSON.stringify(loose)]
	).map((r) => r.id);
	return unionOf([...sets, Uint32Array.from(ids)]);
}

/** Bytes of chunks as they go over a link, by id. */
export function packedSizes(db: Db, ids: ChunkIds): Map<number, number> {
	return new Map(
		all<{ id: number; packed: number }>(
			db,
			'SELECT id, packed FROM chunks WHERE id IN (SELECT value FROM json_each(?))',
			[JSON.stringify([...ids])]
		).map((c) => [c.id, c.packed])
	);
}

export interface SiteShipping {
	plan: ShipPlan;
	windows: Map<string, NightWindow>;
	wanted: ChunkIds;
	packed: Map<number, number>;
}

/** The way of a version to sites, from what their stores hold now. Times beyond `until` are not looked at. */
export async function shippingOf(
	ctx: Context,
	line: string,
	number: string,
	settings: ShipSettings,
	from: number,
	until: number
): Promise<SiteShipping> {
	const { db } = ctx;
	const wanted = chunkIds(db, line, number);
	const packed = packedSizes(db, wanted);
	const windows = new Map<string, NightWindow>();
	const sites = new Map<string, ShipSite>();
	for (const s of all<{ id: string; zone: string }>(db, 'SELECT id, time_zone AS zone FROM sites')) {
		const window: NightWindow = { from: settings.from, until: settings.until, zone: s.zone };
		windows.set(s.id, window);
		sites.set(s.id, { site: s.id, holds: await heldChunks(ctx, s.id), window, share: settings.share });
	}
	const plan = planShipping({
		origin: setting(db, 'home') ?? '',
		to: settings.sites,
		sites,
		links: linksOf(db),
		wanted,
		packed: (c) => packed.get(c) ?? 0,
		from,
		horizon: until
	});
	return { plan, windows, wanted, packed };
}

export interface ShipmentRow {
	id: number;
	jobId: number;
	line: string;
	number: string;
	settings: ShipSettings;
	by: string;
	began: number;
	until: number;
	ended: number | null;
	outcome: string | null;
	sites: {
		site: string;
		target: boolean;
		bytes: number;
		sent: number;
		due: number | null;
		wholeAt: number | null;
		breaks: number;
	}[];
}

/** Shipments begun up to a moment, newest first. */
export function shipmentsAt(db: Db, at: number, limit = 20): ShipmentRow[] {
	return all<Omit<ShipmentRow, 'settings' | 'sites'> & { settings: string }>(
		db,
		`SELECT s.id, s.job_id AS jobId, s.line_id AS line, s.number, s.settings, s.by, s.began, s.until, coalesce(s.ended, j.ended) AS ended,
		 CASE WHEN s.outcome IS NULL AND j.state IN ('failed', 'cancelled') THEN j.state ELSE s.outcome END AS outcome
		 FROM shipments s JOIN jobs j ON j.id = s.job_id WHERE s.began <= ? ORDER BY s.id DESC LIMIT ?`,
		[at, limit]
	).map((s) => ({
		...s,
		settings: fromJson<ShipSettings>('shipments.settings', s.settings),
		sites: all<{
			site: string;
			target: number;
			bytes: number;
			sent: number;
			due: number | null;
			wholeAt: number | null;
			breaks: number;
		}>(
			db,
			'SELECT site_id AS site, target, bytes, sent, due, whole_at AS wholeAt, breaks FROM shipment_sites WHERE shipment_id = ?',
			[s.id]
		).map((p) => ({ ...p, target: p.target === 1 }))
	}));
}

/** When sites that lack a version are to have it, by `site/line/number`: of shipments that run. Null when its nights are not enough. */
export function dueAt(db: Db, at: number): Map<string, number | null> {
	return new Map(
		all<{ key: string; due: number | null; until: number }>(
			db,
			`SELECT p.site_id || '/' || s.line_id || '/' || s.number AS key, p.due, s.until FROM shipment_sites p JOIN shipments s ON s.id = p.shipment_id
			 JOIN jobs j ON j.id = s.job_id WHERE p.target = 1 AND p.whole_at IS NULL AND s.began <= ? AND s.ended IS NULL AND j.ended IS NULL`,
			[at]
		).map((r) => [r.key, r.due !== null && r.due <= r.until ? r.due : null])
	);
}

/** What a site lacks of a version, in bytes over the link, and of how much: from what is known of its store. */
export async function lackingAt(
	ctx: Context,
	site: string,
	line: string,
	number: string
): Promise<{ lacks: number; of: number }> {
	const wanted = chunkIds(ctx.db, line, number);
	const missing = missingChunks(wanted, await heldChunks(ctx, site));
	const sum = (ids: ChunkIds) =>
		one<{ n: number | null }>(
			ctx.db,
			'SELECT sum(packed) AS n FROM chunks WHERE id IN (SELECT value FROM json_each(?))',
			[JSON.stringify([...ids])]
		)!.n ?? 0;
	return { lacks: sum(missing), of: sum(wanted) };
}

/** Sites that have, or are about to have, a version whole: nothing is to be shipped there. */
export const wholeSites = (db: Db, line: string, number: string): Set<string> =>
	new Set(
		all<{ site: string }>(
			db,
			`SELECT site_id AS site FROM site_versions WHERE line_id = ? AND number = ? AND until = ${FOREVER}`,
			[line, number]
		).map((r) => r.site)
	);
