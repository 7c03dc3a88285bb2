import type { WriteStream } from 'node:fs';

/**
 * Waits until a file is written to no longer, whatever became of it: what has broken off may be about to make its file still, and
 * whoever removes it, or its folder, before that leaves it behind.
 */
export async function closed(out: WriteStream | null): Promise<void> {
	if (out === null || out.closed) return;
	const over = new Promise<void>((done) => out.once('close', () => done()));
	out.destroy();
	await over;
}
