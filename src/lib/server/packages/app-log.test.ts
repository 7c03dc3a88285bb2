import { beforeEach, describe, expect, test } from 'vitest';
import { FOREVER, MINUTE } from '$lib/core/time/units';
import { all, one } from '../db';
import type { Observation } from '../providers';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { packagesOn, refusedSince, startTimes } from './delivery';
import { Observer } from '../engine/observer';

/** What agents report of packages and apps, written down as intervals. */

type Told = Observation extends infer O ? (O extends unknown ? Omit<O, 'seq' | 'at'> : never) : never;

let h: Harness;
let observer: Observer;
let t0: number;
let machine: number;
/** Lets the observer hear what happened some minutes after the beginning. */
const tell = (minute: number, what: Told) =>
	observer.take([{ ...what, seq: observer.seq + 1, at: t0 + minute * MINUTE } as Observation]);
const seen = (state: 'attaching' | 'attached' | 'detaching' | 'detached', version = '1.0.0'): Told => ({
	kind: 'package',
	machine: 'quay-01',
	package: 'tide',
	version,
	state,
	cause: null,
	why: [{ words: `because ${state}` }]
});
const failed = (cause: 'disk' | 'store'): Told => ({
	kind: 'package',
	machine: 'quay-01',
	package: 'tide',
	version: '1.0.0',
	state: 'failed',
	cause,
	why: [{ words: `for want of ${cause}`, side: 'against' }]
});
const on = (minute: number) => packagesOn(h.db, machine, t0 + minute * MINUTE).map((p) => `${p.version} ${p.state}`);
const failures = () =>
	all<{ cause: string; tries: number; until: number }>(
		h.db,
		'SELECT cause, tries, until FROM attach_failures ORDER BY since'
	);

beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	await h.live(5 * MINUTE);
	observer = new Observer(h.db);
	t0 = h.lab.now;
	machine = one<{ id: number }>(h.db, `SELECT id FROM machines WHERE name = 'quay-01'`)!.id;
});

describe('a package on a machine', () => {
	test('is known at any moment by what it was then, with the reason', () => {
		tell(1, seen('attaching'));
		tell(2, seen('attached'));
		tell(3, seen('attached', '1.1.0'));
		tell(4, seen('detaching'));
		tell(5, seen('detached'));
		expect([0, 1, 2, 3, 4, 5].map(on)).toEqual([
			[],
			['1.0.0 attaching'],
			['1.0.0 attached'],
			['1.0.0 attached', '1.1.0 attached'],
			['1.0.0 detaching', '1.1.0 attached'],
			['1.1.0 attached']
		]);
		expect(packagesOn(h.db, machine, t0 + 2 * MINUTE)[0]!.facts).toEqual([{ words: 'because attached' }]);
	});
	test('of two states in the same millisecond only the last could have been seen', () => {
		tell(1, seen('attaching'));
		tell(1, seen('attached'));
		expect(on(1)).toEqual(['1.0.0 attached']);
		expect(all(h.db, 'SELECT 1 FROM attachments')).toHaveLength(1);
	});
	test('that fails again for the same cause is one failure with its tries; for another it is another', () => {
		tell(1, seen('attaching'));
		tell(2, failed('disk'));
		tell(3, failed('disk'));
		tell(4, failed('store'));
		expect(failures().map((f) => [f.cause, f.tries, f.until === FOREVER])).toEqual([
			['disk', 2, false],
			['store', 1, true]
		]);
		expect(on(3)).toEqual(['1.0.0 not attached: no room on the disk']);
		tell(5, seen('attached'));
		expect(failures().every((f) => f.until !== FOREVER)).toBe(true);
		expect(on(5)).toEqual(['1.0.0 attached']);
	});
	test('leaves a machine that goes off or away, and so does what failed on it', () => {
		tell(1, seen('attached'));
		tell(2, failed('disk'));
		tell(3, { kind: 'machine', machine: 'quay-01', state: 'off', cause: 'stopped' });
		expect(on(3)).toEqual([]);
		expect(on(1)).toEqual(['1.0.0 attached']);
		tell(4, seen('attached'));
		tell(5, { kind: 'unmade', machine: 'quay-01' });
		expect(on(5)).toEqual([]);
		// Of a machine that nobody knows nothing is kept.
		tell(6, seen('attached'));
		expect(all(h.db, `SELECT 1 FROM attachments WHERE until = ${FOREVER}`)).toEqual([]);
	});
});

