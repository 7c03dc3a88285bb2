import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import { answerCalls } from '$lib/server/providers/remote';
import { lazily } from './lazily';
import { sayStrays } from './strays';

/** The packer's thread: compares inventories, packs and unpacks packages, looks for clashes, for whoever asks. */
const { dataDir } = workerData as { dataDir: string };
const parent = parentPort!;
sayStrays('packer');

/** What packs is read in as it is first asked for something: most that starts packs nothing for a while. */
const packing = lazily(async () => (await import('$lib/server/packing/packer')).makePacker(dataDir));

parent.on('message', (message: { port?: MessagePort; rehearse?: true }) => {
	if (message.port) answerCalls(message.port, packing as never);
	if (message.rehearse) throw new Error('ended for a rehearsal');
});
parent.postMessage({ ready: true });
