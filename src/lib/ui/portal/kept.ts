import type { Speaker } from '$lib/core/portal/say';

/** What keeps something from passing a session. */
export interface Kept {
	by: 'grant' | 'own' | 'rule' | 'factor' | 'reason';
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
