import { serviceBehind, serviceHost, servicePorts, type HostPort, type ServiceSpot } from '$lib/core/reach/hosts';
import { roundTrip } from './round-trip';
import type { Stage } from './stage';

/** Whether an inner gateway answers in the lab, and what it reaches: round trips in ms, null where nothing answers. */
export function innerGateway(
	lab: Stage,
	address: string,
	doors: readonly HostPort[]
): { ms: number | null; doors: (number | null)[] } {
	const { access, home, sites } = lab.estate;
	const down = (kind: 'inner-gateway-down' | 'service-down', target: string) =>
		lab.world.faults.some((f) => f.kind === kind && f.target === target);
	const from = home ?? sites[0]!.id;
	const gateway = access.gateways.find((g) => g.address.toLowerCase() === address.toLowerCase());
	if (!gateway || down('inner-gateway-down', gateway.id) || lab.linkDown(from, gateway.site))
		return { ms: null, doors: doors.map(() => null) };
	const services = access.services.map((s): ServiceSpot & { at: string } => ({
		...s,
		hosts: s.hosts.flatMap((h) => serviceHost(h) ?? []),
		ports: s.ports.flatMap((p) => servicePorts(p) ?? []),
		at: s.runs_at ?? access.gateways.find((g) => g.id === s.gateway)?.site ?? gateway.site
	}));
	return {
		ms: roundTrip(lab.estate, from, gateway.site),
		doors: doors.map((door) => {
			const service = serviceBehind(services, door);
			if (!service || down('service-down', service.id) || lab.linkDown(gateway.site, service.at)) return null;
			return roundTrip(lab.estate, gateway.site, service.at);
		})
	};
}
