import type { DirectoryChange, Move, PersonRecord } from '$lib/core/people/record';
import type { EndpointKind } from '$lib/core/endpoints/kinds';
import type { Phase } from '$lib/core/watch/phases';
import type { Fact } from '$lib/core/why/explained';
import type {
	BrokerConfig,
	ExistingMachine,
	MachineSpec,
	MachineState,
	Flow,
	Observation,
	TrialAsk,
	Wishes,
	ToldSettings
} from '../providers';
import type { Estate, EstatePerson, FAULT_KINDS } from '$lib/core/estate/schema';
import type { Right } from '$lib/core/images/library/kinds';
import type { ParamValues } from '$lib/core/images/library/params';
import type { Component } from '$lib/core/images/versions';
import type { SettingEntry } from '$lib/core/packages/inventory';
import type { AttachBooks } from '$lib/core/packages/attach';
import type { StartKind } from '$lib/core/packages/starting';
import type { ToldRules } from '$lib/core/reach/enforce';
import type { Passage } from '$lib/core/reach/channels';
import type { Destination } from '$lib/core/reach/targets';
import type { Timed } from './queue';

/** The whole of the simulated world at one moment: plain values, so that it can be stored and loaded. */
export interface World {
	now: number;
	/** Counts up with every happening put into the queue. */
	nextHappening: number;
	nextSession: number;
	nextConnection: number;
	nextSeq: number;
	queue: Happening[];
	hosts: Map<string, SimHost>;
	volumes: Map<string, SimVolume>;
	networks: Map<string, { first: number; last: number; leased: Map<number, string>; usedUp: boolean }>;
	gateways: Map<string, SimGateway>;
	machines: Map<string, SimMachine>;
	/** What has changed in the directory, in order: whoever follows it asks for those after the ones that it knows. */
	directoryChanges: DirectoryChange[];
	/** Machines that belong to no pool, by name. */
	existing: Map<string, ExistingMachine>;
	accounts: Map<string, string>;
	people: Map<string, SimPerson>;
	sessions: Map<number, SimSession>;
	connections: Map<number, SimConnection>;
	/** Connections that wait for a machine, oldest first. */
	waiting: Set<number>;
	faults: SimFault[];
	/** Directory slowness by site: factor on sign-in time. */
	directorySlow: Map<string, number>;
	/** Sign-ins begun in the current minute, by site. */
	signInsThisMinute: Map<string, number>;
	operations: Map<string, Operation>;
	broker: BrokerConfig;
	versions: Map<string, Set<string>>;
	images: SimImages;
	/** Machines that apps are captured on, by name. */
	captures: Map<string, SimCaptureMachine>;
	/** What the agents know of packages, and what is attached where. */
	books: AttachBooks;
	packages: SimPackages;
	/** What agents and devices have been told of settings last. */
	settings: ToldSettings;
	/** Passwords that people have chosen, salted and hashed; absent in a world that was stored before anybody could. */
	passwords?: Map<string, string>;
	/** Devices that people sit at: by serial number, copies apart. */
	endpoints: Map<string, SimEndpoint>;
	/** Who may reach what, as it was told last; null: nothing was told yet. */
	rules: ToldRules | null;
	/** What people reach just now, and what they were refused. */
	flows: Map<string, Flow>;
	/** What somebody has had today of a rule that gives so much a day. */
	shares: Map<string, { day: number; bytes: number; minutes: number }>;
	/** Certificates of devices that the gateways were told not to trust. */
	distrusted: Set<string>;
	outbox: { to: string; subject: string; body: string; at: number }[];
	observations: Observation[];
}

export interface SimHost {
	name: string;
	site: string;
	cores: number;
	memory: number;
	gpus: number;
	up: boolean;
	/** Demand for cores of the last minute against the cores there are. */
	pressure: number;
	gpuPressure: number;
}

export interface SimVolume {
	id: string;
	site: string;
	size: number;
	iops: number;
	/** Bytes of things that are not machine disks. */
	other: number;
	/** Utilisation of the last minute, 0–1. */
	busy: number;
	booting: number;
}

export interface SimMachine extends MachineSpec {
	site: string;
	address: number | null;
	state: MachineState;
	/** Counts up at every change of power: pending happenings of an older life are void. */
	life: number;
	agent: boolean;
	hung: boolean;
	trusted: boolean;
	nameOk: boolean;
	runaway: boolean;
	sessions: number[];
	/** Sign-ins on their way to it: each takes a seat already. */
	coming: number;
	/** The broker sends nobody here until then. */
	asideUntil: number;
	failures: number;
	/** Bytes written to its overlay since it was made. */
	written: number;
	/** What it had written when it was started last. */
	writtenBefore: number;
	/** Of the last minute. */
	cpu: number;
	strain: number;
}

