import { beforeEach, describe, expect, test } from 'vitest';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { all, one } from '../db';
import { Harness } from '../testing/harness';

/** Plans on sessions and machines: what they say beforehand, and that just this comes of it. */

let h: Harness;
beforeEach(async () => {
	h = await Harness.of();
	await h.live(3 * HOUR, 20_000);
});

const open = () =>
	all<{ id: number; login: string; machine: string }>(
		h.db,
		`SELECT s.id, p.login, m.name AS machine FROM sessions s JOIN people p ON p.id = s.person_id JOIN machines m ON m.id = s.machine_id
		 WHERE s.until = ${FOREVER} ORDER BY s.id`
	);
const stateOf = (machine: string) => h.lab.world.machines.get(machine)!.state;
const idle = (state: string) => [...h.lab.world.machines.values()].find((m) => m.state === state && m.pool === 'quay')!;

describe('signing out', () => {
	test('ends the sessions named, and no other', async () => {
		const [first, ...others] = open();
		const plan = await h.draft('session.sign-out', { sessions: [first!.id] });
		expect(plan.title).toMatch(/^Sign .* out of /);
		expect(plan.effects.people.map((p) => [p.id, p.how])).toEqual([[first!.login, 'signed out']]);
		expect(plan.effects.sessionsEnded.map((s) => s.id)).toEqual([String(first!.id)]);
		expect(plan.warnings[0]!.words).toMatch(/not saved is lost/);
		const job = await h.finish(await h.commit(plan.id));
		expect(job.result).toEqual({ done: 1, failed: 0 });
		expect(open().map((s) => s.id)).toEqual(others.map((s) => s.id));
		expect(one<{ ended_by: string }>(h.db, 'SELECT ended_by FROM sessions WHERE id = ?', [first!.id])!.ended_by).toBe(
			'signed out by Runa Solheim'
		);
	});

	test('of a session that has ended already is said beside the field', async () => {
		const [first] = open();
		await h.carryOut('session.sign-out', { sessions: [first!.id] });
		await expect(h.draft('session.sign-out', { sessions: [first!.id] })).rejects.toMatchObject({
			problems: [{ field: 'sessions', words: 'This session has ended already.' }]
		});
		await expect(h.draft('session.sign-out', { sessions: [] })).rejects.toMatchObject({
			problems: [{ field: 'sessions', words: 'Choose at least one session.' }]
		});
	});
});

describe('a message', () => {
	test('reaches those who are named, ends nothing, and cannot be empty or endless', async () => {
		const sessions = open().map((s) => s.id);
		const plan = await h.draft('session.message', { sessions, text: '  Save your work.  ' });
		expect(plan.effects.sessionsEnded).toEqual([]);
		expect(plan.effects.people).toHaveLength(new Set(open().map((s) => s.login)).size);
		expect(plan.reasons[0]!.words).toBe('they will read: “Save your work.”');
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect(open().map((s) => s.id)).toEqual(sessions);
		for (const [text, words] of [
			[' ', 'Write the message.'],
			['x'.repeat(401), 'At most 400 characters.']
		])
			await expect(h.draft('session.message', { sessions, text })).rejects.toMatchObject({
				problems: [{ field: 'text', words }]
			});
	});
});

describe('power', () => {
	test('a restart names whom it signs out, and brings the machine back ready', async () => {
		const { machine } = open()[0]!;
		const on = open().filter((s) => s.machine === machine);
		const plan = await h.draft('machine.restart', { machines: [machine] });
		expect(plan.effects.people.map((p) => p.id).sort()).toEqual(on.map((s) => s.login).sort());
		expect(plan.undoWords).toMatch(/^No/);
		const job = await h.finish(await h.commit(plan.id));
		expect(job).toMatchObject({ state: 'done', result: { done: 1, failed: 0 } });
		expect(['ready', 'in use']).toContain(stateOf(machine));
		expect(open().filter((s) => on.some((o) => o.id === s.id))).toEqual([]);
	});

	test('a machine that is off is started, and stopped again by its undo', async () => {
		const { name } = idle('off');
		const plan = await h.draft('machine.start', { machines: [name] });
		expect(plan.effects.people).toEqual([]);
		expect(plan.undo).toEqual({ kind: 'machine.stop', input: { machines: [name] } });
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect(stateOf(name)).toBe('ready');
		expect((await h.carryOut('machine.stop', { machines: [name] })).state).toBe('done');
		await h.live(MINUTE);
		expect(stateOf(name)).toBe('off');
	});

	test.each([
		['machine.start', 'in use', /is in use already/],
		['machine.stop', 'off', /is off already/],
		['machine.restart', 'off', /is off: start it/]
	])('%s of a machine that is %s is blocked, with the machine named', async (kind, state, words) => {
		const { name } = idle(state);
		const plan = await h.draft(kind, { machines: [name] });
		expect(plan.blocks[0]!.words).toMatch(words);
		expect(plan.blocks[0]!.about).toEqual({ kind: 'machine', id: name });
		await expect(h.commit(plan.id)).rejects.toThrow();
	});

	test('a machine that is not there is named beside the field', async () => {
		await expect(h.draft('machine.restart', { machines: ['quay-01', 'nowhere-1'] })).rejects.toMatchObject({
			problems: [{ field: 'machines', words: 'There is no machine nowhere-1.' }]
		});
	});

	test('a reset puts back what had been lost, and keeps the name and the address', async () => {
		const { name } = idle('off');
		const before = h.lab.world.machines.get(name)!;
		const { address } = before;
		before.trusted = false;
		const job = await h.carryOut('machine.reset', { machines: [name] });
		expect(job.state).toBe('done');
		expect(h.lab.world.machines.get(name)).toMatchObject({ trusted: true, address, version: '1.0.0' });
	});
});
