import {
	attachFindings,
	gatewayFindings,
	giveUpFindings,
	networkFindings,
	offeredFor,
	ownFindings,
	placeFindings,
	poolFinding,
	pressedFindings,
	signInFindings,
	volumeFindings,
	type Finding,
	type Remedy,
	type VersionSignIns
} from '$lib/core/diagnosis/findings';
import { LRUCache } from 'lru-cache';
import { quantile } from '$lib/core/images/duration';
import { DAY, FOREVER, MINUTE } from '$lib/core/time/units';
import { clockWords } from '$lib/core/time/zone';
import type { Phase, PhaseName } from '$lib/core/watch/phases';
import { demandForecast } from '../capacity';
import { addressText, rangeEnds } from '$lib/core/network/addresses';
import { leasesOf, type NetworkRow } from '../estate';
import { poolsAt } from '../pools';
import type { Context } from '../context';
import { all, one, run, type Db } from '../db';
import { pressedThroughout } from '../samples/read';
import { closeAt, putAt } from '../db/intervals';
import { checksAt } from '../network';
import { deliveryStatesAt, failuresIn } from '../packages';
import { blockOf } from '../plans';
import { publicationsAt } from '../publications';
import { peopleAffected } from './affected';
import { fromJson, type Unreadable } from '../db/json';
import { isStorage } from '../db/storage';

/** Runs the checks along the way to every machine that is up, and keeps those that fail as intervals. */
export async function sweepChecks(
	ctx: Context,
	machines: { id: number; name: string; state: string }[],
	now: number
): Promise<void> {
	const up = machines.filter((m) => m.state === 'ready' || m.state === 'in use' || m.state === 'failed');
	const failing = new Map((await ctx.providers.agent.sweep(up.map((m) => m.name))).map((f) => [f.machine, f.failing]));
	const open = all<{ machine_id: number; name: string }>(
		ctx.db,
		`SELECT machine_id, name FROM failing_checks WHERE until = ${FOREVER}`
	);
	ctx.db
		.transaction(() => {
			const known = new Set<string>();
			const byId = new Map(up.map((m) => [m.id, m.name]));
			for (const o of open) {
				const name = byId.get(o.machine_id);
				const still = name !== undefined && failing.get(name)?.name === o.name;
				if (still) known.add(`${o.machine_id}/${o.name}`);
				else closeAt(ctx.db, 'failing_checks', o, now);
			}
			for (const m of up) {
				const f = failing.get(m.name);
				if (f && !known.has(`${m.id}/${f.name}`))
					putAt(ctx.db, 'failing_checks', { machine_id: m.id, name: f.name, saw: f.saw }, now);
			}
		})
		.immediate();
}

/** Comparisons that cost more and move slowly: made less often. A finding of theirs stays open in between. */
export interface Deeper {
	forecast: boolean;
	signIns: boolean;
	/** What blocks the remedies: nobody is there to press them while a past is made. */
	remedies: boolean;
}

/** How long what blocks a remedy is taken to hold. */
const FORESEEN_FOR = 10 * MINUTE;

/** Remedies that are computed anew in one sweep; the others keep what was known of them until their turn comes. */
const FORESEEN_AT_ONCE = 20;

/** What blocks the remedies of findings: computed as plans are, and kept for a while, since a plan is dear and a sweep is often. */
export class Remedies {
	private readonly known = new LRUCache<string, { blocked: string | null; at: number }>({ max: 2000 });
	private sweep = 0;
	private asked = 0;

	constructor(private readonly ctx: Context) {}

	async blockOf(subject: string, remedy: Remedy, now: number): Promise<string | null> {
		if (this.sweep !== now) [this.sweep, this.asked] = [now, 0];
		const key = `${subject} ${remedy.kind} ${JSON.stringify(remedy.input)}`;
		const known = this.known.get(key);
		if (known && (now - known.at < FORESEEN_FOR || this.asked >= FORESEEN_AT_ONCE)) return known.blocked;
		if (this.asked >= FORESEEN_AT_ONCE) return null;
		this.asked++;
		const blocked = await blockOf(this.ctx, remedy.kind, remedy.input).catch((e: unknown) => {
			if (isStorage(e)) throw e;
			// Something it asks is out of reach: whoever drafts it will be told what.
			return null;
		});
		this.known.set(key, { blocked, at: now });
		return blocked;
	}
}