export interface SimPerson {
	login: string;
	index: number;
	name: string;
	mail: string | null;
	employment: string;
	manager: string | null;
	language: string | null;
	/** Their first moment, and the one from which on they are there no longer. */
	begins: number;
	ends: number;
	/** What the directory knows of them to come. */
	moves: Move[];
	/** Somebody else keeps them: the directory does not tell of them. */
	kept?: true;
	site: string;
	zone: string;
	/** Their home team; none where it is empty. */
	team: string;
	/** Other teams that they are of. */
	others: string[];
	/** The teams that they are of, and all above those. */
	teams: string[];
	pattern: string;
	profile: number;
	managed: boolean;
	address: string;
	/** What they sit at, where it is known here. */
	endpoint?: string;
	/** Their sessions that have not ended. */
	open: number[];
}

/** A device that people sit at. */
export interface SimEndpoint {
	id: string;
	serial: string;
	name: string;
	kind: EndpointKind;
	model: string;
	hardware: string;
	firmware: string;
	/** The fingerprint of its own key. */
	key: string;
	site: string;
	address: string | null;
	/** Those who sit at it. */
	users: string[];
	awake: boolean;
	/** The certificate that it was given last. */
	certificate?: { number: string; ends: number };
	/** It has reached Sextant once, and knows where it is. */
	found: boolean;
	/** Who is on it. */
	on?: string;
	/** Its fleet, and its address there. */
	fleet: string;
	home: string | null;
	/** The last day on which somebody sat down at it, by their wall clock. */
	day?: number;
	/** Nobody can sit at it. */
	gone?: 'broken' | 'lost';
	/** It runs on battery. */
	battery?: boolean;
	/** What it was told last to show on its screen. */
	shown?: { text: string; at: number };
	/** Counts up whenever somebody comes or goes, so that an older wish to sleep is void. */
	turn: number;
}

/** What becomes another of somebody; what is left out stays as it is. */
export type PersonChange = Partial<
	Pick<
		SimPerson,
		'name' | 'mail' | 'employment' | 'manager' | 'language' | 'pattern' | 'site' | 'team' | 'ends' | 'moves'
	>
> & { teams?: string[] };

export interface SimSession {
	id: number;
	person: string;
	machine: string;
	publication: string;
	gateway: string;
	protocol: string;
	/** It is for an app alone. */
	app: boolean;
	since: number;
	state: 'active' | 'disconnected';
	cores: number;
	memory: number;
	gpu: number;
	rtt: number;
	/** Counts up at every change, so that older plans for it are void. */
	turn: number;
}

export interface SimConnection {
	id: number;
	person: string;
	publication: string;
	/** The device that they ask from. */
	endpoint?: string;
	gateway: string;
	protocol: string;
	secondFactor: boolean;
	began: number;
	phase: number;
	phaseBegan: number;
	phases: Phase[];
	machine: string | null;
	/** They want another machine beside those that they have. */
	another?: boolean;
	/** The personal machine that it was given. */
	own?: string;
	/** A session of the person that is still there: it is taken up again. */
	resumes: number | null;
	session: number | null;
	/** The app that it opens, once that is there, and how it was started. */
	run: number | null;
	start: StartKind | null;
	/** Whether it shares a session that was there, and why or why not. */
	sharing: Fact[];
	result: 'opening' | 'open' | 'refused' | 'lost' | 'gave up';
	cause: Fact[];
	advice: string | null;
	pools: string[];
	/** How many times the person has tried before. */
	tries: number;
	leaveAt: number | null;
	ended: number;
}

export interface SimGateway {
	site: string;
	protocols: Map<string, { announced: number; listens: number }>;
	/** The relay that people outside are sent to, where it stands, and where it stood before. Addresses as numbers. */
	relay?: { announced: number; stands: number; retired: number | null };
}

export interface SimFault {
	id: number;
	kind: (typeof FAULT_KINDS)[number];
	target: string;
	since: number;
	until: number | null;
	value: number | null;
	/** What undoing it needs to know. */
	before: number | null;
}

export interface Operation {
	key: string;
	done: boolean;
	at: number;
	error: { message: string; retry: boolean } | null;
	result: unknown;
}

