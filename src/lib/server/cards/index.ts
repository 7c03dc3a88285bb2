import { conditionsWords, namesOf } from '$lib/core/access/decide';
import { CHECK_WORDS, type CheckName, type CheckResult } from '$lib/core/diagnosis/checks';
import { AS_FOUND, imageWords, type ContentsChange } from '$lib/core/images/versions';
import { ruleWords } from '$lib/core/images/follow';
import { hoursWords } from '$lib/core/time/hours';
import { addressText, rangeEnds } from '$lib/core/network/addresses';
import { appName } from '../shelf/desk';
import { isImageApp } from '../publishing/serving';
import { licencesAt } from '../publishing/use';
import { countWords, durationWords, FOREVER, HOUR, sizeWords } from '$lib/core/time/units';
import { PHASE_WORDS, unusualPhase, type Phase } from '$lib/core/watch/phases';
import { strainOf } from '$lib/core/watch/strain';
import type { Fact } from '$lib/core/why/explained';
import { poolAt, versionsByPool } from '../capacity/queries';
import { changeByNumber } from '../changes';
import type { Context } from '../context';
import { all, one, type Db } from '../db';
import { findingById } from '../diagnosis/queries';
import { rulesAt, whyOnVersion } from '../images/following';
import { machinesNotToMove } from '../engine/power';
import { appsOpenIn, deliveryCard, packagesOfMachine, packagesOfPool } from './delivery';
import { packageCard } from './package';
import { siteCard } from './site';
import { versionCard } from './version';
import { leasesOf, networkById } from '../resources/queries';
import { grantsAt, publicationsAt } from '../publishing/queries';
import { teamsAbove } from '../access/circumstances';
import { doorsAt } from '../access/door';
import {
	connectionOf,
	connectionsOf,
	loadAt,
	machineByName,
	samplesOf,
	usualPhases,
	type ConnectionRow,
	type SamplePoint
} from '../watch/queries';
import { atMoment, SAMPLED_STRAIN, sampleAt } from '../samples/read';
import { machineRow } from '../watch/lists';
import { fromJson } from '../db/json';

/** An action that a card offers: the plan it drafts. */
export interface CardAction {
	words: string;
	kind: string;
	input: unknown;
	/** Asks for a text first, which goes into the input under this name. */
	ask?: { field: string; words: string };
	main?: boolean;
}

/** All that is known of one thing at a moment, with the reasons. */
export interface Card {
	kind: string;
	id: string;
	title: string;
	/** One clause under the title. */
	sub: string;
	rows: { name: string; value: string; card?: string; scope?: string }[];
	facts: Fact[];
	actions: CardAction[];
	phases?: { phases: Phase[]; usual: Record<string, number>; total: number };
	samples?: { step: number; points: SamplePoint[]; from: number; to: number };
	checks?: { asks: string; ok: boolean | null; saw: string; since: number | null }[];
	connections?: ConnectionRow[];
	/** Who takes a version, in groups of the same reason. */
	takes?: {
		title: string;
		sub: string;
		groups: { machines: number; words: string; pill: string; tone: string; will: boolean; first: string[] }[];
	};
	links?: { words: string; href: string }[];
	contents?: { name: string; version: string; size: number }[];
	compared?: { with: string; changes: ContentsChange[]; send?: string };
	list?: { title: string; rows: { words: string; card?: string; note?: string }[] };
	/** Packages: of a machine what is attached, of a session what is open. */
	packages?: { words: string; card?: string; note?: string }[];
}

/**
 * The card of a thing at a moment, or null when there is no such thing. `live` asks the providers as well; a card of the
 * past offers nothing to do, but for what a change did, which can be undone whenever it is looked at.
 */
export async function cardOf(ctx: Context, kind: string, id: string, at: number, live: boolean): Promise<Card | null> {
	const card = await cardOfKind(ctx, kind, id, at, live);
	return card && !live && kind !== 'change' ? { ...card, actions: [] } : card;
}