/** Compares what ought to agree, and keeps what does not as findings with their time. */
export async function sweepFindings(
	ctx: Context,
	now: number,
	deeper: Deeper,
	own: { troubles: ReadonlyMap<string, { words: string; since: number }>; unreadable: Unreadable[] } = {
		troubles: new Map(),
		unreadable: []
	},
	remedies?: Remedies
): Promise<void> {
	const { db } = ctx;
	const ports = await observePorts(ctx, now);
	const ours = new Set(all<{ id: string }>(db, 'SELECT id FROM volumes').map((v) => v.id));
	const volumes = (await ctx.providers.compute.volumes()).filter((v) => ours.has(v.id));
	const networks = await Promise.all(
		all<NetworkRow>(db, 'SELECT * FROM networks').map(async (n) => {
			const { size, free, stale } = (await leasesOf(ctx, n.id))!;
			const end = rangeEnds(n.range).last;
			return { id: n.id, site: n.site_id, size, free, stale, beyond: { count: end - n.last, last: addressText(end) } };
		})
	);
	const found: Finding[] = [
		...gatewayFindings(ports),
		...volumeFindings(volumes),
		...networkFindings(networks),
		...(deeper.signIns ? signInFindings(signInsByVersion(ctx, now)) : []),
		...(deeper.signIns ? giveUpFindings(givenUp(db, now)) : []),
		...placeFindings(placesFailing(db, now)),
		...attachFindings(notAttached(db, now)),
		...pressedFindings(pressedMachines(ctx, now)),
		...(deeper.forecast ? poolsRunningOut(ctx, now) : []),
		...ownFindings(
			[...own.troubles].map(([part, trouble]) => ({ part, ...trouble })),
			own.unreadable
		)
	];
	const foreseen = remedies ?? new Remedies(ctx);
	for (const [i, f] of deeper.remedies ? found.entries() : [])
		found[i] = await offeredFor(f, (remedy) => foreseen.blockOf(f.subject.id, remedy, now));
	db.transaction(() => {
		const open = all<{ id: number; kind: string; subject_id: string }>(
			db,
			`SELECT id, kind, subject_id FROM findings WHERE until = ${FOREVER}`
		);
		for (const o of open) {
			const still = found.some((f) => f.kind === o.kind && f.subject.id === o.subject_id);
			const looked =
				o.kind === 'pool runs out'
					? deeper.forecast
					: o.kind === 'slow sign-ins' || o.kind === 'people give up'
						? deeper.signIns
						: true;
			if (!still && looked) closeAt(db, 'findings', { id: o.id }, now);
		}
		for (const f of found) {
			const since = one<{ since: number }>(
				db,
				`SELECT since FROM findings WHERE kind = ? AND subject_id = ? AND until = ${FOREVER}`,
				[f.kind, f.subject.id]
			)?.since;
			const people = peopleAffected(
				db,
				{ kind: f.kind, subject: f.subject.id, people: f.people ?? 0, remedy: f.remedy, since: since ?? now },
				now
			);
			run(
				db,
				`INSERT INTO findings(kind, subject_kind, subject_id, site_id, since, until, title, people, facts, remedy) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
				 ON CONFLICT(kind, subject_id) WHERE until = ${FOREVER} DO UPDATE SET title = excluded.title, people = excluded.people, facts = excluded.facts, remedy = excluded.remedy`,
				[
					f.kind,
					f.subject.kind,
					f.subject.id,
					f.site,
					now,
					FOREVER,
					f.title,
					people,
					JSON.stringify(f.facts),
					f.remedy ? JSON.stringify(f.remedy) : null
				]
			);
		}
	}).immediate();
}

const placesFailing = (db: Db, now: number) =>
	all<{ id: string; name: string }>(db, 'SELECT id, name FROM sites ORDER BY position').map((s) => ({
		...s,
		failing: checksAt(db, s.id, now).filter((c) => c.ok === false)
	}));

/** Deliveries with machines that cannot have them, and what each pool had before. */
const notAttached = (db: Db, now: number) =>
	deliveryStatesAt(db, now)
		.filter((d) => d.failing.length > 0)
		.map((d) => ({
			...d,
			before:
				one<{ version: string }>(
					db,
					'SELECT version FROM deliveries WHERE pool_id = ? AND package = ? AND until = ? AND version <> ?',
					[d.pool, d.package, d.since, d.version]
				)?.version ?? null,
			failures: failuresIn(db, d.pool, d.package, now)
		}));

