import { inHours, hoursWords, type Hours } from '../time/hours';
import { clockWords, dayWords, isoDate, isoWords } from '../time/zone';
import { proofWords, type DeviceProof } from '../endpoints/proof';
import { inRange } from '../network/addresses';
import type { Explained, Fact } from '../why/explained';

/** Devices and the clipboard that a session may pass through. */
export const CHANNELS = ['clipboard', 'drives', 'printers', 'cameras', 'microphones', 'downloads'] as const;
export type Channel = (typeof CHANNELS)[number];

/** What has to hold for a grant to count. An absent condition always holds. */
export interface Conditions {
	hours?: Hours;
	/** The endpoint is one that Sextant manages: it proves itself by a certificate that is good. */
	managedEndpoint?: boolean;
	/** The person has given a second factor at this sign-in. */
	secondFactor?: boolean;
	/** Address ranges of which one must hold the person's address. */
	networks?: string[];
	/** First and last day on which it counts, such as 2026-12-01, on the wall clock of the person’s site. */
	from?: string;
	to?: string;
}

/** Whether a grant has begun, and whether it has run out, at a moment in a zone. */
export function inDates(c: Pick<Conditions, 'from' | 'to'>, zone: string, at: number): 'before' | 'in' | 'over' {
	if (c.from === undefined && c.to === undefined) return 'in';
	const day = isoDate(zone, at);
	if (c.to !== undefined && day > c.to) return 'over';
	return c.from !== undefined && day < c.from ? 'before' : 'in';
}

export interface GrantRule {
	id: string;
	/** Who it is given to: a team (with the teams below it) or one person. */
	to: { kind: 'team' | 'person'; id: string; name: string };
	conditions: Conditions;
	channels: Channel[];
}

export interface DoorTeam {
	id: string;
	name: string;
}

/** What a publication itself says of who may open it, whatever is granted. What is absent keeps nobody out. */
export interface Door {
	/** Nobody is let in for now. */
	off?: boolean;
	/** Teams that see it, with the teams below them; others do not find it on their shelf. None: everybody. */
	visible?: readonly DoorTeam[];
	/** Teams whose people may start what it opens, as its package says. None: everybody. */
	starters?: readonly DoorTeam[];
	/** What people of other teams are told. */
	refusal?: string;
}

const isAmong = (teams: readonly string[], some: readonly DoorTeam[] | undefined): boolean =>
	!some?.length || some.some((t) => teams.includes(t.id));

/** Teams of a door in words. */
export const namesOf = (teams: readonly DoorTeam[]): string => teams.map((t) => t.name).join(', ');

/** Whether somebody of these teams (their own and all above it) finds a publication at all, once it is granted. */
export const sees = (door: Door, teams: readonly string[]): boolean => isAmong(teams, door.visible);

/** Whether somebody of these teams may start what a publication opens. */
export const mayStart = (door: Door, teams: readonly string[]): boolean => isAmong(teams, door.starters);

/** A person who asks, from somewhere, at some time. */
export interface AccessRequest {
	personId: string;
	/** The person's team and every team above it. */
	teams: string[];
	at: number;
	/** The moment on whose day grants have begun or run out, where it is another: a sign-in of last week, tried on what is to come. */
	on?: number;
	/** Time zone of the person's site: hours are read on that wall clock. */
	zone: string;
	address: string;
	/** What they ask from, and what it proves. */
	device: DeviceProof;
	secondFactor: boolean;
	/** Their first moment, and the one from which on they are there no longer, ms UTC; absent: ever. */
	begins?: number;
	ends?: number;
}

/** What somebody at the door lacks: what they are told follows from it, in their own language. */
export type Lack =
	| { kind: 'grant' | 'managed' | 'device' | 'factor' | 'network' | 'ended' | 'off' | 'hidden' }
	/** It is theirs from a day on, as a date such as 2026-12-01. */
	| { kind: 'from'; day: string }
	/** They themselves begin on a day, ms UTC in a zone. */
	| { kind: 'begins'; at: number; zone: string }
	| { kind: 'hours'; hours: Hours }
	/** Their teams may not start what it opens; in the words of its package, where it has any. */
	| { kind: 'starters'; words: string | null };

