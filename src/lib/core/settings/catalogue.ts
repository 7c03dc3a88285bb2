import { DAY, HOUR, MINUTE, SECOND } from '../time/units';
import type { Holds, Setting, SettingCost, SettingType, SettingValue, SubjectKind } from './kinds';

/** The settings that every estate has. An estate file may add some of its own. */

const onOff: SettingType = { is: 'switch' };
const choice = (...of: string[]): SettingType => ({ is: 'choice', of });
const whole = (least: number, most: number, unit = ''): SettingType => ({ is: 'number', least, most, unit });
const span = (least: number, most: number, never = true): SettingType => ({ is: 'span', least, most, never });
const line = (most = 200): SettingType => ({ is: 'text', most });
const lines = (item: string, most = 50): SettingType => ({ is: 'list', item, most });

type Row = [
	id: string,
	name: string,
	type: SettingType,
	usual: SettingValue,
	whom: string,
	words: string,
	holds?: Holds,
	cost?: SettingCost
];

const SUBJECT: Record<string, SubjectKind> = { e: 'endpoint', m: 'machine', s: 'session' };

/** Settings of one area; `whom` has an `e` for endpoints, an `m` for machines, an `s` for sessions. */
const area = (name: string, rows: readonly Row[]): Setting[] =>
	rows.map(([id, called, type, usual, whom, words, holds = 'at once', cost]) => ({
		id,
		name: called,
		area: name,
		words,
		type,
		usual,
		for: [...whom].map((x) => SUBJECT[x]!),
		holds,
		...(cost ? { cost } : {})
	}));

