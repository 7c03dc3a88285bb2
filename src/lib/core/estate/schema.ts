import * as v from 'valibot';
import { parseClock, parseDays } from '../time/hours';
import { isLanguage } from '../people/language';
import { USUAL_EMPLOYMENT } from '../people/record';
import { DAY, parseDuration, parseSize } from '../time/units';
import { knowsZone } from '../time/zone';
import { addressNumber, isIpv4Range, isRange, readAddress } from '../network/addresses';
import { isVersion } from '../images/versions';
import { parseRule } from '../images/follow';
import { makeStep } from '../images/sheet';
import { kindOf, KINDS } from '../images/library/kinds';
import { readCondition } from '../endpoints/condition';
import { ENDPOINT_KINDS } from '../endpoints/kinds';
import { readParam } from '../images/library/params';
import { WRITTEN_OTHERWISE, WRITTEN_TEST } from '../reach/file';
import { RULE_LIMITS, WRITTEN_RULE } from '../reach/written';
import { HOLDS, SUBJECT_KINDS } from '../settings/kinds';
import { CHANNELS } from '../access/decide';
import { STAFF } from '../access/rights';

/** The estate file: what it may say, with types that follow from the rules. Sizes become bytes, durations ms. */

const id = v.pipe(v.string(), v.regex(/^[a-z0-9][a-z0-9.-]*$/, 'expected small letters, digits, dots and hyphens'));
const name = v.pipe(v.string(), v.trim(), v.nonEmpty('expected a name'));
const count = v.pipe(v.number(), v.integer('expected a whole number'), v.minValue(0, 'expected 0 or more'));
const share = v.pipe(v.number(), v.minValue(0, 'expected 0 to 1'), v.maxValue(1, 'expected 0 to 1'));

const read = <T>(parse: (text: string) => T | null, expected: string) =>
	v.pipe(
		v.string(),
		v.rawTransform<string, T>(({ dataset, addIssue, NEVER }) => {
			const value = parse(dataset.value);
			if (value === null) {
				addIssue({ message: `expected ${expected}`, input: dataset.value });
				return NEVER;
			}
			return value;
		})
	);

export const size = read(parseSize, 'a size such as 42 GB');
export const duration = read(parseDuration, 'a duration such as 90 s or 3 h 30 min');
const clock = read(parseClock, 'a time of day such as 07:30');
const days = read(parseDays, 'days such as Mon-Fri');
const moment = read(
	// Without a zone, the same file would be another estate on a server elsewhere.
	(t) => (/T\d\d:\d\d.*(?:Z|[+-]\d\d:?\d\d)$/.test(t) && !Number.isNaN(Date.parse(t)) ? Date.parse(t) : null),
	'a moment with its zone, such as 2026-11-17T08:10:00+01:00'
);
const mail = v.pipe(v.string(), v.trim(), v.email('expected a mail address'));
const language = v.pipe(v.string(), v.check(isLanguage, 'expected a language tag such as nb or fr-CA'));
const zone = v.pipe(v.string(), v.check(knowsZone, 'expected a time zone such as Europe/Oslo'));
const range = v.pipe(v.string(), v.check(isRange, 'expected an address range such as 10.21.0.0/22'));
const address = read((t) => {
	try {
		return addressNumber(t);
	} catch {
		return null;
	}
}, 'an address such as 10.21.0.20');
const version = v.pipe(v.string(), v.check(isVersion, 'expected a version such as 3.1.4'));

export const hours = v.strictObject({ days, from: clock, until: clock });
export const PROTOCOLS = ['stream', 'framebuffer', 'spice'] as const;
export type Protocol = (typeof PROTOCOLS)[number];
const protocol = v.picklist(PROTOCOLS, `expected one of ${PROTOCOLS.join(', ')}`);

