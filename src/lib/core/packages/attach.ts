import type { Explained, Fact } from '../why/explained';
import { contested, type Claims } from './attaching';

/** When a package is present on the machines of a pool. */
export const ATTACH_MODES = ['start', 'sign-in', 'launch'] as const;
export type AttachMode = (typeof ATTACH_MODES)[number];

export const ATTACH_MODE_WORDS: Record<AttachMode, string> = {
	start: 'present from the start of the machine',
	'sign-in': 'attached at sign-in',
	launch: 'attached at the first launch'
};

/** What a pool is to have of a package. */
export interface Wanted {
	package: string;
	version: string;
	mode: AttachMode;
}

export type AttachState = 'attaching' | 'attached' | 'detaching';

/** A version of a package on a machine. */
export interface Attached {
	version: string;
	state: AttachState;
	/** Launches of it that are open. */
	open: number;
}

/** What is on one machine, as far as packages go. */
export interface MachinePackages {
	up: boolean;
	sessions: number;
	/** By package. */
	present: ReadonlyMap<string, readonly Attached[]>;
	/** Launches that wait for a package to be attached, by package. */
	waiting: ReadonlyMap<string, number>;
}

export interface AttachAction {
	action: 'attach' | 'detach';
	package: string;
	version: string;
	why: Fact[];
}

/** What a version lays claim to; null where that is nothing, or not known. */
export type ClaimsOf = (name: string, version: string) => Claims | null;

/** Which versions may stand in each other's way on a machine, and which are left alone just now because they failed. */
export interface Contest {
	claimsOf: ClaimsOf;
	resting: (name: string, version: string) => boolean;
}

const NO_CONTEST: Contest = { claimsOf: () => null, resting: () => false };

/**
 * What is to be done on a machine so that it has the packages that its pool wants. Nothing is taken away before what replaces
 * it is there; nothing that is open is taken away at all; what nobody needs goes. Of two that want the same service or port
 * the first in the order has it, whichever came first: the other one gives way once nobody has it open.
 */
export function decideAttach(
	m: MachinePackages,
	wanted: readonly Wanted[],
	contest: Contest = NO_CONTEST
): AttachAction[] {
	if (!m.up) return [];
	const actions: AttachAction[] = [];
	const say = (words: string, side?: Fact['side']): Fact => ({ words, ...(side ? { side } : {}), source: 'delivery' });
	const wishes = new Map(wanted.map((w) => [w.package, w]));
	const givesWay = new Set<string>();
	for (const w of wanted) {
		const present = m.present.get(w.package) ?? [];
		const due = isDue(m, w, present);
		const target = present.find((p) => p.version === w.version);
		if (!due || target || comesFirst(m, w, wanted, contest)) continue;
		const later = laterThan(m, w, contest);
		if (later.length === 0 || later.some((l) => l.entry.open > 0))
			actions.push({
				action: 'attach',
				package: w.package,
				version: w.version,
				why: [
					say(`its pool wants ${w.package} ${w.version}, ${ATTACH_MODE_WORDS[w.mode]}`),
					say(
						w.mode === 'start'
							? 'the machine is up'
							: w.mode === 'sign-in'
								? 'somebody is signed in'
								: 'somebody starts it',
						'for'
					)
				]
			});
		else if (!contest.resting(w.package, w.version))
			for (const { name, entry, what } of later) {
				const key = `${name} ${entry.version}`;
				if (entry.state !== 'attached' || givesWay.has(key)) continue;
				givesWay.add(key);
				actions.push({
					action: 'detach',
					package: name,
					version: entry.version,
					why: [
						say(`${w.package}, which comes first in the order, is to have ${what}`),
						say('nobody has it open', 'for')
					]
				});
			}
	}
	for (const [name, present] of m.present) {
		const wish = wishes.get(name);
		const replaced = wish !== undefined && present.some((p) => p.version === wish.version && p.state === 'attached');
		for (const p of present) {
			if (p.state !== 'attached' || p.open > 0 || givesWay.has(`${name} ${p.version}`)) continue;
			const is = wish?.version === p.version;
			const due = wish !== undefined && isDue(m, wish, present);
			if (is && due) continue;
			// Whoever starts it meanwhile needs what is there, until the other one has come.
			if (!is && wish !== undefined && due && !replaced) continue;
			if ((m.waiting.get(name) ?? 0) > 0 && !replaced) continue;
			actions.push({
				action: 'detach',
				package: name,
				version: p.version,
				why: [
					say(
						wish === undefined
							? 'its pool no longer has the package'
							: is
								? wish.mode === 'sign-in'
									? 'nobody is signed in any more'
									: 'nobody has it open any more'
								: `${wish.version} has taken its place`
					),
					say('nobody has it open', 'for')
				]
			});
		}
	}
	return actions;
}

