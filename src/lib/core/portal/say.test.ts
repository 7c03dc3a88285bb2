import { IntlMessageFormat } from 'intl-messageformat';
import { describe, expect, test } from 'vitest';
import type { Lack } from '../access/decide';
import { MINUTE } from '../time/units';
import type { Key } from './en';
import { languageFor, LANGUAGES } from './languages';
import { MESSAGES, speakerOf } from './say';

/** Names of what stands in a message, and by which sort. */
function argumentsOf(message: string): string[] {
	const found = new Set<string>();
	const walk = (parts: ReturnType<IntlMessageFormat['getAst']>): void => {
		for (const part of parts) {
			if ('value' in part && part.type !== 0) found.add(`${part.type} ${String(part.value)}`);
			if ('options' in part) for (const option of Object.values(part.options)) walk(option.value);
		}
	};
	walk(new IntlMessageFormat(message, 'en').getAst());
	return [...found].sort();
}

const keys = Object.keys(MESSAGES.en) as Key[];

describe('what the portal says', () => {
	test.each(LANGUAGES)(
		'is whole in %s: each message takes what the English one takes, and nothing else',
		(language) => {
			expect(Object.keys(MESSAGES[language]).sort()).toEqual([...keys].sort());
			for (const key of keys)
				expect(argumentsOf(MESSAGES[language][key]), `${language} ${key}`).toEqual(argumentsOf(MESSAGES.en[key]));
		}
	);

	test('is said otherwise in each language, but for what is the same word', () => {
		const same = new Set<string>(['desk.notes', 'desk.start', 'devices.start', 'shelf.for']);
		for (const language of LANGUAGES)
			if (language !== 'en')
				for (const key of keys)
					if (!same.has(key) && !/^\W*\{\w+\}\W*$/.test(MESSAGES.en[key]))
						expect(MESSAGES[language][key], `${language} ${key}`).not.toBe(MESSAGES.en[key]);
	});

	test('counts as each language counts', () => {
		const left = (language: (typeof LANGUAGES)[number], n: number) =>
			speakerOf(language)('account.recovery-left', { left: n });
		expect([0, 1, 7].map((n) => left('en', n))).toEqual(['None is left.', 'One is left.', '7 are left.']);
		expect([0, 1, 7].map((n) => left('nb', n))).toEqual(['Ingen er igjen.', 'Én er igjen.', '7 er igjen.']);
		expect([0, 1, 7].map((n) => left('fr', n))).toEqual(['Il n’en reste pas.', 'Il en reste un.', 'Il en reste 7.']);
	});

	test('writes days and hours as each language does, in the zone of whoever reads', () => {
		const at = Date.UTC(2026, 10, 17, 20, 30);
		const day = (l: (typeof LANGUAGES)[number]) => speakerOf(l).day(at, 'Asia/Kolkata');
		expect(LANGUAGES.map(day)).toEqual(['Wed 18 Nov', 'ons. 18. nov.', 'mer. 18 nov.']);
		expect(speakerOf('en').moment(at, 'Asia/Kolkata', at + MINUTE)).toBe('02:00');
		expect(speakerOf('en').moment(at, 'Asia/Kolkata', at + 2 * 86_400_000)).toBe('Wed 18 Nov 02:00');
		expect(speakerOf('en').date('2026-12-01')).toBe('1 Dec 2026');
		expect(speakerOf('nb').date('no day')).toBe('no day');
		expect(speakerOf('nb').hours({ days: [1, 2, 3, 4, 5], from: 420, until: 1140 })).toBe(
			'man.–fre. 07:00–19:00'.replaceAll('.', '')
		);
		expect(speakerOf('fr').hours({ days: [6, 7], from: 0, until: 0 })).toBe('sam, dim, toute la journée');
	});

	test('has words for whatever somebody may lack', () => {
		const lacks: Lack[] = [
			{ kind: 'grant' },
			{ kind: 'managed' },
			{ kind: 'device' },
			{ kind: 'factor' },
			{ kind: 'network' },
			{ kind: 'ended' },
			{ kind: 'off' },
			{ kind: 'hidden' },
			{ kind: 'from', day: '2026-12-01' },
			{ kind: 'begins', at: Date.UTC(2026, 11, 1), zone: 'UTC' },
			{ kind: 'hours', hours: { days: [1], from: 60, until: 120 } },
			{ kind: 'starters', words: null }
		];
		for (const language of LANGUAGES)
			expect(new Set(lacks.map((l) => speakerOf(language).lack(l))).size).toBe(lacks.length);
		expect(speakerOf('nb').lack({ kind: 'starters', words: 'Ask Ada.' })).toBe('Ask Ada.');
	});
});

describe('the language of a browser', () => {
	test.each([
		[null, 'en'],
		['', 'en'],
		['fr-CA, en;q=0.8', 'fr'],
		['de, fr;q=0.3, nb;q=0.7', 'nb'],
		['nn-NO', 'nb'],
		['en;q=0, fr;q=0.1', 'fr'],
		['de-CH, ja', 'en'],
		['fr;q=nonsense, nb', 'nb'],
		[';;;,,,q=', 'en']
	])('%j → %s', (accepted, language) => expect(languageFor(accepted)).toBe(language));

	test('is looked for only so far', () => expect(languageFor(`${'x'.repeat(5000)},fr`)).toBe('en'));
});
