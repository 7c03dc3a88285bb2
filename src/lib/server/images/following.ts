import type { BuildSheet } from '$lib/core/images/sheet';
import { AS_FOUND } from '$lib/core/images/versions';
import {
	decideAbout,
	decideMove,
	groupTakes,
	wanted,
	WILL_TAKE,
	type AtSite,
	type FollowedLine,
	type FollowingMachine,
	type FollowRule,
	type FollowWhen,
	type Move,
	type TakeReason
} from '$lib/core/images/follow';
import { FOREVER } from '$lib/core/time/units';
import { momentWords } from '$lib/core/time/zone';
import type { Explained } from '$lib/core/why/explained';
import { asOf, type IntervalTable } from '../db/intervals';
import { steady } from '../db/steady';
import { all, allColumns, one, run, type Db } from '../db';
import { dueAt } from './shipping';
import { fromJson } from '../db/json';

export interface RuleRow {
	subject: string;
	rule: FollowRule;
	when: FollowWhen;
	rollout: number | null;
	since: number;
}

const NOTHING: FollowRule = { takes: 'nothing' };

/** Follow rules in force at a moment, by subject: `pool/ID` or `machine/NAME`. */
export function rulesAt(db: Db, at: number): Map<string, RuleRow> {
	return new Map(
		all<{ subject: string; since: number; rule: string; takes_at: string; rollout_id: number | null }>(
			db,
			`SELECT subject, since, rule, takes_at, rollout_id FROM follow_rules WHERE ${asOf('follow_rules', '?')}`,
			[at, at]
		).map((r) => [
			r.subject,
			{
				subject: r.subject,
				since: r.since,
				rule: fromJson<FollowRule>('follow_rules.rule', r.rule),
				when: fromJson<FollowWhen>('follow_rules.takes_at', r.takes_at),
				rollout: r.rollout_id
			}
		])
	);
}

/** Everything that decides which machine takes which version, at one moment. */
export interface Following {
	machines: (FollowingMachine & { id: number; pool: string; personal: boolean })[];
	lines: Map<string, FollowedLine>;
	atSite: (line: string) => (site: string) => (number: string) => AtSite;
	now: number;
}

/** Changes to think through before they are made: a version's state, a rule. */
export interface WhatIf {
	version?: { line: string; number: string; held?: boolean; retired?: boolean };
	rules?: Map<string, { rule: FollowRule; when: FollowWhen } | null>;
}

/** The lines with their versions at a moment, or as they would be after a change to one version. */
function followedLines(db: Db, at: number, changed?: WhatIf['version']): Map<string, FollowedLine> {
	const lines = new Map<string, FollowedLine>();
	for (const l of all<{ id: string; users: 'single' | 'multi'; generation: 1 | 2 }>(
		db,
		'SELECT id, users, generation FROM lines'
	))
		lines.set(l.id, { ...l, versions: [] });
	const within = (table: IntervalTable) =>
		`EXISTS (SELECT 1 FROM ${table} h WHERE h.line_id = v.line_id AND h.number = v.number AND ${asOf(`${table} h`, '?1')})`;
	for (const v of all<{ line: string; number: string; held: number; retired: number; open: number }>(
		db,
		`SELECT v.line_id AS line, v.number, ${within('version_holds')} AS held, ${within('version_retired')} AS retired, ${within('openings')} AS open
		 FROM versions v WHERE v.built_at <= ?1 AND v.gone_at > ?1`,
		{ 1: at }
	)) {
		const own: { held?: boolean; retired?: boolean } =
			changed?.line === v.line && changed.number === v.number ? changed : {};
		(lines.get(v.line)!.versions as { number: string; held: boolean; retired: boolean; open: boolean }[]).push({
			number: v.number,
			held: own.held ?? v.held === 1,
			retired: own.retired ?? v.retired === 1,
			open: v.open === 1
		});
	}
	return lines;
}

/**
 * Gathers what decides about versions at a moment. `busy`: machines that jobs work on. With `whatIf`, as it would be
 * after a change. `only`: for one machine alone, by its name, or for those of some pools.
 */
