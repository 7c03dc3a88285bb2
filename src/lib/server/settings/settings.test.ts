import { beforeEach, describe, expect, test } from 'vitest';
import { parseScope } from '$lib/core/scope/scope';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { writeGroups } from '$lib/core/settings/file';
import { byId } from '$lib/core/settings/own';
import { changesBefore } from '../changes';
import { all, one } from '../db';
import { cardOf } from '../house/cards';
import { draftUndo } from '../plans';
import { InputProblem } from '../plans/kind';
import { letAllIn } from '../testing/estates';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { settingsComparisons } from './findings';
import { isNamedAcross } from './of-session';
import { catalogueIn, groupsAt } from './queries';
import { waitingAt } from './waiting';
import { comparedAt, effectiveAt, reachedBy } from './view';

/** The test estate with a box at the quay that stands in a branch. */
let h: Harness;
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			e.sites[0]!.endpoint_ranges = ['10.1.4.0/24'];
			letAllIn(e, [{ id: 'boxes', site: 'quay', naming: 'box-##', serials: 'TB-', first: 1, spare: 2 }]);
		})
	);
	await h.live(MINUTE);
	for (const id of ['TB-1', 'TB-2']) h.lab.apply({ kind: 'switch on', endpoint: id });
	await h.live(15 * MINUTE);
});

const set = (input: object) => h.carryOut('settings.set', input);
const switchOn = async (id: string) => {
	h.lab.apply({ kind: 'switch on', endpoint: id });
	await h.live(MINUTE);
};
const box = () => one<{ id: number }>(h.db, `SELECT endpoint_id AS id FROM endpoint_facts WHERE name = 'box-01'`)!.id;
const branch = () => one<{ id: string }>(h.db, 'SELECT id FROM branches ORDER BY id')!.id;
const row = (of: string, id: string, at = h.lab.now) => effectiveAt(h.db, of, at).rows.find((r) => r.id === id)!;
const findings = () =>
	settingsComparisons[0]!.look(h.ctx, h.lab.now) as Exclude<
		ReturnType<(typeof settingsComparisons)[0]['look']>,
		Promise<unknown>
	>;

