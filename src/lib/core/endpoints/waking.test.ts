import { expect, test } from 'vitest';
import { wakers, type Sleeper } from './waking';

const device = (more: Partial<Sleeper> = {}): Sleeper => ({
	id: 1,
	name: 'box-1',
	device: 'desk box',
	address: '10.1.4.9',
	state: 'asleep',
	...more
});
const RANGES = ['10.1.4.0/24', '10.2.4.0/24'];
const awake = (id: number, more: Partial<Sleeper> = {}) =>
	device({ id, state: 'awake', address: `10.1.4.${id}`, ...more });

test('a neighbour in the same network that is awake and on a wire wakes it', () => {
	const others = [
		awake(2, { address: '10.2.4.2' }),
		awake(3, { device: 'laptop' }),
		device({ id: 4 }),
		awake(5),
		awake(6)
	];
	expect(wakers(others, RANGES)(device())).toEqual({ by: others[3] });
});

test.each<[string, Sleeper, Sleeper[], RegExp]>([
	['is awake', awake(1), [awake(2)], /it is awake/],
	['is a laptop', device({ device: 'laptop' }), [awake(2)], /does not listen/],
	['has no address', device({ address: '' }), [awake(2)], /no network/],
	['stood elsewhere', device({ address: '192.168.1.4' }), [awake(2, { address: '192.168.1.5' })], /no network/],
	['is alone', device(), [awake(2, { address: '10.2.4.2' })], /nobody in its network, 10\.1\.4\.0\/24/]
])('one that %s cannot be woken, and why', (_what, d, others, why) => {
	expect(wakers(others, RANGES)(d)).toEqual({ why: expect.stringMatching(why) });
});
