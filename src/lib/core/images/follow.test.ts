import fc from 'fast-check';
import semver from 'semver';
import { describe, expect, test } from 'vitest';
import {
	decideAbout,
	decideMove,
	groupTakes,
	isRange,
	parseRule,
	ruleWords,
	wanted,
	WILL_TAKE,
	type AtSite,
	type FollowedLine,
	type FollowedVersion,
	type FollowingMachine,
	newestOf
} from './follow';

const v = (number: string, state: Partial<FollowedVersion> = {}): FollowedVersion => ({
	number,
	held: false,
	retired: false,
	open: false,
	...state
});
const line = (...versions: FollowedVersion[]): FollowedLine => ({
	id: 'desk',
	users: 'multi',
	generation: 2,
	versions
});
const machine = (change: Partial<FollowingMachine> = {}): FollowingMachine => ({
	name: 'm',
	line: 'desk',
	version: '3.1.4',
	rule: { takes: 'newest' },
	ruleOf: 'pool',
	when: 'next sign-out',
	users: 'multi',
	generation: 2,
	site: 'bergen',
	sessions: 0,
	on: true,
	physical: false,
	reference: false,
	busy: false,
	failures: () => 0,
	...change
});
const there = (): AtSite => ({ whole: true });
const DESK = line(v('3.1.4'), v('3.2.0'), v('3.10.0', { held: true }), v('4.0.0-rc.1'));

describe('what a rule asks for', () => {
	test('newest passes over what is held, retired, open, and pre-releases', () => {
		expect(wanted({ takes: 'newest' }, DESK.versions)).toBe('3.2.0');
		expect(wanted({ takes: 'newest' }, [v('1.0.0'), v('1.1.0', { retired: true }), v('1.2.0', { open: true })])).toBe(
			'1.0.0'
		);
		expect(wanted({ takes: 'newest' }, [v('1.0.0', { held: true })])).toBeNull();
	});
	test('a range, exactly one, and nothing', () => {
		expect(wanted({ takes: 'range', range: '3.1.x' }, DESK.versions)).toBe('3.1.4');
		expect(wanted({ takes: 'range', range: '>=4.0.0-0' }, DESK.versions)).toBe('4.0.0-rc.1');
		expect(wanted({ takes: 'exactly', number: '3.10.0' }, DESK.versions)).toBe('3.10.0');
		expect(wanted({ takes: 'exactly', number: '9.9.9' }, DESK.versions)).toBeNull();
		expect(wanted({ takes: 'nothing' }, DESK.versions)).toBeNull();
		expect(['newest', 'newest 3.x', 'exactly 1.0.0', 'nothing'].map((w) => ruleWords(parseRule(w)!))).toEqual([
			'newest',
			'newest 3.x',
			'exactly 1.0.0',
			'nothing'
		]);
		expect(['exactly one', 'exactly 3.1', 'newest thing', ''].map(parseRule)).toEqual([null, null, null, null]);
		expect([isRange('3.x'), isRange('newish'), isRange('')]).toEqual([true, false, false]);
		expect(
			[
				{ takes: 'newest' },
				{ takes: 'range', range: '3.x' },
				{ takes: 'exactly', number: '1.0.0' },
				{ takes: 'nothing' }
			].map((r) => ruleWords(r as never))
		).toEqual(['newest', 'newest 3.x', 'exactly 1.0.0', 'nothing']);
	});
});

