import { mkdtempSync, readdirSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Temporary folders of ours begin with this. */
const PREFIX = 'sextant-work-';
/** One that is so old, ms, is nobody's any more. */
const OLD = 24 * 3_600_000;

/** A folder for the work of one command: gone when the process ends, by itself or because somebody ends it. */
export function temporaryFolder(what: string): string {
	const folder = mkdtempSync(join(tmpdir(), `${PREFIX}${what}-`));
	const remove = () => rmSync(folder, { recursive: true, force: true });
	process.on('exit', remove);
	for (const [signal, code] of [
		['SIGINT', 130],
		['SIGTERM', 143],
		['SIGHUP', 129]
	] as const)
		process.once(signal, () => process.exit(code));
	return folder;
}

/** Removes what commands left that had no time to: after a hard end. */
export function sweepTemporary(): void {
	for (const name of readdirSync(tmpdir())) {
		if (!name.startsWith(PREFIX)) continue;
		const path = join(tmpdir(), name);
		try {
			if (Date.now() - statSync(path).mtimeMs > OLD) rmSync(path, { recursive: true, force: true });
		} catch {
			// Somebody else has removed it meanwhile, or it is somebody else's.
		}
	}
}