async function cardOfKind(ctx: Context, kind: string, id: string, at: number, live: boolean): Promise<Card | null> {
	switch (kind) {
		case 'machine':
			return machineCard(ctx, id, at, live);
		case 'session':
			return sessionCard(ctx.db, Number(id), at, live);
		case 'person':
			return personCard(ctx.db, id, at);
		case 'host':
			return hostCard(ctx.db, id, at);
		case 'pool':
			return poolCard(ctx.db, id, at);
		case 'version':
			return versionCard(ctx, id, at, live);
		case 'publication':
			return publicationCard(ctx.db, id, at);
		case 'grant':
			return grantCard(ctx.db, Number(id), at);
		case 'package':
			return packageCard(ctx.db, id, at);
		case 'delivery':
			return deliveryCard(ctx.db, id, at);
		case 'site':
			return siteCard(ctx, id, at);
		case 'gateway':
			return gatewayCard(ctx.db, id, at);
		case 'volume':
			return volumeCard(ctx, id, at);
		case 'network':
			return networkCard(ctx, id, at);
		case 'finding':
			return findingCard(ctx.db, Number(id), at);
		case 'change':
			return changeCard(ctx.db, Number(id));
		default:
			return null;
	}
}

async function machineCard(ctx: Context, name: string, at: number, live: boolean): Promise<Card | null> {
	const { db } = ctx;
	const found = machineByName(db, name, at);
	if (!found) return null;
	const row = machineRow(db, found.id, at);
	if (!row)
		return {
			kind: 'machine',
			id: name,
			title: name,
			sub: `it was removed ${durationWords(at - found.until)} before this moment`,
			rows: [],
			facts: [],
			actions: []
		};
	const state = one<{ cause: string; since: number }>(
		db,
		'SELECT cause, since FROM machine_states WHERE machine_id = ? AND since <= ? ORDER BY since DESC LIMIT 1',
		[found.id, at]
	)!;
	const power = one<{ at: number; action: string; facts: string }>(
		db,
		'SELECT * FROM power_actions WHERE machine_id = ? AND at <= ? AND at > ? ORDER BY at DESC LIMIT 1',
		[found.id, at, state.since - 10 * 60_000]
	);
	const load = loadAt(db, found.id, at);
	const strain = load ? strainOf(load) : null;
	const failing = all<{ name: CheckName; since: number; saw: string }>(
		db,
		'SELECT * FROM failing_checks WHERE machine_id = ? AND since <= ? AND until > ? ORDER BY since',
		[found.id, at, at]
	);
	const facts: Fact[] = [
		{ words: `it is ${row.state}: ${state.cause}`, at: state.since, source: 'compute provider' },
		...(power ? fromJson<Fact[]>('power_actions.facts', power.facts).map((f) => ({ ...f, at: power.at })) : []),
		...failing.map((f): Fact => ({
			words: `${CHECK_WORDS[f.name].fails}: ${f.saw}`,
			side: 'against',
			at: f.since,
			source: 'check'
		})),
		...(load && strain
			? strain.facts.slice(0, 3).map((f) => ({
					...f,
					// Beyond the minutes that are kept the highest strain of the quarter hour stands, and averages of what led to it.
					words:
						load.of === 'minute'
							? `strain ${strain.value}: ${f.words}`
							: `strain ${load.strain} at most in that quarter hour; on the average ${f.words}`
				}))
			: []),
		...(whyOnVersion(db, name, at, live ? machinesNotToMove(ctx) : new Set())?.facts.map((f) => ({
			...f,
			words: row.version === AS_FOUND ? `as it was found: ${f.words}` : `image ${row.version}: ${f.words}`
		})) ?? [])
	];
	const own = failing.filter((f) => f.name !== 'gateway');
	const actions: CardAction[] = live
		? [
				...own.slice(0, 1).map((f) => ({
					words: 'Repair it',
					kind: 'runbook.run',
					input: { machine: name, check: f.name },
					main: true
				})),
				...(row.state === 'off' || row.state === 'failed'
					? [{ words: 'Start', kind: 'machine.start', input: { machines: [name] } }]
					: [{ words: 'Restart', kind: 'machine.restart', input: { machines: [name] } }]),
				{ words: 'Reset to image', kind: 'machine.reset', input: { machines: [name] } },
				{
					words: 'Follow another version',
					kind: 'image.follow',
					input: { machine: name },
					ask: { field: 'rule', words: 'newest, newest 3.x, exactly 3.1.4, or nothing' }
				},
				...(poolAt(db, row.pool, at)?.assignment === 'personal'
					? [
							{
								words: row.owner ? 'Give it to somebody else' : 'Give it to somebody',
								kind: 'machine.give',
								input: { machine: name },
								ask: { field: 'person', words: 'The login of whoever keeps it; leave it empty for nobody' }
							}
						]
					: []),
				...(row.state !== 'off' ? [{ words: 'Stop', kind: 'machine.stop', input: { machines: [name] } }] : [])
			]
		: [];
	const results: CheckResult[] = live && row.state !== 'off' ? await ctx.providers.agent.probe(name) : [];
	const sessions = all<{ id: number; name: string; since: number }>(
		db,
		'SELECT s.id, pe.name, s.since FROM sessions s JOIN people pe ON pe.id = s.person_id WHERE s.machine_id = ? AND s.since <= ? AND s.until > ? ORDER BY s.since',
		[found.id, at, at]
	);
	return {
		kind: 'machine',
		id: name,
		title: name,
		sub: own.length
			? `unusable for ${durationWords(at - own[0]!.since)}`
			: `${row.state} for ${durationWords(at - row.stateSince)}`,
		rows: [
			{ name: 'pool', value: row.poolName, card: `pool/${row.pool}` },
			{ name: 'host', value: row.host, card: `host/${row.host}` },
			{
				name: 'image',
				value: imageWords(row.line, row.version),
				...(row.version === AS_FOUND ? {} : { card: `version/${row.line}/${row.version}` })
			},
			{ name: 'address', value: row.address },
			...(row.owner ? [{ name: 'kept by', value: row.owner }] : []),
			{ name: 'strain', value: strain ? `${strain.value} of 100` : 'not up' }
		],
		facts,
		actions,
		samples: { ...samplesOf(db, found.id, at - 6 * HOUR, at), from: at - 6 * HOUR, to: at },
		checks: results.map((r) => ({
			asks: CHECK_WORDS[r.name].asks,
			ok: r.ok,
			saw: r.saw,
			since: failing.find((f) => f.name === r.name)?.since ?? null
		})),
		packages: packagesOfMachine(db, found.id, row.pool, at),
		list: {
			title: countWords(sessions.length, 'session'),
			rows: sessions.map((s) => ({ words: s.name, card: `session/${s.id}`, note: durationWords(at - s.since) }))
		}
	};
}

