import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { chooseDevices, type FreeDevice } from './keeping';

const device = (id: number, model: string, since: number): FreeDevice => ({ id, name: `d${id}`, model, since });
const chosen = (people: [string, string[]][], free: FreeDevice[]) =>
	[
		...chooseDevices(
			people.map(([login, models]) => ({ login, models })),
			free
		)
	].map(([login, d]) => [login, d.id]);

describe('which free device is kept for whom', () => {
	test('what their peers sit at comes first, and of those alike the one that has been free longest', () => {
		const free = [device(1, 'box', 50), device(2, 'lap', 90), device(3, 'lap', 20), device(4, 'slab', 1)];
		expect(chosen([['anna', ['lap', 'box']]], free)).toEqual([['anna', 3]]);
		expect(
			chosen(
				[
					['anna', ['lap', 'box']],
					['bo', ['lap', 'box']],
					['cleo', ['lap', 'box']],
					['dag', ['lap', 'box']],
					['eve', ['lap', 'box']]
				],
				free
			)
		).toEqual([
			['anna', 3],
			['bo', 2],
			['cleo', 1],
			['dag', 4]
		]);
	});

	test('somebody whose peers are not known gets what has been free longest; none is given twice', () => {
		expect(chosen([['anna', []]], [device(1, 'box', 9), device(2, 'lap', 3)])).toEqual([['anna', 2]]);
		fc.assert(
			fc.property(
				fc.array(fc.record({ login: fc.string(), models: fc.subarray(['a', 'b', 'c']) }), { maxLength: 12 }),
				fc.uniqueArray(fc.record({ id: fc.nat(20), model: fc.constantFrom('a', 'b', 'c', 'd'), since: fc.nat(5) }), {
					selector: (d) => d.id,
					maxLength: 12
				}),
				(people, some) => {
					const free = some.map((d) => device(d.id, d.model, d.since));
					const given = [...chooseDevices(people, free).values()];
					expect(new Set(given.map((d) => d.id)).size).toBe(given.length);
					expect(given).toHaveLength(Math.min(free.length, new Set(people.map((p) => p.login)).size));
				}
			)
		);
	});
});
