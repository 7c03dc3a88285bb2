import ipaddr from 'ipaddr.js';
import semver from 'semver';
import { isAddress, isRange } from '../network/addresses';

/** What a rule asks of a device, as a tree. */
export type Condition =
	| { is: 'any' }
	| { is: 'all' | 'some'; of: Condition[] }
	| { is: 'not'; of: Condition }
	/** A range `10.21.0.0/22`, or an address and a mask `10.0.3.0/255.0.255.0`. */
	| { is: 'address'; range: string }
	/** `*` stands for anything, `?` for one sign; upper and lower case are alike. */
	| { is: 'like'; of: LikeField; pattern: string }
	| { is: 'equals'; of: EqualField; value: string }
	| { is: 'firmware'; compare: Compare; version: string };

export const LIKE_FIELDS = ['name', 'serial', 'model', 'hardware'] as const;
export type LikeField = (typeof LIKE_FIELDS)[number];
export const EQUAL_FIELDS = [...LIKE_FIELDS, 'site', 'team'] as const;
export type EqualField = (typeof EQUAL_FIELDS)[number];
export const COMPARES = ['>=', '<=', '>', '<', '='] as const;
export type Compare = (typeof COMPARES)[number];

/** A condition is at most so long, so deep, and of so many parts. */
export const MOST = { signs: 2000, depth: 20, parts: 100 } as const;

/** What is wrong with a text, and where: the sign that it was noticed at, from 0. */
export interface ConditionProblem {
	at: number;
	words: string;
}

interface Token {
	at: number;
	text: string;
	quoted: boolean;
}

function tokensOf(text: string): Token[] | ConditionProblem {
	const tokens: Token[] = [];
	const parts = /\s+|"([^"]*)"|[()]|>=|<=|[<>=~]|[^\s()"<>=~]+/y;
	while (parts.lastIndex < text.length) {
		const at = parts.lastIndex;
		const found = parts.exec(text);
		if (!found) return { at, words: 'The quotation mark is not closed.' };
		if (found[0].trim() !== '' || found[1] !== undefined)
			tokens.push({ at, text: found[1] ?? found[0], quoted: found[1] !== undefined });
	}
	return tokens;
}

/** A version as rules write it, `4`, `4.2` or `4.2.1`, in full; null for what is none. */
export function fullVersion(text: string): string | null {
	const parts = /^\d{1,9}(?:\.\d{1,9}){0,2}$/.test(text) ? text.split('.') : null;
	if (!parts) return semver.valid(text);
	return [...parts, '0', '0'].slice(0, 3).map(Number).join('.');
}

/** Whether a text is a range of addresses, with a length or a mask. */
export function isMasked(text: string): boolean {
	const [network, mask] = text.split('/');
	return isRange(text) || (isAddress(network ?? '') && isAddress(mask ?? ''));
}

/**
 * Reads a condition: `address in 10.21.0.0/22 and not (model ~ Tern* or team is charts)`. Fields are address, name, serial, model, hardware,
 * firmware, site and team; `any device` stands for all.
 */
