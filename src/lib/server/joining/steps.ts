import { one, putSetting, run, setting } from '../db';
import { closeAllAt } from '../db/intervals';
import { writeGateway, writeHost, writeNetwork, writeSite, writeVolume } from '../estate';
import { noteStores } from '../images';
import { stepHandler } from '../jobs/step';
import { sweepSites, writeProvider } from '../network';
import { answeredProvider, endJoining } from './joinings';

export const joiningSteps = {
	'site.write': stepHandler<{ joining: number }>({
		async run({ ctx, input }) {
			const { joining, provider } = await answeredProvider(ctx, input.joining);
			const now = ctx.clock.now();
			const id = joining.siteId!;
			const particulars = joining.particulars!;
			const { hosts, volumes, networks, gateways = [] } = joining.account!.offer;
			return {
				result: { site: id },
				write: (db) => {
					const { position } = one<{ position: number }>(
						db,
						'SELECT coalesce(max(position), -1) + 1 AS position FROM sites'
					)!;
					const links = particulars.link ? [particulars.link] : [];
					const { name, kind, timeZone } = particulars;
					writeSite(db, { id, name, kind, timeZone, links }, position, now);
					for (const n of networks.filter((x) => particulars.networks.includes(x.id))) writeNetwork(db, id, n);
					for (const h of hosts) writeHost(db, id, h, joining.prices!.hostHour);
					for (const v of volumes) writeVolume(db, id, v, joining.prices!.volumeMonth);
					for (const g of gateways) writeGateway(db, id, g, now);
					writeProvider(db, ctx.vault, id, provider, now);
					// The first of all is where versions are built, and whose clock the ribbon goes by.
					if (!setting(db, 'home')) putSetting(db, 'home', id);
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
			await sweepSites(ctx, ctx.clock.now());
		}
	}),

	'site.forget': stepHandler<{ site: string }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					closeAllAt(db, 'findings', { site_id: input.site }, now);
					run(db, 'DELETE FROM joinings WHERE site_id = ?', [input.site]);
					for (const table of ['gateway_ports', 'gateway_relays'])
						run(db, `DELETE FROM ${table} WHERE gateway_id IN (SELECT id FROM gateways WHERE site_id = ?)`, [
							input.site
						]);
					if (setting(db, 'home') === input.site) putSetting(db, 'home', '');
					for (const table of [
						'gateways',
						'inner_gateways',
						'site_holidays',
						'site_checks',
						'site_providers',
						'site_versions',
						'networks',
						'endpoint_ranges',
						'hosts',
						'volumes'
					])
						run(db, `DELETE FROM ${table} WHERE site_id = ?`, [input.site]);
					run(db, 'DELETE FROM sites WHERE id = ?', [input.site]);
				}
			};
		}
	})
};
