import type { Estate } from '$lib/core/estate/schema';
import { channelOf, intoIt, passagesOf, type Passage } from '$lib/core/reach/channels';
import { Guard, type Given, type Verdict } from '$lib/core/reach/enforce';
import {
	ANYWHERE,
	OTHERWISE,
	type AccessRule,
	type Circumstances,
	type Reacher,
	type Used
} from '$lib/core/reach/rules';
import type { Destination, Target } from '$lib/core/reach/targets';
import { readWhat, readWhom, WHATEVER } from '$lib/core/reach/written';
import { isHere } from '$lib/core/people/record';
import { MINUTE } from '$lib/core/time/units';
import { isoDate, wallTime, type WallTime } from '$lib/core/time/zone';
import type { Flow, Inside, ToldSettings } from '../providers';
import { locksItself } from './applied';
import { turnsOfPeople } from './directory';
import { deviceOf, shownBy } from './endpoints';
import { USUAL_PATTERN, workDay, type WorkDay } from './people';
import { hash, hashText, uniform } from './random';
import { answersFor } from './inner-gateways';
import { insideOf } from './screens';
import { mayOpen } from './sign-in';
import type { Stage } from './stage';
import type { SimEndpoint, SimMachine, SimPerson, SimSession } from './state';

/** What people reach, minute by minute: each wish is decided by the rules that were told last, and what comes of it is told as it ends. */

type Habit = Estate['access']['habits'][number];

/** Whoever turns to something stays with it for so long, minutes. */
const STAYS = 8;
/** What has not gone on for so long has ended, ms; what goes on is told in parts of no more than this, ms. */
const QUIET = 2 * MINUTE;
const PART = 30 * MINUTE;
/** Off duty people are up between these minutes of their day. */
const RISES = 6 * 60;
const RESTS = 23 * 60;
/** So often somebody shows their second factor where it is asked for, and says what for. */
const SHOWS = 0.95;
const SAYS = 0.8;
/** What it is for where a habit does not say. */
const AT_WORK = 'for work';

/** What somebody has turned to: bytes for each time, and what they say it is for where that is asked; null: nothing. */
interface Turned {
	habit: Habit;
	target: Target;
	down: number;
	up: number;
	says: string | null;
	/** What was decided last, as long as nothing that it was decided by is another. */
	last: Decided | null;
}
interface Decided {
	guard: Guard;
	hours: number;
	asked: Circumstances;
	given: Given;
	/** As they reach it in the end. */
	c: Circumstances;
	verdict: Verdict;
	/** Under which its flow is kept, as long as it comes from there. */
	key: { machine: string | null; device: SimEndpoint | undefined; text: string } | null;
}
interface Read {
	habit: Habit;
	/** What of the catalogue or the services it may come to, each alike: by the weight of all before it. */
	wishes: { all: readonly Target[]; upTo: number; down: number; up: number }[];
}

/** Somebody as rules tell people apart, with the habits that are theirs, and what they have turned to by each. */
interface Known {
	person: SimPerson;
	teams: readonly string[];
	employment: string;
	site: string;
	reacher: Reacher;
	habits: readonly Read[];
	/** Whether any of them is of their time off. */
	rests: boolean;
	slot: number;
	turned: readonly Turned[];
	/** When they work around a day, by their roster, and whether they do now: so it stays until then. */
	works: { day: number; pattern: string; shifts: readonly WorkDay[]; now: boolean; until: number } | null;
	/** The look at everybody in which they were last seen to be there, and the session that they were in. */
	seen: number;
	session: SimSession | null;
	/** As they reached something last, at work and off duty. */
	working: As | null;
	resting: As | null;
}
/** Somebody as they reach something, with what their device proves. */
interface As {
	by: Wisher;
	proven: Readonly<Proven>;
}

const known = new WeakMap<Stage, Browsing>();
/** What follows from an estate and its world, worked out once for a lab. */
export function browsingOf(lab: Stage): Browsing {
	let found = known.get(lab);
	if (!found) known.set(lab, (found = new Browsing(lab)));
	return found;
}

