import * as fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { HOUR } from '../time/units';
import {
	AttachEngine,
	decideAttach,
	versionToStart,
	type AttachBooks,
	type Attached,
	type AttachMode,
	type Wanted
} from './attach';

const on = (version: string, open = 0, state: Attached['state'] = 'attached'): Attached => ({ version, state, open });
const machine = (
	present: Record<string, Attached[]>,
	more: { sessions?: number; waiting?: Record<string, number> } = {}
) => ({
	up: true,
	sessions: more.sessions ?? 1,
	present: new Map(Object.entries(present)),
	waiting: new Map(Object.entries(more.waiting ?? {}))
});
const want = (version: string, mode: AttachMode = 'start'): Wanted[] => [{ package: 'p', version, mode }];
const short = (actions: { action: string; version: string }[]) => actions.map((a) => `${a.action} ${a.version}`);

describe('what is to be done on a machine', () => {
	test.each<[string, Record<string, Attached[]>, Wanted[], object, string[]]>([
		['a new one is attached before the old one goes', { p: [on('1')] }, want('2'), {}, ['attach 2']],
		['while it is being attached the old one stays', { p: [on('1'), on('2', 0, 'attaching')] }, want('2'), {}, []],
		['once it is there the old one goes', { p: [on('1'), on('2')] }, want('2'), {}, ['detach 1']],
		['but not while somebody has it open', { p: [on('1', 1), on('2')] }, want('2'), {}, []],
		['what nobody wants goes', { p: [on('1')] }, [], {}, ['detach 1']],
		['but stays while it is open', { p: [on('1', 2)] }, [], {}, []],
		['at sign-in: nobody is there, nothing is attached', {}, want('1', 'sign-in'), { sessions: 0 }, []],
		['at sign-in: somebody is', {}, want('1', 'sign-in'), { sessions: 1 }, ['attach 1']],
		['at sign-in: the last one has left', { p: [on('1')] }, want('1', 'sign-in'), { sessions: 0 }, ['detach 1']],
		['at launch: nobody has started it', {}, want('1', 'launch'), {}, []],
		['at launch: somebody starts it', {}, want('1', 'launch'), { waiting: { p: 1 } }, ['attach 1']],
		['at launch: it is open', { p: [on('1', 1)] }, want('1', 'launch'), {}, []],
		['at launch: the last one has closed it', { p: [on('1')] }, want('1', 'launch'), {}, ['detach 1']],
		['at launch: another version, the old one open', { p: [on('1', 1)] }, want('2', 'launch'), {}, ['attach 2']]
	])('%s', (_name, present, wanted, more, expected) => {
		expect(short(decideAttach(machine(present, more), wanted))).toEqual(expected);
	});
	test('a machine that is off has nothing to be done', () => {
		expect(decideAttach({ ...machine({ p: [on('1')] }), up: false }, [])).toEqual([]);
	});
	test('every order says why', () => {
		const [attach, detach] = [
			decideAttach(machine({}), want('1'))[0]!,
			decideAttach(machine({ p: [on('1'), on('2')] }), want('2'))[0]!
		];
		expect(attach.why.map((f) => f.words).join()).toMatch(/its pool wants p 1, present from the start/);
		expect(detach.why.map((f) => f.words).join()).toMatch(/2 has taken its place/);
	});
});

describe('the version that a launch starts', () => {
	test('is the wanted one, else another that is still there, else none until it has come', () => {
		expect(versionToStart([on('1'), on('2')], '2').value).toBe('2');
		expect(versionToStart([on('1'), on('2', 0, 'attaching')], '2').value).toBe('1');
		expect(versionToStart([on('1', 0, 'detaching')], '2').value).toBe(null);
		expect(versionToStart([on('1'), on('0', 1)], null).value).toBe('0');
		expect(versionToStart([], '2').facts[0]!.words).toBe('2 is attached first');
	});
});

/**
 * Agents as they are outside: every order takes its time, some fail, machines fall over, and people start and close apps
 * meanwhile. Checks what must never be, after each happening.
 */
class World {
	readonly engine = new AttachEngine();
	now = 0;
	queue: { at: number; run: () => void }[] = [];
	/** What is really on the machines, by machine and version; and launches by number. */
	present = new Map<string, Map<string, 'attached' | 'on its way'>>();
	launches = new Map<number, { machine: string; version: string | null; life: number }>();
	life = new Map<string, number>();
	sessions = new Map<string, number>();
	wanted: Wanted[] = [];
	next = 1;
	starts = 0;
	constructor(
		readonly machines: string[],
		readonly random: () => number,
		readonly failing: number
	) {}

