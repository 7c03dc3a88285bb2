import { durationWords, GB, HOUR, MB, MINUTE, SECOND, sizeWords } from '../../time/units';
import type { Param, ParamValues } from './params';
import { chosenTweaks, TWEAKS } from './tweaks';

/** Where a kind of step has to stand, what it needs and what it cannot stand beside; each with the reason. */
export type Rule =
	| { kind: 'first' | 'last' | 'once'; why: string }
	/** After everything but the steps that close the image. */
	| { kind: 'last but closing'; why: string }
	| { kind: 'before' | 'after'; step: string; why: string }
	/** One of that kind has to stand somewhere before it. */
	| { kind: 'needs'; step: string; why: string }
	| { kind: 'not with'; step: string; why: string; when?: (own: ParamValues, other: ParamValues) => boolean }
	| { kind: 'only on'; users: 'single' | 'multi'; why: string }
	/** Two steps with this much in common would undo or repeat each other. */
	| { kind: 'no two alike'; by: (p: ParamValues) => string; why: string };

/** What the builder's account has to be allowed for a step. */
export const RIGHTS = {
	machines: 'make and remove builder machines',
	staging: 'write to the staging share',
	images: 'write to the image store',
	'read images': 'read from the image store',
	snapshot: 'take a snapshot of a machine',
	packages: 'read from the package store',
	updates: 'reach the update service',
	files: 'read from the file share',
	internet: 'reach addresses outside'
} as const;
export type Right = keyof typeof RIGHTS;

export interface Kind {
	kind: string;
	group: (typeof GROUPS)[number];
	/** A line for the library. */
	says: string;
	params: Record<string, Param>;
	/** The step in words; also what its past runs are found by, unless `key` says otherwise. */
	words: (p: ParamValues) => string;
	note?: (p: ParamValues) => string;
	/** What makes two runs runs of the same step, where that is less than its words. */
	key?: (p: ParamValues) => string;
	rules: Rule[];
	rights?: (p: ParamValues) => Right[];
	/** Assumed where the kind has never run, ms on a builder with 4 cores. */
	usual: number;
	/** Closes the image: may stand after what is last but for the closing steps. */
	closes?: true;
}

export const GROUPS = [
	'system',
	'languages and regions',
	'programs',
	'files and settings',
	'people and limits',
	'security',
	'tidy up',
	'close'
] as const;

/** Values in words, whatever stands there: words are also shown while a step is being written. */
const s = (v: unknown) => (v === undefined ? '…' : String(v));
const list = (v: unknown) => (Array.isArray(v) ? v.join(', ') : s(v));
const lasts = (v: unknown) => (typeof v === 'number' ? durationWords(v) : s(v));
const large = (v: unknown) => (typeof v === 'number' ? sizeWords(v) : s(v));
const NAME = /^[\p{L}\p{N}][\p{L}\p{N} ._+-]*$/u;
const PATH = /^([A-Za-z]:\\|\/|~|%[A-Za-z]+%)/;
const path = (label: string): Param => ({
	kind: 'text',
	label,
	shape: PATH,
	shapeWords: 'write a whole path, such as C:\\Tools or /opt/tools'
});
const UPDATES_BRING_BACK: Rule = { kind: 'before', step: 'trim', why: 'updates bring back what was removed' };
const PROGRAMS_ADD: Rule = {
	kind: 'before',
	step: 'clean',
	why: 'what is installed after the cleaning leaves its own remains'
};
const KEEPS_OFF: Rule = { kind: 'after', step: 'updates', why: 'updates put system settings back' };

