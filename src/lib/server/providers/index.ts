import type { ToldRules, Verdict } from '$lib/core/reach/enforce';
import type { HostPort } from '$lib/core/reach/hosts';
import type { Effect, Used, Way } from '$lib/core/reach/rules';
import type { Passage } from '$lib/core/reach/channels';
import type { Destination, Target } from '$lib/core/reach/targets';
import type { Told } from '$lib/core/endpoints/calling';
import type { EndpointKind } from '$lib/core/endpoints/kinds';
import type { DirectoryChange, PersonRecord, TeamRecord } from '$lib/core/people/record';
import type { Channel, Conditions, Door } from '$lib/core/access/decide';
import type { Placing } from '$lib/core/capacity/placement';
import type { ParamValues } from '$lib/core/images/library/params';
import type { Right } from '$lib/core/images/library/kinds';
import type { StockSystem, StorePackage } from '$lib/core/images/sheet';
import type { Component } from '$lib/core/images/versions';
import type { LaunchTarget } from '$lib/core/packages/launch-target';
import type { SettingEntry, SystemKind } from '$lib/core/packages/inventory';
import type { Wanted } from '$lib/core/packages/attach';
import type { AttachCause, PackageNeeds } from '$lib/core/packages/attaching';
import type { WriteRules } from '$lib/core/packages/scope';
import type { TargetRun } from '$lib/core/packages/trial';
import type { StartKind } from '$lib/core/packages/starting';
import type { CheckName, CheckResult } from '$lib/core/diagnosis/checks';
import type { Seen } from '$lib/core/network/site-checks';
import type { SettingsGroup } from '$lib/core/settings/effective';
import { MINUTE } from '$lib/core/time/units';
import type { Phase } from '$lib/core/watch/phases';
import type { Fact } from '$lib/core/why/explained';

/**
 * What Sextant needs of the outside. Every call can be slow, fail, or answer half; callers cope. Calls that
 * change something carry a `key`: the same key twice is one request, and answers alike, so that a job that died
 * can ask again without doing anything twice.
 */
export interface Providers {
	compute: Compute;
	builder: Builds;
	installer: Installer;
	directory: Directory;
	network: Network;
	sites: Sites;
	agent: Agent;
	broker: Broker;
	mail: Mail;
	files: Files;
	endpoints: Devices;
	observations: Observations;
}

export { BrokenFile, Failure, ProviderError, StepFailed } from './failures';

export interface MachineSpec {
	name: string;
	/** A label that the provider keeps with the machine and gives back: the pool it belongs to. */
	pool: string;
	host: string;
	volume: string;
	network: string;
	line: string;
	version: string;
	users: 'single' | 'multi';
	holds: number;
	cores: number;
	memory: number;
	gpus: number;
	/** Bytes of the overlay disk. */
	disk: number;
	/** Bytes of the page file, and whether it lies on a disk of its own. */
	pageFile: number;
	pageApart: boolean;
	/** Servers that it starts from, in the order in which they are tried; none: from its own disk. */
	bootServers: string[];
}

/** A machine that is there and belongs to no pool of ours. */
export interface ExistingMachine {
	name: string;
	site: string;
	kind: 'virtual' | 'physical';
	/** Null for a physical one: it is its own host, and has its own disk. */
	host: string | null;
	volume: string | null;
	network: string;
	system: string;
	users: 'single' | 'multi';
	generation: 1 | 2;
	cores: number;
	memory: number;
	gpus: number;
	disk: number;
}

export const MACHINE_STATES = ['off', 'starting', 'agent up', 'ready', 'in use', 'leaving', 'failed'] as const;
export type MachineState = (typeof MACHINE_STATES)[number];

