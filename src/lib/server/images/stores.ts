import { missingChunks } from '$lib/core/images/delta';
import { FOREVER } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, run, type Db } from '../db';
import { closeAt, putAt } from '../db/intervals';
import { insertRow } from '../db/rows';

/** Asks for a version's chunks; what it answers writes them down. */
export async function keepChunks(ctx: Context, line: string, number: string): Promise<(db: Db) => void> {
	const chunks = await ctx.providers.builder.chunks(line, number);
	return (db) => {
		const listed = JSON.stringify(chunks.map((c) => [c.digest, c.size, c.packed]));
		run(
			db,
			`INSERT INTO chunks(digest, size, packed)
			 SELECT value ->> 0, value ->> 1, value ->> 2 FROM json_each(?) WHERE true ON CONFLICT DO NOTHING`,
			[listed]
		);
		const ids = all<{ id: number }>(
			db,
			'SELECT id FROM chunks WHERE digest IN (SELECT value ->> 0 FROM json_each(?)) ORDER BY id',
			[listed]
		);
		const bytes = Buffer.from(Uint32Array.from(ids, (c) => c.id).buffer);
		insertRow(db, 'version_chunks', { line_id: line, number, ids: bytes }, 'replace');
	};
}

/** Writes down that sites have a version whole since `at`, where that is not known yet. */
export function noteStores(db: Db, sites: readonly string[], line: string, number: string, at: number): void {
	for (const site of sites)
		if (
			!one(db, `SELECT 1 FROM site_versions WHERE site_id = ? AND line_id = ? AND number = ? AND until = ${FOREVER}`, [
				site,
				line,
				number
			])
		)
			putAt(db, 'site_versions', { site_id: site, line_id: line, number }, at);
}

/**
 * Makes what is known of image stores agree with what the stores say: versions that are whole at each site, and the chunks
 * of every version.
 */
export async function learnStores(ctx: Context): Promise<void> {
	const { db } = ctx;
	const now = ctx.clock.now();
	const known = new Map<string, Set<string>>();
	for (const r of all<{ site: string; id: string }>(
		db,
		`SELECT site_id AS site, line_id || '/' || number AS id FROM site_versions WHERE until = ${FOREVER}`
	)) {
		const set = known.get(r.site);
		if (set) set.add(r.id);
		else known.set(r.site, new Set([r.id]));
	}
	for (const { id: site } of all<{ id: string }>(db, 'SELECT id FROM sites')) {
		const there = new Set((await ctx.providers.builder.held(site)).whole);
		const before = known.get(site) ?? new Set<string>();
		const split = (id: string) => [id.slice(0, id.indexOf('/')), id.slice(id.indexOf('/') + 1)] as const;
		db.transaction(() => {
			for (const id of there) if (!before.has(id)) noteStores(db, [site], ...split(id), now);
			for (const id of before)
				if (!there.has(id)) {
					const [line_id, number] = split(id);
					closeAt(db, 'site_versions', { site_id: site, line_id, number }, now);
				}
		}).immediate();
	}
	const bare = all<{ line: string; number: string }>(
		db,
		`SELECT v.line_id AS line, v.number FROM versions v WHERE v.gone_at = ${FOREVER}
		 AND NOT EXISTS (SELECT 1 FROM version_chunks c WHERE c.line_id = v.line_id AND c.number = v.number)`
	);
	for (const v of bare) {
		const write = await keepChunks(ctx, v.line, v.number).catch(() => null);
		if (write) db.transaction(() => write(db)).immediate();
	}
}

/** The chunks of a version, or none where they are not known. */
export function chunkIds(db: Db, line: string, number: string): Uint32Array {
	const row = one<{ ids: Buffer }>(db, 'SELECT ids FROM version_chunks WHERE line_id = ? AND number = ?', [
		line,
		number
	]);
	return row
		? new Uint32Array(row.ids.buffer.slice(row.ids.byteOffset, row.ids.byteOffset + row.ids.byteLength))
		: new Uint32Array();
}

/** Bytes of chunks: as they lie, and as they go over a link. */
export function bytesOf(db: Db, ids: Uint32Array): { size: number; packed: number } {
	return one<{ size: number | null; packed: number | null }>(
		db,
		'SELECT sum(size) AS size, sum(packed) AS packed FROM chunks WHERE id IN (SELECT value FROM json_each(?))',
		[JSON.stringify([...ids])]
	) as { size: number; packed: number };
}

/** What has to be sent to a site that has one version so that it has another, too. */
export function sendBetween(
	db: Db,
	from: { line: string; number: string },
	to: { line: string; number: string }
): { chunks: number; lacking: number; packed: number; whole: number } {
	const wanted = chunkIds(db, to.line, to.number);
	const missing = missingChunks(wanted, chunkIds(db, from.line, from.number));
	return {
		chunks: wanted.length,
		lacking: missing.length,
		packed: bytesOf(db, missing).packed ?? 0,
		whole: bytesOf(db, wanted).packed ?? 0
	};
}
