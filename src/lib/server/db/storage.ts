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