function sessionCard(db: Db, id: number, at: number, live: boolean): Card | null {
	const s = one<{
		login: string;
		person: string;
		machine: string;
		publication_id: string;
		gateway_id: string;
		protocol: string;
		since: number;
		until: number;
		sign_in: number;
		ended_by: string | null;
	}>(
		db,
		'SELECT s.*, pe.login, pe.name AS person, m.name AS machine FROM sessions s JOIN people pe ON pe.id = s.person_id JOIN machines m ON m.id = s.machine_id WHERE s.id = ?',
		[id]
	);
	if (!s) return null;
	const connection = connectionOf(db, id);
	const usual = usualPhases(db, s.since);
	const odd = connection ? unusualPhase(connection.phases, usual) : null;
	const states = all<{ state: string; since: number; cause: string }>(
		db,
		'SELECT * FROM session_states WHERE session_id = ? AND since <= ? ORDER BY since DESC',
		[id, at]
	);
	const over = s.until <= at;
	return {
		kind: 'session',
		id: String(id),
		title: `${s.person} on ${s.machine}`,
		sub: over
			? `ended: ${s.ended_by ?? ''}`
			: `${states[0]?.state ?? 'open'} for ${durationWords(at - (states[0]?.since ?? s.since))}`,
		rows: [
			{ name: 'person', value: s.person, card: `person/${s.login}` },
			{ name: 'machine', value: s.machine, card: `machine/${s.machine}` },
			{ name: 'publication', value: s.publication_id, card: `publication/${s.publication_id}` },
			{ name: 'by', value: `${s.protocol} through ${s.gateway_id}`, card: `gateway/${s.gateway_id}` },
			{ name: 'signed in', value: `${durationWords(s.sign_in)}, ${durationWords(at - s.since)} ago` }
		],
		facts: [
			...(odd ? odd.facts : [{ words: 'no phase of the sign-in was out of the ordinary', source: 'measured' }]),
			...(connection?.phases ?? [])
				.filter((p) => p.cause && p !== odd?.phase)
				.map((p): Fact => ({ words: `${PHASE_WORDS[p.name]}: ${p.cause}`, source: 'measured' })),
			...states.map((x): Fact => ({ words: `${x.state}: ${x.cause}`, at: x.since, source: 'agent' }))
		],
		actions:
			live && !over
				? [
						{
							words: 'Message',
							kind: 'session.message',
							input: { sessions: [id] },
							ask: { field: 'text', words: 'What they should read' }
						},
						{ words: 'Sign out', kind: 'session.sign-out', input: { sessions: [id] } },
						{ words: 'Restart the machine', kind: 'machine.restart', input: { machines: [s.machine] } }
					]
				: [],
		packages: appsOpenIn(db, id, at),
		...(connection
			? { phases: { phases: connection.phases, usual: usual as Record<string, number>, total: connection.took } }
			: {})
	};
}

