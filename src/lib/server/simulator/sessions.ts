import { durationWords, MINUTE, SECOND } from '$lib/core/time/units';
import { schedule } from './agenda';
import { closeAll, emptyOverlays, tell } from './apps';
import { endsWhenSetAside } from './applied';
import { getUp } from './endpoints';
import { localDay, USUAL_PATTERN, workDay } from './people';
import { uniform } from './random';
import type { Stage } from './stage';
import type { SimPerson, SimSession } from './state';

export function planLeaving(lab: Stage, session: SimSession, person: SimPerson, leaveAt: number | null): void {
	const w = lab.world;
	if (leaveAt === null) return;
	const work = workDay(person, lab.patterns.get(person.pattern) ?? USUAL_PATTERN, localDay(person, w.now), lab.seed);
	const lunch = work?.lunch;
	if (lunch && lunch.from > w.now && lunch.until < leaveAt)
		schedule(w, lunch.from, { kind: 'lunch', session: session.id, turn: session.turn, back: lunch.until, leaveAt });
	const how = uniform(lab.seed, session.id, 80) < 0.78 ? 'sign out' : 'disconnect';
	schedule(w, Math.max(leaveAt, w.now + 2 * MINUTE), { kind: 'leave', session: session.id, turn: session.turn, how });
}

export function setAside(lab: Stage, session: SimSession, cause: string): void {
	session.state = 'disconnected';
	session.turn++;
	lab.observe({ kind: 'session', session: session.id, state: 'disconnected', cause });
	const person = lab.world.people.get(session.person)!;
	getUp(lab, person);
	const after = endsWhenSetAside(lab, lab.world.machines.get(session.machine)!, person);
	if (after !== null)
		schedule(lab.world, lab.world.now + after, { kind: 'limit', session: session.id, turn: session.turn, after });
}

export function signOut(lab: Stage, session: SimSession, cause: string): void {
	session.turn++;
	schedule(lab.world, lab.world.now + Math.round((6 + uniform(lab.seed, session.id, 81) * 12) * SECOND), {
		kind: 'ended',
		session: session.id,
		cause
	});
}

/** Takes a session out of the world and off its person. */
export function forget(lab: Stage, session: SimSession): void {
	const person = lab.world.people.get(session.person)!;
	lab.world.sessions.delete(session.id);
	emptyOverlays(lab.world, (o) => o.session === session.id);
	person.open = person.open.filter((id) => id !== session.id);
	getUp(lab, person);
}

export function endSession(lab: Stage, id: number, cause: string): void {
	const w = lab.world;
	const session = w.sessions.get(id);
	if (!session) return;
	closeAll(lab, id);
	forget(lab, session);
	lab.observe({ kind: 'session', session: id, state: 'ended', cause });
	const machine = w.machines.get(session.machine);
	if (!machine) return;
	tell(lab, { kind: 'sign-out', machine: machine.name });
	machine.sessions = machine.sessions.filter((s) => s !== id);
	if (machine.sessions.length === 0 && machine.state === 'in use') {
		if (machine.users === 'single') {
			lab.setState(machine, 'leaving', 'its person has signed out');
			schedule(w, w.now + 25 * SECOND, { kind: 'boot', machine: machine.name, life: machine.life, stage: 'ready' });
		} else lab.setState(machine, 'ready', 'its last person has signed out');
	}
	if (w.waiting.size) lab.does.serveWaiting();
}

/** Somebody leaves: by signing out, or by simply going. */
export function leave(lab: Stage, h: { session: number; turn: number; how: 'sign out' | 'disconnect' }): void {
	const s = lab.world.sessions.get(h.session);
	if (!s || s.turn !== h.turn) return;
	if (h.how === 'sign out') signOut(lab, s, 'the person signed out');
	else setAside(lab, s, 'the person left without signing out');
}

/** Somebody goes to lunch, and comes back. */
export function lunch(lab: Stage, h: { session: number; turn: number; back: number; leaveAt: number }): void {
	const s = lab.world.sessions.get(h.session);
	if (!s || s.turn !== h.turn) return;
	setAside(lab, s, 'the person is away');
	schedule(lab.world, h.back, {
		kind: 'visit',
		person: s.person,
		publication: s.publication,
		leaveAt: h.leaveAt,
		tries: 0
	});
}

/** A session has been left disconnected for too long. */
export function limit(lab: Stage, h: { session: number; turn: number; after: number }): void {
	const s = lab.world.sessions.get(h.session);
	if (s && s.turn === h.turn && s.state === 'disconnected')
		signOut(lab, s, `it was left disconnected for ${durationWords(h.after)}`);
}