describe('what a machine does', () => {
	test.each<[string, Partial<FollowingMachine>, AtSite, string, boolean]>([
		['free', {}, { whole: true }, 'takes it', true],
		['off, at its next start', { when: 'next start', on: false }, { whole: true }, 'takes it', true],
		['on, at its next start', { when: 'next start' }, { whole: true }, 'next start', false],
		['in use', { sessions: 2 }, { whole: true }, 'in use', false],
		['before its time', { when: { from: 2000 } }, { whole: true }, 'not yet', false],
		['after its time', { when: { from: 500 } }, { whole: true }, 'takes it', true],
		['on it', { version: '3.2.0' }, { whole: true }, 'has it', false],
		['ahead of it', { version: '3.10.0' }, { whole: true }, 'nothing newer', false],
		['a reference machine', { reference: true }, { whole: true }, 'reference machine', false],
		['following nothing', { rule: { takes: 'nothing' } }, { whole: true }, 'follows nothing', false],
		['of another generation', { generation: 1 }, { whole: true }, 'system differs', false],
		[
			'where it is not yet',
			{},
			{ whole: false, why: 'site lacks it', words: 'bergen has it Thu 04:10' },
			'site lacks it',
			false
		],
		[
			'where it will not be',
			{},
			{ whole: false, why: 'window too small', words: '2.9 GB do not fit' },
			'window too small',
			false
		],
		['that failed twice', { failures: () => 2 }, { whole: true }, 'failed twice', false],
		['that a job works on', { busy: true }, { whole: true }, 'being worked on', false]
	])('one %s', (_n, change, at, reason, now) => {
		const d = decideMove(machine(change), DESK, () => at, 1000);
		expect(d.value).toMatchObject({ reason, now });
		expect(d.facts.length).toBeGreaterThan(0);
	});
	test('exactly goes back, newest does not', () => {
		expect(
			decideMove(machine({ version: '3.2.0', rule: { takes: 'exactly', number: '3.1.4' } }), DESK, there, 0).value
		).toMatchObject({ to: '3.1.4', now: true });
		expect(
			decideMove(
				machine({ rule: { takes: 'exactly', number: '3.1.4' }, version: '3.2.0', sessions: 1 }),
				DESK,
				there,
				0
			).value.reason
		).toBe('in use');
	});
	test('asked about a version that its rule passes over, it says why', () => {
		const about = (change: Partial<FollowingMachine>, number: string) =>
			decideAbout(machine(change), number, DESK, 'desk', there, 0).value.reason;
		expect(about({ rule: { takes: 'exactly', number: '3.1.4' } }, '3.2.0')).toBe('pinned');
		expect(about({ rule: { takes: 'range', range: '3.1.x' } }, '3.2.0')).toBe('pinned');
		expect(about({}, '3.10.0')).toBe('held');
		expect(about({ version: '3.10.0' }, '3.10.0')).toBe('has it');
		expect(about({ line: 'other' }, '3.2.0')).toBe('other line');
		expect(about({ version: '3.0.0' }, '3.1.4')).toBe('nothing newer');
		expect(about({}, '3.2.0')).toBe('takes it');
	});
	test('is never moved back by newest or a range, never under anybody, and only onto what its rule allows', () => {
		const number = fc.tuple(fc.nat(3), fc.nat(3), fc.nat(3)).map((n) => n.join('.'));
		const version = fc.record({ number, held: fc.boolean(), retired: fc.boolean(), open: fc.boolean() });
		const rule = fc.oneof(
			fc.constant({ takes: 'newest' as const }),
			number.map((n) => ({ takes: 'exactly' as const, number: n })),
			fc.nat(3).map((n) => ({ takes: 'range' as const, range: `${n}.x` }))
		);
		fc.assert(
			fc.property(
				fc.uniqueArray(version, { selector: (x) => x.number, maxLength: 6 }),
				rule,
				number,
				fc.nat(2),
				fc.boolean(),
				(versions, r, on, sessions, busy) => {
					const d = decideMove(machine({ rule: r, version: on, sessions, busy }), line(...versions), there, 0).value;
					if (!d.now) return;
					const to = versions.find((x) => x.number === d.to)!;
					expect(sessions).toBe(0);
					expect(busy).toBe(false);
					expect(to.open).toBe(false);
					if (r.takes !== 'exactly') {
						expect(to.held || to.retired).toBe(false);
						expect(semver.gt(to.number, on)).toBe(true);
					}
					if (r.takes === 'range') expect(semver.satisfies(to.number, r.range)).toBe(true);
				}
			)
		);
	});
	test('groups stand in the order of the reasons', () => {
		const d = [machine({ sessions: 1 }), machine(), machine({ sessions: 3 })].map((m) => decideMove(m, DESK, there, 0));
		expect(groupTakes(d).map((g) => [g.reason, g.items.length])).toEqual([
			['takes it', 1],
			['in use', 2]
		]);
		expect(WILL_TAKE.has('in use')).toBe(true);
	});
});

test('the newest of a line is what “newest” asks for, everywhere: no pre-release, nothing held, retired or open', () => {
	const v = (number: string, more = {}) => ({ number, held: false, retired: false, open: false, ...more });
	const all = [
		v('2.4.0'),
		v('2.4.1', { held: true }),
		v('2.5.0', { retired: true }),
		v('3.0.0-rc.1'),
		v('2.6.0', { open: true })
	];
	expect(newestOf(all)?.number).toBe('2.4.0');
	expect(newestOf([v('3.0.0-rc.1')])).toBeUndefined();
});
