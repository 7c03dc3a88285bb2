import { missingChunks, unionOf, type ChunkIds } from '$lib/core/images/delta';
import { goodput, openings } from '$lib/core/images/shipping';
import { DAY, MINUTE, sizeWords } from '$lib/core/time/units';
import { sleep } from '../context';
import { all, one, run, setting } from '../db';
import { Cancelled, stepHandler, type StepRun } from '../jobs/step';
import { ProviderError, StepFailed } from '../providers';
import { heldChunks, shippingOf, type ShipSettings } from './shipping';
import { chunkIds, noteStores } from './stores';

interface ShipInput {
	line: string;
	number: string;
	settings: ShipSettings;
	until: number;
}

/** What goes in one call: a few minutes of the link, so that little is lost when it breaks. */
const CALL = 3 * MINUTE;
/** After a break the link is tried again this much later. */
const BREAK = 5 * MINUTE;

export const shipSteps = {
	'image.ship': stepHandler<ShipInput>({
		async run(step) {
			const { ctx, input, job, log } = step;
			const { db } = ctx;
			const { line, number, settings, until } = input;
			const now = ctx.clock.now();
			// Content chunks are what has been done and what has not: taken up again after a break or a restart, what is there is not sent.
			const { plan } = await shippingOf(ctx, line, number, settings, now, until);
			const id = db
				.transaction(() => {
					run(
						db,
						`INSERT INTO shipments(job_id, line_id, number, origin, settings, by, began, until) VALUES (?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING`,
						[job.id, line, number, setting(db, 'home') ?? '', JSON.stringify(settings), job.by, now, until]
					);
					const row = one<{ id: number }>(db, 'SELECT id FROM shipments WHERE job_id = ?', [job.id])!;
					for (const leg of plan.legs)
						run(
							db,
							'INSERT INTO shipment_sites(shipment_id, site_id, target, bytes, sent, due) VALUES (?, ?, ?, ?, 0, ?) ON CONFLICT DO NOTHING',
							[row.id, leg.to, settings.sites.includes(leg.to) ? 1 : 0, leg.bytes, leg.done]
						);
					return row.id;
				})
				.immediate();
			const behind = new Map<string, string[]>();
			for (const leg of plan.legs) behind.set(leg.from, [...(behind.get(leg.from) ?? []), leg.to]);
			const outcomes = await Promise.all(plan.legs.map((leg) => sendLeg(step, id, leg, behind)));
			const late = settings.sites.filter(
				(s) =>
					!one(db, 'SELECT 1 FROM shipment_sites WHERE shipment_id = ? AND site_id = ? AND whole_at IS NOT NULL', [
						id,
						s
					])
			);
			if (outcomes.includes('cancelled')) throw new Cancelled('cancelled; what has arrived stays');
			if (late.length) {
				run(db, `UPDATE shipments SET ended = ?, outcome = 'not in time' WHERE id = ?`, [ctx.clock.now(), id]);
				throw new StepFailed(
					`its nights were not enough for ${late.join(', ')}; what has arrived stays, and a new shipment sends the rest`
				);
			}
			log(`whole at ${settings.sites.join(', ')}`);
			const ended = ctx.clock.now();
			return { write: (d) => run(d, `UPDATE shipments SET ended = ?, outcome = 'done' WHERE id = ?`, [ended, id]) };
		}
	})
};