export const CATALOGUE: readonly Setting[] = [
	...area('displays', [
		[
			'displays.count',
			'Screens at most',
			whole(1, 8),
			4,
			'es',
			'So many screens show a session at most.',
			'next sign-in'
		],
		[
			'displays.scale',
			'Size of what is shown',
			whole(75, 300, '%'),
			100,
			'es',
			'Everything on the screen is drawn so large.'
		],
		[
			'displays.rate',
			'Pictures a second at most',
			whole(10, 120),
			60,
			's',
			'A session sends so many pictures a second at most.'
		],
		['displays.depth', 'Sharp text first', onOff, true, 's', 'Text is sent sharp before pictures are.'],
		[
			'displays.name-across',
			'Name across the screen',
			onOff,
			false,
			's',
			'A watermark: who is signed in and the time stand across what is shown, faintly, so that a picture of it tells whose it was.'
		],
		[
			'displays.wallpaper',
			'Background picture',
			onOff,
			true,
			's',
			'The desktop has a picture behind it.',
			'next sign-in',
			{ once: 60 }
		]
	]),
	...area('keyboard', [
		[
			'keyboard.layout',
			'Keyboard',
			choice('as the device says', 'no', 'en-GB', 'en-US', 'en-CA', 'fr-CA', 'fr', 'de', 'da', 'sv'),
			'as the device says',
			'es',
			'How keys are laid out.',
			'next sign-in'
		],
		[
			'keyboard.numbers',
			'Number pad on',
			onOff,
			true,
			'es',
			'The number pad types numbers when a session begins.',
			'next sign-in'
		],
		[
			'keyboard.shortcuts',
			'Keys go to the session',
			onOff,
			true,
			'e',
			'Combinations of keys act within the session, and not on the device.'
		],
		[
			'keyboard.repeat',
			'Keys repeat after',
			span(SECOND, 5 * SECOND),
			SECOND,
			'es',
			'A key that is held down repeats after this long.'
		]
	]),
	...area('power', [
		[
			'power.sleep-after',
			'Sleep after',
			span(MINUTE, 12 * HOUR),
			10 * MINUTE,
			'e',
			'A device that nobody is on goes to sleep after this long.'
		],
		[
			'power.machine-sleep',
			'Machines sleep after',
			span(10 * MINUTE, 12 * HOUR),
			null,
			'm',
			'A machine that nobody is on saves power after this long; whoever comes then waits for it.'
		],
		[
			'power.screen-off',
			'Screen off after',
			span(MINUTE, 12 * HOUR),
			5 * MINUTE,
			'e',
			'The screen goes dark after this long without a touch.'
		],
		[
			'power.button',
			'The power button',
			choice('sleeps', 'shuts down', 'does nothing'),
			'sleeps',
			'e',
			'What a press on the power button does.'
		],
		[
			'power.wake-by-network',
			'Can be woken over the network',
			onOff,
			true,
			'e',
			'A device that sleeps starts when another in its network calls it.',
			'next start'
		],
		[
			'power.battery-warn',
			'Warn at a charge of',
			whole(5, 50, '%'),
			15,
			'e',
			'Whoever is on a device is warned at this charge.'
		]
	]),
	...area('screen lock', [
		[
			'lock.after',
			'Lock after',
			span(MINUTE, 8 * HOUR),
			10 * MINUTE,
			'es',
			'The screen is locked after this long without a touch.'
		],
		[
			'lock.on-leaving',
			'Lock when the card is drawn',
			onOff,
			false,
			'e',
			'The screen is locked when a sign-in card is taken out.'
		],
		['lock.message', 'Words on the locked screen', line(), '', 'es', 'What stands on a screen that is locked.'],
		[
			'lock.keeps-sound',
			'Sound goes on while locked',
			onOff,
			true,
			's',
			'What is playing goes on while the screen is locked.'
		]
	]),
	...area('devices and ports', [
		[
			'ports.storage',
			'Memory sticks',
			choice('allowed', 'read only', 'off'),
			'read only',
			'e',
			'What storage that is plugged in may do.'
		],
		[
			'ports.classes',
			'Kinds of devices that are let in',
			lines('a kind of device, such as keyboards', 20),
			['keyboards', 'mice', 'headsets'],
			'e',
			'Only devices of these kinds work when they are plugged in.'
		],
		[
			'ports.serial',
			'Serial ports',
			onOff,
			false,
			'es',
			'Instruments on a serial port reach the session.',
			'next sign-in'
		],
		['ports.camera', 'Camera', onOff, true, 'e', 'The camera of the device works.'],
		['ports.microphone', 'Microphone', onOff, true, 'e', 'The microphone of the device works.'],
		[
			'ports.card-reader',
			'Reader for sign-in cards',
			onOff,
			false,
			'es',
			'A sign-in card on the device counts in the session.',
			'next sign-in'
		]
	]),
	...area('networks and radios', [
		[
			'network.known',
			'Wireless networks',
			lines('the name of a network'),
			[],
			'e',
			'The device joins these by itself, the first that it sees.'
		],
		[
			'network.others',
			'Other wireless networks',
			onOff,
			true,
			'e',
			'People may join networks that are not in the list.'
		],
		['network.wire-first', 'Wire before wireless', onOff, true, 'e', 'With a cable in, the radio is not used.'],
		['radio.bluetooth', 'Bluetooth', onOff, true, 'e', 'Devices without a cable may be paired.'],
		[
			'radio.mobile',
			'Mobile data',
			choice('off', 'where nothing else is', 'on'),
			'where nothing else is',
			'e',
			'When a device with a card for it uses the mobile network.'
		],
		[
			'network.tunnel',
			'Tunnel away from the offices',
			onOff,
			true,
			'e',
			'From a network that is not one of the offices, everything goes through a tunnel.',
			'next start'
		],
		[
			'network.name-servers',
			'Name servers',
			lines('an address', 6),
			[],
			'em',
			'Names are asked of these, in order; none: what the network says.',
			'next start'
		]
	]),
	...area('proxy', [
		[
			'proxy.how',
			'Proxy',
			choice('none', 'found by the network', 'as set'),
			'none',
			'ems',
			'How the way to the web is found.',
			'at once',
			{ once: 40 }
		],
		['proxy.address', 'Address of the proxy', line(), '', 'ems', 'Host and port, where the proxy is as set.'],
		['proxy.past', 'Goes past the proxy', lines('a name or a range'), [], 'ems', 'What is reached without the proxy.']
	]),
	...area('time', [
		[
			'time.zone',
			'Time zone',
			choice('of the site', 'of the device', 'Etc/UTC'),
			'of the device',
			's',
			'Which time a session shows.',
			'next sign-in'
		],
		[
			'time.servers',
			'Time servers',
			lines('a name or an address', 6),
			[],
			'em',
			'Clocks are set by these; none: what the network says.'
		],
		[
			'time.drift',
			'A clock may be off by',
			span(SECOND, 10 * MINUTE, false),
			30 * SECOND,
			'em',
			'A clock that is further off is set at once, and is told of.'
		]
	]),
	...area('printers', [
		[
			'printers.by-site',
			'Printers of the site',
			onOff,
			true,
			's',
			'Whoever signs in gets the printers of where they sit.',
			'next sign-in',
			{ once: 620, phase: 'drives' }
		],
		[
			'printers.others',
			'Further printers',
			lines('the name of a print queue'),
			[],
			's',
			'Print queues that are there beside those of the site.',
			'next sign-in',
			{ each: 140, trips: 1, phase: 'drives' }
		],
		[
			'printers.usual',
			'Prints first on',
			line(),
			'',
			's',
			'The printer that is offered first; nothing: the nearest.',
			'next sign-in'
		],
		[
			'printers.from-device',
			'Printers of the device',
			onOff,
			false,
			's',
			'A printer on the device can be used from the session.',
			'next sign-in',
			{ once: 210, phase: 'drives' }
		],
		[
			'printers.both-sides',
			'Print on both sides',
			onOff,
			true,
			's',
			'Paper is printed on both sides unless somebody says otherwise.'
		]
	]),
	...area('drives', [
		[
			'drives.home',
			'Home folder',
			choice('none', 'as a drive'),
			'as a drive',
			's',
			'The folder of each person is a drive of its own.',
			'next sign-in',
			{ once: 320, trips: 9, phase: 'drives' }
		],
		[
			'drives.home-letter',
			'Letter of the home folder',
			choice('H', 'P', 'U', 'Z'),
			'H',
			's',
			'Under which letter the home folder stands.',
			'next sign-in'
		],
		[
			'drives.shared',
			'Shared drives',
			lines('a letter and a folder, such as S: surveys', 20),
			[],
			's',
			'Folders that stand as drives.',
			'next sign-in',
			{ each: 380, trips: 9, phase: 'drives' }
		],
		[
			'drives.offline',
			'Files at hand without a network',
			onOff,
			false,
			'e',
			'What was opened last is kept on the device.',
			'next start'
		],
		[
			'drives.trash',
			'Keep what was deleted for',
			span(DAY, 180 * DAY),
			30 * DAY,
			's',
			'Files that were deleted can be had back for this long.'
		]
	]),
	...area('language and formats', [
		[
			'locale.language',
			'Language',
			choice('of the person', 'of the site', 'en', 'nb', 'fr'),
			'of the person',
			'es',
			'In which language a session and a device speak.',
			'next sign-in'
		],
		[
			'locale.formats',
			'Dates and numbers',
			choice('as the language', 'ISO 8601'),
			'as the language',
			's',
			'How dates and numbers are written.',
			'next sign-in'
		],
		[
			'locale.week',
			'The week begins on',
			choice('Monday', 'Sunday', 'as the language'),
			'as the language',
			's',
			'The first day of a week in calendars.'
		],
		['locale.paper', 'Paper', choice('A4', 'Letter'), 'A4', 's', 'Which paper is laid out for.'],
		[
			'locale.spelling',
			'Dictionaries',
			lines('a language', 10),
			[],
			's',
			'Languages in which spelling is looked at.',
			'next sign-in',
			{ each: 110 }
		]
	]),
	...area('session limits', [
		[
			'session.idle',
			'Set aside when idle for',
			span(5 * MINUTE, 24 * HOUR),
			null,
			's',
			'A session that nobody touches is set aside after this long; nothing is lost.'
		],
		[
			'session.end-set-aside',
			'End when set aside for',
			span(5 * MINUTE, 7 * DAY),
			3 * HOUR,
			's',
			'A session that was set aside is signed out after this long.'
		],
		[
			'session.longest',
			'Longest session',
			span(HOUR, 30 * DAY),
			null,
			's',
			'However it is used, a session is signed out after this long.'
		],
		[
			'session.warn',
			'Warn before it ends',
			span(MINUTE, HOUR),
			5 * MINUTE,
			's',
			'Whoever is signed out is told this long before.'
		],
		[
			'session.reconnect',
			'Comes back by itself',
			onOff,
			true,
			'e',
			'A session whose line was cut is taken up again by the device.'
		]
	]),
	...area('browser', [
		[
			'browser.base',
			'Settings of the browser',
			onOff,
			true,
			's',
			'What every browser has: certificates, search, what is reported.',
			'next sign-in',
			{ once: 380 }
		],
		['browser.start', 'Starts with', line(), '', 's', 'The page that the browser opens first.', 'next sign-in'],
		[
			'browser.bookmarks',
			'Bookmarks for all',
			lines('a name and an address'),
			[],
			's',
			'Bookmarks that everybody finds.',
			'next sign-in',
			{ each: 6 }
		],
		[
			'browser.extensions',
			'Extensions',
			lines('the id of an extension', 30),
			[],
			's',
			'What is put into the browser, whoever signs in.',
			'next sign-in',
			{ each: 190 }
		],
		['browser.passwords', 'Keeps passwords', onOff, false, 's', 'The browser may keep passwords.'],
		[
			'browser.downloads',
			'Downloads',
			choice('allowed', 'asked each time', 'off'),
			'asked each time',
			's',
			'What happens with files from the web.'
		],
		[
			'browser.hardware',
			'Draws by the graphics card',
			onOff,
			true,
			's',
			'Pages are drawn by the graphics card where there is one.'
		]
	]),
	...area('updates', [
		[
			'updates.hours',
			'Updates in hours of work',
			onOff,
			false,
			'em',
			'A device or a machine may be updated while somebody works.'
		],
		[
			'updates.wait',
			'Take updates after',
			span(DAY, 60 * DAY, false),
			3 * DAY,
			'e',
			'An update is taken this long after it came out.'
		],
		[
			'updates.restart',
			'Restart for updates',
			choice('at night', 'when nobody is on it', 'when somebody says so'),
			'when nobody is on it',
			'e',
			'When a device starts anew for an update.'
		],
		['updates.share', 'Share with neighbours', onOff, true, 'e', 'Devices of a network hand updates on to each other.']
	]),
	...area('appearance', [
		[
			'appearance.layout',
			'Layout of the desktop',
			choice('none', 'usual', 'few things'),
			'usual',
			's',
			'Which things stand on a desktop at the first look.',
			'next sign-in',
			{ once: 450 }
		],
		[
			'appearance.theme',
			'Colours',
			choice('light', 'dark', 'as the device says'),
			'as the device says',
			'es',
			'Light or dark.'
		],
		['appearance.motion', 'Moving effects', onOff, false, 's', 'Windows glide and fade.'],
		['appearance.fonts', 'Smooth text', onOff, true, 's', 'Letters are drawn with soft edges.'],
		[
			'appearance.search',
			'Search by index',
			onOff,
			true,
			's',
			'What somebody wrote is found by its words.',
			'next sign-in',
			{ once: 120 }
		]
	]),
	...area('security', [
		[
			'security.base',
			'Security baseline',
			choice('none', 'usual', 'strict'),
			'usual',
			's',
			'What every session is shut off from.',
			'next sign-in',
			{ once: 780 }
		],
		[
			'security.macros',
			'Macros in documents',
			choice('off', 'signed ones', 'asked each time'),
			'signed ones',
			's',
			'Which macros of documents may run.'
		],
		['security.shells', 'Command lines', onOff, true, 's', 'People may use a command line.'],
		[
			'security.unsigned',
			'Programs without a signature',
			choice('allowed', 'asked each time', 'off'),
			'asked each time',
			'ems',
			'Whether a program that nobody signed may start.'
		],
		[
			'security.scan',
			'Looks files over at sign-in',
			onOff,
			false,
			's',
			'What changed in a profile is looked over before it is opened.',
			'next sign-in',
			{ once: 2400, trips: 4 }
		]
	]),
	...area('apps', [
		[
			'apps.defaults',
			'What opens what',
			onOff,
			true,
			's',
			'Which app opens which kind of file.',
			'next sign-in',
			{ once: 580 }
		],
		[
			'apps.at-sign-in',
			'Started at sign-in',
			lines('the name of an app', 20),
			[],
			's',
			'Apps that are there when the desktop is.',
			'next sign-in',
			{ each: 240 }
		],
		[
			'apps.fonts',
			'Fonts put in',
			whole(0, 10_000, 'fonts'),
			0,
			's',
			'Fonts that are copied into each session.',
			'next sign-in',
			{ each: 24 }
		],
		[
			'apps.templates',
			'Templates',
			lines('a folder of templates', 20),
			[],
			's',
			'Where apps look for templates.',
			'next sign-in',
			{ each: 30, trips: 2 }
		],
		[
			'apps.mail-cache',
			'Mail kept at hand',
			span(7 * DAY, 365 * DAY),
			90 * DAY,
			's',
			'Mail of this long can be read without a network.'
		]
	])
];
