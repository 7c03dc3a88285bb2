/** One thing that shared desktops can do without. */
export interface Tweak {
	id: string;
	group: (typeof TWEAK_GROUPS)[number];
	words: string;
	/** What it saves: bytes of disk in the image, bytes of memory a machine, thousandths of a core a machine, ms of each sign-in. */
	saves: { disk?: number; memory?: number; core?: number; signIn?: number };
	/** What may no longer work; null when nobody has missed it. */
	breaks: string | null;
}

export const TWEAK_GROUPS = [
	'services',
	'scheduled work',
	'look and sound',
	'first sign-in',
	'network',
	'reports home',
	'parts of the system',
	'disk'
] as const;

const MB = 1_000_000;
const tweak = (
	group: Tweak['group'],
	id: string,
	words: string,
	saves: Tweak['saves'],
	breaks: string | null = null
): Tweak => ({ id, group, words, saves, breaks });

/** Savings are typical of a desktop with 4 cores; the builder sees in its trial what they are here. */
export const TWEAKS: readonly Tweak[] = [
	tweak('services', 'search-index', 'File index off', { memory: 90 * MB, core: 18 }, 'searching in files is slow'),
	tweak('services', 'prefetch', 'Preloading of programs off', { memory: 45 * MB, core: 6 }),
	tweak('services', 'print-spooler', 'Print spooler off', { memory: 14 * MB, core: 1 }, 'nobody can print'),
	tweak('services', 'fax', 'Fax service off', { memory: 6 * MB }),
	tweak('services', 'bluetooth', 'Bluetooth services off', { memory: 12 * MB, core: 1 }),
	tweak('services', 'location', 'Location service off', { memory: 8 * MB, core: 1 }, 'maps do not find where one is'),
	tweak('services', 'sensors', 'Sensor services off', { memory: 9 * MB, core: 1 }),
	tweak('services', 'phone-link', 'Link to telephones off', { memory: 22 * MB, core: 2 }),
	tweak('services', 'wallet', 'Payment wallet off', { memory: 7 * MB }),
	tweak('services', 'game-services', 'Game services off', { memory: 31 * MB, core: 3 }),
	tweak(
		'services',
		'remote-settings',
		'Reading settings from afar off',
		{ memory: 4 * MB },
		'scripts that read settings from afar fail'
	),
	tweak('services', 'smart-card', 'Smart card services off', { memory: 9 * MB }, 'signing in by smart card'),
	tweak('services', 'biometrics', 'Biometric service off', { memory: 11 * MB }),
	tweak(
		'services',
		'touch-keyboard',
		'Touch keyboard service off',
		{ memory: 16 * MB, core: 1 },
		'tablets have no keyboard'
	),
	tweak('services', 'wifi', 'Wireless network service off', { memory: 10 * MB }),
	tweak('scheduled work', 'defrag-task', 'Scheduled defragmentation off', { core: 9 }),
	tweak('scheduled work', 'maintenance-task', 'Automatic maintenance off', { core: 14 }),
	tweak('scheduled work', 'restore-points', 'Restore points off', { disk: 900 * MB, core: 2 }),
	tweak('scheduled work', 'disk-diagnosis', 'Disk diagnosis task off', { core: 2 }),
	tweak('scheduled work', 'memory-diagnosis', 'Memory diagnosis task off', { core: 1 }),
	tweak(
		'scheduled work',
		'scan-at-idle',
		'Malware scan at idle off',
		{ core: 22 },
		'only the central scan finds malware at rest'
	),
	tweak(
		'scheduled work',
		'update-scan',
		'Search for updates off',
		{ core: 11 },
		'machines only get updates by a new version'
	),
	tweak('scheduled work', 'map-updates', 'Updates of offline maps off', { core: 1 }),
	tweak(
		'scheduled work',
		'store-updates',
		'Updates from the app store off',
		{ core: 8 },
		'store apps stay as they are in the image'
	),
	tweak('scheduled work', 'compatibility-scan', 'Compatibility inventory off', { core: 12 }),
	tweak('scheduled work', 'precompile-idle', 'Compiling of frameworks at idle off', { core: 6 }),
	tweak('look and sound', 'animations', 'Window animations off', { core: 12 }),
	tweak('look and sound', 'transparency', 'Transparency off', { core: 9 }),
	tweak(
		'look and sound',
		'drag-contents',
		'Contents of dragged windows not shown',
		{ core: 7 },
		'windows show only a frame while dragged'
	),
	tweak('look and sound', 'wallpaper', 'Plain background', { core: 2, signIn: 150 }, 'people see no picture'),
	tweak('look and sound', 'screen-saver', 'Screen saver off', { core: 4 }),
	tweak('look and sound', 'start-sound', 'Sounds of the system off', { signIn: 60 }),
	tweak('look and sound', 'font-smoothing', 'Font smoothing off', { core: 3 }, 'text looks coarse'),
	tweak('look and sound', 'cursor-shadow', 'Shadow under the pointer off', { core: 1 }),
	tweak('look and sound', 'live-tiles', 'Moving tiles off', { core: 5, memory: 12 * MB }),
	tweak('look and sound', 'news-panel', 'News panel off', { memory: 70 * MB, core: 14, signIn: 300 }),
	tweak('first sign-in', 'welcome-film', 'First sign-in film off', { signIn: 2400 }),
	tweak('first sign-in', 'tips', 'Tips and suggestions off', { memory: 10 * MB, signIn: 120 }),
	tweak(
		'first sign-in',
		'default-apps-setup',
		'Set-up of supplied apps for each person off',
		{ signIn: 3800 },
		'supplied store apps are missing'
	),
	tweak(
		'first sign-in',
		'cloud-drive-setup',
		'Set-up of the personal cloud drive off',
		{ signIn: 900, memory: 35 * MB },
		'the cloud drive does not start by itself'
	),
	tweak('first sign-in', 'mail-setup', 'Set-up of the supplied mail app off', { signIn: 250 }),
	tweak('first sign-in', 'browser-first-run', 'First-run pages of the browser off', { signIn: 400 }),
	tweak(
		'network',
		'name-broadcast',
		'Name resolution by broadcast off',
		{ core: 1 },
		'names that only broadcasts find'
	),
	tweak('network', 'peer-updates', 'Giving updates to neighbours off', { core: 5, disk: 400 * MB }),
	tweak('network', 'ipv6-tunnels', 'Tunnels for IPv6 off', { core: 1 }),
	tweak('network', 'offload', 'Large send offload off', { core: -3 }, 'a little more processor time for files'),
	tweak('network', 'smb-signing-wait', 'Longer file handles kept', { signIn: 200 }),
	tweak('network', 'network-discovery', 'Search for neighbours off', { core: 3 }, 'the network folder is empty'),
	tweak('reports home', 'usage-reports', 'Usage reports off', { core: 9, memory: 18 * MB }),
	tweak(
		'reports home',
		'error-reports',
		'Error reports off',
		{ core: 2, disk: 150 * MB },
		'crash reports are not kept'
	),
	tweak('reports home', 'feedback', 'Requests for feedback off', { core: 1 }),
	tweak('reports home', 'advertising-id', 'Advertising id off', {}),
	tweak('reports home', 'activity-history', 'Activity history off', { core: 2, disk: 60 * MB }),
	tweak('parts of the system', 'voice-assistant', 'Voice assistant out', {
		disk: 420 * MB,
		memory: 55 * MB,
		signIn: 350
	}),
	tweak(
		'parts of the system',
		'media-player',
		'Supplied media player out',
		{ disk: 130 * MB },
		'films need another player'
	),
	tweak('parts of the system', 'supplied-games', 'Supplied games out', { disk: 610 * MB }),
	tweak('parts of the system', 'mixed-reality', 'Mixed reality out', { disk: 380 * MB, memory: 8 * MB }),
	tweak('parts of the system', 'handwriting', 'Handwriting recognition out', { disk: 240 * MB }, 'pens write no text'),
	tweak(
		'parts of the system',
		'old-browser',
		'Old browser engine out',
		{ disk: 190 * MB },
		'web pages that were made for it'
	),
	tweak('parts of the system', 'recovery-tools', 'Recovery partition out', { disk: 750 * MB }),
	tweak('disk', 'hibernation', 'Hibernation file off', { disk: 6400 * MB }),
	tweak('disk', 'last-access', 'Times of last access not written', { core: 3 }),
	tweak('disk', 'short-names', 'Short file names not made', { core: 1 }, 'very old programs')
];

const byId = new Map(TWEAKS.map((t) => [t.id, t]));

/** The tweaks of a choice: `safe` are those that break nothing known. Unknown names are left out: the check names them. */
export function chosenTweaks(choice: 'safe' | 'all' | readonly string[]): Tweak[] {
	if (choice === 'all') return [...TWEAKS];
	if (choice === 'safe') return TWEAKS.filter((t) => t.breaks === null);
	return choice.flatMap((id) => byId.get(id) ?? []);
}

/** Whether there is a tweak of this name. */
export const isTweak = (id: string): boolean => byId.has(id);

/** What tweaks save together: disk in bytes, memory in bytes, thousandths of a core, ms of each sign-in. */
export function savingsOf(tweaks: readonly Tweak[]): Required<Tweak['saves']> {
	const sum = { disk: 0, memory: 0, core: 0, signIn: 0 };
	for (const { saves } of tweaks) {
		sum.disk += saves.disk ?? 0;
		sum.memory += saves.memory ?? 0;
		sum.core += saves.core ?? 0;
		sum.signIn += saves.signIn ?? 0;
	}
	return sum;
}