/** Sends over one link whatever the site at its end, and those behind it, lack and the site before it has. */
async function sendLeg(
	{ ctx, input, key, log, cancelled, gotOn }: StepRun<ShipInput>,
	shipment: number,
	leg: { from: string; to: string; link: { a: string; b: string; mbit: number; loss: number } },
	behind: ReadonlyMap<string, string[]>
): Promise<'done' | 'late' | 'cancelled'> {
	const { db } = ctx;
	const { line, number, settings, until } = input;
	const target = settings.sites.includes(leg.to);
	const zone = one<{ zone: string }>(db, 'SELECT time_zone AS zone FROM sites WHERE id = ?', [leg.to])!.zone;
	const window = { from: settings.from, until: settings.until, zone };
	const rate = goodput(leg.link, settings.share);
	const digests = new Map(
		all<{ id: number; digest: string; packed: number }>(
			db,
			'SELECT id, digest, packed FROM chunks WHERE id IN (SELECT value FROM json_each(?))',
			[JSON.stringify([...chunkIds(db, line, number)])]
		).map((c) => [c.id, c])
	);
	/** What has to come to the site: what it lacks, and what those behind it lack. */
	const lacking = async (site: string): Promise<ChunkIds> => {
		const own = settings.sites.includes(site) ? [chunkIds(db, line, number)] : [];
		const further = await Promise.all((behind.get(site) ?? []).map(lacking));
		return missingChunks(unionOf([...own, ...further]), await heldChunks(ctx, site));
	};
	for (let call = 0; ;) {
		if (cancelled()) return 'cancelled';
		const now = ctx.clock.now();
		const missing = await lacking(leg.to);
		if (missing.length === 0) break;
		if (now >= until) return 'late';
		const open = openings(window, now, now + 3 * DAY)[0];
		if (!open || open[0] > now) {
			await sleep(ctx.clock, Math.min(20 * MINUTE, (open?.[0] ?? now + DAY) - now));
			continue;
		}
		const there = new Set(await heldChunks(ctx, leg.from));
		const room = Math.min(CALL, open[1] - now) / 1000;
		const batch: string[] = [];
		let bytes = 0;
		for (const chunk of missing) {
			const c = digests.get(chunk)!;
			if (!there.has(chunk)) continue;
			if (batch.length && (bytes + c.packed) / rate > room) break;
			batch.push(c.digest);
			bytes += c.packed;
		}
		if (batch.length === 0) {
			// The site before it has nothing new for it yet.
			await sleep(ctx.clock, MINUTE);
			continue;
		}
		// A chunk that is longer than what is left of the window waits for the next.
		if (bytes / rate > (open[1] - now) / 1000 && open[1] - now < CALL) {
			await sleep(ctx.clock, Math.max(1000, open[1] - now));
			continue;
		}
		try {
			await ctx.providers.builder.send(leg.from, leg.to, batch, settings.share, key(`${leg.to} ${now} ${call++}`));
			run(db, 'UPDATE shipment_sites SET sent = sent + ?, due = ? WHERE shipment_id = ? AND site_id = ?', [
				bytes,
				dueOf(window, rate, missing, digests, bytes, ctx.clock.now()),
				shipment,
				leg.to
			]);
			gotOn();
		} catch (e) {
			if (!(e instanceof ProviderError)) throw e;
			run(db, 'UPDATE shipment_sites SET breaks = breaks + 1 WHERE shipment_id = ? AND site_id = ?', [
				shipment,
				leg.to
			]);
			log(`${leg.to}: ${e.message}; goes on when it can, ${sizeWords(bytesOf(missing, digests))} to go`);
			await sleep(ctx.clock, BREAK);
		}
	}
	if (target) {
		await ctx.providers.builder.assemble(line, number, leg.to, key(`whole ${leg.to}`));
		const now = ctx.clock.now();
		db.transaction(() => {
			noteStores(db, [leg.to], line, number, now);
			run(
				db,
				'UPDATE shipment_sites SET whole_at = ?, due = ? WHERE shipment_id = ? AND site_id = ? AND whole_at IS NULL',
				[now, now, shipment, leg.to]
			);
		}).immediate();
		log(`${leg.to}: ${line} ${number} is whole there`);
	}
	return 'done';
}

const bytesOf = (ids: ChunkIds, sizes: ReadonlyMap<number, { packed: number }>) =>
	ids.reduce((n, c) => n + (sizes.get(c)?.packed ?? 0), 0);

/** When the rest will have arrived, as things are now; null when that is more than 60 days away. */
function dueOf(
	window: { from: number; until: number; zone: string },
	rate: number,
	missing: ChunkIds,
	sizes: ReadonlyMap<number, { packed: number }>,
	just: number,
	now: number
): number | null {
	let left = (bytesOf(missing, sizes) - just) / rate;
	for (const [opens, closes] of openings(window, now, now + 60 * DAY)) {
		const seconds = (closes - opens) / 1000;
		if (left <= seconds) return Math.round(opens + left * 1000);
		left -= seconds;
	}
	return null;
}
