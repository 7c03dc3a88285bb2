import { invalidate } from '$app/navigation';
import { navigating } from '$app/state';

/** A view is asked again no more often than this, ms. */
const REST = 2000;

/**
 * Follows what the server tells: views that show the present are asked again, and the clock is passed on. Ends when what is returned is
 * called.
 * @param on whether the view shows the present, and who hears the clock
 */
export function follow(on: { live(): boolean; clock(told: { now: number; speed: number }): void }): () => void {
	const stream = new EventSource('/live');
	let pending: ReturnType<typeof setTimeout> | null = null;
	const refresh = () => {
		if (pending) return;
		pending = setTimeout(() => {
			pending = null;
			// Asking again would call off a step to another page that is on its way.
			if (navigating.to) refresh();
			else if (!document.hidden) void invalidate('sextant:live');
		}, REST);
	};
	// Views about the past do not move.
	stream.addEventListener('estate', () => on.live() && refresh());
	stream.addEventListener('jobs', refresh);
	stream.addEventListener('clock', (e) =>
		on.clock(JSON.parse((e as MessageEvent<string>).data) as { now: number; speed: number })
	);
	return () => {
		stream.close();
		if (pending) clearTimeout(pending);
	};
}