	later(ms: number, run: () => void): void {
		this.queue.push({ at: this.now + ms, run });
	}
	pass(ms: number): void {
		const end = this.now + ms;
		for (;;) {
			const due = this.queue.filter((q) => q.at <= end).sort((a, b) => a.at - b.at)[0];
			if (!due) break;
			this.queue.splice(this.queue.indexOf(due), 1);
			this.now = Math.max(this.now, due.at);
			due.run();
			this.check();
		}
		this.now = end;
		for (const o of this.engine.tick(this.now)) this.carry(o);
		this.check();
	}
	tell(event: Parameters<AttachEngine['take']>[0]): void {
		for (const order of this.engine.take(event, this.now)) this.carry(order);
	}
	carry(o: { action: string; machine: string; version: string; package: string }): void {
		const life = this.life.get(o.machine)!;
		const there = this.present.get(o.machine)!;
		const { machine: m, version, package: p } = o;
		if (o.action === 'attach') {
			there.set(version, 'on its way');
			this.later(500 + this.random() * 4000, () => {
				if (this.life.get(m) !== life) return;
				if (this.random() < this.failing) {
					there.delete(version);
					return this.tell({ kind: 'attach failed', machine: m, package: p, version });
				}
				there.set(version, 'attached');
				// Whoever waited is let in first: it must not be seen as unused in between.
				const waiting = [...this.launches.values()].filter(
					(l) => l.machine === m && l.life === life && l.version === null
				);
				for (const l of waiting) {
					l.version = version;
					this.tell({ kind: 'open', machine: m, package: p, version });
				}
				this.tell({ kind: 'attached', machine: m, package: p, version });
				for (let i = 0; i < waiting.length; i++) this.tell({ kind: 'waited', machine: m, package: p });
			});
		} else
			this.later(100 + this.random() * 2000, () => {
				if (this.life.get(m) !== life) return;
				// The agent has the last word: what was opened meanwhile stays.
				if (this.openOf(m, version) > 0) return this.tell({ kind: 'detach refused', machine: m, package: p, version });
				there.delete(version);
				this.tell({ kind: 'detached', machine: m, package: p, version });
			});
	}
	openOf(m: string, version: string): number {
		const life = this.life.get(m);
		return [...this.launches.values()].filter((l) => l.machine === m && l.life === life && l.version === version)
			.length;
	}
	up(m: string): void {
		this.life.set(m, (this.life.get(m) ?? 0) + 1);
		this.present.set(m, new Map());
		this.sessions.set(m, 0);
		this.tell({ kind: 'up', machine: m, pool: 'pool' });
	}
	down(m: string): void {
		this.life.set(m, (this.life.get(m) ?? 0) + 1);
		this.present.set(m, new Map());
		for (const [id, l] of this.launches) if (l.machine === m) this.launches.delete(id);
		this.tell({ kind: 'down', machine: m });
	}
	start(m: string): void {
		this.starts++;
		const there = [...this.present.get(m)!].filter(([, s]) => s === 'attached').map(([version]) => on(version));
		const wish = this.wanted[0]?.version ?? null;
		const { value } = versionToStart(there, wish);
		const id = this.next++;
		this.launches.set(id, { machine: m, version: value, life: this.life.get(m)! });
		if (value !== null) this.tell({ kind: 'open', machine: m, package: 'p', version: value });
		else this.tell({ kind: 'wait', machine: m, package: 'p' });
		this.check();
	}
	close(id: number): void {
		const l = this.launches.get(id);
		if (!l) return;
		this.launches.delete(id);
		if (l.version === null) this.tell({ kind: 'waited', machine: l.machine, package: 'p' });
		else this.tell({ kind: 'close', machine: l.machine, package: 'p', version: l.version });
	}
	check(): void {
		for (const l of this.launches.values()) {
			if (this.life.get(l.machine) !== l.life || l.version === null) continue;
			// Whatever is open is there.
			expect(this.present.get(l.machine)!.get(l.version)).toBe('attached');
		}
	}
}

