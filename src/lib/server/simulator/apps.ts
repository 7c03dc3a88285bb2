import { inDates } from '$lib/core/access/decide';
import {
	mayAttach,
	refusalFor,
	sentenceFor,
	type AttachCause,
	type AttachingMachine
} from '$lib/core/packages/attaching';
import { versionToStart, type AttachAction, type AttachEvent } from '$lib/core/packages/attach';
import { systemOf } from '$lib/core/packages/fits';
import type { StartKind } from '$lib/core/packages/starting';
import { HOUR, MINUTE, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { ProviderError, type WishedPackage, type Wishes } from '../providers';
import { schedule } from './agenda';
import { wished } from './claims';
import { imageTargets, missingIn, missingWords, systemOfLine } from './installers';
import type { Stage } from './stage';
import { about, hashText, uniform } from './random';
import { startTime, type StartReads } from './starting';
import type { Needed, SimMachine, SimOverlay, SimRun, SimSession, World } from './state';

/** Bytes a second that come from a package store at the same site. */
const STORE_PACE = 200e6;
/** What agents take for attaching and detaching, beside fetching. */
const ATTACH = 1.6 * SECOND;
const DETACH = 0.8 * SECOND;
/** Sessions are taken to last as long when nobody knows. */
const USUAL_SESSION = 7 * HOUR;
/** Room that a machine keeps whatever it has written. */
const KEPT_FREE = 0.25;

const keyOf = (name: string, version: string) => `${name} ${version}`;

/** Takes in what pools want from now on. */
export function takeWishes(lab: Stage, wishes: Wishes, lacks: Record<string, Record<string, Needed[]>>): void {
	for (const [manifest, targets] of Object.entries(lacks)) lab.world.packages.lacks.set(manifest, targets);
	const before = lab.world.packages.wishes;
	lab.world.packages.wishes = wishes;
	// Only where something is another: what failed elsewhere keeps its time for the next try.
	const asked = (of: Wishes, pool: string) =>
		(of.pools[pool] ?? []).map((x) => [
			x,
			of.packages.find((p) => p.package === x.package && p.version === x.version) ?? null
		]);
	for (const pool of new Set([...Object.keys(before.pools), ...Object.keys(wishes.pools)]))
		if (JSON.stringify(asked(before, pool)) !== JSON.stringify(asked(wishes, pool)))
			tell(lab, { kind: 'want', pool, wanted: wishes.pools[pool] ?? [] });
	giveUpOnWithdrawn(lab);
}

/** Whoever waits for a package that nobody will attach any more is told so, and waits no longer. */
function giveUpOnWithdrawn(lab: Stage): void {
	const w = lab.world;
	for (const run of [...w.packages.runs.values()]) {
		if (run.version !== null) continue;
		const pool = w.machines.get(run.machine)?.pool ?? '';
		if (w.packages.wishes.pools[pool]?.some((x) => x.package === run.package)) continue;
		const there = lab.agents.look(run.machine)?.present.get(run.package);
		if (there?.some((x) => x.state !== 'detaching')) continue;
		failRun(lab, run, null, [{ words: 'its pool no longer has the package', side: 'against', source: 'delivery' }]);
		tell(lab, { kind: 'waited', machine: run.machine, package: run.package });
	}
}

/** Tells the agents what has happened, and begins what they decide. */
export function tell(lab: Stage, event: AttachEvent): void {
	for (const order of lab.agents.take(event, lab.now)) begin(lab, order);
}

/** What has come due by time alone. */
export function retry(lab: Stage): void {
	for (const order of lab.agents.tick(lab.now)) begin(lab, order);
}

function begin(lab: Stage, o: AttachAction & { machine: string }): void {
	const w = lab.world;
	const m = w.machines.get(o.machine)!;
	const p = wished(w, o.package, o.version);
	observePackage(lab, o.machine, o.package, o.version, o.action === 'attach' ? 'attaching' : 'detaching', null, o.why);
	const there = p !== undefined && (w.packages.stored.get(m.site)?.has(p.manifest) ?? false);
	const fetched = o.action === 'attach' && p && !there ? (p.size / paceTo(lab, m.site)) * SECOND : 0;
	const took =
		((o.action === 'attach' ? ATTACH : DETACH) + fetched) *
		about(0.2, lab.seed, hashText(o.machine), hashText(keyOf(o.package, o.version)), m.life);
	schedule(w, w.now + Math.round(took), {
		kind: 'package',
		machine: o.machine,
		life: m.life,
		package: o.package,
		version: o.version,
		action: o.action
	});
}

/** Bytes a second between the package store at home and a site. */
function paceTo(lab: Stage, site: string): number {
	const home = lab.estate.home ?? lab.estate.sites[0]!.id;
	if (site === home) return STORE_PACE;
	const link = lab.estate.sites
		.flatMap((s) => s.links.map((l) => ({ a: s.id, b: l.to, mbit: l.mbit })))
		.find((l) => (l.a === home && l.b === site) || (l.b === home && l.a === site));
	return Math.min(STORE_PACE, ((link?.mbit ?? 100) * 1e6) / 8);
}

/** What an agent sees of its own machine, when it is to attach something. */
export function asAgentSees(lab: Stage, m: SimMachine, p: WishedPackage): AttachingMachine {
	const w = lab.world;
	const home = lab.estate.home ?? lab.estate.sites[0]!.id;
	const present = [...(lab.agents.look(m.name)?.present ?? [])].flatMap(([name, list]) =>
		list.filter((x) => x.state === 'attached').map((x) => ({ name, version: x.version, open: x.open }))
	);
	const taken = present.reduce((n, x) => n + (wished(w, x.name, x.version)?.unpacked ?? 0), 0);
	const declared = lab.estate.existing.find((x) => x.name === m.name);
	const full = w.faults.some((f) => f.kind === 'disk-full' && f.target === m.name);
	const stored = w.packages.stored.get(m.site)?.has(p.manifest) ?? false;
	const down = w.faults.some((f) => f.kind === 'package-store-down' && f.target === m.site);
	return {
		system: declared ? systemOf(declared.system, declared.users) : systemOfLine(lab.estate, m.line),
		agent: m.agent ? agentVersion(w, m) : null,
		diskFree: full ? 0 : Math.max(m.disk * KEPT_FREE, m.disk - (m.written - m.writtenBefore)) - taken,
		storeTrouble: down
			? `the package store at ${m.site} does not answer`
			: !stored && m.site !== home && lab.linkDown(home, m.site)
				? `the link between ${home} and ${m.site} is down, and ${m.site} does not have it yet`
				: null,
		// What its pool wants at every start counts as there, whichever of the two comes first: the order decides, not the moment.
		others: [
			...present,
			...(w.packages.wishes.pools[m.pool] ?? [])
				.filter((x) => x.mode === 'start')
				.map((x) => ({ name: x.package, version: x.version, open: 0 }))
		].flatMap((x) => {
			const other = wished(w, x.name, x.version);
			return other ? { ...other, open: x.open } : [];
		})
	};
}

const agentVersion = (w: World, m: SimMachine): string =>
	w.images.kept.get(`${m.line}/${m.version}`)?.contents.find((c) => c.name === 'desktop agent')?.version ?? '9.0';

/** An order has come to its end. */
export function packageDone(
	lab: Stage,
	h: { machine: string; life: number; package: string; version: string; action: 'attach' | 'detach' }
): void {
	const w = lab.world;
	const m = w.machines.get(h.machine);
	if (!m || m.life !== h.life) return;
	const { machine, package: name, version } = h;
	const now = lab.agents
		.look(machine)
		?.present.get(name)
		?.find((x) => x.version === version);
	if (h.action === 'detach') {
		// The agent has the last word: what was opened meanwhile stays.
		if (now && now.open > 0) {
			observePackage(lab, machine, name, version, 'attached', null, [
				{ words: 'somebody has opened it meanwhile', side: 'for', source: 'agent' }
			]);
			return tell(lab, { kind: 'detach refused', machine, package: name, version });
		}
		w.packages.warm.get(machine)?.delete(keyOf(name, version));
		observePackage(lab, machine, name, version, 'detached', null, []);
		return tell(lab, { kind: 'detached', machine, package: name, version });
	}
	const p = wished(w, name, version);
	const answer = p
		? mayAttach(p, asAgentSees(lab, m, p))
		: { value: 'store' as const, facts: [{ words: 'the package store no longer has it', side: 'against' as const }] };
	if (answer.value !== null) {
		observePackage(lab, machine, name, version, 'failed', answer.value, answer.facts);
		const other = lab.agents
			.look(machine)
			?.present.get(name)
			?.some((x) => x.state === 'attached');
		if (!other) for (const run of waitingOn(w, machine, name)) failRun(lab, run, answer.value, answer.facts);
		return tell(lab, { kind: 'attach failed', machine, package: name, version });
	}
	const stored = w.packages.stored.get(m.site);
	if (stored) stored.add(p!.manifest);
	else w.packages.stored.set(m.site, new Set([p!.manifest]));
	observePackage(lab, machine, name, version, 'attached', null, answer.facts);
	// Whoever waited is let in first: it must not look unused in between.
	const waiting = waitingOn(w, machine, name);
	for (const run of waiting) startRun(lab, run, version, 'attached');
	tell(lab, { kind: 'attached', machine, package: name, version });
	for (let i = 0; i < waiting.length; i++) tell(lab, { kind: 'waited', machine, package: name });
}

const waitingOn = (w: World, machine: string, name: string): SimRun[] =>
	[...w.packages.runs.values()].filter((r) => r.machine === machine && r.package === name && r.version === null);

function observePackage(
	lab: Stage,
	machine: string,
	name: string,
	version: string,
	state: 'attaching' | 'attached' | 'detaching' | 'detached' | 'failed',
	cause: AttachCause | null,
	why: Fact[]
): void {
	lab.observe({ kind: 'package', machine, package: name, version, state, cause, why });
}

// ── Apps ──────────────────────────────────────────────────────────────────────────────────────────────

/** Plans what the person of a new session will start in it, as their team does. */
export function planApps(lab: Stage, session: SimSession, leaveAt: number | null): void {
	const w = lab.world;
	const person = w.people.get(session.person)!;
	const apps = lab.estate.directory.teams.find((t) => t.id === person.team)?.apps ?? [];
	const end = leaveAt ?? w.now + USUAL_SESSION;
	apps.forEach((app, i) => {
		if (uniform(lab.seed, person.index, i, 301) > app.chance) return;
		const every = (end - w.now) / app.times;
		for (let k = 0; k < app.times; k++) {
			const at = w.now + Math.round((k + uniform(lab.seed, session.id, i, k, 302) * 0.8) * every) + 20 * SECOND;
			const takes = Math.round(app.takes * about(0.35, lab.seed, session.id, i, k));
			if (at + MINUTE < end)
				schedule(w, at, { kind: 'app', session: session.id, package: app.package, target: app.target ?? '', takes });
		}
	});
}

/** Somebody starts an app in their session, of their own accord. Nothing happens where their machine does not have it. */
export function useApp(
	lab: Stage,
	h: { session: number; package: string; target: string; takes: number; again?: boolean }
): void {
	const w = lab.world;
	const session = w.sessions.get(h.session);
	if (!session || session.state !== 'active') return;
	if ([...w.packages.runs.values()].some((r) => r.session === session.id && r.package === h.package)) return;
	const pool = w.machines.get(session.machine)!.pool;
	const wish = w.packages.wishes.pools[pool]?.find((x) => x.package === h.package);
	const p = wish && wished(w, wish.package, wish.version);
	if (!p || !mayUse(w, session, p)) return;
	const target = p.targets.find((t) => t.id === h.target) ?? p.targets[0];
	if (target) openApp(lab, session, h.package, target.id, null, w.now + h.takes);
}

/** Whether the person of a session may start a package: one of its teams, or whoever has a publication of it. */
function mayUse(w: World, session: SimSession, p: WishedPackage): boolean {
	const { teams, login, zone } = w.people.get(session.person)!;
	if (p.teams.length) return p.teams.some((t) => teams.includes(t));
	const publications = w.broker.publications.filter((x) => x.app?.package === p.package).map((x) => x.id);
	if (publications.length === 0) return true;
	return w.broker.grants.some(
		(g) =>
			publications.includes(g.publication) &&
			(g.to.kind === 'person' ? g.to.id === login : teams.includes(g.to.id)) &&
			inDates(g.conditions, zone, w.now) === 'in'
	);
}

/** Opens an app on the machine of a session: at once where it is there, else as soon as it has been attached. */
export function openApp(
	lab: Stage,
	session: SimSession,
	name: string,
	target: string,
	connection: number | null,
	until: number | null
): SimRun {
	const w = lab.world;
	const m = w.machines.get(session.machine)!;
	const run: SimRun = {
		id: w.packages.nextRun++,
		session: session.id,
		machine: m.name,
		package: name,
		target,
		version: null,
		since: w.now,
		turn: 0,
		connection,
		until
	};
	w.packages.runs.set(run.id, run);
	// What an image holds is on every machine of it.
	if (name.startsWith('image/')) {
		if (imageTargets(w, m.line, m.version).some((t) => t.id === target)) startRun(lab, run, m.version, null);
		else
			failRun(lab, run, null, [
				{
					words: `${m.line} ${m.version}, which ${m.name} is on, does not hold ${target}`,
					side: 'against',
					source: 'image'
				}
			]);
		return run;
	}
	const person = w.people.get(session.person)!;
	const look = lab.agents.look(m.name);
	const wish = look?.wanted.find((x) => x.package === name) ?? null;
	const { value } = versionToStart(look?.present.get(name) ?? [], wish?.version ?? null);
	const limited = wished(w, name, value ?? wish?.version ?? '');
	if (limited?.teams.length && !limited.teams.some((t) => person.teams.includes(t))) {
		failRun(
			lab,
			run,
			null,
			[{ words: `it may be started by ${limited.teams.join(', ')} alone`, side: 'against', source: 'package' }],
			refusalFor(limited.title, limited.refusal)
		);
		return run;
	}
	if (value !== null) startRun(lab, run, value, null);
	else if (wish) {
		tell(lab, { kind: 'wait', machine: m.name, package: name });
		if (!lab.agents.look(m.name)!.present.get(name)?.length) {
			// A version that failed is tried again in its own time, or at once where nothing stands in its way any more.
			const p = wished(w, name, wish.version);
			const answer = p && mayAttach(p, asAgentSees(lab, m, p));
			if (answer?.value === null) tell(lab, { kind: 'retry', machine: m.name, package: name });
			else {
				failRun(lab, run, answer?.value ?? 'store', answer?.facts ?? []);
				tell(lab, { kind: 'waited', machine: m.name, package: name });
			}
		}
	} else
		failRun(lab, run, null, [
			{ words: `the pool of ${m.name} no longer has ${name}`, side: 'against', source: 'delivery' }
		]);
	return run;
}

/** What an app of the lab reads at its start: about a quarter of its files. */
const readsOf = (p: WishedPackage): StartReads => ({
	files: p.warmUp?.files ?? Math.ceil(p.files / 4),
	bytes: p.warmUp?.bytes ?? p.unpacked / 4,
	ahead: p.warmUp !== null
});

function startRun(lab: Stage, run: SimRun, version: string, after: StartKind | null): void {
	const w = lab.world;
	const p = wished(w, run.package, version);
	const key = keyOf(run.package, version);
	const m = w.machines.get(run.machine)!;
	const missing =
		p && missingIn(lab.estate, w, m.line, m.version, w.packages.lacks.get(p.manifest)?.[run.target] ?? []);
	if (missing)
		return failRun(
			lab,
			run,
			null,
			[{ words: `${p.title} ${version}: ${missingWords(missing)}`, side: 'against', source: 'agent' }],
			`${p.title} does not start: something that it needs is missing. The helpdesk has been told.`
		);
	let warm = w.packages.warm.get(run.machine);
	if (!warm) w.packages.warm.set(run.machine, (warm = new Set()));
	const start = after ?? (warm.has(key) ? 'warm' : 'cold');
	const waited = w.now - run.since;
	const took = waited + startTime(p ? readsOf(p) : null, warm.has(key)) * about(0.15, lab.seed, run.id, 303);
	warm.add(key);
	run.version = version;
	run.turn++;
	tell(lab, { kind: 'open', machine: run.machine, package: run.package, version });
	schedule(w, w.now + Math.round(took - waited), { kind: 'app open', run: run.id, turn: run.turn, start });
}

/** An app's window is there. */
export function appOpened(lab: Stage, h: { run: number; turn: number; start: StartKind }): void {
	const w = lab.world;
	const run = w.packages.runs.get(h.run);
	if (!run || run.turn !== h.turn) return;
	// The session of a sign-in that was for this app is known from now on.
	if (run.connection !== null) lab.does.appReady(run.connection, run.id, h.start);
	lab.observe({
		kind: 'app',
		run: run.id,
		session: run.session,
		package: run.package,
		version: run.version!,
		target: run.target,
		state: 'open',
		start: h.start,
		took: w.now - run.since
	});
	if (run.until !== null)
		schedule(w, Math.max(w.now + 30 * SECOND, run.until), { kind: 'app over', run: run.id, turn: run.turn });
}

function failRun(lab: Stage, run: SimRun, cause: AttachCause | null, why: Fact[], words?: string): void {
	const w = lab.world;
	w.packages.runs.delete(run.id);
	const title = w.packages.wishes.packages.find((p) => p.package === run.package)?.title ?? run.package;
	lab.observe({
		kind: 'app failed',
		session: run.session,
		person: w.sessions.get(run.session)!.person,
		machine: run.machine,
		package: run.package,
		target: run.target,
		cause,
		words: words ?? sentenceFor(title, cause)
	});
	if (run.connection !== null) lab.does.appFailed(run.connection, why, words ?? sentenceFor(title, cause));
}

/** An app is closed, by its person or with its session. */
export function closeApp(lab: Stage, id: number): void {
	const w = lab.world;
	const run = w.packages.runs.get(id);
	if (!run) return;
	w.packages.runs.delete(id);
	const { machine, package: name, version } = run;
	if (version === null) return tell(lab, { kind: 'waited', machine, package: name });
	keepWritten(w, run);
	lab.observe({ kind: 'app closed', run: id });
	tell(lab, { kind: 'close', machine, package: name, version });
	// A session that was for an app alone ends with its last one.
	const session = w.sessions.get(run.session);
	if (session?.app && runsOf(w, session.id).length === 0) lab.does.signOut(session, 'its last app was closed');
}

/** What was open in a session is closed with it. */
export function closeAll(lab: Stage, session: number): void {
	for (const run of runsOf(lab.world, session)) {
		lab.world.packages.runs.delete(run.id);
		if (run.version !== null) keepWritten(lab.world, run);
		const { machine, package: name, version } = run;
		if (version === null) tell(lab, { kind: 'waited', machine, package: name });
		else tell(lab, { kind: 'close', machine, package: name, version });
	}
}

/** Bytes that an app writes to its overlay at its start, and a minute. */
const FIRST_WRITES = 1.4e6;
const MINUTE_WRITES = 60e3;

/** What an app has written stays in its overlay: on the machine or on the profile disk, for this session or for good. */
function keepWritten(w: World, run: SimRun): void {
	const session = w.sessions.get(run.session);
	const overlay = wished(w, run.package, run.version!)?.overlay;
	if (!session || !overlay) return;
	const machine = overlay.lives === 'machine' ? run.machine : null;
	const ends = overlay.outlasts ? null : session.id;
	const key = [run.package, session.person, machine, ends].join(' ');
	const wrote = Math.round(FIRST_WRITES + ((w.now - run.since) / MINUTE) * MINUTE_WRITES);
	const bytes = (w.packages.overlays.get(key)?.bytes ?? 0) + wrote;
	w.packages.overlays.set(key, { package: run.package, person: session.person, machine, session: ends, bytes });
}

/** Throws overlays away; answers with their bytes. */
export function emptyOverlays(w: World, which: (o: SimOverlay) => boolean): number {
	let bytes = 0;
	for (const [key, o] of w.packages.overlays)
		if (which(o)) {
			bytes += o.bytes;
			w.packages.overlays.delete(key);
		}
	return bytes;
}

export const runsOf = (w: World, session: number): SimRun[] =>
	[...w.packages.runs.values()].filter((r) => r.session === session);

/** Somebody is asked to close an app and open it again: most do within some minutes, some do not. */
export function askToClose(lab: Stage, session: number, name: string): void {
	const w = lab.world;
	for (const run of runsOf(w, session).filter((r) => r.package === name)) {
		if (uniform(lab.seed, run.id, 304) > 0.7) continue;
		const at = w.now + Math.round((0.5 + 6 * uniform(lab.seed, run.id, 305)) * MINUTE);
		schedule(w, at, { kind: 'app over', run: run.id, turn: run.turn });
		schedule(w, at + 20 * SECOND, {
			kind: 'app',
			session,
			package: name,
			target: run.target,
			takes: Math.max(MINUTE, (run.until ?? at + HOUR) - at)
		});
	}
}

/** A session's app, as whoever sits before it closes it. */
export function closeOwn(lab: Stage, login: string, id: number): void {
	const run = lab.world.packages.runs.get(id);
	const session = run && lab.world.sessions.get(run.session);
	if (!session || session.person !== login) throw new ProviderError('there is no such app open', false);
	closeApp(lab, id);
}
