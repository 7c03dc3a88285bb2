import { serviceBehind, serviceHost, servicePorts, type HostPort, type ServiceSpot } from '$lib/core/reach/hosts';
import type { Target } from '$lib/core/reach/targets';
import { roundTrip } from './round-trip';
import type { Stage } from './stage';

type Access = Stage['estate']['access'];

const isDown = (lab: Stage, kind: 'inner-gateway-down' | 'service-down', target: string): boolean =>
	lab.world.faults.some((f) => f.kind === kind && f.target === target);

/** Whether what somebody is let through to answers: a private service by its gateway and by itself; of what else there is, the lab knows nothing that is down. */
export function answersFor(lab: Stage, target: Target): boolean {
	if (target.kind !== 'service' || lab.world.faults.length === 0) return true;
	const { services, gateways } = lab.estate.access;
	const service = services.find((s) => s.id === target.id);
	if (!service) return true;
	const gateway = gateways.find((g) => g.id === service.gateway);
	if (isDown(lab, 'service-down', service.id)) return false;
	if (!gateway) return true;
	return !isDown(lab, 'inner-gateway-down', gateway.id) && !lab.linkDown(gateway.site, service.runs_at ?? gateway.site);
}

type Spot = ServiceSpot & { at: string | undefined };
const read = new WeakMap<Access, Spot[]>();

/** Services of an estate as doors are looked for among them, and where they run, as far as that is said. */
function servicesOf(access: Access): Spot[] {
	let spots = read.get(access);
	if (!spots) {
		spots = access.services.map((s) => ({
			...s,
			hosts: s.hosts.flatMap((h) => serviceHost(h) ?? []),
			ports: s.ports.flatMap((p) => servicePorts(p) ?? []),
			at: s.runs_at ?? access.gateways.find((g) => g.id === s.gateway)?.site
		}));
		read.set(access, spots);
	}
	return spots;
}

/** Whether an inner gateway answers in the lab, and what it reaches: round trips in ms, null where nothing answers. */
export function innerGateway(
	lab: Stage,
	address: string,
	doors: readonly HostPort[]
): { ms: number | null; doors: (number | null)[] } {
	const { access, home, sites } = lab.estate;
	const from = home ?? sites[0]!.id;
	const gateway = access.gateways.find((g) => g.address.toLowerCase() === address.toLowerCase());
	if (!gateway || isDown(lab, 'inner-gateway-down', gateway.id) || lab.linkDown(from, gateway.site))
		return { ms: null, doors: doors.map(() => null) };
	const services = servicesOf(access);
	return {
		ms: roundTrip(lab.estate, from, gateway.site),
		doors: doors.map((door) => {
			const service = serviceBehind(services, door);
			const at = service?.at ?? gateway.site;
			if (!service || isDown(lab, 'service-down', service.id) || lab.linkDown(gateway.site, at)) return null;
			return roundTrip(lab.estate, gateway.site, at);
		})
	};
}