/** Takes in what the gateways announce and listen on; a change closes the interval before. */
async function observePorts(ctx: Context, now: number) {
	const { db } = ctx;
	const seen = await ctx.providers.network.gateways();
	const sites = new Map(
		all<{ id: string; site: string; name: string }>(
			db,
			'SELECT g.id, s.id AS site, s.name FROM gateways g JOIN sites s ON s.id = g.site_id'
		).map((g) => [g.id, g])
	);
	return seen.flatMap((p) => {
		const gateway = sites.get(p.gateway);
		if (!gateway) return [];
		let row = one<{ announced: number; listens: number; since: number }>(
			db,
			`SELECT * FROM gateway_ports WHERE gateway_id = ? AND protocol = ? AND until = ${FOREVER}`,
			[p.gateway, p.protocol]
		);
		if (!row || row.announced !== p.announced || row.listens !== p.listens) {
			const { announced, listens } = p;
			putAt(db, 'gateway_ports', { gateway_id: p.gateway, protocol: p.protocol, announced, listens }, now);
			row = { ...p, since: now };
		}
		return [
			{
				...p,
				site: gateway.site,
				siteName: gateway.name,
				since: row.since,
				othersSay: seen.filter((o) => o.protocol === p.protocol && o.gateway !== p.gateway).map((o) => o.announced)
			}
		];
	});
}

/** Medians of the phases of the last day's sign-ins, by version. */
function signInsByVersion(ctx: Context, now: number): VersionSignIns[] {
	const rows = all<{ line: string; version: string; phases: string }>(
		ctx.db,
		`SELECT p.line_id AS line, p.version, c.phases FROM connections c
		 JOIN machine_places p ON p.machine_id = c.machine_id AND p.since <= c.ended AND p.until > c.ended
		 WHERE c.ended > ? AND c.ended <= ? AND c.result = 'open'`,
		[now - DAY, now]
	);
	const groups = new Map<
		string,
		{
			line: string;
			version: string;
			count: number;
			phases: Map<PhaseName, number[]>;
			parts: Map<PhaseName, Map<string, number[]>>;
		}
	>();
	for (const row of rows) {
		const phases = fromJson<Phase[]>('connections.phases', row.phases);
		// A session that was taken up again skips most phases.
		if (!phases.some((p) => p.name === 'shell')) continue;
		const key = `${row.line}/${row.version}`;
		let g = groups.get(key);
		if (!g)
			groups.set(key, (g = { line: row.line, version: row.version, count: 0, phases: new Map(), parts: new Map() }));
		g.count++;
		for (const p of phases) {
			push(g.phases, p.name, p.ms);
			for (const part of p.parts ?? []) {
				let parts = g.parts.get(p.name);
				if (!parts) g.parts.set(p.name, (parts = new Map()));
				push(parts, part.name, part.ms);
			}
		}
	}
	const held = new Set(
		all<{ key: string }>(
			ctx.db,
			`SELECT line_id || '/' || number AS key FROM version_holds WHERE since <= @now AND until > @now`,
			{ now }
		).map((h) => h.key)
	);
	return [...groups].map(([key, g]) => ({
		line: g.line,
		version: g.version,
		held: held.has(key),
		count: g.count,
		phases: Object.fromEntries([...g.phases].map(([name, ms]) => [name, median(ms)])),
		worstPart: Object.fromEntries(
			[...g.parts].map(([name, parts]) => [
				name,
				[...parts].map(([part, ms]) => ({ name: part, ms: median(ms) })).reduce((a, b) => (b.ms > a.ms ? b : a))
			])
		)
	}));
}

function push<K, V>(map: Map<K, V[]>, key: K, value: V): void {
	const list = map.get(key);
	if (list) list.push(value);
	else map.set(key, [value]);
}

const median = (values: number[]) =>
	quantile(
		values.sort((a, b) => a - b),
		0.5
	);

/** Machines with nearly all their cores in use for the last 20 minutes without a break. */
function pressedMachines(ctx: Context, now: number) {
	return pressedThroughout(ctx.db, 0.93, now - 20 * MINUTE, now, 18).flatMap(({ machine, cores, sessions, since }) => {
		const m = one<{ name: string; site: string }>(
			ctx.db,
			`SELECT name, site_id AS site FROM machines m WHERE id = ? AND NOT EXISTS (SELECT 1 FROM failing_checks f WHERE f.machine_id = m.id AND f.until = ${FOREVER})`,
			[machine]
		);
		return m ? [{ ...m, cores, sessions, pressedSince: since, now }] : [];
	});
}

const lastDay = (times: readonly { person: number; at: number }[], now: number) => {
	const own = times.filter((t) => t.at > now - DAY);
	return { people: new Set(own.map((t) => t.person)).size, times: own.length };
};

