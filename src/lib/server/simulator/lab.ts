import { decideOpening } from '$lib/core/access/decide';
import { placeSession, type Candidate } from '$lib/core/capacity/placement';
import { CHECKS, type CheckResult } from '$lib/core/diagnosis/checks';
import type { Estate } from '$lib/core/estate/schema';
import { addressText } from '$lib/core/network/addresses';
import { HOUR, MINUTE, SECOND } from '$lib/core/time/units';
import { momentOf } from '$lib/core/time/zone';
import { PHASES, type PhaseName } from '$lib/core/watch/phases';
import type { Fact } from '$lib/core/why/explained';
import { ProviderError, type MachineState, type Observation } from '../providers';
import { AS_FOUND } from '$lib/core/images/versions';
import { AttachEngine } from '$lib/core/packages/attach';
import { START_WORDS, type StartKind } from '$lib/core/packages/starting';
import {
	appOpened,
	askToClose,
	closeAll,
	closeApp,
	claimsOf,
	closeOwn,
	emptyOverlays,
	openApp,
	packageDone,
	planApps,
	retry,
	runsOf,
	takeWishes,
	tell,
	useApp
} from './apps';
import { applyFault, clearFault } from './faults';
import { asNew, makeWorld, schedule } from './genesis';
import { assemble, buildStep, keepVersion, receive, referenceContents, tryOut, typeCommand } from './images';
import { captureMachine, install, tryPackage } from './installers';
import { diskOf, usedByVolume, workOneMinute } from './load';
import { localDay, workDay } from './people';
import { popTimed } from './queue';
import { about, hashText, uniform } from './random';
import { phaseCost, roundTrip } from './sign-in';
import type { Command, Effect, Happening, SimConnection, SimMachine, SimPerson, SimSession, World } from './state';

/** People wait this long for a machine before they give up. */
const PATIENCE = 12 * MINUTE;
/** A session left disconnected is signed out after this long. */
const DISCONNECTED_LIMIT = 3 * HOUR;
/** A round trip up to this, in ms, is not felt. */
const SHORT_WAY = 40;
/** A machine waits this long for a boot server before it tries the next. */
const BOOT_PATIENCE = 15 * SECOND;
const UP: ReadonlySet<MachineState> = new Set(['ready', 'in use']);

/**
 * The simulated estate: a seeded discrete-event simulation. Time moves only in `advance`; the world changes only
 * there and in `apply`. The same estate, commands and times give the same observations, to the row.
 */
export class Lab {
	readonly seed: number;
	readonly world: World;
	private readonly habits: Map<string, Estate['directory']['teams'][number]['habits']>;
	private readonly patterns: Map<string, Estate['directory']['patterns'][number]>;
	private readonly boots: Map<string, number>;
	private readonly gatewayOf: Map<string, string>;
	/** The agents of all machines: they decide by themselves what to attach. */
	readonly agents: AttachEngine;
	/** Machines that are ready or in use, by pool: follows from the world, so it is not stored with it. */
	private readonly upIn = new Map<string, Set<SimMachine>>();
	/** The broker, indexed: pools by id, and every machine that it knows. */
	private pools = new Map<string, World['broker']['pools'][number]>();
	private known = new Set<string>();
	/** Those who wait, by the pools that they may use, each line oldest first. */
	private readonly lines = new Map<string, Set<number>>();

	constructor(
		readonly estate: Estate,
		world?: World,
		/** Told of what could not happen, because the lab itself has a fault. */
		private readonly wrong: (e: unknown, what: Happening) => void = (e, what) => console.error(`lab, ${what.k}:`, e)
	) {
		this.seed = estate.lab.seed;
		this.world = world ?? makeWorld(estate);
		this.agents = new AttachEngine(this.world.books, (name, version) => claimsOf(this.world, name, version));
		this.habits = new Map(estate.directory.teams.map((t) => [t.id, t.habits]));
		this.patterns = new Map(estate.directory.patterns.map((p) => [p.id, p]));
		this.boots = new Map(estate.image_lines.map((l) => [l.id, l.boot]));
		this.gatewayOf = new Map(
			estate.sites.flatMap((s) => {
				const nearest = [...estate.gateways].sort(
					(a, b) => roundTrip(estate, s.id, a.site) - roundTrip(estate, s.id, b.site)
				)[0];
				return nearest ? [[s.id, nearest.id] as const] : [];
			})
		);
		for (const m of this.world.machines.values()) if (UP.has(m.state)) this.upOf(m.pool).add(m);
		for (const id of this.world.waiting) this.lineOf(this.world.connections.get(id)!).add(id);
		this.indexBroker();
	}

	private indexBroker(): void {
		const { pools } = this.world.broker;
		this.pools = new Map(pools.map((p) => [p.id, p]));
		this.known = new Set(pools.flatMap((p) => p.machines));
	}

	private upOf(pool: string): Set<SimMachine> {
		let up = this.upIn.get(pool);
		if (!up) this.upIn.set(pool, (up = new Set()));
		return up;
	}

	get now(): number {
		return this.world.now;
	}

	/** Lets everything happen that is due up to and including `to` (ms UTC). Going back is not possible. */
	advance(to: number): void {
		const { queue } = this.world;
		while (queue.length && queue[0]!.t <= to) {
			const next = popTimed(queue)!;
			this.world.now = Math.max(this.world.now, next.t);
			try {
				this.happen(next);
			} catch (e) {
				// One thing goes wrong: it does not happen, and everything else goes on. The same again, each time.
				this.wrong(e, next);
			}
		}
		this.world.now = Math.max(this.world.now, to);
	}

	/** When the next thing is due, or Infinity. */
	nextDue(): number {
		return this.world.queue[0]?.t ?? Infinity;
	}

