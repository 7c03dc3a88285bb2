import { announced, changePerson, keepPerson, moveProfile, personComes } from './directory';
import { weekBegins } from './turnover';
import { logOf } from '../log';
import type { CheckResult } from '$lib/core/diagnosis/checks';
import type { Estate } from '$lib/core/estate/schema';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { ProviderError } from '../providers';
import { schedule } from './agenda';
import { appOpened, closeApp, closeOwn, packageDone, retry, takeWishes, useApp } from './apps';
import { begin, operationDone } from './effects';
import { browseOneMinute, goInside } from './browsing';
import { passThrough } from './passing';
import { beginFirmware, firmwareTaken, lockDevice, restartDevice, showOn } from './device-work';
import { found, mended } from './device-fates';
import { callsAgain, sleeps, switchOn } from './endpoints';
import { handTo } from './fleets';
import { applyFault, clearFault } from './faults';
import { typeCommand } from './images';
import { workOneMinute } from './load';
import { planDay } from './people';
import { bootStage, watchdog } from './power';
import { probe } from './probes';
import { popTimed } from './queue';
import { endSession, leave, limit, lunch, setAside, signOut } from './sessions';
import { appFailed, appReady, connect, patienceOver, phaseDone, serveWaiting } from './sign-in';
import { Stage } from './stage';
import type { Command, Happening, World } from './state';

/**
 * The simulated estate: a seeded discrete-event simulation. Time moves only in `advance`; the world changes only
 * there and in `apply`. The same estate, commands and times give the same observations, to the row.
 */
export class Lab {
	/** All that happens shares this. */
	readonly stage: Stage;
	/** How much has happened. */
	happened = 0;
	/** Whether what people reach is worked out here: not where a twin does it. */
	browses = true;

	constructor(
		estate: Estate,
		world?: World,
		/** Told of what could not happen, because the lab itself has a fault. */
		wrong: (e: unknown, what: Happening) => void = (e, what) =>
			logOf('lab').error({ what: what.kind, err: e }, 'this could not happen')
	) {
		const stage = new Stage(estate, world, wrong);
		stage.does = {
			serveWaiting: () => serveWaiting(stage),
			appReady: (connection, run, start) => appReady(stage, connection, run, start),
			appFailed: (connection, why, advice) => appFailed(stage, connection, why, advice),
			signOut: (session, cause) => signOut(stage, session, cause)
		};
		this.stage = stage;
	}

	get estate(): Estate {
		return this.stage.estate;
	}

	get world(): World {
		return this.stage.world;
	}

	get now(): number {
		return this.stage.now;
	}

	/** What the checks along the way to a machine see right now. */
	probe(name: string): CheckResult[] {
		return probe(this.stage, name);
	}

	/** Whether a link is down, whichever way round it is named. */
	linkDown(a: string, b: string): boolean {
		return this.stage.linkDown(a, b);
	}

	/**
	 * Lets everything happen that is due up to and including `to` (ms UTC). Going back is not possible.
	 * @param stop asked after each thing that happened: true, and the clock stays there
	 */
	advance(to: number, stop: (what: Happening) => boolean = () => false): void {
		const { queue } = this.stage.world;
		while (queue.length && queue[0]!.t <= to) {
			const next = popTimed(queue)!;
			this.happened++;
			this.stage.world.now = Math.max(this.stage.world.now, next.t);
			try {
				this.happen(next);
			} catch (e) {
				// One thing goes wrong: it does not happen, and everything else goes on. The same again, each time.
				this.stage.wrong(e, next);
			}
			if (stop(next)) return;
		}
		this.stage.world.now = Math.max(this.stage.world.now, to);
	}

	/** When the next thing is due, or Infinity. */
	nextDue(): number {
		return this.stage.world.queue[0]?.t ?? Infinity;
	}