export interface Compute {
	create(spec: MachineSpec, key: string): Promise<{ address: string }>;
	remove(machine: string, key: string): Promise<void>;
	start(machine: string, why: string, key: string): Promise<void>;
	stop(machine: string, why: string, key: string): Promise<void>;
	restart(machine: string, why: string, key: string): Promise<void>;
	/** Puts the machine's disk back to the image version, off or running. */
	reset(machine: string, version: string, key: string): Promise<void>;
	/** Moves the machine's disk to another volume of its site; a machine that is on is stopped for it and started again. */
	moveDisk(machine: string, volume: string, key: string): Promise<void>;
	hosts(): Promise<HostFacts[]>;
	volumes(): Promise<VolumeFacts[]>;
	/** Machines that are there and belong to no pool. */
	existing(): Promise<ExistingMachine[]>;
	/** Puts such a machine into a pool, as it is. */
	takeOver(machine: string, pool: string, line: string, holds: number, key: string): Promise<void>;
	/** Lets go of a machine that was taken over: it stays as it is, and belongs to no pool again. */
	letGo(machine: string, key: string): Promise<void>;
	/** Whether a boot server answers to a site, and in how many ms. */
	testBoot(server: string, site: string): Promise<Seen<number>>;
	/** Sets what machines start from, from their next start on. */
	setBoot(machines: string[], servers: string[], key: string): Promise<void>;
	/** Bytes that each machine has written to its overlay since it was made, counted on over resets. */
	written(): Promise<{ machine: string; bytes: number }[]>;
	/** Makes a volume larger; to a size in bytes. */
	extendVolume(volume: string, size: number, key: string): Promise<void>;
}

export interface HostFacts {
	name: string;
	site: string;
	up: boolean;
	cores: number;
	memory: number;
	gpus: number;
	coresPromised: number;
	memoryPromised: number;
	gpusPromised: number;
}

export interface VolumeFacts {
	id: string;
	site: string;
	size: number;
	used: number;
}

/** A piece of a version's content: the same digest is the same bytes, wherever it stands. */
export interface Chunk {
	digest: string;
	/** Bytes. */
	size: number;
	/** Bytes that go over a link. */
	packed: number;
	/** The component that it is a piece of, as name and version. */
	part: string;
}

/** How a step of a build ended. */
export interface StepResult {
	exitCode: number;
	/** What it printed. */
	log: string[];
}

export interface Builds {
	/** What there is to start from and to install: stock systems, and the package store. */
	offers(): Promise<{ stock: StockSystem[]; packages: StorePackage[] }>;
	/** What the builder's account is allowed. */
	rights(): Promise<Right[]>;
	/** Runs one step of a build on the line's builder machine. */
	runStep(
		line: string,
		step: { kind: string; with: ParamValues },
		builder: { cores: number; disk: number },
		key: string
	): Promise<StepResult>;
	/** Keeps the sealed outcome as an image version; answers with what is in it. */
	keep(line: string, version: string, key: string): Promise<{ contents: Component[] }>;
	/** Removes the builder machine and its staging. */
	discard(line: string, key: string): Promise<void>;
	/** The content chunks of a version. */
	chunks(line: string, version: string): Promise<Chunk[]>;
	/** Makes a machine from a version for nothing but to see whether it works: how long it took to start, and what checks saw. */
	tryOut(
		line: string,
		version: string,
		key: string
	): Promise<{ boot: number; checks: { asks: string; ok: boolean; saw: string }[] }>;
	/** What a version can start, beside the desktop. */
	targets(line: string, version: string): Promise<LaunchTarget[]>;
	/** Removes a version from every store. */
	remove(line: string, version: string, key: string): Promise<void>;
	/** Starts a reference machine from a version, for work by hand. */
	open(line: string, version: string, key: string): Promise<{ machine: string }>;
	/** Types a line at the reference machine's console; answers with what it prints. */
	type(line: string, text: string, key: string): Promise<string[]>;
	/** Seals the reference machine and keeps it as a version. */
	close(line: string, version: string, key: string): Promise<{ contents: Component[] }>;
	/** Removes the reference machine and all that was done on it. */
	throwAway(line: string, key: string): Promise<void>;
	/** Whole versions that the image store of a site holds, as `line/number`, and digests that came without their version. */
	held(site: string): Promise<{ whole: string[]; loose: string[] }>;
	/** Sends chunks from one site to another that a link joins, using at most a share of it (over 0 to 1). */
	send(from: string, to: string, digests: string[], share: number, key: string): Promise<void>;
	/** Makes a version of chunks that have all arrived at a site. */
	assemble(line: string, version: string, site: string, key: string): Promise<void>;
	/** Copies a version between two sites with a thick link. */
	handOut(line: string, version: string, site: string, key: string): Promise<void>;
}

