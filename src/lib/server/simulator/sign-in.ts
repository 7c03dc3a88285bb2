import { appliedParts } from '$lib/core/settings/effective';
import { goesOnIn, mayHaveAnother, servingPools, waitsLonger, type Waiting } from '$lib/core/access/broker';
import { decideOpening, type Decision } from '$lib/core/access/decide';
import { placeSession, type Candidate } from '$lib/core/capacity/placement';
import { START_WORDS, type StartKind } from '$lib/core/packages/starting';
import { MINUTE } from '$lib/core/time/units';
import { PHASES, type PhaseName } from '$lib/core/watch/phases';
import type { Explained, Fact } from '$lib/core/why/explained';
import { ProviderError, type BrokerConfig } from '../providers';
import { schedule } from './agenda';
import { daysFate } from './device-fates';
import { deviceOf, getUp, shownBy, sitDown } from './endpoints';
import { openApp, planApps, runsOf, tell } from './apps';
import { sessionSettings } from './applied';
import { phaseCost } from './phase-cost';
import { powerOn } from './power';
import { about, uniform } from './random';
import { endSession, planLeaving } from './sessions';
import { UP, type Stage } from './stage';
import type { SimConnection, SimEndpoint, SimPerson } from './state';
import { roundTrip } from './round-trip';

/** People wait this long for a machine before they give up. */
const PATIENCE = 12 * MINUTE;