function personCard(db: Db, login: string, at: number): Card | null {
	const p = one<{
		id: number;
		name: string;
		login: string;
		team: string;
		site: string;
		pattern: string;
		managed: number;
		profile: number;
		address: string;
		team_id: string;
		site_id: string;
	}>(
		db,
		'SELECT pe.*, t.name AS team, s.name AS site FROM people pe JOIN teams t ON t.id = pe.team_id JOIN sites s ON s.id = pe.site_id WHERE pe.login = ?',
		[login]
	);
	if (!p) return null;
	const above = teamsAbove(db).get(p.team_id) ?? [];
	const grants = grantsAt(db, at).filter((g) =>
		g.toKind === 'team' ? above.includes(g.toId) : g.toId === String(p.id)
	);
	const open = all<{ id: number; machine: string; since: number }>(
		db,
		'SELECT s.id, m.name AS machine, s.since FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE s.person_id = ? AND s.since <= ? AND s.until > ?',
		[p.id, at, at]
	);
	const connections = connectionsOf(db, p.id, at, 25);
	const lost = connections.filter((c) => c.result !== 'open');
	return {
		kind: 'person',
		id: login,
		title: p.name,
		sub: open.length ? `on ${open.map((s) => s.machine).join(', ')}` : 'not signed in',
		rows: [
			{ name: 'team', value: p.team, scope: `team:${p.team_id}` },
			{ name: 'site', value: p.site, scope: `site:${p.site_id}` },
			{ name: 'works', value: p.pattern },
			{ name: 'endpoint', value: `${p.managed ? 'managed' : 'their own'}, ${p.address}` },
			...open.map((s) => ({ name: 'session', value: s.machine, card: `session/${s.id}` }))
		],
		facts: [
			...grants.map((g): Fact => ({
				words: `${g.publicationName}, by the grant to ${g.toName}: ${conditionsWords(g.conditions)}`,
				side: 'for',
				source: 'grants',
				about: { kind: 'grant', id: String(g.id), name: `grant ${g.id}` }
			})),
			...(grants.length === 0
				? [{ words: 'no grant reaches this person', side: 'against' as const, source: 'grants' }]
				: []),
			...(lost.length
				? [
						{
							words: `${countWords(lost.length, 'connection')} of the last ${connections.length} came to nothing`,
							side: 'against' as const,
							source: 'connections'
						}
					]
				: [])
		],
		actions: open.length
			? [
					{
						words: 'Message',
						kind: 'session.message',
						input: { sessions: open.map((s) => s.id) },
						ask: { field: 'text', words: 'What they should read' }
					},
					{ words: 'Sign out', kind: 'session.sign-out', input: { sessions: open.map((s) => s.id) } }
				]
			: [],
		connections
	};
}

function hostCard(db: Db, name: string, at: number): Card | null {
	const h = one<{
		id: number;
		cores: number;
		memory: number;
		gpus: number;
		site: string;
		site_id: string;
		price_hour: number;
	}>(db, 'SELECT h.*, s.name AS site FROM hosts h JOIN sites s ON s.id = h.site_id WHERE h.name = ?', [name]);
	if (!h) return null;
	const machines = all<{ name: string; state: string; strain: number | null }>(
		db,
		`SELECT m.name, st.state, ${SAMPLED_STRAIN} AS strain FROM machine_places pl JOIN machines m ON m.id = pl.machine_id
		 JOIN machine_states st ON st.machine_id = m.id AND st.since <= @at AND st.until > @at WHERE pl.host_id = @host AND pl.since <= @at AND pl.until > @at ORDER BY strain DESC, m.name`,
		{ ...atMoment(db, at), host: h.id }
	);
	const found = sampleAt(db, 'host', h.id, at);
	const sample = found?.row as { cores: number; memory: number; gpu: number } | undefined;
	const average = found?.of === 'quarter hour' ? ' on the average of that quarter hour' : '';
	const up = machines.filter((m) => m.state !== 'off' && m.state !== 'failed').length;
	return {
		kind: 'host',
		id: name,
		title: name,
		sub: `${up} of ${countWords(machines.length, 'machine')} up`,
		rows: [
			{ name: 'site', value: h.site, scope: `site:${h.site_id}` },
			{ name: 'cores', value: sample ? `${Math.round(sample.cores / 10)} % of ${h.cores}` : `${h.cores}, no sample` },
			{
				name: 'memory',
				value: sample
					? `${Math.round(sample.memory / 10)} % of ${Math.round(h.memory / 1e9)} GB`
					: `${Math.round(h.memory / 1e9)} GB`
			},
			...(h.gpus
				? [
						{
							name: 'GPUs',
							value: sample && sample.gpu >= 0 ? `${Math.round(sample.gpu / 10)} % of ${h.gpus}` : String(h.gpus)
						}
					]
				: [])
		],
		facts: sample
			? [
					{
						words: `${Math.round(sample.cores / 10)} % of its cores are asked for${average}${sample.cores > 900 ? ': machines on it wait for one another' : ''}`,
						side: sample.cores > 900 ? 'against' : undefined,
						source: 'measured'
					}
				]
			: [{ words: 'it gives no samples: it is down', side: 'against', source: 'measured' }],
		actions: [],
		list: {
			title: 'Machines on it',
			rows: machines.slice(0, 40).map((m) => ({
				words: m.name,
				card: `machine/${m.name}`,
				note: m.strain === null ? m.state : `${m.state}, strain ${m.strain}`
			}))
		}
	};
}