describe('a settings group', () => {
	test('reaches what it is assigned to, and not what is left out; the plan says who gets which value instead of which', async () => {
		const sleep = {
			name: 'Sleep',
			values: { 'power.sleep-after': '20 min', 'power.machine-sleep': '30 min' },
			assigned: ['everything'],
			excluded: ['machines']
		};
		const plan = await h.draft('settings.set', sleep);
		expect(plan.title).toBe('Add the settings group Sleep');
		expect(plan.effects.machines).toEqual([]);
		expect(plan.effects.endpoints!.map((e) => [e.name, e.how])).toEqual([
			['box-01', 'Sleep after: 20 min instead of 10 min'],
			['box-02', 'Sleep after: 20 min instead of 10 min']
		]);
		await h.finish(await h.commit(plan.id));
		expect(row(`endpoint/${box()}`, 'power.sleep-after')).toMatchObject({
			value: '20 min',
			from: { name: 'Sleep', by: 'everything' }
		});
		expect(row('machine/quay-01', 'power.machine-sleep')).toMatchObject({
			value: 'never',
			from: null,
			leftOut: [{ name: 'Sleep', value: '30 min', out: 'all hosted machines' }]
		});
	});
	test('holds in the devices themselves: one that is to stay awake does', async () => {
		const asleep = () =>
			all<{ name: string }>(
				h.db,
				`SELECT f.name FROM endpoint_states s JOIN endpoint_facts f ON f.endpoint_id = s.endpoint_id AND f.until > 1e15 WHERE s.state = 'asleep' AND s.until > 1e15 ORDER BY 1`
			).map((r) => r.name);
		expect(asleep()).toEqual(['box-01', 'box-02']);
		await set({ name: 'Awake', values: { 'power.sleep-after': 'never' }, assigned: [`endpoint/${box()}`] });
		for (const id of ['TB-1', 'TB-2']) h.lab.apply({ kind: 'switch on', endpoint: id });
		await h.live(HOUR, 5 * MINUTE);
		expect(asleep()).toEqual(['box-02']);
		// By inheritance: the branch says one thing, the single device another.
		await set({ name: 'Branch', values: { 'power.sleep-after': '1 h' }, assigned: [`branch/${branch()}`] });
		expect(row(`endpoint/${box()}`, 'power.sleep-after')).toMatchObject({
			value: 'never',
			overrode: [{ name: 'Branch', value: '1 h' }]
		});
		expect(row(`branch/${branch()}`, 'power.sleep-after').value).toBe('1 h');
	});
	test('is undone, and every moment before shows what counted then', async () => {
		const before = h.lab.now;
		await set({ name: 'Locks', values: { 'lock.after': '5 min' }, assigned: ['team/harbour'] });
		expect(row('person/anna@pool/quay', 'lock.after').value).toBe('5 min');
		expect(row('person/anna@pool/quay', 'lock.after', before).value).toBe('10 min');
		expect(
			comparedAt(h.db, { of: 'person/anna@pool/quay', at: h.lab.now }, { of: 'person/anna@pool/quay', at: before }).rows
		).toMatchObject([{ id: 'lock.after', here: '5 min', hereBy: 'Locks', there: '10 min', thereBy: null }]);
		await h.live(MINUTE);
		const undo = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
		await h.finish(await h.commit(undo.id));
		expect(row('person/anna@pool/quay', 'lock.after').from).toBe(null);
	});
	test('that makes sign-ins slow is named in the breakdown, and taken out for a pool; sign-ins are quick again', async () => {
		await set({ name: 'Fonts', values: { 'apps.fonts': 1900 }, assigned: ['line/desk'] });
		const signIn = async () => {
			const { connection } = await h.ctx.providers.broker.connect('anna', 'desk', true, String(h.lab.now));
			for (let i = 0; i < 30; i++) {
				await h.live(10_000);
				const c = await h.ctx.providers.broker.connection(connection);
				if (c?.session != null) return { session: c.session, phases: c.phases };
			}
			throw new Error('nobody got in');
		};
		const slow = await signIn();
		const policies = slow.phases.find((p) => p.name === 'policies')!;
		expect(policies.parts![0]).toMatchObject({ name: 'Fonts', group: 'fonts', parts: [{ name: 'Fonts put in' }] });
		expect(policies.ms).toBeGreaterThan(30_000);
		await h.live(MINUTE);
		const card = await cardOf(h.ctx, 'session', String(slow.session), { at: h.lab.now, live: true });
		expect(card!.sections.find((x) => x.kind === 'lines' && x.title === 'Settings that groups say')).toMatchObject({
			lines: [{ words: 'Fonts put in', note: '1,900 fonts, by Fonts', card: 'settings-group/fonts' }, {}]
		});
		await h.carryOut('session.sign-out', { sessions: [slow.session] });
		const plan = await h.draft('settings.leave-out', { group: 'fonts', from: 'pool/quay' });
		expect(plan.title).toMatch(/^Leave .+ out of Fonts$/);
		await h.finish(await h.commit(plan.id));
		await h.live(5 * MINUTE);
		const quick = await signIn();
		expect(quick.phases.find((p) => p.name === 'policies')!.ms).toBeLessThan(10_000);
	});
	test('clashes with another of its rank: a finding says where they meet, and a higher rank settles it', async () => {
		await set({ name: 'B', values: { 'power.sleep-after': '20 min' }, assigned: [`branch/${branch()}`] });
		const plan = await h.draft('settings.set', {
			name: 'A',
			values: { 'power.sleep-after': '30 min' },
			assigned: [`branch/${branch()}`]
		});
		expect(plan.warnings.map((w) => w.words)).toEqual([
			'A and B of the same rank say Sleep after otherwise, for 2 endpoints: 30 min would count'
		]);
		await h.finish(await h.commit(plan.id));
		const [found] = findings();
		expect(found).toMatchObject({ kind: 'settings clash', subject: { id: 'a' }, remedy: { kind: 'settings.rank' } });
		expect(found!.facts[0]!.words).toMatch(/meet at box-0\d and 1 more; 30 min counts/);
		await h.carryOut(found!.remedy!.kind, found!.remedy!.input);
		expect(findings()).toEqual([]);
	});
});

describe('what is wrong', () => {
	const refused = async (kind: string, input: object) => {
		const error = await h.draft(kind, input).catch((e: unknown) => e);
		if (!(error instanceof InputProblem)) throw new Error('it was taken');
		return error.problems.map((p) => `${p.field}: ${p.words}`);
	};
	test('stands beside its field, and nothing is saved', async () => {
		const good = { name: 'X', values: {}, assigned: [] as string[], excluded: [] as string[] };
		expect(await refused('settings.set', { ...good, values: { 'lock.after': 'soon', nothing: 1 } })).toEqual([
			expect.stringMatching(/^values\.lock\.after: Lock after: Write a span/),
			'values.nothing: There is no setting nothing.'
		]);
		expect(await refused('settings.set', { ...good, assigned: ['pool/none', 'pool/quay'] })).toEqual([
			'assigned.0: There is no pool none.'
		]);
		expect(await refused('settings.set', { ...good, assigned: ['machines'], excluded: ['machines'] })).toEqual([
			'excluded.0: It is assigned to machines and left out there alike.'
		]);
		expect(await refused('settings.set', { ...good, rank: 0.5 })).toEqual([expect.stringMatching(/^rank: /)]);
		expect(await refused('settings.leave-out', { group: 'none', from: 'pool/quay' })).toEqual([
			'group: There is no settings group none.'
		]);
		expect(await refused('settings.bring', { text: 'settings-groups: 1\ngroups:\n  - id: a\n' })).toEqual([
			'text: Line 3, column 5: Write a name.'
		]);
		expect(all(h.db, 'SELECT * FROM settings_groups')).toEqual([]);
	});
	test('of whom is asked is said in words', () => {
		const said = (of: string) => {
			try {
				return effectiveAt(h.db, of, h.lab.now).name;
			} catch (e) {
				return (e as Error).message;
			}
		};
		expect(said('')).toMatch(/^Say whose/);
		expect(said('endpoint/99999')).toMatch(/no endpoint 99999/);
		expect(said("machine/x' OR 1=1")).toMatch(/no machine/);
		expect(said('person/anna')).toMatch(/Say on what/);
		expect(said('person/anna@pool/none')).toMatch(/no pool\/none/);
		expect(said('branch/none')).toMatch(/no branch/);
	});
});

