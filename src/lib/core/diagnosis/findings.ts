import { median } from '../measures/quantile';
import { countWords, durationWords, numberWords, sizeWords, TB } from '../time/units';
import { SITE_CHECK_WORDS, type SiteCheck } from '../network/site-checks';
import { ATTACH_CAUSE_WORDS, type AttachCause } from '../packages/attaching';
import { PHASE_WORDS, type PhaseName } from '../watch/phases';
import type { Fact } from '../why/explained';

/** A setting that does not agree with another, or something about to run out. */
export interface Finding {
	kind:
		| 'gateway port'
		| 'gateway relay'
		| 'volume nearly full'
		| 'addresses running out'
		| 'slow sign-ins'
		| 'pool runs out'
		| 'people give up'
		| 'runaway machine'
		| 'site not in order'
		| 'endpoints stay away'
		| 'settings clash'
		| 'package not attached'
		| 'part of Sextant'
		| 'unreadable data';
	subject: {
		kind:
			| 'gateway'
			| 'volume'
			| 'network'
			| 'version'
			| 'pool'
			| 'machine'
			| 'site'
			| 'delivery'
			| 'settings-group'
			| 'sextant'
			| 'table';
		id: string;
	};
	site: string | null;
	title: string;
	facts: Fact[];
	/** How many people it will affect, of one that lies ahead; those that hold now are counted where they are shown. */
	people?: number;
	/** The plan that would put it right, when there is one. */
	remedy: Remedy | null;
	/** What to offer instead where something blocks that plan, best first. */
	otherwise?: Remedy[];
}

/** A plan that would put a finding right: its kind and input, and the words of its button. */
export interface Remedy {
	kind: string;
	input: Record<string, unknown>;
	words: string;
	/** What blocks it and everything that could be offered instead. */
	blocked?: string;
}

/**
 * The remedy to offer for a finding: the first of its remedies that nothing blocks, with a fact for the one that would have been better.
 * Where all are blocked, the first, marked. `blocks` gives what blocks a remedy, in words, or null; it is asked no further than needed.
 */
export async function offeredFor<F extends Pick<Finding, 'remedy' | 'otherwise' | 'facts'>>(
	finding: F,
	blocks: (remedy: Remedy) => Promise<string | null>
): Promise<F> {
	const first = finding.remedy;
	if (first === null) return finding;
	const why = await blocks(first);
	if (why === null) return finding;
	const said: Fact = { words: `“${first.words}” is blocked now: ${why}`, side: 'against', source: 'plan' };
	for (const remedy of finding.otherwise ?? [])
		if ((await blocks(remedy)) === null)
			return {
				...finding,
				remedy,
				facts: [...finding.facts, said, { words: `“${remedy.words}” would go through`, side: 'for', source: 'plan' }]
			};
	return { ...finding, remedy: { ...first, blocked: why }, facts: [...finding.facts, said] };
}

/** Fewer machines than would do, for where those find no room: each time a quarter less, down to one. */
function smallerGrowths(pool: string, count: number): Remedy[] {
	const counts: number[] = [];
	for (let n = Math.floor(count * 0.75); n > 0; n = Math.floor(n * 0.75)) counts.push(n);
	return counts.map((n) => ({
		kind: 'pool.grow',
		input: { pool, count: n },
		words: `Plan +${n} of the ${count}`
	}));
}

/** What Sextant itself cannot do or read. Nothing that an operator plans would mend it: the facts say what does. */
export function ownFindings(
	parts: { part: string; words: string; since: number }[],
	unreadable: { column: string; rows: number }[]
): Finding[] {
	return [
		...parts.map((p): Finding => ({
			kind: 'part of Sextant',
			subject: { kind: 'sextant', id: p.part },
			site: null,
			title: `A part of Sextant itself fails: ${p.part}`,
			facts: [
				{ words: p.words, side: 'against', at: p.since, source: 'Sextant' },
				{ words: 'everything else goes on, and it is tried again each time it is due', source: 'Sextant' }
			],
			remedy: null
		})),
		...unreadable.map((u): Finding => {
			const [table, column] = u.column.split('.');
			return {
				kind: 'unreadable data',
				subject: { kind: 'table', id: u.column },
				site: null,
				title: `${countWords(u.rows, 'row')} of ${table} cannot be read`,
				facts: [
					{
						words: `what stands in ${column} is not of the form that Sextant writes`,
						side: 'against',
						source: 'database'
					},
					{ words: 'it is taken as if nothing stood there, and nothing of it is overwritten', source: 'database' },
					{ words: 'npm run sextant -- verify names each table; restore puts a backup back', source: 'database' }
				],
				remedy: null
			};
		})
	];
}

