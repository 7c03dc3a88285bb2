import { channelOf, intoIt, PASSAGES, type Passage } from '$lib/core/reach/channels';
import type { Given } from '$lib/core/reach/enforce';
import { OTHERWISE, type AccessRule, type Circumstances } from '$lib/core/reach/rules';
import { isHere } from '$lib/core/people/record';
import { isoDate, wallTime } from '$lib/core/time/zone';
import type { Passed, Passes } from '../providers';
import { browsingOf, countShare, tally, UNPROVEN, usedToday, type Wisher } from './browsing';
import { mayOpen } from './sign-in';
import type { Stage } from './stage';

/** What passes between a session and the device in front of its person: what the grant gives, as far as the rules that were told last let it. */

/** Somebody at work in a session that they opened, with what stands between it and their device; null: there is none. */
function atWork(lab: Stage, connection: number) {
	const { world: w } = lab;
	const conn = w.connections.get(connection);
	const session = conn?.session == null ? undefined : w.sessions.get(conn.session);
	const p = conn && w.people.get(conn.person);
	const browsing = browsingOf(lab);
	const { guard } = browsing;
	if (!session || session.state !== 'active' || !p || !isHere(p, w.now) || !guard) return null;
	const device = conn.endpoint === undefined ? undefined : w.endpoints.get(conn.endpoint);
	const machine = w.machines.get(session.machine);
	const wall = wallTime(p.zone, w.now);
	const minute = (wall.weekday - 1) * 1440 + wall.minute;
	const c: Circumstances = {
		...(device ? browsing.provenBy(device) : UNPROVEN),
		pool: machine?.pool ?? null,
		address: p.address || null,
		minute,
		onDuty: browsing.onDuty(p, wall.day),
		holiday: guard.isHoliday(p.site, isoDate(p.zone, w.now)),
		way: 'device'
	};
	const pub = w.broker.publications.find((x) => x.id === conn.publication);
	const channels = pub ? mayOpen(lab, p, pub, device, conn.secondFactor).value.channels : [];
	const { reacher } = browsing.person(p);
	const by: Wisher = {
		who: { person: p, reacher, day: wall.day },
		draws: [p.index, 0],
		device,
		machine: machine?.name ?? null,
		address: p.address,
		c,
		hours: guard.world.minuteClass(minute)
	};
	const given = (reason: boolean): Given => ({ factor: conn.secondFactor, reason });
	const used = (rule: AccessRule) => usedToday(w, p.login, rule.id, wall.day);
	return {
		guard,
		by,
		granted: (passage: Passage) => channels.includes(channelOf(passage)),
		decide: (passage: Passage, bytes: number, reason = false) =>
			guard.decide(reacher, { kind: 'channel', passage, bytes }, c, given(reason), used)
	};
}

/** What passes between the session of a connection and the device in front of its person: by each way how much at once. */
export function passesOf(lab: Stage, connection: number): Passes[] {
	const at = atWork(lab, connection);
	if (!at) return [];
	return PASSAGES.map((passage): Passes => {
		const sizes = at.guard.world.sizesOf(passage);
		let upTo = 0;
		for (const bytes of [...sizes, null]) {
			const verdict = at.decide(passage, bytes ?? (sizes.at(-1) ?? 0) + 1);
			if (!verdict.through) return { passage, granted: at.granted(passage), upTo, held: verdict };
			if (bytes !== null) upTo = bytes;
		}
		return { passage, granted: at.granted(passage), upTo: null, held: null };
	});
}

/** So many bytes at once are to pass one way through the session of a connection. */
export function passThrough(
	lab: Stage,
	connection: number,
	passage: Passage,
	bytes: number,
	reason: string | null
): Passed {
	const at = atWork(lab, connection);
	if (!at?.granted(passage))
		return { through: false, effect: 'refuse', rule: OTHERWISE, words: null, asked: null, granted: false };
	const verdict = at.decide(passage, bytes, reason !== null);
	const moved = verdict.through ? bytes : 0;
	const into = intoIt(passage);
	if (verdict.through) countShare(lab.world, at.guard, at.by.who!, verdict.rule, moved, 0);
	const said = verdict.effect === 'reason' ? reason : null;
	const sums = { said, decisions: 1, down: into ? 0 : moved, up: into ? moved : 0 };
	tally(lab, at.by, { kind: 'channel', passage, bytes }, 'device', verdict, sums);
	return { ...verdict, granted: true };
}
