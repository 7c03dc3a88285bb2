import semver from 'semver';
import { countWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';

/** Which versions of its line a pool or a machine takes. */
export type FollowRule =
	| { takes: 'newest' }
	/** The newest within a range such as `3.x` or `>=3.1 <4`. */
	| { takes: 'range'; range: string }
	| { takes: 'exactly'; number: string }
	| { takes: 'nothing' };

/** When a machine takes what its rule asks for. A moment, ms UTC: from then on, whenever nobody is signed in. */
export type FollowWhen = 'next start' | 'next sign-out' | { from: number };

export const isRange = (text: string): boolean => semver.validRange(text) !== null && text.trim() !== '';

/** The rule in words: `newest 3.x`, `exactly 3.1.4`. */
export function ruleWords(rule: FollowRule): string {
	switch (rule.takes) {
		case 'newest':
			return 'newest';
		case 'range':
			return `newest ${rule.range}`;
		case 'exactly':
			return `exactly ${rule.number}`;
		case 'nothing':
			return 'nothing';
	}
}

/** The rule that words such as `newest 3.x` stand for, or null. */
export function parseRule(words: string): FollowRule | null {
	const text = words.trim();
	if (text === 'newest' || text === 'nothing') return { takes: text };
	const exactly = /^exactly (\S+)$/.exec(text)?.[1];
	if (exactly !== undefined) return semver.valid(exactly) === exactly ? { takes: 'exactly', number: exactly } : null;
	const range = /^newest (.+)$/.exec(text)?.[1];
	return range !== undefined && isRange(range) ? { takes: 'range', range } : null;
}

/** What can be said of a version before a machine is looked at. */
export interface FollowedVersion {
	number: string;
	held: boolean;
	retired: boolean;
	/** Open for work by hand: nothing is made from it meanwhile. */
	open: boolean;
}

/** A version that no rule but “exactly” picks, and why. */
function outOf(v: FollowedVersion): string | null {
	return v.open ? 'is open for work by hand' : v.retired ? 'is retired' : v.held ? 'is held back' : null;
}

/**
 * The version of a line that a rule asks for, or null. “Newest” and ranges pass over what is held, retired or open, and
 * over pre-releases unless the range names one; “exactly” takes its version even when it is held: whoever wrote the number
 * meant it.
 */
export function wanted(rule: FollowRule, versions: readonly FollowedVersion[]): string | null {
	// All machines of a pool share one rule and one list of versions: what they ask for is found once.
	let known = found.get(versions);
	if (!known) found.set(versions, (known = new WeakMap()));
	let to = known.get(rule);
	if (to === undefined) known.set(rule, (to = find(rule, versions)));
	return to;
}
const found = new WeakMap<readonly FollowedVersion[], WeakMap<FollowRule, string | null>>();

function find(rule: FollowRule, versions: readonly FollowedVersion[]): string | null {
	if (rule.takes === 'nothing') return null;
	if (rule.takes === 'exactly') {
		const exact = versions.find((v) => v.number === rule.number);
		return exact && !exact.open ? exact.number : null;
	}
	const fits = versions.filter(
		(v) =>
			outOf(v) === null &&
			(rule.takes === 'newest' ? semver.prerelease(v.number) === null : semver.satisfies(v.number, rule.range))
	);
	return (
		fits
			.map((v) => v.number)
			.sort(semver.compare)
			.at(-1) ?? null
	);
}

/**
 * The newest of a line's versions, by the one rule that “newest” means everywhere: what is held, retired, open for work or a pre-release is
 * passed over. Undefined where nothing is left.
 */
export const newestOf = <V extends FollowedVersion>(versions: readonly V[]): V | undefined => {
	const number = wanted(NEWEST, versions);
	return versions.find((v) => v.number === number);
};
const NEWEST: FollowRule = { takes: 'newest' };

/** A machine as the decision needs it. */
export interface FollowingMachine {
	name: string;
	line: string;
	/** The version that it is on. */
	version: string;
	rule: FollowRule;
	/** Whose rule it is: a machine may differ from its pool, and a rollout puts its own first. */
	ruleOf: 'pool' | 'machine' | 'rollout';
	when: FollowWhen;
	users: 'single' | 'multi';
	generation: 1 | 2;
	site: string;
	sessions: number;
	on: boolean;
	/** A computer of its own, on which no image can be put. */
	physical: boolean;
	reference: boolean;
	/** A job works on it right now. */
	busy: boolean;
	/** Times that it has failed to take the version that it is to take. */
	failures: (number: string) => number;
}

export interface FollowedLine {
	id: string;
	users: 'single' | 'multi';
	generation: 1 | 2;
	versions: readonly FollowedVersion[];
}

/** Whether a site has a version whole; when not, whether it is only not there yet or does not fit its window. */
export type AtSite = { whole: true } | { whole: false; why: 'site lacks it' | 'window too small'; words: string };

const TAKE_REASONS = [
	'takes it',
	'has it',
	'in use',
	'next start',
	'not yet',
	'being worked on',
	'follows nothing',
	'pinned',
	'held',
	'nothing newer',
	'other line',
	'system differs',
	'reference machine',
	'site lacks it',
	'window too small',
	'failed twice'
] as const;
export type TakeReason = (typeof TAKE_REASONS)[number];

/** Reasons with which a machine takes the version sooner or later without anybody doing more. */
export const WILL_TAKE: ReadonlySet<TakeReason> = new Set<TakeReason>([
	'takes it',
	'in use',
	'next start',
	'not yet',
	'being worked on'
]);

export interface Move {
	/** The version that the machine is to be on; null where its rule asks for none. */
	to: string | null;
	reason: TakeReason;
	/** True when it is taken at this very moment. */
	now: boolean;
}

/** After this many failures a machine is left alone until somebody looks. */
export const TRIES = 2;

/**
 * What a machine does at a moment about the version that its rule asks for. The same decision makes the plan and is
 * carried out, minute by minute: what a plan says is what happens, as long as its facts stay as they are.
 */
export function decideMove(
	m: FollowingMachine,
	line: FollowedLine,
	atSite: (number: string) => AtSite,
	now: number
): Explained<Move> {
	const facts: Fact[] = [];
	const say = (words: string, side?: Fact['side'], about?: Fact['about']) =>
		facts.push({ words, ...(side ? { side } : {}), ...(about ? { about } : {}), source: 'follow rule' });
	const end = (to: string | null, reason: TakeReason, isNow = false): Explained<Move> => ({
		value: { to, reason, now: isNow },
		facts
	});

	say(
		`${m.ruleOf === 'pool' ? 'its pool follows' : m.ruleOf === 'rollout' ? 'a rollout has it follow' : 'it follows, other than its pool,'} ${ruleWords(m.rule)}`
	);
	if (m.reference) {
		say('it is a reference machine: versions are made on it, not given to it', 'against');
		return end(null, 'reference machine');
	}
	if (m.rule.takes === 'nothing') return end(null, 'follows nothing');
	const to = wanted(m.rule, line.versions);
	if (to === null) {
		const exact =
			m.rule.takes === 'exactly'
				? line.versions.find((v) => v.number === (m.rule as { number: string }).number)
				: undefined;
		say(
			exact ? `${line.id} ${exact.number} ${outOf(exact) ?? 'cannot be taken'}` : `no version of ${line.id} fits that`,
			'against'
		);
		return end(null, exact ? 'held' : 'nothing newer');
	}
	if (to === m.version) {
		say(`it is on ${to} already`, 'for');
		return end(to, 'has it');
	}
	if (m.rule.takes !== 'exactly' && semver.lt(to, m.version)) {
		say(`the newest that fits is ${to}, older than its ${m.version}: it does not go back by itself`, 'against');
		return end(null, 'nothing newer');
	}
	say(`that is ${line.id} ${to}`, 'for', { kind: 'version', id: `${line.id}/${to}` });
	if (m.physical) {
		say('it is a physical machine: no image can be put on it', 'against');
		return end(to, 'system differs');
	}
	if (line.generation !== m.generation || line.users !== m.users) {
		say(
			line.generation !== m.generation
				? `${line.id} is of generation ${line.generation}, the machine of generation ${m.generation}`
				: `${line.id} is a ${line.users}-user system, the machine a ${m.users}-user one`,
			'against'
		);
		return end(to, 'system differs');
	}
	const there = atSite(to);
	if (!there.whole) {
		say(there.words, 'against', { kind: 'site', id: m.site });
		return end(to, there.why);
	}
	const failed = m.failures(to);
	if (failed >= TRIES) {
		say(`it failed to take it ${failed} times: somebody has to look`, 'against');
		return end(to, 'failed twice');
	}
	if (failed) say('it failed to take it once; it is tried again');
	if (m.busy) {
		say('a job works on it', 'against');
		return end(to, 'being worked on');
	}
	if (typeof m.when === 'object' && m.when.from > now) {
		say('its time has not come', 'against');
		return end(to, 'not yet');
	}
	if (m.sessions > 0) {
		say(`${countWords(m.sessions, 'session')} on it: it waits for the last sign-out`, 'against');
		return end(to, 'in use');
	}
	if (m.when === 'next start' && m.on) {
		say('it is on: it takes it before its next start', 'against');
		return end(to, 'next start');
	}
	say(m.on ? 'nobody is signed in' : 'it is off', 'for');
	return end(to, 'takes it', true);
}

/**
 * What one machine does about one version that somebody asks about, be it the one its rule asks for or not: `decideMove`
 * where it is, else why its rule passes the version over.
 */
export function decideAbout(
	m: FollowingMachine,
	number: string,
	lineOf: FollowedLine,
	asked: string,
	atSite: (number: string) => AtSite,
	now: number
): Explained<Move> {
	if (m.line !== asked)
		return {
			value: { to: null, reason: 'other line', now: false },
			facts: [{ words: `it is a machine of ${m.line}`, side: 'against', source: 'follow rule' }]
		};
	const move = decideMove(m, lineOf, atSite, now);
	if (m.version === number) return { value: { to: number, reason: 'has it', now: false }, facts: [...move.facts] };
	if (move.value.to === number || move.value.reason === 'follows nothing' || move.value.reason === 'reference machine')
		return move;
	const version = lineOf.versions.find((v) => v.number === number);
	const out = version ? outOf(version) : 'is not there';
	const pinned = m.rule.takes === 'exactly' || (m.rule.takes === 'range' && !semver.satisfies(number, m.rule.range));
	return {
		value: { to: move.value.to, reason: pinned ? 'pinned' : out ? 'held' : 'nothing newer', now: false },
		facts: [
			...move.facts,
			{
				words: pinned
					? `its rule leaves ${number} out`
					: out
						? `${number} ${out}`
						: `${move.value.to ?? m.version} comes before ${number}`,
				side: 'against',
				source: 'follow rule'
			}
		]
	};
}

/** Who takes a version: every machine's decision, in groups of the same reason, those that take it first. */
export function groupTakes<T extends { value: Move; facts: Fact[] }>(
	decisions: readonly T[]
): { reason: TakeReason; items: T[] }[] {
	const groups = new Map<TakeReason, T[]>();
	for (const d of decisions) {
		const list = groups.get(d.value.reason);
		if (list) list.push(d);
		else groups.set(d.value.reason, [d]);
	}
	return TAKE_REASONS.flatMap((reason) => {
		const items = groups.get(reason);
		return items ? [{ reason, items }] : [];
	});
}