export type Happening = Timed &
	(
		| { kind: 'day'; person: string; day: number }
		| { kind: 'visit'; person: string; publication: string; leaveAt: number; tries: number }
		| { kind: 'leave'; session: number; turn: number; how: 'sign out' | 'disconnect' }
		| { kind: 'lunch'; session: number; turn: number; back: number; leaveAt: number }
		| { kind: 'ended'; session: number; cause: string }
		| { kind: 'limit'; session: number; turn: number; after: number }
		| { kind: 'phase'; connection: number; phase: number }
		| { kind: 'patience'; connection: number }
		| { kind: 'boot'; machine: string; life: number; stage: 'agent up' | 'ready' | 'failed' }
		| { kind: 'watchdog'; machine: string; life: number }
		| { kind: 'minute' }
		| {
				kind: 'package';
				machine: string;
				life: number;
				package: string;
				version: string;
				action: 'attach' | 'detach';
		  }
		| { kind: 'app'; session: number; package: string; target: string; takes: number }
		| { kind: 'app open'; run: number; turn: number; start: StartKind }
		| { kind: 'app over'; run: number; turn: number }
		| { kind: 'operation'; key: string; effect: Effect | null; error: string | null }
		| { kind: 'fault'; fault: Omit<SimFault, 'id' | 'since' | 'before'> }
		| { kind: 'endpoint starts'; endpoint: string }
		| { kind: 'endpoint found'; endpoint: string }
		| { kind: 'endpoint mended'; endpoint: string }
		| { kind: 'endpoint firmware'; endpoint: string; version: string; turn: number }
		| { kind: 'endpoint calls'; endpoint: string; turn: number }
		| { kind: 'endpoint sleeps'; endpoint: string; turn: number }
		| { kind: 'fault over'; id: number }
		| { kind: 'relay moves'; gateway: string }
		| { kind: 'person changes'; person: string; change: PersonChange }
		| { kind: 'person told'; person: string; change: Omit<Estate['directory']['changes'][number], 'person' | 'told'> }
		| { kind: 'person comes'; person: EstatePerson }
		| { kind: 'week'; week: number }
	);

/** What an operation does when its time has come. */
export type Effect =
	| { kind: 'create'; spec: MachineSpec }
	| { kind: 'remove'; machine: string }
	| { kind: 'start'; machine: string; why: string }
	| { kind: 'stop'; machine: string; why: string }
	| { kind: 'restart'; machine: string; why: string }
	| { kind: 'reset'; machine: string; version: string }
	| { kind: 'move disk'; machine: string; volume: string }
	| { kind: 'restart service'; machine: string; check: string }
	| { kind: 'sign out'; session: number; why: string }
	| { kind: 'announce'; gateway: string; protocol: string; port: number }
	| { kind: 'hand out relay'; gateway: string; address: number }
	| { kind: 'extend'; volume: string; size: number }
	| { kind: 'release'; network: string }
	| { kind: 'range'; network: string; last: number }
	| { kind: 'account'; name: string; folder: string | null; moved?: boolean }
	| { kind: 'take over'; machine: string; pool: string; line: string; holds: number }
	| { kind: 'let go'; machine: string }
	| { kind: 'boot servers'; machines: string[]; servers: string[] }
	| { kind: 'build step'; line: string; step: { kind: string; with: ParamValues }; words: string }
	| { kind: 'keep'; line: string; version: string }
	| { kind: 'discard'; line: string }
	| { kind: 'try out'; line: string; version: string }
	| { kind: 'remove version'; line: string; version: string }
	| { kind: 'send'; from: string; to: string; digests: string[] }
	| { kind: 'assemble'; line: string; version: string; site: string }
	| { kind: 'hand out'; line: string; version: string; site: string }
	| { kind: 'open reference'; line: string; version: string }
	| { kind: 'close reference'; line: string; version: string }
	| { kind: 'throw away'; line: string }
	| { kind: 'prepare capture'; line: string; version: string }
	| { kind: 'install'; machine: string; installer: string }
	| { kind: 'restart capture'; machine: string }
	| { kind: 'set'; machine: string; settings: SettingEntry[] }
	| { kind: 'look'; machine: string }
	| { kind: 'dispose capture'; machine: string }
	| { kind: 'try package'; ask: TrialAsk }
	| { kind: 'empty overlay'; package: string; person: string }
	| { kind: 'ask to close'; session: number; package: string; text: string }
	| { kind: 'ask to look'; endpoint: string; person: string; key: string }
	| { kind: 'log'; log: string[] };