const network = v.strictObject({
	id,
	range: v.pipe(v.string(), v.check(isIpv4Range, 'expected an address range such as 10.21.0.0/22')),
	first: address,
	last: address
});
/** Where devices call: a host and a port. */
const calledAddress = v.pipe(
	v.string(),
	v.check((t) => readAddress(t) !== null, 'expected a host and a port such as sextant.example:8443')
);
const link = v.strictObject({
	to: id,
	mbit: v.pipe(v.number(), v.minValue(0.001, 'expected more than 0')),
	latency_ms: v.pipe(v.number(), v.minValue(0)),
	/** Share of what is sent that is lost. */
	loss: v.optional(
		v.pipe(v.number(), v.minValue(0, 'expected 0 to under 1'), v.maxValue(0.95, 'expected 0 to under 1')),
		0
	)
});
/** The compute provider of a site, as the lab plays it. */
const provider = v.strictObject({
	/** Host and port; `compute.SITE.DOMAIN:8443` where nothing is said. */
	address: v.optional(
		v.pipe(
			v.string(),
			v.check((t) => readAddress(t) !== null, 'expected a host and a port such as compute.example:8443')
		)
	),
	/** Further names of the host, which only Sextant itself can resolve. */
	also: v.optional(v.array(name), []),
	account: v.optional(name, 'sextant'),
	/** `estate`: signed by the authority that the directory vouches for; `own`: by one that nobody knows. */
	authority: v.optional(v.picklist(['estate', 'own']), 'estate'),
	/** When its certificate ends; a year after the lab opens where nothing is said. */
	until: v.optional(moment)
});
const site = v.strictObject({
	id,
	name,
	/** Whether Sextant knows the site already, or it is still to be joined up. */
	joined: v.optional(v.boolean(), true),
	provider: v.optional(provider, {}),
	kind: v.optional(v.picklist(['office', 'ship', 'rented']), 'office'),
	time_zone: zone,
	networks: v.array(network),
	/** Where endpoints have their addresses; none: nobody's device stands in a network of its own. */
	endpoint_ranges: v.optional(
		v.array(v.pipe(v.string(), v.check(isIpv4Range, 'expected an address range such as 10.21.4.0/22'))),
		[]
	),
	/** What its network tells devices of where to call; where nothing is said, the name service tells the right one. */
	calling: v.optional(v.strictObject({ dhcp: v.optional(calledAddress), dns: v.optional(calledAddress) })),
	links: v.optional(v.array(link), []),
	/** Days on which it does not work as on others, each as `2026-12-24 Christmas Eve`. */
	holidays: v.optional(v.pipe(v.array(v.string()), v.maxLength(500, 'expected at most 500')), [])
});
const host = v.strictObject({
	id,
	site: id,
	cores: v.pipe(count, v.minValue(1, 'expected at least 1')),
	memory: size,
	gpus: v.optional(count, 0),
	price_hour: v.optional(v.pipe(v.number(), v.minValue(0)), 0)
});
const volume = v.strictObject({
	id,
	site: id,
	size,
	iops: v.pipe(count, v.minValue(1, 'expected at least 1')),
	price_tb_month: v.optional(v.pipe(v.number(), v.minValue(0)), 0)
});
const gateway = v.strictObject({
	id,
	site: id,
	address: name,
	protocols: v.array(v.strictObject({ name: protocol, announced: count, listens: count })),
	/** The relay that people outside the offices are sent to for the picture, and where it stood before. */
	relay: v.optional(v.strictObject({ address, before: v.optional(v.strictObject({ address, until: moment })) }))
});
const component = v.strictObject({ name, version: v.string(), size });
/** A step of a build sheet with how long it takes here: its parameters stand beside its kind. */
const step = v.pipe(
	v.looseObject({
		kind: v.pipe(
			v.string(),
			v.check((k) => kindOf(k) !== undefined, `expected a kind of step: ${KINDS.map((k) => k.kind).join(', ')}`)
		),
		id: v.optional(v.string()),
		after: v.optional(v.array(v.string())),
		note: v.optional(v.string()),
		takes: duration
	}),
	v.rawTransform(({ dataset, addIssue }) => {
		const { kind, id, after, note, takes, ...given } = dataset.value;
		const params = kindOf(kind)?.params ?? {};
		for (const [key, value] of Object.entries(given)) {
			const read = params[key] ? readParam(params[key], value) : { wrong: `a ${kind} step knows no “${key}”` };
			if ('wrong' in read) addIssue({ message: read.wrong, input: value });
		}
		const rest = { ...(id ? { id } : {}), ...(after ? { after } : {}), ...(note ? { note } : {}) };
		return { step: makeStep(kind, given, rest), takes };
	})
);
const generation = v.optional(v.picklist([1, 2], 'expected 1 (BIOS) or 2 (UEFI)'), 2);
const stock = v.strictObject({
	id,
	name,
	system: name,
	users: v.picklist(['single', 'multi']),
	generation,
	least_disk: size,
	/** From then on the update service has one more version each second Tuesday of a month. */
	as_of: moment,
	component
});
const rule = read(parseRule, 'a follow rule: newest, newest 3.x, exactly 3.1.4 or nothing');
const slow = v.strictObject({
	phase: v.picklist(['drives', 'policies', 'shell', 'profile']),
	part: name,
	by: duration
});
const line = v.strictObject({
	id,
	name,
	system: name,
	users: v.picklist(['single', 'multi']),
	generation,
	boot: duration,
	versions: v.array(
		v.strictObject({
			number: version,
			built: moment,
			by: name,
			held: v.optional(v.boolean(), false),
			note: v.optional(v.string(), ''),
			contents: v.array(component),
			slow: v.optional(slow)
		})
	),
	sheet: v.strictObject({
		limit: duration,
		builder: v.strictObject({ cores: count, memory: size, disk: size, generation }),
		steps: v.array(step)
	}),
	past_builds: v.optional(
		v.array(v.strictObject({ number: version, at: moment, minutes: v.array(v.pipe(v.number(), v.minValue(0))) })),
		[]
	)
});
/** A machine that is there and belongs to no pool yet: it can be taken over. */
const existing = v.strictObject({
	name: id,
	site: id,
	/** Virtual: on a host and a volume. Physical: a computer of its own. */
	kind: v.optional(v.picklist(['virtual', 'physical']), 'virtual'),
	host: v.optional(id),
	volume: v.optional(id),
	network: id,
	system: name,
	users: v.picklist(['single', 'multi']),
	generation,
	cores: v.pipe(count, v.minValue(1, 'expected at least 1')),
	memory: size,
	gpus: v.optional(count, 0),
	disk: size,
	/** Where its computer account stands; without one, it has none. */
	folder: v.optional(name)
});
const bootServer = v.strictObject({ id, site: id, address: name });
const policy = v.strictObject({
	hours: id,
	headroom_in: count,
	headroom_out: count,
	least: count,
	most: count,
	patience: duration,
	placing: v.optional(v.picklist(['fill', 'spread']), 'fill')
});
const pool = v.pipe(
	v.strictObject({
		id,
		name,
		site: id,
		line: id,
		version,
		/** Which versions its machines take; exactly the one that it is made from where nothing is said. */
		follows: v.optional(rule),
		takes_at: v.optional(v.picklist(['next start', 'next sign-out']), 'next sign-out'),
		assignment: v.picklist(['shared', 'personal']),
		sessions_per_machine: v.optional(v.pipe(count, v.minValue(1, 'expected at least 1')), 1),
		cores: v.pipe(count, v.minValue(1, 'expected at least 1')),
		memory: size,
		gpus: v.optional(count, 0),
		disk: size,
		page_file: v.optional(size, '4 GB'),
		/** On the overlay disk, or on a disk apart. */
		page_file_on: v.optional(v.picklist(['overlay', 'apart'])),
		/** The same, as it was called before. */
		page_place: v.optional(v.picklist(['overlay', 'apart'])),
		/** Servers that its machines start from, in the order in which they are tried; none: from their own disks. */
		boot_servers: v.optional(v.array(id), []),
		count,
		naming: name,
		folder: name,
		network: id,
		policy,
		price_hour: v.pipe(v.number(), v.minValue(0))
	}),
	v.transform(({ page_place, ...p }) => ({ ...p, page_file_on: p.page_file_on ?? page_place ?? ('overlay' as const) }))
);
const publication = v.strictObject({
	id,
	name,
	internal_name: name,
	icon: v.optional(v.string(), 'desktop'),
	pools: v.optional(v.array(id), []),
	/** What it opens in a browser alone, with no machine: `service/depot`, or `site/tides.example`; no pools, then. */
	reaches: v.optional(v.pipe(v.string(), v.regex(/^(service|site)\/\S{1,250}$/, 'expected service/… or site/…'))),
	protocol: v.optional(protocol, 'stream'),
	/** Private services that it does not work without. */
	relies_on: v.optional(v.pipe(v.array(id), v.maxLength(100, 'expected at most 100')), [])
});
const channel = v.picklist(CHANNELS, `expected one of ${CHANNELS.join(', ')}`);
const grant = v.strictObject({
	publication: id,
	team: v.optional(id),
	person: v.optional(id),
	hours: v.optional(id),
	managed_endpoint: v.optional(v.boolean()),
	second_factor: v.optional(v.boolean()),
	networks: v.optional(v.array(range)),
	channels: v.optional(v.array(channel), [])
});
const habit = v.strictObject({
	publication: id,
	chance: share,
	cores: v.pipe(v.number(), v.minValue(0)),
	memory: size,
	gpu: v.optional(share, 0),
	sites: v.optional(v.array(id))
});
/** An app that people of a team start in their sessions, wherever a package of that name is delivered. */
const appHabit = v.strictObject({
	package: name,
	/** What of it is started; the first where nothing is said. */
	target: v.optional(name),
	chance: share,
	/** Starts in a session, and how long it stays open each time. */
	times: v.optional(v.pipe(count, v.minValue(1, 'expected at least 1')), 2),
	takes: v.optional(duration, '40 min')
});
const team = v.strictObject({
	id,
	name,
	parent: v.optional(id),
	habits: v.optional(v.array(habit), []),
	apps: v.optional(v.array(appHabit), [])
});
const person = v.strictObject({
	login: id,
	name,
	/** Their home team, and others that they are of. */
	team: id,
	teams: v.optional(v.array(id), []),
	site: id,
	pattern: id,
	profile: v.optional(size, '2 GB'),
	managed_endpoint: v.optional(v.boolean(), true),
	mail: v.optional(mail),
	/** Kind of employment, in the organisation's own words. */
	employment: v.optional(name, USUAL_EMPLOYMENT),
	/** The login of whoever they report to. */
	manager: v.optional(id),
	language: v.optional(language),
	/** Their first moment, and the one from which on they are there no longer. */
	begins: v.optional(moment),
	ends: v.optional(moment),
	/** When the directory first has them, where that is while the lab lives. */
	told: v.optional(moment)
});
const timesAYear = v.pipe(
	v.number('expected a number of times a year'),
	v.minValue(0, 'expected at least 0'),
	v.maxValue(100, 'expected at most 100')
);
/** Devices that people sit at, alike: given to people of a site who have none yet, and to nobody where `spare` says so. */
const fleet = v.strictObject({
	id,
	kind: v.picklist(ENDPOINT_KINDS, `expected one of ${ENDPOINT_KINDS.join(', ')}`),
	model: name,
	firmware: v.pipe(v.string(), v.check(isVersion, 'expected a version such as 4.2.0')),
	site: id,
	/** Names, such as bgo-box-###. */
	naming: name,
	/** What serial numbers begin with. */
	serials: v.pipe(v.string(), v.regex(/^[A-Za-z0-9-]{1,20}$/, 'expected letters, digits and hyphens')),
	/** Of these teams alone; anybody's where nothing is said. */
	teams: v.optional(v.array(id)),
	/** The most of them; as many as there are people without one where nothing is said. */
	most: v.optional(v.pipe(count, v.maxValue(100_000, 'expected at most 100000'))),
	/** People who share one. */
	each: v.optional(v.pipe(count, v.minValue(1, 'expected at least 1')), 1),
	/** So many more that nobody has, and that have never started. */
	spare: v.optional(v.pipe(count, v.maxValue(10_000, 'expected at most 10000')), 0),
	/** When they are switched on, some minutes apart; never where nothing is said. */
	spare_on: v.optional(moment),
	/** The number of its first; where nothing is said they go on from those of the fleets before. */
	first: v.optional(v.pipe(count, v.minValue(1, 'expected at least 1'))),
	/** Of the days, the share on which it is taken along, and starts in another network. */
	roams: v.optional(share, 0),
	/** How often in a year one breaks, and is mended some days later, or is lost. */
	breaks: v.optional(timesAYear, 0),
	lost: v.optional(timesAYear, 0),
	/** Copies of the first: the same serial number, with another key. */
	clones: v.optional(v.pipe(count, v.maxValue(10, 'expected at most 10')), 0)
});
/** A branch that endpoints stand in, and a rule that puts them there, in the words of conditions. */
const branch = v.strictObject({ id, name, parent: v.optional(id), site: v.optional(id) });
const enrolmentRule = v.strictObject({
	name,
	condition: v.pipe(
		v.string(),
		v.check((t) => 'is' in readCondition(t), 'expected a condition such as address in 10.21.0.0/22')
	),
	into: id,
	by_site: v.optional(v.boolean(), false),
	whom: v.optional(v.picklist(['new', 'all']), 'all'),
	often: v.optional(v.picklist(['start', 'once']), 'start'),
	deeper: v.optional(v.picklist(['stay', 'move']), 'stay')
});
const endpoints = v.strictObject({
	/** Where they are to call; where nothing is said each finds Sextant. */
	called_at: v.optional(calledAddress),
	/** Versions of firmware that can be had. */
	firmware: v.optional(
		v.array(
			v.strictObject({
				model: name,
				version: v.pipe(v.string(), v.check(isVersion, 'expected a version such as 4.2.0')),
				size
			})
		),
		[]
	),
	fleets: v.optional(v.array(fleet), []),
	branches: v.optional(v.array(branch), []),
	rules: v.optional(v.array(enrolmentRule), [])
});
/** A setting of an estate's own, and groups of values: read by `settings/file`, which says what is wrong where. */
const settingType = v.variant('is', [
	v.strictObject({ is: v.literal('switch') }),
	v.strictObject({
		is: v.literal('choice'),
		of: v.pipe(
			v.array(v.pipe(name, v.maxLength(60))),
			v.minLength(1, 'expected what there is to choose'),
			v.maxLength(50)
		)
	}),
	v.strictObject({
		is: v.literal('number'),
		unit: v.optional(v.string(), ''),
		least: v.pipe(v.number(), v.safeInteger()),
		most: v.pipe(v.number(), v.safeInteger())
	}),
	v.strictObject({ is: v.literal('span'), least: duration, most: duration, never: v.optional(v.boolean(), true) }),
	v.strictObject({
		is: v.literal('text'),
		most: v.optional(v.pipe(count, v.maxValue(2000, 'expected at most 2000')), 200)
	}),
	v.strictObject({
		is: v.literal('list'),
		item: v.optional(name, 'one in a line'),
		most: v.optional(v.pipe(count, v.maxValue(500, 'expected at most 500')), 50)
	})
]);
const cost = v.pipe(
	v.number(),
	v.minValue(0, 'expected 0 or more'),
	v.maxValue(600_000, 'expected at most 600,000 ms')
);
const ownSetting = v.strictObject({
	id: v.pipe(id, v.maxLength(80)),
	name,
	area: name,
	words: v.optional(v.string(), ''),
	type: settingType,
	usual: v.unknown(),
	for: v.pipe(v.array(v.picklist(SUBJECT_KINDS)), v.minLength(1, 'expected whom it is for')),
	holds: v.optional(v.picklist(HOLDS), 'at once'),
	/** Ms at a sign-in, and round trips to the file servers. */
	cost: v.optional(
		v.strictObject({
			once: v.optional(cost),
			each: v.optional(cost),
			trips: v.optional(v.pipe(count, v.maxValue(1000, 'expected at most 1000'))),
			phase: v.optional(v.picklist(['policies', 'drives']))
		})
	)
});
const settings = v.strictObject({
	catalogue: v.optional(v.pipe(v.array(ownSetting), v.maxLength(500, 'expected at most 500')), []),
	groups: v.optional(v.array(v.unknown()), [])
});
/** Who may reach what: read by `reach/written`, which says what is wrong where. */
const access = v.strictObject({
	/** Names of web sites by their categories, or csv: with a file beside this one. */
	sites: v.optional(
		v.union(
			[v.strictObject({ csv: name }), v.record(v.string(), v.array(v.string()))],
			'expected names by their categories, or csv: with a file beside this one'
		),
		{}
	),
	/** Inner gateways: where each answers, as host:port. */
	gateways: v.optional(
		v.array(
			v.strictObject({
				id: v.pipe(id, v.maxLength(80)),
				name: v.pipe(name, v.maxLength(100)),
				site: id,
				address: v.pipe(name, v.maxLength(300))
			})
		),
		[]
	),
	services: v.optional(
		v.array(
			v.strictObject({
				id: v.pipe(id, v.maxLength(80)),
				name: v.pipe(name, v.maxLength(100)),
				group: v.optional(v.pipe(name, v.maxLength(60))),
				hosts: v.pipe(v.array(v.string()), v.minLength(1, 'expected at least one host'), v.maxLength(100)),
				ports: v.pipe(v.array(v.string()), v.minLength(1, 'expected at least one port'), v.maxLength(50)),
				protocol: v.optional(v.picklist(['tcp', 'udp']), 'tcp'),
				/** The inner gateway that it stands behind. */
				gateway: v.optional(id),
				/** The site where it runs in the lab; else that of its gateway. */
				runs_at: v.optional(id)
			})
		),
		[]
	),
	/** What people reach in the lab. */
	habits: v.optional(
		v.pipe(
			v.array(
				v.strictObject({
					who: v.optional(v.array(v.string()), []),
					/** Those at these sites alone. */
					at: v.optional(v.array(id)),
					/** While they are at work; while they are not; or of devices that nobody is on. */
					during: v.optional(v.picklist(['work', 'rest', 'signed-out']), 'work'),
					/** From a moment on, and until one alone. */
					from: v.optional(moment),
					until: v.optional(moment),
					/** Share of the time that goes into it. */
					busy: share,
					/** How often in a minute something is asked for. */
					asks: v.optional(v.pipe(v.number(), v.minValue(0.1), v.maxValue(1000)), 6),
					/** What they say it is for, where a rule asks: one of these. */
					says: v.optional(v.pipe(v.array(v.pipe(v.string(), v.minLength(1), v.maxLength(200))), v.maxLength(50)), []),
					what: v.pipe(
						v.array(
							v.strictObject({
								reach: v.string(),
								weight: v.optional(v.pipe(v.number(), v.minValue(0.001), v.maxValue(1e6)), 1),
								/** Bytes for each time, to them and from them. */
								down: v.optional(size, '60 KB'),
								up: v.optional(size, '3 KB')
							})
						),
						v.minLength(1, 'expected what they reach'),
						v.maxLength(200, 'expected at most 200')
					)
				})
			),
			v.maxLength(100, 'expected at most 100')
		),
		[]
	),
	rules: v.optional(v.pipe(v.array(WRITTEN_RULE), v.maxLength(RULE_LIMITS.rules)), []),
	otherwise: v.optional(WRITTEN_OTHERWISE, { web: 'allow', services: 'refuse' }),
	tests: v.optional(v.pipe(v.array(WRITTEN_TEST), v.maxLength(RULE_LIMITS.tests)), [])
});
/** Something of a person is another from a moment on; `told`: the directory says it before. */
const personChange = v.strictObject({
	at: moment,
	told: v.optional(moment),
	person: id,
	team: v.optional(id),
	teams: v.optional(v.array(id)),
	site: v.optional(id),
	name: v.optional(name),
	mail: v.optional(mail),
	employment: v.optional(name),
	manager: v.optional(id),
	language: v.optional(language),
	pattern: v.optional(id),
	/** They end then. */
	ends: v.optional(v.literal(true))
});
/** People who begin, move and end each week by the lab's seed, beside those whom the file names. */
const aWeek = v.optional(v.pipe(count, v.maxValue(500, 'expected at most 500')), 0);
const turnover = v.strictObject({ begin: aWeek, move: aWeek, end: aWeek });
const pattern = v.strictObject({
	id,
	kind: v.picklist(['day', 'shifts', 'field']),
	days: v.optional(days, 'Mon-Fri'),
	from: v.optional(clock, '08:00'),
	until: v.optional(clock, '16:00'),
	spread: v.optional(duration, '30 min'),
	turnout: v.optional(share, 0.9)
});
export const FAULT_KINDS = [
	'agent-stopped',
	'machine-hangs',
	'host-down',
	'gateway-port',
	'gateway-relay',
	'directory-slow',
	'runaway',
	'volume-full',
	'range-used-up',
	'trust-lost',
	'build-step-fails',
	'right-taken',
	'link-down',
	'provider-silent',
	'directory-silent',
	'names-wrong',
	'clock-off',
	'join-refused',
	'boot-server-down',
	'disk-full',
	'package-store-down',
	'calling-untold',
	'calling-unresolved',
	'inner-gateway-down',
	'service-down',
	'directory-put-back',
	'door-open'
] as const;
const fault = v.strictObject({
	kind: v.picklist(FAULT_KINDS, `expected one of ${FAULT_KINDS.join(', ')}`),
	target: name,
	at: moment,
	until: v.optional(moment),
	value: v.optional(v.number())
});

