import { doorOf } from '$lib/core/reach/hosts';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Need } from '$lib/core/why/need';
import type { Context } from '../context';
import type { Db } from '../db';
import { putAt } from '../db/intervals';
import { ProviderError } from '../providers';
import { answeringAt, gatewaysAt, servicesAt, type Answering, type GatewayRow, type ServiceRow } from './queries';
import { reachingAt } from './reaching';

/** Asks every inner gateway whether it is there, and whether what stands behind it answers; writes down what is otherwise than it was. */
export async function sweepGateways(ctx: Context, now: number): Promise<void> {
	const services = servicesAt(ctx.db, now);
	// All at once: one that takes its time keeps none of the others.
	const answers = (await Promise.all(gatewaysAt(ctx.db, now).map((gateway) => asked(ctx, gateway, services)))).flat();
	ctx.db
		.transaction(() => {
			// While they were asked, one may have gone, moved, or taken up another service.
			const at = ctx.clock.now();
			const here = new Map(gatewaysAt(ctx.db, at).map((g) => [g.id, g.address]));
			const there = new Map(servicesAt(ctx.db, at).map((s) => [s.id, s.gateway]));
			const known = answeringAt(ctx.db, 'inner_gateway_states', at);
			const inside = answeringAt(ctx.db, 'private_service_states', at);
			for (const { gateway, ms, behind } of answers) {
				if (here.get(gateway.id) !== gateway.address) continue;
				if (otherwise(known.get(gateway.id), ms))
					putAt(ctx.db, 'inner_gateway_states', { gateway_id: gateway.id, answers: ms === null ? 0 : 1, ms }, at);
				// Of what stands behind one that is silent nothing is known.
				if (ms === null) continue;
				for (const { service, ms: far } of behind)
					if (there.get(service.id) === gateway.id && otherwise(inside.get(service.id), far))
						putAt(
							ctx.db,
							'private_service_states',
							{ service_id: service.id, answers: far === null ? 0 : 1, ms: far },
							at
						);
			}
		})
		.immediate();
}

/** What a gateway says of itself and of what stands behind it; nothing where whoever would say so does not answer: what was known stands. */
async function asked(
	ctx: Context,
	gateway: GatewayRow,
	services: readonly ServiceRow[]
): Promise<{ gateway: GatewayRow; ms: number | null; behind: { service: ServiceRow; ms: number | null }[] }[]> {
	const behind = services.flatMap((service) => {
		const door = service.gateway === gateway.id ? doorOf(service) : null;
		return door ? [{ service, door }] : [];
	});
	try {
		const { ms, doors } = await ctx.providers.network.innerGateway(
			gateway.address,
			behind.map((b) => b.door)
		);
		return [
			{ gateway, ms: roundTrip(ms), behind: behind.map(({ service }, i) => ({ service, ms: roundTrip(doors[i]) })) }
		];
	} catch (e) {
		if (!(e instanceof ProviderError)) throw e;
		return [];
	}
}

/** A round trip as it is kept, whole ms; what is none is no answer. */
const roundTrip = (ms: number | null | undefined): number | null =>
	typeof ms === 'number' && Number.isFinite(ms) && ms >= 0 ? Math.round(ms) : null;

/** A round trip that differs by less than a quarter, or by less than 2 ms, is the same: else each look would leave a row. */
const otherwise = (was: Answering | undefined, ms: number | null): boolean =>
	was === undefined ||
	was.answers !== (ms !== null) ||
	(was.ms !== null && ms !== null && Math.abs(ms - was.ms) > Math.max(2, was.ms / 4));

/** Why a service cannot be reached, whoever asks. */
export interface Shut {
	words: string;
	since: number;
	/** The gateway that is silent; null: the service alone is. */
	gateway: string | null;
}

/** Tells of each service why it cannot be reached; null where nothing is known against it. */
export function shutAt(db: Db, at: number): (service: Pick<ServiceRow, 'id' | 'gateway'>) => Shut | null {
	const gateways = new Map(gatewaysAt(db, at).map((g) => [g.id, g]));
	const answering = answeringAt(db, 'inner_gateway_states', at);
	const inside = answeringAt(db, 'private_service_states', at);
	return (service) => {
		const gateway = gateways.get(service.gateway ?? '');
		const state = gateway && answering.get(gateway.id);
		if (gateway && state?.answers === false)
			return { words: `its inner gateway ${gateway.name} does not answer`, since: state.since, gateway: gateway.id };
		const own = inside.get(service.id);
		return gateway && own?.answers === false
			? { words: `it does not answer its inner gateway ${gateway.name}`, since: own.since, gateway: null }
			: null;
	};
}

/** The same as facts for a card. */
export function shutFacts(db: Db, service: Pick<ServiceRow, 'id' | 'gateway'>, at: number): Fact[] {
	const why = shutAt(db, at)(service);
	return why ? [{ words: why.words, side: 'against', at: why.since, source: 'inner gateways' }] : [];
}

/** Whether a gateway answers, as a fact. */
export const gatewayFact = (
	state: 'answers' | 'silent' | 'not asked',
	address: string,
	since: number | null
): Fact => ({
	words:
		state === 'not asked'
			? `whether it answers at ${address} has not been asked yet`
			: `it ${state === 'answers' ? 'answers' : 'does not answer'} at ${address}`,
	...(state === 'not asked' ? {} : { side: state === 'answers' ? ('for' as const) : ('against' as const) }),
	...(since === null ? {} : { at: since }),
	source: 'inner gateways'
});

/** Services that whoever may reach them cannot: by the gateway that is silent, each that is silent alone. */
export function reachNeeds(db: Db, at: number): Need[] {
	const whyShut = shutAt(db, at);
	const shut = servicesAt(db, at).flatMap((service) => {
		const why = whyShut(service);
		return why ? [{ service, why }] : [];
	});
	if (shut.length === 0) return [];
	const reaching = reachingAt(db, at);
	const causes = new Map<string, typeof shut>();
	for (const s of shut) {
		const cause = s.why.gateway === null ? `private-service/${s.service.id}` : `inner-gateway/${s.why.gateway}`;
		causes.set(cause, [...(causes.get(cause) ?? []), s]);
	}
	const gateways = gatewaysAt(db, at);
	return [...causes].map(([card, services]): Need => {
		const people = new Set(
			services.flatMap(({ service }) =>
				reaching({ kind: 'service', id: service.id }).flatMap((r) => (r.effect === 'refuse' ? [] : [r.person.login]))
			)
		);
		const names = services.map((s) => s.service.name);
		const site = gateways.find((g) => g.id === services[0]!.service.gateway)?.site;
		return {
			key: `unreachable-${card}`,
			people: people.size,
			count: people.size,
			unit: people.size === 1 ? 'person' : 'people',
			tone: 'buoy',
			title: `${names.length > 3 ? countWords(names.length, 'private service') : names.join(', ')} cannot be reached`,
			facts: services.map(({ service, why }) => ({
				words: `${service.name}: ${why.words}`,
				side: 'against' as const,
				at: why.since,
				about: { kind: 'private-service', id: service.id },
				source: 'inner gateways'
			})),
			card,
			href: '/secure/rules?list=services',
			plan: null,
			since: Math.min(...services.map((s) => s.why.since)),
			about: site === undefined ? {} : { site: [site] }
		};
	});
}
