import { runtime } from '$lib/server/runtime';

/** What has changed, as server-sent events: pages ask again for what they show. At most one of a kind a second. */
export const GET = ({ request }) => {
	const { events, clock } = runtime();
	let stop = () => {};
	const stream = new ReadableStream({
		start(controller) {
			const text = new TextEncoder();
			const pending = new Map<string, unknown>();
			const send = (event: string, data: unknown) =>
				controller.enqueue(text.encode(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`));
			const onLive = (m: { live: string }) => pending.set(m.live, { now: clock.now() });
			const beat = setInterval(() => {
				for (const [event, data] of pending) send(event, data);
				pending.clear();
				send('clock', { now: clock.now(), speed: clock.speed() });
			}, 1000);
			events.on('live', onLive);
			stop = () => {
				clearInterval(beat);
				events.off('live', onLive);
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