/** What the lab knows of habits and rules beside the world, from which it follows. */
class Browsing {
	private readonly habits: readonly Read[];
	readonly signedOut: readonly Read[];
	private readonly of = new Map<SimPerson, Known>();
	private readonly proofs = new Map<SimEndpoint, Proof>();
	/** How many times it was looked who is there. */
	looks = 0;
	private reading: Guard | null = null;
	private read: Stage['world']['rules'] = null;
	/** Whoever has habits for their time off, as long as nobody comes, or sits or belongs elsewhere. */
	private rest: { turns: number; people: readonly Known[] } | null = null;
	/** A number for each device, to draw by. */
	private readonly numbers = new Map<string, number>();

	constructor(private readonly lab: Stage) {
		const byCategory = new Map<string, Target[]>();
		for (const [host, category] of lab.estate.access.sites.sites) {
			const known = byCategory.get(category);
			if (known) known.push({ kind: 'site', host });
			else byCategory.set(category, [{ kind: 'site', host }]);
		}
		const read = lab.estate.access.habits.map((habit): Read => {
			let upTo = 0;
			const wishes = habit.what.flatMap((w) => {
				const what = readWhat(w.reach, WHATEVER);
				const all: Target[] =
					'wrong' in what
						? []
						: what.kind === 'category'
							? (byCategory.get(what.id) ?? [])
							: what.kind === 'channel'
								? passagesOf(what.id).map((passage) => ({
										kind: 'channel',
										passage,
										bytes: intoIt(passage) ? w.up : w.down
									}))
								: what.kind === 'service'
									? [{ kind: 'service', id: what.id }]
									: what.kind === 'site'
										? [{ kind: 'site', host: what.name.replace(/^\*\./, 'www.') }]
										: [];
				if (all.length === 0) return [];
				upTo += w.weight;
				return [{ all, upTo, down: w.down, up: w.up }];
			});
			return { habit, wishes };
		});
		const some = read.filter((r) => r.wishes.length > 0);
		this.habits = some.filter((r) => r.habit.during !== 'signed-out');
		this.signedOut = some.filter((r) => r.habit.during === 'signed-out');
	}

	/** What stands at every door, by the rules that were told last; null: none yet, and nothing is let through. */
	get guard(): Guard | null {
		const { rules } = this.lab.world;
		if (this.read !== rules) {
			this.read = rules;
			this.reading = rules ? new Guard(rules) : null;
		}
		return this.reading;
	}

	person(p: SimPerson): Known {
		const known = this.of.get(p);
		if (known && known.teams === p.teams && known.employment === p.employment && known.site === p.site) return known;
		const reacher: Reacher = { login: p.login, teams: p.teams, employment: p.employment || null };
		const habits = this.habits.filter(
			({ habit }) =>
				(habit.at === undefined || habit.at.includes(p.site)) &&
				(habit.who.length === 0 ||
					habit.who.some((written) => {
						const w = readWhom(written, WHATEVER);
						if ('wrong' in w) return false;
						if (w.kind === 'team') return p.teams.includes(w.id);
						return w.kind === 'person' ? p.login === w.id : p.employment === w.id;
					}))
		);
		const rests = habits.some((r) => r.habit.during === 'rest');
		const { teams, employment, site } = p;
		const found: Known = {
			person: p,
			teams,
			employment,
			site,
			reacher,
			habits,
			rests,
			slot: -1,
			turned: [],
			works: null,
			seen: -1,
			session: null,
			working: null,
			resting: null
		};
		this.of.set(p, found);
		return found;
	}

	/** Whoever has habits for their time off. */
	resting(): readonly Known[] {
		const { world } = this.lab;
		const turns = turnsOfPeople(world);
		if (this.rest?.turns !== turns)
			this.rest = { turns, people: [...world.people.values()].map((p) => this.person(p)).filter((of) => of.rests) };
		return this.rest.people;
	}

