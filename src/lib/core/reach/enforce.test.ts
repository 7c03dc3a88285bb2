import { describe, expect, test } from 'vitest';
import { Guard, type ToldRules } from './enforce';
import { ANYWHERE, plainRule, type AccessRule, type Reacher, type Used } from './rules';
import type { Target } from './targets';

const rule = (id: string, effect: AccessRule['effect'], more: Partial<AccessRule> = {}): AccessRule => ({
	...plainRule(id, effect),
	...more
});
const told = (rules: AccessRule[], more: Partial<ToldRules> = {}): ToldRules => ({
	rules,
	otherwise: { web: 'allow', services: 'refuse' },
	services: [{ id: 'depot', name: 'Depot', group: null }],
	names: [
		['films.example', 'films'],
		['harm.example', 'harm']
	],
	sites: { quay: ['10.1.0.0/24'] },
	branches: {},
	holidays: { quay: ['2026-12-24'] },
	portal: ['desk.example'],
	...more
});
const anna: Reacher = { login: 'anna', teams: ['charts', 'all'], employment: 'staff' };
const site = (host: string): Target => ({ kind: 'site', host });
const NOTHING = { factor: false, reason: false };
const unused = (): Used | undefined => undefined;

describe('what stands at a door', () => {
	const guard = new Guard(
		told([
			rule('harm', 'refuse', { what: [{ kind: 'category', id: 'harm' }], words: 'It has done harm.' }),
			rule('films', 'allow', { what: [{ kind: 'category', id: 'films' }], daily: { bytes: 1000 } }),
			rule('no-films', 'refuse', { what: [{ kind: 'category', id: 'films' }] }),
			rule('depot', 'window', { what: [{ kind: 'service', id: 'depot' }] })
		])
	);
	const ask = (target: Target, who: Reacher | null = anna, given = NOTHING, way = ANYWHERE.way, used = unused) =>
		guard.decide(who, target, { ...ANYWHERE, way }, given, used);

	test('lets nobody who is not known anywhere but to where they sign in', () => {
		for (const target of [site('films.example'), site('nowhere.example'), { kind: 'service', id: 'depot' } as const])
			expect(ask(target, null)).toMatchObject({ through: false, effect: 'refuse', asked: 'sign in' });
		expect(ask(site('desk.example'), null)).toMatchObject({ through: true });
		expect(ask(site('desk.example'))).toMatchObject({ through: true });
	});
	test('decides as the rules do, with their words', () => {
		expect(ask(site('www.harm.example'))).toMatchObject({ through: false, rule: 'harm', words: 'It has done harm.' });
		expect(ask(site('other.example'))).toMatchObject({ through: true, rule: '' });
		expect(ask({ kind: 'service', id: null })).toMatchObject({ through: false, rule: '' });
	});
	test('passes a rule over once the share of the day is used up', () => {
		expect(ask(site('films.example'))).toMatchObject({ through: true, rule: 'films' });
		const had = () => ({ bytes: 1000, minutes: 0 });
		expect(ask(site('films.example'), anna, NOTHING, 'device', had)).toMatchObject({
			through: false,
			rule: 'no-films'
		});
	});
	test('asks for what is not given yet, and lets through once it is', () => {
		expect(ask({ kind: 'service', id: 'depot' })).toMatchObject({ through: false, asked: 'window' });
		expect(ask({ kind: 'service', id: 'depot' }, anna, NOTHING, 'window')).toMatchObject({
			through: true,
			asked: null
		});
		const asking = new Guard(told([rule('say', 'reason'), rule('show', 'factor')]));
		const at = (given: typeof NOTHING) => asking.decide(anna, site('a.example'), ANYWHERE, given, unused);
		expect(at(NOTHING)).toMatchObject({ through: false, asked: 'reason' });
		expect(at({ factor: false, reason: true })).toMatchObject({ through: true, asked: null });
	});
	test('knows holidays by their sites', () => {
		expect(guard.isHoliday('quay', '2026-12-24')).toBe(true);
		expect(guard.isHoliday('constructor', '2026-12-24')).toBe(false);
	});
});
