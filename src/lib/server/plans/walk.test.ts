import fc from 'fast-check';
import { expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { changesBefore, firstBrokenChange } from '../changes';
import { all } from '../db';
import { verifyData } from '../verify';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { draftUndo } from './index';

/** What operators have decided, as it stands now. */
const decided = (h: Harness) => ({
	pools: all<{ policy: string }>(
		h.db,
		`SELECT id, name, version, policy FROM pools WHERE until > ${h.lab.now} AND since <= ${h.lab.now} ORDER BY id`
	).map((p) => ({ ...p, policy: JSON.parse(p.policy) as unknown })),
	publications: all(
		h.db,
		`SELECT id, name, pools, protocol FROM publications WHERE until > ${h.lab.now} AND since <= ${h.lab.now} ORDER BY id`
	),
	grants: all(
		h.db,
		`SELECT publication_id, team_id, person_id, conditions, channels FROM grants WHERE until > ${h.lab.now} AND since <= ${h.lab.now} ORDER BY id`
	),
	holds: all(
		h.db,
		`SELECT number FROM version_holds WHERE until > ${h.lab.now} AND since <= ${h.lab.now} ORDER BY number`
	),
	networks: all(h.db, 'SELECT id, last FROM networks ORDER BY id'),
	ports: all(h.db, `SELECT gateway_id, protocol, announced FROM gateway_ports WHERE until > ${h.lab.now} ORDER BY 1, 2`)
});

const move = fc.oneof(
	fc
		.record({
			pool: fc.constantFrom('quay', 'isle'),
			headroomIn: fc.integer({ min: 0, max: 6 }),
			patience: fc.integer({ min: 1, max: 60 }).map((m) => m * MINUTE)
		})
		.map((input) => ({ kind: 'policy.set', input: input as Record<string, unknown> })),
	fc.record({ team: fc.constantFrom('visitors', 'everybody'), managed: fc.boolean() }).map(({ team, managed }) => ({
		kind: 'grant.add',
		input: { publication: 'desk', team, conditions: managed ? { managedEndpoint: true } : {}, channels: ['clipboard'] }
	})),
	fc.record({ grant: fc.constantFrom(1, 2) }).map((input) => ({ kind: 'grant.remove', input })),
	fc
		.record({ name: fc.constantFrom('Desk A', 'Desk B'), pools: fc.constantFrom(['quay'], ['isle', 'quay']) })
		.map(({ name, pools }) => ({
			kind: 'publication.create',
			input: { name, internalName: `${name} inside`, pools }
		})),
	fc
		.record({ number: fc.constantFrom('1.0.0', '1.1.0'), held: fc.boolean() })
		.map(({ number, held }) => ({ kind: 'image.hold', input: { line: 'desk', number, held } })),
	fc
		.record({ gateway: fc.constantFrom('quay-gw', 'isle-gw'), port: fc.constantFrom(3478, 4000, 5000) })
		.map(({ gateway, port }) => ({ kind: 'gateway.set-port', input: { gateway, protocol: 'stream', port } })),
	fc
		.record({ last: fc.constantFrom('10.2.0.80', '10.2.0.90') })
		.map(({ last }) => ({ kind: 'network.set-range', input: { network: 'isle-desks', last } }))
);

test('any walk of plans, undone from the last to the first, ends where it began', async () => {
	await fc.assert(
		fc.asyncProperty(fc.array(move, { minLength: 1, maxLength: 7 }), async (moves) => {
			const h = await Harness.of(testEstate());
			await h.live(MINUTE);
			const start = decided(h);
			const made: number[] = [];
			for (const m of moves) {
				// What is wrong or blocked at this point of the walk is refused, and changes nothing.
				const before = decided(h);
				const plan = await h.draft(m.kind, m.input).catch(() => null);
				expect(decided(h)).toEqual(before);
				if (!plan || plan.blocks.length) continue;
				const job = await h.finish(await h.commit(plan.id));
				expect(job.state).toBe('done');
				made.push(changesBefore(h.db, h.lab.now)[0]!.number);
			}
			for (const number of made.reverse()) {
				const undo = await draftUndo(h.ctx, OWNER, number, 'test');
				expect(undo.blocks).toEqual([]);
				expect((await h.finish(await h.commit(undo.id))).state).toBe('done');
			}
			expect(decided(h)).toEqual(start);
			expect(verifyData(h.db)).toEqual([]);
			expect(firstBrokenChange(h.db)).toBeNull();
			expect(changesBefore(h.db, h.lab.now)).toHaveLength(2 * made.length);
		}),
		{ numRuns: 15 }
	);
});
