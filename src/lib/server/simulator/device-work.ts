import { sendTime } from '$lib/core/endpoints/firmware';
import { MINUTE, SECOND } from '$lib/core/time/units';
import { schedule } from './agenda';
import { sleepSoon, tellOf } from './endpoints';
import { uniform } from './random';
import { setAside } from './sessions';
import type { Stage } from './stage';
import type { SimEndpoint, SimSession } from './state';

/** A device takes so long from going down until it calls in again, ms. */
const STARTS_IN = 75 * SECOND;
/** Writing firmware takes so long once it is there, ms. */
const WRITES_IN = 90 * SECOND;

/** What is open from a device, by whoever is on it. */
const openOn = (lab: Stage, e: SimEndpoint): SimSession[] =>
	(e.on === undefined ? [] : (lab.world.people.get(e.on)?.open ?? [])).flatMap((id) => {
		const s = lab.world.sessions.get(id);
		return s?.state === 'active' ? [s] : [];
	});

/** Sets aside what is open from a device; whoever was in it takes it up again after a while, unless they meant to leave by then. */
function interrupt(lab: Stage, e: SimEndpoint, cause: string, after: number): void {
	const w = lab.world;
	for (const s of openOn(lab, e)) {
		const leaveAt = [...w.connections.values()].findLast((c) => c.session === s.id)?.leaveAt ?? null;
		setAside(lab, s, cause);
		const back = w.now + after + Math.round(uniform(lab.seed, s.id, s.turn, 83) * 2 * MINUTE);
		if (leaveAt !== null && back < leaveAt)
			schedule(w, back, { kind: 'visit', person: s.person, publication: s.publication, leaveAt, tries: 0 });
	}
}

/** A device starts anew. Answers whether there is one that is awake. */
export function restartDevice(lab: Stage, id: string): boolean {
	const e = lab.world.endpoints.get(id);
	if (!e?.awake) return false;
	interrupt(lab, e, 'the endpoint was restarted', STARTS_IN);
	e.turn++;
	e.awake = false;
	e.on = undefined;
	if (e.found) tellOf(lab, e, null, 'sleeps');
	schedule(lab.world, lab.world.now + STARTS_IN, { kind: 'endpoint starts', endpoint: id });
	return true;
}

/** A device locks its screen: nobody is on it until somebody signs in there again. */
export function lockDevice(lab: Stage, id: string): boolean {
	const e = lab.world.endpoints.get(id);
	if (!e?.awake) return false;
	interrupt(lab, e, 'the endpoint was locked', 30 * SECOND);
	e.turn++;
	e.on = undefined;
	if (e.found) tellOf(lab, e, null, 'taken');
	sleepSoon(lab, e);
	return true;
}

/** A device shows a text on its screen. */
export function showOn(lab: Stage, id: string, text: string): boolean {
	const e = lab.world.endpoints.get(id);
	if (!e?.awake) return false;
	e.shown = { text, at: lab.world.now };
	return true;
}

/** A device fetches firmware over the link of its site, and starts with it. It stays awake until then, unless somebody comes. */
export function beginFirmware(lab: Stage, id: string, version: string): boolean {
	const e = lab.world.endpoints.get(id);
	const there = lab.estate.endpoints.firmware.find((f) => f.model === e?.model && f.version === version);
	if (!e?.awake || !there) return false;
	const mbit = Math.max(0, ...(lab.estate.sites.find((s) => s.id === e.site)?.links.map((l) => l.mbit) ?? []));
	e.turn++;
	const ms = WRITES_IN + (mbit > 0 ? sendTime(there.size, mbit) : 0);
	schedule(lab.world, lab.world.now + Math.round(ms), {
		kind: 'endpoint firmware',
		endpoint: id,
		version,
		turn: e.turn
	});
	return true;
}

/** A device has fetched its firmware. Where somebody has come meanwhile, or it went to sleep, nothing has come of it. */
export function firmwareTaken(lab: Stage, id: string, version: string, turn: number): void {
	const e = lab.world.endpoints.get(id);
	if (!e?.awake || e.turn !== turn) return;
	e.firmware = version;
	restartDevice(lab, id);
}