	/** Whether somebody is on duty, by their roster: a shift may have begun the day before, or be one of the next day that begins before midnight. */
	onDuty(p: SimPerson, day: number, of = this.person(p)): boolean {
		if (of.works?.day !== day || of.works.pattern !== p.pattern) {
			const pattern = this.lab.patterns.get(p.pattern) ?? USUAL_PATTERN;
			const shifts = [day - 1, day, day + 1].flatMap((d) => workDay(p, pattern, d, this.lab.seed) ?? []);
			of.works = { day, pattern: p.pattern, shifts, now: false, until: -Infinity };
		}
		const { works } = of;
		const { now } = this.lab;
		if (now >= works.until) {
			works.now = works.shifts.some((w) => w.from <= now && now < w.until);
			works.until = Math.min(...works.shifts.flatMap((w) => [w.from, w.until]).filter((t) => t > now));
		}
		return works.now;
	}

	/** What a device proves of itself. */
	provenBy(e: SimEndpoint): Proven {
		const { settings, distrusted, now } = this.lab.world;
		const user = e.on ?? e.users[0];
		const known = this.proofs.get(e);
		if (
			known?.settings === settings &&
			known.distrusted === distrusted &&
			known.certificate === e.certificate &&
			known.firmware === e.firmware &&
			known.user === user &&
			now < known.until
		)
			return known.proven;
		const proven = provenNow(this.lab, e);
		const { certificate, firmware } = e;
		const ends = certificate && certificate.ends > now ? certificate.ends : Infinity;
		this.proofs.set(e, { settings, distrusted, certificate, firmware, user, until: ends, proven });
		return proven;
	}

	numberOf(device: string): number {
		let n = this.numbers.get(device);
		if (n === undefined) this.numbers.set(device, (n = hashText(device)));
		return n;
	}
}

/** One minute of what everybody reaches. */
export function browseOneMinute(lab: Stage): void {
	const { world: w } = lab;
	const browsing = browsingOf(lab);
	const { guard } = browsing;
	if (guard) {
		const minute = Math.floor(w.now / MINUTE);
		const clocks = new Map<string, Clock>();
		const clockOf = (zone: string): Clock => {
			let clock = clocks.get(zone);
			if (!clock) {
				const wall = wallTime(zone, w.now);
				const ofWeek = (wall.weekday - 1) * 1440 + wall.minute;
				clocks.set(
					zone,
					(clock = { ...wall, iso: isoDate(zone, w.now), ofWeek, hours: guard.world.minuteClass(ofWeek) })
				);
			}
			return clock;
		};
		const { people, alone } = present(lab, clockOf);
		for (const of of people) {
			const p = of.person;
			if (of.habits.length && isHere(p, w.now)) browse(lab, guard, of, clockOf(p.zone), minute);
		}
		// What is awake with nobody on it asks by itself.
		for (const [n, read] of browsing.signedOut.entries())
			for (const e of alone) {
				const index = browsing.numberOf(e.id);
				const slot = Math.floor((minute + (index % 97)) / STAYS);
				const turned = turnTo(lab, read, index, slot, n);
				if (!turned) continue;
				const address = e.address ?? '';
				const c = { ...ANYWHERE, ...browsing.provenBy(e), address: address || null };
				wish(lab, guard, turned, {
					who: null,
					draws: [index, slot],
					device: e,
					machine: null,
					address,
					c,
					hours: 0,
					open: isOpen(lab, e.site)
				});
			}
	}
	endQuiet(lab);
}

interface Clock extends WallTime {
	iso: string;
	/** Minutes since Monday, and of which class of hours that is. */
	ofWeek: number;
	hours: number;
}

/** Off duty people are up by day. */
const isUp = ({ minute }: Clock): boolean => minute >= RISES && minute < RESTS;

/**
 * Whoever may reach something now: in a session, on a device, or off duty where somebody has habits for that. Most people at most times
 * are none of these. And the devices that are awake with nobody on them.
 */
