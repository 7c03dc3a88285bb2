import * as v from 'valibot';
import { serviceHost, servicePorts } from '$lib/core/reach/hosts';
import { noEffects } from '$lib/core/plans/effects';
import { countWords } from '$lib/core/time/units';
import type { Context } from '../context';
import { one, type Db } from '../db';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { freeSlug } from '../plans/slug';
import { fact, id, problem, text, tellGateways } from './fields';
import { publicationsAt } from '../publications';
import { bookAt, gatewaysAt, reliedAt, servicesAt } from './queries';
import type { ServiceWrite } from './steps';

export const putService = planKind({
	kind: 'private-service.put',
	words: 'Add a private service, or change where it is',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		/** None: a new one, with an id by its name. */
		id: v.optional(id('Choose a service.')),
		name: text('Write a name.'),
		group: v.optional(v.nullable(text('Write the name of a group.', 60)), null),
		/** Names, addresses and ranges. */
		hosts: v.pipe(v.array(v.string()), v.minLength(1, 'Name at least one host.'), v.maxLength(100, 'At most 100.')),
		/** Such as 5432 or 8000-8010. */
		ports: v.pipe(v.array(v.string()), v.minLength(1, 'Name at least one port.'), v.maxLength(50, 'At most 50.')),
		protocol: v.optional(v.picklist(['tcp', 'udp'], 'Choose tcp or udp.'), 'tcp'),
		/** The inner gateway that it stands behind. */
		gateway: v.optional(v.nullable(id('Choose an inner gateway.')), null)
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const before = servicesAt(db, ctx.clock.now());
		const was = before.find((s) => s.id === input.id);
		if (input.id !== undefined && !was && !/^[a-z0-9][a-z0-9.-]*$/.test(input.id))
			throw problem('id', 'Small letters, digits, dots and hyphens.');
		const wrong: { field: string; words: string }[] = [];
		const kept = (field: 'hosts' | 'ports', read: (written: string) => string | null, words: string) =>
			input[field].map((written, i) => {
				const is = read(written);
				if (is === null) wrong.push({ field: `${field}.${i}`, words });
				return is ?? '';
			});
		const service: ServiceWrite = {
			id: input.id ?? freeId(db, input.name),
			name: input.name,
			group: input.group,
			hosts: kept('hosts', serviceHost, 'Write a name, an address or a range.'),
			ports: kept('ports', servicePorts, 'Write a port such as 5432, or some such as 8000-8010.'),
			protocol: input.protocol,
			gateway: input.gateway
		};
		if (input.gateway !== null && !gatewaysAt(db, ctx.clock.now()).some((g) => g.id === input.gateway))
			wrong.push({ field: 'gateway', words: `There is no inner gateway ${input.gateway.slice(0, 60)}.` });
		if (before.some((s) => s.id !== service.id && s.name.toLowerCase() === service.name.toLowerCase()))
			wrong.push({ field: 'name', words: 'Another service is called so.' });
		if (wrong.length) throw new InputProblem(wrong);
		return serviceDraft(ctx, service, was);
	}
});

export const removeService = planKind({
	kind: 'private-service.remove',
	words: 'Remove a private service: nobody reaches it by its name any more',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({ service: id('Choose a service.') }),
	async draft(ctx, input): Promise<Draft> {
		const was = servicesAt(ctx.db, ctx.clock.now()).find((s) => s.id === input.service);
		if (!was) throw problem('service', `There is no service ${input.service.slice(0, 60)}.`);
		return serviceDraft(ctx, null, was);
	}
});

function serviceDraft(
	ctx: Context,
	is: ServiceWrite | null,
	was: (ServiceWrite & { since: number }) | undefined
): Draft {
	const { name, id: service } = (is ?? was)!;
	const asInput = ({ id, name, group, hosts, ports, protocol, gateway }: ServiceWrite): ServiceWrite => ({
		id,
		name,
		group,
		hosts,
		ports,
		protocol,
		gateway
	});
	const now = ctx.clock.now();
	/** The group that would have nothing any more. */
	const emptied =
		was?.group != null &&
		is?.group !== was.group &&
		!servicesAt(ctx.db, now).some((s) => s.id !== service && s.group === was.group)
			? was.group
			: null;
	const speaking = bookAt(ctx.db, now).rules.filter((r) =>
		[...r.what, ...r.whatNot].some(
			(w) =>
				(is === null && w.kind === 'service' && w.id === service) ||
				(emptied !== null && w.kind === 'group' && w.id === emptied)
		)
	);
	const relied = is === null ? reliedAt(ctx.db, now) : null;
	const needing = relied
		? publicationsAt(ctx.db, now).flatMap((p) => (relied.get(p.id)?.includes(service) ? [p.name] : []))
		: [];
	const same = is !== null && was !== undefined && JSON.stringify(asInput(is)) === JSON.stringify(asInput(was));
	return {
		title: is === null ? `Remove the private service ${name}` : `${was ? 'Change' : 'Add'} the private service ${name}`,
		effects: noEffects(),
		warnings: needing.length
			? [fact(`${needing.join(', ')} ${needing.length === 1 ? 'needs' : 'need'} it`, 'against')]
			: [],
		blocks: [
			...(same ? [fact('it is so already', 'against')] : []),
			...(speaking.length
				? [
						fact(
							`${countWords(speaking.length, 'access rule speaks', 'access rules speak')} of ${is === null ? 'it' : `the group ${emptied}`}: ${speaking
								.slice(0, 5)
								.map((r) => r.name || r.id)
								.join(', ')}`,
							'against'
						)
					]
				: [])
		],
		reasons: [
			fact(
				is === null
					? 'what is there is something inside that is no service'
					: `${is.hosts.join(', ')} at ${is.protocol} ${is.ports.join(', ')}`
			)
		],
		objects: [`private-service/${service}`],
		steps: [
			stepOf(
				'private-service.write',
				is === null ? 'Remove the service' : 'Write the service down',
				{ id: service, is },
				200
			),
			tellGateways()
		],
		undo: was
			? { kind: 'private-service.put', input: asInput(was) }
			: { kind: 'private-service.remove', input: { service } },
		undoWords: was ? 'Yes: it is again what it was.' : 'Yes: it goes again.'
	};
}

const freeId = (db: Db, name: string): string =>
	freeSlug(name, 'service', (id) => one(db, 'SELECT 1 FROM private_services WHERE id = ?', [id]) !== undefined);