function poolCard(db: Db, id: string, at: number): Card | null {
	const p = poolAt(db, id, at);
	if (!p) return null;
	const states = all<{ state: string; n: number }>(
		db,
		`SELECT st.state, count(*) AS n FROM machines m JOIN machine_states st ON st.machine_id = m.id AND st.since <= ?1 AND st.until > ?1 WHERE m.pool_id = ?2 AND m.since <= ?1 AND m.until > ?1 GROUP BY 1`,
		{ 1: at, 2: id }
	);
	const unmade = all<{ name: string; reason: string }>(
		db,
		'SELECT name, reason FROM unmade_machines WHERE pool_id = ? ORDER BY name',
		[id]
	);
	const sessions = one<{ n: number }>(
		db,
		'SELECT count(*) AS n FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE m.pool_id = ? AND +s.since <= ? AND s.until > ?',
		[id, at, at]
	)!.n;
	const total = states.reduce((n, s) => n + s.n, 0);
	const serving = publicationsAt(db, at).filter((x) => x.pools.includes(id));
	const rule = rulesAt(db, at).get(`pool/${id}`);
	return {
		kind: 'pool',
		id,
		title: p.name,
		sub: `${countWords(total, 'machine')} in ${p.siteName}, ${countWords(sessions, 'session')}`,
		rows: [
			...(versionsByPool(db, at, id).get(id) ?? []).map((v) => ({
				name: 'image',
				value: `${imageWords(p.line, v.version)}, ${countWords(v.n, 'machine')}`,
				...(v.version === AS_FOUND ? {} : { card: `version/${p.line}/${v.version}` })
			})),
			{
				name: 'follows',
				value: rule
					? `${ruleWords(rule.rule)}, at the ${typeof rule.when === 'string' ? rule.when : 'time set'}`
					: 'nothing'
			},
			{ name: 'kind', value: `${p.assignment}, ${countWords(p.perMachine, 'session')} a machine` },
			{
				name: 'each machine',
				value: `${p.cores} cores, ${Math.round(p.memory / 1e9)} GB${p.gpus ? `, ${countWords(p.gpus, 'GPU')}` : ''}, disk ${Math.round(p.disk / 1e9)} GB`
			},
			...(p.pageFile
				? [
						{
							name: 'page file',
							value: `${sizeWords(p.pageFile)}, ${p.pagePlace === 'apart' ? 'on a disk of its own' : 'on the overlay'}`
						}
					]
				: []),
			{
				name: 'starts from',
				value: p.bootServers.length ? p.bootServers.join(', then ') : 'its own disks'
			},
			{ name: 'names', value: p.naming },
			{ name: 'accounts in', value: p.folder },
			{ name: 'price', value: `€ ${(p.priceHour / 100).toFixed(2)} a machine and hour` },
			...serving.map((x) => ({ name: 'serves', value: x.internalName, card: `publication/${x.id}` }))
		],
		facts: [
			...states.map((s): Fact => ({
				words: `${countWords(s.n, 'machine')} ${s.state}`,
				source: 'measured',
				side: s.state === 'failed' ? 'against' : undefined
			})),
			{
				words: `its hours are ${hoursWords(p.policy.hours)}; it keeps ${countWords(p.policy.headroomIn, 'place')} ready in them, ${p.policy.headroomOut} outside`,
				source: 'policy'
			},
			...unmade.map((u): Fact => ({
				words: `${u.name} could not be made: ${u.reason}`,
				side: 'against',
				source: 'job log'
			}))
		],
		actions: [
			...(unmade.length
				? [
						{
							words: `Retry ${countWords(unmade.length, 'machine')}`,
							kind: 'pool.grow',
							input: { pool: id, retry: true },
							main: true
						}
					]
				: []),
			{
				words: 'Follow another version',
				kind: 'image.follow',
				input: { pool: id },
				ask: { field: 'rule', words: 'newest, newest 3.x, exactly 3.1.4, or nothing' }
			},
			{ words: 'Add a machine', kind: 'pool.grow', input: { pool: id, count: 1 } },
			{ words: 'Remove the pool', kind: 'pool.remove', input: { pool: id } }
		],
		packages: packagesOfPool(db, id, at)
	};
}

