import './areas';
import { AsyncLocalStorage } from 'node:async_hooks';
import { inPart } from './part';
import { wholeRuntime, type Runtime } from './process';

export { wholeRuntime, type Bench, type Health, type Runtime } from './process';

/** What a request sees of the runtime, where that is less than the whole of it. */
const seen = new AsyncLocalStorage<Runtime>();

/** The runtime as whoever sends this request may see it. Throws when none was started. */
export const runtime = (): Runtime => seen.getStore() ?? wholeRuntime();

/** Does what a request asks for as somebody who is there for a part of the estate, `''` or null the whole: they see nothing else. */
export function seeing<T>(part: string | null, work: () => T): T {
	if (!part) return work();
	const whole = wholeRuntime();
	return seen.run({ ...whole, db: inPart(whole.db, part, whole.clock.now()) }, work);
}