function isDue(m: MachinePackages, w: Wanted, present: readonly Attached[]): boolean {
	if (w.mode === 'start') return true;
	if (w.mode === 'sign-in') return m.sessions > 0;
	return (m.waiting.get(w.package) ?? 0) > 0 || present.some((p) => p.open > 0);
}

/** Whether something that comes first in the order, and is on its way, will have what a wanted one lays claim to. */
function comesFirst(m: MachinePackages, w: Wanted, wanted: readonly Wanted[], contest: Contest): boolean {
	const own = contest.claimsOf(w.package, w.version);
	return (
		own !== null &&
		wanted.some((v) => {
			const claims = v.package === w.package ? null : contest.claimsOf(v.package, v.version);
			if (!claims || claims.order >= own.order || contested(own, claims) === null) return false;
			const present = m.present.get(v.package) ?? [];
			if (!isDue(m, v, present) || contest.resting(v.package, v.version)) return false;
			return present.find((p) => p.version === v.version)?.state !== 'attached';
		})
	);
}

/** What is on a machine, comes later in the order than a wanted one, and has what that lays claim to. */
function laterThan(m: MachinePackages, w: Wanted, contest: Contest): { name: string; entry: Attached; what: string }[] {
	const own = contest.claimsOf(w.package, w.version);
	if (!own) return [];
	return [...m.present].flatMap(([name, entries]) =>
		entries.flatMap((entry) => {
			const claims = name === w.package ? null : contest.claimsOf(name, entry.version);
			const what = claims && claims.order > own.order ? contested(own, claims) : null;
			return what === null ? [] : [{ name, entry, what }];
		})
	);
}

/**
 * The version that a launch starts: the wanted one where it is there, else another that is still there, so that a start never
 * fails while versions change; null where the package has to be attached first, and the launch waits for it.
 */
export function versionToStart(present: readonly Attached[], wanted: string | null): Explained<string | null> {
	const there = present.filter((p) => p.state === 'attached');
	const facts: Fact[] = [];
	const say = (words: string, side: Fact['side']) => facts.push({ words, side, source: 'delivery' });
	const target = there.find((p) => p.version === wanted);
	if (target) {
		say(`${target.version} is there, which its pool wants`, 'for');
		return { value: target.version, facts };
	}
	const other = there.find((p) => p.open > 0) ?? there[0];
	if (other) {
		say(wanted === null ? 'its pool no longer has the package' : `${wanted} is not there yet`, 'against');
		say(`${other.version} still is`, 'for');
		return { value: other.version, facts };
	}
	say(wanted === null ? 'its pool does not have the package' : `${wanted} is attached first`, 'against');
	return { value: null, facts };
}

/** What happens to machines, as the agent on each reports it. */
export type AttachEvent =
	| { kind: 'up'; machine: string; pool: string }
	| { kind: 'down' | 'gone'; machine: string }
	| { kind: 'sign-in' | 'sign-out'; machine: string }
	| { kind: 'open' | 'close'; machine: string; package: string; version: string }
	| { kind: 'wait' | 'waited' | 'retry'; machine: string; package: string }
	| {
			kind: 'attached' | 'attach failed' | 'detached' | 'detach refused';
			machine: string;
			package: string;
			version: string;
	  }
	| { kind: 'want'; pool: string; wanted: Wanted[] };

