import { describe, expect, test } from 'vitest';
import fc from 'fast-check';
import { MINUTE } from '../time/units';
import { CATALOGUE } from './catalogue';
import { clashesAmong, compareGroups, couldClash, type Subject } from './compare';
import { appliedParts, effectiveOf, Groups, type SettingsGroup } from './effective';
import { costOf, sameValue, type SettingValue } from './kinds';
import { readReach, underEndpoint, underMachine, underSession, type Reach } from './reach';

const reach = (text: string): Reach => readReach(text)!;
const group = (
	id: string,
	values: Record<string, SettingValue>,
	assigned: string[],
	more: { rank?: number; excluded?: string[] } = {}
): SettingsGroup => ({
	id,
	name: id,
	rank: more.rank ?? 100,
	values,
	assigned: assigned.map(reach),
	excluded: (more.excluded ?? []).map(reach)
});
const PERSON = { login: 'anna', site: 'quay', teams: [['divers', 'harbour', 'all']] };
const LAPTOP = underEndpoint({ id: '7', site: 'quay', branch: ['anna-home', 'homes', 'field'], person: PERSON });
const MACHINE = { name: 'desk-01', site: 'shed', pool: 'desks', line: 'desk', version: '1.0.0' };
const sleepOf = (groups: SettingsGroup[], under = LAPTOP) =>
	effectiveOf(new Groups(CATALOGUE, groups).effective('endpoint', under), setting('power.sleep-after'));
const setting = (id: string) => CATALOGUE.find((s) => s.id === id)!;
const sleep = (minutes: number | null) => ({ 'power.sleep-after': minutes === null ? null : minutes * MINUTE });

describe('the setting that counts', () => {
	test('is the usual one where no group says it', () => {
		expect(sleepOf([])).toMatchObject({ value: 10 * MINUTE, from: null, overrode: [] });
	});
	test('comes by inheritance: the nearer branch before those above it, each said with what it overrode', () => {
		const told = sleepOf([
			group('field', sleep(60), ['branch/field']),
			group('homes', sleep(20), ['branch/homes']),
			group('all', sleep(30), ['everything'])
		]);
		expect(told).toMatchObject({ value: 20 * MINUTE, from: { group: { id: 'homes' }, by: reach('branch/homes') } });
		expect(told.overrode.map((s) => s.group.id)).toEqual(['field', 'all']);
		expect(told.clash).toBe(null);
	});
	test('is of the higher rank, however near another is', () => {
		expect(
			sleepOf([group('rule', sleep(null), ['everything'], { rank: 200 }), group('mine', sleep(5), ['endpoint/7'])])
		).toMatchObject({ value: null, from: { group: { id: 'rule' } } });
	});
	test('is not of a group from which it is excluded, and that is said', () => {
		const told = sleepOf([
			group('laptops', sleep(20), ['endpoints'], { excluded: ['branch/homes'] }),
			group('all', sleep(30), ['everything'])
		]);
		expect(told).toMatchObject({ value: 30 * MINUTE, from: { group: { id: 'all' } } });
		expect(told.leftOut).toMatchObject([{ group: { id: 'laptops' }, out: reach('branch/homes') }]);
	});
	test('of settings that keep hosted machines from sleeping: assigned to everything, machines left out', () => {
		const values = { 'power.machine-sleep': 30 * MINUTE, ...sleep(15) };
		const groups = new Groups(CATALOGUE, [group('sleep', values, ['everything'], { excluded: ['machines'] })]);
		expect(
			effectiveOf(groups.effective('machine', underMachine(MACHINE)), setting('power.machine-sleep'))
		).toMatchObject({
			value: null,
			leftOut: [{ value: 30 * MINUTE, out: { kind: 'machines' } }]
		});
		expect(effectiveOf(groups.effective('endpoint', LAPTOP), setting('power.sleep-after')).value).toBe(15 * MINUTE);
	});
	test('is for its own kind alone: what is for sessions reaches no device', () => {
		const groups = new Groups(CATALOGUE, [group('a', { 'drives.home-letter': 'P' }, ['everything'])]);
		expect(groups.effective('endpoint', LAPTOP).said.size).toBe(0);
		expect(groups.effective('session', underSession(MACHINE, PERSON)).said.get('drives.home-letter')!.value).toBe('P');
	});
	test('of a session goes by the site where its person sits, of a machine by where it runs', () => {
		const groups = new Groups(CATALOGUE, [
			group('quay', { 'lock.after': 5 * MINUTE, 'updates.hours': true }, ['site/quay']),
			group('shed', { 'lock.after': 7 * MINUTE, 'time.servers': ['clock.shed'] }, ['site/shed'])
		]);
		const session = groups.effective('session', underSession(MACHINE, PERSON));
		expect(session.said.get('lock.after')!.value).toBe(5 * MINUTE);
		expect([...groups.effective('machine', underMachine(MACHINE)).said.keys()]).toEqual(['time.servers']);
	});
});

