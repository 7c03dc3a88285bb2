import type { Hours } from '../time/hours';
import type { Target, What } from './targets';

/** Whom a rule is about. */
export interface Whom {
	kind: 'team' | 'person' | 'employment';
	/** A team’s id, a person’s login, or a kind of employment as the directory spells it. */
	id: string;
}

/** How somebody reaches it: by their device’s own network, in the browser alone, or in an isolated window. */
export const WAYS = ['device', 'browser', 'window'] as const;
export type Way = (typeof WAYS)[number];

/** What a rule decides: the further along, the more it asks; the last lets nobody through. */
export const EFFECTS = ['allow', 'reason', 'factor', 'window', 'refuse'] as const;
/** `reason`: they say what for; `factor`: they show their second factor; `window`: as a picture alone. */
export type Effect = (typeof EFFECTS)[number];

/** Where somebody is: in the networks of a site, or in a range of addresses. */
export type From = { kind: 'site'; id: string } | { kind: 'network'; range: string };

/** What a device has to prove; what is absent is not asked. */
export interface DeviceTerms {
	/** It has a certificate of Sextant’s that is good. */
	managed?: boolean;
	/** It stands in one of these branches, or below. */
	branches?: readonly string[];
	/** Its firmware is this version or a later one. */
	firmware?: string;
	/** Its screen locks by itself. */
	locks?: boolean;
}

/** When it counts; what is absent is not asked. All of it has to hold. */
export interface Times {
	/** On the wall clock of the person’s site. */
	hours?: Hours;
	/** By their roster. */
	duty?: 'on' | 'off';
	/** Holidays of their site. */
	holidays?: 'only' | 'not';
}

/** How much a day for each person: once either is used up the rule is as if it were not there, until midnight at their site. */
export interface Daily {
	bytes?: number;
	minutes?: number;
}

/** One rule. Of what is empty or absent nothing is asked; everything that is said has to hold. */
export interface AccessRule {
	id: string;
	name: string;
	effect: Effect;
	/** What people are told whom it refuses or asks for more. */
	words: string | null;
	/** Any of these; empty: everybody. */
	who: readonly Whom[];
	/** And none of these. */
	whoNot: readonly Whom[];
	/** From the machines of these pools alone; empty: from wherever. */
	pools: readonly string[];
	/** Any of these; empty: whatever it is that people reach. What passes a session is spoken of by name alone. */
	what: readonly What[];
	/** And none of these. */
	whatNot: readonly What[];
	from: readonly From[];
	device: DeviceTerms;
	when: Times;
	how: readonly Way[];
	daily: Daily | null;
}

/** A rule that asks nothing: everybody, whatever they reach, in all circumstances. */
export const plainRule = (id: string, effect: Effect): AccessRule => ({
	id,
	name: '',
	effect,
	words: null,
	who: [],
	whoNot: [],
	pools: [],
	what: [],
	whatNot: [],
	from: [],
	device: {},
	when: {},
	how: [],
	daily: null
});

/** What decides where no rule does. */
export interface Otherwise {
	web: 'allow' | 'refuse';
	services: 'allow' | 'refuse';
	/** What passes between sessions and devices, of what a grant gives; absent: allow. */
	channels?: 'allow' | 'refuse';
}

/** What decides where no rule does, said in full. */
export const endsOf = (o: Otherwise): Required<Otherwise> => ({
	web: o.web,
	services: o.services,
	channels: o.channels ?? 'allow'
});

/** Rules in their order: the first that fits decides. */
export interface Rulebook {
	rules: readonly AccessRule[];
	otherwise: Otherwise;
}

/** Somebody, as rules tell people apart. */
export interface Reacher {
	login: string;
	/** Their teams and every team above those. */
	teams: readonly string[];
	employment: string | null;
}

/** Everything but who and what. */
export interface Circumstances {
	/** The pool of the machine that they are on; null: no machine of ours. */
	pool: string | null;
	/** Where they sit; null: not known. */
	address: string | null;
	/** What their device proves of itself: it has a certificate that is good … */
	managed: boolean;
	/** … the branch that it stands in, null where it stands in none … */
	branch: string | null;
	/** … its firmware, null where that is not known … */
	firmware: string | null;
	/** … and whether its screen locks by itself. */
	locks: boolean;
	/** Minutes since Monday 00:00 on the wall clock of their site. */
	minute: number;
	onDuty: boolean;
	holiday: boolean;
	way: Way;
}

/** Circumstances of which nothing is said. */
export const ANYWHERE: Circumstances = {
	pool: null,
	address: null,
	managed: false,
	branch: null,
	firmware: null,
	locks: false,
	minute: 0,
	onDuty: true,
	holiday: false,
	way: 'device'
};

/** Somebody who wants to reach something. */
export interface Ask extends Circumstances {
	person: Reacher;
	target: Target;
}

/** What somebody has had of a rule today. */
export interface Used {
	bytes: number;
	minutes: number;
}

/** Whether nothing is left of a day’s share. */
export const usedUp = (daily: Daily, used: Used): boolean =>
	used.bytes >= (daily.bytes ?? Infinity) || used.minutes >= (daily.minutes ?? Infinity);

/** The id of what decides where no rule does. */
export const OTHERWISE = '';

/** How much rules name altogether: people, teams, targets, places. What is worked out of them takes the longer, the more there is. */
export const namedIn = (rules: readonly AccessRule[]): number =>
	rules.reduce(
		(n, r) =>
			n +
			r.who.length +
			r.whoNot.length +
			r.pools.length +
			r.what.length +
			r.whatNot.length +
			r.from.length +
			(r.device.branches?.length ?? 0),
		0
	);

/** How many sizes rules tell apart of what passes sessions: each makes a class of its own of everything that passes. */
export const sizesIn = (rules: readonly AccessRule[]): number =>
	new Set(
		rules.flatMap((r) =>
			[...r.what, ...r.whatNot].flatMap((w) => (w.kind === 'channel' && w.upTo !== null ? [w.upTo] : []))
		)
	).size;
