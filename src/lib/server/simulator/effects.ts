import { addressText } from '$lib/core/network/addresses';
import { AS_FOUND } from '$lib/core/images/versions';
import { ProviderError } from '../providers';
import { schedule } from './agenda';
import { askToClose, emptyOverlays, tell } from './apps';
import { asNew } from './genesis';
import { assemble, buildStep, keepVersion, receive, referenceContents, tryOut } from './images';
import { captureMachine, install, tryPackage } from './installers';
import { diskOf, usedByVolume } from './load';
import { powerOff, powerOn } from './power';
import { about, hashText, uniform } from './random';
import { answerTo } from './screens';
import { endSession } from './sessions';
import { serveWaiting } from './sign-in';
import type { Stage } from './stage';
import type { Effect, Happening, SimMachine } from './state';

/** Begins what a provider was asked for. The same key twice is one request. */
export function begin(lab: Stage, key: string, effect: Effect, usual: number, scatter = 0.18): string {
	const w = lab.world;
	if (w.operations.has(key)) return key;
	w.operations.set(key, { key, done: false, at: w.now, error: null, result: null });
	const draw = hashText(key);
	const fails = uniform(lab.seed, draw, 11) < failureOf(lab, effect);
	const busy = 'spec' in effect ? 1 / (1 - Math.min(0.9, w.volumes.get(effect.spec.volume)?.busy ?? 0)) : 1;
	const took = usual * busy * about(scatter, lab.seed, draw, 12);
	const stepFault =
		effect.kind === 'build step' &&
		w.faults.some((f) => f.kind === 'build-step-fails' && effect.words.includes(f.target));
	const error = stepFault
		? `the step ended with exit code 1603 after ${Math.round((took * 0.6) / 1000)} s`
		: fails
			? failureWords(effect)
			: null;
	schedule(w, w.now + Math.max(1, Math.round(error ? took * 0.6 : took)), { kind: 'operation', key, effect, error });
	return key;
}

/** What was asked for is done, or has failed. */
export function operationDone(lab: Stage, h: Extract<Happening, { kind: 'operation' }>): void {
	const op = lab.world.operations.get(h.key);
	if (!op) return;
	op.done = true;
	op.at = lab.now;
	if (h.error) op.error = { message: h.error, retry: true };
	else if (h.effect) {
		try {
			op.result = carryOut(lab, h.effect);
		} catch (e) {
			// Whoever asked is told, whatever it was.
			op.error = {
				message: e instanceof Error ? e.message : String(e),
				retry: e instanceof ProviderError && e.retry
			};
			if (!(e instanceof ProviderError)) lab.wrong(e, h);
		}
	}
}

/** Quick calls rarely fail; making a machine moves gigabytes, and fails as often as the estate says. */
function failureOf(lab: Stage, effect: Effect): number {
	const p = lab.estate.lab.failure;
	return effect.kind === 'create'
		? p * 2
		: effect.kind === 'start' || effect.kind === 'stop'
			? p / 4
			: effect.kind === 'build step'
				? p / 3
				: 0;
}