function publicationCard(db: Db, id: string, at: number): Card | null {
	const p = publicationsAt(db, at).find((x) => x.id === id);
	if (!p) return null;
	const grants = grantsAt(db, at).filter((g) => g.publication === id);
	const licences = licencesAt(db, p, at);
	const door = doorsAt(db, at)(p);
	const drop = licences.giveBack.filter((g) => g.having === 'fetched');
	return {
		kind: 'publication',
		id,
		title: p.internalName,
		sub: `people see “${p.name}”${p.off ? '; it is switched off' : ''}`,
		rows: [
			...p.pools.map((x) => ({ name: 'served by', value: poolAt(db, x, at)?.name ?? x, card: `pool/${x}` })),
			...(p.app
				? [
						{
							name: 'opens',
							value: `${appName(db, p.app, at)}, of ${isImageApp(p.app) ? '' : 'package '}${p.app.package.replace('/', ' ')}`,
							...(isImageApp(p.app) ? {} : { card: `package/${p.app.package}` })
						}
					]
				: []),
			{ name: 'protocol', value: p.protocol },
			{
				name: 'comes up',
				value: `${p.look.window === 'full' ? 'on the full screen' : 'in a window'}, ${p.look.monitors === 'all' ? 'all monitors' : 'one monitor'}`
			},
			...(p.look.group ? [{ name: 'group on the shelf', value: p.look.group }] : []),
			...(p.visible.length ? [{ name: 'seen by', value: namesOf(door.visible!) }] : []),
			...(p.owner ? [{ name: 'requests go to', value: p.owner, card: `person/${p.owner}` }] : []),
			...(p.licences === null
				? []
				: [
						{
							name: 'licences',
							value: `${licences.holders} of ${p.licences} held; beyond them ${p.beyond === 'block' ? 'nothing is granted' : 'a warning'}`
						}
					]),
			{ name: 'held by', value: countWords(licences.holders, 'person', 'people') },
			{
				name: 'used in 30 days',
				value: countWords(licences.used, 'person', 'people'),
				...(p.app ? {} : { scope: `publication:${id}` })
			},
			{ name: 'most at once', value: countWords(licences.peak, 'person', 'people') }
		],
		facts: grants.length
			? grants.map((g): Fact => ({
					words: `granted to ${g.toName}, ${g.kind}: ${conditionsWords(g.conditions)}`,
					side: 'for',
					source: 'grants',
					at: g.since,
					about: { kind: 'grant', id: String(g.id), name: `grant ${g.id}` }
				}))
			: [{ words: 'nobody has been granted it', side: 'against', source: 'grants' }],
		actions: [
			...(drop.length
				? [
						{
							words: `Take it back from ${countWords(drop.length, 'person', 'people')}`,
							kind: 'shelf.drop',
							input: { publication: id, people: drop.map((g) => g.login) },
							main: p.licences !== null && licences.holders > p.licences
						}
					]
				: []),
			{
				words: p.off ? 'Switch it on' : 'Switch it off',
				kind: 'publication.switch',
				input: { publication: id, off: !p.off }
			},
			{ words: 'Take it off', kind: 'publication.remove', input: { publication: id } }
		],
		list: {
			title: licences.giveBack.length
				? `${countWords(licences.giveBack.length, 'person', 'people')} could give it back`
				: 'Everybody who holds it has used it',
			rows: licences.giveBack.slice(0, 40).map((g) => ({
				words: g.name,
				card: `person/${g.login}`,
				note: `${g.last === null ? 'never used it' : `last ${durationWords(at - g.last)} ago`}; ${g.having === 'required' ? `required by the grant to ${g.by}` : 'fetched'}`
			}))
		}
	};
}