/** A package to be tried: on which image, as whom, and what it holds. */
export interface TrialAsk {
	line: string;
	version: string;
	person: string;
	targets: LaunchTarget[];
	files: { path: string; size: number; sha256: string }[];
}

/** Installs programs on machines that are there for nothing else, and tells what is on them. */
export interface Installer {
	/** What can be installed. */
	offers(): Promise<{ id: string; name: string; version: string; system: SystemKind }[]>;
	/** Makes a machine from a version of a line, to capture on. */
	prepare(line: string, version: string, key: string): Promise<{ machine: string }>;
	/** Takes the inventory of such a machine: JSON Lines. */
	look(machine: string, key: string): Promise<string>;
	/** Runs an installer. */
	install(machine: string, installer: string, key: string): Promise<StepResult>;
	restart(machine: string, key: string): Promise<void>;
	/** Sets values in the apps, as somebody would who prepares them for others. */
	set(machine: string, settings: SettingEntry[], key: string): Promise<void>;
	/** The content of a file on it. */
	read(machine: string, path: string): Promise<Uint8Array>;
	/** Makes a machine, attaches a package to it, and starts each launch target as an ordinary person. */
	tryOut(ask: TrialAsk, key: string): Promise<TargetRun[]>;
	/** Throws the machine away. */
	dispose(machine: string, key: string): Promise<void>;
}

export interface Directory {
	/**
	 * What has changed of people and teams, in order, after the changes that a cursor stands for; 0 stands for what the directory began
	 * with. At most some thousand at a time: who is told of any asks again, from the cursor that came with them. `upTo`: none beyond that cursor.
	 * A directory that does not know any more what it has changed since then, as one put back from a copy, says so: it is read whole.
	 */
	changes(after: number, upTo?: number): Promise<{ cursor: number; changes: DirectoryChange[] } | { lost: true }>;
	/**
	 * All teams, and the people whose logins come after one, in the order of their logins, at most some thousand at a time: who is told of any
	 * asks again, from the last of them. `cursor`: changes after it are of whoever was read no longer as told here.
	 */
	whole(after: string): Promise<{ cursor: number; teams: TeamRecord[]; people: PersonRecord[] }>;
	/**
	 * Makes or changes the account of somebody whom the directory does not tell of, so that machines let them in: Sextant, or a program that
	 * tells it, keeps them. They are not among the changes.
	 */
	keepPerson(person: PersonRecord, key: string): Promise<void>;
	/** Computer accounts that the directory knows, with the folder each stands in. */
	accounts(): Promise<{ name: string; folder: string }[]>;
	createAccount(name: string, folder: string, key: string): Promise<void>;
	removeAccount(name: string, key: string): Promise<void>;
	/** Moves an account to another folder. */
	moveAccount(name: string, folder: string, key: string): Promise<void>;
	/** Checks a person's password. */
	verify(login: string, password: string): Promise<boolean>;
	/** Gives somebody another password. */
	setPassword(login: string, password: string, key: string): Promise<void>;
}