function carryOut(lab: Stage, effect: Effect): unknown {
	const w = lab.world;
	const machine = (name: string) => {
		const m = w.machines.get(name);
		if (!m) throw new ProviderError(`the compute provider knows no machine ${name}`, false);
		return m;
	};
	switch (effect.kind) {
		case 'create':
			return create(lab, effect.spec);
		case 'remove': {
			const m = w.machines.get(effect.machine);
			if (!m) return null;
			if (m.state !== 'off') powerOff(lab, m, 'off', 'the machine is removed');
			w.machines.delete(m.name);
			emptyOverlays(w, (o) => o.machine === m.name);
			tell(lab, { kind: 'gone', machine: m.name });
			if (m.address !== null) w.networks.get(m.network)!.leased.delete(m.address);
			lab.observe({ kind: 'unmade', machine: m.name });
			return null;
		}
		case 'start': {
			const m = machine(effect.machine);
			if (m.state === 'off' || m.state === 'failed') powerOn(lab, m, effect.why);
			return null;
		}
		case 'stop': {
			const m = machine(effect.machine);
			if (m.state !== 'off') powerOff(lab, m, 'off', effect.why);
			return null;
		}
		case 'restart': {
			const m = machine(effect.machine);
			powerOff(lab, m, 'off', effect.why);
			powerOn(lab, m, effect.why);
			return null;
		}
		case 'reset': {
			const m = machine(effect.machine);
			if (!w.versions.get(m.line)?.has(effect.version))
				throw new ProviderError(`the image store has no ${m.line} ${effect.version}`, false);
			if (lab.estate.existing.some((x) => x.name === m.name && x.kind === 'physical'))
				throw new ProviderError(`${m.name} is a physical machine: no image can be put on it`, false);
			needWhole(lab, m.site, m.line, effect.version);
			whileOff(lab, m, 'reset to its image', 'started after the reset', () => {
				m.version = effect.version;
				m.trusted = true;
				m.nameOk = true;
				emptyOverlays(w, (o) => o.machine === m.name);
			});
			return null;
		}
		case 'move disk': {
			const m = machine(effect.machine);
			const volume = w.volumes.get(effect.volume);
			if (!volume || volume.site !== m.site)
				throw new ProviderError(`there is no volume ${effect.volume} where ${m.name} stands`, false);
			if ((usedByVolume(w).get(volume.id) ?? 0) + diskOf(m) > volume.size)
				throw new ProviderError(`volume ${volume.id} is full`, false);
			whileOff(lab, m, 'its disk is moved', 'started after its disk was moved', () => (m.volume = volume.id));
			return null;
		}
		case 'prepare capture': {
			if (!w.images.kept.has(`${effect.line}/${effect.version}`))
				throw new ProviderError(`the image store has no ${effect.line} ${effect.version}`, false);
			const name = `capture-${String(1 + w.nextHappening).padStart(4, '0')}`;
			w.captures.set(name, {
				name,
				line: effect.line,
				version: effect.version,
				since: w.now,
				installed: [],
				pending: 0,
				set: [],
				looks: 0
			});
			return { machine: name };
		}
		case 'install':
			return install(lab.estate, w, effect.machine, effect.installer);
		case 'restart capture':
			captureMachine(w, effect.machine).pending = 0;
			return null;
		case 'set':
			captureMachine(w, effect.machine).set.push(...effect.settings);
			return null;
		case 'look': {
			const { name, line, version, installed, pending, set, looks } = captureMachine(w, effect.machine);
			captureMachine(w, effect.machine).looks++;
			return { name, line, version, installed: [...installed], pending, set: [...set], look: looks, at: w.now };
		}
		case 'dispose capture':
			w.captures.delete(effect.machine);
			return null;
		case 'restart service': {
			const m = machine(effect.machine);
			if (m.hung) throw new ProviderError('the machine does not answer', true);
			if (effect.check === 'agent' || effect.check === 'protocol') m.agent = true;
			if (effect.check === 'name') m.nameOk = true;
			if (m.state === 'failed' && m.agent)
				lab.setState(m, m.sessions.length ? 'in use' : 'ready', 'its agent answers again');
			serveWaiting(lab);
			return null;
		}
		case 'sign out': {
			const s = w.sessions.get(effect.session);
			if (s) endSession(lab, s.id, effect.why);
			return null;
		}
		case 'announce': {
			const port = w.gateways.get(effect.gateway)?.protocols.get(effect.protocol);
			if (!port) throw new ProviderError(`gateway ${effect.gateway} has no ${effect.protocol}`, false);
			port.announced = effect.port;
			w.faults = w.faults.filter(
				(f) => !(f.kind === 'gateway-port' && f.target === `${effect.gateway}/${effect.protocol}`)
			);
			return null;
		}
		case 'hand out relay': {
			const relay = w.gateways.get(effect.gateway)?.relay;
			if (!relay) throw new ProviderError(`gateway ${effect.gateway} has no relay`, false);
			relay.announced = effect.address;
			w.faults = w.faults.filter((f) => !(f.kind === 'gateway-relay' && f.target === effect.gateway));
			return null;
		}
		case 'extend': {
			const volume = w.volumes.get(effect.volume);
			if (!volume) throw new ProviderError(`the compute provider knows no volume ${effect.volume}`, false);
			if (effect.size < volume.size) throw new ProviderError('a volume cannot shrink', false);
			volume.size = effect.size;
			return null;
		}
		case 'release': {
			const network = w.networks.get(effect.network);
			if (!network) throw new ProviderError(`there is no network ${effect.network}`, false);
			const stale = network.usedUp ? network.last - network.first + 1 - network.leased.size : 0;
			network.usedUp = false;
			w.faults = w.faults.filter((f) => !(f.kind === 'range-used-up' && f.target === effect.network));
			return stale;
		}
		case 'range': {
			const network = w.networks.get(effect.network);
			if (!network) throw new ProviderError(`there is no network ${effect.network}`, false);
			network.last = effect.last;
			return null;
		}
		case 'account':
			if (effect.folder === null) w.accounts.delete(effect.name);
			else if (effect.moved && w.accounts.has(effect.name)) w.accounts.set(effect.name, effect.folder);
			else if (w.accounts.has(effect.name))
				throw new ProviderError(
					`the directory has an account ${effect.name} already, in ${w.accounts.get(effect.name)}`,
					false
				);
			else w.accounts.set(effect.name, effect.folder);
			return null;
		case 'take over':
			takeOver(lab, effect.machine, effect.pool, effect.line, effect.holds);
			return null;
		case 'let go':
			letGo(lab, effect.machine);
			return null;
		case 'boot servers':
			for (const name of effect.machines) {
				const m = w.machines.get(name);
				if (m) m.bootServers = effect.servers;
			}
			return null;
		case 'build step':
			return buildStep(lab.estate, w, effect.line, effect.step);
		case 'keep': {
			const builder = w.images.builders.get(effect.line);
			if (!builder) throw new ProviderError('the builder machine is gone', false);
			keepVersion(lab.estate, w, effect.line, effect.version, builder.contents);
			return { contents: builder.contents };
		}
		case 'discard':
			w.images.builders.delete(effect.line);
			return null;
		case 'try out':
			return tryOut(lab.estate, w, effect.line, effect.version);
		case 'remove version': {
			const id = `${effect.line}/${effect.version}`;
			w.images.kept.delete(id);
			w.versions.get(effect.line)?.delete(effect.version);
			for (const store of w.images.stores.values()) store.whole.delete(id);
			return null;
		}
		case 'hand out': {
			const store = w.images.stores.get(effect.site);
			if (!store) throw new ProviderError(`there is no image store at ${effect.site}`, false);
			store.whole.add(`${effect.line}/${effect.version}`);
			return null;
		}
		case 'send':
			if (lab.linkDown(effect.from, effect.to))
				throw new ProviderError(`the link between ${effect.from} and ${effect.to} is down`);
			receive(w, effect.from, effect.to, effect.digests);
			return null;
		case 'assemble':
			assemble(w, effect.line, effect.version, effect.site);
			return null;
		case 'open reference': {
			const image = w.images.kept.get(`${effect.line}/${effect.version}`);
			if (!image) throw new ProviderError(`the image store has no ${effect.line} ${effect.version}`, false);
			w.images.references.set(effect.line, {
				from: effect.version,
				contents: image.contents,
				settings: {},
				restart: false
			});
			return { machine: `ref-${effect.line}` };
		}
		case 'close reference': {
			const contents = referenceContents(w, effect.line);
			keepVersion(lab.estate, w, effect.line, effect.version, contents);
			w.images.references.delete(effect.line);
			return { contents };
		}
		case 'throw away':
			w.images.references.delete(effect.line);
			return null;
		case 'try package':
			return tryPackage(lab.estate, w, lab.seed, effect.ask);
		case 'empty overlay':
			return emptyOverlays(w, (o) => o.package === effect.package && o.person === effect.person);
		case 'ask to close':
			askToClose(lab, effect.session, effect.package);
			return null;
		case 'ask to look':
			return answerTo(lab, effect.endpoint, effect.person, effect.key);
		case 'log':
			return effect.log;
	}
}