function present(lab: Stage, clockOf: (zone: string) => Clock): { people: Known[]; alone: SimEndpoint[] } {
	const { world: w } = lab;
	const browsing = browsingOf(lab);
	const people: Known[] = [];
	const alone: SimEndpoint[] = [];
	const look = ++browsing.looks;
	const seen = (of: Known, session: SimSession | null) => {
		if (of.seen === look) return;
		of.seen = look;
		of.session = session;
		people.push(of);
	};
	for (const s of w.sessions.values()) {
		const p = s.state === 'active' ? w.people.get(s.person) : undefined;
		if (p) seen(browsing.person(p), s);
	}
	for (const e of w.endpoints.values()) {
		if (!e.awake) continue;
		if (e.on === undefined) {
			if (e.found) alone.push(e);
			continue;
		}
		const p = w.people.get(e.on);
		if (p) seen(browsing.person(p), null);
	}
	for (const of of browsing.resting()) if (isUp(clockOf(of.person.zone))) seen(of, null);
	return { people, alone };
}

/** One minute of what somebody reaches. */
function browse(lab: Stage, guard: Guard, of: Known, clock: Clock, minute: number): void {
	const { world: w } = lab;
	const { person: p, session } = of;
	const browsing = browsingOf(lab);
	const slot = Math.floor((minute + p.index * 5) / STAYS);
	if (of.slot !== slot) {
		of.slot = slot;
		of.turned = of.habits.flatMap((read, n) => turnTo(lab, read, p.index, slot, n) ?? []);
	}
	if (of.turned.length === 0) return;
	const onDuty = browsing.onDuty(p, clock.day, of);
	const device = deviceOf(lab, p);
	const works = session !== null || (device?.awake === true && device.on === p.login);
	const up = isUp(clock);
	const holiday = guard.isHoliday(p.site, clock.iso);
	/** As they reach anything from a place: on what they are given, or off duty on something of their own in the network where they are. */
	const from = (kept: As | null, on: SimEndpoint | undefined, machine: SimMachine | undefined): As => {
		const proven = on ? browsing.provenBy(on) : UNPROVEN;
		const pool = machine?.pool ?? null;
		// From one minute to the next it is the same for nearly everybody, but for the minute.
		if (
			kept?.proven === proven &&
			kept.by.device === on &&
			kept.by.machine === (machine?.name ?? null) &&
			kept.by.address === p.address &&
			kept.by.who!.day === clock.day &&
			kept.by.c.pool === pool &&
			kept.by.c.onDuty === onDuty &&
			kept.by.c.holiday === holiday
		) {
			kept.by.c.minute = clock.ofWeek;
			kept.by.hours = clock.hours;
			kept.by.draws[1] = slot;
			return kept;
		}
		return {
			proven,
			by: {
				who: { person: p, reacher: of.reacher, day: clock.day },
				draws: [p.index, slot],
				device: on,
				machine: machine?.name ?? null,
				address: p.address,
				c: {
					pool,
					address: p.address || null,
					...proven,
					minute: clock.ofWeek,
					onDuty,
					holiday,
					way: 'device'
				},
				hours: clock.hours
			}
		};
	};
	// Whatever they turn to, they come to it from the same place.
	let working: As | null = null;
	let resting: As | null = null;
	for (const turned of of.turned) {
		const rests = turned.habit.during === 'rest';
		if (rests ? !up || onDuty : !works) continue;
		if (turned.target.kind === 'channel' && !(session && isGranted(lab, p, session, turned.target.passage))) continue;
		const as = rests
			? (resting ??= of.resting = from(of.resting, undefined, undefined))
			: (working ??= of.working = from(of.working, device, session ? w.machines.get(session.machine) : undefined));
		wish(lab, guard, turned, as.by);
	}
}

/** What somebody, or a device, has turned to for a while, or null: everything that is drawn of it follows from the seed. */
function turnTo(
	{ seed, world }: Stage,
	{ habit, wishes }: Read,
	index: number,
	slot: number,
	n: number
): Turned | null {
	if ((habit.from !== undefined && world.now < habit.from) || (habit.until !== undefined && world.now >= habit.until))
		return null;
	const draw = (what: number) => uniform(seed, index, slot, 600 + 10 * n + what);
	if (draw(0) >= habit.busy) return null;
	const at = draw(1) * wishes.at(-1)!.upTo;
	const { all, down, up } = wishes.find((x) => at < x.upTo)!;
	// Everybody has those that they go to most.
	const often = draw(2) ** 3;
	const target = all[(Math.floor(often * all.length) + hash(seed, index, 63)) % all.length]!;
	return {
		habit,
		target,
		down,
		up,
		says: draw(3) < SAYS ? (habit.says[Math.floor(draw(4) * habit.says.length)] ?? AT_WORK) : null,
		last: null
	};
}

