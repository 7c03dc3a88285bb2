/** LDIF, the LDAP Data Interchange Format (RFC 2849): content and change records as lines of text, and back. */

/** A change of one attribute within a record that modifies. */
export interface LdifModification {
	kind: 'add' | 'delete' | 'replace';
	attribute: string;
	values: string[];
	line: number;
}

/** One record. Attributes go by their names in small letters, without options. */
export type LdifRecord = { line: number; dn: string } & (
	| { kind: 'content' | 'add'; attributes: Map<string, string[]> }
	| { kind: 'delete' }
	| { kind: 'modify'; changes: LdifModification[] }
	| { kind: 'move'; rdn: string; superior: string | null }
);

/** Something that is wrong in a text, at its line from 1. */
export interface LineProblem {
	line: number;
	words: string;
}

/** What a text may hold: lines of a record, characters of a line, and problems before no more are looked for. */
const LINES = 200_000;
const LONGEST = 1 << 20;
const PROBLEMS = 200;

interface Line {
	/** Where it begins in the text, from 1. */
	number: number;
	name: string;
	/** Null where its value is no text: a picture, say. */
	value: string | null;
}

/**
 * The records of a text, and what is wrong in it; a record with anything wrong is left out. Bytes that are no text (pictures) are left
 * out of their attribute. Values that stand elsewhere (`:<`) are refused: nothing is fetched.
 */
export function readLdif(text: string): { records: LdifRecord[]; problems: LineProblem[] } {
	const records: LdifRecord[] = [];
	const problems: LineProblem[] = [];
	let number = 0;
	let at = text.startsWith('\uFEFF') ? 1 : 0;
	let record: Line[] = [];
	let bad = false;
	let comment = false;
	/** The line that is being put together from its folds. */
	let open: { number: number; text: string } | null = null;
	let first = true;

	const wrong = (line: number, words: string) => {
		bad = true;
		if (problems.length < PROBLEMS) problems.push({ line, words });
	};
	const endLine = () => {
		if (open === null) return;
		const { number: n, text: whole } = open;
		open = null;
		const line = readLine(whole, n, wrong);
		if (!line) return;
		if (first && line.name === 'version') {
			if (line.value !== '1')
				wrong(n, `It is of version ${String(line.value).slice(0, 20)}, and this reads version 1.`);
			first = false;
			return;
		}
		first = false;
		if (record.length >= LINES) wrong(n, `The record has more than ${LINES} lines.`);
		else record.push(line);
	};
	const endRecord = () => {
		endLine();
		if (record.length && !bad) {
			const made = recordOf(record, wrong);
			if (made) records.push(made);
		}
		record = [];
		bad = false;
		comment = false;
	};

	while (at <= text.length && problems.length < PROBLEMS) {
		let end = text.indexOf('\n', at);
		if (end < 0) end = text.length;
		number++;
		const to = end > at && text.charCodeAt(end - 1) === 13 ? end - 1 : end;
		const begins = at < to ? text.charCodeAt(at) : 0;
		if (begins === 0) endRecord();
		else if (begins === 32) {
			// A fold of the line before; of a comment as well.
			if (comment) {
				// Nothing is read of it.
			} else if (open === null) wrong(number, 'It goes on a line, and there is none before it.');
			else if (open.text.length + to - at > LONGEST) wrong(number, 'The line is longer than a megabyte.');
			else open.text += text.slice(at + 1, to);
		} else {
			endLine();
			comment = begins === 35;
			if (!comment) {
				if (to - at > LONGEST) wrong(number, 'The line is longer than a megabyte.');
				else open = { number, text: text.slice(at, to) };
			}
		}
		at = end + 1;
	}
	endRecord();
	return { records, problems };
}

const NAME = /^(?:[a-z][a-z0-9-]*|\d+(?:\.\d+)*)(?:;[a-z0-9-]+)*$/i;

function readLine(text: string, number: number, wrong: (line: number, words: string) => void): Line | null {
	if (text === '-') return { number, name: '-', value: '' };
	const colon = text.indexOf(':');
	const name = text.slice(0, Math.max(0, colon));
	if (colon < 1 || !NAME.test(name)) {
		wrong(number, `“${text.slice(0, 40)}” is no line of LDIF: write name: value.`);
		return null;
	}
	const kind = text[colon + 1];
	if (kind === '<') {
		wrong(number, 'The value stands somewhere else, and nothing is fetched.');
		return null;
	}
	if (kind !== ':') return { number, name: name.toLowerCase(), value: text.slice(colon + 1).replace(/^ +/, '') };
	const coded = text.slice(colon + 2).trim();
	if (!/^[A-Za-z0-9+/]*={0,2}$/.test(coded) || coded.length % 4 !== 0) {
		wrong(number, 'This is no base64.');
		return null;
	}
	return { number, name: name.toLowerCase(), value: decoded(coded) };
}

const utf8 = new TextDecoder('utf-8', { fatal: true });
function decoded(base64: string): string | null {
	try {
		return utf8.decode(Uint8Array.from(atob(base64), (c) => c.charCodeAt(0)));
	} catch {
		return null;
	}
}