describe('an app in a session', () => {
	const signedIn = (session: number, person = 'anna') =>
		tell(1, {
			kind: 'connection',
			id: session,
			person,
			publication: 'desk',
			gateway: 'quay-gw',
			protocol: 'stream',
			address: '10.1.0.9',
			endpoint: null,
			began: t0,
			result: 'open',
			machine: 'quay-01',
			session,
			phases: [],
			cause: []
		});
	const opened = (
		minute: number,
		run: number,
		session: number,
		more: { start?: 'cold' | 'warm'; took?: number } = {}
	) =>
		tell(minute, {
			kind: 'app',
			run,
			session,
			package: 'tide',
			version: '1.0.0',
			target: 'main',
			state: 'open',
			start: more.start ?? 'cold',
			took: more.took ?? 4000
		});
	const open = (minute: number) => {
		const at = t0 + minute * MINUTE;
		return all<{ id: number }>(h.db, 'SELECT id FROM app_runs WHERE since <= ? AND until > ? ORDER BY id', [
			at,
			at
		]).map((r) => r.id);
	};
	test('is open from its window to its closing, or to the end of its session', () => {
		signedIn(901);
		opened(2, 1, 901);
		opened(3, 2, 901);
		tell(4, { kind: 'app closed', run: 1 });
		tell(5, { kind: 'session', session: 901, state: 'ended', cause: 'signed out' });
		expect([1, 2, 3, 4, 5].map(open)).toEqual([[], [1], [1, 2], [2], []]);
	});
	test('told twice it is one, and without its session it is nobody’s', () => {
		signedIn(901);
		opened(2, 1, 901);
		opened(2, 1, 901);
		opened(2, 7, 999);
		expect(open(2)).toEqual([1]);
	});
	test('how long starts take is told by the way of starting, the one in the middle', () => {
		signedIn(901);
		for (const [run, took] of [4000, 9000, 5000].entries()) opened(2, run + 1, 901, { took });
		opened(3, 9, 901, { start: 'warm', took: 900 });
		const at = t0 + 4 * MINUTE;
		expect(startTimes(h.db, 'tide', null, at)).toEqual([
			{ start: 'cold', ms: 5000, n: 3 },
			{ start: 'warm', ms: 900, n: 1 }
		]);
		expect(startTimes(h.db, 'tide', '2.0.0', at)).toEqual([]);
		expect(startTimes(h.db, 'tide', null, t0)).toEqual([]);
	});
	test('that did not start is kept with who was told what, though their sign-in never ended', () => {
		const refuse = (minute: number, person: string) =>
			tell(minute, {
				kind: 'app failed',
				session: 950,
				person,
				machine: 'quay-01',
				package: 'tide',
				target: 'main',
				cause: 'disk',
				words: 'It does not fit.'
			});
		refuse(1, 'anna');
		refuse(2, 'anna');
		refuse(3, 'bo');
		const since = (from: number, to: number) =>
			refusedSince(h.db, 'tide', 'quay', t0 + from * MINUTE, t0 + to * MINUTE);
		expect(since(0, 5)).toEqual([{ words: 'It does not fit.', people: 2 }]);
		expect(since(2, 5)).toEqual([{ words: 'It does not fit.', people: 1 }]);
		expect(refusedSince(h.db, 'tide', 'isle', 0, FOREVER)).toEqual([]);
	});
});