export interface Network {
	/** Free addresses of a network. */
	free(network: string): Promise<number>;
	/** Gives back what is leased to nobody that is there. Returns how many addresses. */
	release(network: string, key: string): Promise<number>;
	/** Sets the last address that is leased. */
	setLast(network: string, last: number, key: string): Promise<void>;
	/** What every gateway announces for itself and really listens on. */
	gateways(): Promise<{ gateway: string; protocol: string; announced: number; listens: number }[]>;
	setAnnounced(gateway: string, protocol: string, port: number, key: string): Promise<void>;
	/** The relay that each gateway hands out to people outside the offices, and where its relay really stands. */
	relays(): Promise<{ gateway: string; announced: string; stands: string }[]>;
	setRelay(gateway: string, address: string, key: string): Promise<void>;
	/**
	 * Asks an inner gateway, which answers at `host:port`, whether it is there, and whether what stands behind some doors answers it. Round trips in ms:
	 * to the gateway, and from it to each door; null where nothing answers.
	 */
	innerGateway(address: string, doors: readonly HostPort[]): Promise<{ ms: number | null; doors: (number | null)[] }>;
}

/** What a compute provider at an address has to offer, to an account that it takes. */
export interface SiteOffer {
	/** What the provider calls the site. */
	site: string;
	hosts: { name: string; cores: number; memory: number; gpus: number }[];
	volumes: { id: string; size: number; iops: number }[];
	networks: { id: string; range: string; first: number; last: number; free: number }[];
	/** Gateways that stand there, with the ports that they announce and those that they listen on. */
	gateways: { id: string; address: string; protocols: { name: string; announced: number; listens: number }[] }[];
	/** Links from there to sites that are known, as measured. */
	links: { to: string; mbit: number; latency_ms: number; loss: number }[];
}

/** Looks around at sites: before they are joined up, and ever after. `from`: a site, or null for Sextant itself. */
export interface Sites {
	/** Certificates (PEM) of authorities that the directory vouches for. */
	authorities(): Promise<string[]>;
	/** The certificate (PEM) of what listens at an address, written `host:port`. Fails when nothing does. */
	certificate(address: string): Promise<string>;
	/** What a provider has. Fails when it does not take the account. */
	offer(address: string, account: string, secret: string): Promise<SiteOffer>;
	/** Addresses that a name resolves to; none when it does not. */
	resolve(name: string, from: string | null): Promise<string[]>;
	/** Names that an address resolves to. */
	namesOf(address: string, from: string | null): Promise<string[]>;
	/** What the network of a site tells devices that start there of where to call, in the order in which they ask. */
	told(site: string): Promise<Told[]>;
	/** Whether a device at a site that nobody is on is let through to a web site. */
	stranger(site: string, host: string): Promise<boolean>;
	/** Ms until what listens at an address answers. */
	reach(address: string, from: string | null): Promise<Seen<number>>;
	/** A directory server as a site finds it: its name, its address, ms until it answers. */
	directory(from: string): Promise<{ name: string; answers: Seen<number> }>;
	/** What clocks show at a site, ms UTC. */
	clocks(site: string): Promise<{ of: string; at: number }[]>;
	/** Whether a directory account may create computer accounts in a folder. */
	mayCreate(
		account: string,
		secret: string,
		folder: string
	): Promise<{ ok: true } | { ok: false; wrong: 'account' | 'folder'; saw: string }>;
}

export interface Agent {
	/** Runs the checks along the way to one machine. */
	probe(machine: string): Promise<CheckResult[]>;
	/** Runs them for many, and answers with those that fail, the first failing check of each. */
	sweep(machines: string[]): Promise<{ machine: string; failing: CheckResult }[]>;
	restartService(machine: string, check: CheckName, key: string): Promise<void>;
	message(session: number, text: string, key: string): Promise<void>;
	/** Asks whoever is in a session to close an app of a package and open it again. */
	askToClose(session: number, name: string, text: string, key: string): Promise<void>;
	/** Tells all agents which packages their pools are to have: they see to it by themselves. */
	deliver(wishes: Wishes): Promise<void>;
	/** Tells all agents, and the devices that people sit at, which settings count for whom: they hold them by themselves. */
	settings(told: ToldSettings): Promise<void>;
	/** What the apps of a package have written to their overlays, by person; `machine`: on its disk, null: on the profile disk. */
	overlays(name: string): Promise<{ person: string; machine: string | null; bytes: number }[]>;
	/** Throws the overlays of a package for a person away, wherever they lie; answers with their bytes. */
	emptyOverlay(name: string, person: string, key: string): Promise<number>;
	/** Closes an app in a session of a person, for them. */
	closeApp(login: string, run: number): Promise<void>;
	signOut(session: number, why: string, key: string): Promise<void>;
}

