import { addressNumber } from '$lib/core/network/addresses';
import { RIGHTS, type Right } from '$lib/core/images/library/kinds';
import { ProviderError } from '../providers';
import { schedule } from './agenda';
import { isForgotten, tell } from './directory';
import { powerOff, powerOn } from './power';
import { serveWaiting } from './sign-in';
import type { Stage } from './stage';
import { usedByVolume } from './load';
import type { SimFault } from './state';

type Wanted = Omit<SimFault, 'id' | 'since' | 'before'>;

/** An address that nobody has: 192.0.2.1, of a range kept for documents (RFC 5737). */
const NOBODYS = addressNumber('192.0.2.1');

/** Switches a fault on. Throws ProviderError when what it is for does not exist. Returns its number. */
export function applyFault(lab: Stage, fault: Wanted): number {
	const w = lab.world;
	const id = w.faults.reduce((n, f) => Math.max(n, f.id), 0) + 1;
	let before: number | null = null;
	const machine = () => {
		const m = w.machines.get(fault.target);
		if (!m) throw new ProviderError(`the lab has no machine ${fault.target}`, false);
		return m;
	};
	switch (fault.kind) {
		case 'agent-stopped': {
			const m = machine();
			if (m.state === 'off') powerOn(lab, m, 'started by the lab, to fail');
			m.agent = false;
			break;
		}
		case 'machine-hangs':
			machine().hung = true;
			if (machine().state === 'off') {
				powerOn(lab, machine(), 'started by the lab, to fail');
				machine().hung = true;
			}
			break;
		case 'runaway':
			machine().runaway = true;
			break;
		case 'trust-lost':
			machine().trusted = false;
			break;
		case 'disk-full':
			machine();
			break;
		case 'host-down': {
			const host = w.hosts.get(fault.target);
			if (!host) throw new ProviderError(`the lab has no host ${fault.target}`, false);
			host.up = false;
			for (const m of w.machines.values())
				if (m.host === host.name && m.state !== 'off') powerOff(lab, m, 'failed', `host ${host.name} went down`);
			break;
		}
		case 'gateway-port': {
			const [gateway, protocol] = fault.target.split('/');
			const port = w.gateways.get(gateway ?? '')?.protocols.get(protocol ?? '');
			if (!port)
				throw new ProviderError(
					`the lab has no gateway and protocol ${fault.target}; write them as gateway/protocol`,
					false
				);
			before = port.announced;
			port.announced = fault.value ?? port.listens + 270;
			break;
		}
		case 'gateway-relay': {
			const relay = w.gateways.get(fault.target)?.relay;
			if (!relay) throw new ProviderError(`the lab has no gateway ${fault.target} with a relay`, false);
			relay.announced = relay.retired ?? NOBODYS;
			break;
		}
		case 'directory-slow':
			if (!lab.estate.sites.some((s) => s.id === fault.target))
				throw new ProviderError(`the lab has no site ${fault.target}`, false);
			w.directorySlow.set(fault.target, fault.value ?? 8);
			break;
		case 'volume-full': {
			const volume = w.volumes.get(fault.target);
			if (!volume) throw new ProviderError(`the lab has no volume ${fault.target}`, false);
			before = volume.other;
			volume.other += Math.max(0, volume.size * (fault.value ?? 0.95) - usedByVolume(w).get(volume.id)!);
			break;
		}
		case 'range-used-up': {
			const network = w.networks.get(fault.target);
			if (!network) throw new ProviderError(`the lab has no network ${fault.target}`, false);
			network.usedUp = true;
			break;
		}
		case 'build-step-fails':
			break;
		case 'link-down': {
			const [a, b] = fault.target.split('/');
			const there = lab.estate.sites.some((s) =>
				s.links.some((l) => (s.id === a && l.to === b) || (s.id === b && l.to === a))
			);
			if (!there)
				throw new ProviderError(`the lab has no link ${fault.target}; write its two ends as site/site`, false);
			break;
		}
		case 'provider-silent':
		case 'directory-silent':
		case 'names-wrong':
		case 'clock-off':
		case 'package-store-down':
		case 'door-open':
		case 'calling-untold':
		case 'calling-unresolved':
			if (!lab.estate.sites.some((s) => s.id === fault.target))
				throw new ProviderError(`the lab has no site ${fault.target}`, false);
			break;
		case 'directory-put-back': {
			const team = lab.estate.directory.teams.find((t) => t.id === fault.target);
			if (!team) throw new ProviderError(`the lab’s directory has no team ${fault.target}`, false);
			before = w.directoryChanges.length;
			// Being put back is a change like any other, of nothing that was known.
			w.directoryChanges.push({ at: w.now, kind: 'team', team: { ...team, parent: team.parent ?? null } });
			break;
		}
		case 'inner-gateway-down':
			if (!lab.estate.access.gateways.some((g) => g.id === fault.target))
				throw new ProviderError(`the lab has no inner gateway ${fault.target}`, false);
			break;
		case 'service-down':
			if (!lab.estate.access.services.some((s) => s.id === fault.target))
				throw new ProviderError(`the lab has no private service ${fault.target}`, false);
			break;
		case 'boot-server-down':
			if (!lab.estate.boot_servers.some((b) => b.id === fault.target))
				throw new ProviderError(`the lab has no boot server ${fault.target}`, false);
			break;
		case 'join-refused':
			if (!lab.estate.directory.folders.includes(fault.target))
				throw new ProviderError(`the lab’s directory has no folder ${fault.target}`, false);
			break;
		case 'right-taken':
			if (!Object.hasOwn(RIGHTS, fault.target))
				throw new ProviderError(
					`the builder’s account has no right called ${fault.target}; it has ${Object.keys(RIGHTS).join(', ')}`,
					false
				);
			w.images.missing.add(fault.target as Right);
			break;
	}
	w.faults.push({ ...fault, id, since: w.now, before });
	if (fault.until !== null) schedule(w, fault.until, { kind: 'fault over', id });
	return id;
}

