import type { Estate } from '$lib/core/estate/schema';
import { readAddress } from '$lib/core/network/addresses';
import { endsOf } from '$lib/core/reach/rules';
import { serviceHost, servicePorts } from '$lib/core/reach/hosts';
import type { Db } from '../db';
import { openAt } from '../db/intervals';

/** Writes down what an estate file says of who may reach what. */
export function settleReach(db: Db, estate: Estate, at: number): void {
	const { sites, gateways, services, rules, otherwise, tests } = estate.access;
	const by = 'the estate file';
	for (const [id, name] of sites.categories) openAt(db, 'site_categories', { id, name }, at);
	for (const [name, category_id] of sites.sites) openAt(db, 'categorised_sites', { name, category_id }, at);
	for (const p of estate.publications)
		if (p.relies_on.length)
			openAt(db, 'relied_services', { publication_id: p.id, services: JSON.stringify(p.relies_on), by }, at);
	for (const { id, name, site, address } of gateways) {
		const { host, port } = readAddress(address)!;
		openAt(db, 'inner_gateways', { id, name, site_id: site, address: `${host}:${port}`, by }, at);
	}
	for (const s of services)
		openAt(
			db,
			'private_services',
			{
				id: s.id,
				name: s.name,
				grouped: s.group ?? null,
				hosts: JSON.stringify(s.hosts.flatMap((h) => serviceHost(h) ?? [])),
				ports: JSON.stringify(s.ports.flatMap((p) => servicePorts(p) ?? [])),
				protocol: s.protocol,
				gateway_id: s.gateway ?? null,
				by
			},
			at
		);
	for (const rule of rules) openAt(db, 'access_rules', { id: rule.id, spec: JSON.stringify(rule), by }, at);
	openAt(
		db,
		'access_rulebook',
		{
			id: 'book',
			rules: JSON.stringify(rules.map((r) => r.id)),
			tests: JSON.stringify(tests),
			web: otherwise.web,
			services: otherwise.services,
			channels: endsOf(otherwise).channels,
			by
		},
		at
	);
}
