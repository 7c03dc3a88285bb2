import ipaddr from 'ipaddr.js';
import { stillAsked, whyReached } from '$lib/core/reach/decide';
import { readMomentOfWeek } from '$lib/core/reach/file';
import type { Ask, Way } from '$lib/core/reach/rules';
import { siteName, type Target } from '$lib/core/reach/targets';
import { wallTime } from '$lib/core/time/zone';
import type { Db } from '../db';
import { personCalled } from '../directory';
import { InputProblem } from '../plans/kind';
import { deviceOf } from './device';
import { asReacher, servicesAt, spokenAt, worldAt } from './queries';

/** What is asked of the tester; what is not said is as it is known. */
export interface Tried {
	person: string;
	/** `site/tides.example` or `service/depot`. */
	what: string;
	from?: string | undefined;
	on?: string | undefined;
	managed?: 'yes' | 'no' | undefined;
	duty?: 'on' | 'off' | undefined;
	holiday?: 'yes' | 'no' | undefined;
	/** A day and time of a week, such as `Tue 14:30`. */
	when?: string | undefined;
	through?: Way | undefined;
}

const wrong = (field: string, words: string) => new InputProblem([{ field, words }]);

/** Whether somebody may reach something at a moment, by which rule, and why those before it do not. */
export function triedReach(db: Db, tried: Tried, at: number) {
	const person = personCalled(db, tried.person, at);
	if (!person) throw wrong('person', 'The directory knows nobody of that login.');
	if (tried.from !== undefined && !ipaddr.isValid(tried.from))
		throw wrong('from', 'Write an address such as 10.21.4.20.');
	const spoken = spokenAt(db, at);
	if (tried.on !== undefined && !spoken.has('pool', tried.on))
		throw wrong('on', `There is no pool ${tried.on.slice(0, 60)}.`);
	const target = targetOf(
		tried.what,
		servicesAt(db, at).map((s) => s.id)
	);
	const wall = wallTime(person.zone, at);
	const minute = tried.when === undefined ? (wall.weekday - 1) * 1440 + wall.minute : readMomentOfWeek(tried.when);
	if (minute === null) throw wrong('when', 'Write a day and a time such as Tue 14:30.');
	const device = deviceOf(db, person, at);
	const ask: Ask = {
		person: asReacher(person),
		target,
		pool: tried.on ?? null,
		address: tried.from ?? (person.address || null),
		...device,
		managed: tried.managed === undefined ? device.managed : tried.managed === 'yes',
		minute,
		onDuty: tried.duty !== 'off',
		holiday: tried.holiday === 'yes',
		way: tried.through ?? 'device'
	};
	const { value, facts } = whyReached(worldAt(db, at), ask, spoken.names);
	return {
		person: person.name,
		target: target.kind === 'site' ? target.host : spoken.names.what([{ kind: 'service', id: target.id! }]),
		address: ask.address ?? '',
		decides: value.effect,
		asks: stillAsked(value.effect, { way: ask.way, factor: false, reason: false }),
		rule: value.rule,
		number: value.number,
		tells: value.words,
		facts
	};
}

function targetOf(what: string, services: readonly string[]): Target {
	const slash = what.indexOf('/');
	const [kind, id] = [what.slice(0, slash), what.slice(slash + 1).trim()];
	if (kind === 'site') {
		const host = siteName(id);
		if (host === null) throw wrong('what', `${id.slice(0, 60)} is no name of a web site.`);
		return { kind, host };
	}
	if (kind !== 'service') throw wrong('what', 'Write site/… or service/….');
	if (!services.includes(id)) throw wrong('what', `There is no service ${id.slice(0, 60)}.`);
	return { kind, id };
}