	/** Carries out a request from outside, now. Returns what can be said at once. */
	apply(command: Command): unknown {
		const w = this.world;
		switch (command.c) {
			case 'operation':
				return this.begin(command.key, command.effect, command.usual, command.scatter);
			case 'configure':
				w.broker = command.config;
				this.indexBroker();
				return null;
			case 'connect': {
				const known = w.operations.get(command.key);
				if (known) return known.result;
				const id = this.connect(command.login, command.publication, null, 0, command.secondFactor, command.another);
				w.operations.set(command.key, { key: command.key, done: true, at: w.now, error: null, result: id });
				return id;
			}
			case 'deliver':
				takeWishes(this, command.wishes, command.lacks);
				return null;
			case 'close app':
				closeOwn(this, command.login, command.run);
				return null;
			case 'disconnect': {
				const session = w.sessions.get(command.session);
				if (session?.state === 'active') this.setAside(session, 'the person disconnected');
				return null;
			}
			case 'aside': {
				const known = w.operations.get(command.key);
				if (known) return known.result;
				const busy: string[] = [];
				for (const name of command.machines) {
					const m = w.machines.get(name);
					if (!m) continue;
					if (m.sessions.length + m.coming > 0) busy.push(name);
					m.asideUntil = command.aside ? Number.MAX_SAFE_INTEGER : 0;
				}
				w.operations.set(command.key, { key: command.key, done: true, at: w.now, error: null, result: busy });
				if (!command.aside) this.serveWaiting();
				return busy;
			}
			case 'type': {
				const known = w.operations.get(command.key);
				if (known) return known.result;
				const result = typeCommand(this.estate, w, command.line, command.text);
				w.operations.set(command.key, { key: command.key, done: true, at: w.now, error: null, result });
				return result;
			}
			case 'password':
				if (!w.people.has(command.login))
					throw new ProviderError(`the directory knows nobody called ${command.login}`, false);
				(w.passwords ??= new Map()).set(command.login, command.hash);
				return null;
			case 'mail':
				if (!w.operations.has(command.key)) {
					w.operations.set(command.key, { key: command.key, done: true, at: w.now, error: null, result: null });
					w.outbox.push({ to: command.to, subject: command.subject, body: command.body, at: w.now });
				}
				return null;
			case 'fault':
				return applyFault(this, { kind: command.kind, target: command.target, value: command.value, until: null });
			case 'clear fault':
				return clearFault(this, command.id);
		}
	}

	// ── What happens ────────────────────────────────────────────────────────────────────────────────────

	private happen(h: Happening): void {
		const w = this.world;
		switch (h.k) {
			case 'minute': {
				// The next one comes whatever this one comes to.
				schedule(w, h.t + MINUTE, { k: 'minute' });
				const work = workOneMinute(w, this.seed);
				this.observe({ kind: 'samples', ...work });
				this.tidy();
				retry(this);
				break;
			}
			case 'day':
				this.planDay(w.people.get(h.person)!, h.day);
				break;
			case 'visit':
				this.connect(h.person, h.publication, h.leaveAt, h.tries, undefined);
				break;
			case 'leave': {
				const s = w.sessions.get(h.session);
				if (!s || s.turn !== h.turn) break;
				if (h.how === 'sign out') this.signOut(s, 'the person signed out');
				else this.setAside(s, 'the person left without signing out');
				break;
			}
			case 'lunch': {
				const s = w.sessions.get(h.session);
				if (!s || s.turn !== h.turn) break;
				this.setAside(s, 'the person is away');
				schedule(w, h.back, { k: 'visit', person: s.person, publication: s.publication, leaveAt: h.leaveAt, tries: 0 });
				break;
			}
			case 'limit': {
				const s = w.sessions.get(h.session);
				if (s && s.turn === h.turn && s.state === 'disconnected') this.signOut(s, 'it was left disconnected for 3 h');
				break;
			}
			case 'ended':
				this.endSession(h.session, h.cause);
				break;
			case 'phase':
				this.phaseDone(h.connection, h.phase);
				break;
			case 'patience': {
				const c = w.connections.get(h.connection);
				if (c?.result === 'opening' && PHASES[c.phase] === 'waiting') {
					this.stopWaiting(c);
					this.finish(
						c,
						'gave up',
						[
							{ words: `no machine became free within ${PATIENCE / MINUTE} minutes`, side: 'against', source: 'broker' }
						],
						'All machines are taken. Try again a little later.'
					);
				}
				break;
			}
			case 'boot':
				this.bootStage(h.machine, h.life, h.stage);
				break;
			case 'watchdog': {
				const m = w.machines.get(h.machine);
				if (m && m.life === h.life && m.state === 'failed') this.powerOn(m, 'restarted by the host’s watchdog');
				break;
			}
			case 'operation': {
				const op = w.operations.get(h.key);
				if (!op) break;
				op.done = true;
				op.at = w.now;
				if (h.error) op.error = { message: h.error, retry: true };
				else if (h.effect) {
					try {
						op.result = this.effect(h.effect);
					} catch (e) {
						// Whoever asked is told, whatever it was.
						op.error = {
							message: e instanceof Error ? e.message : String(e),
							retry: e instanceof ProviderError && e.retry
						};
						if (!(e instanceof ProviderError)) this.wrong(e, h);
					}
				}
				break;
			}
			case 'package':
				packageDone(this, h);
				break;
			case 'app':
				useApp(this, h);
				break;
			case 'app open':
				appOpened(this, h);
				break;
			case 'app over':
				if (w.packages.runs.get(h.run)?.turn === h.turn) closeApp(this, h.run);
				break;
			case 'fault':
				applyFault(this, h.fault);
				break;
			case 'fault over':
				clearFault(this, h.id);
				break;
		}
	}

	observe(what: Observation extends infer O ? (O extends unknown ? Omit<O, 'seq' | 'at'> : never) : never): void {
		this.world.observations.push({ ...what, seq: this.world.nextSeq++, at: this.world.now } as Observation);
	}

	// ── People ──────────────────────────────────────────────────────────────────────────────────────────

	private planDay(person: SimPerson, day: number): void {
		const w = this.world;
		const today = Number.isNaN(day) ? localDay(person, w.now) : day;
		schedule(w, Math.max(w.now + 1, momentOf(person.zone, today + 1, 0) - 30 * MINUTE), {
			k: 'day',
			person: person.login,
			day: today + 1
		});
		const work = workDay(person, this.patterns.get(person.pattern)!, today, this.seed);
		if (!work || work.until < w.now) return;
		const habits = this.habits.get(person.team) ?? [];
		let first = true;
		habits.forEach((habit, i) => {
			if (habit.sites && !habit.sites.includes(person.site)) return;
			if (uniform(this.seed, person.index, today, 20 + i) > habit.chance) return;
			// The first use fills the day; others come for a while in between.
			const from = first
				? work.from
				: work.from +
					Math.round(uniform(this.seed, person.index, today, 30 + i) * (work.until - work.from) * 0.6) +
					10 * MINUTE;
			const until = first
				? work.until
				: Math.min(
						work.until,
						from + 70 * MINUTE + Math.round(uniform(this.seed, person.index, today, 40 + i) * 150 * MINUTE)
					);
			if (until <= w.now) return;
			const at =
				from > w.now ? from : w.now + Math.round(uniform(this.seed, person.index, today, 50 + i) * 20 * MINUTE);
			schedule(w, at, { k: 'visit', person: person.login, publication: habit.publication, leaveAt: until, tries: 0 });
			first = false;
		});
	}