describe('two groups of equal right', () => {
	const two = (more = {}) => [group('b', sleep(20), ['branch/homes']), group('a', sleep(30), ['branch/homes'], more)];
	test('clash where they say otherwise: one counts, always the same, and the other is named', () => {
		for (const groups of [two(), two().reverse()])
			expect(sleepOf(groups)).toMatchObject({ value: 30 * MINUTE, clash: { group: { id: 'b' } } });
	});
	test('do not where they agree, one ranks higher, or one is nearer', () => {
		expect(sleepOf([group('b', sleep(20), ['branch/homes']), group('a', sleep(20), ['branch/homes'])]).clash).toBe(
			null
		);
		expect(sleepOf(two({ rank: 101 })).clash).toBe(null);
		expect(sleepOf([group('b', sleep(20), ['branch/anna-home']), two()[1]!]).clash).toBe(null);
		const could = (groups: SettingsGroup[]) => couldClash(new Groups(CATALOGUE, groups));
		expect(could(two())).toBe(true);
		expect(could(two({ rank: 101 }))).toBe(false);
		expect(could([group('b', sleep(20), ['endpoints']), two()[1]!])).toBe(false);
		expect(could([group('b', sleep(30), ['branch/x']), two()[1]!])).toBe(false);
	});
	test('clash at somebody of two teams of which neither is above the other, however deep each lies', () => {
		const both = { ...PERSON, teams: [...PERSON.teams, ['board', 'all']] };
		const groups = [
			group('divers', { 'lock.after': 5 * MINUTE }, ['team/divers']),
			group('board', { 'lock.after': 7 * MINUTE }, ['team/board']),
			group('all', { 'lock.after': 9 * MINUTE }, ['team/all'])
		];
		const told = (who: typeof both) =>
			new Groups(CATALOGUE, groups).effective('session', underSession(MACHINE, who)).said.get('lock.after')!;
		expect(told(both)).toMatchObject({ value: 5 * MINUTE, clash: { group: { id: 'board' } } });
		expect(told(PERSON).clash).toBe(null);
	});
	test('are counted over all that they meet at', () => {
		const subjects: Subject[] = [1, 2, 3].map((n) => ({
			kind: 'endpoint',
			under: underEndpoint({ id: String(n), site: null, branch: ['homes'], person: null })
		}));
		expect(clashesAmong(new Groups(CATALOGUE, two()), subjects)).toMatchObject([
			{ setting: { id: 'power.sleep-after' }, groups: ['a', 'b'], subjects: 3, counts: 30 * MINUTE }
		]);
	});
});

describe('what a draft changes', () => {
	const subjects = ['1', '2', '3'].map((id) => ({
		kind: 'endpoint' as const,
		id,
		under: underEndpoint({ id, site: null, branch: [id === '3' ? 'ships' : 'homes'], person: null })
	}));
	test('is said by who gets which value instead of which, those alike together', () => {
		const before = new Groups(CATALOGUE, [group('a', sleep(20), ['branch/homes'])]);
		const after = new Groups(CATALOGUE, [group('a', { ...sleep(20), 'lock.after': null }, ['endpoints'])]);
		const told = compareGroups(before, after, subjects).map((c) => [
			c.subjects.map((s) => s.id).join(),
			c.changes.map((x) => [x.setting.id, x.from, x.to])
		]);
		expect(told).toEqual([
			['1,2', [['lock.after', 10 * MINUTE, null]]],
			[
				'3',
				[
					['power.sleep-after', 10 * MINUTE, 20 * MINUTE],
					['lock.after', 10 * MINUTE, null]
				]
			]
		]);
	});
	test('is nothing where another group says the same instead', () => {
		const before = new Groups(CATALOGUE, [group('a', sleep(20), ['branch/homes'])]);
		const after = new Groups(CATALOGUE, [group('b', sleep(20), ['branch/homes'])]);
		expect(compareGroups(before, after, subjects)).toEqual([]);
	});
});