export function followingAt(
	db: Db,
	at: number,
	busy: ReadonlySet<string> = new Set(),
	whatIf: WhatIf = {},
	only: { machine?: string; pools?: readonly string[] } = {}
): Following {
	const rules = rulesAt(db, at);
	const ruleOf = (subject: string) => {
		const asked = whatIf.rules?.get(subject);
		return asked === null ? undefined : (asked ?? rules.get(subject));
	};
	const lines = followedLines(db, at, whatIf.version);
	const sites = new Map<string, Set<string>>();
	for (const s of all<{ site: string; line: string; number: string }>(
		db,
		`SELECT site_id AS site, line_id AS line, number FROM site_versions WHERE ${asOf('site_versions', '?')}`,
		[at, at]
	)) {
		const set = sites.get(s.site);
		if (set) set.add(`${s.line}/${s.number}`);
		else sites.set(s.site, new Set([`${s.line}/${s.number}`]));
	}
	const due = dueAt(db, at);
	const siteNames = new Map(
		all<{ id: string; name: string }>(db, 'SELECT id, name FROM sites').map((s) => [s.id, s.name])
	);
	const zones = new Map(
		all<{ id: string; zone: string }>(db, 'SELECT id, time_zone AS zone FROM sites').map((s) => [s.id, s.zone])
	);
	const failures = new Map<string, number>();
	for (const f of all<{ name: string; version: string; n: number }>(
		db,
		`SELECT m.name, mv.to_version AS version, count(*) AS n FROM moves mv JOIN machines m ON m.id = mv.machine_id
		 WHERE mv.error IS NOT NULL AND mv.forgiven = 0 AND mv.ended <= ? GROUP BY 1, 2`,
		[at]
	))
		failures.set(`${f.name}/${f.version}`, f.n);
	const bound = { at, machine: only.machine ?? null, pools: only.pools ? JSON.stringify(only.pools) : null };
	// A row for each pool, its machines in one text each: twenty thousand rows take longer to hand over than to find.
	const asked = `${asOf('machines m')} AND (@machine IS NULL OR m.name = @machine) AND (@pools IS NULL OR m.pool_id IN (SELECT value FROM json_each(@pools)))`;
	const groups = allColumns<[string, string, string, string, string, string]>(
		db,
		`SELECT m.pool_id, group_concat(m.id), group_concat(m.name, char(10)), group_concat(m.site_id), group_concat(pl.line_id), group_concat(pl.version)
					 FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl')}
					 WHERE ${asked} GROUP BY m.pool_id`,
		bound
	);
	/** Numbers of machines, once for each row. */
	const numbers = (sql: string): number[] => {
		const ids = allColumns<[string | null]>(db, sql, { at, machine: bound.machine })[0]?.[0] ?? null;
		return ids === null ? [] : ids.split(',').map(Number);
	};
	const onlyId = '(@machine IS NULL OR machine_id IN (SELECT m.id FROM machines m WHERE m.name = @machine))';
	const up = new Set(
		numbers(
			`SELECT group_concat(machine_id) FROM machine_states WHERE ${asOf('machine_states')} AND state <> 'off' AND ${onlyId}`
		)
	);
	const sessions = new Map<number, number>();
	for (const id of numbers(`SELECT group_concat(machine_id) FROM sessions WHERE ${asOf('sessions')} AND ${onlyId}`))
		sessions.set(id, (sessions.get(id) ?? 0) + 1);
	const pools = new Map(
		all<{ id: string; assignment: string; line: string }>(
			db,
			`SELECT id, assignment, line_id AS line FROM pools WHERE ${asOf('pools', '?')}`,
			[at, at]
		).map((p) => [p.id, { ...p, rule: ruleOf(`pool/${p.id}`) }])
	);
	const taken = new Map(
		all<{ name: string; kind: string; users: 'single' | 'multi'; generation: 1 | 2 }>(
			db,
			'SELECT name, kind, users, generation FROM taken_machines'
		).map((t) => [t.name, t])
	);
	const references = referenceMachines(db, at);
	const never = () => 0;
	const machines: Following['machines'] = [];
	const ownRules = [...rules.keys(), ...(whatIf.rules?.keys() ?? [])].some((s) => s.startsWith('machine/'));
	for (const [poolId, ...texts] of groups) {
		const pool = pools.get(poolId);
		if (!pool) continue;
		const [ids, names, siteIds, lineIds, versions] = texts.map((t, i) => t.split(i === 1 ? '\n' : ',')) as [
			string[],
			string[],
			string[],
			string[],
			string[]
		];
		// A plain loop: there may be very many.
		for (let i = 0; i < names.length; i++) {
			const name = names[i]!;
			const id = Number(ids[i]);
			const line = lines.get(lineIds[i]!);
			if (!line) continue;
			const version = versions[i]!;
			const own = ownRules ? ruleOf(`machine/${name}`) : undefined;
			const rule = own ?? pool.rule;
			const found = version === AS_FOUND ? taken.get(name) : undefined;
			machines.push({
				id,
				name,
				pool: poolId,
				personal: pool.assignment === 'personal',
				line: pool.line,
				version,
				rule: rule?.rule ?? NOTHING,
				ruleOf: own ? ('rollout' in own && own.rollout !== null ? 'rollout' : 'machine') : 'pool',
				when: rule?.when ?? 'next sign-out',
				users: found?.users ?? line.users,
				generation: found?.generation ?? line.generation,
				physical: found?.kind === 'physical',
				site: siteIds[i]!,
				sessions: sessions.get(id) ?? 0,
				on: up.has(id),
				reference: references.has(name),
				busy: busy.has(name),
				failures: failures.size === 0 ? never : (number) => failures.get(`${name}/${number}`) ?? 0
			});
		}
	}
	machines.sort((a, b) => (a.name < b.name ? -1 : 1));
	return {
		machines,
		lines,
		now: at,
		atSite: (line) => (site) => (number) =>
			sites.get(site)?.has(`${line}/${number}`)
				? { whole: true }
				: lacking(
						siteNames.get(site) ?? site,
						zones.get(site) ?? 'Etc/UTC',
						`${line} ${number}`,
						due.get(`${site}/${line}/${number}`)
					)
	};
}

