import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import type { Packer } from '$lib/server/packing/packer';
import { answerCalls } from '$lib/server/providers/remote';
import { sayStrays } from './strays';

/** The packer's thread: compares inventories, packs and unpacks packages, looks for clashes, for whoever asks. */
const { dataDir } = workerData as { dataDir: string };
const parent = parentPort!;
sayStrays('packer');

/** What packs is read in as it is first asked for something: most that starts packs nothing for a while. */
let packer: Promise<Packer> | null = null;
const packing = (): Promise<Packer> =>
	(packer ??= import('$lib/server/packing/packer').then((m) => m.makePacker(dataDir)));

parent.on('message', (message: { port?: MessagePort; rehearse?: true }) => {
	if (message.port) answerCalls(message.port, packing as never);
	if (message.rehearse) throw new Error('ended for a rehearsal');
});
parent.postMessage({ ready: true });