/** Without options: `cn;lang-no` is another cn, and none of those that are read. */
const plain = (name: string): string | null =>
	name.includes(';') && !name.endsWith(';binary') ? null : name.split(';')[0]!;

function recordOf(lines: Line[], wrong: (line: number, words: string) => void): LdifRecord | null {
	const [head] = lines;
	if (head!.name !== 'dn') {
		wrong(head!.number, 'A record begins with dn:.');
		return null;
	}
	const of = { line: head!.number, dn: head!.value ?? '' };
	let i = 1;
	for (; lines[i]?.name === 'control'; i++)
		if (/\btrue\b/.test(lines[i]!.value ?? '')) {
			wrong(lines[i]!.number, 'It asks for a control, which this does not know.');
			return null;
		}
	const change = lines[i]?.name === 'changetype' ? (lines[i++]!.value ?? '').trim().toLowerCase() : null;
	const rest = lines.slice(i);
	switch (change) {
		case null:
		case 'add': {
			const attributes = new Map<string, string[]>();
			for (const { name, value, number } of rest) {
				if (name === '-') {
					wrong(number, 'A line of a hyphen has no place here.');
					return null;
				}
				const key = plain(name);
				if (key === null || value === null) continue;
				const values = attributes.get(key);
				if (values) values.push(value);
				else attributes.set(key, [value]);
			}
			if (attributes.size === 0) {
				wrong(of.line, 'The record says nothing.');
				return null;
			}
			return { ...of, kind: change === null ? 'content' : 'add', attributes };
		}
		case 'delete':
			if (rest.length) {
				wrong(rest[0]!.number, 'Nothing stands in a record that deletes.');
				return null;
			}
			return { ...of, kind: 'delete' };
		case 'modify': {
			const changes = modifications(rest, wrong);
			return changes && { ...of, kind: 'modify', changes };
		}
		case 'moddn':
		case 'modrdn': {
			const value = (name: string) => rest.find((l) => l.name === name)?.value ?? null;
			const rdn = value('newrdn');
			const odd = rest.find((l) => !['newrdn', 'deleteoldrdn', 'newsuperior'].includes(l.name));
			if (rdn === null || odd) {
				wrong(odd?.number ?? of.line, odd ? `“${odd.name}” has no place here.` : 'It does not say newrdn.');
				return null;
			}
			return { ...of, kind: 'move', rdn, superior: value('newsuperior') };
		}
		default:
			wrong(lines[i - 1]!.number, `There is no changetype ${change.slice(0, 20)}: it is add, delete, modify or moddn.`);
			return null;
	}
}

function modifications(lines: Line[], wrong: (line: number, words: string) => void): LdifModification[] | null {
	const changes: LdifModification[] = [];
	for (let i = 0; i < lines.length; i++) {
		const { name: kind, value, number } = lines[i]!;
		if (kind !== 'add' && kind !== 'delete' && kind !== 'replace') {
			wrong(number, `“${kind}” is none of add, delete and replace.`);
			return null;
		}
		const attribute = (value ?? '').trim().toLowerCase();
		const values: string[] = [];
		for (i++; i < lines.length && lines[i]!.name !== '-'; i++) {
			if (lines[i]!.name !== attribute) {
				wrong(lines[i]!.number, `It is of ${lines[i]!.name}, within a change of ${attribute}.`);
				return null;
			}
			if (lines[i]!.value !== null) values.push(lines[i]!.value!);
		}
		const key = plain(attribute);
		if (key !== null) changes.push({ kind, attribute: key, values, line: number });
	}
	return changes;
}

/** A line of a record, folded at 76 characters; in base64 where it could not be read back as it is. */
function written(name: string, value: string): string {
	// SAFE-STRING: ASCII without line ends, beginning with no blank, colon or less-than sign; a blank at the end would be lost.
	const safe =
		// eslint-disable-next-line no-control-regex -- what the standard names by number
		/^(?:[\u0001-\u0009\u000b\u000c\u000e-\u001f!-9;=-\u007f][\u0001-\u0009\u000b\u000c\u000e-\u007f]*)?$/.test(
			value
		) && !value.endsWith(' ');
	const line = safe ? `${name}:${value === '' ? '' : ` ${value}`}` : `${name}:: ${base64(value)}`;
	let folded = line.slice(0, 76);
	for (let i = 76; i < line.length; i += 75) folded += `\n ${line.slice(i, i + 75)}`;
	return folded;
}

function base64(text: string): string {
	let bytes = '';
	for (const b of new TextEncoder().encode(text)) bytes += String.fromCharCode(b);
	return btoa(bytes);
}

/** Entries as content records: each its name, then its attributes in order; none without a value. */
export function writeLdif(
	entries: readonly { dn: string; attributes: readonly (readonly [string, string])[] }[]
): string {
	const records = entries.map(
		({ dn, attributes }) =>
			`${[written('dn', dn), ...attributes.map(([name, value]) => written(name, value))].join('\n')}\n`
	);
	// Without the line `version: 1`, which common servers do not read.
	return records.join('\n');
}