/** A request from outside that changes the world: kept in a journal, so that history can be replayed. */
export type Command =
	| { kind: 'operation'; key: string; effect: Effect; usual: number; scatter?: number }
	| { kind: 'configure'; config: BrokerConfig }
	| { kind: 'connect'; login: string; publication: string; secondFactor: boolean; key: string; another?: boolean }
	| { kind: 'disconnect'; session: number }
	| { kind: 'deliver'; wishes: Wishes; lacks: Record<string, Record<string, Needed[]>> }
	| { kind: 'settings'; told: ToldSettings }
	| { kind: 'close app'; login: string; run: number }
	| { kind: 'password'; login: string; hash: string; key: string }
	| { kind: 'keep person'; person: PersonRecord; key: string }
	| { kind: 'switch on'; endpoint: string }
	| { kind: 'certificate'; endpoint: string; number: string; ends: number }
	| { kind: 'distrust'; certificates: string[] }
	| { kind: 'rules'; told: ToldRules }
	| { kind: 'inside'; login: string; target: Destination; secondFactor: boolean; reason: string | null }
	| { kind: 'pass'; connection: number; passage: Passage; bytes: number; reason: string | null }
	| { kind: 'device'; endpoint: string; does: 'restart' | 'lock' | 'show' | 'firmware'; text: string; key: string }
	| { kind: 'hand'; endpoint: string; person: string | null; key: string }
	| { kind: 'profile'; login: string; to: string | null; key: string }
	| { kind: 'mail'; to: string; subject: string; body: string; key: string }
	| { kind: 'aside'; machines: string[]; aside: boolean; key: string }
	| { kind: 'type'; line: string; text: string; key: string }
	| { kind: 'fault'; fault: SimFault['kind']; target: string; value: number | null }
	| { kind: 'clear fault'; id: number };

/** What the lab knows of images: what stands in stores, on builders and on reference machines. */
export interface SimImages {
	/** Kept versions, as `line/number`. */
	kept: Map<string, { contents: Component[]; at: number }>;
	/** Builder machines by line: what a build has come to. */
	builders: Map<string, { contents: Component[]; paths: string[] }>;
	/** Reference machines by line. */
	references: Map<string, { from: string; contents: Component[]; settings: Record<string, string>; restart: boolean }>;
	/** What the image store of each site holds: whole versions as `line/number`, and chunks on their way. */
	stores: Map<string, { whole: Set<string>; loose: Set<string> }>;
	/** Rights that the builder's account has lost. */
	missing: Set<Right>;
}

/** An app that is open in a session, or waits to be. */
export interface SimRun {
	id: number;
	session: number;
	machine: string;
	package: string;
	target: string;
	/** Null while it waits for the package. */
	version: string | null;
	since: number;
	/** Counts up at every change, so that older plans for it are void. */
	turn: number;
	/** The sign-in that opens it, or null where it is started in the session. */
	connection: number | null;
	/** When it will be closed, or null: until its person closes it. */
	until: number | null;
}

/** Packages as the agents know them, at the moment: what pools want, and what is where. */
export interface SimPackages {
	wishes: Wishes;
	/** By digest of the manifest and launch target: what the package does not bring of what it needs. */
	lacks: Map<string, Record<string, Needed[]>>;
	/** What the package store of each site holds, by digest of the manifest. */
	stored: Map<string, Set<string>>;
	/** Versions that were started on a machine since they were attached: the next start is warm. */
	warm: Map<string, Set<string>>;
	runs: Map<number, SimRun>;
	nextRun: number;
	/** What apps have written to their overlays, by package, person and machine. */
	overlays: Map<string, SimOverlay>;
}

export interface SimOverlay {
	package: string;
	person: string;
	/** The machine on whose disk it lies, or null: on the person's profile disk. */
	machine: string | null;
	/** The session that it ends with, or null: it outlasts all. */
	session: number | null;
	bytes: number;
}

/** A machine that apps are installed on to be captured; it belongs to no pool, and is thrown away afterwards. */
export interface SimCaptureMachine {
	name: string;
	line: string;
	version: string;
	since: number;
	/** Installers that ran on it, in order. */
	installed: string[];
	/** Restarts that wait. */
	pending: number;
	/** What somebody set in the apps. */
	set: SettingEntry[];
	/** Inventories that were taken of it: every one finds something else in the logs. */
	looks: number;
}

/** A file that an app loads at its start, beside its own. */
export interface Needed {
	path: string;
	sha256: string;
}
