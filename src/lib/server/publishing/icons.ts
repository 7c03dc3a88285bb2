import { createHash } from 'node:crypto';
import { one, run, type Db } from '../db';

/** Pictures that we draw ourselves, by name. */
export const DRAWN = ['desktop', 'chart', 'watch', 'wave', 'ledger', 'ship', 'app'] as const;

/** Largest picture that is taken, bytes. */
export const ICON_LIMIT = 256 * 1024;

/** A picture that was put away is named by its digest. */
export const iconId = (digest: string): string => `icon:${digest}`;

/** What kind of picture bytes are, or null: PNG (ISO 15948), JPEG, or SVG text. */
export function pictureType(bytes: Uint8Array): string | null {
	const head = Buffer.from(bytes.subarray(0, 400));
	if (head.subarray(0, 8).equals(Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]))) return 'image/png';
	if (head[0] === 0xff && head[1] === 0xd8 && head[2] === 0xff) return 'image/jpeg';
	return /^\s*(<\?xml[^>]*>\s*)?(<!--[\s\S]*?-->\s*)*<svg[\s>]/.test(head.toString('utf8')) ? 'image/svg+xml' : null;
}

/** Keeps a picture; the same one is kept once. Answers with its id, or with what is wrong. */
export function keepIcon(db: Db, bytes: Uint8Array): { icon: string } | { problem: string } {
	if (bytes.length > ICON_LIMIT) return { problem: 'A picture may have 256 KB at most.' };
	const type = pictureType(bytes);
	if (type === null) return { problem: 'This is no PNG, JPEG or SVG picture.' };
	const digest = createHash('sha256').update(bytes).digest('hex');
	run(db, 'INSERT OR IGNORE INTO icons VALUES (?, ?, ?)', [digest, type, Buffer.from(bytes)]);
	return { icon: iconId(digest) };
}

export const iconByDigest = (db: Db, digest: string): { type: string; bytes: Buffer } | undefined =>
	one<{ type: string; bytes: Buffer }>(db, 'SELECT type, bytes FROM icons WHERE digest = ?', [digest]);

/** Whether an icon is one that can be shown. */
export const knowsIcon = (db: Db, icon: string): boolean =>
	icon.startsWith('icon:')
		? iconByDigest(db, icon.slice('icon:'.length)) !== undefined
		: (DRAWN as readonly string[]).includes(icon);
