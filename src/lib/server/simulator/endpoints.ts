import { MINUTE } from '$lib/core/time/units';
import { schedule } from './agenda';
import type { Stage } from './stage';
import type { SimPerson } from './state';

/** A device that nobody is on goes to sleep after this long. */
const IDLE = 10 * MINUTE;

/** Somebody sits down: what they sit at starts, and calls in. */
export function sitDown(lab: Stage, person: SimPerson): void {
	const e = person.endpoint === undefined ? undefined : lab.world.endpoints.get(person.endpoint);
	// Somebody who has gone to another site has left it where it stood.
	if (!e || e.site !== person.site) return;
	e.turn++;
	if (e.awake && e.on === person.login) return;
	const was = e.awake;
	e.awake = true;
	e.on = person.login;
	lab.observe({
		kind: 'endpoint',
		serial: e.serial,
		name: e.name,
		device: e.kind,
		model: e.model,
		hardware: e.hardware,
		firmware: e.firmware,
		key: e.key,
		address: e.address ?? '',
		person: person.login,
		event: was ? 'taken' : 'started'
	});
}

/** Somebody has left, or closed something: with nothing open in front of them what they sit at sleeps, unless somebody comes back. */
export function getUp(lab: Stage, person: SimPerson): void {
	const e = person.endpoint === undefined ? undefined : lab.world.endpoints.get(person.endpoint);
	if (!e?.awake || e.on !== person.login) return;
	if (person.open.some((id) => lab.world.sessions.get(id)?.state === 'active')) return;
	e.turn++;
	schedule(lab.world, lab.world.now + IDLE, { kind: 'endpoint sleeps', endpoint: e.id, turn: e.turn });
}

/** A device that nobody has come back to goes to sleep. */
export function sleeps(lab: Stage, id: string, turn: number): void {
	const e = lab.world.endpoints.get(id);
	if (!e?.awake || e.turn !== turn) return;
	e.awake = false;
	delete e.on;
	lab.observe({
		kind: 'endpoint',
		serial: e.serial,
		name: e.name,
		device: e.kind,
		model: e.model,
		hardware: e.hardware,
		firmware: e.firmware,
		key: e.key,
		address: e.address ?? '',
		person: null,
		event: 'sleeps'
	});
}

/** A device is switched on by somebody who only looks whether it works: at the lab's bench. */
export function switchOn(lab: Stage, id: string): boolean {
	const e = lab.world.endpoints.get(id);
	if (!e) return false;
	e.turn++;
	e.awake = true;
	delete e.on;
	const { serial, name, kind: device, model, hardware, firmware, key, address } = e;
	lab.observe({
		kind: 'endpoint',
		serial,
		name,
		device,
		model,
		hardware,
		firmware,
		key,
		address: address ?? '',
		person: null,
		event: 'started'
	});
	schedule(lab.world, lab.world.now + IDLE, { kind: 'endpoint sleeps', endpoint: e.id, turn: e.turn });
	return true;
}
