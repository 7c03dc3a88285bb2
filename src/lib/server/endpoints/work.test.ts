import { beforeEach, describe, expect, test } from 'vitest';
import { EVERYTHING, parseScope } from '$lib/core/scope/scope';
import { MINUTE } from '$lib/core/time/units';
import { changesBefore } from '../changes';
import { all } from '../db';
import { cardOf } from '../house/cards';
import { draftPlan, draftUndo } from '../plans';
import { keyPrint, requestOf } from '../simulator/device-keys';
import { letAllIn } from '../testing/estates';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { asRole } from '../identity/caller';
import { certificatesOf } from './certificates';
import { endpointCertificates, endpointsIn } from './lists';
import { endpointSteps } from './steps';

/** Two boxes and a laptop at the quay, and a box at the isle: nobody's, all switched on once. */
let h: Harness;
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			e.sites[0]!.endpoint_ranges = ['10.1.4.0/24'];
			e.sites[1]!.endpoint_ranges = ['10.2.4.0/24'];
			letAllIn(e, [
				{ id: 'boxes', site: 'quay', naming: 'box-##', serials: 'TB-', first: 1, spare: 2 },
				{ id: 'laps', kind: 'laptop', site: 'quay', naming: 'lap-##', serials: 'TL-', first: 1, spare: 1 },
				{ id: 'far', site: 'isle', naming: 'far-##', serials: 'TF-', first: 1, spare: 1 }
			]);
		})
	);
	await h.live(MINUTE);
	for (const id of ['TB-1', 'TB-2', 'TL-1', 'TF-1']) h.lab.apply({ kind: 'switch on', endpoint: id });
	await h.live(15 * MINUTE);
});

const items = (at = h.lab.now) => endpointsIn(h.db, EVERYTHING, at).items;
const idOf = (name: string) => items().find((e) => e.name === name)!.id;
const states = () => Object.fromEntries(items().map((e) => [e.name, e.state]));
const switchOn = async (id: string) => {
	h.lab.apply({ kind: 'switch on', endpoint: id });
	await h.live(MINUTE);
};
const undo = async () => {
	const plan = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
	return h.finish(await h.commit(plan.id));
};

test('a device that sleeps is woken by a neighbour that is awake; where there is none the plan says why', async () => {
	expect(new Set(Object.values(states()))).toEqual(new Set(['asleep']));
	const every = items().map((e) => e.id);
	const plan = await h.draft('endpoint.wake', { endpoints: every });
	expect(plan.blocks.map((b) => b.words)).toEqual([
		'box-01: nobody in its network, 10.1.4.0/24, is awake to wake it',
		'box-02: nobody in its network, 10.1.4.0/24, is awake to wake it',
		'far-01: nobody in its network, 10.2.4.0/24, is awake to wake it',
		'lap-01: a laptop that sleeps does not listen'
	]);
	await switchOn('TB-1');
	const next = await h.draft('endpoint.wake', { endpoints: every });
	expect(next.title).toBe('Wake box-02');
	expect(next.effects.endpoints!.map((e) => [e.name, e.how])).toEqual([['box-02', 'woken by box-01']]);
	expect(next.warnings).toHaveLength(2);
	expect((await h.finish(await h.commit(next.id))).state).toBe('done');
	expect(states()).toMatchObject({ 'box-02': 'awake', 'far-01': 'asleep', 'lap-01': 'asleep' });
	const again = await h.draft('endpoint.wake', { endpoints: [idOf('box-02')] });
	expect([again.title, again.blocks[0]!.words]).toEqual(['Wake box-02', 'they are awake already']);
	const card = (await cardOf(h.ctx, 'endpoint', String(idOf('far-01')), { at: h.lab.now, live: true }))!;
	expect(card.actions.map((a) => a.words)).toEqual(expect.arrayContaining(['Wake it', 'Forget it']));
});

test('one that hears the signal no more is said not to have called in', async () => {
	await switchOn('TB-1');
	h.lab.world.endpoints.delete('TB-2');
	const job = await h.carryOut('endpoint.wake', { endpoints: [idOf('box-02')] }).catch((e: Error) => e);
	const words = all<{ error: string }>(h.db, 'SELECT error FROM job_items WHERE error IS NOT NULL').map((r) => r.error);
	expect(words).toEqual(['box-02 did not call in within 3 min of the signal by box-01']);
	expect(job).toBeDefined();
});

