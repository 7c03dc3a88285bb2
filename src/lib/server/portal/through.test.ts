import { beforeAll, describe, expect, test } from 'vitest';
import type { Passage } from '$lib/core/reach/channels';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { all, one } from '../db';
import { recordOf } from '../directory';
import { callerNow } from '../identity/accounts';
import { hadToday, tellRules, triedReach } from '../reach';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { act, askPage, serveFrom } from '../testing/pages';
import { passOnce, waysThrough } from './through';

/** Anna and Bo are on shared machines of the harbour; the grant of the desk gives clipboard and drives. */
let h: Harness;
const person = (login: string) => recordOf(h.db, login, h.lab.now)!.id;
const connections = new Map<string, number>();
async function opened(login: string, factor = false): Promise<number> {
	const { connection } = await h.ctx.providers.broker.connect(login, 'desk', factor, `open ${login} ${factor}`);
	await h.live(5 * MINUTE, MINUTE);
	expect((await h.ctx.providers.broker.connection(connection))!.result).toBe('open');
	connections.set(login, connection);
	return connection;
}
const ways = async (login: string) => {
	const found = await waysThrough(h.ctx, person(login), connections.get(login)!);
	return Object.fromEntries(found.map((w) => [w.passage, [w.upTo, w.kept?.by ?? null]]));
};
const pass = (login: string, passage: Passage, bytes: number, reason: string | null = null) =>
	passOnce(h.ctx, person(login), connections.get(login)!, passage, bytes, reason);
const told = async (...rules: object[]) => {
	const edits = rules.map((put) => ({ put }));
	expect((await h.carryOut('access-rules.change', { edits })).error).toBeNull();
	await tellRules(h.ctx);
};

beforeAll(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			QUIET(e);
			for (const g of e.grants) if (g.publication === 'desk') g.channels = ['clipboard', 'drives'];
		})
	);
	await h.live(6 * MINUTE, MINUTE);
	await opened('anna');
	await tellRules(h.ctx);
});