	/** Somebody asks for a publication. `leaveAt` null: they stay until they leave by themselves. */
	private connect(
		login: string,
		publication: string,
		leaveAt: number | null,
		tries: number,
		secondFactor: boolean | undefined,
		another = false
	): number {
		const w = this.world;
		const person = w.people.get(login);
		if (!person) throw new ProviderError(`the directory knows nobody called ${login}`, false);
		const pub = w.broker.publications.find((p) => p.id === publication);
		const id = w.nextConnection++;
		const preferred = pub?.protocol ?? 'stream';
		// One in six sits at an endpoint that cannot do stream.
		const protocol = preferred === 'stream' && person.index % 6 === 0 ? 'framebuffer' : preferred;
		const conn: SimConnection = {
			id,
			person: login,
			publication,
			gateway: this.gatewayOf.get(person.site) ?? '',
			protocol,
			secondFactor: secondFactor ?? true,
			began: w.now,
			phase: 0,
			phaseBegan: w.now,
			phases: [],
			machine: null,
			resumes: null,
			session: null,
			run: null,
			start: null,
			sharing: [],
			...(another ? { another } : {}),
			result: 'opening',
			cause: [],
			advice: null,
			pools: [],
			tries,
			leaveAt,
			ended: 0
		};
		w.connections.set(id, conn);
		w.signInsThisMinute.set(person.site, (w.signInsThisMinute.get(person.site) ?? 0) + 1);
		if (!conn.gateway)
			this.finish(conn, 'lost', [{ words: 'the estate has no gateway', side: 'against' }], 'Ask the helpdesk.');
		else this.beginPhase(conn);
		return id;
	}

	private beginPhase(conn: SimConnection): void {
		const w = this.world;
		const phase = PHASES[conn.phase]!;
		conn.phaseBegan = w.now;
		if (conn.machine && !UP.has(w.machines.get(conn.machine)?.state ?? 'off') && phase !== 'waiting') {
			this.finish(
				conn,
				'lost',
				[
					{
						words: `${conn.machine} went away during the sign-in`,
						side: 'against',
						about: { kind: 'machine', id: conn.machine }
					}
				],
				'Try again: you will be given another machine.'
			);
			return;
		}
		if (phase === 'waiting') {
			this.seekMachine(conn);
			return;
		}
		// Taking up a session again needs neither sign-in nor desktop: both are still there.
		if (conn.resumes !== null && conn.phase > PHASES.indexOf('protocol')) {
			this.opened(conn);
			return;
		}
		if (phase === 'app') {
			this.opened(conn);
			return;
		}
		const cost = phaseCost(this.estate, w, this.seed, conn, phase);
		if ('fails' in cost) {
			conn.cause = cost.fails;
			conn.advice = cost.advice;
		}
		conn.phases.push({
			name: phase,
			ms: Math.round(cost.ms),
			...('cause' in cost && cost.cause ? { cause: cost.cause } : {}),
			...('parts' in cost && cost.parts ? { parts: cost.parts } : {})
		});
		schedule(w, w.now + Math.round(cost.ms), { k: 'phase', connection: conn.id, phase: conn.phase });
	}

	private phaseDone(id: number, phase: number): void {
		const conn = this.world.connections.get(id);
		if (!conn || conn.result !== 'opening' || conn.phase !== phase) return;
		if (conn.cause.length) {
			const machine = conn.machine ? this.world.machines.get(conn.machine) : undefined;
			if (machine && ++machine.failures >= 2) {
				// The broker passes over a machine where sign-ins fail one after the other.
				machine.asideUntil = this.world.now + 30 * MINUTE;
				machine.failures = 0;
			}
			this.finish(conn, 'lost', conn.cause, conn.advice);
			return;
		}
		const name: PhaseName = PHASES[phase]!;
		if (name === 'brokering' && !this.broker(conn)) return;
		conn.phase++;
		this.beginPhase(conn);
	}

	/** Lets the person in or refuses; finds a session to take up again. */
	private broker(conn: SimConnection): boolean {
		const w = this.world;
		const person = w.people.get(conn.person)!;
		const pub = w.broker.publications.find((p) => p.id === conn.publication);
		if (!pub) {
			this.finish(
				conn,
				'refused',
				[{ words: `nothing called ${conn.publication} is published`, side: 'against', source: 'broker' }],
				'Ask the helpdesk.'
			);
			return false;
		}
		const grants = w.broker.grants.filter((g) => g.publication === pub.id);
		const decision = decideOpening(
			{
				personId: person.login,
				teams: person.teams,
				at: w.now,
				zone: person.zone,
				address: person.address,
				managedEndpoint: person.managed,
				secondFactor: conn.secondFactor
			},
			pub.door ?? {},
			grants
		);
		if (!decision.value.allowed) {
			this.finish(
				conn,
				'refused',
				decision.facts.filter((f) => f.side === 'against'),
				decision.value.advice
			);
			return false;
		}
		const pools = w.broker.pools.filter((p) => pub.pools.includes(p.id));
		const near = pools.filter((p) => p.site === person.site);
		// A pool at the person's own site first, then the others in the order of the publication. Who has a shared pool
		// of their own is sent elsewhere only where the way is short: a far desktop is worse than a wait.
		const own = near.some((p) => p.assignment === 'shared');
		const others = pools.filter(
			(p) => !near.includes(p) && (!own || roundTrip(this.estate, person.site, p.site) <= SHORT_WAY)
		);
		conn.pools = [...near, ...others].map((p) => p.id);
		if (conn.another) {
			const own = pools
				.filter((p) => p.assignment === 'personal')
				.flatMap((p) => p.machines.filter((m) => w.broker.owners[m] === person.login));
			const reaching = grants.filter((g) =>
				g.to.kind === 'person' ? g.to.id === person.login : person.teams.includes(g.to.id)
			);
			const most = Math.max(1, ...reaching.map((g) => g.machines ?? 1));
			if (own.length >= most) {
				this.finish(
					conn,
					'refused',
					[
						{ words: `they have ${own.join(', ')} already; the grant gives ${most}`, side: 'against', source: 'grants' }
					],
					`You have as many machines as you may: ${most}. Ask the helpdesk for another.`
				);
				return false;
			}
			return true;
		}
		for (const id of person.open) {
			const session = w.sessions.get(id)!;
			if (session.publication === conn.publication || (pub.app && this.mayShare(conn, session))) {
				conn.resumes = session.id;
				conn.machine = session.machine;
			}
		}
		return true;
	}

	/** Whether an app may open in a session that its person has already. */
	private mayShare(conn: SimConnection, session: SimSession): boolean {
		const machine = this.world.machines.get(session.machine)!;
		const pool = this.pools.get(machine.pool);
		const serves = conn.pools.includes(machine.pool) && UP.has(machine.state);
		conn.sharing.push({
			words: serves
				? `the session on ${machine.name} is shared: its pool serves the app too`
				: `the session on ${machine.name} is not shared: ${pool ? `its pool, ${pool.id}, does not serve the app` : 'its pool is unknown'}`,
			side: serves ? 'for' : 'against',
			about: { kind: 'machine', id: machine.name },
			source: 'broker'
		});
		return serves;
	}

