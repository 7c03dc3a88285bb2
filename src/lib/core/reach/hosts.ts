import ipaddr from 'ipaddr.js';
import { fromOutside, inRange, isRange } from '../network/addresses';
import { above, siteName, sitePattern, type Target } from './targets';

/** Where a private service is: by name, by address or by range; and at which ports. */

/** A host of a service as it is kept: a name, perhaps with a star, or a range. Null where it is neither. */
export function serviceHost(written: string): string | null {
	const text = written.trim();
	if (ipaddr.isValid(text) && !text.includes('%')) return `${text}/${text.includes(':') ? 128 : 32}`;
	return isRange(text) ? text : sitePattern(text);
}

/** Ports as they are kept: `5432`, or `8000-8010`. Null where they are not such. */
export function servicePorts(written: string): string | null {
	const parts = /^\s*(\d{1,5})\s*(?:[-–]\s*(\d{1,5})\s*)?$/.exec(written);
	if (!parts) return null;
	const first = Number(parts[1]);
	const last = Number(parts[2] ?? parts[1]);
	if (first < 1 || last > 65_535 || first > last) return null;
	return first === last ? String(first) : `${first}-${last}`;
}

/** Where a service is, as `serviceHost` and `servicePorts` give it. */
export interface ServiceSpot {
	id: string;
	name: string;
	hosts: readonly string[];
	ports: readonly string[];
	protocol: 'tcp' | 'udp';
}

/** Somewhere that is connected to. */
export interface HostPort {
	/** A name as `siteName` gives it, or an address. */
	host: string;
	port: number;
	protocol: 'tcp' | 'udp';
}

const hasPort = (s: ServiceSpot, port: number): boolean =>
	s.ports.some((p) => {
		const [first, last] = p.split('-').map(Number) as [number, number?];
		return first <= port && port <= (last ?? first);
	});

/** How closely a host of a service names a host: the more, the closer; null where it does not. */
function closeness(of: string, host: string): number | null {
	if (of === host) return Infinity;
	if (of.startsWith('*.')) return [...above(host)].includes(of.slice(2)) ? of.length : null;
	return of.includes('/') && inRange(host, of) ? Number(of.split('/')[1]) : null;
}

/** The services that a host belongs to, whatever the port: those that name it most closely first. */
export function servicesOn<S extends ServiceSpot>(services: readonly S[], host: string): S[] {
	return services
		.flatMap((service) => {
			const close = service.hosts.flatMap((h) => closeness(h, host) ?? []);
			return close.length ? [{ service, close: Math.max(...close) }] : [];
		})
		.sort((a, b) => (a.close === b.close ? 0 : b.close > a.close ? 1 : -1))
		.map((f) => f.service);
}

/** The service that a door belongs to: of those on its host and port, the one that names the host most closely. */
export const serviceBehind = <S extends ServiceSpot>(
	services: readonly S[],
	{ host, port, protocol }: HostPort
): S | undefined => servicesOn(services, host).find((s) => s.protocol === protocol && hasPort(s, port));

/**
 * A door of a service at which can be seen whether it answers: the first host that is one host, at the first port. Null where it has none, and of UDP,
 * where silence says nothing.
 */
export function doorOf(service: ServiceSpot): HostPort | null {
	if (service.protocol === 'udp') return null;
	const host = service.hosts.flatMap((h) => {
		if (h.startsWith('*.')) return [];
		const [address, bits] = h.split('/');
		return bits === undefined || bits === (address!.includes(':') ? '128' : '32') ? [address!] : [];
	})[0];
	return host === undefined ? null : { host, port: Number(service.ports[0]!.split('-')[0]), protocol: 'tcp' };
}

/** What stands behind a door: the service that names its host most closely; something inside that is none; or a web site. Null: an address outside. */
export function targetBehind(services: readonly ServiceSpot[], { host, port, protocol }: HostPort): Target | null {
	const service = serviceBehind(services, { host, port, protocol });
	if (service) return { kind: 'service', id: service.id };
	const isAddress = ipaddr.isValid(host);
	if (servicesOn(services, host).length > 0 || (isAddress && !fromOutside(host))) return { kind: 'service', id: null };
	return isAddress ? null : { kind: 'site', host };
}

/** A host as it is compared: a name in small letters and A-labels, or an address in its shortest form. Null where it is neither. */
const hostOf = (text: string): string | null =>
	ipaddr.isValid(text) && !text.includes('%') ? ipaddr.process(text).toString() : siteName(text);

/**
 * What somebody means who writes where they want to get: `depths.example:5432`, `10.21.12.4`, `[fd00::7]:443`, or the address of a page. Without a port
 * a service is meant where one alone is on that host, else the web (TCP 443).
 */
export function targetCalled(written: string, services: readonly ServiceSpot[]): Target | { wrong: string } {
	const text = written.trim();
	if (text === '' || text.length > 2000)
		return { wrong: 'Write the name of a host, with its port where there is one.' };
	let host = text;
	let port: number | null = null;
	const page = /^(https?):\/\//i.exec(text);
	const bracketed = /^\[([^\]]*)\](?::(\d+))?$/.exec(text);
	const plain = /^([^:]+):(\d+)$/.exec(text);
	if (page) {
		try {
			const url = new URL(text);
			host = url.hostname.replace(/^\[|\]$/g, '');
			port = Number(url.port) || (url.protocol === 'https:' ? 443 : 80);
		} catch {
			return { wrong: `${text.slice(0, 60)} is no address of a page.` };
		}
	} else if (bracketed ?? plain) {
		host = (bracketed ?? plain)![1]!;
		const given = (bracketed ?? plain)![2];
		port = given === undefined ? null : Number(given);
	}
	if (port !== null && (port < 1 || port > 65_535)) return { wrong: 'A port is a number from 1 to 65535.' };
	const known = hostOf(host);
	if (known === null) return { wrong: `${host.slice(0, 60)} is no name of a host.` };
	if (port === null) {
		const here = servicesOn(services, known);
		if (here.length === 1) return { kind: 'service', id: here[0]!.id };
		if (here.length > 1)
			return {
				wrong: `Say the port as well: ${here
					.slice(0, 5)
					.map((s) => `${s.name} at ${s.ports.join(', ')}`)
					.join('; ')}.`
			};
	}
	return (
		targetBehind(services, { host: known, port: port ?? 443, protocol: 'tcp' }) ?? {
			wrong: 'Access rules know web sites by their names: write the name of it.'
		}
	);
}