export interface Decision {
	allowed: boolean;
	/** The grant that lets them in, or the one that came closest. */
	grant: string | null;
	channels: Channel[];
	/** What stands between them and it; null where nothing does. */
	lack: Lack | null;
	/** For the person at the door: what to do about a refusal. */
	advice: string | null;
}

/** What to do about it, in English. Null where only the package could say. */
export function adviceOn(lack: Lack): string | null {
	switch (lack.kind) {
		case 'grant':
			return 'Ask the helpdesk to grant it to you.';
		case 'begins':
			return `It is yours from ${dayWords(lack.zone, lack.at)}.`;
		case 'ended':
			return 'Your account has ended. Ask whoever you reported to.';
		case 'off':
			return 'It is switched off for now. Try again later.';
		case 'hidden':
			return 'Ask the helpdesk to show it to your team.';
		case 'starters':
			return lack.words;
		case 'from':
			return `It is yours from ${isoWords(lack.day)}.`;
		case 'hours':
			return `Try again in its hours: ${hoursWords(lack.hours)}.`;
		case 'managed':
			return 'Use a device that your organisation manages.';
		case 'device':
			return 'This device has been shut out. Use another one, or ask the helpdesk.';
		case 'factor':
			return 'Sign in again with your second factor.';
		case 'network':
			return 'Connect from an office network or ship.';
	}
}

/**
 * May this person open the publication that `grants` belong to? The first grant whose conditions all hold
 * decides, grants to the person before grants to teams. Channels are those of every grant that holds, together. A grant
 * that has run out reaches nobody.
 */
export function decideAccess(request: AccessRequest, grants: GrantRule[]): Explained<Decision> {
	const reaching = grants
		.filter((g) => inDates(g.conditions, request.zone, request.on ?? request.at) !== 'over')
		.filter((g) => (g.to.kind === 'person' ? g.to.id === request.personId : request.teams.includes(g.to.id)))
		.sort((a, b) => (a.to.kind === b.to.kind ? 0 : a.to.kind === 'person' ? -1 : 1));
	const facts: Fact[] = [];
	if (reaching.length === 0) {
		facts.push({
			words: grants.length
				? 'none of the grants of this publication reaches this person or a team of theirs'
				: 'nobody has been granted this publication',
			side: 'against',
			source: 'grants'
		});
		return {
			value: refused(null, { kind: 'grant' }),
			facts
		};
	}
	const channels = new Set<Channel>();
	let winner: GrantRule | null = null;
	let closest: { grant: GrantRule; failed: Fact[]; lack: Lack } | null = null;
	for (const grant of reaching) {
		const about = { kind: 'grant', id: grant.id, name: `grant to ${grant.to.name}` };
		facts.push({
			words: `the grant to ${grant.to.name} reaches this person`,
			side: 'for',
			about,
			source: grant.to.kind === 'team' ? 'directory' : 'grants'
		});
		const checked = checkConditions(request, grant.conditions);
		facts.push(...checked.facts.map((f) => ({ ...f, about })));
		const failed = checked.facts.filter((f) => f.side === 'against');
		if (failed.length === 0) {
			winner ??= grant;
			grant.channels.forEach((c) => channels.add(c));
		} else if (!closest || failed.length < closest.failed.length) {
			closest = { grant, failed, lack: checked.lack! };
		}
	}
	return {
		value: winner
			? {
					allowed: true,
					grant: winner.id,
					channels: CHANNELS.filter((c) => channels.has(c)),
					lack: null,
					advice: null
				}
			: refused(closest!.grant.id, closest!.lack),
		facts
	};
}

const refused = (grant: string | null, lack: Lack): Decision => ({
	allowed: false,
	grant,
	channels: [],
	lack,
	advice: adviceOn(lack)
});

/**
 * May this person open a publication? Its own door comes before its grants: what is off, what they do not see, and what their
 * teams may not start stays shut whatever is granted; so does everything to a device that was shut out.
 */