describe('the engine', () => {
	test('over random starts, closes, sign-outs, failures and changes of version: no start fails, nothing open is detached, nothing unused stays', () => {
		let starts = 0;
		const step = fc.record({
			do: fc.constantFrom('start', 'start', 'start', 'close', 'in', 'out', 'fall', 'version', 'pass'),
			a: fc.nat(1000),
			b: fc.nat(8000)
		});
		fc.assert(
			fc.property(
				fc.array(step, { minLength: 30, maxLength: 120 }),
				fc.constantFrom<AttachMode>('start', 'sign-in', 'launch'),
				fc.nat(),
				(steps, mode, seed) => {
					let s = seed + 1;
					const random = () => (s = (s * 48271) % 2147483647) / 2147483647;
					const w = new World(['m1', 'm2', 'm3'], random, 0);
					w.wanted = [{ package: 'p', version: '1', mode }];
					w.tell({ kind: 'want', pool: 'pool', wanted: w.wanted });
					for (const m of w.machines) w.up(m);
					w.pass(10_000);
					for (const { do: what, a, b } of steps) {
						const m = w.machines[a % 3]!;
						if (what === 'start') {
							if (w.sessions.get(m) === 0) {
								w.sessions.set(m, 1);
								w.tell({ kind: 'sign-in', machine: m });
							}
							w.start(m);
						} else if (what === 'close') w.close([...w.launches.keys()][a % Math.max(1, w.launches.size)] ?? -1);
						else if (what === 'in') {
							w.sessions.set(m, w.sessions.get(m)! + 1);
							w.tell({ kind: 'sign-in', machine: m });
						} else if (what === 'out' && w.sessions.get(m)! > 0) {
							// The last to sign out closes what is open.
							if (w.sessions.get(m) === 1) for (const [id, l] of [...w.launches]) if (l.machine === m) w.close(id);
							w.sessions.set(m, w.sessions.get(m)! - 1);
							w.tell({ kind: 'sign-out', machine: m });
						} else if (what === 'fall') {
							w.down(m);
							w.up(m);
						} else if (what === 'version') {
							w.wanted = [{ package: 'p', version: String(1 + (a % 4)), mode }];
							w.tell({ kind: 'want', pool: 'pool', wanted: w.wanted });
						}
						w.pass(b);
					}
					// Nobody is kept waiting for good …
					w.pass(60_000);
					expect([...w.launches.values()].every((l) => l.version !== null)).toBe(true);
					// … and once all is quiet, only what is wanted or open is left.
					for (const id of [...w.launches.keys()].filter((_v, i) => i % 2)) w.close(id);
					w.pass(60_000);
					for (const m of w.machines)
						for (const [version] of w.present.get(m)!) {
							const wish = w.wanted[0]!.version === version;
							// At launch: the one to come stands ready as long as somebody still has the one before open.
							const due =
								mode === 'start' ||
								(mode === 'sign-in' && w.sessions.get(m)! > 0) ||
								(mode === 'launch' && [...w.present.get(m)!.keys()].some((v) => w.openOf(m, v) > 0));
							expect(w.openOf(m, version) > 0 || (wish && due)).toBe(true);
						}
					starts += w.starts;
				}
			),
			{ numRuns: 150 }
		);
		expect(starts).toBeGreaterThan(2000);
	});
	test('a version that cannot be attached is tried again, later each time, and the old one serves meanwhile', () => {
		const w = new World(['m'], () => 0.5, 0);
		w.wanted = want('1');
		w.tell({ kind: 'want', pool: 'pool', wanted: w.wanted });
		w.up('m');
		w.pass(10_000);
		(w as { failing: number }).failing = 1;
		w.wanted = want('2');
		w.tell({ kind: 'want', pool: 'pool', wanted: w.wanted });
		w.pass(10_000);
		expect([...w.present.get('m')!.keys()]).toEqual(['1']);
		w.start('m');
		expect([...w.launches.values()][0]!.version).toBe('1');
		(w as { failing: number }).failing = 0;
		w.pass(70_000);
		w.pass(10_000);
		// The one that is open stays, the new one is there.
		expect([...w.present.get('m')!.keys()].sort()).toEqual(['1', '2']);
		w.close([...w.launches.keys()][0]!);
		w.pass(10_000);
		expect([...w.present.get('m')!.keys()]).toEqual(['2']);
		expect(w.engine.look('m')).toMatchObject({ up: true, wanted: w.wanted });
		expect(w.engine.look('nobody')).toBe(null);
	});
});