/** Changes what a machine is made of: a machine that is on is stopped for it and started again. */
function whileOff(lab: Stage, m: SimMachine, why: string, after: string, change: () => void): void {
	const wasOn = m.state !== 'off';
	if (wasOn) powerOff(lab, m, 'off', why);
	change();
	tellMade(lab, m);
	if (wasOn) powerOn(lab, m, after);
}

function tellMade(lab: Stage, m: SimMachine): void {
	lab.observe({
		kind: 'made',
		machine: m.name,
		pool: m.pool,
		host: m.host,
		volume: m.volume,
		version: m.version,
		address: addressText(m.address ?? 0)
	});
}

function needWhole(lab: Stage, site: string, line: string, version: string): void {
	if (!lab.world.images.stores.get(site)?.whole.has(`${line}/${version}`))
		throw new ProviderError(`the image store at ${site} does not have ${line} ${version} whole`, false);
}

/** A machine that was there becomes one of a pool, as it is; a physical one stands on itself. */
function takeOver(lab: Stage, name: string, pool: string, line: string, holds: number): void {
	const w = lab.world;
	if (w.machines.get(name)?.pool === pool) return;
	const m = w.existing.get(name);
	if (!m) throw new ProviderError(`the compute provider knows no machine ${name} that belongs to nobody`, false);
	const { kind: _kind, system: _system, generation: _generation, ...rest } = m;
	if (m.kind === 'physical') {
		w.hosts.set(name, {
			name,
			site: m.site,
			cores: m.cores,
			memory: m.memory,
			gpus: m.gpus,
			up: true,
			pressure: 0,
			gpuPressure: 0
		});
		w.volumes.set(name, { id: name, site: m.site, size: m.disk * 1.2, iops: 4000, other: 0, busy: 0, booting: 0 });
	}
	const address = [...w.networks.get(m.network)!.leased].find(([, who]) => who === name)?.[0] ?? null;
	const machine: SimMachine = {
		...rest,
		host: m.host ?? name,
		volume: m.volume ?? name,
		pool,
		line,
		version: AS_FOUND,
		holds,
		pageFile: 0,
		pageApart: false,
		bootServers: [],
		address,
		...asNew()
	};
	w.existing.delete(name);
	w.machines.set(name, machine);
	tellMade(lab, machine);
	lab.observe({ kind: 'machine', machine: name, state: 'off', cause: 'it was taken over as it was' });
}

