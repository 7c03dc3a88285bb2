import { createServer, type Server } from 'node:http';
import { connect, type AddressInfo, type Socket } from 'node:net';
import { setTimeout as pause } from 'node:timers/promises';
import { afterEach, describe, expect, it } from 'vitest';
import { keepOpen, RESTS } from './resting';

const open: Server[] = [];

afterEach(() => {
	for (const server of open.splice(0)) {
		server.close();
		server.closeAllConnections();
	}
});

async function serve(ms?: number): Promise<Server> {
	const server = createServer((request, response) => response.end(`you asked for ${request.url}`));
	keepOpen(server, ms);
	await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
	open.push(server);
	return server;
}

/** A connection, with all that came back on it so far. */
async function call(server: Server): Promise<{ socket: Socket; came: () => string; ask: (path: string) => void }> {
	const socket = connect((server.address() as AddressInfo).port, '127.0.0.1');
	let text = '';
	socket.on('data', (d) => (text += d.toString()));
	socket.on('error', () => {});
	await new Promise<void>((done) => socket.once('connect', done));
	return { socket, came: () => text, ask: (path) => socket.write(`GET ${path} HTTP/1.1\r\nhost: here\r\n\r\n`) };
}

async function until(holds: () => boolean): Promise<void> {
	for (let i = 0; i < 2000 && !holds(); i++) await pause(10);
}

/** Nothing else happens in this thread meanwhile. */
function busy(ms: number): void {
	Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, ms);
}

describe('connections that rest', () => {
	it('are kept for longer than a proxy keeps its own, and say so', async () => {
		const { came, ask } = await call(await serve());
		ask('/once');
		await until(() => came().includes('/once'));
		expect(Number(/keep-alive: timeout=(\d+)/i.exec(came())?.[1])).toBeGreaterThan(60);
		expect(RESTS).toBeGreaterThan(60_000);
	});

	it('answer what arrived while the process was busy for longer than they may rest', async () => {
		const { came, ask, socket } = await call(await serve(60));
		socket.once('data', () => {
			ask('/second');
			// Node adds a second to what was asked for.
			busy(1300);
		});
		ask('/first');
		await until(() => came().includes('/second') || socket.destroyed);
		expect(came()).toContain('you asked for /second');
	});

	it('are closed when nothing came', async () => {
		const { came, ask, socket } = await call(await serve(60));
		ask('/first');
		await until(() => came().includes('/first'));
		await until(() => socket.destroyed);
		expect(socket.destroyed).toBe(true);
	});
});
