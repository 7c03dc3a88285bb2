/** A pending happening. `n` breaks ties by the order in which they were put in. */
export interface Timed {
	t: number;
	n: number;
}

/** A binary heap over a plain array, so that the array can be stored and loaded as it is. */
export function pushTimed<T extends Timed>(heap: T[], item: T): void {
	let i = heap.push(item) - 1;
	while (i > 0) {
		const up = (i - 1) >> 1;
		if (!sooner(item, heap[up]!)) break;
		heap[i] = heap[up]!;
		i = up;
	}
	heap[i] = item;
}

/** Takes the soonest out, or undefined of an empty heap. */
export function popTimed<T extends Timed>(heap: T[]): T | undefined {
	const first = heap[0];
	const last = heap.pop();
	if (first === undefined || heap.length === 0) return first;
	let i = 0;
	for (;;) {
		let child = 2 * i + 1;
		if (child >= heap.length) break;
		if (child + 1 < heap.length && sooner(heap[child + 1]!, heap[child]!)) child++;
		if (!sooner(heap[child]!, last!)) break;
		heap[i] = heap[child]!;
		i = child;
	}
	heap[i] = last!;
	return first;
}

const sooner = (a: Timed, b: Timed) => a.t < b.t || (a.t === b.t && a.n < b.n);
