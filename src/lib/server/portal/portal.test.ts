import { beforeEach, describe, expect, test, vi } from 'vitest';
import { speakerOf } from '$lib/core/portal/say';
import { DAY, FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one, run } from '../db';
import { insertRow } from '../db/rows';
import { loginTyped, personCalled, recordOf } from '../directory';
import { callerOfSignIn, raiseSignIn, signInByPasskey, signInPerson } from '../identity/accounts';
import { hasFactor } from '../identity/factor';
import { signInPolicy } from '../identity/portal';
import { makeRecoveryCodes } from '../identity/recovery';
import { Harness, OWNER, QUIET, testEstate } from '../testing/harness';
import { mayComeIn, stillHere } from './coming-in';
import { ownChannels, ownDevices, ownMachines, passing } from './mine';
import { changeFor } from './own-change';

/** Eve keeps own-01; Anna and Bo are on quay-01, which they share. */
let h: Harness;
const numberOf = (login: string) => recordOf(h.db, login, h.lab.now)!.id;
const problems = (kind: string, input: object) =>
	h.draft(kind, input).then(
		() => [],
		(e: { problems: { field: string }[] }) => e.problems.map((p) => p.field)
	);
const blocks = async (kind: string, input: object) => (await h.draft(kind, input)).blocks.map((b) => b.words);
const machine = (login: string, name: string) => ownMachines(h.ctx, numberOf(login)).find((m) => m.machine === name);

beforeEach(async () => {
	vi.useRealTimers();
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	await h.live(3 * MINUTE);
	await h.carryOut('machine.give', { machine: 'own-01', person: 'eve' });
});

describe('how people sign in', () => {
	test('is a plan, refused beside what is wrong, and holds at once', async () => {
		expect(await problems('portal.sign-in', { ownDays: 400 })).toEqual(['ownDays']);
		expect(await problems('portal.sign-in', { ownDays: 7, ownFor: ['pirate'] })).toEqual(['ownFor']);
		expect(await blocks('portal.sign-in', { passkeys: true, ownDays: 0 })).toEqual(['it is so already']);
		await h.carryOut('portal.sign-in', { ownDays: 14, ownFor: ['employee'], passkeys: false });
		expect(signInPolicy(h.db)).toEqual({ passkeys: false, ownDays: 14, ownFor: ['employee'] });
	});

	test('a device of their own stays signed in for the days that are set, its second factor for half a day', async () => {
		await h.carryOut('portal.sign-in', { ownDays: 14 });
		vi.useFakeTimers({ toFake: ['Date'] });
		const eve = numberOf('eve');
		const own = signInPerson(h.db, eve, true, true);
		const usual = signInPerson(h.db, eve, true);
		const caller = (token: string) => callerOfSignIn(h.db, token, false, h.lab.now);
		vi.setSystemTime(Date.now() + 7 * HOUR);
		expect([caller(own)?.factor, caller(usual)?.factor]).toEqual([true, true]);
		vi.setSystemTime(Date.now() + 6 * HOUR);
		expect([caller(own)?.factor, caller(usual)]).toEqual([false, null]);
		raiseSignIn(h.db, caller(own)!.signIn!);
		expect(caller(own)!.factor).toBe(true);
		vi.setSystemTime(Date.now() + 12 * DAY);
		expect(caller(own)).toMatchObject({ login: 'eve', factor: false });
		vi.setSystemTime(Date.now() + 3 * DAY);
		expect(caller(own)).toBeNull();
		// Used every week it lasts on, and still ends one day.
		const used = signInPerson(h.db, eve, false, true);
		for (let weeks = 1; weeks <= 12; weeks++) {
			vi.setSystemTime(Date.now() + 7 * DAY);
			expect(callerOfSignIn(h.db, used, true, h.lab.now), `week ${weeks}`).not.toBeNull();
		}
		vi.setSystemTime(Date.now() + 7 * DAY);
		expect(callerOfSignIn(h.db, used, true, h.lab.now)).toBeNull();
		// Set back, it is as everywhere.
		const again = signInPerson(h.db, eve, false, true);
		const began = Date.now();
		vi.useRealTimers();
		await h.carryOut('portal.sign-in', { ownDays: 0 });
		vi.useFakeTimers({ toFake: ['Date'] });
		vi.setSystemTime(began + 9 * HOUR);
		expect(caller(again)).toBeNull();
	});

	test('by mail address where it is one person’s alone, and by login before that', async () => {
		await h.carryOut('people.put', {
			people: [
				{ login: 'fay', name: 'Fay Buoy', site: 'quay', team: 'harbour', mail: 'Fay.Buoy@testbay.example' },
				{ login: 'gus', name: 'Gus Oar', site: 'quay', team: 'harbour', mail: 'both@testbay.example' },
				{ login: 'hal', name: 'Hal Rope', site: 'quay', team: 'harbour', mail: 'both@testbay.example' }
			]
		});
		const by = (typed: string) => loginTyped(h.db, typed, h.lab.now);
		expect([by('fay'), by('fay.buoy@testbay.example'), by('both@testbay.example'), by('nobody'), by('x@y')]).toEqual([
			'fay',
			'fay',
			null,
			null,
			null
		]);
	});

	test('nobody comes in before their first day or stays in beyond their last', async () => {
		const say = speakerOf('nb');
		const fay = { login: 'fay', name: 'Fay Buoy', site: 'quay', team: 'harbour' };
		await h.carryOut('people.put', { people: [{ ...fay, begins: '2030-01-07' }] });
		const person = personCalled(h.db, 'fay', h.lab.now)!;
		expect(mayComeIn(person, h.lab.now, say)).toBe('Den første dagen din er man. 7. jan.. Logg inn fra da av.');
		const caller = callerOfSignIn(h.db, signInPerson(h.db, person.id, false), false, h.lab.now);
		expect(stillHere(h.db, caller, h.lab.now)).toBeNull();
		expect(stillHere(h.db, caller, person.begins)).not.toBeNull();
		expect(stillHere(h.db, null, h.lab.now)).toBeNull();
	});

	test('whoever has lost every factor has them forgotten by a plan, and is signed out', async () => {
		const eve = numberOf('eve');
		expect(await blocks('portal.forget-factor', { person: 'eve' })).toEqual(['they have none']);
		run(h.db, 'INSERT INTO person_factors(person_id, factor_on) VALUES (?, 1)', [eve]);
		makeRecoveryCodes(h.db, { kind: 'person', id: eve }, 1);
		const token = signInPerson(h.db, eve, false);
		await h.carryOut('portal.forget-factor', { person: 'eve' });
		expect(hasFactor(h.db, { kind: 'person', id: eve })).toBe(false);
		expect(callerOfSignIn(h.db, token, false, h.lab.now)).toBeNull();
		expect(all(h.db, 'SELECT * FROM recovery_codes')).toEqual([]);
	});
});