test('groups leave as a file and come back the same; whom each reaches is counted, of a scope as well', async () => {
	await set({ name: 'Sleep', values: { 'power.sleep-after': '20 min' }, assigned: ['endpoints'] });
	await set({ name: 'Locks', rank: 7, values: { 'lock.after': 'never' }, assigned: ['pool/quay', 'site/quay'] });
	const reached = ({ counts }: ReturnType<typeof reachedBy>) =>
		[...counts].map(([id, n]) => [id, n.endpoint, n.machine > 0]);
	expect(reached(reachedBy(h.db, h.lab.now))).toEqual([
		['sleep', 2, false],
		['locks', 2, true]
	]);
	const isle = reachedBy(h.db, h.lab.now, parseScope('site:isle').scope);
	expect(reached(isle)).toEqual([
		['sleep', 0, false],
		['locks', 0, false]
	]);
	const text = writeGroups(byId(catalogueIn(h.db)), groupsAt(h.db, h.lab.now));
	expect((await h.draft('settings.bring', { text })).blocks.map((b) => b.words)).toEqual(['it is so already']);
	await h.carryOut('settings.remove', { group: 'sleep' });
	const back = await h.draft('settings.bring', { text, others: 'go' });
	expect(back.effects.endpoints).toHaveLength(2);
	await h.finish(await h.commit(back.id));
	expect(writeGroups(byId(catalogueIn(h.db)), groupsAt(h.db, h.lab.now))).toBe(text);
});

describe('a value that takes hold at a start', () => {
	const group = { name: 'Ports', values: { 'power.wake-by-network': 'off' }, assigned: ['everything'] };
	const waits = () =>
		waitingAt(h.db, h.lab.now).map((w) => [w.subject.name, w.changes.map((c) => c.setting.id).join()]);
	const groupCard = async () => (await cardOf(h.ctx, 'settings-group', 'ports', { at: h.lab.now, live: true }))!;
	const sectionOf = async (kind: string, id: string) =>
		(await cardOf(h.ctx, kind, id, { at: h.lab.now, live: true }))!.sections!.find(
			(x) => 'title' in x && x.title === 'Taken at its next start'
		);

	test('is waited for by what runs, until it starts; what sleeps or is off has nothing to wait for', async () => {
		await switchOn('TB-1');
		await set(group);
		await h.live(MINUTE);
		expect(waits()).toEqual([['box-01', 'power.wake-by-network']]);
		expect(await sectionOf('endpoint', String(box()))).toMatchObject({
			lines: [{ words: expect.any(String) as string, note: 'off; until then on' }]
		});
		const card = await groupCard();
		expect(card.rows.find((r) => r.name === 'not taken yet')!.value).toMatch(/^by 1 endpoint and 0 machines that run/);
		const restart = card.actions!.find((a) => a.kind === 'endpoint.restart')!;
		expect(restart).toMatchObject({ words: 'Restart 1 endpoint', input: { endpoints: [box()] } });
		expect((await h.carryOut(restart.kind, restart.input)).state).toBe('done');
		expect(waits()).toEqual([]);
		expect(await sectionOf('endpoint', String(box()))).toBeUndefined();
		expect((await groupCard()).rows.map((r) => r.name)).not.toContain('not taken yet');
	});

	test('put back before anything has started, nothing waits; as it was then, it does', async () => {
		await switchOn('TB-1');
		await set(group);
		await h.live(MINUTE);
		const then = h.lab.now;
		await h.carryOut('settings.remove', { group: 'ports' });
		await h.live(MINUTE);
		expect(waits()).toEqual([]);
		expect(waitingAt(h.db, then)).toHaveLength(1);
	});
});

test('the name of whoever is signed in stands across the screen where a group says so, for those whom it reaches', async () => {
	const named = (login: string) => isNamedAcross(h.db, login, 'quay-01', h.lab.now);
	expect(named('anna')).toBe(false);
	const watermark = { name: 'Watermark', values: { 'displays.name-across': true }, assigned: ['team/visitors'] };
	expect((await set(watermark)).error).toBeNull();
	expect([named('eve'), named('anna'), named('nobody')]).toEqual([true, false, false]);
	expect(isNamedAcross(h.db, 'eve', 'no-such-machine', h.lab.now)).toBe(false);
});