function grantCard(db: Db, id: number, at: number): Card | null {
	const g = grantsAt(db, at).find((x) => x.id === id);
	if (!g) return null;
	const reach =
		g.toKind === 'person'
			? 1
			: one<{ n: number }>(
					db,
					'SELECT count(*) AS n FROM people p JOIN team_nesting n ON n.team_id = p.team_id WHERE n.above_id = ?',
					[g.toId]
				)!.n;
	return {
		kind: 'grant',
		id: String(id),
		title: `${g.publicationName} to ${g.toName}`,
		sub: conditionsWords(g.conditions),
		rows: [
			{ name: 'publication', value: g.publicationName, card: `publication/${g.publication}` },
			{
				name: g.toKind,
				value: g.toName,
				...(g.toKind === 'team' ? { scope: `team:${g.toId}` } : { card: `person/${g.toLogin}` })
			},
			{ name: 'reaches', value: countWords(reach, 'person', 'people') },
			{ name: 'it is', value: g.kind },
			...(g.machines > 1 ? [{ name: 'machines each', value: String(g.machines) }] : []),
			{ name: 'channels', value: g.channels.join(', ') || 'none' }
		],
		facts: [{ words: conditionsWords(g.conditions), source: 'grant', at: g.since }],
		actions: [
			{ words: 'Take it back', kind: 'grant.remove', input: { grant: id } },
			{
				words: g.kind === 'required' ? 'Make it optional' : 'Make it required',
				kind: 'grant.change',
				input: { grant: id, kind: g.kind === 'required' ? 'optional' : 'required' }
			}
		]
	};
}

function gatewayCard(db: Db, id: string, at: number): Card | null {
	const g = one<{ address: string; site: string; site_id: string }>(
		db,
		'SELECT g.*, s.name AS site FROM gateways g JOIN sites s ON s.id = g.site_id WHERE g.id = ?',
		[id]
	);
	if (!g) return null;
	const ports = all<{ protocol: string; announced: number; listens: number; since: number }>(
		db,
		'SELECT * FROM gateway_ports WHERE gateway_id = ? AND +since <= ? AND until > ?',
		[id, at, at]
	);
	const sessions = one<{ n: number }>(
		db,
		'SELECT count(*) AS n FROM sessions WHERE gateway_id = ? AND +since <= ? AND until > ?',
		[id, at, at]
	)!.n;
	const wrong = ports.filter((p) => p.announced !== p.listens);
	return {
		kind: 'gateway',
		id,
		title: id,
		sub: wrong.length ? `${wrong.map((p) => p.protocol).join(', ')} does not get through` : 'all protocols get through',
		rows: [
			{ name: 'site', value: g.site, scope: `site:${g.site_id}` },
			{ name: 'address', value: g.address },
			{ name: 'sessions through it', value: String(sessions), scope: `gateway:${id}` },
			...ports.map((p) => ({
				name: p.protocol,
				value: p.announced === p.listens ? `port ${p.announced}` : `announces ${p.announced}, listens on ${p.listens}`
			}))
		],
		facts: ports.map((p): Fact => ({
			words: `${p.protocol}: announces ${p.announced}, listens on ${p.listens}`,
			at: p.since,
			side: p.announced === p.listens ? undefined : 'against',
			source: 'gateway'
		})),
		actions: wrong.map((p) => ({
			words: `Put ${p.protocol} back to ${p.listens}`,
			kind: 'gateway.set-port',
			input: { gateway: id, protocol: p.protocol, port: p.listens },
			main: true
		}))
	};
}