describe('sign-ins are ended by a plan', () => {
	const here = (token: string) => callerOfSignIn(h.db, token, false, h.lab.now) !== null;

	test('of one person, or of everybody in the portal; operators stay, and nobody else is named', async () => {
		const of = (login: string) => signInPerson(h.db, numberOf(login), false);
		run(h.db, 'DELETE FROM sign_ins');
		expect(await blocks('portal.end-sign-ins', { person: 'eve' })).toEqual(['Eve Sloop is signed in nowhere']);
		expect(await blocks('portal.end-sign-ins', { person: null })).toEqual(['nobody is signed in']);
		const [eve, again, bo] = [of('eve'), of('eve'), of('bo')];
		const operator = signInByPasskey(h.db, OWNER.id, { address: '', browser: '' });
		const one = await h.draft('portal.end-sign-ins', { person: 'eve' });
		expect(one.effects.people.map((p) => p.id)).toEqual(['eve']);
		expect(one.reasons[0]!.words).toMatch(/^2 sign-ins end at once/);
		expect((await h.finish(await h.commit(one.id))).state).toBe('done');
		expect([eve, again, bo, operator].map(here)).toEqual([false, false, true, true]);
		const all = await h.draft('portal.end-sign-ins', { person: null });
		expect(all.effects.people.map((p) => p.id)).toEqual(['bo']);
		await h.finish(await h.commit(all.id));
		expect([bo, operator].map(here)).toEqual([false, true]);
	});

	test('of one operator, or of all of them; people and tokens stay', async () => {
		run(h.db, 'DELETE FROM sign_ins');
		expect(await blocks('operator.end-sign-ins', { login: null })).toEqual(['nobody is signed in']);
		await h.carryOut('operator.add', { login: 'noor', name: 'Noor', role: 'helpdesk', password: 'gulls at noon' });
		const id = one<{ id: number }>(h.db, `SELECT id FROM operators WHERE login = 'noor'`)!.id;
		const enter = (of: number) => signInByPasskey(h.db, of, { address: '', browser: '' });
		const [noor, owner, bo] = [enter(id), enter(OWNER.id), signInPerson(h.db, numberOf('bo'), false)];
		await h.carryOut('operator.end-sign-ins', { login: 'noor' });
		expect([noor, owner, bo].map(here)).toEqual([false, true, true]);
		await h.carryOut('operator.end-sign-ins', { login: null });
		expect([owner, bo].map(here)).toEqual([false, true]);
		expect(await blocks('operator.end-sign-ins', { login: 'noor' })).toEqual(['Noor is signed in nowhere']);
	});
});

