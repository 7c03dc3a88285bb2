import { countWords, sizeWords } from '../time/units';
import type { Fact } from '../why/explained';

/** How sessions that are open at the end are dealt with: they run on, people are asked and signed out a quarter of an hour later, or at once. */
export const SESSION_ENDS = ['finish', 'ask', 'end'] as const;
export type SessionsEnd = (typeof SESSION_ENDS)[number];

/** What becomes of machines and files that somebody leaves, once they are kept no longer. */
export const AFTERWARDS = ['remove', 'hand'] as const;
export type Afterwards = (typeof AFTERWARDS)[number];

/** Who takes over. */
export interface Heir {
	login: string;
	name: string;
	/** Whether they may sign in to the console: what runs in somebody's name there can run in theirs. */
	operates: boolean;
	/** Pools of which they keep a machine. */
	keeps: readonly string[];
}

/** What somebody has, and what hangs on them. */
export interface Belongings {
	/** Publications whose requests go to them. */
	answersFor: readonly { id: string; name: string }[];
	/** Machines that they keep. */
	machines: readonly { name: string; pool: string; poolName: string }[];
	/** Bytes of their profile. */
	profile: number;
	/** People who report to them; `told`: others tell so, and it is changed there. */
	reports: readonly { login: string; name: string; told: boolean }[];
	/** What runs again and again in their name. */
	schedules: readonly { id: number; title: string }[];
	/** Requests of theirs that wait for an answer. */
	requests: number;
	/** Publications that are granted to them alone. */
	grants: readonly { id: number; name: string }[];
	/** Their role in the console, where they may sign in there. */
	role: string | null;
	/** Tokens that they have made, and that work. */
	tokens: readonly string[];
	/** Devices that are theirs, and nobody else’s. */
	devices: readonly { id: number; name: string }[];
	/** Sessions that are open. */
	sessions: readonly { id: number; machine: string }[];
	/** Whether they have given a second factor. */
	factor: boolean;
}

const names = (list: readonly { name: string }[], most = 4): string =>
	list.length > most
		? `${list
				.slice(0, most - 1)
				.map((x) => x.name)
				.join(', ')} and ${list.length - most + 1} more`
		: list.map((x) => x.name).join(', ');

/**
 * What would be left without an owner, were somebody to leave with nobody to take over, or with somebody who cannot. None where everything
 * has somebody.
 */
export function ownerless(b: Belongings, heir: Heir | null, after: Afterwards): Fact[] {
	const facts: Fact[] = [];
	const against = (words: string, source: string, about?: Fact['about']): void =>
		void facts.push({ words, side: 'against', source, ...(about ? { about } : {}) });
	if (heir === null) {
		for (const p of b.answersFor)
			against(`requests for ${p.name} would go to nobody`, 'publication', {
				kind: 'publication',
				id: p.id,
				name: p.name
			});
		const ours = b.reports.filter((r) => !r.told);
		if (ours.length) against(`${names(ours)} would report to nobody`, 'people');
	}
	if (b.schedules.length && heir?.operates !== true)
		against(
			`${names(b.schedules.map((s) => ({ name: s.title })))} would stop${heir ? `: ${heir.name} may not sign in to the console` : ''}`,
			'schedules'
		);
	if (after === 'hand') {
		if (heir === null && (b.machines.length || b.profile > 0))
			against('say who is handed what they leave, or let it be removed', 'people');
		for (const m of heir ? b.machines.filter((x) => heir.keeps.includes(x.pool)) : [])
			against(`${heir!.name} keeps a machine of ${m.poolName} already: ${m.name} cannot be theirs as well`, 'broker', {
				kind: 'machine',
				id: m.name
			});
	}
	return facts;
}

/** What becomes of each thing that somebody leaves, in the order in which it matters. */
export function leavingFacts(
	b: Belongings,
	heir: Heir | null,
	ways: { sessions: SessionsEnd; after: Afterwards; kept: string }
): Fact[] {
	const to = heir?.name ?? 'nobody';
	const facts: Fact[] = [];
	const say = (words: string, source: string): void => void facts.push({ words, source });
	if (b.sessions.length)
		say(
			`${countWords(b.sessions.length, 'session is', 'sessions are')} open: ${
				{
					finish: 'they run on, and nothing new is opened',
					ask: 'they are asked to finish, and signed out a quarter of an hour later',
					end: 'they are signed out at once'
				}[ways.sessions]
			}`,
			'sessions'
		);
	if (b.answersFor.length) say(`requests for ${names(b.answersFor)} go to ${to}`, 'publication');
	const ours = b.reports.filter((r) => !r.told);
	if (ours.length) say(`${names(ours)} ${ours.length === 1 ? 'reports' : 'report'} to ${to}`, 'people');
	if (b.schedules.length)
		say(
			`${names(b.schedules.map((s) => ({ name: s.title })))} ${b.schedules.length === 1 ? 'runs' : 'run'} in the name of ${to}`,
			'schedules'
		);
	if (b.requests)
		say(`${countWords(b.requests, 'request')} of theirs ${b.requests === 1 ? 'is' : 'are'} withdrawn`, 'shelf');
	const then = ways.after === 'hand' ? `is ${to}’s then` : 'is removed then';
	if (b.machines.length)
		say(`${b.machines.map((m) => m.name).join(', ')}: kept until ${ways.kept}, ${then}`, 'compute provider');
	if (b.profile > 0) say(`their profile, ${sizeWords(b.profile)}: kept until ${ways.kept}, ${then}`, 'profiles');
	if (b.devices.length)
		say(
			`${names(b.devices)}: to be collected from them, as Today will say; ${b.devices.length === 1 ? 'it is' : 'they are'} nobody else’s until then`,
			'endpoints'
		);
	if (b.grants.length) say(`granted to them alone: ${names(b.grants)}: ends with what is kept`, 'grants');
	if (b.factor) say('their second factor is forgotten', 'sign-in');
	if (b.role !== null)
		say(
			`their account in the console (${b.role})${b.tokens.length ? ` and the ${b.tokens.length === 1 ? 'token' : 'tokens'} that they have made (${b.tokens.join(', ')})` : ''}: for an owner to end, as Today will say`,
			'roles'
		);
	return facts;
}
