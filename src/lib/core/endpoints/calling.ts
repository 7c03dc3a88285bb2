import { readAddress } from '../network/addresses';
import type { Seen } from '../network/site-checks';

/**
 * How devices that start for the first time find Sextant: their network tells them where to call. They ask DHCP first, for an option of the range
 * that is a network's own to use (RFC 3942), then the name service, for a record of where a service is (SRV, RFC 2782).
 */

/** One way in which a network tells devices where to call. */
export interface Told {
	/** As who looks after the network knows it: `DHCP option 224`, `the record _sextant._tcp.kept.example`. */
	by: string;
	/** `host:port`; null where it tells nothing. */
	address: string | null;
}

export const CALLING_OPTION = 224;
/** The ways in which a network tells devices where to call, in the order in which they ask. */
export const callingWays = (domain: string): { dhcp: string; dns: string } => ({
	dhcp: `DHCP option ${CALLING_OPTION}`,
	dns: `the record _sextant._tcp.${domain}`
});

/** What devices go by: the first way that tells something. */
export const toldFirst = (told: readonly Told[]): (Told & { address: string }) | null =>
	told.find((t): t is Told & { address: string } => t.address !== null) ?? null;

/** What was seen of the way from the devices of a site to Sextant. */
export interface CallingFacts {
	/** Where devices are to call, `host:port`. */
	wanted: string;
	/** In the order in which devices ask. */
	told: readonly Told[];
	/** What the host that they are told resolves to for them, and what the one that is wanted resolves to for Sextant itself. */
	there: readonly string[];
	here: readonly string[];
	/** Ms until something answers where they call. */
	reach: Seen<number>;
}

/** Judges whether the devices of a site find Sextant: what was seen, and what puts it right where they do not. */
export function judgeCalling(f: CallingFacts): { ok: boolean; saw: string; remedy: string } {
	const told = toldFirst(f.told);
	const no = (saw: string, remedy: string) => ({ ok: false, saw, remedy });
	if (!told)
		return no(
			`neither ${f.told.map((t) => t.by).join(' nor ')} tells them where to call`,
			`Let ${f.told.at(-1)?.by ?? 'the network'} tell ${f.wanted}.`
		);
	const { host, port } = readAddress(told.address) ?? { host: told.address, port: 0 };
	const wanted = readAddress(f.wanted);
	const tells = `${told.by} tells ${told.address}`;
	if (!f.there.length)
		return no(
			`${tells}, and ${host} does not resolve there`,
			host === wanted?.host
				? `Put ${host} into the name service of this site${f.here[0] ? `, as ${f.here[0]}` : ''}.`
				: `Let ${told.by} tell ${f.wanted}.`
		);
	if (port !== wanted?.port || !f.there.some((a) => f.here.includes(a)))
		return no(
			told.address === f.wanted
				? `${tells}, which is ${f.there.join(', ')} there; Sextant stands at ${f.here.join(', ') || 'no address'}`
				: `${tells}; Sextant is at ${f.wanted}`,
			told.address === f.wanted
				? `Put ${host} right in the name service of this site.`
				: `Let ${told.by} tell ${f.wanted}.`
		);
	if (!f.reach.ok) return no(`${tells}; ${f.reach.saw}`, `Let devices of this site reach ${told.address}.`);
	const by = told.address === f.wanted ? `told by ${told.by}` : tells;
	return { ok: true, saw: `${by}; it answers in ${f.reach.value} ms`, remedy: '' };
}
