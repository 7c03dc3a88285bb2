import { beforeEach, describe, expect, test } from 'vitest';
import { EVERYTHING } from '$lib/core/scope/scope';
import { DAY, FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { momentOf, wallTime } from '$lib/core/time/zone';
import { beginning } from '$lib/core/estate/schema';
import { all, one, run } from '../db';
import { recordOf } from '../directory';
import { needsAt } from '../house/needs';
import { publicationsAt } from '../publications';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { personCard } from './cards';
import { comingGroups } from './coming';
import { handoverOf, keptUntil } from './handovers';

/** Fay is of our own list and keeps a machine; requests for a publication go to her, Gus reports to her. Dag ends by the directory. */
let h: Harness;
let begun: number;
const dayOf = (n: number) => new Date((wallTime('Europe/Oslo', h.lab.now).day + n) * DAY).toISOString().slice(0, 10);
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			QUIET(e);
			begun = beginning(e);
			e.directory.changes = [
				{
					at: momentOf('Europe/Oslo', wallTime('Europe/Oslo', begun).day + 2, 8 * 60),
					told: begun + MINUTE,
					person: 'dag',
					ends: true
				}
			];
		})
	);
	await h.carryOut('people.put', {
		people: [
			{ login: 'fay', name: 'Fay Buoy', site: 'quay', team: 'harbour' },
			{ login: 'gus', name: 'Gus Oar', site: 'quay', team: 'harbour', manager: 'fay' }
		]
	});
	await h.live(3 * MINUTE);
	await h.carryOut('machine.give', { machine: 'own-01', person: 'fay' });
	await h.carryOut('publication.change', {
		id: 'own',
		name: 'My own machine',
		internalName: 'Own machine',
		pools: ['own'],
		owner: 'fay'
	});
});

const ownerOf = (id: string) => publicationsAt(h.db, h.lab.now).find((p) => p.id === id)!.owner;
const keeper = (machine: string) =>
	one<{ login: string | null }>(
		h.db,
		`SELECT p.login FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} LEFT JOIN people p ON p.id = pl.owner_id WHERE m.name = ? AND m.until = ${FOREVER}`,
		[machine]
	)?.login;
const stage = (login: string) => handoverOf(h.db, recordOf(h.db, login, h.lab.now)!.id, h.lab.now)?.stage ?? null;
const blocks = async (input: object) => (await h.draft('people.leave', input)).blocks.map((f) => f.words);