/** Packages that machines of a pool cannot have. `before`: the version that the pool had last, where it had another. */
export function attachFindings(
	deliveries: {
		pool: string;
		poolName: string;
		site: string;
		package: string;
		version: string;
		before: string | null;
		failures: { machine: string; cause: AttachCause; since: number; why: Fact[] }[];
	}[]
): Finding[] {
	return deliveries
		.filter((d) => d.failures.length > 0)
		.map((d) => {
			const causes = [...new Set(d.failures.map((f) => f.cause))];
			const machines = d.failures.map((f) => f.machine);
			const cause = causes[0]!;
			return {
				kind: 'package not attached',
				subject: { kind: 'delivery', id: `${d.pool}/${d.package}` },
				site: d.site,
				title: `${d.package} ${d.version} is missing on ${countWords(machines.length, 'machine')} of ${d.poolName}: ${causes.map((c) => ATTACH_CAUSE_WORDS[c]).join('; ')}`,
				facts: d.failures.slice(0, 12).map((f): Fact => ({
					words: `${f.machine}: ${f.why.findLast((w) => w.side === 'against')?.words ?? ATTACH_CAUSE_WORDS[f.cause]}`,
					side: 'against',
					at: f.since,
					about: { kind: 'machine', id: f.machine },
					source: 'agent'
				})),
				remedy:
					cause === 'store'
						? null
						: cause === 'disk'
							? { kind: 'machine.reset', input: { machines }, words: 'Reset these machines' }
							: d.before !== null
								? {
										kind: 'package.deliver',
										input: { package: d.package, pools: [d.pool], version: d.before },
										words: `Return to ${d.before}`
									}
								: {
										kind: 'package.withdraw',
										input: { package: d.package, pools: [d.pool] },
										words: 'Withdraw it there'
									}
			};
		});
}

/**
 * Gateways that send people outside the offices to a relay where nothing answers.
 * @param relays what each hands out, where its relay stands, since when (ms UTC); `earlier`: until when it had handed out the same before
 */
export function relayFindings(
	relays: readonly {
		gateway: string;
		site: string;
		siteName: string;
		announced: string;
		stands: string;
		since: number;
		earlier: number | null;
	}[]
): Finding[] {
	return relays
		.filter((r) => r.announced !== r.stands)
		.map((r) => ({
			kind: 'gateway relay',
			subject: { kind: 'gateway', id: r.gateway },
			site: r.site,
			title: `People outside the offices get no picture through the ${r.siteName} gateway`,
			facts: [
				{
					words: `${r.gateway} hands out the relay ${r.announced}, and nothing answers there`,
					side: 'against',
					at: r.since,
					source: 'gateway',
					about: { kind: 'gateway', id: r.gateway }
				},
				{ words: `its relay stands at ${r.stands}`, source: 'gateway' },
				...(r.earlier === null
					? []
					: [
							{
								words: `${r.announced} was handed out before, and given up: an old settings file seems to have been put back`,
								at: r.earlier,
								source: 'measured'
							}
						]),
				{ words: 'people in the offices need no relay, and notice nothing', source: 'gateway' }
			],
			remedy: {
				kind: 'gateway.set-relay',
				input: { gateway: r.gateway, address: r.stands },
				words: `Hand out ${r.stands} again`
			}
		}));
}

/** Gateways whose announced port is not the one they listen on. */
export function gatewayFindings(
	ports: {
		gateway: string;
		site: string;
		siteName: string;
		protocol: string;
		announced: number;
		listens: number;
		since: number;
		othersSay: number[];
	}[]
): Finding[] {
	return ports
		.filter((p) => p.announced !== p.listens)
		.map((p) => ({
			kind: 'gateway port',
			subject: { kind: 'gateway', id: p.gateway },
			site: p.site,
			title: `Nobody gets a desktop through the ${p.siteName} gateway by ${p.protocol}`,
			facts: [
				{
					words: `${p.gateway} announces port ${p.announced} for ${p.protocol}`,
					side: 'against',
					at: p.since,
					source: 'gateway',
					about: { kind: 'gateway', id: p.gateway }
				},
				{ words: `it listens on ${p.listens}`, source: 'gateway' },
				...(p.othersSay.length
					? [{ words: `the other gateways announce ${[...new Set(p.othersSay)].join(', ')}`, source: 'gateway' }]
					: [])
			],
			remedy: {
				kind: 'gateway.set-port',
				input: { gateway: p.gateway, protocol: p.protocol, port: p.listens },
				words: `Put the port back to ${p.listens}`
			}
		}));
}

