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

/** What people are told while nothing can be stored. */
export const STORAGE_WORDS = {
	title: 'The disk is full',
	detail:
		'Nothing can be written to the data folder: its disk is full, or cannot be written to. Nothing was changed, and everything can be read. Make room on it, and try again.'
} as const;