describe('somebody of our own list leaves', () => {
	test('is refused while something would be left without an owner, and says what', async () => {
		expect(await blocks({ person: 'fay' })).toEqual([
			'requests for Own machine would go to nobody',
			'Gus Oar would report to nobody'
		]);
		expect(await blocks({ person: 'fay', to: 'anna' })).toEqual([]);
		const wrong = (input: object) =>
			h.draft('people.leave', input).then(
				() => [],
				(e: { problems: { field: string }[] }) => e.problems.map((p) => p.field)
			);
		expect(await wrong({ person: 'nobody' })).toEqual(['person']);
		expect(await wrong({ person: 'fay', to: 'nobody' })).toEqual(['to']);
		expect(await wrong({ person: 'fay', to: 'fay' })).toEqual(['to']);
		expect(await wrong({ person: 'fay', at: 'tomorrow' })).toEqual(['at']);
		expect(await wrong({ person: 'fay', keepDays: -1 })).toEqual(['keepDays']);
	});

	test('at once: what hangs on them goes over, and comes back with them within the time', async () => {
		run(h.db, 'INSERT INTO person_factors(person_id, factor_on) VALUES (?, 1)', [recordOf(h.db, 'fay', h.lab.now)!.id]);
		expect((await h.carryOut('people.leave', { person: 'fay', at: 'now', to: 'anna' })).state).toBe('done');
		const fay = recordOf(h.db, 'fay', h.lab.now)!;
		expect(fay.ends).toBeLessThanOrEqual(h.lab.now);
		expect([ownerOf('own'), recordOf(h.db, 'gus', h.lab.now)!.manager, keeper('own-01'), stage('fay')]).toEqual([
			'anna',
			'anna',
			'fay',
			'handed'
		]);
		expect(all(h.db, 'SELECT * FROM person_factors WHERE person_id = ?', [fay.id])).toEqual([]);
		const card = personCard(h.ctx, 'fay', { at: h.lab.now, live: true } as never)!;
		expect(card.rows).toContainEqual(expect.objectContaining({ name: 'took over', value: 'Anna Quill' }));
		await h.live(2 * MINUTE);
		expect(h.lab.world.people.get('fay')!.ends).toBeLessThanOrEqual(h.lab.now);

		expect((await h.carryOut('people.return', { person: 'fay' })).state).toBe('done');
		expect([ownerOf('own'), recordOf(h.db, 'gus', h.lab.now)!.manager, keeper('own-01'), stage('fay')]).toEqual([
			'fay',
			'fay',
			'fay',
			null
		]);
		expect(recordOf(h.db, 'fay', h.lab.now)!.ends).toBe(FOREVER);
	});

	test('what has been given to a third since stays there', async () => {
		await h.carryOut('people.leave', { person: 'fay', at: 'now', to: 'anna' });
		await h.carryOut('people.put', { people: [{ login: 'gus', manager: 'bo' }] });
		await h.carryOut('people.return', { person: 'fay' });
		expect([ownerOf('own'), recordOf(h.db, 'gus', h.lab.now)!.manager]).toEqual(['fay', 'bo']);
	});

	test('on a day to come: nothing changes until then; a job of its own hands over that midnight, and another clears once the days are over', async () => {
		await h.carryOut('people.leave', { person: 'fay', at: dayOf(0), to: 'anna', keepDays: 1, sessions: 'end' });
		expect([ownerOf('own'), stage('fay')]).toEqual(['fay', 'agreed']);
		const group = comingGroups(h.db, h.lab.now).find((g) => g.people.some((p) => p.login === 'fay'))!;
		expect(group).toMatchObject({ kind: 'ends', state: 'ready' });
		expect(group.will).toContain('to Anna Quill');
		await h.live(18 * HOUR, MINUTE);
		expect([ownerOf('own'), keeper('own-01'), stage('fay')]).toEqual(['anna', 'fay', 'handed']);
		expect(one<{ by: string }>(h.db, `SELECT by FROM changes WHERE kind = 'people.hand-over'`)!.by).toMatch(
			/^the leave of Fay Buoy, arranged by /
		);
		const profile = one<{ profile: number }>(h.db, `SELECT profile FROM people WHERE login = 'fay'`)!.profile;
		expect(profile).toBeGreaterThan(0);
		await h.live(25 * HOUR, 5 * MINUTE);
		expect([keeper('own-01'), stage('fay')]).toEqual([undefined, 'cleared']);
		expect(one<{ profile: number }>(h.db, `SELECT profile FROM people WHERE login = 'fay'`)!.profile).toBe(0);
		expect(h.lab.world.people.get('fay')!.profile).toBe(0);
	});

	test('what they leave is handed on where that is agreed, with the files', async () => {
		await h.carryOut('people.leave', { person: 'fay', at: 'now', to: 'anna', after: 'hand', keepDays: 0 });
		const had = h.lab.world.people.get('anna')!.profile;
		const files = h.lab.world.people.get('fay')!.profile;
		await h.live(5 * MINUTE);
		expect([keeper('own-01'), stage('fay')]).toEqual(['anna', 'cleared']);
		expect(h.lab.world.people.get('anna')!.profile).toBe(had + files);
	});

	test('sessions that are open are ended, and those who are asked are given time', async () => {
		await h.carryOut('grant.add', { publication: 'own', person: 'fay', channels: [] });
		await h.ctx.providers.broker.connect('fay', 'own', true, 'open');
		await h.live(20 * MINUTE, 10_000);
		const open = () =>
			one<{ n: number }>(
				h.db,
				`SELECT count(*) AS n FROM sessions s JOIN people p ON p.id = s.person_id WHERE p.login = 'fay' AND s.until = ${FOREVER}`
			)!.n;
		expect(open()).toBe(1);
		const plan = await h.draft('people.leave', { person: 'fay', at: 'now', to: 'anna' });
		expect(plan.effects.sessionsEnded).toHaveLength(1);
		expect(plan.effects.duration.middle).toBeGreaterThan(15 * MINUTE);
		await h.carryOut('people.leave', { person: 'fay', at: 'now', to: 'anna' });
		await h.live(MINUTE, 10_000);
		expect(open()).toBe(0);
	});
});

