import ipaddr from 'ipaddr.js';
import { stillAsked, whyReached } from '$lib/core/reach/decide';
import { channelOf } from '$lib/core/reach/channels';
import { readMomentOfWeek, readTarget } from '$lib/core/reach/file';
import { targetCalled } from '$lib/core/reach/hosts';
import type { Ask, Rulebook, Used, Way } from '$lib/core/reach/rules';
import { siteName, type Target } from '$lib/core/reach/targets';
import { WHATEVER } from '$lib/core/reach/written';
import { World } from '$lib/core/reach/world';
import { fullVersion } from '$lib/core/endpoints/condition';
import type { Context } from '../context';
import type { Db } from '../db';
import { personCalled } from '../directory';
import type { Look } from '../moment';
import { InputProblem } from '../plans/kind';
import { circumstancesAt } from './circumstances';
import { asReacher, servicesAt, spokenAt, type ServiceRow } from './queries';
import { inForceAt } from './standing';
import { targetsWords } from './words';

/** What is asked of the tester; what is not said is as it is known. */
export interface Tried {
	person: string;
	/** `site/tides.example`, `service/depot`, `channel/clipboard-out of 4 KB`, or `host/…` with what somebody would write: `host/depths.example:5432`. */
	what: string;
	from?: string | undefined;
	on?: string | undefined;
	managed?: 'yes' | 'no' | undefined;
	branch?: string | undefined;
	firmware?: string | undefined;
	locks?: 'yes' | 'no' | undefined;
	duty?: 'on' | 'off' | undefined;
	holiday?: 'yes' | 'no' | undefined;
	/** A day and time of a week, such as `Tue 14:30`. */
	when?: string | undefined;
	through?: Way | undefined;
	/** Whether all that rules give a day is left, or used up; else as it is. */
	share?: 'left' | 'used' | undefined;
}

/** What is written where nothing is known of it: of an address, a branch, a firmware. */
export const NOTHING_KNOWN = '-';

export const wrong = (field: string, words: string) => new InputProblem([{ field, words }]);

/** What somebody has had today of what rules give, as whatever stands at the doors has counted it; null: that is not known, or it is about another day. */
export const hadToday = async (
	{ db, providers }: Pick<Context, 'db' | 'providers'>,
	tried: Tried,
	{ live, at }: Pick<Look, 'live' | 'at'>
): Promise<Record<string, Used> | null> => {
	const person = live && tried.share === undefined && tried.when === undefined && personCalled(db, tried.person, at);
	return person ? providers.broker.shares(person.login).catch(() => null) : null;
};

/** More than anybody is given. */
const ALL: Used = { bytes: Infinity, minutes: Infinity };

/**
 * Whether somebody may reach something at a moment, by which rule, and why those before it do not.
 * @param drafted rules in the place of those in force
 * @param had what they have had today of what rules give; null: nothing is known of it, and it counts as nothing
 */
export function triedReach(
	db: Db,
	tried: Tried,
	at: number,
	drafted?: Rulebook,
	had: Readonly<Record<string, Used>> | null = null
) {
	const person = personCalled(db, tried.person, at);
	if (!person) throw wrong('person', 'The directory knows nobody of that login.');
	if (tried.from !== undefined && tried.from !== NOTHING_KNOWN && !ipaddr.isValid(tried.from))
		throw wrong('from', 'Write an address such as 10.21.4.20.');
	const spoken = spokenAt(db, at);
	if (tried.on !== undefined && !spoken.has('pool', tried.on))
		throw wrong('on', `There is no pool ${tried.on.slice(0, 60)}.`);
	if (tried.branch !== undefined && tried.branch !== NOTHING_KNOWN && !spoken.has('branch', tried.branch))
		throw wrong('branch', `There is no branch ${tried.branch.slice(0, 60)}.`);
	if (tried.firmware !== undefined && tried.firmware !== NOTHING_KNOWN && fullVersion(tried.firmware.trim()) === null)
		throw wrong('firmware', 'Write a version such as 4.2.');
	const target = targetOf(tried.what, servicesAt(db, at));
	const known = circumstancesAt(db, at, person)(person);
	const minute = tried.when === undefined ? known.minute : readMomentOfWeek(tried.when);
	if (minute === null) throw wrong('when', 'Write a day and a time such as Tue 14:30.');
	const ask: Ask = {
		person: asReacher(person),
		target,
		pool: tried.on ?? known.pool,
		address: said(tried.from, known.address),
		managed: tried.managed === undefined ? known.managed : tried.managed === 'yes',
		branch: said(tried.branch, known.branch),
		firmware: said(tried.firmware?.trim(), known.firmware),
		locks: tried.locks === undefined ? known.locks : tried.locks === 'yes',
		minute,
		onDuty: tried.duty === undefined ? known.onDuty : tried.duty === 'on',
		holiday: tried.holiday === undefined ? known.holiday : tried.holiday === 'yes',
		way: tried.through ?? known.way
	};
	const inForce = inForceAt(db, at);
	const { value, facts } = whyReached(
		drafted ? new World(drafted.rules, drafted.otherwise, inForce.ground) : inForce.world,
		ask,
		spoken.names,
		(rule) => (tried.share === 'used' ? ALL : had && Object.hasOwn(had, rule.id) ? had[rule.id] : undefined)
	);
	if (target.kind === 'channel' && value.effect !== 'refuse')
		facts.push({
			words: `beside that, the grant of what they open has to give ${channelOf(target.passage)}`,
			source: 'grants'
		});
	const book = (drafted ?? inForce.book).rules;
	if (had === null && tried.share === undefined && book.slice(0, value.number ?? book.length).some((r) => r.daily))
		facts.push({
			words: 'what they have had of a day’s share then is not known: it counts as nothing',
			source: 'access rules'
		});
	return {
		person: person.name,
		target: targetsWords([target], spoken.names),
		address: ask.address ?? '',
		decides: value.effect,
		asks: stillAsked(value.effect, ask.way, { factor: false, reason: false }),
		rule: value.rule,
		number: value.number,
		tells: value.words,
		facts
	};
}

/** What was said, `NOTHING_KNOWN` meaning that nothing is; else what is known. */
const said = (given: string | undefined, known: string | null): string | null =>
	given === undefined ? known : given === NOTHING_KNOWN ? null : given;

/** What is asked about, as it is written: `site/…`, `service/…`, `channel/…` or `host/…`. Throws where it is none. */
export function targetOf(what: string, services: readonly ServiceRow[]): Target {
	const slash = what.indexOf('/');
	const [kind, id] = [what.slice(0, slash), what.slice(slash + 1).trim()];
	if (kind === 'site') {
		const host = siteName(id);
		if (host === null) throw wrong('what', `${id.slice(0, 60)} is no name of a web site.`);
		return { kind, host };
	}
	if (kind === 'host') {
		const meant = targetCalled(id, services);
		if ('wrong' in meant) throw wrong('what', meant.wrong);
		return meant;
	}
	if (kind === 'channel') {
		const meant = readTarget(what, WHATEVER);
		if ('wrong' in meant) throw wrong('what', meant.wrong);
		return meant;
	}
	if (kind !== 'service') throw wrong('what', 'Write site/…, service/…, channel/… or host/….');
	if (!services.some((s) => s.id === id)) throw wrong('what', `There is no service ${id.slice(0, 60)}.`);
	return { kind, id };
}