/** Volumes filled beyond `limit` (a share). */
export function volumeFindings(
	volumes: { id: string; site: string; size: number; used: number }[],
	limit = 0.9
): Finding[] {
	return volumes
		.filter((v) => v.used / v.size >= limit)
		.map((v) => ({
			kind: 'volume nearly full',
			subject: { kind: 'volume', id: v.id },
			site: v.site,
			title: `Volume ${v.id} is ${Math.round((100 * v.used) / v.size)} % full`,
			facts: [
				{
					words: `${sizeWords(v.used)} of ${sizeWords(v.size)} in use, ${sizeWords(v.size - v.used)} left`,
					side: 'against',
					source: 'compute provider'
				},
				{ words: 'a fuller volume answers later, and machines on it feel slow', source: 'measured' }
			],
			remedy: {
				kind: 'volume.extend',
				input: { volume: v.id, size: roomySize(v.used) },
				words: `Extend it to ${sizeWords(roomySize(v.used))}`
			}
		}));
}

/** The size at which a volume is three quarters full, up to the next half terabyte. */
const roomySize = (used: number): number => Math.ceil(used / 0.75 / (TB / 2)) * (TB / 2);

/**
 * Networks with fewer than `least` free addresses. `stale` leases are held by no machine; `beyond` is how many more
 * addresses the range has behind the last one leased, which is `last` (dotted) then.
 */
export function networkFindings(
	networks: {
		id: string;
		site: string;
		free: number;
		size: number;
		stale: number;
		beyond: { count: number; last: string };
	}[],
	least = 5
): Finding[] {
	return networks
		.filter((n) => n.free < least)
		.map((n) => ({
			kind: 'addresses running out',
			subject: { kind: 'network', id: n.id },
			site: n.site,
			title: `Network ${n.id} has ${countWords(n.free, 'address', 'addresses')} left`,
			facts: [
				{
					words: `${n.size - n.free} of ${n.size} addresses are in use: ${
						n.free <= 0
							? 'no more machines can be made on it'
							: `${countWords(n.free, 'more machine')} can be made on it, then none`
					}`,
					side: 'against',
					source: 'network'
				},
				...(n.stale > 0
					? [
							{
								words: `${countWords(n.stale, 'lease is', 'leases are')} held by no machine that is there`,
								source: 'network'
							}
						]
					: [])
			],
			remedy:
				n.stale > 0
					? { kind: 'network.release', input: { network: n.id }, words: `Release ${countWords(n.stale, 'lease')}` }
					: n.beyond.count > 0
						? {
								kind: 'network.set-range',
								input: { network: n.id, last: n.beyond.last },
								words: `Lease ${n.beyond.count} more`
							}
						: null
		}));
}

export interface VersionSignIns {
	line: string;
	version: string;
	/** Whether it is held back already. */
	held: boolean;
	/** Median of each phase over its sign-ins, ms, and how many there were. */
	phases: Partial<Record<PhaseName, number>>;
	count: number;
	/** The part that took longest in a phase, median ms, and the settings group that it is of. */
	worstPart: Partial<Record<PhaseName, { name: string; ms: number; group?: string | undefined }>>;
}

/**
 * Versions on which a phase of the sign-in takes much longer than on the other versions of all lines: at least
 * 10 s and twice the others' median, from at least 5 sign-ins.
 */
