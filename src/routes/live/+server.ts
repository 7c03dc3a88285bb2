import { MINUTE } from '$lib/core/time/units';
import { problem, problemResponse } from '$lib/server/api/problems';
import { isSignedIn } from '$lib/server/identity/accounts';
import { wholeRuntime } from '$lib/server/runtime';

/** Streams that one caller, and all together, may have open. */
const MOST_OWN = 40;
const MOST = 4000;
/** Whether a sign-in still holds is asked this often, ms. */
const LOOK = 5000;
/** A stream of a token, which has no sign-in to end, ends by itself; whoever reads it connects again. */
const LONGEST = 60 * MINUTE;

const open = new Map<string, number>();
let all = 0;

/** What moves all the time is told this often at most, ms: each page that is open asks again for all that it shows. */
const ESTATE = 5000;

/** What has changed, as server-sent events: pages ask again for what they show. Jobs at most once a second, the estate every five. */
export const GET = ({ request, locals }) => {
	// A stream outlives the request: it looks at its own sign-in alone, and at nothing of the estate.
	const { events, clock, db } = wholeRuntime();
	const caller = locals.caller!;
	const who = `${caller.kind}/${caller.id}`;
	if (all >= MOST || (open.get(who) ?? 0) >= MOST_OWN) return problemResponse(problem('streams'));
	let stop = () => {};
	const stream = new ReadableStream({
		start(controller) {
			const text = new TextEncoder();
			const pending = new Map<string, unknown>();
			const send = (event: string, data: unknown) =>
				controller.enqueue(text.encode(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`));
			const onLive = (m: { live: string }) => pending.set(m.live, { now: clock.now() });
			const began = performance.now();
			let looked = began;
			// Not all pages at once: each has its own second.
			let told = began - Math.random() * ESTATE;
			const ends = (): boolean => {
				const now = performance.now();
				if (now - began > LONGEST) return true;
				if (now - looked < LOOK) return false;
				looked = now;
				return caller.signIn !== null && !isSignedIn(db, caller.signIn, clock.now());
			};
			const beat = setInterval(() => {
				// Whoever has signed out, or has been shut out, hears no more.
				if (ends()) {
					stop();
					controller.close();
					return;
				}
				for (const [event, data] of pending) {
					if (event === 'estate' && performance.now() - told < ESTATE) continue;
					if (event === 'estate') told = performance.now();
					send(event, data);
					pending.delete(event);
				}
				send('clock', { now: clock.now(), speed: clock.speed() });
			}, 1000);
			events.on('live', onLive);
			all++;
			open.set(who, (open.get(who) ?? 0) + 1);
			let over = false;
			stop = () => {
				if (over) return;
				over = true;
				clearInterval(beat);
				events.off('live', onLive);
				all--;
				const left = (open.get(who) ?? 1) - 1;
				if (left > 0) open.set(who, left);
				else open.delete(who);
			};
			send('clock', { now: clock.now(), speed: clock.speed() });
			request.signal.addEventListener('abort', () => stop());
		},
		cancel: () => stop()
	});
	return new Response(stream, {
		headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' }
	});
};
