import { parentPort, workerData } from 'node:worker_threads';
import type { Estate } from '$lib/core/estate/schema';
import { Twin, type Told } from '$lib/server/simulator/twin';

/** The thread of a lab's twin, while a history is made. */
const { estate } = workerData as { estate: Estate };
const parent = parentPort!;
const twin = new Twin(estate);

parent.on('message', (m: Told | 'standing') => {
	if (m === 'standing') return parent.postMessage({ standing: twin.standing });
	parent.postMessage({ at: m.at, reached: twin.live(m) });
});
