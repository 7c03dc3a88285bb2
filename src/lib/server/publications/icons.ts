import { createHash } from 'node:crypto';
import { XMLParser } from 'fast-xml-parser';
import { one, type Db } from '../db';
import { insertRow } from '../db/rows';

/** Pictures that we draw ourselves, by name. */
export const DRAWN = ['desktop', 'chart', 'watch', 'wave', 'ledger', 'ship', 'app'] as const;

/** Largest picture that is taken, bytes. */
export const ICON_LIMIT = 256 * 1024;

/** A picture that was put away is named by its digest. */
export const iconId = (digest: string): string => `icon:${digest}`;

/** What kind of picture bytes are, or null: PNG (ISO 15948), JPEG, or SVG that is a picture and nothing else. */
export function pictureType(bytes: Uint8Array): string | null {
	const head = Buffer.from(bytes.subarray(0, 8));
	if (head.equals(Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]))) return 'image/png';
	if (head[0] === 0xff && head[1] === 0xd8 && head[2] === 0xff) return 'image/jpeg';
	return bytes.length <= ICON_LIMIT && isPlainSvg(Buffer.from(bytes).toString('utf8')) ? 'image/svg+xml' : null;
}

/** Elements that do something, or bring something in from elsewhere. */
const ACTIVE = new Set([
	'script',
	'foreignobject',
	'iframe',
	'object',
	'embed',
	'handler',
	'set',
	'animate',
	'use',
	'image'
]);

/** Read by a parser, and only what is a drawing by itself: one `svg` at the root, no script, no address of anything outside. */
function isPlainSvg(text: string): boolean {
	// Own entities are nothing that a drawing needs, and can be worth gigabytes.
	if (!text.includes('<') || /<!(doctype|entity)/i.test(text)) return false;
	let roots: Element[];
	try {
		roots = new XMLParser({
			preserveOrder: true,
			ignoreAttributes: false,
			attributeNamePrefix: '',
			processEntities: false,
			parseTagValue: false,
			parseAttributeValue: false,
			maxNestedTags: 100
		}).parse(text, true) as Element[];
	} catch {
		return false;
	}
	const named = (e: Element) => Object.keys(e).find((k) => k !== ':@') ?? '';
	const elements = roots.filter((e) => !/^[?#]/.test(named(e)));
	if (elements.length !== 1 || named(elements[0]!) !== 'svg') return false;
	const left = [...elements];
	for (let e = left.pop(); e; e = left.pop()) {
		const name = named(e);
		if (ACTIVE.has(name.toLowerCase())) return false;
		for (const [attribute, value] of Object.entries(e[':@'] ?? {})) {
			if (/^on/i.test(attribute)) return false;
			if (/^(xlink:)?href$/i.test(attribute) && !String(value).startsWith('#')) return false;
		}
		const below = e[name];
		if (Array.isArray(below)) left.push(...below);
	}
	return true;
}

interface Element {
	[name: string]: Element[] | undefined;
	// Attributes, as the parser names them.
	':@'?: never;
}

/** Keeps a picture; the same one is kept once. Answers with its id, or with what is wrong. */
export function keepIcon(db: Db, bytes: Uint8Array): { icon: string } | { problem: string } {
	if (bytes.length > ICON_LIMIT) return { problem: 'A picture may have 256 KB at most.' };
	const type = pictureType(bytes);
	if (type === null) return { problem: 'This is no PNG, JPEG or SVG picture.' };
	const digest = createHash('sha256').update(bytes).digest('hex');
	insertRow(db, 'icons', { digest, type, bytes: Buffer.from(bytes) }, 'keep');
	return { icon: iconId(digest) };
}

export const iconByDigest = (db: Db, digest: string): { type: string; bytes: Buffer } | undefined =>
	one<{ type: string; bytes: Buffer }>(db, 'SELECT type, bytes FROM icons WHERE digest = ?', [digest]);

/** Whether an icon is one that can be shown. */
export const knowsIcon = (db: Db, icon: string): boolean =>
	icon.startsWith('icon:')
		? iconByDigest(db, icon.slice('icon:'.length)) !== undefined
		: (DRAWN as readonly string[]).includes(icon);