type Proven = Pick<Circumstances, 'managed' | 'branch' | 'firmware' | 'locks'>;
/** What proves nothing. */
export const UNPROVEN: Readonly<Proven> = { managed: false, branch: null, firmware: null, locks: false };
/** What a device proves, as long as nothing that it follows from is another. */
interface Proof {
	settings: ToldSettings;
	distrusted: ReadonlySet<string>;
	certificate: SimEndpoint['certificate'];
	firmware: string;
	user: string | undefined;
	until: number;
	proven: Proven;
}

/** The same, worked out. */
function provenNow(lab: Stage, e: SimEndpoint): Proven {
	if (shownBy(lab, e).certificate !== 'good') return UNPROVEN;
	const { endpoints } = lab.world.settings;
	const branch = Object.hasOwn(endpoints, e.key) ? endpoints[e.key]!.branch : null;
	return { managed: true, branch, firmware: e.firmware || null, locks: locksItself(lab, e) };
}

export interface Wisher {
	/** Null: nobody is known to be there. */
	who: { person: SimPerson; reacher: Reacher; day: number } | null;
	draws: [whose: number, slot: number];
	device: SimEndpoint | undefined;
	machine: string | null;
	address: string;
	c: Circumstances;
	/** Of which class of hours it is. */
	hours: number;
	/** What stands at the door is broken, and lets nobodies through. */
	open?: boolean;
}

/** One minute of one wish: what is alike within it is decided once, and counted. */
function wish(lab: Stage, guard: Guard, turned: Turned, by: Wisher): void {
	const { seed, world: w } = lab;
	const { who, draws } = by;
	const { habit, target } = turned;
	const decision = decided(lab, guard, turned, by);
	const { c, verdict } = decision;
	const { through } = verdict;
	const minute = Math.floor(w.now / MINUTE);
	const spread = (n: number) => 0.4 + 1.2 * uniform(seed, draws[0], minute, n);
	// Whoever is refused tries once or twice more.
	const decisions = through ? Math.max(1, Math.round(habit.asks * spread(66))) : 1 + (hash(seed, ...draws, 67) % 2);
	if (decision.key?.machine !== by.machine || decision.key.device !== by.device)
		decision.key = {
			machine: by.machine,
			device: by.device,
			text: flowKey(by, target, verdict.rule, through, c.way)
		};
	const key = decision.key.text;
	if (!through && w.flows.has(key)) return;
	// A picture of it comes out of an isolated window, and nothing goes in.
	const one = target.kind === 'channel' ? target.passage : null;
	const down = through && !(one && intoIt(one)) ? Math.round(decisions * turned.down * spread(68)) : 0;
	const up =
		through && c.way !== 'window' && !(one && !intoIt(one)) ? Math.round(decisions * turned.up * spread(69)) : 0;
	// What is down answers nobody: there is nothing to tell.
	if (through && !answersFor(lab, target)) return;
	if (through && who) countShare(w, guard, who, verdict.rule, down + up, target.kind === 'channel' ? 0 : 1);
	const said = verdict.effect === 'reason' ? turned.says : null;
	tally(lab, by, target, c.way, verdict, { said, decisions, down, up }, key);
}

