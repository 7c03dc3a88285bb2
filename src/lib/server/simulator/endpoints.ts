import { UNKNOWN_DEVICE, type DeviceProof } from '$lib/core/endpoints/proof';
import { ON_A_WIRE } from '$lib/core/endpoints/kinds';
import { MINUTE } from '$lib/core/time/units';
import { schedule } from './agenda';
import { sleepAfter } from './applied';
import { finds } from './calling';
import { hashText, uniform } from './random';
import type { Stage } from './stage';
import type { SimEndpoint, SimPerson } from './state';

/** A device that has not found where to call asks again after this long. */
const AGAIN = 30 * MINUTE;
/** Share of the starts of what has no wire that are on battery. */
const ON_BATTERY = 0.3;

/** What whoever observes is told of a device. */
export function tellOf(lab: Stage, e: SimEndpoint, person: string | null, event: 'started' | 'taken' | 'sleeps'): void {
	const { serial, name, kind: device, model, hardware, firmware, key } = e;
	const what = {
		serial,
		name,
		device,
		model,
		hardware,
		firmware,
		key,
		address: e.address ?? '',
		battery: e.battery === true
	};
	lab.observe({ kind: 'endpoint', ...what, person, event });
}

/**
 * A device that is awake calls in. One that has never reached Sextant has to learn where it is from its network first, and asks again and
 * again; the others know. Answers whether it was heard.
 */
function callIn(lab: Stage, e: SimEndpoint, event: 'started' | 'taken'): boolean {
	if (!e.found && !finds({ estate: lab.estate, faults: lab.world.faults }, e.site)) {
		schedule(lab.world, lab.world.now + AGAIN, { kind: 'endpoint calls', endpoint: e.id, turn: e.turn });
		return false;
	}
	// What has no wire is on battery at some starts and not at others.
	if (event === 'started')
		e.battery = !ON_A_WIRE.has(e.kind) && uniform(lab.seed, hashText(e.id), lab.world.now % 1e9, 84) < ON_BATTERY;
	const first = !e.found;
	e.found = true;
	tellOf(lab, e, e.on ?? null, first ? 'started' : event);
	return true;
}

/** A device that has not found where to call asks again. */
export function callsAgain(lab: Stage, id: string, turn: number): void {
	const e = lab.world.endpoints.get(id);
	if (!e?.awake || e.turn !== turn || e.found || !callIn(lab, e, 'started')) return;
	if (e.on === undefined) sleepSoon(lab, e);
}

/** Nobody is on it: it goes to sleep after a while, if its settings say so. */
export function sleepSoon(lab: Stage, e: SimEndpoint): void {
	const after = sleepAfter(lab, e);
	if (after !== null)
		schedule(lab.world, lab.world.now + after, { kind: 'endpoint sleeps', endpoint: e.id, turn: e.turn });
}

/** What somebody sits at: whoever has gone to another site has left it where it stood. */
export function deviceOf(lab: Stage, person: SimPerson): SimEndpoint | undefined {
	const e = person.endpoint === undefined ? undefined : lab.world.endpoints.get(person.endpoint);
	return e?.site === person.site && e.gone === undefined ? e : undefined;
}

/** What a device shows at a gateway, which was told whom not to trust. */
export function shownBy(lab: Stage, e: SimEndpoint | undefined): DeviceProof {
	if (!e) return UNKNOWN_DEVICE;
	const { name, certificate: c } = e;
	if (!c) return { name, certificate: 'none' };
	if (lab.world.distrusted.has(c.number)) return { name, certificate: 'revoked' };
	return { name, certificate: c.ends <= lab.world.now ? 'ended' : 'good' };
}

/** Somebody sits down: what they sit at starts, and calls in. */
export function sitDown(lab: Stage, person: SimPerson): void {
	const e = deviceOf(lab, person);
	if (!e) return;
	e.turn++;
	if (e.awake && e.on === person.login) return;
	const was = e.awake;
	e.awake = true;
	e.on = person.login;
	callIn(lab, e, was ? 'taken' : 'started');
}

/** Somebody has left, or closed something: with nothing open in front of them what they sit at sleeps, unless somebody comes back. */
export function getUp(lab: Stage, person: SimPerson): void {
	const e = person.endpoint === undefined ? undefined : lab.world.endpoints.get(person.endpoint);
	if (!e?.awake || e.on !== person.login) return;
	if (person.open.some((id) => lab.world.sessions.get(id)?.state === 'active')) return;
	e.turn++;
	sleepSoon(lab, e);
}

/** A device that nobody has come back to goes to sleep. */
export function sleeps(lab: Stage, id: string, turn: number): void {
	const e = lab.world.endpoints.get(id);
	if (!e?.awake || e.turn !== turn) return;
	e.awake = false;
	e.on = undefined;
	if (e.found) tellOf(lab, e, null, 'sleeps');
}

/** A device is switched on by somebody who only looks whether it works. One that nobody answers stays awake, and asks on. */
export function switchOn(lab: Stage, id: string): boolean {
	const e = lab.world.endpoints.get(id);
	if (!e || e.gone === 'broken') return false;
	e.turn++;
	e.awake = true;
	e.on = undefined;
	if (callIn(lab, e, 'started')) sleepSoon(lab, e);
	return true;
}
