import { callingWays, toldFirst, type Told } from '$lib/core/endpoints/calling';
import type { Estate } from '$lib/core/estate/schema';
import { addressNumber, addressText, readAddress } from '$lib/core/network/addresses';
import type { SimFault } from './state';

/** What of the lab decides where devices call. */
interface Estates {
	estate: Estate;
	faults: readonly SimFault[];
}

const down = (of: Estates, kind: SimFault['kind'], site: string): boolean =>
	of.faults.some((f) => f.kind === kind && f.target === site);

export const homeOf = (estate: Estate): string => estate.home ?? estate.sites[0]?.id ?? '';

/** Where the services of a site stand: just below the desks of its first network. */
export function servicesOf(site: Estate['sites'][number] | undefined): {
	provider: string;
	directory: string;
	calls: string;
} {
	const base = site?.networks[0] ? addressNumber(site.networks[0].range.split('/')[0]!) : 0x0a_ff_00_00;
	return { provider: addressText(base + 5), directory: addressText(base + 6), calls: addressText(base + 7) };
}

/** The address that Sextant answers devices at; null where the estate says nothing of it. */
export function calledAt(estate: Estate): { host: string; port: number; address: string } | null {
	const at = estate.endpoints.called_at === undefined ? null : readAddress(estate.endpoints.called_at);
	return at && { ...at, address: servicesOf(estate.sites.find((s) => s.id === homeOf(estate))).calls };
}

/** What the network of a site tells devices of where to call, in the order in which they ask. */
export function toldAt(of: Estates, site: string): Told[] {
	const { estate } = of;
	const ways = callingWays(estate.domain);
	const own = estate.sites.find((s) => s.id === site)?.calling;
	const says = own ?? { dns: estate.endpoints.called_at };
	const silent = down(of, 'calling-untold', site);
	return [
		{ by: ways.dhcp, address: silent ? null : (says.dhcp ?? null) },
		{ by: ways.dns, address: silent ? null : (says.dns ?? null) }
	];
}

/** What the name under which devices call resolves to, asked from a site or by Sextant itself; null: it is another name. */
export function resolveCalled(of: Estates, name: string, from: string | null): string[] | null {
	const at = calledAt(of.estate);
	if (!at || (name !== at.host && name !== at.address)) return null;
	return from !== null && name === at.host && down(of, 'calling-unresolved', from) ? [] : [at.address];
}

/** Whether a device that starts at a site for the first time finds Sextant. */
export function finds(of: Estates, site: string): boolean {
	const at = calledAt(of.estate);
	if (!at) return true;
	const told = toldFirst(toldAt(of, site));
	const read = told && readAddress(told.address);
	return (
		!!read &&
		read.port === at.port &&
		!down(of, 'names-wrong', site) &&
		!!resolveCalled(of, read.host, site)?.includes(at.address)
	);
}
