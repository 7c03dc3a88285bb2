import { FOREVER } from '$lib/core/time/units';
import { one } from '../db';
import { changeAt, closeAt, putAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';
import type { PublicationRow } from '../publications';
import { configureBroker } from './broker';

export const publishingSteps = {
	'broker.tell': stepHandler<Record<string, never>>({
		async run({ ctx, log }) {
			await configureBroker(ctx);
			log('the gateways know');
		}
	}),

	'publication.write': stepHandler<Omit<PublicationRow, 'since'>>({
		async run({ ctx, input: p }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const position = one<{ n: number }>(
						db,
						`SELECT coalesce((SELECT position FROM publications WHERE id = ? ORDER BY since DESC), (SELECT max(position) + 1 FROM publications), 0) AS n`,
						[p.id]
					)!.n;
					putAt(
						db,
						'publications',
						{
							id: p.id,
							name: p.name,
							internal_name: p.internalName,
							icon: p.icon,
							pools: JSON.stringify(p.pools),
							protocol: p.protocol,
							position,
							app: p.app ? JSON.stringify(p.app) : null,
							reaches: p.reaches,
							description: p.description,
							look: JSON.stringify(p.look),
							visible: JSON.stringify(p.visible),
							off: p.off ? 1 : 0,
							owner: p.owner,
							licences: p.licences,
							beyond: p.beyond
						},
						now
					);
				}
			};
		}
	}),

	'publication.order': stepHandler<{ order: string[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) =>
					input.order.forEach((id, i) => {
						const row = one<{ position: number }>(
							db,
							`SELECT position FROM publications WHERE id = ? AND until = ${FOREVER}`,
							[id]
						);
						if (row && row.position !== i) changeAt(db, 'publications', { id }, { position: i }, now);
					})
			};
		}
	}),

	'publication.close': stepHandler<{ publication: string }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => closeAt(db, 'publications', { id: input.publication }, now) };
		}
	})
};