describe('what applying settings takes at a sign-in', () => {
	test('is parted by group, and inside by setting, the longest first', () => {
		const groups = new Groups(CATALOGUE, [
			group('fonts', { 'apps.fonts': 1900, 'locale.spelling': ['nb', 'en'] }, ['pool/desks'])
		]);
		const settings = groups.effective('session', underSession(MACHINE, PERSON));
		const [first, rest] = appliedParts(groups, settings, 'policies', 10);
		expect(first).toMatchObject({ group: 'fonts', ms: 1900 * 24 + 220 });
		expect(first!.parts.map((p) => p.name)).toEqual(['Fonts put in', 'Dictionaries']);
		expect(rest).toMatchObject({ group: null, name: 'usual values' });
		expect(appliedParts(groups, settings, 'drives', 100)).toMatchObject([
			{
				group: null,
				parts: [
					{ name: 'Home folder', ms: 320 + 900 },
					{ name: 'Printers of the site', ms: 620 }
				]
			}
		]);
	});
	test('is nothing for what is off', () => {
		expect(costOf(setting('printers.by-site'), false, 50)).toBe(0);
		expect(costOf(setting('security.base'), 'none', 50)).toBe(0);
		expect(costOf(setting('drives.shared'), [], 50)).toBe(0);
	});
});

test('what is answered together is what each would be answered alone, whatever the groups', () => {
	const at = fc.constantFrom(
		...[
			'everything',
			'endpoints',
			'machines',
			'site/a',
			'branch/r',
			'branch/r1',
			'branch/r2',
			'team/t',
			'team/t1',
			'endpoint/1'
		]
	);
	const groups = fc.uniqueArray(
		fc.record({
			id: fc.constantFrom('a', 'b', 'c', 'd', 'e'),
			rank: fc.constantFrom(100, 200),
			sleep: fc.constantFrom(MINUTE, 2 * MINUTE, null),
			assigned: fc.uniqueArray(at, { maxLength: 3 }),
			excluded: fc.uniqueArray(at, { maxLength: 1 })
		}),
		{ selector: (g) => g.id }
	);
	const device = fc.record({
		id: fc.constantFrom('1', '2'),
		site: fc.constantFrom('a', null),
		branch: fc.constantFrom(['r'], ['r1', 'r'], ['r2', 'r'], []),
		person: fc.constantFrom(null, { login: 'p', site: null, teams: [['t1', 't'], ['t']] })
	});
	fc.assert(
		fc.property(groups, fc.array(device, { minLength: 1, maxLength: 8 }), (rows, devices) => {
			const made = rows.map((r) =>
				group(r.id, { 'power.sleep-after': r.sleep }, r.assigned, { rank: r.rank, excluded: r.excluded })
			);
			const together = new Groups(CATALOGUE, made);
			for (const d of devices) {
				const under = underEndpoint(d);
				const told = together.effective('endpoint', under).said.get('power.sleep-after');
				const alone = new Groups(CATALOGUE, [...made].reverse())
					.effective('endpoint', under)
					.said.get('power.sleep-after');
				expect(told?.from?.group.id).toBe(alone?.from?.group.id);
				expect(told?.clash?.value).toEqual(alone?.clash?.value);
				// Told again by hand: of the highest rank, nothing that is nearer says otherwise.
				const keys = new Set(under.map((u) => u.key));
				const has = (r: Reach) => keys.has(`${r.kind}/${r.id}`);
				const counting = made.filter((g) => g.assigned.some(has) && !g.excluded.some(has));
				expect(told?.from !== null && told !== undefined).toBe(counting.length > 0);
				if (told?.from) expect(told.from.group.rank).toBe(Math.max(...counting.map((g) => g.rank)));
				if (told?.from && told.clash) expect(sameValue(told.value, told.clash.value)).toBe(false);
			}
		})
	);
});