/** Machines that are alike as far as follow rules go. */
export interface OnVersion {
	pool: string;
	line: string;
	version: string;
}

/** Which versions the machines of each pool are on: it reads every machine. */
export const versionsInUse = (db: Db): OnVersion[] =>
	all(
		db,
		`SELECT m.pool_id AS pool, pl.line_id AS line, pl.version FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER}
		 WHERE m.until = ${FOREVER} GROUP BY 1, 2, 3`
	);

/** Both as they are now: shared, nobody may change them. */
const rulesNow = steady(['follow_rules'], rulesAt);
const linesNow = steady(['lines', 'versions', 'version_holds', 'version_retired', 'openings'], followedLines, {
	versions: ['built_at', 'gone_at']
});

/**
 * The pools of which a machine may be on another version than its rule asks for: cheap, and asked every minute. Names a pool too often
 * rather than too rarely.
 */
export function poolsBehind(db: Db, now: number, groups: readonly OnVersion[] = versionsInUse(db)): string[] {
	const rules = rulesNow(db, now);
	const own = [...rules.keys()].some((subject) => subject.startsWith('machine/'));
	const lines = linesNow(db, now);
	const behind = groups.filter((g) => {
		if (own) return true;
		const rule = rules.get(`pool/${g.pool}`)?.rule;
		if (!rule || rule.takes === 'nothing') return false;
		const to = wanted(rule, lines.get(g.line)?.versions ?? []);
		return to !== null && to !== g.version;
	});
	return [...new Set(behind.map((g) => g.pool))];
}

/** Machines that the sheet of a line starts from: they are prepared by hand, and kept as they are. */
const referenceMachines = (db: Db, at: number): Set<string> =>
	new Set(
		all<{ body: string }>(db, `SELECT body FROM sheets WHERE ${asOf('sheets', '?')}`, [at, at]).flatMap((s) =>
			fromJson<BuildSheet>('sheets.body', s.body)
				.steps.filter((step) => step.kind === 'source' && step.with.from === 'machine')
				.map((step) => String(step.with.machine))
		)
	);

/** A site that lacks a version: on its way, on its way but not in time, or not on its way at all. */
function lacking(site: string, zone: string, version: string, due: number | null | undefined): AtSite {
	if (due === undefined)
		return { whole: false, why: 'site lacks it', words: `${site} does not have ${version} yet: ship it there` };
	return due === null
		? {
				whole: false,
				why: 'window too small',
				words: `${version} is on its way to ${site}, but its nights are not enough`
			}
		: {
				whole: false,
				why: 'site lacks it',
				words: `${site} is to have ${version} about ${momentWords(zone, due)} local time`
			};
}

/** What one machine does about what its rule asks for. */
export const moveOf = (f: Following, m: Following['machines'][number]): Explained<Move> =>
	decideMove(m, f.lines.get(m.line)!, f.atSite(m.line)(m.site), f.now);