	private seekMachine(conn: SimConnection): void {
		if (conn.resumes !== null) {
			this.gotMachine(conn, conn.machine!);
			return;
		}
		const machine = this.freeMachine(conn);
		if (machine) {
			this.gotMachine(conn, machine);
			return;
		}
		this.world.waiting.add(conn.id);
		this.lineOf(conn).add(conn.id);
		this.observe({
			kind: 'waiting',
			person: conn.person,
			publication: conn.publication,
			pools: conn.pools,
			began: this.world.now
		});
		schedule(this.world, this.world.now + PATIENCE, { k: 'patience', connection: conn.id });
	}

	/** The line in which a connection waits, together with all that may use the same pools. */
	private lineOf(conn: SimConnection): Set<number> {
		const key = conn.pools.join();
		let line = this.lines.get(key);
		if (!line) this.lines.set(key, (line = new Set()));
		return line;
	}

	private stopWaiting(conn: SimConnection): void {
		if (!this.world.waiting.delete(conn.id)) return;
		this.lineOf(conn).delete(conn.id);
		this.observe({ kind: 'stopped waiting', person: conn.person, publication: conn.publication });
	}

	/** The machine to use, when one is ready. Starts a personal machine that is off. */
	private freeMachine(conn: SimConnection): string | null {
		const w = this.world;
		for (const poolId of conn.pools) {
			const pool = this.pools.get(poolId);
			if (!pool) continue;
			if (pool.assignment === 'personal') {
				let own =
					conn.own ?? (conn.another ? undefined : pool.machines.find((m) => w.broker.owners[m] === conn.person));
				if (!own) {
					own = pool.machines.find((m) => w.broker.owners[m] === undefined && w.machines.get(m)?.state !== 'failed');
					if (!own) continue;
					w.broker.owners[own] = conn.person;
					conn.own = own;
					this.observe({ kind: 'owner', machine: own, person: conn.person });
				}
				const machine = w.machines.get(own);
				if (machine && machine.asideUntil > w.now) return null;
				if (machine?.state === 'off')
					this.powerOn(machine, `started for ${w.people.get(conn.person)!.name}, whose machine it is`);
				if (machine && UP.has(machine.state) && machine.agent) return own;
				return null;
			}
			const candidates: Candidate[] = [];
			for (const m of this.upOf(poolId)) {
				const sessions = m.sessions.length + m.coming;
				if (sessions < m.holds && m.agent && m.asideUntil <= w.now && this.known.has(m.name))
					candidates.push({ name: m.name, sessions, holds: m.holds, strain: m.strain });
			}
			const place = placeSession(candidates, pool.placing);
			if (place.value) return place.value;
		}
		return null;
	}

	private gotMachine(conn: SimConnection, machine: string): void {
		const w = this.world;
		this.stopWaiting(conn);
		conn.machine = machine;
		if (conn.resumes === null) w.machines.get(machine)!.coming++;
		const ms = w.now - conn.phaseBegan;
		conn.phases.push({ name: 'waiting', ms, ...(ms > 5000 ? { cause: 'no machine was ready' } : {}) });
		conn.phase++;
		this.beginPhase(conn);
	}

	/** Gives machines that have become ready to those who wait longest. */
	serveWaiting(): void {
		const heads = [...this.lines.values()].flatMap((line) => {
			const rest = line.values();
			const first = rest.next();
			return first.done ? [] : [{ rest, conn: this.world.connections.get(first.value)! }];
		});
		while (heads.length) {
			const head = heads.reduce((a, b) => (waitsLonger(b.conn, a.conn) ? b : a));
			const { conn } = head;
			const machine = this.freeMachine(conn);
			if (machine) this.gotMachine(conn, machine);
			// Where one found nothing, the next who may use the same shared pools finds nothing either.
			const full = !machine && conn.pools.every((p) => this.pools.get(p)?.assignment === 'shared');
			const next = full ? undefined : head.rest.next();
			if (!next || next.done) heads.splice(heads.indexOf(head), 1);
			else head.conn = this.world.connections.get(next.value)!;
		}
	}

	private opened(conn: SimConnection): void {
		const w = this.world;
		const person = w.people.get(conn.person)!;
		const machine = w.machines.get(conn.machine!)!;
		const habit = this.habits.get(person.team)?.find((h) => h.publication === conn.publication);
		const app = w.broker.publications.find((p) => p.id === conn.publication)?.app ?? null;
		machine.failures = 0;
		let session = conn.resumes === null ? undefined : w.sessions.get(conn.resumes);
		if (session) {
			session.state = 'active';
			session.turn++;
			this.observe({ kind: 'session', session: session.id, state: 'active', cause: 'the person came back' });
		} else {
			session = {
				id: w.nextSession++,
				person: conn.person,
				machine: machine.name,
				publication: conn.publication,
				gateway: conn.gateway,
				protocol: conn.protocol,
				app: app !== null,
				since: w.now,
				state: 'active',
				cores: (habit?.cores ?? 0.5) * about(0.3, this.seed, person.index, 61),
				memory: Math.round((habit?.memory ?? 3e9) * about(0.2, this.seed, person.index, 62)),
				gpu: habit?.gpu ?? 0,
				rtt: roundTrip(this.estate, person.site, machine.site) + uniform(this.seed, conn.id, 63) * 4,
				turn: 0
			};
			w.sessions.set(session.id, session);
			machine.sessions.push(session.id);
			person.open.push(session.id);
			machine.coming--;
			conn.resumes = session.id;
			tell(this, { e: 'sign-in', machine: machine.name });
			if (!app) planApps(this, session, conn.leaveAt);
		}
		conn.session = session.id;
		if (app === null) this.finish(conn, 'open', [], null);
		if (machine.state === 'ready') this.setState(machine, 'in use', `${person.name} signed in`);
		this.planLeaving(session, person, conn.leaveAt);
		if (app !== null) {
			const there = runsOf(w, session.id).find((r) => r.package === app.package && r.target === app.target);
			conn.phase = PHASES.indexOf('app');
			conn.phaseBegan = w.now;
			if (there && there.version !== null) this.appReady(conn.id, there.id, 'warm');
			else openApp(this, session, app.package, app.target, conn.id, null);
		}
	}