/** Writes down what came of a wish, until it is told. */
export function tally(
	{ world: w }: Stage,
	by: Wisher,
	target: Target,
	way: Circumstances['way'],
	verdict: Verdict,
	{ said, decisions, down, up }: Pick<Flow, 'decisions' | 'down' | 'up'> & { said: string | null },
	key = flowKey(by, target, verdict.rule, verdict.through, way)
): void {
	const { who } = by;
	const { through } = verdict;
	const known = w.flows.get(key);
	const flow: Flow = known ?? {
		person: who?.person.login ?? null,
		endpoint: by.device?.found ? { serial: by.device.serial, key: by.device.key } : null,
		machine: by.machine,
		address: by.address,
		target: { kind: target.kind, name: nameOf(target) },
		way,
		rule: verdict.rule,
		effect: verdict.effect,
		through,
		asked: verdict.asked,
		since: w.now,
		until: w.now,
		decisions: 0,
		down: 0,
		up: 0
	};
	flow.until = w.now + MINUTE;
	if (said !== null) flow.said = said;
	flow.decisions += decisions;
	flow.down += down;
	flow.up += up;
	if (!known) w.flows.set(key, flow);
}

/** What a target is told by. */
const nameOf = (t: Target): string => (t.kind === 'site' ? t.host : t.kind === 'service' ? (t.id ?? '') : t.passage);

/** Bytes of a picture, about. */
const PICTURE = 90_000;

/** Somebody goes to something in a browser alone: what that proves is nothing. */
export function goInside(
	lab: Stage,
	login: string,
	target: Destination,
	factor: boolean,
	reason: string | null
): Inside {
	const { world: w } = lab;
	const browsing = browsingOf(lab);
	const { guard } = browsing;
	const p = w.people.get(login);
	const here = p && isHere(p, w.now) ? p : null;
	if (!guard || !here)
		return {
			through: false,
			effect: 'refuse',
			rule: OTHERWISE,
			words: guard ? null : 'Nothing is reached before the rules have come here.',
			asked: guard ? 'sign in' : null,
			answers: true,
			way: 'browser',
			picture: null
		};
	const wall = wallTime(here.zone, w.now);
	const minute = (wall.weekday - 1) * 1440 + wall.minute;
	const c: Circumstances = {
		...ANYWHERE,
		address: here.address || null,
		minute,
		onDuty: browsing.onDuty(here, wall.day),
		holiday: guard.isHoliday(here.site, isoDate(here.zone, w.now)),
		way: 'browser'
	};
	const { reacher } = browsing.person(here);
	const used = (rule: AccessRule) => usedToday(w, login, rule.id, wall.day);
	const decide = (as: Circumstances) => guard.decide(reacher, target, as, { factor, reason: reason !== null }, used);
	let way: Circumstances['way'] = 'browser';
	let verdict = decide(c);
	if (verdict.asked === 'window') verdict = decide({ ...c, way: (way = 'window') });
	const by: Wisher = {
		who: { person: here, reacher, day: wall.day },
		draws: [here.index, 0],
		device: undefined,
		machine: null,
		address: here.address,
		c,
		hours: guard.world.minuteClass(minute)
	};
	const answers = answersFor(lab, target);
	if (verdict.through && !answers) return { ...verdict, answers, way, picture: null };
	const down = verdict.through ? PICTURE : 0;
	if (verdict.through) countShare(w, guard, by.who!, verdict.rule, down);
	const said = verdict.effect === 'reason' ? reason : null;
	tally(lab, by, target, way, verdict, { said, decisions: 1, down, up: 0 });
	return { ...verdict, answers, way, picture: verdict.through ? insideOf(lab, target, here, way) : null };
}

/** Whether the grant by which a session was opened gives a channel. */
function isGranted(lab: Stage, p: SimPerson, session: SimSession, passage: Passage): boolean {
	const pub = lab.world.broker.publications.find((x) => x.id === session.publication);
	return pub !== undefined && mayOpen(lab, p, pub, deviceOf(lab, p), true).value.channels.includes(channelOf(passage));
}