/** Who takes a version and who does not, each with the reason, in groups. */
export function whoTakes(
	f: Following,
	line: string,
	number: string
): {
	reason: TakeReason;
	will: boolean;
	machines: ({ name: string; pool: string; sessions: number } & Explained<Move>)[];
}[] {
	const followed = f.lines.get(line);
	if (!followed) return [];
	// Machines in the same position decide alike: each position is thought through once.
	const thought = new Map<string, Map<string, Explained<Move>[]>>();
	const think = (m: Following['machines'][number]) =>
		decideAbout(m, number, followed, line, f.atSite(line)(m.site), f.now);
	const about = (m: Following['machines'][number]): Explained<Move> => {
		const alike = m.ruleOf === 'pool' && !m.busy && !m.reference && m.version !== AS_FOUND && m.failures(number) === 0;
		if (!alike) return think(m);
		let versions = thought.get(m.pool);
		if (!versions) thought.set(m.pool, (versions = new Map()));
		let moves = versions.get(m.version);
		if (!moves) versions.set(m.version, (moves = []));
		return (moves[m.sessions * 2 + (m.on ? 1 : 0)] ??= think(m));
	};
	const others = new Map<string, Explained<Move>>();
	const elsewhere = (m: Following['machines'][number]): Explained<Move> => {
		let move = others.get(m.line);
		if (!move) others.set(m.line, (move = think(m)));
		return move;
	};
	const decisions = f.machines.map((m) => {
		const { value, facts } = m.line === line ? about(m) : elsewhere(m);
		return { value, facts, name: m.name, pool: m.pool, sessions: m.sessions };
	});
	return groupTakes(decisions).map((g) => ({
		reason: g.reason,
		will: WILL_TAKE.has(g.reason),
		machines: g.items
	}));
}

/** Lets a machine try a version again that it failed to take before a moment: those failures no longer count. */
export function forgiveMoves(db: Db, machine: string, number: string, before: number): void {
	run(
		db,
		`UPDATE moves SET forgiven = 1 WHERE error IS NOT NULL AND to_version = ? AND began < ? AND machine_id IN (SELECT id FROM machines WHERE name = ?)`,
		[number, before, machine]
	);
}

/** Why a machine is on the version it is on: what its rule asks for, and the move that brought it there. */
export function whyOnVersion(db: Db, name: string, at: number, busy: ReadonlySet<string>): Explained<Move> | null {
	const f = followingAt(db, at, busy, {}, { machine: name });
	const m = f.machines[0];
	if (!m) return null;
	const move = moveOf(f, m);
	const last = one<{ from_version: string; ended: number; error: string | null; to_version: string }>(
		db,
		'SELECT from_version, to_version, ended, error FROM moves WHERE machine_id = ? AND ended <= ? ORDER BY id DESC',
		[m.id, at]
	);
	if (last)
		move.facts.push({
			words: last.error
				? `going from ${last.from_version} to ${last.to_version} failed: ${last.error}`
				: `it went from ${last.from_version} to ${last.to_version}`,
			at: last.ended,
			source: 'moves'
		});
	return move;
}

/** The version that new machines of a pool are made from: what its rule asks for, else the one that the pool was made from. */
export function versionToMake(db: Db, pool: { id: string; line: string; version: string }, at: number): string {
	const rule = rulesAt(db, at).get(`pool/${pool.id}`)?.rule;
	const versions = followedLines(db, at).get(pool.line)?.versions ?? [];
	const to = rule ? wanted(rule, versions) : null;
	return to ?? pool.version;
}

/** Pools whose rule names a version, by name: they need it to stay. */
export const rulesNaming = (db: Db, line: string, number: string, at: number): string[] =>
	[...rulesAt(db, at).values()]
		.filter((r) => r.rule.takes === 'exactly' && r.rule.number === number)
		.filter((r) => {
			const [kind, id] = [r.subject.slice(0, r.subject.indexOf('/')), r.subject.slice(r.subject.indexOf('/') + 1)];
			return kind === 'pool'
				? one(db, `SELECT 1 FROM pools WHERE id = ? AND line_id = ? AND until = ${FOREVER}`, [id, line]) !== undefined
				: one(
						db,
						`SELECT 1 FROM machines m JOIN pools p ON p.id = m.pool_id AND p.until = ${FOREVER} WHERE m.name = ? AND p.line_id = ? AND m.until = ${FOREVER}`,
						[id, line]
					) !== undefined;
		})
		.map((r) => r.subject.replace('/', ' '));
