import { existsSync, mkdirSync, renameSync, rmSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parentPort, resourceLimits, workerData } from 'node:worker_threads';
import { openDb } from '$lib/server/db';
import { loadEstate, makeHistory } from '$lib/server/history';
import { vaultIn } from '$lib/server/vault';
import { LabStore } from '$lib/server/simulator/store';
import { TwinThread } from './twin';

/** Makes an estate and its history in a folder beside the data folder, then puts it in place whole. */
const { estatePath, dataDir, speed } = workerData as { estatePath: string; dataDir: string; speed: number };
const port = parentPort!;
const here = dirname(fileURLToPath(import.meta.url));

const making = join(dataDir, 'making');
rmSync(making, { recursive: true, force: true });
mkdirSync(making, { recursive: true });

const read = loadEstate(estatePath);
if ('problems' in read) {
	rmSync(making, { recursive: true, force: true });
	port.postMessage({ problems: read.problems });
} else {
	const db = openDb(join(making, 'sextant.db'));
	// Nothing is lost by a crash here: making starts afresh.
	db.pragma('synchronous = OFF');
	db.pragma('journal_mode = MEMORY');
	const { maxYoungGenerationSizeMb = 48 } = resourceLimits;
	// With one processor it would only be more work.
	const twin =
		availableParallelism() > 1
			? new TwinThread(join(here, 'twin.js'), read.estate, { maxYoungGenerationSizeMb })
			: undefined;
	const lab = await makeHistory(db, read.estate, vaultIn(dataDir), making, (told) => port.postMessage({ told }), twin);
	await twin?.end();
	db.pragma('optimize');
	db.close();
	const store = new LabStore(join(making, 'lab.db'));
	store.snapshot(lab, speed);
	store.close();
	// The database last: with it the estate is there.
	for (const made of ['captures', 'packages', 'lab.db', 'sextant.db']) {
		if (!existsSync(join(making, made))) continue;
		rmSync(join(dataDir, made), { recursive: true, force: true });
		renameSync(join(making, made), join(dataDir, made));
	}
	rmSync(making, { recursive: true, force: true });
	port.postMessage({ done: true });
}
