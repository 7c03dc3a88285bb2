import { describe, expect, it } from 'vitest';
import { noEffects } from '../plans/effects';
import { asksAny, NO_CONSENT, sinceAsked, whyConsent } from './consent';

const people = (...ids: string[]) => ids.map((id) => ({ kind: 'person', id, name: id.toUpperCase() }));
const effects = (...ids: string[]) => ({ ...noEffects(), people: people(...ids) });
const words = (facts: { words: string }[]) => facts.map((f) => f.words);

describe('which plans wait for another', () => {
	it('none where nothing says so', () => {
		expect(asksAny(NO_CONSENT)).toBe(false);
		expect(whyConsent(NO_CONSENT, 'rules', effects('a', 'b'), 'rules')).toEqual([]);
	});

	it('those of a kind, and those that touch more than so many: both are said', () => {
		const rules = { ...NO_CONSENT, kinds: ['gate'], people: 1 };
		expect(words(whyConsent(rules, 'gate', effects('a', 'b'), 'rules'))).toEqual([
			'plans of this kind wait for the consent of another',
			'it affects 2 people, and over 1 need the consent of another'
		]);
		expect(whyConsent(rules, 'other', effects('a'), 'rules')).toEqual([]);
		expect(whyConsent({ ...NO_CONSENT, people: 0 }, 'other', effects(), 'rules')).toEqual([]);
		expect(whyConsent({ ...NO_CONSENT, people: 0 }, 'other', effects('a'), 'rules')).toHaveLength(1);
	});

	it('the one that changes which do, as long as any does', () => {
		expect(words(whyConsent({ ...NO_CONSENT, machines: 900 }, 'rules', effects(), 'rules'))).toEqual([
			'what needs consent is not changed without it'
		]);
	});
});

describe('what has changed since consent was asked for', () => {
	it('names who is in it now, and who is not any more', () => {
		expect(words(sinceAsked(effects('a', 'b'), effects('b', 'c')))).toEqual(['1 person more: C', '1 person fewer: A']);
		expect(sinceAsked(effects('a'), effects('a'))).toEqual([]);
		expect(words(sinceAsked(effects(), effects('a', 'b', 'c', 'd', 'e')))).toEqual(['5 people more: A, B, C, D …']);
	});
});