/** Settings as they are told: groups, and where in the tree of branches each device stands. */
export interface ToldSettings {
	groups: SettingsGroup[];
	/** What each branch hangs below. */
	branches: Record<string, string | null>;
	/** By the fingerprint of a device's key: its number, and its branch. */
	endpoints: Record<string, { id: string; branch: string }>;
}

/** A package version as agents are told of it: what it asks of a machine, what it starts, and who may start it. */
export interface WishedPackage extends PackageNeeds {
	targets: { id: string; name: string }[];
	/** Teams whose people may start it; none: whoever it is granted to. What others are told. */
	teams: string[];
	refusal: string;
	files: number;
	/** What is read ahead when it is attached, so that its first start is short. */
	warmUp: { files: number; bytes: number } | null;
	/** Where what its apps write is kept, and whether it outlasts the session. */
	overlay: WriteRules['overlay'];
}

/** All that the agents need to keep machines as their pools want them: pushed at every change. */
export interface Wishes {
	pools: Record<string, Wanted[]>;
	packages: WishedPackage[];
}

/** All that the broker at the gateways needs to let people in without asking: pushed at every change. */
export interface BrokerConfig {
	pools: { id: string; assignment: 'shared' | 'personal'; placing: Placing; machines: string[]; site: string }[];
	publications: {
		id: string;
		pools: string[];
		protocol: string;
		/** The app that it opens; a desktop where there is none. */
		app?: { package: string; target: string };
		/** What it says itself of who may open it. */
		door?: Door;
	}[];
	grants: {
		id: string;
		publication: string;
		to: { kind: 'team' | 'person'; id: string; name: string };
		conditions: Conditions;
		channels: Channel[];
		/** Personal machines that each person may have by it. */
		machines?: number;
	}[];
	/** Personal machines: machine → person. */
	owners: Record<string, string>;
}

export interface Broker {
	configure(config: BrokerConfig): Promise<void>;
	/** Opens a publication for a person, as the portal does. Answers with the connection to watch. */
	connect(
		login: string,
		publication: string,
		secondFactor: boolean,
		key: string,
		/** Another machine beside those that they have, of a personal pool. */
		another?: boolean
	): Promise<{ connection: number }>;
	/** How far a connection has come. */
	connection(id: number): Promise<ConnectionProgress | null>;
	disconnect(session: number): Promise<void>;
	/** Tells which certificates of endpoints count no longer, though they have not ended: whoever shows one is let in nowhere. */
	distrust(certificates: readonly string[]): Promise<void>;
	/** Tells who may reach what to all that stands at a door: they hold it, and decide by themselves. */
	rules(told: ToldRules): Promise<void>;
	/**
	 * Goes to a site or a private service for somebody who has a browser and nothing else, by the rules that were told last: as a picture, where
	 * that is what they ask for. What comes of it is told as activity, with what they say it is for.
	 */
	inside(login: string, target: Destination, secondFactor: boolean, reason: string | null): Promise<Inside>;
	/** What somebody has had today, on the clock of their site, of each rule that gives so much a day; of what is not there, nothing. */
	shares(login: string): Promise<Record<string, Used>>;
	/** What passes between the session of a connection and the device in front of its person, by each way; none where there is no session. */
	passes(connection: number): Promise<Passes[]>;
	/** So many bytes at once are to pass one way; for what, where that is asked. What comes of it is told as activity. */
	pass(connection: number, passage: Passage, bytes: number, reason: string | null): Promise<Passed>;
	/** Sends nobody new to machines, or sends them there again. Answers with those that somebody is on, or on the way to. */
	setAside(machines: string[], aside: boolean, key: string): Promise<string[]>;
}