export function signInFindings(versions: VersionSignIns[]): Finding[] {
	const findings: Finding[] = [];
	for (const v of versions) {
		if (v.count < 5) continue;
		for (const [phase, ms] of Object.entries(v.phases) as [PhaseName, number][]) {
			if (phase === 'waiting') continue;
			const others = versions
				.filter((o) => o !== v && o.count >= 5 && o.phases[phase] !== undefined)
				.map((o) => o.phases[phase]!);
			if (others.length === 0) continue;
			const usual = median(others);
			if (ms - usual < 10_000 || ms < usual * 2) continue;
			const part = v.worstPart[phase];
			findings.push({
				kind: 'slow sign-ins',
				subject: { kind: 'version', id: `${v.line}/${v.version}` },
				site: null,
				title: `Slow sign-ins on ${v.line} ${v.version}: ${PHASE_WORDS[phase]} takes ${durationWords(ms)}, usually ${durationWords(usual)}`,
				facts: [
					{
						words: `median of ${countWords(v.count, 'sign-in')} on ${v.line} ${v.version} in the last 24 h`,
						source: 'measured',
						about: { kind: 'version', id: `${v.line}/${v.version}` }
					},
					...(part
						? [
								{
									words: `${durationWords(part.ms)} of it: ${part.group === undefined ? '' : 'the settings group '}${part.name}`,
									side: 'against' as const,
									source: 'measured',
									...(part.group === undefined ? {} : { about: { kind: 'settings-group', id: part.group } })
								}
							]
						: []),
					{ words: `other versions take ${durationWords(usual)} there`, source: 'measured' },
					...(v.held ? [{ words: 'it is held back: no new pool is made from it', source: 'follow rules' }] : [])
				],
				...remediesOf(v, part?.group)
			});
		}
	}
	return findings;
}

/** What mends a slow version: leaving it out of the settings group that makes it slow, or else holding it back. */
function remediesOf(v: VersionSignIns, group: string | undefined): Pick<Finding, 'remedy' | 'otherwise'> {
	const hold = v.held
		? []
		: [{ kind: 'image.hold', input: { line: v.line, number: v.version, held: true }, words: 'Hold it back' }];
	const remedies: Remedy[] =
		group === undefined
			? hold
			: [
					{
						kind: 'settings.leave-out',
						input: { group, from: `version/${v.line}/${v.version}` },
						words: 'Leave it out of that group'
					},
					...hold
				];
	const [remedy = null, ...otherwise] = remedies;
	return { remedy, ...(otherwise.length ? { otherwise } : {}) };
}

/** Machines that have had nearly all their cores in use for a while without a pause. */
export function pressedFindings(
	machines: { name: string; site: string; cores: number; sessions: number; pressedSince: number; now: number }[]
): Finding[] {
	return machines.map((m) => ({
		kind: 'runaway machine',
		subject: { kind: 'machine', id: m.name },
		site: m.site,
		title: `${m.name} is at ${Math.round(m.cores * 100)} % of its cores without a pause`,
		facts: [
			{
				words: `${countWords(m.sessions, 'session')} on it would not ask for that much`,
				source: 'measured',
				about: { kind: 'machine', id: m.name }
			},
			{ words: 'a process that runs away takes all it can get', side: 'against', source: 'runbook' }
		],
		remedy: { kind: 'machine.restart', input: { machines: [m.name] }, words: 'Restart it' }
	}));
}

/** Sites where a check fails: what is planned for them is blocked until it passes. Devices that people sit at have findings of their own. */
export function siteFindings(
	sites: { id: string; name: string; failing: { name: SiteCheck; saw: string; remedy: string; since: number }[] }[]
): Finding[] {
	return sites
		.filter((p) => p.failing.length > 0)
		.map((p) => ({
			kind: 'site not in order',
			subject: { kind: 'site', id: p.id },
			site: p.id,
			title: `${p.name}: ${SITE_CHECK_WORDS[p.failing[0]!.name].fails}${p.failing.length > 1 ? `, and ${countWords(p.failing.length - 1, 'more check fails', 'more checks fail')}` : ''}`,
			facts: p.failing.flatMap((c): Fact[] => [
				{ words: `${SITE_CHECK_WORDS[c.name].asks} ${c.saw}`, side: 'against', at: c.since, source: 'check' },
				...(c.remedy ? [{ words: c.remedy.replace(/\.$/, ''), source: 'remedy' }] : [])
			]),
			remedy: null
		}));
}

