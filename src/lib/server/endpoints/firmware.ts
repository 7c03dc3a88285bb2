import {
	standsToFirmware,
	wishesFor,
	type FirmwareDevice,
	type FirmwareStanding,
	type FirmwareWish
} from '$lib/core/endpoints/firmware';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, run, type Db } from '../db';
import { asOf } from '../db/intervals';
import { fromJson } from '../db/json';
import { insertRow } from '../db/rows';
import { proofOf } from '../moment/endpoint-sql';
import { ProviderError } from '../providers';
import { treeAt } from './queries';

/** A wish, and who has said it since when. */
export type WishRow = FirmwareWish & { since: number; by: string };

/** What is wished at a moment. */
export const firmwareWishes = (db: Db, at: number): WishRow[] =>
	all<Omit<WishRow, 'thin'> & { thin: number }>(
		db,
		`SELECT branch_id AS branch, model, version, bytes, thin, since, by FROM firmware_wishes WHERE ${asOf('firmware_wishes')} ORDER BY branch_id, model`,
		{ at }
	).map((w) => ({ ...w, thin: w.thin === 1 }));

/** A device for which something is wished, how it stands to that, and why. */
export interface FirmwareRow {
	id: number;
	name: string;
	serial: string;
	key: string;
	model: string;
	firmware: string;
	site: string | null;
	wish: FirmwareWish;
	standing: FirmwareStanding;
	why: Fact;
}

type Read = Omit<FirmwareDevice, 'inUse' | 'battery' | 'certified' | 'mbit' | 'taking' | 'told'> &
	Pick<FirmwareRow, 'id' | 'name' | 'serial' | 'key' | 'model' | 'site'> & {
		branch: string;
		person: number | null;
		onBattery: number;
		proof: string;
		toldAt: number | null;
		toldVersion: string | null;
		toldWords: string | null;
	};

/** Mbit/s of the best link of each site that has any. */
const bestLinks = (db: Db): Map<string, number> =>
	new Map(
		all<{ id: string; links: string }>(db, 'SELECT id, links FROM sites').flatMap((s) => {
			const mbit = fromJson<{ mbit: number }[]>('sites.links', s.links).map((l) => l.mbit);
			return mbit.length ? [[s.id, Math.max(...mbit)]] : [];
		})
	);

/**
 * Every device that stands in a branch and for which firmware is wished, with how it stands to that, by their names: in that order they would take it.
 * What was told to whom is as it is now.
 */
export function firmwareRows(
	db: Db,
	at: number,
	wishes: readonly FirmwareWish[] = firmwareWishes(db, at)
): FirmwareRow[] {
	if (wishes.length === 0) return [];
	const wishOf = wishesFor(treeAt(db, at), wishes);
	const links = bestLinks(db);
	const read = all<Read>(
		db,
		`SELECT e.id, f.name, e.serial, e.key, f.model, f.firmware, f.site_id AS site, sp.branch_id AS branch, st.state, st.person_id AS person, st.battery AS onBattery,
		 ${proofOf('e.id')} AS proof, t.at AS toldAt, t.version AS toldVersion, t.words AS toldWords
		 FROM endpoint_facts f JOIN endpoints e ON e.id = f.endpoint_id JOIN endpoint_spots sp ON sp.endpoint_id = e.id AND ${asOf('endpoint_spots sp')}
		 JOIN endpoint_states st ON st.endpoint_id = e.id AND ${asOf('endpoint_states st')} LEFT JOIN firmware_told t ON t.endpoint_id = e.id AND t.at <= @at
		 WHERE ${asOf('endpoint_facts f')} AND sp.branch_id IS NOT NULL AND f.model IN (SELECT value FROM json_each(@models)) ORDER BY f.name, e.id`,
		{ at, models: JSON.stringify([...new Set(wishes.map((w) => w.model))]) }
	);
	const taking = new Map<string | null, number>();
	const known = read.flatMap((r) => {
		const wish = wishOf(r.branch, r.model);
		return wish ? [{ r, wish }] : [];
	});
	const stands = ({ r, wish }: (typeof known)[number]) =>
		standsToFirmware(
			{
				firmware: r.firmware,
				state: r.state,
				inUse: r.person !== null,
				battery: r.onBattery === 1,
				certified: r.proof === 'good',
				mbit: r.site === null ? null : (links.get(r.site) ?? null),
				taking: taking.get(r.site) ?? 0,
				told: r.toldAt === null ? null : { at: r.toldAt, version: r.toldVersion!, words: r.toldWords! }
			},
			wish,
			at
		);
	const count = (site: string | null) => taking.set(site, (taking.get(site) ?? 0) + 1);
	// Those that take theirs already count for all others of their site.
	for (const k of known) if (stands(k).standing === 'takes it') count(k.r.site);
	return known.map((k) => {
		const { standing, why } = stands(k);
		if (standing === 'may take it') count(k.r.site);
		const { id, name, serial, key, model, firmware, site } = k.r;
		return { id, name, serial, key, model, firmware, site, wish: k.wish, standing, why };
	});
}

/** Tells devices to take what is wished for them, as far as nothing keeps them from it. */
export async function bringFirmware(ctx: Context, now: number): Promise<void> {
	const { db } = ctx;
	const rows = firmwareRows(db, now);
	if (rows.length === 0) return;
	const note = (id: number, version: string, words: string) =>
		insertRow(db, 'firmware_told', { endpoint_id: id, version, at: now, words }, 'replace');
	const arrived = rows.filter((r) => r.standing === 'has it').map((r) => r.id);
	run(db, 'DELETE FROM firmware_told WHERE endpoint_id IN (SELECT value FROM json_each(?))', [JSON.stringify(arrived)]);
	await Promise.all(
		rows
			.filter((r) => r.standing === 'may take it')
			.map(async (r) => {
				note(r.id, r.wish.version, '');
				try {
					await ctx.providers.endpoints.takeFirmware(r.serial, r.key, r.wish.version);
				} catch (e) {
					if (!(e instanceof ProviderError)) throw e;
					note(r.id, r.wish.version, e.message.slice(0, 200));
				}
			})
	);
}
