import { countWords } from '../time/units';
import type { Effects } from '../plans/effects';
import type { Fact } from '../why/explained';

/** Which plans wait for the consent of another. Of a number that is null, however many. */
export interface ConsentRules {
	/** Kinds of plan that do so whatever they touch. */
	kinds: string[];
	/** Those that touch more people than this, end more sessions, or touch more machines. */
	people: number | null;
	sessions: number | null;
	machines: number | null;
}

/** No plan waits. */
export const NO_CONSENT: ConsentRules = { kinds: [], people: null, sessions: null, machines: null };

/** Whether any plan would wait. */
export const asksAny = (r: ConsentRules): boolean =>
	r.kinds.length > 0 || r.people !== null || r.sessions !== null || r.machines !== null;

/** What is said of who else has to agree. */
const OVER = [
	['people', 'people', 'person', 'people', 'affects'],
	['sessions', 'sessionsEnded', 'session', 'sessions', 'ends'],
	['machines', 'machines', 'machine', 'machines', 'touches']
] as const;

/**
 * Why a plan waits for the consent of another; nothing where it does not. Whoever could change the rules alone could do everything alone: so
 * the plan that does waits as long as there are any.
 * @param rulesKind the kind of plan that changes the rules
 */
export function whyConsent(rules: ConsentRules, kind: string, effects: Effects, rulesKind: string): Fact[] {
	const facts: Fact[] = [];
	if (kind === rulesKind && asksAny(rules))
		facts.push({ words: 'what needs consent is not changed without it', source: 'consent' });
	else if (rules.kinds.includes(kind))
		facts.push({ words: 'plans of this kind wait for the consent of another', source: 'consent' });
	for (const [rule, effect, single, many, does] of OVER) {
		const most = rules[rule];
		const n = effects[effect].length;
		if (most !== null && n > most)
			facts.push({
				words: `it ${does} ${countWords(n, single, many)}, and over ${most} need the consent of another`,
				source: 'consent'
			});
	}
	return facts;
}

/** How a plan differs from what it was when consent was asked for: who and what is in it now and was not, and the other way round. */
export function sinceAsked(before: Effects, after: Effects): Fact[] {
	const facts: Fact[] = [];
	for (const [, effect, single, many] of OVER) {
		const [was, is] = [before[effect], after[effect]].map((list) => new Map(list.map((t) => [`${t.kind}/${t.id}`, t])));
		const say = (of: typeof was, other: typeof was, words: string) => {
			const only = [...of!.entries()].filter(([key]) => !other!.has(key)).map(([, t]) => t.name ?? t.id);
			if (only.length)
				facts.push({
					words: `${countWords(only.length, single, many)} ${words}: ${only.slice(0, 4).join(', ')}${only.length > 4 ? ' …' : ''}`,
					source: 'compared'
				});
		};
		say(is, was, 'more');
		say(was, is, 'fewer');
	}
	return facts;
}