describe('the books of an engine', () => {
	const up = (engine: AttachEngine, m = 'm') => engine.take({ kind: 'up', machine: m, pool: 'pool' }, 0);
	const fresh = () => {
		const books: AttachBooks = { machines: new Map(), wanted: new Map() };
		return { books, engine: new AttachEngine(books) };
	};
	test('let another engine go on where one stopped', () => {
		const { books, engine } = fresh();
		engine.take({ kind: 'want', pool: 'pool', wanted: want('1') }, 0);
		up(engine);
		engine.take({ kind: 'attached', machine: 'm', package: 'p', version: '1' }, 1);
		engine.take({ kind: 'open', machine: 'm', package: 'p', version: '1' }, 2);
		const next = new AttachEngine(structuredClone(books));
		// It knows whose pool the machine is of, and what is open on it.
		expect(short(next.take({ kind: 'want', pool: 'pool', wanted: want('2') }, 3))).toEqual(['attach 2']);
		next.take({ kind: 'attached', machine: 'm', package: 'p', version: '2' }, 4);
		expect(short(next.take({ kind: 'close', machine: 'm', package: 'p', version: '1' }, 5))).toEqual(['detach 1']);
		expect(engine.look('m')!.present.get('p')).toHaveLength(1);
	});
	test('forget a machine that is gone, and nothing is asked of it any more', () => {
		const { books, engine } = fresh();
		up(engine);
		up(engine, 'other');
		expect(engine.take({ kind: 'gone', machine: 'm' }, 1)).toEqual([]);
		expect(engine.take({ kind: 'want', pool: 'pool', wanted: want('1') }, 2).map((o) => o.machine)).toEqual(['other']);
		expect([...books.machines.keys()]).toEqual(['other']);
	});
	test('a machine that goes over to another pool is asked for what that one wants', () => {
		const { engine } = fresh();
		up(engine);
		engine.take({ kind: 'up', machine: 'm', pool: 'second' }, 1);
		expect(engine.take({ kind: 'want', pool: 'pool', wanted: want('1') }, 2)).toEqual([]);
		expect(short(engine.take({ kind: 'want', pool: 'second', wanted: want('3') }, 3))).toEqual(['attach 3']);
	});
	test('a version that failed is left alone until its time, or until somebody says that it is worth another try', () => {
		const { engine } = fresh();
		engine.take({ kind: 'want', pool: 'pool', wanted: want('1') }, 0);
		up(engine);
		const fail = (now: number) => engine.take({ kind: 'attach failed', machine: 'm', package: 'p', version: '1' }, now);
		expect(fail(0)).toEqual([]);
		expect(engine.tick(59_999)).toEqual([]);
		expect(short(engine.tick(60_000))).toEqual(['attach 1']);
		// Twice as long the second time.
		fail(60_000);
		expect(engine.tick(179_999)).toEqual([]);
		expect(engine.take({ kind: 'retry', machine: 'm', package: 'another' }, 100_000)).toEqual([]);
		expect(short(engine.take({ kind: 'retry', machine: 'm', package: 'p' }, 100_000))).toEqual(['attach 1']);
	});
	test('a detach that was refused leaves the version as it was', () => {
		const { engine } = fresh();
		engine.take({ kind: 'want', pool: 'pool', wanted: want('1') }, 0);
		up(engine);
		engine.take({ kind: 'attached', machine: 'm', package: 'p', version: '1' }, 1);
		expect(short(engine.take({ kind: 'want', pool: 'pool', wanted: [] }, 2))).toEqual(['detach 1']);
		engine.take({ kind: 'open', machine: 'm', package: 'p', version: '1' }, 3);
		expect(engine.take({ kind: 'detach refused', machine: 'm', package: 'p', version: '1' }, 4)).toEqual([]);
		expect(engine.look('m')!.present.get('p')).toEqual([on('1', 1)]);
	});
});

