import { FOREVER } from '$lib/core/time/units';
import { one, run } from '../db';
import { noteStores } from '../images/stores';
import { stepHandler, type StepHandler } from '../jobs/step';
import { sweepPlaces } from './checks';
import { answeredProvider, endJoining } from './joinings';
import { writeProvider } from './providers';

export const placeSteps: Record<string, StepHandler> = {
	'site.write': stepHandler<{ joining: number }>({
		async run({ ctx, input }) {
			const { joining, provider } = await answeredProvider(ctx, input.joining);
			const now = ctx.clock.now();
			const id = joining.placeId!;
			const place = joining.place!;
			const { hosts, volumes, networks } = joining.account!.offer;
			return {
				result: { site: id },
				write: (db) => {
					const { position } = one<{ position: number }>(
						db,
						'SELECT coalesce(max(position), -1) + 1 AS position FROM sites'
					)!;
					run(db, 'INSERT INTO sites VALUES (?, ?, ?, ?, ?, ?, ?)', [
						id,
						place.name,
						place.kind,
						place.timeZone,
						position,
						JSON.stringify(place.link ? [place.link] : []),
						now
					]);
					for (const n of networks.filter((x) => place.networks.includes(x.id)))
						run(db, 'INSERT INTO networks VALUES (?, ?, ?, ?, ?)', [n.id, id, n.range, n.first, n.last]);
					for (const h of hosts)
						run(db, 'INSERT INTO hosts(name, site_id, cores, memory, gpus, price_hour) VALUES (?, ?, ?, ?, ?, ?)', [
							h.name,
							id,
							h.cores,
							h.memory,
							h.gpus,
							Math.round(joining.prices!.hostHour * 100)
						]);
					for (const x of volumes)
						run(db, 'INSERT INTO volumes VALUES (?, ?, ?, ?, ?)', [
							x.id,
							id,
							x.size,
							x.iops,
							Math.round(joining.prices!.volumeMonth * 100)
						]);
					writeProvider(db, ctx.vault, id, provider, now);
					endJoining(db, joining.id, 'joined', now);
				}
			};
		}
	}),

	'site.reach': stepHandler<{ joining: number }>({
		async run({ ctx, input }) {
			const { joining, provider } = await answeredProvider(ctx, input.joining);
			const now = ctx.clock.now();
			return {
				result: { site: joining.site },
				write: (db) => {
					writeProvider(db, ctx.vault, joining.site!, provider, now);
					endJoining(db, joining.id, 'renewed', now);
				}
			};
		}
	}),

	'site.stock': stepHandler<{ site: string; versions: string[] }>({
		async run({ ctx, input, each, log }) {
			const { done } = await each(input.versions, 3, async (id, key) => {
				const [line, number] = id.split('/') as [string, string];
				await ctx.providers.builder.handOut(line, number, input.site, key);
				return (db) => noteStores(db, [input.site], line, number, ctx.clock.now());
			});
			log(`${done.join(', ') || 'nothing'} stands there whole`);
		}
	}),

	'site.check': stepHandler<{ site: string }>({
		async run({ ctx }) {
			await sweepPlaces(ctx, ctx.clock.now());
		}
	}),

	'site.forget': stepHandler<{ site: string }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					run(db, `UPDATE findings SET until = max(?, since + 1) WHERE site_id = ? AND until = ${FOREVER}`, [
						now,
						input.site
					]);
					run(db, 'DELETE FROM joinings WHERE site_id = ?', [input.site]);
					for (const table of ['site_checks', 'site_providers', 'site_versions', 'networks', 'hosts', 'volumes'])
						run(db, `DELETE FROM ${table} WHERE site_id = ?`, [input.site]);
					run(db, 'DELETE FROM sites WHERE id = ?', [input.site]);
				}
			};
		}
	})
};