test('what is forgotten is gone from now on and as it was before; it comes back by undoing, or new when it calls', async () => {
	await switchOn('TB-1');
	await h.live(6 * MINUTE);
	const id = idOf('box-01');
	const before = h.lab.now;
	const was = items().find((e) => e.id === id)!;
	await h.live(MINUTE);
	await h.carryOut('endpoint.forget', { endpoints: [id] });
	expect(items().map((e) => e.name)).toEqual(['box-02', 'far-01', 'lap-01']);
	expect(items(before).map((e) => e.name)).toContain('box-01');
	expect(certificatesOf(h.db, id, h.lab.now - 1)[0]?.state ?? 'good').not.toBe('revoked');
	// It goes to sleep afterwards, and nothing is known of that.
	await h.live(12 * MINUTE);
	expect(items()).toHaveLength(3);
	await undo();
	expect(items().find((e) => e.id === id)).toMatchObject({ name: was.name, branch: was.branch, state: was.state });
	await h.live(MINUTE);
	await h.carryOut('endpoint.forget', { endpoints: [id] });
	await switchOn('TB-1');
	expect(items().find((e) => e.id === id)).toMatchObject({ state: 'awake', branch: 'all' });
	expect((await h.draft('endpoint.know-again', { endpoints: [id], then: before })).blocks).toHaveLength(1);
});

test('a device whose key is another after a repair is let in once the old one is forgotten', async () => {
	const box = h.lab.world.endpoints.get('TB-1')!;
	await h.carryOut('endpoint.forget', { endpoints: [idOf('box-01')] });
	box.key = keyPrint('repaired');
	h.ctx.providers.endpoints.request = (serial) => requestOf('repaired', serial);
	await switchOn('TB-1');
	expect(items().find((e) => e.serial === 'TB-1')).toMatchObject({ branch: 'all', state: 'awake' });
});

test('what was shut out is shut out still when it was forgotten and calls again, until somebody lets it in', async () => {
	const id = idOf('box-01');
	await h.carryOut('endpoint.shut-out', { endpoints: [id], why: 'stolen' });
	await h.live(MINUTE);
	await h.carryOut('endpoint.forget', { endpoints: [id] });
	await switchOn('TB-1');
	expect(items().find((e) => e.id === id)).toMatchObject({ state: 'shut out', branch: null });
	const card = (await cardOf(h.ctx, 'endpoint', String(id), { at: h.lab.now, live: true }))!;
	expect(card.facts[0]!.words).toBe(`shut out by ${OWNER.name}: stolen`);
	await h.carryOut('endpoint.move', { endpoints: [id], branch: 'all' });
	expect(items().find((e) => e.id === id)).toMatchObject({ branch: 'all' });
});

test('the list of certificates goes on to name what was forgotten, in any order, in a scope', async () => {
	for (const id of ['TB-1', 'TB-2']) await switchOn(id);
	await h.live(6 * MINUTE);
	await h.carryOut('endpoint.forget', { endpoints: [idOf('box-01')] });
	const page = (scope: string, sort = 'name') =>
		endpointCertificates
			.page(h.db, { at: h.lab.now, scope: parseScope(scope).scope, sort, descending: false, limit: 10, offset: 0 })
			.rows.filter((c) => c.serial.startsWith('TB-'))
			.map((c) => [c.name, c.state]);
	expect(page('')).toEqual([
		['box-01', 'revoked'],
		['box-02', 'good']
	]);
	expect(page('', 'state')).toEqual([
		['box-02', 'good'],
		['box-01', 'revoked']
	]);
	expect(page('endpoint:box-01')).toEqual([['box-01', 'revoked']]);
	expect(page('site:isle')).toEqual([]);
	expect(() => page('', 'pem')).toThrow();
});

test('the least of the roles sees what it may and changes nothing', async () => {
	const id = idOf('box-01');
	for (const [kind, input] of [
		['endpoint.shut-out', { endpoints: [id], why: 'x' }],
		['endpoint.forget', { endpoints: [id] }],
		['endpoint.wake', { endpoints: [id] }],
		['endpoint.networks', { site: 'quay', ranges: [] }],
		['endpoint.called-at', { address: '' }]
	] as const)
		await expect(draftPlan(h.ctx, { ...OWNER, ...asRole('auditor') }, kind, input, 'test')).rejects.toThrow();
	expect(items()).toHaveLength(4);
});

