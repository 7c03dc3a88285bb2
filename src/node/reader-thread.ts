import { EventEmitter } from 'node:events';
import { createServer, type RequestListener } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import { sharedClock, shownClock } from '$lib/server/context';
import { openDb } from '$lib/server/db';
import { vaultIn } from '$lib/server/vault';
import type { Packer } from '$lib/server/packing/packer';
import type { Providers } from '$lib/server/providers';
import { Line } from '$lib/server/providers/remote';
import { setRuntime, type Bench } from '$lib/server/process';
import { watchDisk } from './disk';
import { READER_ADDRESS, READER_HEADERS, READER_KEY } from './readers';
import { sayStrays } from './strays';

/** A reader's thread: answers whole requests that may take long, for the thread that talks to everybody. */

const given = workerData as {
	path: string;
	dataDir: string;
	memory: SharedArrayBuffer;
	turns: SharedArrayBuffer;
	key: string;
	demo: boolean;
};
const parent = parentPort!;
sayStrays('reader');
const db = openDb(given.path);
// There are several readers: each keeps a quarter of what the others keep in mind.
db.pragma('cache_size = -16384');
const lines = { lab: new Line<Providers & { bench: Bench }>('lab'), packer: new Line<Packer>('packer') };
const events = new EventEmitter();
events.on('live', (m: unknown) => parent.postMessage(m));
setRuntime({
	db,
	clock: shownClock(sharedClock(given.memory), undefined, new Int32Array(given.turns)),
	providers: lines.lab.api,
	vault: vaultIn(given.dataDir),
	packer: lines.packer.api,
	dataDir: given.dataDir,
	bench: lines.lab.api.bench,
	events,
	health: watchDisk(given.dataDir, () => {}),
	wake: () => parent.postMessage({ wake: true }),
	demo: given.demo
});
parent.on(
	'message',
	(m: { stop?: true; rehearse?: true; connect?: keyof typeof lines; cut?: keyof typeof lines; port?: MessagePort }) => {
		if (m.connect) lines[m.connect].connect(m.port!);
		if (m.cut) lines[m.cut].cut();
		if (m.rehearse) throw new Error('ended for a rehearsal');
		if (m.stop) {
			server.close();
			server.closeAllConnections();
			db.close();
			parent.postMessage({ stopped: true });
		}
	}
);

const { handler } = (await import(join(import.meta.dirname, '../handler.js'))) as { handler: RequestListener };
const server = createServer({ maxHeaderSize: READER_HEADERS }, (request, response) => {
	const { [READER_KEY]: key, [READER_ADDRESS]: address } = request.headers;
	if (key !== given.key) return void response.destroy();
	delete request.headers[READER_KEY];
	delete request.headers[READER_ADDRESS];
	// Who asks is at the other end of the first connection, not of this one.
	Object.defineProperty(request.socket, 'remoteAddress', { value: address, configurable: true });
	handler(request, response);
});
// One that breaks tells that this thread has ended.
server.keepAliveTimeout = 0;
server.requestTimeout = 0;
server.listen(0, '127.0.0.1', () => {
	parent.postMessage({ listening: (server.address() as AddressInfo).port });
	parent.postMessage({ ready: true });
});