	/** The app that a connection is for has its window. */
	appReady(id: number, run: number, start: StartKind): void {
		const conn = this.world.connections.get(id);
		if (!conn || conn.result !== 'opening') return;
		const ms = this.world.now - conn.phaseBegan;
		conn.phases.push({ name: 'app', ms, ...(start === 'warm' ? {} : { cause: START_WORDS[start] }) });
		conn.run = run;
		conn.start = start;
		this.finish(conn, 'open', [], null);
	}

	/** The app that a connection is for cannot be started: a session that was for it alone ends. */
	appFailed(id: number, why: Fact[], advice: string): void {
		const conn = this.world.connections.get(id);
		if (!conn || conn.result !== 'opening') return;
		this.finish(
			conn,
			'lost',
			why.filter((f) => f.side === 'against'),
			advice
		);
		const session = conn.session === null ? undefined : this.world.sessions.get(conn.session);
		if (session?.app && runsOf(this.world, session.id).length === 0)
			this.endSession(session.id, 'its app could not be started');
	}

	private planLeaving(session: SimSession, person: SimPerson, leaveAt: number | null): void {
		const w = this.world;
		if (leaveAt === null) return;
		const work = workDay(person, this.patterns.get(person.pattern)!, localDay(person, w.now), this.seed);
		const lunch = work?.lunch;
		if (lunch && lunch.from > w.now && lunch.until < leaveAt)
			schedule(w, lunch.from, { k: 'lunch', session: session.id, turn: session.turn, back: lunch.until, leaveAt });
		const how = uniform(this.seed, session.id, 80) < 0.78 ? 'sign out' : 'disconnect';
		schedule(w, Math.max(leaveAt, w.now + 2 * MINUTE), { k: 'leave', session: session.id, turn: session.turn, how });
	}

	private finish(conn: SimConnection, result: SimConnection['result'], cause: Fact[], advice: string | null): void {
		const w = this.world;
		const coming = conn.machine !== null && conn.resumes === null ? w.machines.get(conn.machine) : undefined;
		if (coming) coming.coming--;
		conn.result = result;
		conn.cause = cause;
		conn.advice = advice;
		conn.ended = w.now;
		this.observe({
			kind: 'connection',
			id: conn.id,
			person: conn.person,
			publication: conn.publication,
			gateway: conn.gateway,
			protocol: conn.protocol,
			address: w.people.get(conn.person)!.address,
			began: conn.began,
			result: result as 'open',
			machine: conn.machine,
			session: conn.session,
			phases: conn.phases,
			cause
		});
		// People try again, a few times, after a while; not when they were refused.
		if ((result === 'lost' || result === 'gave up') && conn.leaveAt !== null && conn.tries < 3) {
			const again = w.now + Math.round((1 + uniform(this.seed, conn.id, 90) * 12) * MINUTE);
			if (again < conn.leaveAt)
				schedule(w, again, {
					k: 'visit',
					person: conn.person,
					publication: conn.publication,
					leaveAt: conn.leaveAt,
					tries: conn.tries + 1
				});
		}
	}

	/** Lets go of what nobody will ask for any more: connections after an hour, operations after two days. */
	private tidy(): void {
		const w = this.world;
		for (const c of w.connections.values())
			if (c.result !== 'opening' && w.now - c.ended > HOUR) w.connections.delete(c.id);
		for (const o of w.operations.values()) if (o.done && w.now - o.at > 48 * HOUR) w.operations.delete(o.key);
	}

	private setAside(session: SimSession, cause: string): void {
		session.state = 'disconnected';
		session.turn++;
		this.observe({ kind: 'session', session: session.id, state: 'disconnected', cause });
		schedule(this.world, this.world.now + DISCONNECTED_LIMIT, { k: 'limit', session: session.id, turn: session.turn });
	}

	signOut(session: SimSession, cause: string): void {
		session.turn++;
		schedule(this.world, this.world.now + Math.round((6 + uniform(this.seed, session.id, 81) * 12) * SECOND), {
			k: 'ended',
			session: session.id,
			cause
		});
	}

	/** Takes a session out of the world and off its person. */
	private forget(session: SimSession): void {
		const person = this.world.people.get(session.person)!;
		this.world.sessions.delete(session.id);
		emptyOverlays(this.world, (o) => o.session === session.id);
		person.open = person.open.filter((id) => id !== session.id);
	}

	private endSession(id: number, cause: string): void {
		const w = this.world;
		const session = w.sessions.get(id);
		if (!session) return;
		closeAll(this, id);
		this.forget(session);
		this.observe({ kind: 'session', session: id, state: 'ended', cause });
		const machine = w.machines.get(session.machine);
		if (!machine) return;
		tell(this, { e: 'sign-out', machine: machine.name });
		machine.sessions = machine.sessions.filter((s) => s !== id);
		if (machine.sessions.length === 0 && machine.state === 'in use') {
			if (machine.users === 'single') {
				this.setState(machine, 'leaving', 'its person has signed out');
				schedule(w, w.now + 25 * SECOND, { k: 'boot', machine: machine.name, life: machine.life, stage: 'ready' });
			} else this.setState(machine, 'ready', 'its last person has signed out');
		}
		if (w.waiting.size) this.serveWaiting();
	}

	// ── Machines ────────────────────────────────────────────────────────────────────────────────────────

	setState(machine: SimMachine, state: MachineState, cause: string): void {
		if (machine.state === state) return;
		if (UP.has(state)) this.upOf(machine.pool).add(machine);
		else this.upOf(machine.pool).delete(machine);
		machine.state = state;
		this.observe({ kind: 'machine', machine: machine.name, state, cause });
	}

	/** Starts a machine. How long it takes follows from what host and volume are busy with. */
	powerOn(machine: SimMachine, why: string): void {
		const w = this.world;
		const host = w.hosts.get(machine.host)!;
		machine.life++;
		if (!host.up) {
			this.setState(machine, 'failed', `host ${host.name} is down`);
			return;
		}
		const silent = machine.bootServers.filter((b) =>
			w.faults.some((f) => f.kind === 'boot-server-down' && f.target === b)
		);
		const from = machine.bootServers.find((b) => !silent.includes(b));
		if (machine.bootServers.length && from === undefined) {
			machine.agent = false;
			this.setState(machine, 'failed', `no boot server answered: ${machine.bootServers.join(', ')}`);
			return;
		}
		const tried = machine.bootServers.slice(0, machine.bootServers.indexOf(from ?? ''));
		machine.agent = true;
		machine.hung = false;
		machine.runaway = false;
		machine.nameOk = true;
		machine.writtenBefore = machine.written;
		this.setState(machine, 'starting', tried.length ? `${why}, from ${from}: ${tried.join(', ')} did not answer` : why);
		const volume = w.volumes.get(machine.volume)!;
		volume.booting++;
		const busy = 1 / (1 - Math.min(0.9, volume.busy + volume.booting * 0.02));
		const pressed = 1 + 2 * Math.max(0, host.pressure - 0.7);
		const base = this.boots.get(machine.line) ?? 90 * SECOND;
		const took =
			base * busy * pressed * about(0.12, this.seed, hashText(machine.name), machine.life) +
			tried.length * BOOT_PATIENCE;
		const stalls = uniform(this.seed, hashText(machine.name), machine.life, 5) < 0.0008;
		schedule(w, w.now + Math.round(took * 0.8), {
			k: 'boot',
			machine: machine.name,
			life: machine.life,
			stage: stalls ? 'failed' : 'agent up'
		});
		if (!stalls)
			schedule(w, w.now + Math.round(took), { k: 'boot', machine: machine.name, life: machine.life, stage: 'ready' });
	}

