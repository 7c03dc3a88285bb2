/** What SQLite and the file system say when there is no room, or when what is there cannot be read or written. */
const CODES: ReadonlySet<string> = new Set(['ENOSPC', 'EDQUOT', 'EROFS', 'EIO', 'EFBIG']);

/** Whether an error says that nothing can be stored just now: it is no fault of what was asked for, and may pass. */
export function isStorage(e: unknown): boolean {
	const code = (e as { code?: unknown } | null)?.code;
	return (
		typeof code === 'string' &&
		(CODES.has(code) || code === 'SQLITE_FULL' || code.startsWith('SQLITE_IOERR') || code === 'SQLITE_READONLY')
	);
}

/** Whether an error passes by itself: nothing can be stored just now, or another has been writing for longer than one waits. What was asked for is tried again. */
export const passes = (e: unknown): boolean =>
	isStorage(e) || String((e as { code?: unknown } | null)?.code).startsWith('SQLITE_BUSY');