export function decideOpening(request: AccessRequest, door: Door, grants: GrantRule[]): Explained<Decision> {
	const decision = decideAccess(request, grants);
	const shut: { words: string; source: string; lack: Lack }[] = [];
	if (request.begins !== undefined && request.at < request.begins)
		shut.push({
			words: `they begin only on ${dayWords(request.zone, request.begins)}`,
			source: 'directory',
			lack: { kind: 'begins', at: request.begins, zone: request.zone }
		});
	if (request.ends !== undefined && request.at >= request.ends)
		shut.push({
			words: `they ended on ${dayWords(request.zone, request.ends - 1)}`,
			source: 'directory',
			lack: { kind: 'ended' }
		});
	if (request.device.certificate === 'revoked')
		shut.push({ words: proofWords(request.device), source: 'endpoint', lack: { kind: 'device' } });
	if (door.off) shut.push({ words: 'it is switched off', source: 'publication', lack: { kind: 'off' } });
	if (!sees(door, request.teams))
		shut.push({
			words: `it is shown to ${namesOf(door.visible!)} alone`,
			source: 'publication',
			lack: { kind: 'hidden' }
		});
	if (!mayStart(door, request.teams))
		shut.push({
			words: `its package is for ${namesOf(door.starters!)} alone`,
			source: 'package',
			lack: { kind: 'starters', words: door.refusal ?? null }
		});
	if (shut.length === 0) return decision;
	const { lack } = shut[0]!;
	return {
		value: { ...refused(decision.value.grant, lack), advice: adviceOn(lack) ?? decision.value.advice },
		facts: [...decision.facts, ...shut.map(({ words, source }): Fact => ({ words, side: 'against', source }))]
	};
}

function checkConditions(request: AccessRequest, conditions: Conditions): { facts: Fact[]; lack: Lack | null } {
	const facts: Fact[] = [];
	let lack: Lack | null = null;
	const judge = (holds: boolean, yes: string, no: string, ifNot: Lack, source: string) => {
		facts.push({ words: holds ? yes : no, side: holds ? 'for' : 'against', source });
		if (!holds) lack ??= ifNot;
	};
	if (conditions.from !== undefined || conditions.to !== undefined) {
		const from = isoWords(conditions.from ?? '');
		judge(
			inDates(conditions, request.zone, request.on ?? request.at) === 'in',
			conditions.to === undefined ? `it has counted since ${from}` : `it counts to ${isoWords(conditions.to)}`,
			`it begins only on ${from}`,
			{ kind: 'from', day: conditions.from ?? '' },
			'grant'
		);
	}
	if (conditions.hours) {
		const words = hoursWords(conditions.hours);
		const clock = clockWords(request.zone, request.at);
		judge(
			inHours(conditions.hours, request.zone, request.at),
			`${clock} lies in its hours, ${words}`,
			`${clock} lies outside its hours, ${words}`,
			{ kind: 'hours', hours: conditions.hours },
			'clock of their site'
		);
	}
	if (conditions.managedEndpoint) {
		const words = proofWords(request.device);
		judge(request.device.certificate === 'good', words, words, { kind: 'managed' }, 'endpoint');
	}
	if (conditions.secondFactor) {
		judge(
			request.secondFactor,
			'a second factor was given',
			'no second factor was given',
			{ kind: 'factor' },
			'sign-in'
		);
	}
	if (conditions.networks?.length) {
		const range = conditions.networks.find((n) => inRange(request.address, n));
		judge(
			range !== undefined,
			`${request.address} lies in ${range}`,
			`${request.address} lies in none of ${conditions.networks.join(', ')}`,
			{ kind: 'network' },
			'gateway'
		);
	}
	if (facts.length === 0) facts.push({ words: 'it has no conditions', side: 'for', source: 'grants' });
	return { facts, lack };
}

/** A grant's conditions as one clause: `Mon–Fri 07:00–19:00, managed endpoint`. */
export function conditionsWords(c: Conditions): string {
	const parts = [
		c.from !== undefined ? `from ${isoWords(c.from)}` : null,
		c.to !== undefined ? `to ${isoWords(c.to)}` : null,
		c.hours ? hoursWords(c.hours) : null,
		c.managedEndpoint ? 'managed endpoint' : null,
		c.secondFactor ? 'second factor' : null,
		c.networks?.length ? `from ${c.networks.join(', ')}` : null
	].filter((p) => p !== null);
	return parts.length ? parts.join(' · ') : 'no conditions';
}