export function readCondition(text: string): Condition | ConditionProblem {
	if (text.length > MOST.signs) return { at: MOST.signs, words: `At most ${MOST.signs} signs.` };
	const cut = tokensOf(text);
	if (!Array.isArray(cut)) return cut;
	const tokens: Token[] = cut;
	let n = 0;
	let count = 0;
	const wrong = (words: string, at = tokens[n]?.at ?? text.length): never => {
		throw Object.assign(new Error(words), { at });
	};
	const isWord = (word: string): boolean =>
		tokens[n] !== undefined && !tokens[n]!.quoted && tokens[n]!.text.toLowerCase() === word;
	const value = (what: string): string => {
		const t = tokens[n];
		if (!t || (!t.quoted && /^[()<>=~]|^(?:and|or|not)$/i.test(t.text))) return wrong(`Here ${what} is missing.`);
		n++;
		if (t.text.trim() === '') return wrong(`Here ${what} is missing.`, t.at);
		return t.text.trim();
	};
	const chain = (word: 'and' | 'or', part: (depth: number) => Condition, depth: number): Condition => {
		const of = [part(depth)];
		while (isWord(word)) {
			n++;
			of.push(part(depth));
		}
		return of.length === 1 ? of[0]! : { is: word === 'and' ? 'all' : 'some', of };
	};
	const either = (depth: number): Condition => chain('or', both, depth);
	const both = (depth: number): Condition => chain('and', single, depth);
	function single(depth: number): Condition {
		if (depth > MOST.depth) return wrong(`At most ${MOST.depth} brackets in each other.`);
		if (isWord('not')) {
			n++;
			return { is: 'not', of: single(depth + 1) };
		}
		if (isWord('(')) {
			n++;
			const inner = either(depth + 1);
			if (!isWord(')')) return wrong('A bracket is not closed.');
			n++;
			return inner;
		}
		if (++count > MOST.parts) return wrong(`At most ${MOST.parts} parts.`);
		return part();
	}
	function part(): Condition {
		const field = tokens[n];
		if (!field || field.quoted) return wrong('Here a field is missing, such as address, model or site.');
		const name = field.text.toLowerCase();
		n++;
		if (name === 'any') {
			if (isWord('device')) n++;
			return { is: 'any' };
		}
		if (name === 'address') {
			if (!isWord('in')) return wrong('Write: address in 10.21.0.0/22.');
			n++;
			const at = tokens[n]?.at ?? text.length;
			const range = value('a range such as 10.21.0.0/22');
			if (!isMasked(range)) return wrong(`${range} is no range of addresses such as 10.21.0.0/22.`, at);
			return { is: 'address', range };
		}
		if (name === 'firmware') {
			const compare = tokens[n]?.text as Compare | undefined;
			if (!compare || !COMPARES.includes(compare)) return wrong('Write: firmware >= 4.2.');
			n++;
			const at = tokens[n]?.at ?? text.length;
			const version = value('a version such as 4.2');
			if (fullVersion(version) === null) return wrong(`${version} is no version such as 4.2.1.`, at);
			return { is: 'firmware', compare, version };
		}
		if ((EQUAL_FIELDS as readonly string[]).includes(name)) {
			if (isWord('is') || isWord('=')) {
				n++;
				return { is: 'equals', of: name as EqualField, value: value(`what the ${name} is`) };
			}
			if ((LIKE_FIELDS as readonly string[]).includes(name) && isWord('~')) {
				n++;
				return { is: 'like', of: name as LikeField, pattern: value('a pattern such as Tern*') };
			}
			return wrong(
				(LIKE_FIELDS as readonly string[]).includes(name)
					? `Write: ${name} is X, or ${name} ~ X*.`
					: `Write: ${name} is X.`
			);
		}
		return wrong(
			`There is no field ${field.text.slice(0, 40)}. There are address, firmware, ${EQUAL_FIELDS.join(', ')}; or write any device.`,
			field.at
		);
	}
	try {
		const condition = either(0);
		if (n < tokens.length) wrong('Here and, or, or the end is expected.');
		return condition;
	} catch (e) {
		const { at, message } = e as Error & { at?: number };
		if (at === undefined) throw e;
		return { at, words: message };
	}
}

