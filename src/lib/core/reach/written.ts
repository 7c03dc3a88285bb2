import * as v from 'valibot';
import ipaddr from 'ipaddr.js';
import { fullVersion } from '../endpoints/condition';
import { isRange } from '../network/addresses';
import { nearest } from '../text/nearest';
import { daysWords, parseClock, parseDays, timeOfDay, type Hours } from '../time/hours';
import { durationWords, MINUTE, parseDuration, parseSize, sizeWords } from '../time/units';
import { CHANNEL_NAMES, isChannelName, isSized } from './channels';
import { EFFECTS, WAYS, type AccessRule, type Daily, type From, type Whom } from './rules';
import { sitePattern, type What } from './targets';

/**
 * Rules as people and programs write them: in a file, in an estate file, and in what the API is sent. What is spoken of is written with its kind:
 * `team/charts`, `service/depot`, `site/*.tides.example`, `channel/clipboard-out up to 2 KB`.
 */

export const RULE_LIMITS = {
	rules: 5000,
	named: 20_000,
	sizes: 50,
	of: 200,
	name: 100,
	words: 500,
	tests: 1000
} as const;

const few = v.array(v.pipe(v.string(), v.maxLength(300, 'At most 300 characters.')));
const list = v.pipe(few, v.maxLength(RULE_LIMITS.of, `At most ${RULE_LIMITS.of}.`));
const line = (most: number) =>
	v.pipe(v.string(), v.maxLength(most, `At most ${most} characters.`), v.regex(/^[^\r\n]*$/, 'One line.'));
const id = v.pipe(
	v.string('Write an id.'),
	v.regex(/^[a-z0-9][a-z0-9.-]{0,79}$/, 'Small letters, digits, dots and hyphens, at most 80.')
);

/** What a device has to prove, as it is written. */
const writtenDevice = v.strictObject({
	managed: v.optional(v.literal(true, 'Write “true”, or leave it out.')),
	branches: v.optional(v.pipe(list, v.minLength(1, 'Name at least one branch.'))),
	firmware: v.optional(v.string()),
	locks: v.optional(v.literal(true, 'Write “true”, or leave it out.'))
});

export const WRITTEN_RULE = v.strictObject({
	id,
	name: v.optional(line(RULE_LIMITS.name), ''),
	decide: v.picklist(EFFECTS, `One of ${EFFECTS.join(', ')}.`),
	say: v.optional(line(RULE_LIMITS.words)),
	who: v.optional(list, []),
	but: v.optional(list, []),
	on: v.optional(list, []),
	what: v.optional(list, []),
	except: v.optional(list, []),
	from: v.optional(list, []),
	device: v.optional(writtenDevice),
	hours: v.optional(v.string()),
	duty: v.optional(v.picklist(['on', 'off'], 'On or off.')),
	holidays: v.optional(v.picklist(['only', 'not'], 'Only or not.')),
	through: v.optional(v.array(v.picklist(WAYS, `One of ${WAYS.join(', ')}.`)), []),
	daily: v.optional(v.strictObject({ amount: v.optional(v.string()), time: v.optional(v.string()) }))
});
export type WrittenRule = v.InferInput<typeof WRITTEN_RULE>;

/** What rules can speak of that has an id; groups of services have their name. */
export type Spoken = 'team' | 'person' | 'pool' | 'site' | 'branch' | 'category' | 'service' | 'group';

/** What there is that rules can speak of. */
export interface Known {
	has(kind: Spoken, id: string): boolean;
	/** Ids for saying what may be meant. */
	all(kind: Spoken): Iterable<string>;
}

/** Knows whatever is spoken of: for reading what was checked when it was written. */
export const WHATEVER: Known = { has: () => true, all: () => [] };

/** Something wrong with a rule, and where within it. */
export interface RuleProblem {
	path: (string | number)[];
	words: string;
}

export type Complain = (words: string, ...path: (string | number)[]) => void;

/** Finds what is spoken of, or says that it is not there and what is called nearly so. */
export function knownOf(known: Known, kind: Spoken, id: string, called: string): string | null {
	if (known.has(kind, id)) return null;
	const near = nearest(id.slice(0, 100), [...known.all(kind)].slice(0, 20_000));
	return `There is no ${called} ${id.slice(0, 60)}.${near === null ? '' : ` Do you mean ${near}?`}`;
}

/** The kind and the rest of `team/charts`. */
function parted(text: string): [string, string] {
	const slash = text.indexOf('/');
	return slash < 0 ? [text.trim(), ''] : [text.slice(0, slash).trim(), text.slice(slash + 1).trim()];
}

/** Reads whom a rule is about; a kind of employment need not be anybody's. */
export function readWhom(text: string, known: Known): Whom | { wrong: string } {
	const [kind, id] = parted(text);
	if (id !== '' && kind === 'employment') return { kind, id };
	if (id === '' || (kind !== 'team' && kind !== 'person')) return { wrong: 'Write team/…, person/… or employment/….' };
	const wrong = knownOf(known, kind, id, kind === 'team' ? 'team' : 'login');
	return wrong === null ? { kind, id } : { wrong };
}