describe('what passes through', () => {
	test('is as its person says, as far as a grant allows it; what was not asked passes', async () => {
		const eve = numberOf('eve');
		expect(passing(h.db, eve, ['clipboard', 'printers'])).toEqual({
			pass: ['clipboard', 'printers'],
			keptOut: [],
			unasked: ['clipboard', 'printers']
		});
		await h.carryOut('own.channels', { person: 'eve', pass: { clipboard: false, printers: true } });
		expect(passing(h.db, eve, ['clipboard', 'printers', 'drives'])).toEqual({
			pass: ['printers', 'drives'],
			keptOut: ['clipboard'],
			unasked: ['drives']
		});
		expect(await blocks('own.channels', { person: 'eve', pass: { clipboard: false } })).toEqual(['it is so already']);
		expect(await problems('own.channels', { person: 'eve', pass: { smells: true } })).toEqual(['pass.smells']);
		await h.carryOut('own.channels', { person: 'eve', pass: { clipboard: null } });
		expect(ownChannels(h.db, eve)).toMatchObject({ clipboard: null, printers: true });
	});
});

describe('somebody’s own machine', () => {
	test('is called as they call it, by them alone', async () => {
		await h.carryOut('own.rename', { person: 'eve', kind: 'machine', thing: 'own-01', name: 'Drawing board' });
		expect(machine('eve', 'own-01')).toMatchObject({ name: 'Drawing board', kept: true, others: 0 });
		expect(await problems('own.rename', { person: 'anna', kind: 'machine', thing: 'own-01', name: 'Mine' })).toEqual([
			'thing'
		]);
		expect(await problems('own.rename', { person: 'eve', kind: 'endpoint', thing: 'none', name: 'x' })).toEqual([
			'thing'
		]);
		await h.carryOut('own.rename', { person: 'eve', kind: 'machine', thing: 'own-01', name: '' });
		expect(machine('eve', 'own-01')!.name).toBe('own-01');
	});

	test('is started and restarted by them; nobody else’s is, nor one that others are let onto', async () => {
		expect(machine('eve', 'own-01')!.state).toBe('off');
		await h.carryOut('own.restart', { person: 'eve', machine: 'own-01' });
		await h.live(4 * MINUTE);
		expect(machine('eve', 'own-01')!.state).toBe('ready');
		await h.carryOut('own.restart', { person: 'eve', machine: 'own-01' });
		expect(await problems('own.restart', { person: 'anna', machine: 'own-01' })).toEqual(['machine']);
		expect(await problems('own.restart', { person: 'eve', machine: 'quay-01' })).toEqual(['machine']);
		const { connection } = await h.ctx.providers.broker.connect('anna', 'desk', false, 'k');
		await h.live(4 * MINUTE);
		const { machine: on } = (await h.ctx.providers.broker.connection(connection))!;
		expect(await blocks('own.restart', { person: 'anna', machine: on })).toEqual([
			`${on} is not theirs alone: others are let onto it, too`
		]);
	});

	test('that fails is put right by them with what costs nobody else anything', async () => {
		for (const login of ['anna', 'bo']) await h.ctx.providers.broker.connect(login, 'desk', false, login);
		await h.live(4 * MINUTE);
		const shared = ownMachines(h.ctx, numberOf('anna'))[0]!;
		expect(shared).toMatchObject({ kept: false, others: 1, wrong: null });
		expect(await problems('own.mend', { person: 'anna', machine: shared.machine })).toEqual(['machine']);
		h.lab.apply({ kind: 'fault', fault: 'agent-stopped', target: shared.machine, value: null });
		await h.live(6 * MINUTE);
		expect(machine('anna', shared.machine)!.wrong).toMatchObject({ check: 'agent', remedies: ['restart service'] });
		const plan = await h.draft('own.mend', { person: 'anna', machine: shared.machine });
		expect(plan.steps).toHaveLength(1);
		expect(plan.effects.sessionsEnded).toEqual([]);
		await h.finish(await h.commit(plan.id));
		await h.live(6 * MINUTE);
		expect(machine('anna', shared.machine)!.wrong).toBeNull();
		expect(one<{ n: number }>(h.db, `SELECT count(*) AS n FROM sessions WHERE until > ${h.lab.now}`)!.n).toBe(2);
	});
});