/** What is known of one machine: plain values, so that it can be stored. */
export interface Known {
	pool: string;
	up: boolean;
	sessions: number;
	present: Map<string, Attached[]>;
	waiting: Map<string, number>;
	/** Versions that failed, until when they are left alone. */
	failed: Map<string, { until: number; times: number }>;
}

/** What an engine knows: what it goes on from after a restart. */
export interface AttachBooks {
	machines: Map<string, Known>;
	/** By pool. */
	wanted: Map<string, Wanted[]>;
}

/** A version that failed to attach is tried again after a minute, then twice as long each time, up to an hour. */
const RETRY = 60_000;
const LONGEST = 3_600_000;

/**
 * Keeps every machine's packages as its pool wants them. Fed with events, it answers with what is to be done; it looks only at
 * the machines that an event is about. What it orders is under way until the agent reports how it ended.
 */
export class AttachEngine {
	private readonly machines: Map<string, Known>;
	private readonly wanted: Map<string, Wanted[]>;
	private readonly pools = new Map<string, Set<string>>();
	/** No version that failed comes due before this, ms UTC. */
	private noneBefore = -Infinity;

	/** Goes on from `books`, which it keeps up; `claimsOf` tells what versions want for themselves alone. */
	constructor(
		books: AttachBooks = { machines: new Map(), wanted: new Map() },
		private readonly claimsOf: ClaimsOf = NO_CONTEST.claimsOf
	) {
		this.machines = books.machines;
		this.wanted = books.wanted;
		for (const [name, m] of this.machines) this.poolOf(m.pool).add(name);
	}

	private poolOf(pool: string): Set<string> {
		let own = this.pools.get(pool);
		if (!own) this.pools.set(pool, (own = new Set()));
		return own;
	}

	/** Takes an event in; `now` in ms UTC. Returns the orders that follow, by machine. */
	take(event: AttachEvent, now: number): (AttachAction & { machine: string })[] {
		if (event.kind === 'want') {
			this.wanted.set(event.pool, event.wanted);
			// Somebody has chosen anew: what failed is worth another try.
			const own = [...(this.pools.get(event.pool) ?? [])];
			for (const name of own) this.machines.get(name)!.failed.clear();
			return own.flatMap((name) => this.orders(name, now));
		}
		if (event.kind === 'gone') {
			this.pools.get(this.machines.get(event.machine)?.pool ?? '')?.delete(event.machine);
			this.machines.delete(event.machine);
			return [];
		}
		// Only a machine that comes up is a new one: what is told late of one that has been removed brings it back to nobody.
		if (event.kind !== 'up' && !this.machines.has(event.machine)) return [];
		const m = this.known(event.machine, event.kind === 'up' ? event.pool : undefined);
		switch (event.kind) {
			case 'up':
				Object.assign(m, { up: true, sessions: 0 });
				m.present.clear();
				m.waiting.clear();
				m.failed.clear();
				break;
			case 'down':
				Object.assign(m, { up: false, sessions: 0 });
				m.present.clear();
				m.waiting.clear();
				break;
			case 'sign-in':
				m.sessions++;
				break;
			case 'sign-out':
				m.sessions = Math.max(0, m.sessions - 1);
				break;
			case 'wait':
				m.waiting.set(event.package, (m.waiting.get(event.package) ?? 0) + 1);
				break;
			case 'waited': {
				const left = (m.waiting.get(event.package) ?? 1) - 1;
				if (left > 0) m.waiting.set(event.package, left);
				else m.waiting.delete(event.package);
				break;
			}
			case 'retry':
				for (const key of m.failed.keys()) if (key.startsWith(`${event.package} `)) m.failed.delete(key);
				break;
			case 'open':
			case 'close': {
				const p = this.find(m, event.package, event.version);
				if (p) p.open = Math.max(0, p.open + (event.kind === 'open' ? 1 : -1));
				if (p?.open === 0) this.wake(m, event.package, event.version);
				break;
			}
			case 'attached': {
				const p = this.find(m, event.package, event.version);
				if (p) p.state = 'attached';
				m.failed.delete(`${event.package} ${event.version}`);
				break;
			}
			case 'attach failed': {
				this.drop(m, event.package, event.version);
				const key = `${event.package} ${event.version}`;
				const times = (m.failed.get(key)?.times ?? 0) + 1;
				const until = now + Math.min(LONGEST, RETRY * 2 ** (times - 1));
				m.failed.set(key, { times, until });
				this.noneBefore = Math.min(this.noneBefore, until);
				break;
			}
			case 'detached':
				this.drop(m, event.package, event.version);
				this.wake(m, event.package, event.version);
				break;
			case 'detach refused': {
				const p = this.find(m, event.package, event.version);
				if (p) p.state = 'attached';
				break;
			}
		}
		return this.orders(event.machine, now);
	}