describe('what is done on devices that are awake', () => {
	const states = () =>
		all<{ login: string; state: string }>(
			h.db,
			`SELECT p.login, st.state FROM sessions s JOIN people p ON p.id = s.person_id JOIN session_states st ON st.session_id = s.id AND st.until > @at AND s.until > @at WHERE p.login = 'anna'`,
			{ at: h.lab.now }
		);
	/** Anna has box-01, and has opened something from it. */
	const annaWorks = async () => {
		await h.carryOut('endpoint.keep', { give: [{ endpoint: idOf('box-01'), person: 'anna' }] });
		h.lab.apply({ kind: 'connect', login: 'anna', publication: 'desk', secondFactor: true, key: 'anna' });
		await h.live(5 * MINUTE);
		expect(states()).toEqual([{ login: 'anna', state: 'active' }]);
	};

	test('restarted, it calls in again; what was open from it is set aside first, and named', async () => {
		await annaWorks();
		const id = idOf('box-01');
		const starts = () => all(h.db, 'SELECT at FROM endpoint_starts WHERE endpoint_id = ?', [id]).length;
		const before = starts();
		const plan = await h.draft('endpoint.restart', { endpoints: [id] });
		expect(plan.title).toBe('Restart box-01');
		expect(plan.effects.people).toMatchObject([{ id: 'anna', how: 'waits for their endpoint to start' }]);
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect(starts()).toBe(before + 1);
		expect(states()).toEqual([{ login: 'anna', state: 'disconnected' }]);
	});

	test('locked, what is open from it is set aside and nobody is on it', async () => {
		await annaWorks();
		expect((await h.carryOut('endpoint.lock', { endpoints: [idOf('box-01')] })).state).toBe('done');
		expect(states()).toEqual([{ login: 'anna', state: 'disconnected' }]);
		expect(
			all(h.db, 'SELECT state, person_id FROM endpoint_states WHERE endpoint_id = ? AND until > ?', [
				idOf('box-01'),
				h.lab.now
			])
		).toEqual([{ state: 'awake', person_id: null }]);
	});

	test('a text is shown on those that are awake; those that sleep, or are not let in, are said and passed over', async () => {
		await annaWorks();
		const text = 'The network stops at noon.';
		const [here, shut, asleep] = ['box-01', 'lap-01', 'far-01'].map(idOf);
		await switchOn('TL-1');
		await h.carryOut('endpoint.shut-out', { endpoints: [shut!], why: 'lost' });
		const plan = await h.draft('endpoint.show', { endpoints: [here!, asleep!, shut!], text });
		expect(plan.effects.endpoints!.map((e) => e.name)).toEqual(['box-01']);
		expect(plan.warnings.map((w) => w.words)).toEqual([
			'1 of them sleeps, and would not be asked',
			'1 of them is not let in, and would not be asked'
		]);
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect(h.lab.world.endpoints.get('TB-1')!.shown).toMatchObject({ text });
		expect((await h.draft('endpoint.show', { endpoints: [asleep!], text })).blocks[0]!.words).toBe('it sleeps');
		await expect(h.draft('endpoint.show', { endpoints: [here!], text: ' ' })).rejects.toMatchObject({
			problems: [{ field: 'text', words: 'Write what they should read.' }]
		});
	});

	test('a text goes to one that has woken up since as well; a restart of it is to be agreed to', async () => {
		await annaWorks();
		const ids = ['box-01', 'box-02'].map(idOf);
		const [text, restart] = [
			await h.draft('endpoint.show', { endpoints: ids, text: 'The network stops at noon.' }),
			await h.draft('endpoint.restart', { endpoints: ids })
		];
		await switchOn('TB-2');
		await expect(h.commit(restart.id)).rejects.toMatchObject({
			facts: expect.arrayContaining([expect.objectContaining({ words: 'box-02 would now be touched' })])
		});
		const job = await h.finish(await h.commit(text.id));
		expect(job.state).toBe('done');
		expect(h.lab.world.endpoints.get('TB-2')!.shown).toMatchObject({ text: 'The network stops at noon.' });
	});

	test('one that does not start again within ten minutes is said', async () => {
		await switchOn('TB-1');
		h.ctx.providers.endpoints.restart = () => Promise.resolve(h.lab.now);
		const job = await h.carryOut('endpoint.restart', { endpoints: [idOf('box-01')] });
		expect(job.state).not.toBe('running');
		expect(JSON.stringify(all(h.db, 'SELECT * FROM job_items'))).toContain(
			'box-01 did not call in again within 10 min'
		);
	});

	test('a restart that was under way when Sextant ended is waited for, and not asked for again', async () => {
		await switchOn('TB-1');
		const id = idOf('box-01');
		const { serial, key } = h.lab.world.endpoints.get('TB-1')!;
		const starts = () => all(h.db, 'SELECT at FROM endpoint_starts WHERE endpoint_id = ?', [id]).length;
		const before = starts();
		const asked = await h.ctx.providers.endpoints.restart(serial, key, 'job 1 box-01');
		await h.live(20_000);
		expect(items().find((e) => e.id === id)!.state).toBe('asleep');
		// The step begins anew, with the key that it had.
		const again = endpointSteps['endpoint.restart'].run({
			ctx: h.ctx,
			input: { endpoints: [id] },
			cancelled: () => false,
			each: async (items: string[], _: number, work: (item: string, key: string) => Promise<unknown>) => {
				await work(items[0]!, 'job 1 box-01');
				return { done: items, failed: [] };
			}
		} as never);
		await Promise.all([again, h.live(3 * MINUTE)]);
		expect(starts()).toBe(before + 1);
		expect(await h.ctx.providers.endpoints.restart(serial, key, 'job 1 box-01')).toBe(asked);
		// Another job asks for it anew; of one that sleeps it is said.
		await h.live(20 * MINUTE);
		const late = await h
			.commit((await h.draft('endpoint.restart', { endpoints: [id] })).id)
			.catch((e: Error) => e.message);
		expect(late).toMatch(/it sleeps/);
	});
});
