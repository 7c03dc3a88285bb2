import { randomBytes, scryptSync, timingSafeEqual } from 'node:crypto';
import { failingCheck } from '$lib/core/diagnosis/checks';
import { ON_A_WIRE } from '$lib/core/endpoints/kinds';
import { addressNumber, addressText } from '$lib/core/network/addresses';
import { builderPace } from '$lib/core/images/duration';
import { stepWords } from '$lib/core/images/sheet';
import { PHASES } from '$lib/core/watch/phases';
import { systemOf } from '$lib/core/packages/fits';
import { GB, MINUTE, SECOND } from '$lib/core/time/units';
import { ProviderError, type Inside, type Passed, type Providers, type Wishes } from '../providers';
import { sharesOf } from './browsing';
import { passesOf } from './passing';
import { changesSince, wholePage } from './directory';
import { contentOf, imageTargets, inventoryText, lacksOf, type Look } from './installers';
import { chunksOf, handOutTime, offersOf, packedOf, rightsOf, stepTime } from './images';
import { diskOf, usedByVolume } from './load';
import { innerGateway } from './inner-gateways';
import { roundTrip } from './round-trip';
import { screenOf } from './screens';
import { certificateFor, requestOf } from './device-keys';
import type { Lab } from './lab';
import { sitesOf, unjoinedSites } from './sites';
import type { Needed, Command, Effect, Operation, SimEndpoint, SimFault } from './state';

interface PackageContent {
	spec: { targets: { id: string; command: string }[] };
	files: { file: string; sha256?: string }[];
}

/**
 * Answers for the outside: turns provider calls into commands on the lab, and waits in simulated time for what
 * they take. `record` is called with every command before it is applied.
 */
export class LabServer {
	private delivered: Promise<void> = Promise.resolve();
	private waiting = new Map<string, { resolve: (result: unknown) => void; reject: (e: Error) => void }[]>();
	readonly providers: Providers;

	constructor(
		readonly lab: Lab,
		private readonly record: (command: Command) => void = () => {},
		/** A package of the store, by the digest of its manifest. */
		private readonly readPackage: (manifest: string) => Promise<PackageContent | null> = async () => null
	) {
		this.providers = this.makeProviders();
	}

	command(command: Command): unknown {
		this.record(command);
		return this.lab.apply(command);
	}

	/** Advances the lab and answers the calls that have come to their end. */
	advance(to: number): void {
		this.lab.advance(to);
		this.answer();
	}

	/** Advances the lab to the next answer that somebody waits for, and no further than `to`. It is to be given then. */
	advanceToAnswer(to: number): void {
		this.lab.advance(to, (h) => h.kind === 'operation' && this.waiting.has(h.key));
	}

	/** Answers the calls that have come to their end. */
	answer(): void {
		for (const [key, callers] of this.waiting) {
			const op = this.lab.world.operations.get(key);
			if (op && !op.done) continue;
			this.waiting.delete(key);
			for (const caller of callers) {
				if (!op) caller.reject(new ProviderError('the request is no longer known'));
				else if (op.error) caller.reject(new ProviderError(op.error.message, op.error.retry));
				else caller.resolve(op.result);
			}
		}
	}

	/** Begins an operation, or finds the one with this key, and waits until it has ended. */
	private operate<T>(key: string, effect: Effect, usual: number, scatter = 0.18): Promise<T> {
		if (!this.lab.world.operations.has(key)) this.command({ kind: 'operation', key, effect, usual, scatter });
		const op: Operation = this.lab.world.operations.get(key)!;
		if (op.done)
			return op.error
				? Promise.reject(new ProviderError(op.error.message, op.error.retry))
				: Promise.resolve(op.result as T);
		return new Promise<T>((resolve, reject) => {
			const callers = this.waiting.get(key) ?? [];
			callers.push({ resolve: resolve as (r: unknown) => void, reject });
			this.waiting.set(key, callers);
		});
	}

	/** Tells the agents, who read the packages that they do not know yet from their store. */
	private async deliver(wishes: Wishes): Promise<void> {
		const lacks: Record<string, Record<string, Needed[]>> = {};
		for (const { manifest } of wishes.packages) {
			if (this.lab.world.packages.lacks.has(manifest)) continue;
			const content = await this.readPackage(manifest).catch(() => null);
			if (!content) continue;
			const files = new Map(content.files.map((f) => [f.file, f.sha256]));
			lacks[manifest] = lacksOf(this.lab.estate, content.spec.targets, files);
		}
		this.command({ kind: 'deliver', wishes, lacks });
	}