/** Somebody who looks after the estate. Nobody signs in with an account of a file until it has been given a password. */
const operator = v.strictObject({
	login: id,
	name,
	role: v.picklist(STAFF, `expected one of ${STAFF.join(', ')}`),
	/** The part of the estate that they are there for, as a scope of sites, teams, pools and image lines; without it, the whole. */
	part: v.optional(v.string(), ''),
	/** When it ends by itself. */
	ends: v.optional(moment)
});

/** What somebody did while the history was lived: a plan by its kind and input, committed by an operator or a person. */
const act = v.strictObject({
	at: moment,
	by: name,
	plan: name,
	input: v.optional(v.record(v.string(), v.unknown()), {}),
	/** Committed at `at`, to start then. */
	start: v.optional(moment),
	/** Another consents to it then, where it waits for that. */
	consent: v.optional(v.strictObject({ by: name, at: moment })),
	/** What came of it is undone then, by the same. */
	undo: v.optional(moment)
});

/** A program that can be installed by hand in the lab, to be captured: what it brings, and where it puts it. */
const installer = v.strictObject({
	id,
	name,
	version: name,
	/** The system that it is for. */
	system: name,
	users: v.optional(v.picklist(['single', 'multi']), 'multi'),
	takes: v.optional(duration, '4 min'),
	/** Restarts that it asks for. */
	restarts: v.optional(v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(3)), 0),
	folder: name,
	files: v.optional(v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(20_000)), 40),
	size: v.optional(size, '8 MB'),
	/** What can be started afterwards, and where entries for it are put. */
	starts: v.optional(
		v.array(
			v.strictObject({
				name,
				/** In the folder. */
				command: name,
				arguments: v.optional(v.string(), ''),
				/** In the folder, or the name of one that stands for any program. */
				icon: v.optional(v.string(), ''),
				at: v.optional(v.array(v.picklist(['menu', 'desktop'])), ['menu']),
				opens: v.optional(v.array(v.string()), []),
				/** It talks through a terminal. */
				terminal: v.optional(v.boolean(), false),
				/** The entry leads to something that is not there. */
				broken: v.optional(v.boolean(), false),
				/** The icon is not there. */
				missing: v.optional(v.boolean(), false)
			})
		),
		[]
	),
	/** Files outside the folder; the same content is the same file. */
	shared: v.optional(v.array(v.strictObject({ file: name, content: name })), []),
	settings: v.optional(
		v.array(
			v.strictObject({
				setting: name,
				name: v.optional(v.string(), ''),
				type: v.optional(v.picklist(['text', 'number', 'list', 'bytes']), 'text'),
				value: v.string()
			})
		),
		[]
	)
});

