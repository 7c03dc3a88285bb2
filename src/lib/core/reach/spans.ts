import ipaddr from 'ipaddr.js';

/** An address on one line for both families: IPv4 as RFC 4291 maps it into IPv6 (2.5.5.2). Null where it is none. */
export function onLine(address: string): bigint | null {
	if (!ipaddr.isValid(address) || address.includes('%')) return null;
	const parsed = ipaddr.parse(address);
	const six = parsed.kind() === 'ipv4' ? (parsed as ipaddr.IPv4).toIPv4MappedAddress() : (parsed as ipaddr.IPv6);
	return six.toByteArray().reduce((n, byte) => (n << 8n) | BigInt(byte), 0n);
}

/** An address that stands at a number of that line. */
export function addressAt(n: bigint): string {
	const bytes = Array.from({ length: 16 }, (_v, i) => Number((n >> BigInt(8 * (15 - i))) & 255n));
	const six = new ipaddr.IPv6(bytes);
	return six.isIPv4MappedAddress() ? six.toIPv4Address().toString() : six.toRFC5952String();
}

/** The first number of a range such as `10.21.0.0/22`, and the one behind its last. Null where it is none. */
export function rangeOnLine(range: string): [bigint, bigint] | null {
	try {
		const [network, bits] = ipaddr.parseCIDR(range);
		const length = network.kind() === 'ipv4' ? bits + 96 : bits;
		const size = 1n << BigInt(128 - length);
		const first = (onLine(network.toString())! / size) * size;
		return [first, first + size];
	} catch {
		return null;
	}
}

/** Which of some stretches a number lies in; the first begins at or before all numbers that are asked for. */
export function stretchOf(begins: readonly bigint[], n: bigint): number {
	let low = 0;
	let high = begins.length - 1;
	while (low < high) {
		const middle = (low + high + 1) >> 1;
		if (begins[middle]! <= n) low = middle;
		else high = middle - 1;
	}
	return low;
}