/** What comes of a wish: what asks for an isolated window is gone to in one. */
function decided(
	{ seed, world: w }: Stage,
	guard: Guard,
	turned: Turned,
	{ who, draws, c, hours, open }: Wisher
): Decided {
	const given: Given = { factor: uniform(seed, draws[0], who?.day ?? 0, 64) < SHOWS, reason: turned.says !== null };
	const { last } = turned;
	if (
		last?.guard === guard &&
		!open &&
		last.hours === hours &&
		last.given.factor === given.factor &&
		alike(last.asked, c)
	)
		return last;
	let shared = false;
	const used = (rule: AccessRule): Used | undefined => {
		shared = true;
		return who ? usedToday(w, who.person.login, rule.id, who.day) : undefined;
	};
	const decide = (as: Circumstances) =>
		!who && open ? OPEN : guard.decide(who?.reacher ?? null, turned.target, as, given, used);
	let reached = c;
	let verdict = decide(c);
	if (verdict.asked === 'window') verdict = decide((reached = { ...c, way: 'window' }));
	const now: Decided = { guard, hours, asked: c, given, c: reached, verdict, key: null };
	// Where a share of the day was looked at, the next minute may be another.
	turned.last = shared ? null : now;
	return now;
}

/** The door of a site is broken: whoever is nobody is let through. */
const OPEN: Verdict = { through: true, effect: 'allow', rule: OTHERWISE, words: null, asked: null };
const isOpen = (lab: Stage, site: string): boolean =>
	lab.world.faults.some((f) => f.kind === 'door-open' && f.target === site);

/** Whether a device at a site that nobody is on reaches something. */
export const strangerReaches = (lab: Stage, site: string, target: Target): boolean =>
	isOpen(lab, site) ||
	(browsingOf(lab).guard?.decide(null, target, ANYWHERE, { factor: false, reason: false }, () => undefined).through ??
		false);

/** Whether no rule tells circumstances apart, but for the hour. */
const alike = (a: Circumstances, b: Circumstances): boolean =>
	a === b ||
	(a.pool === b.pool &&
		a.address === b.address &&
		a.managed === b.managed &&
		a.branch === b.branch &&
		a.firmware === b.firmware &&
		a.locks === b.locks &&
		a.onDuty === b.onDuty &&
		a.holiday === b.holiday);

const shareOf = (login: string, rule: string): string => `${login}\n${rule}`;

/** What somebody has had of a rule on a day of theirs; undefined: nothing. */
export function usedToday({ shares }: Stage['world'], login: string, rule: string, day: number): Used | undefined {
	const had = shares.get(shareOf(login, rule));
	return had?.day === day ? had : undefined;
}

/** What somebody has had today of each rule that gives so much a day. */
export function sharesOf(lab: Stage, login: string): Record<string, Used> {
	const { world: w } = lab;
	const { guard } = browsingOf(lab);
	const p = w.people.get(login);
	if (!guard || !p) return {};
	const { day } = wallTime(p.zone, w.now);
	return Object.fromEntries(
		[...guard.daily].flatMap((rule) => {
			const had = usedToday(w, login, rule, day);
			return had ? [[rule, { bytes: had.bytes, minutes: had.minutes }]] : [];
		})
	);
}

/** Counts a minute and its bytes towards what somebody has of a rule on a day, where it gives so much. */
export function countShare(
	w: Stage['world'],
	guard: Guard,
	{ person, day }: Pick<NonNullable<Wisher['who']>, 'person' | 'day'>,
	rule: string,
	bytes: number,
	minutes = 1
): void {
	if (!guard.daily.has(rule)) return;
	const had = usedToday(w, person.login, rule, day);
	w.shares.set(shareOf(person.login, rule), {
		day,
		bytes: (had?.bytes ?? 0) + bytes,
		minutes: (had?.minutes ?? 0) + minutes
	});
}

const flowKey = (by: Wisher, target: Target, rule: string, through: boolean, way: string): string =>
	[
		by.who?.person.login ?? '',
		by.who ? '' : by.device?.id,
		by.machine,
		`${target.kind}/${nameOf(target)}`,
		rule,
		through,
		way
	].join('\n');

/** Tells what has ended, and what has gone on for so long that a part of it is told. */
function endQuiet(lab: Stage): void {
	const w = lab.world;
	const flows: Flow[] = [];
	for (const [key, flow] of w.flows)
		if (w.now - flow.until >= QUIET || w.now - flow.since >= PART) {
			w.flows.delete(key);
			// It is told of as it stood when it was seen last.
			flows.push({ ...flow, until: Math.min(flow.until, w.now) });
		}
	if (flows.length) lab.observe({ kind: 'activity', flows });
}