	/** A relay moves to its new address, and is announced there. */
	private moveRelay(gateway: string): void {
		const told = this.estate.gateways.find((g) => g.id === gateway)?.relay;
		const relay = this.world.gateways.get(gateway)?.relay;
		if (!told || !relay) return;
		relay.retired = relay.stands;
		relay.stands = told.address;
		relay.announced = told.address;
	}

	/** Carries out a request from outside, now. Returns what can be said at once. */
	apply(command: Command): unknown {
		const w = this.stage.world;
		switch (command.kind) {
			case 'operation':
				return begin(this.stage, command.key, command.effect, command.usual, command.scatter);
			case 'configure':
				w.broker = command.config;
				this.stage.indexBroker();
				return null;
			case 'connect': {
				const known = w.operations.get(command.key);
				if (known) return known.result;
				const id = connect(
					this.stage,
					command.login,
					command.publication,
					null,
					0,
					command.secondFactor,
					command.another
				);
				w.operations.set(command.key, { key: command.key, done: true, at: w.now, error: null, result: id });
				return id;
			}
			case 'deliver':
				takeWishes(this.stage, command.wishes, command.lacks);
				return null;
			case 'settings':
				w.settings = command.told;
				this.stage.readSettings();
				return null;
			case 'close app':
				closeOwn(this.stage, command.login, command.run);
				return null;
			case 'disconnect': {
				const session = w.sessions.get(command.session);
				if (session?.state === 'active') setAside(this.stage, session, 'the person disconnected');
				return null;
			}
			case 'aside': {
				const known = w.operations.get(command.key);
				if (known) return known.result;
				const busy: string[] = [];
				for (const name of command.machines) {
					const m = w.machines.get(name);
					if (!m) continue;
					if (m.sessions.length + m.coming > 0) busy.push(name);
					m.asideUntil = command.aside ? Number.MAX_SAFE_INTEGER : 0;
				}
				w.operations.set(command.key, { key: command.key, done: true, at: w.now, error: null, result: busy });
				if (!command.aside) serveWaiting(this.stage);
				return busy;
			}
			case 'type': {
				const known = w.operations.get(command.key);
				if (known) return known.result;
				const result = typeCommand(this.stage.estate, w, command.line, command.text);
				w.operations.set(command.key, { key: command.key, done: true, at: w.now, error: null, result });
				return result;
			}
			case 'password':
				if (!w.people.has(command.login))
					throw new ProviderError(`the directory knows nobody called ${command.login}`, false);
				(w.passwords ??= new Map()).set(command.login, command.hash);
				return null;
			case 'keep person':
				return keepPerson(w, this.estate, command.person);
			case 'switch on':
				return switchOn(this.stage, command.endpoint);
			case 'certificate': {
				const e = w.endpoints.get(command.endpoint);
				if (e) e.certificate = { number: command.number, ends: command.ends };
				return null;
			}
			case 'device':
				if (w.operations.has(command.key)) return null;
				w.operations.set(command.key, { key: command.key, done: true, at: w.now, error: null, result: null });
				if (command.does === 'restart') return restartDevice(this.stage, command.endpoint);
				if (command.does === 'lock') return lockDevice(this.stage, command.endpoint);
				if (command.does === 'firmware') return beginFirmware(this.stage, command.endpoint, command.text);
				return showOn(this.stage, command.endpoint, command.text);
			case 'hand':
				if (!w.operations.has(command.key)) {
					w.operations.set(command.key, { key: command.key, done: true, at: w.now, error: null, result: null });
					handTo(w, command.endpoint, command.person);
				}
				return null;
			case 'inside':
				return goInside(this.stage, command.login, command.target, command.secondFactor, command.reason);
			case 'pass':
				return passThrough(this.stage, command.connection, command.passage, command.bytes, command.reason);
			case 'rules':
				w.rules = command.told;
				return null;
			case 'distrust':
				w.distrusted = new Set(command.certificates);
				return null;
			case 'profile':
				return moveProfile(w, command);
			case 'mail':
				if (!w.operations.has(command.key)) {
					w.operations.set(command.key, { key: command.key, done: true, at: w.now, error: null, result: null });
					w.outbox.push({ to: command.to, subject: command.subject, body: command.body, at: w.now });
				}
				return null;
			case 'fault':
				return applyFault(this.stage, {
					kind: command.fault,
					target: command.target,
					value: command.value,
					until: null
				});
			case 'clear fault':
				return clearFault(this.stage, command.id);
		}
	}