test('a machine that somebody has two sessions on, and a device that has a copy, stand there once each', async () => {
	await h.ctx.providers.broker.connect('anna', 'desk', false, 'k');
	await h.live(4 * MINUTE);
	const [open] = all<Record<string, unknown>>(h.db, `SELECT * FROM sessions WHERE until > ${h.lab.now}`);
	const { id: _id, ...again } = open!;
	insertRow(h.db, 'sessions', { ...again, id: 90_000, publication_id: 'own' });
	expect(ownMachines(h.ctx, numberOf('anna'))).toHaveLength(1);
	const facts = { name: 'box', device: 'desk box', model: 'Tern 5', hardware: 'x', firmware: '1.0.0', address: '' };
	for (const [id, key] of [
		[1, 'first'],
		[2, 'copy']
	] as const) {
		insertRow(h.db, 'endpoints', { id, serial: 'TB-1', key, first_at: 0 });
		const of = { endpoint_id: id, since: 0, until: FOREVER };
		insertRow(h.db, 'endpoint_facts', { ...of, ...facts, site_id: null, person_id: numberOf('anna') });
		insertRow(h.db, 'endpoint_states', { ...of, state: 'asleep', person_id: null });
		insertRow(h.db, 'endpoint_spots', { ...of, branch_id: null, rule_id: null, by: null, why: '' });
	}
	const devices = ownDevices(h.db, numberOf('anna'), 'anna', h.lab.now);
	expect(devices.map((d) => d.serial)).toEqual(['TB-1', 'TB-1']);
	expect(new Set(devices.map((d) => d.id)).size).toBe(2);
});

test('somebody without a device or a machine has none, and that is no fault', () => {
	expect(ownMachines(h.ctx, numberOf('dag'))).toEqual([]);
	expect(ownDevices(h.db, numberOf('dag'), 'dag', h.lab.now)).toEqual([]);
});

describe('a change that somebody makes to what is theirs', () => {
	const caller = () => callerOfSignIn(h.db, signInPerson(h.db, numberOf('eve'), false), false, h.lab.now)!;
	const ctx = () => ({ ...h.ctx, wake: () => {} });

	test('is refused in words where its plan is blocked or its input wrong, and nothing is left behind', async () => {
		const say = speakerOf('en');
		expect(await changeFor(ctx(), caller(), say, 'own.restart', { person: 'eve', machine: 'quay-01' })).toEqual({
			refused: 'quay-01 is not theirs.',
			status: 422
		});
		await h.carryOut('own.channels', { person: 'eve', pass: { drives: false } });
		expect(await changeFor(ctx(), caller(), say, 'own.channels', { person: 'eve', pass: { drives: false } })).toEqual({
			refused: 'it is so already',
			status: 422
		});
		// A reason that is known in English alone is said to be so.
		expect(
			await changeFor(ctx(), caller(), speakerOf('nb'), 'own.channels', { person: 'eve', pass: { drives: false } })
		).toEqual({ refused: 'Det går ikke nå. Grunnen, på engelsk: it is so already', status: 422 });
	});

	test('is held up where it comes without end, for them alone', async () => {
		const say = speakerOf('fr');
		const eve = caller();
		const asked = async (n: number) => {
			let last: Awaited<ReturnType<typeof changeFor>> | null = null;
			for (let i = 0; i < n; i++)
				last = await changeFor(ctx(), eve, say, 'own.restart', { person: 'eve', machine: 'none' });
			return last;
		};
		expect(await asked(40)).toEqual({ refused: say('problem.too-often'), status: 429 });
	});
});
