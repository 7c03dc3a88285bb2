import type { Server } from 'node:http';
import type { Socket } from 'node:net';

/** How long a connection may rest between two requests, ms: longer than proxies keep theirs (60 s is usual), so that they hang up first. */
export const RESTS = 75_000;

/**
 * Keeps connections that rest open for ms. A process that was busy hears of the time that has run out before it hears
 * of what arrived meanwhile, and Node would hang up on a request that nobody has read: here it is read first.
 */
export function keepOpen(server: Server, ms = RESTS): void {
	server.keepAliveTimeout = ms;
	server.on('timeout', (socket: Socket) => {
		const read = socket.bytesRead;
		setImmediate(() => {
			if (socket.bytesRead === read) socket.destroy();
		});
	});
}