	/** What goes wrong here ends this alone: nothing else follows from it, so that a twin may do it. */
	private browse(minute: Happening): void {
		try {
			browseOneMinute(this.stage);
		} catch (e) {
			this.stage.wrong(e, minute);
		}
	}

	private happen(h: Happening): void {
		const lab = this.stage;
		const w = lab.world;
		switch (h.kind) {
			case 'minute':
				// The next one comes whatever this one comes to.
				schedule(w, h.t + MINUTE, { kind: 'minute' });
				lab.observe({ kind: 'samples', ...workOneMinute(w, lab.seed) });
				if (this.browses) this.browse(h);
				if (h.t % TIDIED === 0) tidy(w);
				return retry(lab);
			case 'day':
				return planDay(lab, w.people.get(h.person)!, h.day);
			case 'visit':
				return void connect(lab, h.person, h.publication, h.leaveAt, h.tries, undefined);
			case 'leave':
				return leave(lab, h);
			case 'lunch':
				return lunch(lab, h);
			case 'limit':
				return limit(lab, h);
			case 'ended':
				return endSession(lab, h.session, h.cause);
			case 'phase':
				return phaseDone(lab, h.connection, h.phase);
			case 'patience':
				return patienceOver(lab, h.connection);
			case 'boot':
				return bootStage(lab, h.machine, h.life, h.stage);
			case 'watchdog':
				return watchdog(lab, h);
			case 'operation':
				return operationDone(lab, h);
			case 'package':
				return packageDone(lab, h);
			case 'app':
				return useApp(lab, h);
			case 'app open':
				return appOpened(lab, h);
			case 'app over':
				if (w.packages.runs.get(h.run)?.turn === h.turn) closeApp(lab, h.run);
				return;
			case 'fault':
				return void applyFault(lab, h.fault);
			case 'person changes':
				return changePerson(w, this.estate, h.person, h.change);
			case 'person told': {
				const said = announced(w, h.person, h.change);
				return said ? changePerson(w, this.estate, h.person, said) : undefined;
			}
			case 'person comes':
				return personComes(w, this.estate, h.person);
			case 'week':
				return weekBegins(w, this.estate, h.week);
			case 'relay moves':
				return this.moveRelay(h.gateway);
			case 'endpoint firmware':
				return firmwareTaken(lab, h.endpoint, h.version, h.turn);
			case 'endpoint starts':
				return void switchOn(lab, h.endpoint);
			case 'endpoint found':
				return found(lab, h.endpoint);
			case 'endpoint mended':
				return mended(lab, h.endpoint);
			case 'endpoint calls':
				return callsAgain(lab, h.endpoint, h.turn);
			case 'endpoint sleeps':
				return sleeps(lab, h.endpoint, h.turn);
			case 'fault over':
				return void clearFault(lab, h.id);
		}
	}
}

/** So often the lab lets go of what nobody asks for any more, ms. */
const TIDIED = 10 * MINUTE;

/** Lets go of what nobody will ask for any more: connections an hour after they came to nothing or their session has ended, operations after two days. */
function tidy(w: World): void {
	for (const c of w.connections.values())
		if (c.result !== 'opening' && w.now - c.ended > HOUR && !(c.session !== null && w.sessions.has(c.session)))
			w.connections.delete(c.id);
	for (const o of w.operations.values()) if (o.done && w.now - o.at > 48 * HOUR) w.operations.delete(o.key);
}
