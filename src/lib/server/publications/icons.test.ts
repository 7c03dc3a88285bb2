import { createHash } from 'node:crypto';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import { all, openDb, type Db } from '../db';
import { DRAWN, ICON_LIMIT, iconByDigest, iconId, keepIcon, knowsIcon, pictureType } from './icons';

let db: Db;
beforeEach(() => {
	db = openDb(':memory:');
});
afterEach(() => db.close());
const text = (s: string) => new TextEncoder().encode(s);
const PNG = new Uint8Array([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 1, 2, 3]);

describe('the kind of a picture', () => {
	test('is read from its bytes, whatever it is called', () => {
		expect(pictureType(PNG)).toBe('image/png');
		expect(pictureType(new Uint8Array([0xff, 0xd8, 0xff, 0xe0]))).toBe('image/jpeg');
		for (const svg of [
			'<svg xmlns="http://www.w3.org/2000/svg"/>',
			'<?xml version="1.0"?>\n<!-- drawn by hand -->\n<!-- twice -->\n<svg></svg>',
			'  \n<svg><g><path d="M0 0"/><a href="#x"/></g></svg>'
		])
			expect(pictureType(text(svg)), svg).toBe('image/svg+xml');
	});
	test('is none for anything else', () => {
		for (const other of ['', 'svg', '<html><svg></svg></html>', '<svgs>', 'GIF89a', '<?xml version="1.0"?><page/>'])
			expect(pictureType(text(other)), other).toBe(null);
		expect(pictureType(PNG.subarray(0, 7))).toBe(null);
	});
});

describe('a picture that means no good', () => {
	test.each([
		['comments without end', '<!--'.repeat(100)],
		['comments, each closed', `${'<!---->'.repeat(30_000)}<svg`],
		['a script', '<svg><script>alert(1)</script></svg>'],
		['a script of another case', '<svg><SCRIPT/></svg>'],
		['a handler', '<svg onload="alert(1)"/>'],
		['a page in it', '<svg><foreignObject><body/></foreignObject></svg>'],
		['another place', '<svg><a xlink:href="https://example.com"/></svg>'],
		['entities', '<!DOCTYPE svg [<!ENTITY a "b">]><svg>&a;</svg>'],
		['a thousand elements deep', `${'<g>'.repeat(1000)}${'</g>'.repeat(1000)}`],
		['a deep svg', `<svg>${'<g>'.repeat(1000)}${'</g>'.repeat(1000)}</svg>`],
		['two roots', '<svg/><svg/>'],
		['a root that is not closed', '<svg>']
	])('%s: it is refused, at once', (_what, svg) => expect(pictureType(text(svg))).toBe(null));
});

describe('pictures that are kept', () => {
	test('are kept once, by their digest, and come back as they were', () => {
		const digest = createHash('sha256').update(PNG).digest('hex');
		expect(keepIcon(db, PNG)).toEqual({ icon: iconId(digest) });
		expect(keepIcon(db, PNG.slice())).toEqual({ icon: iconId(digest) });
		expect(all(db, 'SELECT digest FROM icons')).toEqual([{ digest }]);
		const kept = iconByDigest(db, digest)!;
		expect(kept.type).toBe('image/png');
		expect(new Uint8Array(kept.bytes)).toEqual(PNG);
		expect(iconByDigest(db, digest.replace(/./g, '0'))).toBeUndefined();
	});
	test('are refused with a sentence where they are too large or none', () => {
		const large = new Uint8Array(ICON_LIMIT + 1);
		large.set(PNG);
		expect(keepIcon(db, large)).toEqual({ problem: 'A picture may have 256 KB at most.' });
		expect(keepIcon(db, large.subarray(0, ICON_LIMIT))).toHaveProperty('icon');
		expect(keepIcon(db, text('no picture'))).toEqual({ problem: 'This is no PNG, JPEG or SVG picture.' });
		expect(all(db, 'SELECT 1 FROM icons')).toHaveLength(1);
	});
	test('are known by their names, as are those that we drew', () => {
		for (const name of DRAWN) expect(knowsIcon(db, name)).toBe(true);
		expect(knowsIcon(db, 'anchor')).toBe(false);
		expect(knowsIcon(db, 'icon:0000')).toBe(false);
		const { icon } = keepIcon(db, PNG) as { icon: string };
		expect(knowsIcon(db, icon)).toBe(true);
	});
});