async function volumeCard(ctx: Context, id: string, at: number): Promise<Card | null> {
	const v = one<{ size: number; iops: number; site: string; site_id: string }>(
		ctx.db,
		'SELECT v.*, s.name AS site FROM volumes v JOIN sites s ON s.id = v.site_id WHERE v.id = ?',
		[id]
	);
	if (!v) return null;
	const used = (await ctx.providers.compute.volumes()).find((x) => x.id === id)?.used ?? 0;
	const machines = one<{ n: number }>(
		ctx.db,
		'SELECT count(*) AS n FROM machine_places WHERE volume_id = ? AND since <= ? AND until > ?',
		[id, at, at]
	)!.n;
	const larger = Math.ceil(v.size * 1.25);
	return {
		kind: 'volume',
		id,
		title: id,
		sub: `${Math.round((100 * used) / v.size)} % full now`,
		rows: [
			{ name: 'site', value: v.site, scope: `site:${v.site_id}` },
			{ name: 'used now', value: `${(used / 1e12).toFixed(1)} of ${(v.size / 1e12).toFixed(1)} TB` },
			{ name: 'machines on it', value: String(machines) }
		],
		facts: [
			{
				words: `${Math.round((100 * used) / v.size)} % of it is in use`,
				source: 'compute provider',
				side: used / v.size > 0.9 ? 'against' : undefined
			}
		],
		actions: [
			{
				words: `Extend it to ${sizeWords(larger)}`,
				kind: 'volume.extend',
				input: { volume: id, size: larger },
				main: used / v.size > 0.9
			}
		]
	};
}

async function networkCard(ctx: Context, id: string, at: number): Promise<Card | null> {
	const network = networkById(ctx.db, id);
	const leases = await leasesOf(ctx, id);
	if (!network || !leases) return null;
	const end = rangeEnds(network.range).last;
	const machines = one<{ n: number }>(
		ctx.db,
		`SELECT count(*) AS n FROM machines m JOIN pools p ON p.id = m.pool_id AND p.since <= @at AND p.until > @at
		 WHERE p.network_id = @id AND m.since <= @at AND m.until > @at`,
		{ id, at }
	)!.n;
	return {
		kind: 'network',
		id,
		title: id,
		sub: `${countWords(leases.free, 'free address', 'free addresses')} now`,
		rows: [
			{ name: 'site', value: network.site_id, scope: `site:${network.site_id}` },
			{ name: 'range', value: network.range },
			{ name: 'leases', value: `${addressText(network.first)} to ${addressText(network.last)}` },
			{ name: 'leased now', value: `${leases.size - leases.free} of ${leases.size}` },
			{ name: 'machines on it', value: String(machines) }
		],
		facts: [
			{ words: `${countWords(leases.held, 'lease is', 'leases are')} held by machines of ours`, source: 'network' },
			...(leases.stale > 0
				? [
						{
							words: `${countWords(leases.stale, 'lease is', 'leases are')} held by no machine that is there`,
							side: 'against' as const,
							source: 'network'
						}
					]
				: [])
		],
		actions: [
			...(leases.stale > 0
				? [
						{
							words: `Release ${countWords(leases.stale, 'lease')}`,
							kind: 'network.release',
							input: { network: id },
							main: true
						}
					]
				: []),
			...(end > network.last
				? [
						{
							words: `Lease ${end - network.last} more`,
							kind: 'network.set-range',
							input: { network: id, last: addressText(end) }
						}
					]
				: [])
		]
	};
}

function findingCard(db: Db, id: number, at: number): Card | null {
	const f = findingById(db, id, at);
	if (!f) return null;
	return {
		kind: 'finding',
		id: String(id),
		title: f.title,
		sub:
			f.until === FOREVER
				? countWords(f.people, 'person affected', 'people affected')
				: `over after ${durationWords(f.until - f.since)}`,
		rows: [
			{
				name: f.subjectKind,
				value: f.subject,
				...(f.subjectKind === 'sextant' || f.subjectKind === 'table' ? {} : { card: `${f.subjectKind}/${f.subject}` })
			}
		],
		facts: f.facts,
		actions:
			f.remedy && f.until === FOREVER
				? [{ words: f.remedy.words, kind: f.remedy.kind, input: f.remedy.input, main: !f.remedy.blocked }]
				: []
	};
}

function changeCard(db: Db, number: number): Card | null {
	const c = changeByNumber(db, number);
	if (!c) return null;
	return {
		kind: 'change',
		id: String(number),
		title: c.title,
		sub: `change ${number}, ${c.outcome}, by ${c.by}`,
		rows: [
			{ name: 'kind', value: c.kind },
			{ name: 'by way of', value: c.via },
			...(c.jobId ? [{ name: 'job', value: `job ${c.jobId}` }] : []),
			...c.objects.slice(0, 12).map((o) => ({ name: o.split('/')[0]!, value: o.slice(o.indexOf('/') + 1), card: o }))
		],
		facts: [
			{ words: `${c.by} committed it`, at: c.at, source: 'change log' },
			{ words: `chained by ${c.hash.slice(0, 16)}…`, source: 'change log' }
		],
		actions: c.undo ? [{ words: 'Undo it', kind: c.undo.kind, input: c.undo.input }] : []
	};
}