	/** What has come due by time alone: versions that failed and are tried again. */
	tick(now: number): (AttachAction & { machine: string })[] {
		const due: (AttachAction & { machine: string })[] = [];
		// Asked every minute: hardly ever has any machine a version that failed.
		if (now < this.noneBefore) return due;
		this.noneBefore = Infinity;
		for (const [name, m] of this.machines) {
			if (m.failed.size === 0) continue;
			const untils = [...m.failed.values()].map((f) => f.until);
			if (untils.some((until) => until <= now)) due.push(...this.orders(name, now));
			this.noneBefore = Math.min(this.noneBefore, ...untils);
		}
		return due;
	}

	/** What is on a machine, and what its pool wants. */
	look(machine: string): (MachinePackages & { wanted: readonly Wanted[] }) | null {
		const m = this.machines.get(machine);
		return m ? { ...m, wanted: this.wanted.get(m.pool) ?? [] } : null;
	}

	private orders(name: string, now: number): (AttachAction & { machine: string })[] {
		const m = this.machines.get(name)!;
		const resting = (p: string, version: string) => (m.failed.get(`${p} ${version}`)?.until ?? 0) > now;
		const actions = decideAttach(m, this.wanted.get(m.pool) ?? [], { claimsOf: this.claimsOf, resting }).filter(
			(a) => a.action === 'detach' || !resting(a.package, a.version)
		);
		for (const a of actions) {
			if (a.action === 'attach') {
				const list = m.present.get(a.package);
				const entry: Attached = { version: a.version, state: 'attaching', open: 0 };
				if (list) list.push(entry);
				else m.present.set(a.package, [entry]);
			} else this.find(m, a.package, a.version)!.state = 'detaching';
		}
		return actions.map((a) => ({ ...a, machine: name }));
	}

	private known(name: string, pool?: string): Known {
		let m = this.machines.get(name);
		if (!m) {
			m = {
				pool: pool ?? '',
				up: false,
				sessions: 0,
				present: new Map(),
				waiting: new Map(),
				failed: new Map()
			};
			this.machines.set(name, m);
		}
		if (pool !== undefined && (m.pool !== pool || !this.pools.get(pool)?.has(name))) {
			this.pools.get(m.pool)?.delete(name);
			m.pool = pool;
			this.poolOf(pool).add(name);
		}
		return m;
	}

	/** What a version had for itself alone has come free: those that want it too need not wait for their next try. */
	private wake(m: Known, name: string, version: string): void {
		const claims = m.failed.size ? this.claimsOf(name, version) : null;
		if (!claims) return;
		for (const w of this.wanted.get(m.pool) ?? []) {
			const other = w.package === name ? null : this.claimsOf(w.package, w.version);
			if (other && contested(claims, other) !== null) m.failed.delete(`${w.package} ${w.version}`);
		}
	}

	private find(m: Known, name: string, version: string): Attached | undefined {
		return m.present.get(name)?.find((p) => p.version === version);
	}

	private drop(m: Known, name: string, version: string): void {
		const left = (m.present.get(name) ?? []).filter((p) => p.version !== version);
		if (left.length) m.present.set(name, left);
		else m.present.delete(name);
	}
}
