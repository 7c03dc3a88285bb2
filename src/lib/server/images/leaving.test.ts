import { beforeEach, describe, expect, test } from 'vitest';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { all } from '../db';
import { Harness, testEstate } from '../testing/harness';
import { seeToPeople, type LeavingWish } from './leaving';

/** Anna works on a machine, Bo has left his session open. */
let h: Harness;
let machines: string[];
const logged: string[] = [];
const asked: string[] = [];

beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			for (const p of e.directory.people) p.pattern = 'none';
		})
	);
	await h.live(10 * MINUTE);
	for (const login of ['anna', 'bo'])
		h.lab.apply({ kind: 'connect', login, publication: 'desk', secondFactor: true, key: login });
	await h.live(10 * MINUTE);
	const bo = [...h.lab.world.sessions.values()].find((s) => s.person === 'bo')!;
	h.lab.apply({ kind: 'disconnect', session: bo.id });
	await h.live(MINUTE);
	machines = [...new Set([...h.lab.world.sessions.values()].map((s) => s.machine))];
	logged.length = asked.length = 0;
	const message = h.ctx.providers.agent.message.bind(h.ctx.providers.agent);
	h.ctx.providers.agent.message = (session, text, key) => {
		asked.push(`${h.lab.world.sessions.get(session)!.person}: ${text}`);
		return message(session, text, key);
	};
});

async function see(wish: Partial<LeavingWish>): Promise<string[]> {
	const done = seeToPeople({ ctx: h.ctx, key: (what) => `test ${what}`, log: (line) => logged.push(line) }, machines, {
		people: 'ask',
		until: h.lab.now + HOUR,
		message: (left) => `Sign out within ${left}`,
		endedBy: 'for the test',
		...wish
	});
	await h.live(2 * MINUTE);
	await done;
	return [...h.lab.world.sessions.values()].map((s) => s.person).sort();
}

describe('people on machines that are to change', () => {
	test('are told nothing, and stay, where the change waits for them', async () => {
		expect(await see({ people: 'wait', until: 0 })).toEqual(['anna', 'bo']);
		expect(asked).toEqual([]);
	});

	test('are asked with how long is left, once each, however often the job looks', async () => {
		expect(await see({})).toEqual(['anna', 'bo']);
		expect(asked.sort()).toEqual(['anna: Sign out within 1 h', 'bo: Sign out within 1 h']);
		const messages = () => [...h.lab.world.operations.keys()].filter((k) => k.startsWith('test ask')).length;
		expect(messages()).toBe(2);
		await see({});
		expect(messages()).toBe(2);
	});

	test('are signed out once the deadline is over, with the reason on record', async () => {
		expect(await see({ until: h.lab.now })).toEqual([]);
		expect(asked).toEqual([]);
		expect(all(h.db, 'SELECT DISTINCT ended_by FROM sessions')).toEqual([{ ended_by: 'for the test' }]);
	});

	test('keep their sessions where only those that nobody is at are ended', async () => {
		expect(await see({ people: 'idle', until: 0 })).toEqual(['anna']);
		expect(asked).toEqual([]);
	});

	test('who cannot be reached are noted, and hold nobody else up', async () => {
		const signOut = h.ctx.providers.agent.signOut.bind(h.ctx.providers.agent);
		const { ProviderError } = await import('../providers');
		h.ctx.providers.agent.signOut = (session, why, key) =>
			h.lab.world.sessions.get(session)!.person === 'anna'
				? Promise.reject(new ProviderError('the machine does not answer'))
				: signOut(session, why, key);
		expect(await see({ until: 0 })).toEqual(['anna']);
		expect(logged).toEqual([expect.stringMatching(/^session \d+ on .*: the machine does not answer$/)]);
	});

	test('of other machines are left alone', async () => {
		machines = ['own-01'];
		expect(await see({ until: 0 })).toEqual(['anna', 'bo']);
		machines = [];
		expect(await see({ until: 0 })).toEqual(['anna', 'bo']);
	});
});