	private makeProviders(): Providers {
		const { lab } = this;
		const w = lab.world;
		const known = (serial: string, key: string): SimEndpoint | undefined =>
			// A copy has the number of another.
			[serial, ...[1, 2, 3, 4, 5, 6, 7, 8, 9, 10].map((n) => `${serial}/${n}`)]
				.map((id) => w.endpoints.get(id))
				.find((x) => x?.key === key);
		const awake = (serial: string, key: string): SimEndpoint => {
			const e = known(serial, key);
			if (!e?.awake || !e.found) throw new ProviderError(`nothing answers that calls itself ${serial}`);
			return e;
		};
		/** Asks a device for something, once for a key; answers when. */
		const device = (
			serial: string,
			key: string,
			does: 'restart' | 'lock' | 'show' | 'firmware',
			once: string,
			text = ''
		): number => {
			if (!w.operations.has(once))
				this.command({ kind: 'device', endpoint: awake(serial, key).id, does, text, key: once });
			return w.operations.get(once)!.at;
		};
		return {
			compute: {
				create: (spec, key) =>
					this.operate(key, { kind: 'create', spec }, 45 * SECOND + (spec.disk / GB) * 1.6 * SECOND),
				remove: (machine, key) => this.operate(key, { kind: 'remove', machine }, 8 * SECOND),
				start: (machine, why, key) => this.operate(key, { kind: 'start', machine, why }, 3 * SECOND),
				stop: (machine, why, key) => this.operate(key, { kind: 'stop', machine, why }, 6 * SECOND),
				restart: (machine, why, key) => this.operate(key, { kind: 'restart', machine, why }, 12 * SECOND),
				reset: (machine, version, key) => this.operate(key, { kind: 'reset', machine, version }, 70 * SECOND),
				moveDisk: (machine, volume, key) =>
					this.operate(
						key,
						{ kind: 'move disk', machine, volume },
						20 * SECOND + (diskOf(w.machines.get(machine) ?? NO_DISK) / 300e6) * SECOND
					),
				hosts: async () => {
					const promised = new Map<string, { cores: number; memory: number; gpus: number }>();
					for (const m of [...w.machines.values(), ...w.existing.values()]) {
						if (m.host === null) continue;
						const p = promised.get(m.host) ?? { cores: 0, memory: 0, gpus: 0 };
						promised.set(m.host, { cores: p.cores + m.cores, memory: p.memory + m.memory, gpus: p.gpus + m.gpus });
					}
					// A physical machine is its own host, and takes no other.
					const declared = new Set(lab.estate.hosts.map((h) => h.id));
					return [...w.hosts.values()]
						.filter((h) => declared.has(h.name))
						.map((h) => {
							const p = promised.get(h.name);
							return {
								name: h.name,
								site: h.site,
								up: h.up,
								cores: h.cores,
								memory: h.memory,
								gpus: h.gpus,
								coresPromised: p?.cores ?? 0,
								memoryPromised: p?.memory ?? 0,
								gpusPromised: p?.gpus ?? 0
							};
						});
				},
				volumes: async () => {
					const used = usedByVolume(w);
					const declared = new Set(lab.estate.volumes.map((v) => v.id));
					return [...w.volumes.values()]
						.filter((v) => declared.has(v.id))
						.map((v) => ({ id: v.id, site: v.site, size: v.size, used: used.get(v.id)! }));
				},
				existing: async () => [...w.existing.values()],
				takeOver: (machine, pool, line, holds, key) =>
					this.operate(key, { kind: 'take over', machine, pool, line, holds }, 9 * SECOND),
				letGo: (machine, key) => this.operate(key, { kind: 'let go', machine }, 9 * SECOND),
				testBoot: async (server, site) => {
					const known = lab.estate.boot_servers.find((b) => b.id === server);
					if (!known) return { ok: false, saw: `there is no boot server ${server}` };
					if (w.faults.some((f) => f.kind === 'boot-server-down' && f.target === server))
						return { ok: false, saw: `nothing answers at ${known.address} within 10 s` };
					return { ok: true, value: Math.round(3 + roundTrip(lab.estate, known.site, site)) };
				},
				setBoot: (machines, servers, key) => this.operate(key, { kind: 'boot servers', machines, servers }, 2 * SECOND),
				written: async () => [...w.machines.values()].map((m) => ({ machine: m.name, bytes: m.written })),
				extendVolume: (volume, size, key) => this.operate(key, { kind: 'extend', volume, size }, 25 * SECOND)
			},
			builder: {
				offers: async () => offersOf(lab.estate),
				rights: async () => rightsOf(w),
				runStep: (line, step, builder, key) =>
					this.operate(
						key,
						{ kind: 'build step', line, step, words: stepWords(step) },
						stepTime(lab.estate, line, step) * builderPace(builder)
					),
				keep: (line, version, key) => this.operate(key, { kind: 'keep', line, version }, 40 * SECOND),
				discard: (line, key) => this.operate(key, { kind: 'discard', line }, 15 * SECOND),
				chunks: async (line, version) => {
					const image = w.images.kept.get(`${line}/${version}`);
					if (!image) throw new ProviderError(`the image store has no ${line} ${version}`, false);
					return chunksOf(image.contents);
				},
				targets: async (line, version) => imageTargets(w, line, version),
				tryOut: (line, version, key) => this.operate(key, { kind: 'try out', line, version }, 5 * MINUTE),
				remove: (line, version, key) => this.operate(key, { kind: 'remove version', line, version }, 20 * SECOND),
				open: (line, version, key) => this.operate(key, { kind: 'open reference', line, version }, 95 * SECOND),
				type: async (line, text, key) => this.command({ kind: 'type', line, text, key }) as string[],
				close: (line, version, key) => this.operate(key, { kind: 'close reference', line, version }, 14 * MINUTE),
				throwAway: (line, key) => this.operate(key, { kind: 'throw away', line }, 12 * SECOND),
				held: async (site) => {
					const store = w.images.stores.get(site);
					return { whole: [...(store?.whole ?? [])], loose: [...(store?.loose ?? [])] };
				},
				send: (from, to, digests, share, key) => {
					const link = lab.estate.sites
						.flatMap((s) => s.links.map((l) => ({ ...l, from: s.id })))
						.find((l) => (l.from === from && l.to === to) || (l.from === to && l.to === from));
					if (!link) return Promise.reject(new ProviderError(`no link leads from ${from} to ${to}`, false));
					if (lab.linkDown(from, to))
						return Promise.reject(new ProviderError(`the link between ${from} and ${to} is down`));
					const bytes = digests.reduce((n, d) => n + packedOf(w, d), 0);
					const rate = ((link.mbit * 1e6) / 8) * share * (1 - link.loss);
					return this.operate(
						key,
						{ kind: 'send', from, to, digests },
						(bytes / rate) * 1000 + link.latency_ms * 2,
						0.03
					);
				},
				assemble: (line, version, site, key) =>
					this.operate(key, { kind: 'assemble', line, version, site }, 90 * SECOND),
				handOut: (line, version, site, key) =>
					this.operate(
						key,
						{ kind: 'hand out', line, version, site },
						handOutTime(lab.estate, w, line, version, site),
						0.05
					)
			},
			installer: {
				offers: async () =>
					lab.estate.installers.map((i) => ({
						id: i.id,
						name: i.name,
						version: i.version,
						system: systemOf(i.system, i.users)
					})),
				prepare: (line, version, key) => this.operate(key, { kind: 'prepare capture', line, version }, 95 * SECOND),
				look: async (machine, key) =>
					inventoryText(lab.estate, w, await this.operate<Look>(key, { kind: 'look', machine }, 75 * SECOND)),
				install: (machine, installer, key) =>
					this.operate(
						key,
						{ kind: 'install', machine, installer },
						lab.estate.installers.find((i) => i.id === installer)?.takes ?? MINUTE
					),
				restart: (machine, key) => this.operate(key, { kind: 'restart capture', machine }, 50 * SECOND),
				set: (machine, settings, key) => this.operate(key, { kind: 'set', machine, settings }, 6 * SECOND),
				read: async (machine, path) => contentOf(lab.estate, w, machine, path),
				tryOut: (ask, key) =>
					this.operate(key, { kind: 'try package', ask }, 115 * SECOND + ask.targets.length * 25 * SECOND),
				dispose: (machine, key) => this.operate(key, { kind: 'dispose capture', machine }, 8 * SECOND)
			},
			directory: {
				changes: async (after, upTo = Infinity) => changesSince(w, after, upTo),
				whole: async (after) => wholePage(lab.estate, w, after),
				keepPerson: async (person, key) => {
					this.command({ kind: 'keep person', person, key });
				},
				accounts: async () => [...w.accounts].map(([name, folder]) => ({ name, folder })),
				createAccount: (name, folder, key) => this.operate(key, { kind: 'account', name, folder }, 1500),
				moveAccount: (name, folder, key) => this.operate(key, { kind: 'account', name, folder, moved: true }, 1500),
				removeAccount: (name, key) => this.operate(key, { kind: 'account', name, folder: null }, 1500),
				verify: async (login, password) => {
					if (!w.people.has(login)) return false;
					const own = w.passwords?.get(login);
					return own === undefined ? password === LAB_PASSWORD : samePassword(own, password);
				},
				setPassword: async (login, password, key) => {
					// Nobody's password stands in the journal.
					this.command({ kind: 'password', login, hash: hashed(password), key });
				}
			},
			network: {
				free: async (network) => {
					const n = w.networks.get(network);
					return !n || n.usedUp ? 0 : n.last - n.first + 1 - n.leased.size;
				},
				release: (network, key) => this.operate(key, { kind: 'release', network }, 6 * SECOND),
				setLast: (network, last, key) => this.operate(key, { kind: 'range', network, last }, 4 * SECOND),
				gateways: async () =>
					[...w.gateways].flatMap(([gateway, g]) =>
						[...g.protocols].map(([protocol, p]) => ({ gateway, protocol, ...p }))
					),
				setAnnounced: (gateway, protocol, port, key) =>
					this.operate(key, { kind: 'announce', gateway, protocol, port }, 4 * SECOND),
				relays: async () =>
					[...w.gateways].flatMap(([gateway, { relay }]) =>
						relay ? [{ gateway, announced: addressText(relay.announced), stands: addressText(relay.stands) }] : []
					),
				setRelay: (gateway, address, key) =>
					this.operate(key, { kind: 'hand out relay', gateway, address: addressNumber(address) }, 4 * SECOND),
				innerGateway: async (address, doors) => innerGateway(lab.stage, address, doors)
			},
			agent: {
				probe: async (machine) => lab.probe(machine),
				sweep: async (machines) =>
					machines.flatMap((machine) => {
						const failing = failingCheck(lab.probe(machine));
						return failing ? [{ machine, failing }] : [];
					}),
				restartService: (machine, check, key) =>
					this.operate(key, { kind: 'restart service', machine, check }, 20 * SECOND),
				message: (session, text, key) =>
					this.operate(key, { kind: 'log', log: [`session ${session}: ${text}`] }, 800).then(() => {}),
				askToClose: (session, name, text, key) =>
					this.operate(key, { kind: 'ask to close', session, package: name, text }, 800),
				// One after the other: what is wished last is what counts.
				deliver: (wishes) => (this.delivered = this.delivered.catch(() => {}).then(() => this.deliver(wishes))),
				settings: async (told) => {
					this.command({ kind: 'settings', told });
				},
				overlays: async (name) =>
					[...w.packages.overlays.values()]
						.filter((o) => o.package === name)
						.map(({ person, machine, bytes }) => ({ person, machine, bytes })),
				emptyOverlay: (name, person, key) => this.operate(key, { kind: 'empty overlay', package: name, person }, 1500),
				closeApp: async (login, run) => {
					this.command({ kind: 'close app', login, run });
				},
				signOut: (session, why, key) => this.operate(key, { kind: 'sign out', session, why }, 9 * SECOND)
			},
			broker: {
				configure: async (config) => {
					this.command({ kind: 'configure', config });
				},
				connect: async (login, publication, secondFactor, key, another = false) => ({
					connection: this.command({ kind: 'connect', login, publication, secondFactor, key, another }) as number
				}),
				connection: async (id) => {
					const c = w.connections.get(id);
					if (!c) return null;
					return {
						id: c.id,
						person: c.person,
						publication: c.publication,
						result: c.result,
						phase: c.result === 'opening' ? (PHASES[c.phase] ?? null) : null,
						phases: c.phases,
						machine: c.machine,
						session: c.session,
						cause: c.cause,
						advice: c.advice,
						since: c.began,
						run: c.run,
						start: c.start,
						sharing: c.sharing
					};
				},
				disconnect: async (session) => {
					this.command({ kind: 'disconnect', session });
				},
				distrust: async (certificates) => {
					this.command({ kind: 'distrust', certificates: [...certificates] });
				},
				inside: async (login, target, secondFactor, reason) =>
					this.command({ kind: 'inside', login, target, secondFactor, reason }) as Inside,
				shares: async (login) => sharesOf(lab.stage, login),
				passes: async (connection) => passesOf(lab.stage, connection),
				pass: async (connection, passage, bytes, reason) =>
					this.command({ kind: 'pass', connection, passage, bytes, reason }) as Passed,
				rules: async (told) => {
					this.command({ kind: 'rules', told });
				},
				setAside: async (machines, aside, key) => this.command({ kind: 'aside', machines, aside, key }) as string[]
			},
			sites: sitesOf(lab),
			files: {
				removeProfile: async (login, key) => {
					this.command({ kind: 'profile', login, to: null, key });
				},
				handProfile: async (login, to, key) => this.command({ kind: 'profile', login, to, key }) as number
			},
			endpoints: {
				request: async (serial, key) => {
					const e = awake(serial, key);
					return requestOf(e.id, e.serial);
				},
				wake: async (serial, key, by) => {
					const sender = awake(by.serial, by.key);
					const e = known(serial, key);
					// Nobody tells whether the signal was heard: a device that has gone does not answer.
					if (e && !e.awake && e.site === sender.site && ON_A_WIRE.has(e.kind))
						this.command({ kind: 'switch on', endpoint: e.id });
				},
				firmware: async () =>
					lab.estate.endpoints.firmware.map(({ model, version, size: bytes }) => ({ model, version, bytes })),
				takeFirmware: async (serial, key, version) => {
					const e = awake(serial, key);
					if (!lab.estate.endpoints.firmware.some((f) => f.model === e.model && f.version === version))
						throw new ProviderError(`there is no ${version} for ${e.model}`, false);
					device(serial, key, 'firmware', `firmware ${e.id} ${version} ${w.now}`, version);
				},
				restart: async (serial, key, once) => device(serial, key, 'restart', once),
				lock: async (serial, key, once) => device(serial, key, 'lock', once),
				show: async (serial, key, text, once) => device(serial, key, 'show', once, text),
				ask: (serial, key, { person }, once) =>
					this.operate(
						once,
						{ kind: 'ask to look', endpoint: awake(serial, key).id, person, key: once },
						18 * SECOND,
						0.5
					),
				screen: async (serial, key) => screenOf(lab, awake(serial, key)),
				hand: async (serial, key, person, once) => {
					const e = known(serial, key);
					if (!e) throw new ProviderError(`nobody knows a device ${serial}`, false);
					this.command({ kind: 'hand', endpoint: e.id, person, key: once });
				},
				give: async (serial, key, pem) => {
					const e = awake(serial, key);
					const kept = certificateFor(e, pem);
					if (!kept) throw new ProviderError(`${e.name} does not take a certificate that is not for its key`, false);
					this.command({ kind: 'certificate', endpoint: e.id, ...kept });
				}
			},
			mail: {
				send: async (to, subject, body, key) => {
					this.command({ kind: 'mail', to, subject, body, key });
				},
				sent: async () => w.outbox.slice(-200)
			},
			observations: {
				after: async (seq, limit) => {
					const log = w.observations;
					const first = log[0]?.seq ?? w.nextSeq;
					if (seq >= first) log.splice(0, seq - first + 1);
					return log.slice(0, limit);
				}
			}
		};
	}

