import ipaddr from 'ipaddr.js';

/** IPv4 address as an unsigned 32-bit number. Throws RangeError when it is not one. */
export function addressNumber(text: string): number {
	if (!ipaddr.IPv4.isValidFourPartDecimal(text)) throw new RangeError(`${text} is not an IPv4 address`);
	return ipaddr.IPv4.parse(text).octets.reduce((n, octet) => n * 256 + octet, 0);
}

/** The dotted form of an unsigned 32-bit number. */
export const addressText = (n: number): string => [n >>> 24, (n >>> 16) & 255, (n >>> 8) & 255, n & 255].join('.');

/** Whether an address lies in a range written `10.21.0.0/22`. False for text that is neither. */
export function inRange(address: string, range: string): boolean {
	try {
		const [network, bits] = ipaddr.parseCIDR(range);
		const parsed = ipaddr.parse(address);
		return parsed.kind() === network.kind() && parsed.match(network, bits);
	} catch {
		return false;
	}
}

/** Whether the text is a range such as `10.21.0.0/22`. */
export const isRange = (range: string): boolean => ipaddr.isValidCIDR(range);
