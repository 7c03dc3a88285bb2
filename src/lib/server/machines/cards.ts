import { CHECK_WORDS, type CheckName, type CheckResult } from '$lib/core/diagnosis/checks';
import { ruleWords } from '$lib/core/images/follow';
import { AS_FOUND, imageWords } from '$lib/core/images/versions';
import { hoursWords } from '$lib/core/time/hours';
import { countWords, durationWords, HOUR, sizeWords } from '$lib/core/time/units';
import { strainOf } from '$lib/core/watch/strain';
import type { Card, CardAction } from '$lib/core/why/card';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { asOf, asOfByEnd } from '../db/intervals';
import { all, one } from '../db';
import { fromJson } from '../db/json';
import { rulesAt, whyOnVersion } from '../images';
import type { Then } from '../things/catalogue';
import { machinesNotToMove, poolAt, versionsByPool } from '../pools';
import { publicationsAt } from '../publications';
import { loadAt, machineByName, machineRow, samplesOf } from '../watch';

export async function machineCard(ctx: Context, name: string, { at, live }: Then): Promise<Card | null> {
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
			actions: [],
			sections: []
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
		`SELECT * FROM failing_checks WHERE machine_id = ? AND ${asOf('failing_checks', '?')} ORDER BY since`,
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
		`SELECT s.id, pe.name, s.since FROM sessions s JOIN people pe ON pe.id = s.person_id WHERE s.machine_id = ? AND ${asOf('sessions s', '?')} ORDER BY s.since`,
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
		sections: [
			{
				kind: 'checks',
				title: 'Checks on the way to it',
				sub: 'asked just now',
				checks: results.map((r) => ({
					asks: CHECK_WORDS[r.name].asks,
					ok: r.ok,
					saw: r.saw,
					since: failing.find((f) => f.name === r.name)?.since ?? null
				}))
			},
			{ kind: 'samples', ...samplesOf(db, found.id, at - 6 * HOUR, at), from: at - 6 * HOUR, to: at },
			{
				kind: 'lines',
				title: countWords(sessions.length, 'session'),
				lines: sessions.map((s) => ({ words: s.name, card: `session/${s.id}`, note: durationWords(at - s.since) }))
			}
		]
	};
}

export function poolCard({ db }: Context, id: string, { at }: Then): Card | null {
	const p = poolAt(db, id, at);
	if (!p) return null;
	const states = all<{ state: string; n: number }>(
		db,
		`SELECT st.state, count(*) AS n FROM machines m JOIN machine_states st ON st.machine_id = m.id AND ${asOf('machine_states st', '?1')} WHERE m.pool_id = ?2 AND ${asOf('machines m', '?1')} GROUP BY 1`,
		{ 1: at, 2: id }
	);
	const unmade = all<{ name: string; reason: string }>(
		db,
		'SELECT name, reason FROM unmade_machines WHERE pool_id = ? ORDER BY name',
		[id]
	);
	const sessions = one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE m.pool_id = ? AND ${asOfByEnd('sessions s', '?')}`,
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
							value: `${sizeWords(p.pageFile)}, ${p.pageFileOn === 'apart' ? 'on a disk of its own' : 'on the overlay'}`
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
				words: `its hours are ${hoursWords(p.policy.hours)}; it keeps ${countWords(p.policy.headroomIn, 'seat')} ready in them, ${p.policy.headroomOut} outside`,
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
		sections: []
	};
}