/** A pool whose forecast demand exceeds what it can hold. */
export function poolFinding(pool: {
	id: string;
	name: string;
	site: string;
	holds: number;
	inUse: number;
	demand: number;
	spread: number;
	at: number;
	clock: string;
	usableMachines: number;
	most: number;
	perMachine: number;
}): Finding | null {
	const over = Math.ceil(pool.demand + pool.spread - pool.holds);
	if (over <= 0 || pool.demand < pool.holds * 0.8) return null;
	const raise = Math.ceil(over / pool.perMachine);
	const bound =
		pool.usableMachines > pool.most
			? `the policy allows ${pool.most} machines up`
			: `the pool has ${countWords(pool.usableMachines, 'usable machine')}`;
	return {
		kind: 'pool runs out',
		subject: { kind: 'pool', id: pool.id },
		site: pool.site,
		people: over,
		title: `${pool.name} may run out of seats around ${pool.clock}`,
		facts: [
			{
				words: `${numberWords(pool.inUse)} in use now; demand forecast ${numberWords(Math.round(pool.demand))} ± ${numberWords(Math.round(pool.spread))}`,
				side: 'against',
				at: pool.at,
				source: 'forecast',
				about: { kind: 'pool', id: pool.id, name: pool.name }
			},
			{ words: `it holds ${countWords(pool.holds, 'session')}: ${bound}`, source: 'measured' }
		],
		remedy:
			pool.usableMachines > pool.most
				? {
						kind: 'policy.set',
						input: { pool: pool.id, most: Math.min(pool.usableMachines, pool.most + raise) },
						words: `Let ${Math.min(pool.usableMachines, pool.most + raise)} be up`
					}
				: { kind: 'pool.grow', input: { pool: pool.id, count: raise }, words: `Plan +${raise}` },
		otherwise: pool.usableMachines > pool.most ? [] : smallerGrowths(pool.id, raise)
	};
}

/** Give-ups in a week from which on they are a finding, and from which on those with a machine of their own are. */
const GIVE_UPS = 3;

/**
 * Personal pools that people gave up waiting for in the last seven days. `without`: those of them who have no machine of their own in it;
 * `free`: machines that belong to nobody and could be theirs. A pool that has a free machine for each of them, and that nobody with a machine
 * has given up on in the last day, is in order again.
 */
export function giveUpFindings(
	pools: {
		id: string;
		name: string;
		site: string;
		people: number;
		times: number;
		/** Of those, in the last 24 h. */
		today: { people: number; times: number };
		/** Of those times of the last 24 h, the ones by people who have a machine of their own. */
		lately: number;
		without: number;
		free: number;
		machines: number;
		/** Ms until they gave up, median. */
		waited: number;
		last: number;
	}[]
): Finding[] {
	return pools
		.filter((p) => p.times >= GIVE_UPS && (p.without > p.free || p.lately >= GIVE_UPS))
		.map((p): Finding => {
			const short = p.without - p.free;
			const withOne = p.people - p.without;
			return {
				kind: 'people give up',
				subject: { kind: 'pool', id: p.id },
				site: p.site,
				// As many as the others on Today: those of now, or of a day.
				people: p.today.people,
				title: p.today.people
					? `${countWords(p.today.people, 'person', 'people')} gave up waiting for ${p.name} ${countWords(p.today.times, 'time')} in 24 h`
					: `People gave up waiting for ${p.name} this week`,
				facts: [
					{
						words: `in 7 days ${countWords(p.people, 'person', 'people')} did, ${countWords(p.times, 'time')}`,
						side: 'against',
						at: p.last,
						source: 'measured'
					},
					...(p.without > 0
						? [
								{
									words: `${countWords(p.without, 'person has', 'people have')} no machine of their own, and ${
										p.free === 0
											? `each of its ${countWords(p.machines, 'machine')} has an owner`
											: `${countWords(p.free, 'machine is', 'machines are')} free`
									}`,
									side: 'against' as const,
									source: 'measured',
									about: { kind: 'pool', id: p.id, name: p.name }
								}
							]
						: []),
					...(withOne > 0
						? [
								{
									words: `${countWords(withOne, 'person has', 'people have')} one that was not ready for them in time`,
									side: 'against' as const,
									source: 'measured'
								}
							]
						: []),
					{
						words: `half of those times they waited ${durationWords(p.waited)} or longer`,
						source: 'measured'
					}
				],
				remedy: short > 0 ? { kind: 'pool.grow', input: { pool: p.id, count: short }, words: `Plan +${short}` } : null,
				otherwise: short > 0 ? smallerGrowths(p.id, short) : []
			};
		});
}