describe('somebody of whom the directory tells leaves', () => {
	test('when it says so: here it is arranged what follows', async () => {
		await h.live(2 * MINUTE);
		expect(await blocks({ person: 'anna' })).toEqual([
			'the directory says no last day of Anna Quill: set it there, and what they leave can be arranged'
		]);
		expect(await blocks({ person: 'dag', at: dayOf(9) })).toEqual([
			'Dag Keel is kept by the directory: their last day is set there'
		]);
		await h.carryOut('machine.give', { machine: 'own-02', person: 'dag' });
		const group = () => comingGroups(h.db, h.lab.now).find((g) => g.people.some((p) => p.login === 'dag'))!;
		expect(group()).toMatchObject({ state: 'soon' });
		await h.carryOut('people.leave', { person: 'dag', to: 'bo', after: 'hand', keepDays: 1 });
		expect(group()).toMatchObject({ state: 'ready' });
		await h.live(78 * HOUR, 10 * MINUTE);
		expect(keeper('own-02')).toBe('bo');
	});

	test('and stands on Today where nobody has said what becomes of what they leave', async () => {
		await h.live(2 * MINUTE);
		await h.carryOut('machine.give', { machine: 'own-02', person: 'dag' });
		await h.live(50 * HOUR, 10 * MINUTE);
		const need = needsAt(h.db, EVERYTHING, h.lab.now).needs.find((n) => n.key === 'people-left-behind');
		expect(need?.facts[0]?.words).toBe('Dag Keel: own-02 is still theirs');
		// Who was to take over has gone by then: it is refused, said, and tried again.
		await h.carryOut('people.leave', { person: 'gus', at: dayOf(0), to: 'fay' });
		await h.carryOut('people.leave', { person: 'fay', at: 'now', to: 'anna' });
		await h.live(26 * HOUR, 10 * MINUTE);
		expect(needsAt(h.db, EVERYTHING, h.lab.now).needs.find((n) => n.key === 'handover-gus')?.facts[0]?.words).toContain(
			'Fay Buoy, who was to take over, is not here'
		);
	});
});

test('an account in the console is for an owner to shut, and stands on Today until they have; what it runs goes to an operator', async () => {
	const operator = { name: 'Fay Buoy', login: 'fay', role: 'operator', password: 'a line of ten fathoms' };
	await h.carryOut('operator.add', operator);
	await h.carryOut('operator.add', { ...operator, login: 'anna', name: 'Anna Quill' });
	const fay = one<{ id: number }>(h.db, `SELECT id FROM operators WHERE login = 'fay'`)!.id;
	await h.carryOut('schedule.add', {
		title: 'Nightly',
		kind: 'machines.reset',
		input: { pool: 'quay' },
		rule: 'FREQ=DAILY',
		begins: '2026-11-17T22:00',
		zone: 'Europe/Oslo'
	});
	run(h.db, 'UPDATE schedules SET operator_id = ?', [fay]);
	expect(await blocks({ person: 'fay', to: 'bo' })).toEqual([
		'Nightly would stop: Bo Rigg may not sign in to the console'
	]);
	await h.carryOut('people.leave', { person: 'fay', at: 'now', to: 'anna' });
	const runs = () =>
		one<{ login: string }>(h.db, 'SELECT o.login FROM schedules s JOIN operators o ON o.id = s.operator_id')!.login;
	expect(runs()).toBe('anna');
	// Whoever may let people leave may not shut accounts: a person of the list may be called as an operator is.
	expect(one<{ disabled: number }>(h.db, `SELECT disabled FROM operators WHERE login = 'fay'`)!.disabled).toBe(0);
	const need = () => needsAt(h.db, EVERYTHING, h.lab.now).needs.find((n) => n.key === 'account-fay');
	expect(need()).toMatchObject({ title: 'Fay Buoy has left, and may still sign in to the console' });
	await h.carryOut(need()!.plan!.kind, need()!.plan!.input);
	expect(need()).toBeUndefined();
	await h.carryOut('people.return', { person: 'fay' });
	expect(runs()).toBe('fay');
});

test('what is kept is kept for days of the calendar, over a change of the clock as well', () => {
	const day = (n: number) => momentOf('Europe/Oslo', Date.UTC(2027, 2, 20) / DAY + n, 0);
	expect(keptUntil(h.db, { ends: day(0), site: 'quay' }, 30)).toBe(day(30));
	expect(day(30) - day(0)).toBe(30 * DAY - HOUR);
});