/** Somebody asks for a publication. `leaveAt` null: they stay until they leave by themselves. */
export function connect(
	lab: Stage,
	login: string,
	publication: string,
	leaveAt: number | null,
	tries: number,
	secondFactor: boolean | undefined,
	another = false
): number {
	const w = lab.world;
	const person = w.people.get(login);
	if (!person) throw new ProviderError(`the directory knows nobody called ${login}`, false);
	daysFate(lab, person);
	sitDown(lab, person);
	const device = deviceOf(lab, person);
	const pub = w.broker.publications.find((p) => p.id === publication);
	const id = w.nextConnection++;
	const preferred = pub?.protocol ?? 'stream';
	// One in six sits at an endpoint that cannot do stream.
	const protocol = preferred === 'stream' && person.index % 6 === 0 ? 'framebuffer' : preferred;
	const conn: SimConnection = {
		id,
		person: login,
		publication,
		...(device ? { endpoint: device.id } : {}),
		gateway: lab.gatewayOf.get(person.site) ?? '',
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
		finish(lab, conn, 'lost', [{ words: 'the estate has no gateway', side: 'against' }], 'Ask the helpdesk.');
	else beginPhase(lab, conn);
	return id;
}

function beginPhase(lab: Stage, conn: SimConnection): void {
	const w = lab.world;
	const phase = PHASES[conn.phase]!;
	conn.phaseBegan = w.now;
	if (conn.machine && !UP.has(w.machines.get(conn.machine)?.state ?? 'off') && phase !== 'waiting') {
		finish(
			lab,
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
		seekMachine(lab, conn);
		return;
	}
	// Taking up a session again needs neither sign-in nor desktop: both are still there.
	if (conn.resumes !== null && conn.phase > PHASES.indexOf('protocol')) {
		opened(lab, conn);
		return;
	}
	if (phase === 'app') {
		opened(lab, conn);
		return;
	}
	const cost = phaseCost(lab.estate, w, lab.seed, conn, phase, (of, trip) =>
		appliedParts(
			lab.settings,
			sessionSettings(lab, w.machines.get(conn.machine!)!, w.people.get(conn.person)!),
			of,
			trip
		)
	);
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
	schedule(w, w.now + Math.round(cost.ms), { kind: 'phase', connection: conn.id, phase: conn.phase });
}

export function phaseDone(lab: Stage, id: number, phase: number): void {
	const conn = lab.world.connections.get(id);
	if (!conn || conn.result !== 'opening' || conn.phase !== phase) return;
	if (conn.cause.length) {
		const machine = conn.machine ? lab.world.machines.get(conn.machine) : undefined;
		if (machine && ++machine.failures >= 2) {
			// The broker passes over a machine where sign-ins fail one after the other.
			machine.asideUntil = lab.world.now + 30 * MINUTE;
			machine.failures = 0;
		}
		finish(lab, conn, 'lost', conn.cause, conn.advice);
		return;
	}
	const name: PhaseName = PHASES[phase]!;
	if (name === 'brokering' && !broker(lab, conn)) return;
	conn.phase++;
	beginPhase(lab, conn);
}

/** Whether somebody may open a publication from a device, and what their grants let through of its session. */
export function mayOpen(
	lab: Stage,
	person: SimPerson,
	pub: BrokerConfig['publications'][number],
	device: SimEndpoint | undefined,
	secondFactor: boolean
): Explained<Decision> {
	return decideOpening(
		{
			personId: person.login,
			teams: person.teams,
			at: lab.world.now,
			zone: person.zone,
			address: person.address,
			device: shownBy(lab, device),
			secondFactor,
			begins: person.begins,
			ends: person.ends
		},
		pub.door ?? {},
		lab.world.broker.grants.filter((g) => g.publication === pub.id)
	);
}

/** Lets the person in or refuses; finds a session to take up again. */
function broker(lab: Stage, conn: SimConnection): boolean {
	const w = lab.world;
	const person = w.people.get(conn.person)!;
	const pub = w.broker.publications.find((p) => p.id === conn.publication);
	if (!pub) {
		finish(
			lab,
			conn,
			'refused',
			[{ words: `nothing called ${conn.publication} is published`, side: 'against', source: 'broker' }],
			'Ask the helpdesk.'
		);
		return false;
	}
	const grants = w.broker.grants.filter((g) => g.publication === pub.id);
	const device = conn.endpoint === undefined ? undefined : w.endpoints.get(conn.endpoint);
	const decision = mayOpen(lab, person, pub, device, conn.secondFactor);
	if (!decision.value.allowed) {
		finish(
			lab,
			conn,
			'refused',
			decision.facts.filter((f) => f.side === 'against'),
			decision.value.advice
		);
		return false;
	}
	const pools = w.broker.pools.filter((p) => pub.pools.includes(p.id));
	conn.pools = servingPools(person.site, pools, (to) => roundTrip(lab.estate, person.site, to)).value.map((p) => p.id);
	if (conn.another) {
		const own = pools
			.filter((p) => p.assignment === 'personal')
			.flatMap((p) => p.machines.filter((m) => w.broker.owners[m] === person.login));
		const reaching = grants.filter((g) =>
			g.to.kind === 'person' ? g.to.id === person.login : person.teams.includes(g.to.id)
		);
		const another = mayHaveAnother(
			own,
			reaching.map((g) => g.machines ?? 1)
		);
		if (!another.value) {
			finish(
				lab,
				conn,
				'refused',
				another.facts,
				`You have as many machines as you may: ${another.most}. Ask the helpdesk for another.`
			);
			return false;
		}
		return true;
	}
	const open = person.open.map((id) => {
		const { publication, machine } = w.sessions.get(id)!;
		const { name, pool, state } = w.machines.get(machine)!;
		return { id, at: machine, publication, machine: name, pool, known: lab.pools.has(pool), up: UP.has(state) };
	});
	const on = goesOnIn(open, conn.publication, pub.app !== null, conn.pools);
	// What an app shares is told of with the connection.
	if (pub.app) conn.sharing.push(...on.facts);
	if (on.value) {
		conn.resumes = on.value.id;
		conn.machine = on.value.at;
	}
	return true;
}

function seekMachine(lab: Stage, conn: SimConnection): void {
	if (conn.resumes !== null) {
		gotMachine(lab, conn, conn.machine!);
		return;
	}
	const machine = freeMachine(lab, conn);
	if (machine) {
		gotMachine(lab, conn, machine);
		return;
	}
	lab.world.waiting.add(conn.id);
	lab.lineOf(conn).add(conn.id);
	lab.observe({
		kind: 'waiting',
		person: conn.person,
		publication: conn.publication,
		pools: conn.pools,
		began: lab.world.now
	});
	schedule(lab.world, lab.world.now + PATIENCE, { kind: 'patience', connection: conn.id });
}

export function stopWaiting(lab: Stage, conn: SimConnection): void {
	if (!lab.world.waiting.delete(conn.id)) return;
	lab.lineOf(conn).delete(conn.id);
	lab.observe({ kind: 'stopped waiting', person: conn.person, publication: conn.publication });
}

/** The machine to use, when one is ready. Starts a personal machine that is off. */
function freeMachine(lab: Stage, conn: SimConnection): string | null {
	const w = lab.world;
	for (const poolId of conn.pools) {
		const pool = lab.pools.get(poolId);
		if (!pool) continue;
		if (pool.assignment === 'personal') {
			let own = conn.own ?? (conn.another ? undefined : pool.machines.find((m) => w.broker.owners[m] === conn.person));
			if (!own) {
				own = pool.machines.find((m) => w.broker.owners[m] === undefined && w.machines.get(m)?.state !== 'failed');
				if (!own) continue;
				w.broker.owners[own] = conn.person;
				conn.own = own;
				lab.observe({ kind: 'owner', machine: own, person: conn.person });
			}
			const machine = w.machines.get(own);
			if (machine && machine.asideUntil > w.now) return null;
			if (machine?.state === 'off')
				powerOn(lab, machine, `started for ${w.people.get(conn.person)!.name}, whose machine it is`);
			if (machine && UP.has(machine.state) && machine.agent) return own;
			return null;
		}
		const candidates: Candidate[] = [];
		for (const m of lab.upOf(poolId)) {
			const sessions = m.sessions.length + m.coming;
			if (sessions < m.holds && m.agent && m.asideUntil <= w.now && lab.known.has(m.name))
				candidates.push({ name: m.name, sessions, holds: m.holds, strain: m.strain });
		}
		const seat = placeSession(candidates, pool.placing);
		if (seat.value) return seat.value;
	}
	return null;
}

function gotMachine(lab: Stage, conn: SimConnection, machine: string): void {
	const w = lab.world;
	stopWaiting(lab, conn);
	conn.machine = machine;
	if (conn.resumes === null) w.machines.get(machine)!.coming++;
	const ms = w.now - conn.phaseBegan;
	conn.phases.push({ name: 'waiting', ms, ...(ms > 5000 ? { cause: 'no machine was ready' } : {}) });
	conn.phase++;
	beginPhase(lab, conn);
}

/** Gives machines that have become ready to those who wait longest. */
export function serveWaiting(lab: Stage): void {
	const heads = [...lab.lines.values()].flatMap((line) => {
		const rest = line.values();
		const first = rest.next();
		return first.done ? [] : [{ rest, conn: lab.world.connections.get(first.value)! }];
	});
	while (heads.length) {
		const head = heads.reduce((a, b) => (waitsLonger(waitOf(b.conn), waitOf(a.conn)) ? b : a));
		const { conn } = head;
		const machine = freeMachine(lab, conn);
		if (machine) gotMachine(lab, conn, machine);
		// Where one found nothing, the next who may use the same shared pools finds nothing either.
		const full = !machine && conn.pools.every((p) => lab.pools.get(p)?.assignment === 'shared');
		const next = full ? undefined : head.rest.next();
		if (!next || next.done) heads.splice(heads.indexOf(head), 1);
		else head.conn = lab.world.connections.get(next.value)!;
	}
}

function opened(lab: Stage, conn: SimConnection): void {
	const w = lab.world;
	const person = w.people.get(conn.person)!;
	const machine = w.machines.get(conn.machine!)!;
	const habit = lab.habits.get(person.team)?.find((h) => h.publication === conn.publication);
	const app = w.broker.publications.find((p) => p.id === conn.publication)?.app ?? null;
	machine.failures = 0;
	let session = conn.resumes === null ? undefined : w.sessions.get(conn.resumes);
	if (session) {
		session.state = 'active';
		session.turn++;
		lab.observe({ kind: 'session', session: session.id, state: 'active', cause: 'the person came back' });
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
			cores: (habit?.cores ?? 0.5) * about(0.3, lab.seed, person.index, 61),
			memory: Math.round((habit?.memory ?? 3e9) * about(0.2, lab.seed, person.index, 62)),
			gpu: habit?.gpu ?? 0,
			rtt: roundTrip(lab.estate, person.site, machine.site) + uniform(lab.seed, conn.id, 63) * 4,
			turn: 0
		};
		w.sessions.set(session.id, session);
		machine.sessions.push(session.id);
		person.open.push(session.id);
		machine.coming--;
		conn.resumes = session.id;
		tell(lab, { kind: 'sign-in', machine: machine.name });
		if (!app) planApps(lab, session, conn.leaveAt);
	}
	conn.session = session.id;
	if (app === null) finish(lab, conn, 'open', [], null);
	if (machine.state === 'ready') lab.setState(machine, 'in use', `${person.name} signed in`);
	planLeaving(lab, session, person, conn.leaveAt);
	if (app !== null) {
		const there = runsOf(w, session.id).find((r) => r.package === app.package && r.target === app.target);
		conn.phase = PHASES.indexOf('app');
		conn.phaseBegan = w.now;
		if (there && there.version !== null) appReady(lab, conn.id, there.id, 'warm');
		else openApp(lab, session, app.package, app.target, conn.id, null);
	}
}

/** The app that a connection is for has its window. */
export function appReady(lab: Stage, id: number, run: number, start: StartKind): void {
	const conn = lab.world.connections.get(id);
	if (!conn || conn.result !== 'opening') return;
	const ms = lab.world.now - conn.phaseBegan;
	conn.phases.push({ name: 'app', ms, ...(start === 'warm' ? {} : { cause: START_WORDS[start] }) });
	conn.run = run;
	conn.start = start;
	finish(lab, conn, 'open', [], null);
}

/** The app that a connection is for cannot be started: a session that was for it alone ends. */
export function appFailed(lab: Stage, id: number, why: Fact[], advice: string): void {
	const conn = lab.world.connections.get(id);
	if (!conn || conn.result !== 'opening') return;
	finish(
		lab,
		conn,
		'lost',
		why.filter((f) => f.side === 'against'),
		advice
	);
	const session = conn.session === null ? undefined : lab.world.sessions.get(conn.session);
	if (session?.app && runsOf(lab.world, session.id).length === 0)
		endSession(lab, session.id, 'its app could not be started');
}

export function finish(
	lab: Stage,
	conn: SimConnection,
	result: SimConnection['result'],
	cause: Fact[],
	advice: string | null
): void {
	const w = lab.world;
	const coming = conn.machine !== null && conn.resumes === null ? w.machines.get(conn.machine) : undefined;
	if (coming) coming.coming--;
	conn.result = result;
	conn.cause = cause;
	conn.advice = advice;
	conn.ended = w.now;
	const person = w.people.get(conn.person)!;
	const device = conn.endpoint === undefined ? undefined : w.endpoints.get(conn.endpoint);
	if (conn.session === null) getUp(lab, person);
	lab.observe({
		kind: 'connection',
		id: conn.id,
		person: conn.person,
		publication: conn.publication,
		gateway: conn.gateway,
		protocol: conn.protocol,
		address: person.address,
		// Nothing that has never reached Sextant is known there.
		endpoint: device?.found ? { serial: device.serial, key: device.key } : null,
		began: conn.began,
		result: result as 'open',
		machine: conn.machine,
		session: conn.session,
		phases: conn.phases,
		cause
	});
	// People try again, a few times, after a while; not when they were refused.
	if ((result === 'lost' || result === 'gave up') && conn.leaveAt !== null && conn.tries < 3) {
		const again = w.now + Math.round((1 + uniform(lab.seed, conn.id, 90) * 12) * MINUTE);
		if (again < conn.leaveAt)
			schedule(w, again, {
				kind: 'visit',
				person: conn.person,
				publication: conn.publication,
				leaveAt: conn.leaveAt,
				tries: conn.tries + 1
			});
	}
}

/** Gives up for somebody who has waited as long as people do. */
export function patienceOver(lab: Stage, id: number): void {
	const c = lab.world.connections.get(id);
	if (c?.result !== 'opening' || PHASES[c.phase] !== 'waiting') return;
	stopWaiting(lab, c);
	finish(
		lab,
		c,
		'gave up',
		[{ words: `no machine became free within ${PATIENCE / MINUTE} minutes`, side: 'against', source: 'broker' }],
		'All machines are taken. Try again a little later.'
	);
}

const waitOf = (c: SimConnection): Waiting => ({ since: c.phaseBegan, id: c.id });
