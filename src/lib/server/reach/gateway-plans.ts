import * as v from 'valibot';
import { readAddress } from '$lib/core/network/addresses';
import { noEffects } from '$lib/core/plans/effects';
import { countWords } from '$lib/core/time/units';
import type { Context } from '../context';
import { one, type Db } from '../db';
import { sitesOf } from '../estate';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { freeSlug } from '../plans/slug';
import { fact, id, problem, text } from './fields';
import { gatewaysAt, servicesAt, type GatewayRow } from './queries';
import type { GatewayWrite } from './steps';

export const putGateway = planKind({
	kind: 'inner-gateway.put',
	words: 'Add an inner gateway, or change where it is: it lets people through to private services',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		/** None: a new one, with an id by its name. */
		id: v.optional(id('Choose an inner gateway.')),
		name: text('Write a name.'),
		site: id('Choose a site.'),
		/** Where it answers, as host:port. */
		address: text('Write where it answers, such as gate.example:8443.', 300)
	}),
	async draft(ctx, input): Promise<Draft> {
		const before = gatewaysAt(ctx.db, ctx.clock.now());
		const was = before.find((g) => g.id === input.id);
		const wrong: { field: string; words: string }[] = [];
		if (input.id !== undefined && !was && !/^[a-z0-9][a-z0-9.-]*$/.test(input.id))
			wrong.push({ field: 'id', words: 'Small letters, digits, dots and hyphens.' });
		const address = readAddress(input.address);
		if (!address) wrong.push({ field: 'address', words: 'Write where it answers, such as gate.example:8443.' });
		const site = sitesOf(ctx.db).find((s) => s.id === input.site);
		if (!site) wrong.push({ field: 'site', words: `There is no site ${input.site.slice(0, 60)}.` });
		const gateway: GatewayWrite = {
			id: input.id ?? freeId(ctx.db, input.name),
			name: input.name,
			site: input.site,
			address: address ? `${address.host}:${address.port}` : ''
		};
		const others = before.filter((g) => g.id !== gateway.id);
		if (others.some((g) => g.name.toLowerCase() === gateway.name.toLowerCase()))
			wrong.push({ field: 'name', words: 'Another inner gateway is called so.' });
		if (others.some((g) => g.address === gateway.address))
			wrong.push({ field: 'address', words: 'Another inner gateway answers there.' });
		if (wrong.length) throw new InputProblem(wrong);
		return gatewayDraft(ctx, gateway, was);
	}
});

export const removeGateway = planKind({
	kind: 'inner-gateway.remove',
	words: 'Remove an inner gateway that no private service stands behind',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({ gateway: id('Choose an inner gateway.') }),
	async draft(ctx, input): Promise<Draft> {
		const was = gatewaysAt(ctx.db, ctx.clock.now()).find((g) => g.id === input.gateway);
		if (!was) throw problem('gateway', `There is no inner gateway ${input.gateway.slice(0, 60)}.`);
		return gatewayDraft(ctx, null, was);
	}
});

function gatewayDraft(ctx: Context, is: GatewayWrite | null, was: GatewayRow | undefined): Draft {
	const { id, name } = (is ?? was)!;
	const asInput = ({ id, name, site, address }: GatewayWrite): GatewayWrite => ({ id, name, site, address });
	const behind = servicesAt(ctx.db, ctx.clock.now()).filter((s) => s.gateway === id);
	const same = is !== null && was !== undefined && JSON.stringify(asInput(is)) === JSON.stringify(asInput(was));
	const moves = is !== null && was !== undefined && (is.address !== was.address || is.site !== was.site);
	const said = `${countWords(behind.length, 'private service stands', 'private services stand')} behind it: ${behind
		.slice(0, 5)
		.map((s) => s.name)
		.join(', ')}`;
	return {
		title: is === null ? `Remove the inner gateway ${name}` : `${was ? 'Change' : 'Add'} the inner gateway ${name}`,
		effects: noEffects(),
		warnings:
			moves && behind.length ? [fact(`${said}: they are reached by way of ${is.address} from then on`, 'against')] : [],
		blocks: [
			...(same ? [fact('it is so already', 'against')] : []),
			...(is === null && behind.length ? [fact(said, 'against')] : [])
		],
		reasons: [
			fact(
				is === null ? 'nothing stands behind it' : `it is asked at ${is.address} whether it is there, again and again`
			)
		],
		objects: [`inner-gateway/${id}`],
		steps: [
			stepOf(
				'inner-gateway.write',
				is === null ? 'Remove the gateway' : 'Write the gateway down',
				{ id, is: is && { name: is.name, site: is.site, address: is.address } },
				200
			)
		],
		undo: was
			? { kind: 'inner-gateway.put', input: asInput(was) }
			: { kind: 'inner-gateway.remove', input: { gateway: id } },
		undoWords: was ? 'Yes: it is again what it was.' : 'Yes: it goes again.'
	};
}

const freeId = (db: Db, name: string): string =>
	freeSlug(name, 'gateway', (id) => one(db, 'SELECT 1 FROM inner_gateways WHERE id = ?', [id]) !== undefined);