const quoted = (text: string): string =>
	/^[^\s()"<>=~]+$/.test(text) && !/^(?:and|or|not|in|is)$/i.test(text) ? text : `"${text}"`;

/** A condition as text, which reads back to the same. */
export function conditionText(c: Condition): string {
	switch (c.is) {
		case 'any':
			return 'any device';
		case 'all':
			return c.of.map((x) => (x.is === 'some' ? `(${conditionText(x)})` : conditionText(x))).join(' and ');
		case 'some':
			return c.of.map(conditionText).join(' or ');
		case 'not':
			return `not ${c.of.is === 'all' || c.of.is === 'some' ? `(${conditionText(c.of)})` : conditionText(c.of)}`;
		case 'address':
			return `address in ${c.range}`;
		case 'like':
			return `${c.of} ~ ${quoted(c.pattern)}`;
		case 'equals':
			return `${c.of} is ${quoted(c.value)}`;
		case 'firmware':
			return `firmware ${c.compare} ${c.version}`;
	}
}

/** How many parts a condition has. */
export const partsOf = (c: Condition): number =>
	c.is === 'all' || c.is === 'some' ? c.of.reduce((n, x) => n + partsOf(x), 0) : c.is === 'not' ? partsOf(c.of) : 1;

/** A device at a start, as rules see it. */
export interface Device {
	serial: string;
	name: string;
	model: string;
	/** Its hardware address, such as `52:54:00:1a:2b:3c`. */
	hardware: string;
	firmware: string;
	/** The address that it has called from. */
	address: string;
	/** The site whose networks that address belongs to; null: none. */
	site: string | null;
	/** Teams of its person, with those above; none where nobody uses it. */
	teams: readonly string[];
}

/**
 * A pattern as what tells whether a text is of it: `*` stands for anything, `?` for one sign. Greedy with one place to fall back to, the last star, so
 * that a text takes at most as many steps as its signs times those of the pattern; a regular expression may take exponentially many.
 */
export function patternOf(pattern: string): (text: string) => boolean {
	const wanted = pattern.toLowerCase();
	return (given) => {
		const text = given.toLowerCase();
		let p = 0;
		let star = -1;
		let from = 0;
		for (let t = 0; t < text.length;) {
			if (wanted[p] === '*') {
				star = p++;
				from = t;
			} else if (p < wanted.length && (wanted[p] === '?' || wanted[p] === text[t])) {
				p++;
				t++;
			} else if (star >= 0) {
				p = star + 1;
				t = ++from;
			} else return false;
		}
		while (wanted[p] === '*') p++;
		return p === wanted.length;
	};
}

/** The address that was read last: rules ask about one after the other. */
let lastRead: { text: string; number: number | null } = { text: '', number: null };

/** A plain IPv4 address as a number; null for anything else. */
function plainNumber(text: string): number | null {
	if (lastRead.text !== text) {
		const parts = /^(\d{1,3})\.(\d{1,3})\.(\d{1,3})\.(\d{1,3})$/.exec(text)?.slice(1).map(Number);
		const right = parts?.every((p) => p <= 255) === true && isAddress(text);
		lastRead = { text, number: right ? parts.reduce((n, p) => n * 256 + p, 0) : null };
	}
	return lastRead.number;
}

/** Whether an address lies in a range, with a length or a mask. */
export function addressTest(range: string): (address: string) => boolean {
	const [network, mask] = range.split('/') as [string, string];
	if (isAddress(mask)) {
		const bits = ipaddr.IPv4.parse(mask).octets;
		const wanted = ipaddr.IPv4.parse(network).octets.map((o, i) => o & bits[i]!);
		return (address) =>
			isAddress(address) && ipaddr.IPv4.parse(address).octets.every((o, i) => (o & bits[i]!) === wanted[i]);
	}
	const [base, length] = ipaddr.parseCIDR(range);
	const size = 2 ** (32 - length);
	const at = base.kind() === 'ipv4' ? Math.floor(plainNumber(base.toString())! / size) : null;
	return (address) => {
		const n = plainNumber(address);
		if (n !== null) return at !== null && Math.floor(n / size) === at;
		if (!ipaddr.isValid(address)) return false;
		const parsed = ipaddr.process(address);
		return parsed.kind() === base.kind() && parsed.match(base, length);
	};
}

/** How a version stands to another: below 0, 0, above 0; null where it is no version. */
export function compareFirmware(firmware: string, version: string): number | null {
	const is = fullVersion(firmware);
	return is === null ? null : semver.compare(is, fullVersion(version)!);
}

const COMPARED: Record<Compare, (n: number) => boolean> = {
	'>=': (n) => n >= 0,
	'<=': (n) => n <= 0,
	'>': (n) => n > 0,
	'<': (n) => n < 0,
	'=': (n) => n === 0
};

/** A condition as what tells of a device whether it fits: what can be worked out once is. */
export function compile(c: Condition): (d: Device) => boolean {
	switch (c.is) {
		case 'any':
			return () => true;
		case 'all': {
			const of = c.of.map(compile);
			return (d) => of.every((f) => f(d));
		}
		case 'some': {
			const of = c.of.map(compile);
			return (d) => of.some((f) => f(d));
		}
		case 'not': {
			const of = compile(c.of);
			return (d) => !of(d);
		}
		case 'address': {
			const test = addressTest(c.range);
			return (d) => test(d.address);
		}
		case 'like': {
			const pattern = patternOf(c.pattern);
			return (d) => pattern(d[c.of]);
		}
		case 'equals': {
			const value = c.value.toLowerCase();
			if (c.of === 'team') return (d) => d.teams.includes(c.value);
			if (c.of === 'site') return (d) => d.site === c.value;
			const { of } = c;
			return (d) => d[of].toLowerCase() === value;
		}
		case 'firmware': {
			const holds = COMPARED[c.compare];
			const known = new Map<string, boolean>();
			return (d) => {
				let is = known.get(d.firmware);
				if (is === undefined) {
					const n = compareFirmware(d.firmware, c.version);
					is = n !== null && holds(n);
					if (known.size < 10_000) known.set(d.firmware, is);
				}
				return is;
			};
		}
	}
}

/** The first part of a condition that keeps a device from fitting, in words; null where it fits. */
export function whyNot(c: Condition, d: Device): string | null {
	if (compile(c)(d)) return null;
	switch (c.is) {
		case 'all':
			return whyNot(
				c.of.find((x) => whyNot(x, d) !== null)!,
				d
			);
		case 'some':
			return [...new Set(c.of.map((x) => whyNot(x, d)!))].slice(0, 2).join(', ');
		case 'not':
			return `it is so: ${conditionText(c.of)}`;
		case 'address':
			return `its address ${d.address || 'is none'}`;
		case 'firmware':
			return `its firmware ${d.firmware}`;
		case 'equals':
			return c.of === 'team'
				? 'the team of its person'
				: c.of === 'site'
					? d.site === null
						? 'it stands at no site'
						: 'its site'
					: `its ${c.of} ${d[c.of]}`;
		case 'like':
			return `its ${c.of} ${d[c.of]}`;
		case 'any':
			return null;
	}
}