	private bootStage(name: string, life: number, stage: 'agent up' | 'ready' | 'failed'): void {
		const w = this.world;
		const machine = w.machines.get(name);
		if (!machine || machine.life !== life) return;
		if (machine.state === 'starting') {
			const volume = w.volumes.get(machine.volume)!;
			volume.booting = Math.max(0, volume.booting - 1);
		}
		if (stage === 'failed') {
			machine.agent = false;
			this.setState(machine, 'failed', 'its agent did not come up after the start');
			schedule(w, w.now + Math.round((2 + 5 * uniform(this.seed, hashText(name), life, 6)) * HOUR), {
				k: 'watchdog',
				machine: name,
				life
			});
			return;
		}
		if (stage === 'agent up') {
			this.setState(machine, 'agent up', 'its agent answers');
			tell(this, { e: 'up', machine: machine.name, pool: machine.pool });
		} else {
			this.setState(
				machine,
				'ready',
				machine.state === 'leaving' ? 'clean after the sign-out' : 'all its services are up'
			);
			this.serveWaiting();
		}
	}

	/** Power goes: every session on it ends at once. */
	powerOff(machine: SimMachine, state: 'off' | 'failed', why: string): void {
		const w = this.world;
		if (machine.state === 'starting') {
			const volume = w.volumes.get(machine.volume)!;
			volume.booting = Math.max(0, volume.booting - 1);
		}
		machine.life++;
		for (const id of machine.sessions) {
			for (const run of runsOf(w, id)) w.packages.runs.delete(run.id);
			this.forget(w.sessions.get(id)!);
			this.observe({ kind: 'session', session: id, state: 'ended', cause: `${machine.name}: ${why}` });
		}
		machine.sessions = [];
		machine.cpu = 0;
		machine.strain = 0;
		w.packages.warm.delete(machine.name);
		tell(this, { e: 'down', machine: machine.name });
		this.setState(machine, state, why);
	}

	// ── Operations ──────────────────────────────────────────────────────────────────────────────────────

	/** Begins what a provider was asked for. The same key twice is one request. */
	private begin(key: string, effect: Effect, usual: number, scatter = 0.18): string {
		const w = this.world;
		if (w.operations.has(key)) return key;
		w.operations.set(key, { key, done: false, at: w.now, error: null, result: null });
		const draw = hashText(key);
		const fails = uniform(this.seed, draw, 11) < this.failureOf(effect);
		const busy = 'spec' in effect ? 1 / (1 - Math.min(0.9, w.volumes.get(effect.spec.volume)?.busy ?? 0)) : 1;
		const took = usual * busy * about(scatter, this.seed, draw, 12);
		const stepFault =
			effect.e === 'build step' &&
			w.faults.some((f) => f.kind === 'build-step-fails' && effect.words.includes(f.target));
		const error = stepFault
			? `the step ended with exit code 1603 after ${Math.round((took * 0.6) / 1000)} s`
			: fails
				? failureWords(effect)
				: null;
		schedule(w, w.now + Math.max(1, Math.round(error ? took * 0.6 : took)), { k: 'operation', key, effect, error });
		return key;
	}

	/** Quick calls rarely fail; making a machine moves gigabytes, and fails as often as the estate says. */
	private failureOf(effect: Effect): number {
		const p = this.estate.lab.failure;
		return effect.e === 'create'
			? p * 2
			: effect.e === 'start' || effect.e === 'stop'
				? p / 4
				: effect.e === 'build step'
					? p / 3
					: 0;
	}

