import { endsOf, type Otherwise } from '$lib/core/reach/rules';
import { stepHandler } from '../jobs/step';
import { closeAt, putAt } from '../db/intervals';
import { tellRules } from './tell';

/** Rules as a plan writes them: those that change, those that go, and what stands over all. */
export interface BookWrite {
	put: { id: string; spec: object }[];
	remove: string[];
	order: string[];
	tests: object[];
	otherwise: Otherwise;
}

/** A private service as a plan writes it. */
export interface ServiceWrite {
	id: string;
	name: string;
	group: string | null;
	hosts: string[];
	ports: string[];
	protocol: 'tcp' | 'udp';
	gateway: string | null;
}

/** An inner gateway as a plan writes it. */
export interface GatewayWrite {
	id: string;
	name: string;
	site: string;
	address: string;
}

/** The catalogue as a plan writes it: categories with their names, and which names go. */
export interface CatalogueWrite {
	categories: { id: string; name: string }[];
	sites: [name: string, category: string][];
	without: string[];
	withoutCategories: string[];
}

export const reachSteps = {
	'access-rules.write': stepHandler<BookWrite>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const id of input.remove) closeAt(db, 'access_rules', { id }, now);
					for (const { id, spec } of input.put)
						putAt(db, 'access_rules', { id, spec: JSON.stringify(spec), by: job.by }, now);
					putAt(
						db,
						'access_rulebook',
						{
							id: 'book',
							rules: JSON.stringify(input.order),
							tests: JSON.stringify(input.tests),
							web: input.otherwise.web,
							services: input.otherwise.services,
							channels: endsOf(input.otherwise).channels,
							by: job.by
						},
						now
					);
				}
			};
		}
	}),
	'access-rules.tell': stepHandler<Record<string, never>>({
		async run({ ctx }) {
			await tellRules(ctx);
		}
	}),
	'private-service.write': stepHandler<{ id: string; is: Omit<ServiceWrite, 'id'> | null }>({
		async run({ ctx, input: { id, is }, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					// Whether it answers is asked anew: it may be somewhere else.
					closeAt(db, 'private_service_states', { service_id: id }, now);
					if (is === null) return closeAt(db, 'private_services', { id }, now);
					putAt(
						db,
						'private_services',
						{
							id,
							name: is.name,
							grouped: is.group,
							hosts: JSON.stringify(is.hosts),
							ports: JSON.stringify(is.ports),
							protocol: is.protocol,
							gateway_id: is.gateway ?? null,
							by: job.by
						},
						now
					);
				}
			};
		}
	}),
	'inner-gateway.write': stepHandler<{ id: string; is: Omit<GatewayWrite, 'id'> | null }>({
		async run({ ctx, input: { id, is }, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					// Whether it answers is asked anew: it may be another one.
					closeAt(db, 'inner_gateway_states', { gateway_id: id }, now);
					if (is === null) return closeAt(db, 'inner_gateways', { id }, now);
					putAt(db, 'inner_gateways', { id, name: is.name, site_id: is.site, address: is.address, by: job.by }, now);
				}
			};
		}
	}),
	'publication.relies-on.write': stepHandler<{ publication: string; services: string[] }>({
		async run({ ctx, input: { publication, services }, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) =>
					services.length
						? putAt(
								db,
								'relied_services',
								{ publication_id: publication, services: JSON.stringify(services), by: job.by },
								now
							)
						: closeAt(db, 'relied_services', { publication_id: publication }, now)
			};
		}
	}),
	'site-categories.write': stepHandler<CatalogueWrite>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const name of input.without) closeAt(db, 'categorised_sites', { name }, now);
					for (const id of input.withoutCategories) closeAt(db, 'site_categories', { id }, now);
					for (const { id, name } of input.categories) putAt(db, 'site_categories', { id, name }, now);
					for (const [name, category_id] of input.sites) putAt(db, 'categorised_sites', { name, category_id }, now);
				}
			};
		}
	})
};
