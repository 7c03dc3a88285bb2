/** Distinguished names (RFC 4514), as LDIF and directories write them. */

/** One part of a name: `uid=anna`. Of several values in one part (`cn=Anna+uid=anna`) all are kept. */
export type Rdn = { attribute: string; value: string }[];

const MOST = 8000;

/** The parts of a distinguished name, the nearest first; null where it is none. The empty name has no parts. */
export function parseDn(text: string): Rdn[] | null {
	if (text.length > MOST) return null;
	if (text.trim() === '') return [];
	const parts: Rdn[] = [[]];
	let i = 0;
	while (i <= text.length) {
		const is = text.indexOf('=', i);
		if (is < 0) return null;
		const attribute = text.slice(i, is).trim().toLowerCase();
		if (!/^(?:[a-z][a-z0-9-]*|\d+(?:\.\d+)*)$/.test(attribute)) return null;
		const value = readValue(text, is + 1);
		if (!value) return null;
		parts.at(-1)!.push({ attribute, value: value.text });
		i = value.end;
		if (i >= text.length) return parts;
		if (text[i] === ',' || text[i] === ';') parts.push([]);
		else if (text[i] !== '+') return null;
		i++;
	}
	return null;
}

/** A value from a position on, up to the comma or plus behind it. */
function readValue(text: string, from: number): { text: string; end: number } | null {
	let i = from;
	while (text[i] === ' ') i++;
	const bytes: number[] = [];
	let value = '';
	/** How much of it no blank at its end can be taken off. */
	let kept = 0;
	const flush = (): boolean => {
		if (bytes.length === 0) return true;
		try {
			value += new TextDecoder('utf-8', { fatal: true }).decode(new Uint8Array(bytes));
		} catch {
			return false;
		}
		bytes.length = 0;
		kept = value.length;
		return true;
	};
	for (; i < text.length; i++) {
		const c = text[i]!;
		if (c === '\\') {
			const hex = /^[0-9a-f]{2}/i.exec(text.slice(i + 1, i + 3));
			if (hex) {
				bytes.push(parseInt(hex[0], 16));
				i += 2;
				continue;
			}
			const next = text[i + 1];
			if (next === undefined || !' "#+,;<=>\\'.includes(next) || !flush()) return null;
			value += next;
			kept = value.length;
			i++;
			continue;
		}
		if (!flush()) return null;
		if (c === ',' || c === '+' || c === ';') break;
		value += c;
		if (c !== ' ') kept = value.length;
	}
	return flush() ? { text: value.slice(0, kept), end: i } : null;
}

/** A value as it stands in a distinguished name. */
export const dnValue = (text: string): string =>
	text
		.replace(/[\\"+,;<>=]/g, '\\$&')
		// eslint-disable-next-line no-control-regex -- a name may hold anything, and these are written by their number
		.replace(/[\u0000-\u001f]/g, (c) => `\\${c.charCodeAt(0).toString(16).padStart(2, '0')}`)
		// At once: of a single blank, which is both, it is one.
		.replace(/^[ #]| $/g, '\\$&');

/** The same for names that mean the same: attributes and values in small letters. Null where it is no name. */
export const dnKey = (text: string): string | null => keyOf(parseDn(text));

/** The key of some parts. */
export const keyOf = (parts: Rdn[] | null): string | null =>
	parts === null
		? null
		: parts
				.map((rdn) =>
					rdn
						.map((a) => `${a.attribute}=${dnValue(a.value.toLowerCase())}`)
						.sort()
						.join('+')
				)
				.join(',');

/** What the nearest part of a name says of an attribute. */
export const rdnValue = (parts: Rdn[] | null, attribute: string): string | undefined =>
	parts?.[0]?.find((a) => a.attribute === attribute)?.value;
