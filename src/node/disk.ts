import { logOf } from '$lib/server/log';
import { rmSync, statfsSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { isStorage } from '$lib/server/db/storage';
import type { Health } from '$lib/server/process';

/** Looked at so often, ms. */
const EVERY = 2000;
/** Bytes that have to be free before anything is written: what has been begun can be ended in them. */
export const LEAST_FREE = 8 << 20;

/**
 * Watches whether anything can be written to a folder: `full` is true while its disk has no room or takes nothing. `changed` is told each
 * time that this changes.
 */
export function watchDisk(folder: string, changed: () => void): Health {
	const health: Health = { full: isFull(folder) };
	setInterval(() => {
		const full = isFull(folder);
		if (full === health.full) return;
		health.full = full;
		logOf('disk').warn(
			{ folder },
			full
				? 'the disk is full: everything can be read, and nothing is changed until there is room'
				: 'the disk has room again'
		);
		changed();
	}, EVERY).unref();
	return health;
}

function isFull(folder: string): boolean {
	const probe = join(folder, '.probe');
	try {
		const { bavail, bsize } = statfsSync(folder);
		if (bavail * bsize < LEAST_FREE) return true;
		writeFileSync(probe, Buffer.alloc(4096));
		return false;
	} catch (e) {
		return isStorage(e);
	} finally {
		try {
			rmSync(probe, { force: true });
		} catch {
			// On a disk that takes nothing it could not be made either.
		}
	}
}