/** Reads what a rule is about. */
export function readWhat(text: string, known: Known): What | { wrong: string } {
	const [kind, id] = parted(text);
	if ((kind === 'web' || kind === 'services' || kind === 'channels') && id === '') return { kind };
	if (kind === 'channel' && id !== '') return readChannel(id);
	if (kind === 'site' && id !== '') {
		const name = sitePattern(id);
		return name === null ? { wrong: `${id.slice(0, 60)} is no name of a web site.` } : { kind, name };
	}
	if (id === '' || (kind !== 'category' && kind !== 'service' && kind !== 'group'))
		return { wrong: 'Write web, services, channels, site/…, category/…, service/…, group/… or channel/….' };
	const wrong = knownOf(known, kind, id, kind === 'group' ? 'group of services' : kind);
	return wrong === null ? { kind, id } : { wrong };
}

/** Reads `clipboard-out`, or `clipboard-out up to 2 KB`. */
function readChannel(text: string): What | { wrong: string } {
	const [name = '', size, ...more] = text.split(' up to ');
	if (!isChannelName(name)) {
		const near = nearest(name.slice(0, 100), CHANNEL_NAMES);
		return { wrong: `There is no channel ${name.slice(0, 60)}.${near === null ? '' : ` Do you mean ${near}?`}` };
	}
	if (size === undefined) return { kind: 'channel', id: name, upTo: null };
	if (!isSized(name)) return { wrong: `Of ${name} no size is known: leave “up to” out.` };
	const upTo = more.length ? null : parseSize(size);
	return upTo === null || upTo < 1
		? { wrong: 'Write a size such as “up to 2 KB”.' }
		: { kind: 'channel', id: name, upTo };
}

/** Reads where somebody has to be: `site/bergen`, or a range of addresses. */
export function readFrom(text: string, known: Known): From | { wrong: string } {
	const [kind, id] = parted(text);
	if (kind === 'site') {
		const wrong = knownOf(known, 'site', id, 'site');
		return wrong === null ? { kind, id } : { wrong };
	}
	const range = ipaddr.isValid(text.trim()) ? `${text.trim()}/${text.includes(':') ? 128 : 32}` : text.trim();
	return isRange(range) ? { kind: 'network', range } : { wrong: 'Write site/… or a range such as 10.21.0.0/22.' };
}

/** Reads `Mon-Fri 07:00-19:00`. Null when it is not such. */
export function readHours(text: string): Hours | null {
	const written = text.trim();
	const parts = /(\d{1,2}:\d{2})\s*[-–]\s*(\d{1,2}:\d{2})$/.exec(written);
	const days = parts && parseDays(written.slice(0, parts.index));
	const from = parts && parseClock(parts[1]!);
	const until = parts && parseClock(parts[2]!);
	if (!days?.length || from == null || until == null || from === 1440) return null;
	return { days, from, until: until === 1440 ? 0 : until };
}

/** What is said of one day's share: bytes and minutes, of at least one something. */
function readDaily(written: { amount?: string | undefined; time?: string | undefined }, wrong: Complain): Daily | null {
	const daily: Daily = {};
	if (written.amount !== undefined) {
		const bytes = parseSize(written.amount);
		if (bytes === null || bytes < 1) wrong('Write a size such as 40 MB.', 'daily', 'amount');
		else daily.bytes = bytes;
	}
	if (written.time !== undefined) {
		const ms = parseDuration(written.time);
		if (ms === null || ms < MINUTE || ms > 1440 * MINUTE) wrong('Write a time from 1 min to 24 h.', 'daily', 'time');
		else daily.minutes = Math.round(ms / MINUTE);
	}
	if (written.amount === undefined && written.time === undefined) wrong('Say an amount, a time, or both.', 'daily');
	return daily;
}

/**
 * Reads one rule, whose form has been checked.
 * @returns the rule, or everything that is wrong with it
 */
