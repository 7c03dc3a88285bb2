import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import { makePacker } from '$lib/server/packing/packer';
import { answerCalls } from '$lib/server/providers/remote';
import { sayStrays } from './strays';

/** The packer's thread: compares inventories, packs and unpacks packages, looks for clashes, for whoever asks. */
const { dataDir } = workerData as { dataDir: string };
const parent = parentPort!;
sayStrays('packer');
const packer = makePacker(dataDir);

parent.on('message', (message: { port?: MessagePort; rehearse?: true }) => {
	if (message.port) answerCalls(message.port, packer as never);
	if (message.rehearse) throw new Error('ended for a rehearsal');
});
parent.postMessage({ ready: true });
