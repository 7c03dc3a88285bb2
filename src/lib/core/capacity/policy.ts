import { inHours, hoursWords, type Hours } from '../time/hours';
import { durationWords, countWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';
import type { Placing } from './placement';

/** How a pool keeps capacity. Headroom is counted in sessions that could start at once. */
export interface PowerPolicy {
	hours: Hours;
	headroomIn: number;
	headroomOut: number;
	/** Fewest and most machines up. */
	least: number;
	most: number;
	/** How long a machine has to be idle before it is switched off, ms. */
	patience: number;
	placing: Placing;
}

/** Seats that a policy keeps ready at a moment. */
export const headroomAt = (policy: PowerPolicy, zone: string, now: number): number =>
	inHours(policy.hours, zone, now) ? policy.headroomIn : policy.headroomOut;

/** A machine as the engine sees it at this minute. */
export interface PowerMachine {
	name: string;
	state: 'off' | 'starting' | 'agent up' | 'ready' | 'in use' | 'leaving' | 'failed';
	sessions: number;
	/** When its last session ended or it became ready, ms UTC. */
	idleSince: number;
	/** An operator or a runbook works on it: the policy keeps its hands off. */
	held: boolean;
}

export interface PowerAction {
	machine: string;
	action: 'start' | 'stop';
	why: Fact[];
}

const UP = new Set(['starting', 'agent up', 'ready', 'in use', 'leaving']);

/**
 * What the policy does with a shared pool at this minute. Starts enough machines that free seats, counting
 * those on the way up, reach the headroom plus the people waiting; stops machines that have been idle for
 * longer than the patience while the headroom still holds without them. Never stops a machine under anyone,
 * never goes below `least` or above `most`.
 *
 * @param perMachine sessions that one machine holds
 * @param waiting people waiting for a machine right now
 */
export function decidePower(
	policy: PowerPolicy,
	zone: string,
	now: number,
	perMachine: number,
	machines: PowerMachine[],
	waiting: number
): Explained<PowerAction[]> {
	const working = inHours(policy.hours, zone, now);
	const headroom = headroomAt(policy, zone, now);
	const up = machines.filter((m) => UP.has(m.state));
	const usable = up.filter((m) => m.state !== 'leaving');
	const inUse = usable.reduce((n, m) => n + m.sessions, 0);
	const free = usable.length * perMachine - inUse;
	const wanted = headroom + waiting;

	const facts: Fact[] = [
		{
			words: working
				? `it is in hours (${hoursWords(policy.hours)})`
				: `it is outside hours (${hoursWords(policy.hours)})`,
			source: 'policy'
		},
		{
			words: `${countWords(free, 'seat')} free on ${countWords(usable.length, 'machine')} up or starting, ${inUse} in use`,
			source: 'measured'
		},
		{ words: `${countWords(headroom, 'seat')} are to be kept ready`, source: 'policy' }
	];
	if (waiting)
		facts.push({ words: `${countWords(waiting, 'person', 'people')} waiting for a machine`, source: 'broker' });

	const actions: PowerAction[] = [];
	const missing = Math.max(Math.ceil((wanted - free) / perMachine), policy.least - up.length);
	if (missing > 0) {
		const room = policy.most - up.length;
		const start = Math.min(missing, room);
		const off = machines
			.filter((m) => m.state === 'off' && !m.held)
			.sort(byName)
			.slice(0, Math.max(0, start));
		if (missing > room)
			facts.push({
				words: `${countWords(missing, 'machine')} more are needed, but the policy allows ${policy.most} up`,
				side: 'against',
				source: 'policy'
			});
		if (off.length < start)
			facts.push({
				words: `${countWords(start, 'machine')} should start, but only ${off.length} are off and free to start`,
				side: 'against',
				source: 'measured'
			});
		for (const m of off) {
			actions.push({
				machine: m.name,
				action: 'start',
				why: [
					...facts,
					{
						words:
							free < wanted
								? `${countWords(wanted - free, 'seat')} missing`
								: `fewer than ${policy.least} machines were up`,
						side: 'for'
					}
				]
			});
		}
		return { value: actions, facts };
	}

	let spare = Math.floor((free - wanted) / perMachine);
	let stoppable = up.length - policy.least;
	const idle = machines
		.filter((m) => m.state === 'ready' && m.sessions === 0 && !m.held && now - m.idleSince >= policy.patience)
		.sort((a, b) => a.idleSince - b.idleSince || byName(a, b));
	for (const m of idle) {
		if (spare <= 0 || stoppable <= 0) break;
		spare--;
		stoppable--;
		actions.push({
			machine: m.name,
			action: 'stop',
			why: [
				...facts,
				{
					words: `idle for ${durationWords(now - m.idleSince)}, longer than the patience of ${durationWords(policy.patience)}`,
					side: 'for',
					source: 'measured'
				}
			]
		});
	}
	return { value: actions, facts };
}

const byName = (a: PowerMachine, b: PowerMachine) => (a.name < b.name ? -1 : 1);