/** Switches a fault off and puts back what it changed; machines that failed stay as they are until repaired. */
export function clearFault(lab: Stage, id: number): boolean {
	const w = lab.world;
	const fault = w.faults.find((f) => f.id === id);
	if (!fault) return false;
	w.faults = w.faults.filter((f) => f.id !== id);
	const machine = w.machines.get(fault.target);
	switch (fault.kind) {
		case 'agent-stopped':
			if (machine) machine.agent = true;
			break;
		case 'machine-hangs':
			if (machine) machine.hung = false;
			break;
		case 'runaway':
			if (machine) machine.runaway = false;
			break;
		case 'trust-lost':
			if (machine) machine.trusted = true;
			break;
		case 'host-down': {
			const host = w.hosts.get(fault.target)!;
			host.up = true;
			for (const m of w.machines.values())
				if (m.host === host.name && m.state === 'failed') lab.setState(m, 'off', `host ${host.name} is back`);
			break;
		}
		case 'gateway-port': {
			const [gateway, protocol] = fault.target.split('/');
			w.gateways.get(gateway!)!.protocols.get(protocol!)!.announced = fault.before!;
			break;
		}
		case 'gateway-relay': {
			// Where it stands now: it may have moved since the fault began.
			const relay = w.gateways.get(fault.target)!.relay!;
			relay.announced = relay.stands;
			break;
		}
		case 'directory-slow':
			w.directorySlow.delete(fault.target);
			break;
		case 'volume-full':
			w.volumes.get(fault.target)!.other = fault.before!;
			break;
		case 'range-used-up':
			w.networks.get(fault.target)!.usedUp = false;
			break;
		case 'build-step-fails':
			break;
		case 'link-down':
		case 'provider-silent':
		case 'directory-silent':
		case 'names-wrong':
		case 'clock-off':
		case 'join-refused':
		case 'boot-server-down':
		case 'disk-full':
		case 'package-store-down':
		case 'inner-gateway-down':
		case 'service-down':
			break;
		case 'directory-put-back':
			for (const person of w.people.values()) if (isForgotten(fault, person)) tell(w, person);
			break;
		case 'right-taken':
			w.images.missing.delete(fault.target as Right);
			break;
	}
	serveWaiting(lab);
	return true;
}
