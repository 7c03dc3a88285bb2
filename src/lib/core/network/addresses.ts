import ipaddr from 'ipaddr.js';
import { LRUCache } from 'lru-cache';

/** IPv4 address as an unsigned 32-bit number. Throws RangeError when it is not one. */
export function addressNumber(text: string): number {
	if (!ipaddr.IPv4.isValidFourPartDecimal(text)) throw new RangeError(`${text} is not an IPv4 address`);
	return ipaddr.IPv4.parse(text).octets.reduce((n, octet) => n * 256 + octet, 0);
}

/** Whether the text is an IPv4 address in its dotted form. */
export const isAddress = (text: string): boolean => ipaddr.IPv4.isValidFourPartDecimal(text);

/** The dotted form of an unsigned 32-bit number. */
export const addressText = (n: number): string => [n >>> 24, (n >>> 16) & 255, (n >>> 8) & 255, n & 255].join('.');

/** Reads texts, and keeps in mind what they were read as: the same few are asked about again and again. Null: they are no such thing. */
function reader<T>(read: (text: string) => T): (text: string) => T | null {
	const known = new LRUCache<string, { is: T | null }>({ max: 1000 });
	return (text) => {
		let found = known.get(text);
		if (!found) {
			try {
				found = { is: read(text) };
			} catch {
				found = { is: null };
			}
			if (text.length <= LONGEST) known.set(text, found);
		}
		return found.is;
	};
}
/** No range is written longer: IPv6 with an IPv4 tail, a zone and a prefix. */
const LONGEST = 80;
const readRange = reader((text) => ipaddr.parseCIDR(text));
const readHost = reader((text) => ipaddr.parse(text));

/** Whether an address lies in a range written `10.21.0.0/22`. False for text that is neither. */
export function inRange(address: string, range: string): boolean {
	const of = readRange(range);
	const is = of && readHost(address);
	return is !== null && is.kind() === of![0].kind() && is.match(of![0], of![1]);
}

/** Ranges of networks that are reached from within only: RFC 1918, 4193 and 6598, and those of a single link or machine. */
const WITHIN = new Set(['private', 'uniqueLocal', 'carrierGradeNat', 'linkLocal', 'loopback']);

/** Whether whoever comes from an address comes from outside the offices: over the public network. False for what is no address. */
export const fromOutside = (address: string): boolean =>
	ipaddr.isValid(address) && !WITHIN.has(ipaddr.process(address).range());

/** Tells which of some ranges an address lies in, by their numbers; as `inRange` does, for many addresses. */
export function rangeFinder(ranges: readonly string[]): (address: string) => number[] {
	const plain = ranges.map((r) => {
		if (!ipaddr.IPv4.isValidCIDRFourPartDecimal(r)) return null;
		const [network, bits] = ipaddr.IPv4.parseCIDR(r);
		const size = 2 ** (32 - bits);
		return { size, at: Math.floor(addressNumber(network.toString()) / size) };
	});
	return (address) => {
		const parts = /^(\d{1,3})\.(\d{1,3})\.(\d{1,3})\.(\d{1,3})$/.exec(address);
		const n = parts
			? Number(parts[1]) * 16777216 + Number(parts[2]) * 65536 + Number(parts[3]) * 256 + Number(parts[4])
			: null;
		return plain.flatMap((p, i) => {
			const lies = p && n !== null ? Math.floor(n / p.size) === p.at : inRange(address, ranges[i]!);
			return lies ? [i] : [];
		});
	};
}

/**
 * The first and last address of an IPv4 range that endpoints can have: without the network's own address and the
 * broadcast, where there are such (RFC 3021: a /31 has neither). Throws RangeError when it is not an IPv4 range.
 */
export function rangeEnds(range: string): { first: number; last: number } {
	if (!ipaddr.IPv4.isValidCIDR(range)) throw new RangeError(`${range} is not an IPv4 range`);
	const [network, bits] = ipaddr.IPv4.parseCIDR(range);
	const size = 2 ** (32 - bits);
	const base = Math.floor(addressNumber(network.toString()) / size) * size;
	return bits >= 31 ? { first: base, last: base + size - 1 } : { first: base + 1, last: base + size - 2 };
}

/** Whether the text is a range of IPv4 addresses. */
export const isIpv4Range = (range: string): boolean => ipaddr.IPv4.isValidCIDRFourPartDecimal(range);

/** Whether the text is a range such as `10.21.0.0/22`. */
export const isRange = (range: string): boolean => ipaddr.isValidCIDR(range);

/** The host and the port of an address written `compute.example:8443`, or null when it is not such. */
export function readAddress(text: string): { host: string; port: number } | null {
	const parts = /^([a-z0-9](?:[a-z0-9.-]*[a-z0-9])?):(\d{1,5})$/i.exec(text.trim());
	const port = Number(parts?.[2]);
	return parts && port >= 1 && port <= 65_535 ? { host: parts[1]!.toLowerCase(), port } : null;
}