function letGo(lab: Stage, name: string): void {
	const w = lab.world;
	const m = w.machines.get(name);
	if (!m) return;
	const declared = lab.estate.existing.find((x) => x.name === name);
	if (!declared) throw new ProviderError(`${name} was not taken over`, false);
	if (m.state !== 'off') powerOff(lab, m, 'off', 'it is let go');
	w.machines.delete(name);
	tell(lab, { kind: 'gone', machine: name });
	const { folder: _folder, ...rest } = declared;
	w.existing.set(name, { ...rest, host: declared.host ?? null, volume: declared.volume ?? null });
	if (declared.kind === 'physical') {
		w.hosts.delete(name);
		w.volumes.delete(name);
	}
	lab.observe({ kind: 'unmade', machine: name });
}

function create(
	lab: Stage,
	spec: Effect extends infer E ? (E extends { kind: 'create'; spec: infer S } ? S : never) : never
): {
	address: string;
} {
	const w = lab.world;
	if (w.machines.has(spec.name)) throw new ProviderError(`there is a machine ${spec.name} already`, false);
	const host = w.hosts.get(spec.host);
	if (!host?.up) throw new ProviderError(`host ${spec.host} is down`);
	if (!w.versions.get(spec.line)?.has(spec.version))
		throw new ProviderError(`the image store has no ${spec.line} ${spec.version}`, false);
	needWhole(lab, host.site, spec.line, spec.version);
	const volume = w.volumes.get(spec.volume)!;
	if ((usedByVolume(w).get(volume.id) ?? 0) + diskOf(spec) > volume.size)
		throw new ProviderError(`volume ${volume.id} is full`);
	const network = w.networks.get(spec.network)!;
	let address = network.first;
	while (network.leased.has(address)) address++;
	if (network.usedUp || address > network.last) throw new ProviderError(`network ${spec.network} has no free address`);
	network.leased.set(address, spec.name);
	const machine: SimMachine = { ...spec, site: host.site, address, ...asNew() };
	w.machines.set(spec.name, machine);
	tellMade(lab, machine);
	lab.observe({ kind: 'machine', machine: spec.name, state: 'off', cause: 'it has just been made' });
	return { address: addressText(address) };
}

function failureWords(effect: Effect): string {
	switch (effect.kind) {
		case 'create':
			return `volume ${effect.spec.volume} did not finish the copy in time`;
		case 'build step':
			return 'the builder machine lost its connection to the package store';
		default:
			return 'the compute provider did not answer in time';
	}
}