/** Who gave up waiting for a personal pool within seven days, by the pool that would have served them first. */
function givenUp(db: Db, now: number): Parameters<typeof giveUpFindings>[0] {
	const pools = new Map(poolsAt(db, now).map((p) => [p.id, p]));
	// The pools that only hold personal machines: where shared ones serve as well, theirs is the shortage.
	const personal = new Map(
		publicationsAt(db, now).flatMap((p) => {
			const serving = p.pools.flatMap((id) => pools.get(id) ?? []);
			return serving.length > 0 && serving.every((s) => s.assignment === 'personal') ? [[p.id, serving] as const] : [];
		})
	);
	const owned = new Map<string, Set<number>>();
	const machines = new Map<string, { all: number; free: number }>();
	for (const id of new Set([...personal.values()].flatMap((serving) => serving.map((s) => s.id)))) {
		const rows = all<{ owner: number | null; state: string }>(
			db,
			`SELECT pl.owner_id AS owner, s.state FROM machines m JOIN machine_places pl ON pl.machine_id = m.id AND pl.since <= @now AND pl.until > @now
			 JOIN machine_states s ON s.machine_id = m.id AND s.since <= @now AND s.until > @now WHERE m.pool_id = @id AND m.since <= @now AND m.until > @now`,
			{ id, now }
		);
		owned.set(id, new Set(rows.flatMap((r) => r.owner ?? [])));
		machines.set(id, {
			all: rows.length,
			free: rows.filter((r) => r.owner === null && r.state !== 'failed').length
		});
	}
	const byPool = new Map<string, { person: number; at: number; waited: number; owns: boolean }[]>();
	for (const c of all<{ person: number; site: string; publication: string; at: number; waited: number }>(
		db,
		`SELECT c.person_id AS person, p.site_id AS site, c.publication_id AS publication, c.ended AS at, c.waited FROM connections c
		 JOIN people p ON p.id = c.person_id WHERE c.result <> 'open' AND c.result = 'gave up' AND c.ended > ? AND c.ended <= ?`,
		[now - 7 * DAY, now]
	)) {
		const serving = personal.get(c.publication);
		if (!serving) continue;
		const own = serving.find((s) => owned.get(s.id)!.has(c.person));
		const pool = own ?? serving.find((s) => s.site === c.site) ?? serving[0]!;
		push(byPool, pool.id, { ...c, owns: own !== undefined });
	}
	return [...byPool].map(([id, times]) => ({
		id,
		name: pools.get(id)!.name,
		site: pools.get(id)!.site,
		people: new Set(times.map((t) => t.person)).size,
		times: times.length,
		today: lastDay(times, now),
		lately: times.filter((t) => t.owns && t.at > now - DAY).length,
		without: new Set(times.flatMap((t) => (t.owns ? [] : t.person))).size,
		free: machines.get(id)!.free,
		machines: machines.get(id)!.all,
		waited: median(times.map((t) => t.waited)),
		last: times.reduce((last, t) => Math.max(last, t.at), 0)
	}));
}

function poolsRunningOut(ctx: Context, now: number): Finding[] {
	const findings: Finding[] = [];
	for (const pool of poolsAt(ctx.db, now)) {
		if (pool.assignment !== 'shared') continue;
		const { n } = one<{ n: number }>(
			ctx.db,
			`SELECT count(*) AS n FROM machines m JOIN machine_states s ON s.machine_id = m.id AND s.until = ${FOREVER} WHERE m.pool_id = ? AND m.until = ${FOREVER} AND s.state <> 'failed'`,
			[pool.id]
		)!;
		if (n === 0) continue;
		const usable = Math.min(n, pool.policy.most);
		const demand = demandForecast(ctx.db, now, 12, { pool: pool.id });
		const peak = demand.ahead.reduce((a, b) => (b.middle + b.spread > a.middle + a.spread ? b : a), {
			at: now,
			middle: 0,
			spread: 0,
			days: 0
		});
		// One or two days are no pattern yet: nobody is to be called for them.
		if (peak.days < 3) continue;
		const finding = poolFinding({
			id: pool.id,
			name: pool.name,
			site: pool.site,
			holds: usable * pool.perMachine,
			inUse: demand.now,
			demand: peak.middle,
			spread: peak.spread,
			at: peak.at,
			clock: `${clockWords(pool.zone, peak.at)}, ${pool.siteName} time`,
			usableMachines: n,
			most: pool.policy.most,
			perMachine: pool.perMachine
		});
		if (finding) findings.push(finding);
	}
	return findings;
}