/** What passes a session one way. */
export interface Passes {
	passage: Passage;
	/** Whether the grant by which it was opened gives the channel. */
	granted: boolean;
	/** So many bytes pass at once at most, by the rules that were told last; null: however many. */
	upTo: number | null;
	/** What keeps back whatever is more; null: nothing does. */
	held: Verdict | null;
}

/** What came of passing something; `granted`: the grant gives the channel, and the rules decided. */
export interface Passed extends Verdict {
	granted: boolean;
}

/** What comes of going somewhere in a browser alone. */
export interface Inside extends Verdict {
	/** Whether it answers: what is let through to something that is down comes to nothing, and is not told. */
	answers: boolean;
	/** In the browser itself, or in an isolated window. */
	way: Way;
	/** What is to be seen there: an SVG picture without scripts; null where nobody is let through. */
	picture: string | null;
}

export interface ConnectionProgress {
	id: number;
	person: string;
	publication: string;
	result: 'opening' | 'open' | 'refused' | 'lost' | 'gave up';
	phase: string | null;
	phases: Phase[];
	machine: string | null;
	session: number | null;
	cause: Fact[];
	advice: string | null;
	since: number;
	/** The app that it opened, and how it was started. */
	run: number | null;
	start: StartKind | null;
	/** Whether it shares a session that was there, and why or why not. */
	sharing: Fact[];
}

/** Where people's profiles lie. */
export interface Files {
	/** Removes somebody's profile. */
	removeProfile(login: string, key: string): Promise<void>;
	/** Puts somebody's profile into another's, as a folder of its own. Returns its bytes. */
	handProfile(login: string, to: string, key: string): Promise<number>;
}

/** Devices that people sit at: those that are awake answer. */
export interface Devices {
	/** What a device asks for a certificate with (PKCS #10, PEM). */
	request(serial: string, key: string): Promise<string>;
	/** Lets a device that is awake wake another of its network. */
	wake(serial: string, key: string, by: { serial: string; key: string }): Promise<void>;
	/**
	 * Starts a device anew that is awake; locks its screen, with what is open there set aside; shows a text on it. What was asked for once is
	 * not done again. Answers when it was asked first.
	 */
	restart(serial: string, key: string, once: string): Promise<number>;
	lock(serial: string, key: string, once: string): Promise<number>;
	show(serial: string, key: string, text: string, once: string): Promise<number>;
	/**
	 * Asks whoever is on a device that is awake whether somebody may look at its screen, in the words of whoever asks, and waits for what they
	 * say; `nobody`: nobody has answered, or nobody is on it any more.
	 */
	ask(
		serial: string,
		key: string,
		from: { person: string; by: string; why: string },
		once: string
	): Promise<'yes' | 'no' | 'nobody'>;
	/** What it shows on its screen now: an SVG picture without scripts. Nothing keeps it but whoever was let look. */
	screen(serial: string, key: string): Promise<string>;
	/** Versions of firmware that can be had, by model. */
	firmware(): Promise<{ model: string; version: string; bytes: number }[]>;
	/** Lets a device that is awake take a version, and start with it. */
	takeFirmware(serial: string, key: string, version: string): Promise<void>;
	/** Hands it to somebody, by their login, or takes it back: null. */
	hand(serial: string, key: string, person: string | null, once: string): Promise<void>;
	/** Gives it a certificate (PEM). */
	give(serial: string, key: string, certificate: string): Promise<void>;
}

export interface Mail {
	send(to: string, subject: string, body: string, key: string): Promise<void>;
	sent(): Promise<{ to: string; subject: string; body: string; at: number }[]>;
}