export function readRule(
	written: v.InferOutput<typeof WRITTEN_RULE>,
	known: Known
): { rule: AccessRule } | { problems: RuleProblem[] } {
	const problems: RuleProblem[] = [];
	const wrong: Complain = (words, ...path) => {
		if (problems.length < 100) problems.push({ path, words });
	};
	const each = <T extends object>(
		key: 'who' | 'but' | 'what' | 'except' | 'from',
		read: (text: string, known: Known) => T | { wrong: string }
	): T[] =>
		written[key].flatMap((text, i) => {
			const is = read(text, known);
			if (!('wrong' in is)) return [is];
			wrong(is.wrong, key, i);
			return [];
		});
	const there = (kind: 'pool' | 'branch', texts: readonly string[], ...path: string[]): string[] => {
		texts.forEach((id, i) => {
			const missing = knownOf(known, kind, id, kind);
			if (missing !== null) wrong(missing, ...path, i);
		});
		return [...texts];
	};
	const { device, decide } = written;
	const rule: AccessRule = {
		id: written.id,
		name: written.name.trim(),
		effect: decide,
		words: written.say?.trim() || null,
		who: each('who', readWhom),
		whoNot: each('but', readWhom),
		pools: there('pool', written.on, 'on'),
		what: each('what', readWhat),
		whatNot: each('except', readWhat),
		from: each('from', readFrom),
		device: {
			...(device?.managed ? { managed: true } : {}),
			...(device?.branches ? { branches: there('branch', device.branches, 'device', 'branches') } : {}),
			...(device?.firmware === undefined ? {} : { firmware: device.firmware.trim() }),
			...(device?.locks ? { locks: true } : {})
		},
		when: {
			...(written.duty ? { duty: written.duty } : {}),
			...(written.holidays ? { holidays: written.holidays } : {})
		},
		how: WAYS.filter((w) => written.through.includes(w)),
		daily: written.daily ? readDaily(written.daily, wrong) : null
	};
	if (device?.firmware !== undefined && fullVersion(device.firmware.trim()) === null)
		wrong('Write a version such as 4.2.', 'device', 'firmware');
	if (written.hours !== undefined) {
		const hours = readHours(written.hours);
		if (hours) rule.when.hours = hours;
		else wrong('Write hours such as Mon-Fri 07:00-19:00.', 'hours');
	}
	const ofChannels = rule.what.filter((w) => w.kind === 'channels' || w.kind === 'channel').length;
	if (ofChannels > 0 && decide === 'window')
		wrong('What passes a session is not shown in an isolated window: decide otherwise.', 'decide');
	if (ofChannels > 0 && ofChannels === rule.what.length) {
		if (rule.how.length) wrong('What passes a session goes through none of these: leave it out.', 'through');
		if (rule.daily?.minutes !== undefined)
			wrong('What passes a session takes no time: say an amount.', 'daily', 'time');
	}
	if (decide === 'refuse' && rule.daily) wrong('What is refused has no share of a day.', 'daily');
	return problems.length ? { problems } : { rule };
}

const whomText = (w: Whom): string => `${w.kind}/${w.id}`;
export const whatText = (w: What): string => {
	if (w.kind === 'web' || w.kind === 'services' || w.kind === 'channels') return w.kind;
	if (w.kind === 'site') return `site/${w.name}`;
	return `${w.kind}/${w.id}${w.kind === 'channel' && w.upTo !== null ? ` up to ${sizeText(w.upTo)}` : ''}`;
};
const fromText = (f: From): string => (f.kind === 'site' ? `site/${f.id}` : f.range);

/** Hours as `readHours` reads them back. */
const hoursText = (h: Hours): string =>
	`${daysWords(h.days).replaceAll('–', '-').replaceAll(', ', ',')} ${timeOfDay(h.from)}-${h.until === 0 ? '24:00' : timeOfDay(h.until)}`;

/** A rule as it is written: what `readRule` reads back to the same. */
export function writtenRule(r: AccessRule): WrittenRule {
	const some = <T>(key: string, values: readonly T[]) => (values.length ? { [key]: [...values] } : {});
	const { managed, branches, firmware, locks } = r.device;
	const device = {
		...(managed ? { managed: true as const } : {}),
		...(branches ? { branches: [...branches] } : {}),
		...(firmware === undefined ? {} : { firmware }),
		...(locks ? { locks: true as const } : {})
	};
	return {
		id: r.id,
		...(r.name ? { name: r.name } : {}),
		decide: r.effect,
		...(r.words === null ? {} : { say: r.words }),
		...some('who', r.who.map(whomText)),
		...some('but', r.whoNot.map(whomText)),
		...some('on', r.pools),
		...some('what', r.what.map(whatText)),
		...some('except', r.whatNot.map(whatText)),
		...some('from', r.from.map(fromText)),
		...(Object.keys(device).length ? { device } : {}),
		...(r.when.hours ? { hours: hoursText(r.when.hours) } : {}),
		...(r.when.duty ? { duty: r.when.duty } : {}),
		...(r.when.holidays ? { holidays: r.when.holidays } : {}),
		...some('through', r.how),
		...(r.daily
			? {
					daily: {
						...(r.daily.bytes === undefined ? {} : { amount: sizeText(r.daily.bytes) }),
						...(r.daily.minutes === undefined ? {} : { time: durationWords(r.daily.minutes * MINUTE) })
					}
				}
			: {})
	};
}

/** A size that is read back to the very same: in words where they say it exactly. */
export const sizeText = (bytes: number): string =>
	parseSize(sizeWords(bytes)) === bytes ? sizeWords(bytes) : `${bytes} B`;
