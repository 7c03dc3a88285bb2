import { rangeFinder } from '../network/addresses';
import { ON_A_WIRE, type EndpointKind } from './kinds';

/** A device as far as waking it goes. */
export interface Sleeper {
	id: number;
	name: string;
	device: EndpointKind;
	address: string;
	state: 'awake' | 'asleep';
}

/**
 * Who can wake devices that sleep: the signal reaches no further than a network, so that a neighbour has to send it, one that is awake and hangs on
 * a wire as they do. Asked of a device, it answers with the neighbour, or why there is none.
 * @param devices among whom there may be some that are awake
 * @param ranges the networks that devices have their addresses in
 */
export function wakers<T extends Sleeper>(
	devices: readonly T[],
	ranges: readonly string[]
): (device: Sleeper) => { by: T } | { why: string } {
	const networkOf = rangeFinder(ranges);
	const first = new Map<number, T>();
	for (const d of devices) {
		if (d.state !== 'awake' || !ON_A_WIRE.has(d.device) || d.address === '') continue;
		const [network] = networkOf(d.address);
		if (network !== undefined && !first.has(network)) first.set(network, d);
	}
	return (device) => {
		if (device.state === 'awake') return { why: 'it is awake' };
		if (!ON_A_WIRE.has(device.device)) return { why: `a ${device.device} that sleeps does not listen` };
		const network = device.address === '' ? undefined : networkOf(device.address)[0];
		if (network === undefined) return { why: 'its last address is of no network of devices' };
		const by = first.get(network);
		return by ? { by } : { why: `nobody in its network, ${ranges[network]!}, is awake to wake it` };
	};
}