const kinds: Kind[] = [
	// ── system ──
	{
		kind: 'source',
		group: 'system',
		says: 'What the version starts from: a stock system, an earlier version, or a machine prepared by hand',
		params: {
			from: { kind: 'choice', label: 'from', options: ['stock', 'version', 'machine'], default: 'stock' },
			system: { kind: 'from', list: 'stock', label: 'stock system', optional: true },
			line: { kind: 'from', list: 'line', label: 'image line', optional: true },
			number: { kind: 'text', label: 'version', hint: 'a number, or newest', optional: true },
			machine: { kind: 'from', list: 'machine', label: 'machine', optional: true }
		},
		words: (p) =>
			p.from === 'stock'
				? `Start from ${s(p.system)}`
				: p.from === 'version'
					? `Start from ${s(p.line)} ${s(p.number ?? 'newest')}`
					: `Start from machine ${s(p.machine)}`,
		key: (p) => `Start from ${p.from === 'stock' ? s(p.system) : p.from === 'version' ? s(p.line) : 'a machine'}`,
		rules: [
			{ kind: 'first', why: 'everything else is installed on it' },
			{ kind: 'once', why: 'a version has one source' }
		],
		rights: (p) =>
			p.from === 'stock'
				? ['machines', 'staging']
				: p.from === 'version'
					? ['machines', 'staging', 'read images']
					: ['machines', 'staging', 'snapshot'],
		usual: 6 * MINUTE
	},
	{
		kind: 'updates',
		group: 'system',
		says: 'System updates from the update service',
		params: {
			which: { kind: 'choice', label: 'which', options: ['all', 'security', 'named'], default: 'all' },
			names: { kind: 'list', label: 'named updates', optional: true },
			restarts: { kind: 'number', label: 'at most this many restarts', least: 0, most: 9, default: 4 }
		},
		words: (p) =>
			p.which === 'named'
				? `System updates: ${list(p.names)}`
				: p.which === 'security'
					? 'System updates, security only'
					: 'System updates, all outstanding',
		note: () => 'reboots as needed',
		rules: [
			UPDATES_BRING_BACK,
			{ kind: 'before', step: 'agent', why: 'the agent is built for the system as it is after its updates' },
			{ kind: 'before', step: 'clean', why: 'updates leave what the cleaning takes away' }
		],
		rights: () => ['updates'],
		usual: 50 * MINUTE
	},
	{
		kind: 'role',
		group: 'system',
		says: 'A role of the system, such as serving many sessions',
		params: {
			role: {
				kind: 'choice',
				label: 'role',
				options: ['session host', 'print services', 'file services', 'licence client'],
				default: 'session host'
			}
		},
		words: (p) => `Role: ${s(p.role)}`,
		rules: [
			{ kind: 'before', step: 'agent', why: 'the agent looks for system roles when it is installed' },
			{ kind: 'before', step: 'updates', why: 'a role has updates of its own' },
			{ kind: 'no two alike', by: (p) => s(p.role), why: 'a role is there once it is installed' }
		],
		usual: 7 * MINUTE
	},
	{
		kind: 'feature',
		group: 'system',
		says: 'An optional part of the system, put in or taken out',
		params: {
			feature: { kind: 'text', label: 'part', shape: NAME, shapeWords: 'letters, digits, spaces and . _ + -' },
			make: { kind: 'choice', label: 'make it', options: ['present', 'absent'], default: 'present' }
		},
		words: (p) => `${p.make === 'absent' ? 'Take out' : 'Put in'} ${s(p.feature)}`,
		rules: [
			{ kind: 'before', step: 'updates', why: 'a part that comes later lacks its updates' },
			{
				kind: 'no two alike',
				by: (p) => s(p.feature).toLowerCase(),
				why: 'the later one undoes or repeats the earlier'
			}
		],
		usual: 4 * MINUTE
	},
	{
		kind: 'driver',
		group: 'system',
		says: 'A device driver, such as that of a GPU',
		params: {
			device: {
				kind: 'choice',
				label: 'device',
				options: ['GPU', 'network', 'storage', 'sound', 'printer'],
				default: 'GPU'
			},
			package: { kind: 'from', list: 'package', label: 'package' }
		},
		words: (p) => `Driver for ${s(p.device)}: ${s(p.package)}`,
		rules: [
			{ kind: 'before', step: 'agent', why: 'the agent chooses its screen encoder by the driver it finds' },
			{ kind: 'no two alike', by: (p) => s(p.device), why: 'two drivers would claim the same device' }
		],
		rights: () => ['packages'],
		usual: 6 * MINUTE
	},
	{
		kind: 'page file',
		group: 'system',
		says: 'Where the page file lies and how large it is',
		params: {
			place: { kind: 'choice', label: 'on', options: ['system disk', 'overlay disk', 'none'], default: 'overlay disk' },
			size: { kind: 'size', label: 'size', least: 256 * MB, most: 256 * GB, default: 8 * GB }
		},
		words: (p) => (p.place === 'none' ? 'No page file' : `Page file of ${large(p.size)} on the ${s(p.place)}`),
		rules: [{ kind: 'once', why: 'the later one replaces the earlier' }],
		usual: 30 * SECOND
	},
	{
		kind: 'power',
		group: 'system',
		says: 'What the system does when it idles',
		params: {
			plan: {
				kind: 'choice',
				label: 'plan',
				options: ['never sleep, full speed', 'never sleep, balanced'],
				default: 'never sleep, full speed'
			}
		},
		words: (p) => `Power plan: ${s(p.plan)}`,
		rules: [{ kind: 'once', why: 'the later one replaces the earlier' }, KEEPS_OFF],
		usual: 20 * SECOND
	},
	{
		kind: 'reboot',
		group: 'system',
		says: 'A restart between two steps',
		params: {
			wait: { kind: 'duration', label: 'wait at most', least: MINUTE, most: HOUR, default: 10 * MINUTE }
		},
		words: () => 'Restart',
		note: (p) => `waits at most ${lasts(p.wait)}`,
		rules: [],
		usual: 2 * MINUTE
	},
	// ── languages and regions ──
	{
		kind: 'language',
		group: 'languages and regions',
		says: 'Language packs for the system',
		params: {
			packs: {
				kind: 'list',
				label: 'languages',
				shape: /^[a-z]{2,3}(-[A-Z]{2})?$/,
				shapeWords: 'a language tag such as nb or fr-CA'
			}
		},
		words: (p) => `Language packs: ${list(p.packs)}`,
		key: () => 'Language packs',
		rules: [{ kind: 'before', step: 'keyboard', why: 'layouts come with their language' }],
		rights: () => ['updates'],
		usual: 20 * MINUTE
	},
	{
		kind: 'keyboard',
		group: 'languages and regions',
		says: 'Keyboard layouts, the first one being the usual',
		params: {
			layouts: {
				kind: 'list',
				label: 'layouts',
				shape: /^[a-z]{2,3}(-[A-Z]{2})?$/,
				shapeWords: 'a language tag such as nb or en-CA'
			}
		},
		words: (p) => `Keyboards: ${list(p.layouts)}`,
		rules: [{ kind: 'once', why: 'the later list replaces the earlier' }],
		usual: 20 * SECOND
	},
	{
		kind: 'region',
		group: 'languages and regions',
		says: 'Formats for dates, numbers and paper',
		params: {
			region: { kind: 'text', label: 'region', shape: /^[a-z]{2,3}-[A-Z]{2}$/, shapeWords: 'a tag such as nb-NO' }
		},
		words: (p) => `Formats of ${s(p.region)}`,
		rules: [
			{ kind: 'once', why: 'the later one replaces the earlier' },
			{ kind: 'after', step: 'language', why: 'formats come with their language' }
		],
		usual: 15 * SECOND
	},
	{
		kind: 'time zone',
		group: 'languages and regions',
		says: 'The time zone, fixed or that of the endpoint',
		params: {
			zone: { kind: 'text', label: 'zone', hint: 'endpoint, or a zone such as Europe/Oslo', default: 'endpoint' }
		},
		words: (p) => (p.zone === 'endpoint' ? 'Time zone follows the endpoint' : `Time zone ${s(p.zone)}`),
		rules: [{ kind: 'once', why: 'the later one replaces the earlier' }],
		usual: 10 * SECOND
	},
	{
		kind: 'fonts',
		group: 'languages and regions',
		says: 'Fonts from the file share',
		params: { folder: path('folder') },
		words: (p) => `Fonts from ${s(p.folder)}`,
		rules: [PROGRAMS_ADD],
		rights: () => ['files'],
		usual: MINUTE
	},
	// ── programs ──
	{
		kind: 'package',
		group: 'programs',
		says: 'A program from the package store',
		params: {
			package: { kind: 'from', list: 'package', label: 'package' },
			version: {
				kind: 'text',
				label: 'version',
				hint: 'newest, 13, or 13.1',
				default: 'newest',
				shape: /^(newest|\d+(\.\d+)*)$/,
				shapeWords: 'newest, or a number such as 13 or 13.1'
			},
			codes: { kind: 'codes', label: 'exit codes that are good', default: [0, 3010] }
		},
		words: (p) => `Install ${s(p.package)}${p.version === 'newest' ? '' : ` ${s(p.version)}`}`,
		note: () => 'from the package store',
		key: (p) => `Install ${s(p.package)}`,
		rules: [
			PROGRAMS_ADD,
			{
				kind: 'after',
				step: 'role',
				why: 'programs set themselves up for one person where they find no role for many'
			},
			{
				kind: 'no two alike',
				by: (p) => s(p.package).toLowerCase(),
				why: 'the second one finds the program there already'
			}
		],
		rights: () => ['packages'],
		usual: 12 * MINUTE
	},
	{
		kind: 'web installer',
		group: 'programs',
		says: 'An installer fetched from an address, checked by its SHA-256',
		params: {
			address: {
				kind: 'text',
				label: 'address',
				shape: /^https:\/\/\S+$/,
				shapeWords: 'write an address that begins with https://'
			},
			sha256: { kind: 'text', label: 'SHA-256', shape: /^[0-9a-f]{64}$/i, shapeWords: '64 hexadecimal digits' },
			arguments: { kind: 'text', label: 'arguments', optional: true },
			codes: { kind: 'codes', label: 'exit codes that are good', default: [0] }
		},
		words: (p) => `Install from ${s(p.address)}`,
		rules: [PROGRAMS_ADD],
		rights: () => ['internet'],
		usual: 8 * MINUTE
	},
	{
		kind: 'remove',
		group: 'programs',
		says: 'Takes a program out that the source brought along',
		params: {
			program: { kind: 'text', label: 'program', shape: NAME, shapeWords: 'letters, digits, spaces and . _ + -' }
		},
		words: (p) => `Take out ${s(p.program)}`,
		rules: [{ kind: 'before', step: 'clean', why: 'what is taken out leaves remains' }],
		usual: 3 * MINUTE
	},
	{
		kind: 'script',
		group: 'programs',
		says: 'A script of your own, with the exit codes that are good',
		params: {
			name: { kind: 'text', label: 'name', shape: NAME, shapeWords: 'letters, digits, spaces and . _ + -' },
			shell: { kind: 'choice', label: 'shell', options: ['system shell', 'sh', 'python'], default: 'system shell' },
			text: { kind: 'lines', label: 'script' },
			as: { kind: 'choice', label: 'runs as', options: ['system', 'builder account'], default: 'system' },
			codes: { kind: 'codes', label: 'exit codes that are good', default: [0] },
			limit: { kind: 'duration', label: 'stopped after', least: SECOND, most: 12 * HOUR, default: 30 * MINUTE }
		},
		words: (p) => `Script ${s(p.name)}`,
		note: (p) => `exit code ${list(p.codes)}`,
		rules: [],
		usual: 5 * MINUTE
	},
	{
		kind: 'start layout',
		group: 'programs',
		says: 'What the start menu and the task bar show',
		params: { pins: { kind: 'list', label: 'pinned programs' } },
		words: (p) => `Start menu: ${list(p.pins)}`,
		rules: [
			{ kind: 'once', why: 'the later one replaces the earlier' },
			{ kind: 'after', step: 'package', why: 'what is not installed yet cannot be pinned' }
		],
		usual: 20 * SECOND
	},
	{
		kind: 'default apps',
		group: 'programs',
		says: 'Which program opens which files',
		params: {
			opens: {
				kind: 'list',
				label: 'file types',
				hint: '.pdf=Viewer',
				shape: /^\.[\w-]+=.+$/,
				shapeWords: 'such as .pdf=Viewer'
			}
		},
		words: (p) => `Files open with: ${list(p.opens)}`,
		rules: [
			{ kind: 'once', why: 'the later list replaces the earlier' },
			{ kind: 'after', step: 'package', why: 'a program that is not installed yet opens nothing' }
		],
		usual: 20 * SECOND
	},
	// ── files and settings ──
	{
		kind: 'copy',
		group: 'files and settings',
		says: 'Copies a file or folder from the file share',
		params: {
			from: { kind: 'text', label: 'from' },
			to: path('to'),
			sha256: {
				kind: 'text',
				label: 'SHA-256',
				optional: true,
				shape: /^[0-9a-f]{64}$/i,
				shapeWords: '64 hexadecimal digits'
			}
		},
		words: (p) => `Copy ${s(p.from)} to ${s(p.to)}`,
		rules: [{ kind: 'no two alike', by: (p) => s(p.to).toLowerCase(), why: 'the second copy overwrites the first' }],
		rights: () => ['files'],
		usual: 2 * MINUTE
	},
	{
		kind: 'folder',
		group: 'files and settings',
		says: 'Makes a folder, and says who may write in it',
		params: { path: path('path'), writers: { kind: 'list', label: 'who may write', default: ['administrators'] } },
		words: (p) => `Folder ${s(p.path)}`,
		rules: [],
		usual: 5 * SECOND
	},
	{
		kind: 'setting',
		group: 'files and settings',
		says: 'One setting of the system',
		params: {
			key: {
				kind: 'text',
				label: 'key',
				shape: /^[^\s\\/][^\\]*([\\/][^\\/]+)+$/,
				shapeWords: 'a path of keys such as Machine\\Software\\Viewer\\Home'
			},
			type: { kind: 'choice', label: 'type', options: ['text', 'number', 'yes or no', 'list'], default: 'text' },
			value: { kind: 'text', label: 'value' }
		},
		words: (p) => `Set ${s(p.key)} to ${s(p.value)}`,
		key: (p) => `Set ${s(p.key)}`,
		rules: [
			KEEPS_OFF,
			{ kind: 'no two alike', by: (p) => s(p.key).toLowerCase(), why: 'the later one overwrites the earlier' }
		],
		usual: 5 * SECOND
	},
	{
		kind: 'variable',
		group: 'files and settings',
		says: 'An environment variable for every session',
		params: {
			name: { kind: 'text', label: 'name', shape: /^[A-Za-z_][A-Za-z0-9_]*$/, shapeWords: 'letters, digits and _' },
			value: { kind: 'text', label: 'value' }
		},
		words: (p) => `Variable ${s(p.name)}=${s(p.value)}`,
		rules: [{ kind: 'no two alike', by: (p) => s(p.name).toUpperCase(), why: 'the later one overwrites the earlier' }],
		usual: 5 * SECOND
	},
	{
		kind: 'service',
		group: 'files and settings',
		says: 'How a service starts',
		params: {
			service: { kind: 'text', label: 'service', shape: NAME, shapeWords: 'letters, digits, spaces and . _ + -' },
			start: {
				kind: 'choice',
				label: 'starts',
				options: ['by itself', 'by itself, later', 'when asked', 'never'],
				default: 'by itself'
			}
		},
		words: (p) => `Service ${s(p.service)} starts ${s(p.start)}`,
		rules: [
			{ kind: 'no two alike', by: (p) => s(p.service).toLowerCase(), why: 'the later one overwrites the earlier' }
		],
		usual: 10 * SECOND
	},
	{
		kind: 'scheduled task',
		group: 'files and settings',
		says: 'Switches a scheduled task on or off',
		params: {
			task: { kind: 'text', label: 'task' },
			make: { kind: 'choice', label: 'make it', options: ['on', 'off'], default: 'off' }
		},
		words: (p) => `Scheduled task ${s(p.task)} ${s(p.make)}`,
		rules: [
			KEEPS_OFF,
			{ kind: 'no two alike', by: (p) => s(p.task).toLowerCase(), why: 'the later one undoes or repeats the earlier' }
		],
		usual: 5 * SECOND
	},
	{
		kind: 'drive map',
		group: 'files and settings',
		says: 'A drive that every session gets',
		params: {
			drive: { kind: 'text', label: 'drive', shape: /^[A-Z]$/, shapeWords: 'one letter from A to Z' },
			share: { kind: 'text', label: 'share' }
		},
		words: (p) => `Drive ${s(p.drive)}: from ${s(p.share)}`,
		rules: [{ kind: 'no two alike', by: (p) => s(p.drive), why: 'a letter names one drive' }],
		usual: 5 * SECOND
	},
	// ── people and limits ──
	{
		kind: 'profile client',
		group: 'people and limits',
		says: 'The client that attaches profile disks',
		params: {
			version: {
				kind: 'text',
				label: 'version',
				default: 'newest',
				shape: /^(newest|\d+(\.\d+)*)$/,
				shapeWords: 'newest, or a number such as 3.4'
			}
		},
		words: (p) => `Profile disk client ${s(p.version)}`,
		key: () => 'Profile disk client',
		rules: [
			{ kind: 'once', why: 'one client attaches all profile disks' },
			{ kind: 'before', step: 'agent', why: 'the agent binds to the profile disk client it finds' }
		],
		rights: () => ['packages'],
		usual: 3 * MINUTE
	},
	{
		kind: 'limits',
		group: 'people and limits',
		says: 'When idle sessions are disconnected, and disconnected ones signed out',
		params: {
			idle: {
				kind: 'duration',
				label: 'disconnect after idling',
				least: MINUTE,
				most: 7 * 24 * HOUR,
				default: 25 * MINUTE
			},
			disconnected: { kind: 'duration', label: 'sign out after', least: MINUTE, most: 7 * 24 * HOUR, default: 3 * HOUR }
		},
		words: (p) => `Disconnect after ${lasts(p.idle)} idle, sign out after ${lasts(p.disconnected)}`,
		key: () => 'Limits of sessions',
		rules: [{ kind: 'once', why: 'the later one replaces the earlier' }],
		usual: MINUTE
	},
	{
		kind: 'sessions',
		group: 'people and limits',
		says: 'How many sessions one machine takes',
		params: { most: { kind: 'number', label: 'sessions at most', least: 1, most: 200, default: 12 } },
		words: (p) => `At most ${s(p.most)} sessions`,
		rules: [
			{ kind: 'once', why: 'the later one replaces the earlier' },
			{ kind: 'only on', users: 'multi', why: 'a single-user machine takes one session' },
			{ kind: 'needs', step: 'role', why: 'without the role of a session host there is one session' }
		],
		usual: 20 * SECOND
	},
	{
		kind: 'display',
		group: 'people and limits',
		says: 'Frames a second, codec and resolution of sessions',
		params: {
			frames: { kind: 'number', label: 'frames a second', least: 5, most: 120, default: 30 },
			codec: { kind: 'choice', label: 'codec', options: ['H.264', 'VP9', 'AV1', 'still pictures'], default: 'H.264' },
			screens: { kind: 'number', label: 'screens at most', least: 1, most: 8, default: 4 }
		},
		words: (p) => `Display: ${s(p.frames)} frames/s, ${s(p.codec)}, ${s(p.screens)} screens`,
		key: () => 'Display',
		rules: [
			{ kind: 'once', why: 'the later one replaces the earlier' },
			{ kind: 'after', step: 'driver', why: 'what the encoder can do depends on the driver' }
		],
		usual: 30 * SECOND
	},
	{
		kind: 'local group',
		group: 'people and limits',
		says: 'Puts a group of the directory into a local group',
		params: {
			group: { kind: 'text', label: 'local group' },
			member: { kind: 'text', label: 'group of the directory' }
		},
		words: (p) => `${s(p.member)} into ${s(p.group)}`,
		rules: [],
		usual: 10 * SECOND
	},
	// ── security ──
	{
		kind: 'certificate',
		group: 'security',
		says: 'A root certificate that machines trust',
		params: { name: { kind: 'text', label: 'name' }, pem: { kind: 'lines', label: 'certificate (PEM)' } },
		words: (p) => `Trust certificate ${s(p.name)}`,
		rules: [{ kind: 'no two alike', by: (p) => s(p.name).toLowerCase(), why: 'it is trusted once it is there' }],
		usual: 5 * SECOND
	},
	{
		kind: 'firewall',
		group: 'security',
		says: 'A port that machines let in or refuse',
		params: {
			port: { kind: 'number', label: 'port', least: 1, most: 65_535, default: 3478 },
			protocol: { kind: 'choice', label: 'protocol', options: ['TCP', 'UDP', 'both'], default: 'both' },
			make: { kind: 'choice', label: 'make it', options: ['open', 'closed'], default: 'open' }
		},
		words: (p) => `Port ${s(p.port)} ${s(p.protocol)} ${s(p.make)}`,
		rules: [
			{
				kind: 'no two alike',
				by: (p) => `${s(p.port)} ${s(p.protocol)}`,
				why: 'the later one undoes or repeats the earlier'
			}
		],
		usual: 5 * SECOND
	},
	{
		kind: 'scan exclusions',
		group: 'security',
		says: 'What the malware scanner leaves alone',
		params: { paths: { kind: 'list', label: 'paths', shape: PATH, shapeWords: 'a whole path' } },
		words: (p) => `Scanner leaves alone: ${list(p.paths)}`,
		rules: [{ kind: 'once', why: 'the later list replaces the earlier' }],
		usual: 10 * SECOND
	},
	{
		kind: 'full scan',
		group: 'security',
		says: 'Scans the whole image once, so that machines need not',
		params: {},
		words: () => 'Scan the image for malware',
		rules: [
			{ kind: 'after', step: 'package', why: 'what comes later would not be scanned' },
			{ kind: 'once', why: 'one scan at the end is enough' }
		],
		usual: 18 * MINUTE
	},
	{
		kind: 'baseline',
		group: 'security',
		says: 'A set of security settings from a file',
		params: {
			file: { kind: 'text', label: 'file on the share' },
			level: { kind: 'choice', label: 'level', options: ['usual', 'strict'], default: 'usual' }
		},
		words: (p) => `Security baseline ${s(p.file)}, ${s(p.level)}`,
		rules: [{ kind: 'once', why: 'two baselines contradict each other' }, KEEPS_OFF],
		rights: () => ['files'],
		usual: 2 * MINUTE
	},
	{
		kind: 'built-in accounts',
		group: 'security',
		says: 'Switches the built-in accounts off',
		params: {},
		words: () => 'Built-in accounts off',
		rules: [
			{ kind: 'once', why: 'they are off after the first time' },
			{ kind: 'after', step: 'script', why: 'scripts may still need them' }
		],
		usual: 5 * SECOND
	},
	// ── tidy up ──
	{
		kind: 'trim',
		group: 'tidy up',
		says: 'Removes what shared desktops do not need',
		params: { tweaks: { kind: 'tweaks', label: 'tweaks' } },
		words: () => 'Remove what shared desktops do not need',
		note: (p) => `${chosenTweaks(p.tweaks as 'safe').length} of ${TWEAKS.length} tweaks`,
		rules: [{ kind: 'once', why: 'all tweaks are chosen in one step' }],
		usual: 8 * MINUTE
	},
	{
		kind: 'precompile',
		group: 'tidy up',
		says: 'Compiles frameworks now, so that the first start of programs is short',
		params: {},
		words: () => 'Compile frameworks',
		rules: [
			{ kind: 'once', why: 'there is nothing left to compile' },
			{ kind: 'after', step: 'package', why: 'programs bring frameworks along' },
			{ kind: 'after', step: 'updates', why: 'updates replace frameworks' }
		],
		usual: 9 * MINUTE
	},
	{
		kind: 'clean',
		group: 'tidy up',
		says: 'Removes caches, logs and replaced parts',
		params: { replaced: { kind: 'flag', label: 'replaced parts of the system too', default: true } },
		words: (p) => (p.replaced ? 'Clean up, replaced parts too' : 'Clean up'),
		rules: [{ kind: 'once', why: 'there is nothing left to clean' }],
		usual: 7 * MINUTE
	},
	{
		kind: 'compact',
		group: 'tidy up',
		says: 'Gives the free space of the image disk back',
		params: {},
		words: () => 'Compact the disk',
		rules: [
			{ kind: 'after', step: 'clean', why: 'what the cleaning frees would not be given back' },
			{ kind: 'after', step: 'remove', why: 'what is taken out later would not be given back' },
			{ kind: 'once', why: 'there is nothing left to give back' }
		],
		usual: 11 * MINUTE
	},
	{
		kind: 'test',
		group: 'tidy up',
		says: 'Stops the build unless a file, service or port is there',
		params: {
			what: { kind: 'choice', label: 'there is', options: ['file', 'service', 'port'], default: 'file' },
			name: { kind: 'text', label: 'which' }
		},
		words: (p) => `Make sure of ${s(p.what)} ${s(p.name)}`,
		rules: [],
		usual: 15 * SECOND
	},
	// ── close ──
	{
		kind: 'agent',
		group: 'close',
		says: 'The desktop agent, through which machines are reached',
		params: {
			version: {
				kind: 'text',
				label: 'version',
				default: 'newest',
				shape: /^(newest|\d+(\.\d+)*)$/,
				shapeWords: 'newest, or a number such as 9.2'
			}
		},
		words: (p) => `Desktop agent ${s(p.version)}`,
		key: () => 'Desktop agent',
		note: () => 'last but for what closes the image',
		rules: [
			{ kind: 'last but closing', why: 'steps after it would change what it has registered' },
			{ kind: 'once', why: 'a machine has one agent' }
		],
		rights: () => ['packages'],
		usual: 5 * MINUTE
	},
	{
		kind: 'generalise',
		group: 'close',
		says: 'Takes names, keys and identities out, where the sealing does not',
		params: {},
		words: () => 'Generalise',
		rules: [
			{ kind: 'after', step: 'agent', why: 'the agent would take up an identity again' },
			{ kind: 'once', why: 'an image is generalised once' },
			{
				kind: 'not with',
				step: 'seal',
				why: 'that seal generalises too',
				when: (_own, other) => other.generalise === true
			}
		],
		usual: 9 * MINUTE,
		closes: true
	},
	{
		kind: 'seal',
		group: 'close',
		says: 'Closes the image: no logs, no identity, powered off',
		params: { generalise: { kind: 'flag', label: 'generalise first', default: true } },
		words: (p) => (p.generalise ? 'Generalise and seal' : 'Seal'),
		rules: [
			{ kind: 'last', why: 'whatever comes after it would not be sealed' },
			{ kind: 'once', why: 'an image is sealed once' }
		],
		rights: () => ['images'],
		usual: 22 * MINUTE,
		closes: true
	}
];

/** Every kind of step, in the order of the library. */
export const KINDS: readonly Kind[] = kinds;

/** Kinds that every sheet needs. */
export const ESSENTIAL = ['source', 'agent', 'seal'] as const;

const byName = new Map(kinds.map((k) => [k.kind, k]));

/** A kind by its name, or undefined. */
export const kindOf = (name: string): Kind | undefined => byName.get(name);
