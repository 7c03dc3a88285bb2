/** Content chunks of a version by their ids, ascending, each once. */
export type ChunkIds = Uint32Array;

/**
 * The chunks of `wanted` that `there` lacks, ascending. Both are walked once, side by side, as they are sorted: no table is
 * built, and nothing but the answer is kept.
 */
export function missingChunks(wanted: ChunkIds, there: ChunkIds): ChunkIds {
	const missing = new Uint32Array(wanted.length);
	let n = 0;
	let j = 0;
	const end = there.length;
	for (let i = 0; i < wanted.length; i++) {
		const id = wanted[i]!;
		while (j < end && there[j]! < id) j++;
		if (j === end || there[j] !== id) missing[n++] = id;
	}
	return missing.subarray(0, n);
}

/** All the chunks of several sets, ascending, each once. */
export function unionOf(sets: readonly ChunkIds[]): ChunkIds {
	if (sets.length === 0) return new Uint32Array();
	if (sets.length === 1) return sets[0]!;
	const half = sets.length >> 1;
	const [a, b] = [unionOf(sets.slice(0, half)), unionOf(sets.slice(half))];
	const all = new Uint32Array(a.length + b.length);
	let [i, j, n] = [0, 0, 0];
	while (i < a.length || j < b.length) {
		const next = j === b.length || (i < a.length && a[i]! <= b[j]!) ? a[i++]! : b[j++]!;
		if (n === 0 || all[n - 1] !== next) all[n++] = next;
	}
	return all.subarray(0, n);
}