export const estateSchema = v.strictObject({
	sextant: v.literal(1, 'expected 1, the version of this file format'),
	name,
	domain: v.optional(name, 'estate.example'),
	home: v.optional(id),
	/** Whom somebody who is new here may sign in to the portal as. */
	visitor: v.optional(name),
	lab: v.strictObject({
		seed: count,
		opens: moment,
		history_days: v.optional(v.pipe(v.number(), v.minValue(0), v.maxValue(60, 'expected at most 60')), 14),
		failure: v.optional(share, 0.01)
	}),
	hours: v.optional(v.array(v.strictObject({ id, ...hours.entries })), []),
	sites: v.optional(v.array(site), []),
	hosts: v.optional(v.array(host), []),
	volumes: v.optional(v.array(volume), []),
	gateways: v.optional(v.array(gateway), []),
	directory: v.optional(
		v.strictObject({
			folders: v.optional(v.array(name), []),
			patterns: v.optional(v.array(pattern), []),
			teams: v.optional(v.array(team), []),
			people: v.optional(
				v.union(
					[v.array(person), v.strictObject({ csv: name })],
					'expected a list of people, or csv: with a file beside this one'
				),
				[]
			),
			/** What changes in it while the lab lives. */
			changes: v.optional(v.array(personChange), []),
			turnover: v.optional(turnover, {})
		}),
		{}
	),
	stock: v.optional(v.array(stock), []),
	package_store: v.optional(v.array(component), []),
	installers: v.optional(v.array(installer), []),
	image_lines: v.optional(v.array(line), []),
	pools: v.optional(v.array(pool), []),
	boot_servers: v.optional(v.array(bootServer), []),
	existing: v.optional(v.array(existing), []),
	/** Devices that people sit at, the branches that they stand in, and the rules that put them there. */
	endpoints: v.optional(endpoints, {}),
	settings: v.optional(settings, {}),
	access: v.optional(access, {}),
	publications: v.optional(v.array(publication), []),
	grants: v.optional(v.array(grant), []),
	faults: v.optional(v.array(fault), []),
	operators: v.optional(v.array(operator), []),
	acts: v.optional(v.pipe(v.array(act), v.maxLength(1000, 'expected at most 1,000 acts')), [])
});

export const personSchema = person;
export type EstateFile = v.InferOutput<typeof estateSchema>;
export type EstateAct = v.InferOutput<typeof act>;
export type EstatePerson = v.InferOutput<typeof person>;
/** An estate whose people have been read in from wherever they stood. */
export type Estate = Omit<EstateFile, 'directory' | 'access'> & {
	directory: Omit<EstateFile['directory'], 'people'> & { people: EstatePerson[] };
	access: Omit<EstateFile['access'], 'sites'> & { sites: EstateSites };
};
/** The catalogue of web sites: categories by their ids, and names with the id of their category. */
export interface EstateSites {
	categories: ReadonlyMap<string, string>;
	sites: ReadonlyMap<string, string>;
}

/** When the history of an estate begins, ms UTC. */
export const beginning = (estate: Pick<EstateFile, 'lab'>): number => estate.lab.opens - estate.lab.history_days * DAY;
