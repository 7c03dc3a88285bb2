import type { PowerPolicy } from '$lib/core/capacity/policy';
import type { Hours } from '$lib/core/time/hours';
import { asOf } from '../db/intervals';
import { steady } from '../db/steady';
import { all, one, type Db } from '../db';
import { fromJson } from '../db/json';

export interface PoolRow {
	id: string;
	name: string;
	site: string;
	siteName: string;
	zone: string;
	line: string;
	version: string;
	assignment: 'shared' | 'personal';
	perMachine: number;
	cores: number;
	memory: number;
	gpus: number;
	/** Bytes of a machine's overlay disk. */
	disk: number;
	/** Bytes of its page file, and where it lies. */
	pageFile: number;
	pageFileOn: 'overlay' | 'apart';
	/** Servers that its machines start from, in the order in which they are tried. */
	bootServers: string[];
	naming: string;
	folder: string;
	network: string;
	policy: PowerPolicy;
	hoursId: string;
	/** Cents for each hour that one machine is up. */
	priceHour: number;
}

interface RawPool {
	id: string;
	name: string;
	site_id: string;
	site_name: string;
	zone: string;
	line_id: string;
	version: string;
	assignment: 'shared' | 'personal';
	per_machine: number;
	cores: number;
	memory: number;
	gpus: number;
	disk: number;
	page_file: number;
	page_file_on: 'overlay' | 'apart';
	boot_servers: string;
	naming: string;
	folder: string;
	network_id: string;
	policy: string;
	price_hour: number;
}

/** All calendars of hours by id. */
export function hoursById(db: Db): Map<string, Hours> {
	const rows = all<{ id: string; days: string; from_minute: number; until_minute: number }>(db, 'SELECT * FROM hours');
	// A calendar that ends at 24:00 runs to the end of the day.
	return new Map(
		rows.map((h) => [
			h.id,
			{ days: fromJson<number[]>('hours.days', h.days), from: h.from_minute, until: h.until_minute }
		])
	);
}

/** What stands for a calendar that is not there. */
const NO_HOURS: Hours = { days: [], from: 0, until: 0 };

/** The pools as they were at a moment, in their order. */
export function poolsAt(db: Db, at: number): PoolRow[] {
	const hours = hoursById(db);
	return all<RawPool>(
		db,
		`SELECT p.*, s.name AS site_name, s.time_zone AS zone FROM pools p JOIN sites s ON s.id = p.site_id
		 WHERE ${asOf('pools p', '?')} ORDER BY s.position, p.position`,
		[at, at]
	).map((p) => {
		const { hours: hoursId, ...policy } = fromJson<Omit<PowerPolicy, 'hours'> & { hours: string }>(
			'pools.policy',
			p.policy
		);
		return {
			id: p.id,
			name: p.name,
			site: p.site_id,
			siteName: p.site_name,
			zone: p.zone,
			line: p.line_id,
			version: p.version,
			assignment: p.assignment,
			perMachine: p.per_machine,
			cores: p.cores,
			memory: p.memory,
			gpus: p.gpus,
			disk: p.disk,
			pageFile: p.page_file,
			pageFileOn: p.page_file_on,
			bootServers: fromJson<string[]>('pools.boot_servers', p.boot_servers),
			naming: p.naming,
			folder: p.folder,
			network: p.network_id,
			policy: { ...policy, hours: hours.get(hoursId) ?? NO_HOURS },
			hoursId,
			priceHour: p.price_hour
		};
	});
}

/** The pools as they are now, for what asks every minute: shared, nobody may change them. */
export const poolsNow = steady(['pools', 'hours', 'sites'], poolsAt);

/** One pool as it was at a moment, or null. */
export const poolAt = (db: Db, id: string, at: number): PoolRow | null =>
	poolsAt(db, at).find((p) => p.id === id) ?? null;

/** Versions that the machines of each pool, or of one alone, are on at a moment, most machines first. */
export function versionsByPool(
	db: Db,
	at: number,
	pool: string | null = null
): Map<string, { version: string; n: number }[]> {
	const rows = all<{ pool: string; version: string; n: number }>(
		db,
		`SELECT m.pool_id AS pool, pl.version, count(*) AS n FROM machines m
		 JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl', '?1')}
		 WHERE ${asOf('machines m', '?1')} ${pool === null ? '' : 'AND m.pool_id = ?2'} GROUP BY 1, 2 ORDER BY 3 DESC, 2 DESC`,
		pool === null ? { 1: at } : { 1: at, 2: pool }
	);
	const byPool = new Map<string, typeof rows>();
	for (const row of rows) {
		const known = byPool.get(row.pool);
		if (known) known.push(row);
		else byPool.set(row.pool, [row]);
	}
	return byPool;
}

/** How many machines a pool has at a moment. */
export const machineCount = (db: Db, pool: string, at: number): number =>
	one<{ n: number }>(db, `SELECT count(*) AS n FROM machines WHERE pool_id = ? AND ${asOf('machines', '?')}`, [
		pool,
		at,
		at
	])!.n;