	/** What only the lab bench may do. */
	readonly bench = {
		faults: async (): Promise<SimFault[]> => this.lab.world.faults,
		addFault: async (kind: SimFault['kind'], target: string, value: number | null): Promise<number> =>
			this.command({ kind: 'fault', fault: kind, target, value }) as number,
		sites: async () => unjoinedSites(this.lab.estate, this.providers),
		clearFault: async (id: number): Promise<boolean> => this.command({ kind: 'clear fault', id }) as boolean,
		/** Switches a device on, by its name or its serial number. Answers whether there is one. */
		startEndpoint: async (called: string): Promise<boolean> => {
			const wanted = called.trim().toLowerCase();
			const e = [...this.lab.world.endpoints.values()].find((x) =>
				[x.name, x.serial].some((n) => n.toLowerCase() === wanted)
			);
			return e !== undefined && (this.command({ kind: 'switch on', endpoint: e.id }) as boolean);
		}
	};
}

const NO_DISK = { disk: 0, pageFile: 0, pageApart: false };

/** Everybody in a lab's directory begins with this password: there is nothing to protect. */
export const LAB_PASSWORD = 'tideline';

function hashed(password: string): string {
	const salt = randomBytes(16);
	return `${salt.toString('base64')} ${scryptSync(password, salt, 32).toString('base64')}`;
}

function samePassword(kept: string, password: string): boolean {
	const [salt, hash] = kept.split(' ').map((part) => Buffer.from(part, 'base64')) as [Buffer, Buffer];
	return timingSafeEqual(hash, scryptSync(password, salt, 32));
}