	private effect(effect: Effect): unknown {
		const w = this.world;
		const machine = (name: string) => {
			const m = w.machines.get(name);
			if (!m) throw new ProviderError(`the compute provider knows no machine ${name}`, false);
			return m;
		};
		switch (effect.e) {
			case 'create':
				return this.create(effect.spec);
			case 'remove': {
				const m = w.machines.get(effect.machine);
				if (!m) return null;
				if (m.state !== 'off') this.powerOff(m, 'off', 'the machine is removed');
				w.machines.delete(m.name);
				emptyOverlays(w, (o) => o.machine === m.name);
				tell(this, { e: 'gone', machine: m.name });
				if (m.address !== null) w.networks.get(m.network)!.leased.delete(m.address);
				this.observe({ kind: 'unmade', machine: m.name });
				return null;
			}
			case 'start': {
				const m = machine(effect.machine);
				if (m.state === 'off' || m.state === 'failed') this.powerOn(m, effect.why);
				return null;
			}
			case 'stop': {
				const m = machine(effect.machine);
				if (m.state !== 'off') this.powerOff(m, 'off', effect.why);
				return null;
			}
			case 'restart': {
				const m = machine(effect.machine);
				this.powerOff(m, 'off', effect.why);
				this.powerOn(m, effect.why);
				return null;
			}
			case 'reset': {
				const m = machine(effect.machine);
				if (!w.versions.get(m.line)?.has(effect.version))
					throw new ProviderError(`the image store has no ${m.line} ${effect.version}`, false);
				if (this.estate.existing.some((x) => x.name === m.name && x.kind === 'physical'))
					throw new ProviderError(`${m.name} is a physical machine: no image can be put on it`, false);
				this.needWhole(m.site, m.line, effect.version);
				this.whileOff(m, 'reset to its image', 'started after the reset', () => {
					m.version = effect.version;
					m.trusted = true;
					m.nameOk = true;
					emptyOverlays(w, (o) => o.machine === m.name);
				});
				return null;
			}
			case 'move disk': {
				const m = machine(effect.machine);
				const volume = w.volumes.get(effect.volume);
				if (!volume || volume.site !== m.site)
					throw new ProviderError(`there is no volume ${effect.volume} where ${m.name} stands`, false);
				if ((usedByVolume(w).get(volume.id) ?? 0) + diskOf(m) > volume.size)
					throw new ProviderError(`volume ${volume.id} is full`, false);
				this.whileOff(m, 'its disk is moved', 'started after its disk was moved', () => (m.volume = volume.id));
				return null;
			}
			case 'prepare capture': {
				if (!w.images.kept.has(`${effect.line}/${effect.version}`))
					throw new ProviderError(`the image store has no ${effect.line} ${effect.version}`, false);
				const name = `capture-${String(1 + w.nextHappening).padStart(4, '0')}`;
				w.captures.set(name, {
					name,
					line: effect.line,
					version: effect.version,
					since: w.now,
					installed: [],
					pending: 0,
					set: [],
					looks: 0
				});
				return { machine: name };
			}
			case 'install':
				return install(this.estate, w, effect.machine, effect.installer);
			case 'restart capture':
				captureMachine(w, effect.machine).pending = 0;
				return null;
			case 'set':
				captureMachine(w, effect.machine).set.push(...effect.settings);
				return null;
			case 'look': {
				const { name, line, version, installed, pending, set, looks } = captureMachine(w, effect.machine);
				captureMachine(w, effect.machine).looks++;
				return { name, line, version, installed: [...installed], pending, set: [...set], look: looks, at: w.now };
			}
			case 'dispose capture':
				w.captures.delete(effect.machine);
				return null;
			case 'restart service': {
				const m = machine(effect.machine);
				if (m.hung) throw new ProviderError('the machine does not answer', true);
				if (effect.check === 'agent' || effect.check === 'protocol') m.agent = true;
				if (effect.check === 'name') m.nameOk = true;
				if (m.state === 'failed' && m.agent)
					this.setState(m, m.sessions.length ? 'in use' : 'ready', 'its agent answers again');
				this.serveWaiting();
				return null;
			}
			case 'sign out': {
				const s = w.sessions.get(effect.session);
				if (s) this.endSession(s.id, effect.why);
				return null;
			}
			case 'announce': {
				const port = w.gateways.get(effect.gateway)?.protocols.get(effect.protocol);
				if (!port) throw new ProviderError(`gateway ${effect.gateway} has no ${effect.protocol}`, false);
				port.announced = effect.port;
				w.faults = w.faults.filter(
					(f) => !(f.kind === 'gateway-port' && f.target === `${effect.gateway}/${effect.protocol}`)
				);
				return null;
			}
			case 'extend': {
				const volume = w.volumes.get(effect.volume);
				if (!volume) throw new ProviderError(`the compute provider knows no volume ${effect.volume}`, false);
				if (effect.size < volume.size) throw new ProviderError('a volume cannot shrink', false);
				volume.size = effect.size;
				return null;
			}
			case 'release': {
				const network = w.networks.get(effect.network);
				if (!network) throw new ProviderError(`there is no network ${effect.network}`, false);
				const stale = network.usedUp ? network.last - network.first + 1 - network.leased.size : 0;
				network.usedUp = false;
				w.faults = w.faults.filter((f) => !(f.kind === 'range-used-up' && f.target === effect.network));
				return stale;
			}
			case 'range': {
				const network = w.networks.get(effect.network);
				if (!network) throw new ProviderError(`there is no network ${effect.network}`, false);
				network.last = effect.last;
				return null;
			}
			case 'account':
				if (effect.folder === null) w.accounts.delete(effect.name);
				else if (effect.moved && w.accounts.has(effect.name)) w.accounts.set(effect.name, effect.folder);
				else if (w.accounts.has(effect.name))
					throw new ProviderError(
						`the directory has an account ${effect.name} already, in ${w.accounts.get(effect.name)}`,
						false
					);
				else w.accounts.set(effect.name, effect.folder);
				return null;
			case 'take over':
				this.takeOver(effect.machine, effect.pool, effect.line, effect.holds);
				return null;
			case 'let go':
				this.letGo(effect.machine);
				return null;
			case 'boot servers':
				for (const name of effect.machines) {
					const m = w.machines.get(name);
					if (m) m.bootServers = effect.servers;
				}
				return null;
			case 'build step':
				return buildStep(this.estate, w, effect.line, effect.step);
			case 'keep': {
				const builder = w.images.builders.get(effect.line);
				if (!builder) throw new ProviderError('the builder machine is gone', false);
				keepVersion(this.estate, w, effect.line, effect.version, builder.contents);
				return { contents: builder.contents };
			}
			case 'discard':
				w.images.builders.delete(effect.line);
				return null;
			case 'try out':
				return tryOut(this.estate, w, effect.line, effect.version);
			case 'remove version': {
				const id = `${effect.line}/${effect.version}`;
				w.images.kept.delete(id);
				w.versions.get(effect.line)?.delete(effect.version);
				for (const store of w.images.stores.values()) store.whole.delete(id);
				return null;
			}
			case 'hand out': {
				const store = w.images.stores.get(effect.site);
				if (!store) throw new ProviderError(`there is no image store at ${effect.site}`, false);
				store.whole.add(`${effect.line}/${effect.version}`);
				return null;
			}
			case 'send':
				if (this.linkDown(effect.from, effect.to))
					throw new ProviderError(`the link between ${effect.from} and ${effect.to} is down`);
				receive(w, effect.from, effect.to, effect.digests);
				return null;
			case 'assemble':
				assemble(w, effect.line, effect.version, effect.site);
				return null;
			case 'open reference': {
				const image = w.images.kept.get(`${effect.line}/${effect.version}`);
				if (!image) throw new ProviderError(`the image store has no ${effect.line} ${effect.version}`, false);
				w.images.references.set(effect.line, {
					from: effect.version,
					contents: image.contents,
					settings: {},
					restart: false
				});
				return { machine: `ref-${effect.line}` };
			}
			case 'close reference': {
				const contents = referenceContents(w, effect.line);
				keepVersion(this.estate, w, effect.line, effect.version, contents);
				w.images.references.delete(effect.line);
				return { contents };
			}
			case 'throw away':
				w.images.references.delete(effect.line);
				return null;
			case 'try package':
				return tryPackage(this.estate, w, this.seed, effect.ask);
			case 'empty overlay':
				return emptyOverlays(w, (o) => o.package === effect.package && o.person === effect.person);
			case 'ask to close':
				askToClose(this, effect.session, effect.package);
				return null;
			case 'log':
				return effect.log;
		}
	}

	/** Changes what a machine is made of: a machine that is on is stopped for it and started again. */
	private whileOff(m: SimMachine, why: string, after: string, change: () => void): void {
		const wasOn = m.state !== 'off';
		if (wasOn) this.powerOff(m, 'off', why);
		change();
		this.tellMade(m);
		if (wasOn) this.powerOn(m, after);
	}

	private tellMade(m: SimMachine): void {
		this.observe({
			kind: 'made',
			machine: m.name,
			pool: m.pool,
			host: m.host,
			volume: m.volume,
			version: m.version,
			address: addressText(m.address ?? 0)
		});
	}

