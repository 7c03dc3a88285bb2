import type { Speaker } from './say';

/** What keeps something from passing: the grant, their own word, a rule, or a second factor or a reason that a rule asks for. */
export type Keeper = 'grant' | 'own' | 'rule' | 'factor' | 'reason';

/** What keeps something from passing a session, as its person reads it: the rule’s name, and what it tells people. */
export interface Kept {
	by: Keeper;
	rule: string | null;
	words: string | null;
}

/** Why it does not pass, in the language of the person: what the rule tells people, and which rule it is. */
export function keptWords(say: Speaker, { by, rule, words }: Kept): string {
	if (by === 'reason' && words !== null) return words;
	if (by !== 'rule') return say(`kept.${by}`);
	const named = rule === null ? say('kept.end') : say('kept.rule', { rule });
	return words === null ? named : `${words} ${named}`;
}
