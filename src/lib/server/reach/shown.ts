import type { AccessRule, Ask } from '$lib/core/reach/rules';
import { effectWords, momentOfWeek, ruleWords, type Names } from '$lib/core/reach/sentence';
import type { Target } from '$lib/core/reach/targets';
import { sizeText } from '$lib/core/reach/written';
import type { Standing } from '$lib/core/reach/standing';
import type { Tested } from '$lib/core/reach/tests';
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

/** What of a rule's standing needs saying, with an example where there is one; null: it decides, and otherwise than what follows. */
export function standWords(
	s: Standing,
	rules: readonly AccessRule[]
): { short: string; words: string; tries: Record<string, string> | null } | null {
	const number = (id: string) => `rule ${rules.findIndex((r) => r.id === id) + 1}`;
	switch (s.stands) {
		case 'decides':
			return null;
		case 'never':
			return {
				short: 'never decides',
				words: `${s.by.map(number).join(' and ')} ${s.by.length === 1 ? 'has' : 'have'} all of it already`,
				tries: triesOf(s.example)
			};
		case 'same':
			return {
				short: 'says the same',
				words: 'wherever it decides, what follows it would decide alike',
				tries: triesOf(s.example)
			};
		case 'nobody':
			return { short: 'about nobody', words: 'nobody and nothing is there that it is about', tries: null };
		case 'unknown':
			return { short: 'not worked out', words: 'whether it decides takes too long to work out', tries: null };
	}
}

/** An address of a single link: something inside that no service is. */
const INSIDE = '169.254.255.254';

/** What is asked about as the tester is asked it: chosen as `service`, or written as `host`. */
function triesTarget(t: Target): { service: string; host: string; size: string } {
	if (t.kind === 'site') return { service: '', host: t.host, size: '' };
	if (t.kind === 'channel')
		return { service: `channel/${t.passage}`, host: '', size: t.bytes > 0 ? sizeText(t.bytes) : '' };
	return { service: t.id ?? '', host: t.id === null ? INSIDE : '', size: '' };
}

/** An example as the tester is asked it: with nothing had of a day’s share, or with all of it. */
export function triesOf(ask: Ask, usedUp = false): Record<string, string> {
	return {
		who: ask.person.login,
		...triesTarget(ask.target),
		from: ask.address ?? NOTHING_KNOWN,
		on: ask.pool ?? '',
		managed: ask.managed ? 'yes' : 'no',
		branch: ask.branch ?? NOTHING_KNOWN,
		firmware: ask.firmware ?? NOTHING_KNOWN,
		locks: ask.locks ? 'yes' : 'no',
		duty: ask.onDuty ? 'on' : 'off',
		holiday: ask.holiday ? 'yes' : 'no',
		when: momentOfWeek(ask.minute),
		through: ask.way,
		share: usedUp ? 'used' : 'left'
	};
}

/** Where a test does not hold, as the tester is asked it; null where it does, or nobody is there. */
export const failedAt = (came: Tested): Record<string, string> | null =>
	came.holds === false && !came.nobody ? triesOf(came.example) : null;
