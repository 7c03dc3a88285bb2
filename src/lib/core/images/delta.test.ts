import fc from 'fast-check';
import { expect, test } from 'vitest';
import { missingChunks, unionOf } from './delta';

const ids = fc.uniqueArray(fc.nat(60), { maxLength: 40 }).map((list) => Uint32Array.from(list).sort());

test('what is missing is what a set difference says', () => {
	fc.assert(
		fc.property(ids, ids, (a, b) => {
			expect([...missingChunks(a, b)]).toEqual([...a].filter((x) => !b.includes(x)));
		})
	);
});
test('a union has everything once, in order', () => {
	fc.assert(
		fc.property(fc.array(ids, { maxLength: 6 }), (sets) => {
			expect([...unionOf(sets)]).toEqual([...new Set(sets.flatMap((s) => [...s]))].sort((x, y) => x - y));
		})
	);
});