/** What happened outside since an observation was last taken in, in order, each with a number one higher than the last. */
/** What somebody reached or was refused, without a break: what is alike is told once, with how often it was decided. */
export interface Flow {
	/** Null: nobody was known to be there. */
	person: string | null;
	/** The device that they were on; null where it is none that has called in. */
	endpoint: { serial: string; key: string } | null;
	/** The machine that they were in; null: none. */
	machine: string | null;
	/** Where they sat; empty: not known. */
	address: string;
	/** The host of a site, the id of a private service, a way through a session; empty: something inside that is no service. */
	target: { kind: Target['kind']; name: string };
	way: Way;
	/** The rule that decided; empty: none did. */
	rule: string;
	effect: Effect;
	through: boolean;
	/** What was asked of them and not given; null: nothing. */
	asked: Verdict['asked'];
	/** What they said that it is for, the last time; absent: nothing. */
	said?: string;
	since: number;
	until: number;
	decisions: number;
	/** Bytes to them, and from them. */
	down: number;
	up: number;
}

/** What people reached in an hour is told within so long after it, ms: then it can be summed up. */
export const TOLD_WITHIN = 5 * MINUTE;

export type Observation = { seq: number; at: number } & (
	| { kind: 'activity'; flows: Flow[] }
	| { kind: 'machine'; machine: string; state: MachineState; cause: string }
	| { kind: 'made'; machine: string; pool: string; host: string; volume: string; version: string; address: string }
	| { kind: 'unmade'; machine: string }
	| { kind: 'owner'; machine: string; person: string }
	| {
			kind: 'connection';
			id: number;
			person: string;
			publication: string;
			gateway: string;
			protocol: string;
			address: string;
			/** The device that it was asked from; null where it is none that has called in. */
			endpoint: { serial: string; key: string } | null;
			began: number;
			result: 'open' | 'refused' | 'lost' | 'gave up';
			machine: string | null;
			session: number | null;
			phases: Phase[];
			cause: Fact[];
	  }
	| { kind: 'session'; session: number; state: 'active' | 'disconnected' | 'ended'; cause: string }
	| {
			kind: 'package';
			machine: string;
			package: string;
			version: string;
			state: 'attaching' | 'attached' | 'detaching' | 'detached' | 'failed';
			cause: AttachCause | null;
			why: Fact[];
	  }
	| {
			kind: 'app';
			run: number;
			session: number;
			package: string;
			version: string;
			target: string;
			state: 'open';
			start: StartKind;
			/** Ms from the wish to the window. */
			took: number;
	  }
	| {
			kind: 'app failed';
			session: number;
			/** Who was told so, and on which machine. */
			person: string;
			machine: string;
			package: string;
			target: string;
			cause: AttachCause | null;
			/** What the person was told. */
			words: string;
	  }
	| { kind: 'app closed'; run: number }
	| {
			/** A device that people sit at has started and called in, is taken by somebody else, or sleeps. */
			kind: 'endpoint';
			serial: string;
			name: string;
			device: EndpointKind;
			model: string;
			hardware: string;
			firmware: string;
			/** The fingerprint of the key that it has made itself. */
			key: string;
			/** It runs on battery. */
			battery: boolean;
			/** Where it calls from; empty: it has none. */
			address: string;
			/** Who is on it; null: nobody. */
			person: string | null;
			event: 'started' | 'taken' | 'sleeps';
	  }
	| { kind: 'waiting'; person: string; publication: string; pools: string[]; began: number }
	| { kind: 'stopped waiting'; person: string; publication: string }
	| { kind: 'samples'; machines: string[]; values: Float64Array; hosts: string[]; hostValues: Float64Array }
);

/** Values of one sampled machine: cores, memory, disk ms, GPU (−1 without one), input ms, round trip ms, sessions. */
export const SAMPLE_WIDTH = 7;
/** Values of one sampled host: cores, memory, GPU (−1 without one). */
export const HOST_SAMPLE_WIDTH = 3;

export interface Observations {
	/** Everything after `seq`, at most `limit`. Acknowledges all up to `seq`: they are not kept any longer. */
	after(seq: number, limit: number): Promise<Observation[]>;
}