describe('what passes a session', () => {
	test('is what its grant gives, while no rule says otherwise', async () => {
		expect(await ways('anna')).toEqual({
			'clipboard-in': [null, null],
			'clipboard-out': [null, null],
			'drives-in': [null, null],
			'drives-out': [null, null],
			printers: [0, 'grant'],
			cameras: [0, 'grant'],
			microphones: [0, 'grant'],
			downloads: [0, 'grant']
		});
		expect(await pass('anna', 'clipboard-out', 500_000)).toBeNull();
		expect(await pass('anna', 'printers', 0)).toEqual({ by: 'grant', rule: null, words: null });
	});

	test('is less by rule: one way, so much at once, with the words and the name of the rule', async () => {
		await told(
			{ id: 'line', name: 'A line', decide: 'allow', who: ['person/anna'], what: ['channel/clipboard-out up to 2 KB'] },
			{
				id: 'keep',
				name: 'Stays here',
				decide: 'refuse',
				say: 'It stays.',
				who: ['person/anna'],
				what: ['channel/clipboard-out', 'channel/drives']
			}
		);
		expect(await ways('anna')).toMatchObject({
			'clipboard-in': [null, null],
			'clipboard-out': [2000, 'rule'],
			'drives-in': [0, 'rule'],
			printers: [0, 'grant']
		});
		expect(await pass('anna', 'clipboard-out', 2000)).toBeNull();
		expect(await pass('anna', 'clipboard-out', 2001)).toEqual({ by: 'rule', rule: 'Stays here', words: 'It stays.' });
		expect(await pass('anna', 'drives-out', 1)).toMatchObject({ by: 'rule', words: 'It stays.' });
	});

	test('is told as activity, what was refused as well, and nothing of what no grant gives', async () => {
		await h.live(6 * MINUTE, MINUTE);
		const rows = all<{ name: string; through: number; down: number }>(
			h.db,
			`SELECT t.name, a.through, sum(a.down) AS down FROM activity_now a JOIN reached_targets t ON t.id = a.target_id WHERE t.kind = 'channel'
			 GROUP BY t.name, a.through ORDER BY t.name, a.through`
		);
		expect(rows).toEqual([
			{ name: 'clipboard-out', through: 0, down: 0 },
			{ name: 'clipboard-out', through: 1, down: 502_000 },
			{ name: 'drives-out', through: 0, down: 0 }
		]);
		expect(one(h.db, `SELECT 1 AS machine FROM activity_now WHERE machine_id IS NOT NULL LIMIT 1`)).toBeDefined();
	});

	test('is used up where a rule gives so much a day', async () => {
		await opened('bo');
		await told(
			{ id: 'share', decide: 'allow', who: ['person/bo'], what: ['channel/drives-out'], daily: { amount: '1 MB' } },
			{ id: 'over', decide: 'refuse', who: ['person/bo'], what: ['channel/drives-out'] }
		);
		expect(await pass('bo', 'drives-out', 900_000)).toBeNull();
		expect(await pass('bo', 'drives-out', 900_000)).toBeNull();
		expect(await pass('bo', 'drives-out', 1)).toMatchObject({ by: 'rule' });
		expect((await ways('bo'))['drives-out']).toEqual([0, 'rule']);
		// The tester knows it, and may be told otherwise; of another day it says that it does not.
		const tried = async (share?: 'left' | 'used', live = true) => {
			const of = { person: 'bo', what: 'channel/drives-out of 1 KB', share };
			return triedReach(h.db, of, h.lab.now, undefined, await hadToday(h.ctx, of, { live, at: h.lab.now }));
		};
		const now = await tried();
		expect(now).toMatchObject({ decides: 'refuse', rule: 'over' });
		expect(now.facts.map((f) => f.words).join()).toContain('1 MB of today are used up');
		expect(await tried('left')).toMatchObject({ decides: 'allow', rule: 'share' });
		expect(await tried('used')).toMatchObject({ rule: 'over' });
		const then = await tried(undefined, false);
		expect(then).toMatchObject({ rule: 'share' });
		expect(then.facts.map((f) => f.words).join()).toContain('is not known');
	});

	test('asks for a second factor where a rule does, and has it from the sign-in', async () => {
		await told({ id: 'code', decide: 'factor', who: ['person/cleo'], what: ['channel/clipboard'] });
		await opened('cleo');
		expect(await pass('cleo', 'clipboard-in', 10)).toMatchObject({ by: 'factor' });
		await opened('cleo', true);
		expect(await pass('cleo', 'clipboard-in', 10)).toBeNull();
	});

	test('asks what for where a rule does, and what is said stands with the activity', async () => {
		await told({ id: 'why', decide: 'reason', say: 'Say why.', who: ['person/cleo'], what: ['channel/drives-out'] });
		expect(await pass('cleo', 'drives-out', 10)).toMatchObject({ by: 'reason', words: 'Say why.' });
		expect(await pass('cleo', 'drives-out', 10, 'for the printer’s')).toBeNull();
		await h.live(6 * MINUTE, MINUTE);
		expect(all(h.db, 'SELECT words FROM activity_reasons')).toEqual([{ words: 'for the printer’s' }]);
	});

	test('is kept out by its person, whatever is allowed', async () => {
		await h.carryOut('own.channels', { person: 'bo', pass: { clipboard: false } });
		expect((await ways('bo'))['clipboard-in']).toEqual([0, 'own']);
		expect(await pass('bo', 'clipboard-in', 1)).toMatchObject({ by: 'own' });
	});

	test('goes on for as long as the session does', async () => {
		const connection = await opened('dag');
		await h.live(3 * HOUR, 10 * MINUTE);
		expect(h.lab.world.sessions.has((await h.ctx.providers.broker.connection(connection))!.session!)).toBe(true);
		expect((await ways('dag'))['clipboard-in']).toEqual([null, null]);
		h.lab.stage.does.signOut(h.lab.world.sessions.get(h.lab.world.connections.get(connection)!.session!)!, 'a test');
		await h.live(2 * HOUR, 10 * MINUTE);
		expect(await h.ctx.providers.broker.connection(connection)).toBeNull();
	});

	test('is nothing where there is no session, or it is another’s', async () => {
		expect(await waysThrough(h.ctx, person('anna'), 999_999)).toEqual([]);
		expect(await passOnce(h.ctx, person('anna'), 999_999, 'clipboard-in', 1, null)).toMatchObject({ by: 'grant' });
		serveFrom(h);
		const page = '/src/routes/(portal)/my/desk/[connection]/+page.server.ts';
		const caller = (login: string) => callerNow(h.db, 'person', person(login), h.lab.now)!;
		const connection = String(connections.get('anna'));
		expect((await askPage(page, '/', { connection }, caller('bo'))).status).toBe(404);
		const form = { passage: 'clipboard-out', bytes: '10' };
		expect((await act(page, 'pass', form, { connection }, caller('bo'))).status).toBe(404);
		expect(await act(page, 'pass', form, { connection }, caller('anna'))).toMatchObject({
			body: { passage: 'clipboard-out', bytes: 10, kept: null }
		});
		for (const odd of [
			{ passage: 'smells', bytes: '1' },
			{ passage: 'printers' },
			{ passage: 'clipboard-in', bytes: '-1' },
			{ passage: 'clipboard-in', bytes: '1e300' },
			{ passage: 'clipboard-in', bytes: '1.5' }
		] as Record<string, string>[])
			expect(await act(page, 'pass', odd, { connection }, caller('anna'))).toMatchObject({ body: { status: 422 } });
	});
});