describe('two that want the same port', () => {
	const claims: Record<string, { services: string[]; ports: string[]; order: number }> = {
		first: { services: [], ports: ['7071'], order: 1 },
		second: { services: ['x'], ports: ['7070', '7071'], order: 2 },
		apart: { services: ['y'], ports: ['80'], order: 3 }
	};
	const wishes: Wanted[] = ['second', 'first', 'apart'].map((name) => ({
		package: name,
		version: '1',
		mode: 'launch'
	}));
	/** Carries orders out at once, as an agent would: refused where what comes later in the order is open. */
	function world() {
		const engine = new AttachEngine(undefined, (name) => claims[name] ?? null);
		const log: string[] = [];
		let now = 0;
		const tell = (e: Parameters<AttachEngine['take']>[0]): void => {
			for (const o of engine.take(e, now)) {
				log.push(`${o.action} ${o.package}`);
				const there = engine.look('m')!.present;
				const ports = (name: string) => claims[name]!.ports;
				const taken = [...there].some(
					([name, list]) =>
						name !== o.package &&
						ports(name).some((p) => ports(o.package).includes(p)) &&
						list.some((x) => x.state === 'attached' && (x.open > 0 || claims[name]!.order < claims[o.package]!.order))
				);
				const on = { machine: 'm', package: o.package, version: '1' };
				if (o.action === 'detach') tell({ kind: 'detached', ...on });
				else if (taken) {
					log.push(`refused ${o.package}`);
					tell({ kind: 'attach failed', ...on });
				} else tell({ kind: 'attached', ...on });
			}
			const both = ['first', 'second'].every((name) =>
				engine
					.look('m')
					?.present.get(name)
					?.some((x) => x.state === 'attached')
			);
			expect(both).toBe(false);
		};
		const start = (name: string) => {
			tell({ kind: 'wait', machine: 'm', package: name });
			const there =
				engine
					.look('m')!
					.present.get(name)
					?.some((x) => x.state === 'attached') ?? false;
			if (there) tell({ kind: 'open', machine: 'm', package: name, version: '1' });
			tell({ kind: 'waited', machine: 'm', package: name });
			return there;
		};
		const close = (name: string) => tell({ kind: 'close', machine: 'm', package: name, version: '1' });
		tell({ kind: 'want', pool: 'pool', wanted: wishes });
		tell({ kind: 'up', machine: 'm', pool: 'pool' });
		return { engine, log, tell, start, close, pass: (ms: number) => (now += ms) };
	}

	test('what comes first in the order takes it from what was there first, once nobody has that open', () => {
		const w = world();
		w.tell({
			kind: 'want',
			pool: 'pool',
			wanted: wishes.map((x) => ({ ...x, mode: x.package === 'first' ? 'launch' : 'sign-in' }))
		});
		w.tell({ kind: 'sign-in', machine: 'm' });
		expect(w.log).toEqual(['attach second', 'attach apart']);
		expect(w.start('first')).toBe(true);
		expect(w.log.slice(2, 4)).toEqual(['detach second', 'attach first']);
		// The other one is refused while it is there, and has it back as soon as it has gone.
		w.close('first');
		expect(w.engine.look('m')!.present.has('first')).toBe(false);
		expect(w.engine.look('m')!.present.get('second')).toEqual([on('1')]);
	});
	test('nothing is taken from under anybody: whoever comes is told, and may after the last has closed it', () => {
		const w = world();
		expect(w.start('second')).toBe(true);
		expect(w.start('first')).toBe(false);
		expect(w.log.at(-1)).toBe('refused first');
		expect(w.engine.look('m')!.present.get('second')![0]!.open).toBe(1);
		w.close('second');
		expect(w.start('first')).toBe(true);
	});
	test('while the first cannot be had, the second is not kept from serving', () => {
		const resting = { claimsOf: (name: string) => claims[name]!, resting: (name: string) => name === 'first' };
		const waiting = machine({}, { waiting: { first: 1, second: 1 } });
		expect(decideAttach(waiting, wishes, resting).map((a) => a.package)).toEqual(['second', 'first']);
		const awake = { ...resting, resting: () => false };
		expect(decideAttach(waiting, wishes, awake).map((a) => a.package)).toEqual(['first']);
		const there = { ...waiting, present: new Map([['second', [on('1')]]]) };
		expect(decideAttach(there, wishes, awake).map((a) => `${a.action} ${a.package}`)).toEqual(['detach second']);
		expect(decideAttach(there, wishes, awake)[0]!.why[0]!.words).toMatch(/first, which comes first .* port 7071/);
		expect(decideAttach(there, wishes, resting)).toEqual([]);
	});
	test('over anything that people start and close, the two are never there at once, and no orders chase each other', () => {
		fc.assert(
			fc.property(
				fc.array(fc.tuple(fc.constantFrom('first', 'second', 'apart'), fc.boolean()), { maxLength: 60 }),
				(acts) => {
					const w = world();
					const open: string[] = [];
					for (const [name, starts] of acts) {
						const before = w.log.length;
						if (starts) {
							if (w.start(name)) open.push(name);
						} else if (open.includes(name)) {
							open.splice(open.indexOf(name), 1);
							w.close(name);
						}
						w.pass(HOUR);
						expect(w.log.length - before).toBeLessThan(8);
					}
				}
			)
		);
	});
});

test('what is told late of a machine that has been removed brings it back to nobody', () => {
	const engine = new AttachEngine();
	engine.take({ kind: 'up', machine: 'm', pool: 'p' }, 0);
	engine.take({ kind: 'want', pool: 'p', wanted: [{ package: 'a', version: '1.0.0', mode: 'start' }] }, 0);
	engine.take({ kind: 'gone', machine: 'm' }, 1);
	for (const e of ['attached', 'attach failed', 'detached'] as const)
		expect(engine.take({ kind: e, machine: 'm', package: 'a', version: '1.0.0' }, 2)).toEqual([]);
	for (const e of ['sign-in', 'sign-out', 'down'] as const)
		expect(engine.take({ kind: e, machine: 'm' }, 3)).toEqual([]);
	expect(engine.look('m')).toBeNull();
});
