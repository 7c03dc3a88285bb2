import type { AccessRule, Ask } from '$lib/core/reach/rules';
import { effectWords, momentOfWeek, ruleWords, type Names } from '$lib/core/reach/sentence';
import type { Standing } from '$lib/core/reach/standing';
import { NOTHING_KNOWN } from './tester';

/** A rule as the page shows and edits it. */
export const shownRule = (rule: AccessRule, names: Names) => ({
	id: rule.id,
	name: rule.name,
	effect: rule.effect,
	decides: effectWords(rule.effect),
	says: ruleWords(rule, names),
	tells: rule.words
});

/** What of a rule's standing needs saying; null: it decides, and otherwise than what follows. */
export function standWords(s: Standing, rules: readonly AccessRule[]): { short: string; words: string } | null {
	const number = (id: string) => `rule ${rules.findIndex((r) => r.id === id) + 1}`;
	switch (s.stands) {
		case 'decides':
			return null;
		case 'never':
			return {
				short: 'never decides',
				words: `${s.by.map(number).join(' and ')} ${s.by.length === 1 ? 'has' : 'have'} all of it already`
			};
		case 'same':
			return { short: 'says the same', words: 'wherever it decides, what follows it would decide alike' };
		case 'nobody':
			return { short: 'about nobody', words: 'nobody and nothing is there that it is about' };
		case 'unknown':
			return { short: 'not worked out', words: 'whether it decides takes too long to work out' };
	}
}

/** An example as the tester is asked it. */
export function triesOf(ask: Ask): Record<string, string> {
	return {
		who: ask.person.login,
		service: ask.target.kind === 'service' && ask.target.id !== null ? ask.target.id : '',
		host: ask.target.kind === 'site' ? ask.target.host : '',
		from: ask.address ?? NOTHING_KNOWN,
		on: ask.pool ?? '',
		managed: ask.managed ? 'yes' : 'no',
		branch: ask.branch ?? NOTHING_KNOWN,
		firmware: ask.firmware ?? NOTHING_KNOWN,
		locks: ask.locks ? 'yes' : 'no',
		duty: ask.onDuty ? 'on' : 'off',
		holiday: ask.holiday ? 'yes' : 'no',
		when: momentOfWeek(ask.minute),
		through: ask.way
	};
}