	/** Whether a link is down, whichever way round it is named. */
	linkDown(a: string, b: string): boolean {
		return this.world.faults.some(
			(f) => f.kind === 'link-down' && (f.target === `${a}/${b}` || f.target === `${b}/${a}`)
		);
	}

	private needWhole(site: string, line: string, version: string): void {
		if (!this.world.images.stores.get(site)?.whole.has(`${line}/${version}`))
			throw new ProviderError(`the image store at ${site} does not have ${line} ${version} whole`, false);
	}

	/** A machine that was there becomes one of a pool, as it is; a physical one stands on itself. */
	private takeOver(name: string, pool: string, line: string, holds: number): void {
		const w = this.world;
		if (w.machines.get(name)?.pool === pool) return;
		const m = w.existing.get(name);
		if (!m) throw new ProviderError(`the compute provider knows no machine ${name} that belongs to nobody`, false);
		const { kind: _kind, system: _system, generation: _generation, ...rest } = m;
		if (m.kind === 'physical') {
			w.hosts.set(name, {
				name,
				site: m.site,
				cores: m.cores,
				memory: m.memory,
				gpus: m.gpus,
				up: true,
				pressure: 0,
				gpuPressure: 0
			});
			w.volumes.set(name, { id: name, site: m.site, size: m.disk * 1.2, iops: 4000, other: 0, busy: 0, booting: 0 });
		}
		const address = [...w.networks.get(m.network)!.leased].find(([, who]) => who === name)?.[0] ?? null;
		const machine: SimMachine = {
			...rest,
			host: m.host ?? name,
			volume: m.volume ?? name,
			pool,
			line,
			version: AS_FOUND,
			holds,
			pageFile: 0,
			pageApart: false,
			bootServers: [],
			address,
			...asNew()
		};
		w.existing.delete(name);
		w.machines.set(name, machine);
		this.tellMade(machine);
		this.observe({ kind: 'machine', machine: name, state: 'off', cause: 'it was taken over as it was' });
	}

	private letGo(name: string): void {
		const w = this.world;
		const m = w.machines.get(name);
		if (!m) return;
		const declared = this.estate.existing.find((x) => x.name === name);
		if (!declared) throw new ProviderError(`${name} was not taken over`, false);
		if (m.state !== 'off') this.powerOff(m, 'off', 'it is let go');
		w.machines.delete(name);
		tell(this, { e: 'gone', machine: name });
		const { folder: _folder, ...rest } = declared;
		w.existing.set(name, { ...rest, host: declared.host ?? null, volume: declared.volume ?? null });
		if (declared.kind === 'physical') {
			w.hosts.delete(name);
			w.volumes.delete(name);
		}
		this.observe({ kind: 'unmade', machine: name });
	}

	private create(spec: Effect extends infer E ? (E extends { e: 'create'; spec: infer S } ? S : never) : never): {
		address: string;
	} {
		const w = this.world;
		if (w.machines.has(spec.name)) throw new ProviderError(`there is a machine ${spec.name} already`, false);
		const host = w.hosts.get(spec.host);
		if (!host?.up) throw new ProviderError(`host ${spec.host} is down`);
		if (!w.versions.get(spec.line)?.has(spec.version))
			throw new ProviderError(`the image store has no ${spec.line} ${spec.version}`, false);
		this.needWhole(host.site, spec.line, spec.version);
		const volume = w.volumes.get(spec.volume)!;
		if ((usedByVolume(w).get(volume.id) ?? 0) + diskOf(spec) > volume.size)
			throw new ProviderError(`volume ${volume.id} is full`);
		const network = w.networks.get(spec.network)!;
		let address = network.first;
		while (network.leased.has(address)) address++;
		if (network.usedUp || address > network.last)
			throw new ProviderError(`network ${spec.network} has no free address`);
		network.leased.set(address, spec.name);
		const machine: SimMachine = { ...spec, site: host.site, address, ...asNew() };
		w.machines.set(spec.name, machine);
		this.tellMade(machine);
		this.observe({ kind: 'machine', machine: spec.name, state: 'off', cause: 'it has just been made' });
		return { address: addressText(address) };
	}

	// ── Questions ───────────────────────────────────────────────────────────────────────────────────────

	/** What the checks along the way to a machine see right now. */
	probe(name: string): CheckResult[] {
		const w = this.world;
		const m = w.machines.get(name);
		if (!m) return [{ name: 'powered', ok: false, saw: 'the compute provider does not know it' }];
		const results: CheckResult[] = [];
		let blocked = false;
		const check = (check: (typeof CHECKS)[number], ok: boolean, yes: string, no: string) => {
			results.push(
				blocked
					? { name: check, ok: null, saw: 'not asked: an earlier check fails' }
					: { name: check, ok, saw: ok ? yes : no }
			);
			if (!ok) blocked = true;
		};
		const host = w.hosts.get(m.host)!;
		check(
			'powered',
			host.up && m.state !== 'off',
			`on, on host ${m.host}`,
			host.up ? 'off' : `off: host ${m.host} is down`
		);
		check(
			'agent',
			m.agent && !m.hung,
			'answered',
			m.hung ? 'no answer within 30 s; the machine hangs' : 'no answer within 10 s; the service has stopped'
		);
		check('address', m.address !== null, m.address === null ? '' : addressText(m.address), 'none was leased to it');
		check(
			'name',
			m.nameOk,
			`${m.name} resolves to ${addressText(m.address ?? 0)}`,
			`${m.name} resolves to another address`
		);
		check(
			'trust',
			m.trusted,
			`account ${m.name} in ${w.accounts.get(m.name) ?? 'no folder'} is accepted`,
			`the secret of account ${m.name} is not accepted`
		);
		check('protocol', m.agent, 'listens', 'nothing listens');
		const gateway = this.gatewayOf.get(m.site);
		const wrong =
			gateway === undefined ? [] : [...w.gateways.get(gateway)!.protocols].filter(([, p]) => p.announced !== p.listens);
		check(
			'gateway',
			wrong.length === 0,
			`${gateway} passes all protocols`,
			wrong.map(([p, port]) => `${gateway} announces ${port.announced} for ${p}, listens on ${port.listens}`).join('; ')
		);
		return results;
	}
}

const waitsLonger = (a: SimConnection, b: SimConnection): boolean =>
	a.phaseBegan < b.phaseBegan || (a.phaseBegan === b.phaseBegan && a.id < b.id);

function failureWords(effect: Effect): string {
	switch (effect.e) {
		case 'create':
			return `volume ${effect.spec.volume} did not finish the copy in time`;
		case 'build step':
			return 'the builder machine lost its connection to the package store';
		default:
			return 'the compute provider did not answer in time';
	}
}
