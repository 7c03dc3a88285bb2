import * as v from 'valibot';
import { byVersion } from '$lib/core/images/versions';
import { looseOrder } from '$lib/core/images/sheet';
import { clashWords } from '$lib/core/packages/clashes';
import { ATTACH_MODE_WORDS, ATTACH_MODES, type AttachMode } from '$lib/core/packages/attach';
import { trialFacts } from '$lib/core/packages/trial';
import { fitsSystem, systemOf } from '$lib/core/packages/fits';
import { noEffects, type Touched } from '$lib/core/plans/effects';
import { countWords, durationWords, FOREVER, MINUTE, SECOND, sizeWords } from '$lib/core/time/units';
import type { Explained, Fact } from '$lib/core/why/explained';
import { poolsAt } from '../pools';
import type { Context } from '../context';
import { asOf } from '../db/intervals';
import { all, setting, type Db } from '../db';
import { linksOf, THICK } from '../images';
import { InputProblem, planKind, type Draft, type StepSpec } from '../plans/kind';
import { publicationsAt } from '../publications';
import { ATTACH_GUESS, attachTimes, deliveriesAt, deliveryStatesAt, heldAt, openAppsAt } from './delivery';
import { lastTrial } from './prepare';
import { clashesAt, packageAt, packagesAt, titleOf, type PackageRow, type PackageVersionRow } from './queries';
import { fromJson } from '../db/json';

/** What a pool is to have of a package; version null: it is to have it no longer. */
export interface DeliveryWish {
	pool: string;
	version: string | null;
	mode: AttachMode;
}

const mode = v.picklist(ATTACH_MODES, 'Choose start, sign-in or launch.');
const pools = v.pipe(v.array(v.string()), v.minLength(1, 'Choose at least one pool.'));

function packageOrThrow(ctx: Context, name: string): PackageRow {
	const p = packageAt(ctx.db, name, ctx.clock.now());
	if (!p) throw new InputProblem([{ field: 'package', words: `There is no package called ${name}.` }]);
	return p;
}

function poolsOrThrow(ctx: Context, ids: readonly string[], field: string) {
	const known = new Map(poolsAt(ctx.db, ctx.clock.now()).map((p) => [p.id, p]));
	const missing = ids.find((id) => !known.has(id));
	if (missing !== undefined) throw new InputProblem([{ field, words: `There is no pool called ${missing}.` }]);
	return ids.map((id) => known.get(id)!);
}

/** Machines of pools whose agent answers. */
const upIn = (db: Db, ids: string[]): { name: string; pool: string }[] =>
	all(
		db,
		`SELECT m.name, m.pool_id AS pool FROM machines m JOIN machine_states s ON s.machine_id = m.id AND s.until = ${FOREVER}
		 WHERE m.until = ${FOREVER} AND m.pool_id IN (SELECT value FROM json_each(?)) AND s.state NOT IN ('off', 'starting', 'failed') ORDER BY m.name`,
		[JSON.stringify(ids)]
	);

/** The systems of the machines of a pool: that of its line, or what was taken over. */
export function systemsOf(db: Db, pool: string) {
	const taken = all<{ system: string; users: 'single' | 'multi' }>(
		db,
		`SELECT DISTINCT t.system, t.users FROM taken_machines t JOIN machines m ON m.name = t.name AND m.until = ${FOREVER} WHERE m.pool_id = ?`,
		[pool]
	);
	const own = taken.length
		? taken
		: all<{ system: string; users: 'single' | 'multi' }>(
				db,
				`SELECT l.system, l.users FROM pools p JOIN lines l ON l.id = p.line_id WHERE p.id = ? AND p.until = ${FOREVER}`,
				[pool]
			);
	return own.map((s) => systemOf(s.system, s.users));
}

/** Whether the machines of a pool are all of systems that a version may be delivered to. */
export function fitsPool(db: Db, version: PackageVersionRow, pool: string): Explained<boolean> {
	const each = systemsOf(db, pool).map((s) => fitsSystem(version.spec.system, version.spec.vouched, s));
	return { value: each.every((e) => e.value), facts: each.flatMap((e) => e.facts) };
}

/** What of a package stands in the way of another on the same machines. */
function meets(ctx: Context, name: string, version: PackageVersionRow, pool: { id: string; name: string }) {
	const now = ctx.clock.now();
	const order = packagesAt(ctx.db, now);
	const others = deliveriesAt(ctx.db, now).filter((d) => d.pool === pool.id && d.package !== name);
	const blocks: Fact[] = [];
	const warnings: Fact[] = [];
	for (const o of others) {
		const other = order.find((p) => p.name === o.package)?.versions.find((x) => x.number === o.version)?.spec;
		const both = [
			...version.spec.services.filter((s) => other?.services.includes(s)).map((s) => `the service ${s}`),
			...version.spec.ports.filter((s) => other?.ports.includes(s)).map((s) => `port ${s}`)
		];
		if (both.length)
			blocks.push({
				words: `${pool.name}: ${o.package} is there, and both want ${both.join(' and ')}`,
				side: 'against',
				source: 'clashes'
			});
		const clash = clashesAt(ctx.db, now).find(
			(c) => (c.a === name && c.b === o.package) || (c.b === name && c.a === o.package)
		);
		if (clash) {
			const wins = order.findIndex((p) => p.name === name) < order.findIndex((p) => p.name === o.package);
			warnings.push({
				words: `${pool.name}: it meets ${o.package} in ${clashWords(clash.counts)}; ${wins ? name : o.package} wins`,
				side: 'against',
				source: 'clashes'
			});
		}
	}
	return { blocks, warnings };
}

/** How long until a version is on the machines of a site that are up. */
function timeTo(db: Db, site: string, name: string, version: PackageVersionRow, at: number) {
	const took = attachTimes(db, site, at) ?? ATTACH_GUESS;
	const home = setting(db, 'home') ?? '';
	const held = site === home || heldAt(db, site, name, version.number);
	const link = linksOf(db).find((l) => (l.a === home && l.b === site) || (l.b === home && l.a === site));
	const fetch = held ? 0 : ((version.size * 8) / ((link?.mbit ?? THICK) * 1e6)) * SECOND;
	return { middle: took.middle + fetch, ninety: took.ninety + fetch * 1.5, fetch, held };
}

const deliverPlan = planKind({
	kind: 'package.deliver',
	words: 'Give pools a version of a package, or another one: it is attached to their machines while people work',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		package: v.pipe(v.string(), v.nonEmpty('Choose a package.')),
		pools: v.optional(pools),
		/** The newest where nothing is said. */
		version: v.optional(v.string()),
		/** As the pool has it where nothing is said, else from start. */
		mode: v.optional(mode),
		/** Pool by pool instead; a version of null withdraws it there. */
		each: v.optional(
			v.array(v.strictObject({ pool: v.string(), version: v.nullable(v.string()), mode: v.optional(mode, 'start') }))
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const p = packageOrThrow(ctx, input.package);
		if (!input.each && !input.pools) throw new InputProblem([{ field: 'pools', words: 'Choose at least one pool.' }]);
		const has = new Map(
			deliveriesAt(db, now)
				.filter((d) => d.package === p.name)
				.map((d) => [d.pool, d])
		);
		const newest = p.versions.at(-1)!;
		const wishes: DeliveryWish[] =
			input.each ??
			[...new Set(input.pools)].map((pool) => ({
				pool,
				version: input.version ?? newest.number,
				mode: input.mode ?? has.get(pool)?.mode ?? 'start'
			}));
		const rows = poolsOrThrow(
			ctx,
			wishes.map((w) => w.pool),
			'pools'
		);
		const versionOf = (w: DeliveryWish): PackageVersionRow | null => {
			if (w.version === null) return null;
			const found = p.versions.find((x) => x.number === w.version);
			if (!found) throw new InputProblem([{ field: 'version', words: `There is no ${p.name} ${w.version}.` }]);
			return found;
		};
		const changes = wishes.flatMap((w, i) => {
			const before = has.get(w.pool) ?? null;
			const same = (before?.version ?? null) === w.version && (w.version === null || before?.mode === w.mode);
			return same ? [] : [{ ...w, before, pool: rows[i]!, to: versionOf(w) }];
		});
		const up = upIn(
			db,
			changes.map((c) => c.pool.id)
		);
		const open = openAppsAt(db, now, p.name);
		const warnings: Fact[] = [];
		const blocks: Fact[] = [];
		const reasons: Fact[] = [];
		const machines: Touched[] = [];
		const keep = new Map<string, Touched>();
		const duration = { middle: SECOND, ninety: 2 * SECOND };
		const fetched = new Map<string, number>();
		for (const c of changes) {
			const { pool, to } = c;
			const own = up.filter((m) => m.pool === pool.id);
			const users = open.filter((o) => o.pool === pool.id && o.version !== c.version);
			for (const o of users)
				keep.set(o.login, {
					kind: 'person',
					id: o.login,
					name: o.person,
					how: `keeps ${o.version} until they close it`,
					helped: true
				});
			if (to === null) {
				warnings.push({
					words: `${pool.name}: ${p.name} ${c.before!.version} goes; whoever starts it there finds it gone`,
					side: 'against',
					source: 'delivery'
				});
				warnings.push(...servedOnlyBy(db, p.name, pool.id, now));
				for (const m of own)
					machines.push({ kind: 'machine', id: m.name, name: m.name, how: 'loses it once it is closed', helped: true });
				continue;
			}
			const fits = fitsPool(db, to, pool.id);
			if (!fits.value)
				for (const f of fits.facts.filter((x) => x.side === 'against'))
					blocks.push({ ...f, words: `${pool.name}: ${f.words}` });
			const met = meets(ctx, p.name, to, pool);
			blocks.push(...met.blocks);
			warnings.push(...met.warnings, ...oldAgents(db, pool, to, now));
			if (to.unpacked > pool.disk / 4)
				warnings.push({
					words: `${pool.name}: it takes ${sizeWords(to.unpacked)}, and a machine’s disk has ${sizeWords(pool.disk)}`,
					side: 'against',
					source: 'package'
				});
			if (c.before && byVersion(to.number, c.before.version) < 0)
				warnings.push({
					words: `${pool.name}: ${to.number} is older than ${c.before.version}, which it has`,
					side: 'against',
					source: 'delivery'
				});
			const time = timeTo(db, pool.site, p.name, to, now);
			if (!time.held) fetched.set(pool.site, to.size);
			if (time.fetch > MINUTE)
				warnings.push({
					words: `${pool.siteName} does not have it yet: it comes over the link in about ${durationWords(time.fetch)}`,
					side: 'against',
					source: 'link'
				});
			if (c.mode === 'start') {
				duration.middle = Math.max(duration.middle, time.middle);
				duration.ninety = Math.max(duration.ninety, time.ninety);
				for (const m of own)
					machines.push({ kind: 'machine', id: m.name, name: m.name, how: 'attached now', helped: true });
			}
			reasons.push({
				words: `${pool.name}: ${ATTACH_MODE_WORDS[c.mode]}; ${own.length} of its machines are up${
					c.before
						? `; it has ${c.before.version}${users.length ? `, open for ${countWords(users.length, 'person', 'people')}` : ''}`
						: ''
				}`,
				source: 'delivery'
			});
		}
		const tried = trialsOf(
			db,
			p.name,
			changes.flatMap((c) => c.version ?? []),
			now
		);
		warnings.push(...tried.warnings);
		reasons.push(...tried.reasons);
		const people = [...keep.values()];
		if (people.length)
			reasons.push({
				words:
					'who has another version open keeps it; new starts take the new one; the old one leaves a machine with its last user',
				side: 'for',
				source: 'agents'
			});
		const write = changes.map((c): DeliveryWish => ({ pool: c.pool.id, version: c.version, mode: c.mode }));
		const steps: StepSpec[] = [
			{ kind: 'delivery.write', words: 'Write it down', input: { package: p.name, each: write }, expected: 200 },
			{ kind: 'agents.tell', words: 'Tell the agents', input: {}, expected: 500 },
			{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 },
			{
				kind: 'delivery.wait',
				words: 'Wait until the machines that are up have it',
				input: { package: p.name, each: write },
				expected: duration.middle
			}
		];
		return {
			title: titleFor(p.name, changes),
			effects: {
				...noEffects(),
				people,
				machines,
				bytes: [...fetched.values()].reduce((n, b) => n + b, 0),
				duration
			},
			warnings,
			blocks:
				changes.length === 0 ? [{ words: 'every one of these pools has it so already', side: 'against' }] : blocks,
			reasons,
			objects: changes.map((c) => `delivery/${c.pool.id}/${p.name}`),
			steps,
			undo: {
				kind: 'package.deliver',
				input: {
					package: p.name,
					each: changes.map((c) => ({
						pool: c.pool.id,
						version: c.before?.version ?? null,
						mode: c.before?.mode ?? c.mode
					}))
				}
			},
			undoWords: 'Yes: the pools get back what they have now, under running sessions as well.'
		};
	}
});

function titleFor(
	name: string,
	changes: { pool: { name: string }; version: string | null; before: unknown }[]
): string {
	const where = changes.length === 1 ? changes[0]!.pool.name : countWords(changes.length, 'pool');
	const versions = [...new Set(changes.map((c) => c.version))];
	if (versions.length === 1 && versions[0] === null) return `Withdraw ${name} from ${where}`;
	if (versions.length === 1 && versions[0] !== null)
		return changes.every((c) => c.before)
			? `Set ${name} to ${versions[0]} on ${where}`
			: `Deliver ${name} ${versions[0]} to ${where}`;
	return `Change what ${where} have of ${name}`;
}

/** How versions did when they were tried as an ordinary person. */
function trialsOf(db: Db, name: string, numbers: string[], at: number): { warnings: Fact[]; reasons: Fact[] } {
	const warnings: Fact[] = [];
	const reasons: Fact[] = [];
	for (const number of new Set(numbers)) {
		const trial = lastTrial(db, name, number, at);
		if (trial?.passed === false)
			warnings.push(
				...trialFacts(trial.trial)
					.filter((f) => f.side === 'against')
					.map((f) => ({ ...f, words: `when ${number} was tried: ${f.words}`, at: trial.at }))
			);
		else
			reasons.push({
				words: trial
					? `${number} was tried as an ordinary person: everything that it starts does start`
					: `${number} has not been tried as an ordinary person`,
				side: trial ? 'for' : 'against',
				source: 'trial',
				...(trial ? { at: trial.at } : {})
			});
	}
	return { warnings, reasons };
}

/** Publications of a package that a pool alone serves. */
function servedOnlyBy(db: Db, name: string, pool: string, at: number): Fact[] {
	const others = new Set(
		deliveriesAt(db, at)
			.filter((d) => d.package === name && d.pool !== pool)
			.map((d) => d.pool)
	);
	return publicationsAt(db, at)
		.filter((x) => x.app?.package === name && x.pools.includes(pool) && !x.pools.some((id) => others.has(id)))
		.map((x) => ({
			words: `${x.internalName} is served by no other pool that has it: nobody could open it`,
			side: 'against',
			about: { kind: 'publication', id: x.id, name: x.internalName },
			source: 'publications'
		}));
}

/** Machines whose image has an agent that is too old for a version. */
function oldAgents(db: Db, pool: { id: string; name: string }, to: PackageVersionRow, at: number): Fact[] {
	if (!to.spec.agent) return [];
	const old = all<{ n: number; contents: string }>(
		db,
		`SELECT count(*) AS n, ve.contents FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl', '?1')}
		 JOIN versions ve ON ve.line_id = pl.line_id AND ve.number = pl.version WHERE m.pool_id = ?2 AND m.until > ?1 AND m.since <= ?1 GROUP BY ve.line_id, ve.number`,
		{ 1: at, 2: pool.id }
	).flatMap((r) => {
		const agent = fromJson<{ name: string; version: string }[]>('versions.contents', r.contents).find(
			(c) => c.name === 'desktop agent'
		);
		return agent && looseOrder(agent.version, to.spec.agent) < 0 ? [{ n: r.n, version: agent.version }] : [];
	});
	return old.map((o) => ({
		words: `${pool.name}: ${countWords(o.n, 'machine has', 'machines have')} agent ${o.version}; the package asks for ${to.spec.agent}`,
		side: 'against',
		source: 'image'
	}));
}

const withdrawPlan = planKind({
	kind: 'package.withdraw',
	words: 'Take a package from pools: it leaves each machine with its last user',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ package: v.string(), pools }),
	async draft(ctx, input): Promise<Draft> {
		const states = deliveriesAt(ctx.db, ctx.clock.now()).filter((d) => d.package === input.package);
		const missing = input.pools.find((id) => !states.some((d) => d.pool === id));
		if (missing !== undefined)
			throw new InputProblem([{ field: 'pools', words: `${missing} does not have ${input.package}.` }]);
		return deliverPlan.draft(ctx, {
			package: input.package,
			each: input.pools.map((pool) => ({ pool, version: null, mode: states.find((d) => d.pool === pool)!.mode }))
		});
	}
});

const askPlan = planKind({
	kind: 'package.ask',
	words: 'Ask people who have an older version of a package open to close it and open it again',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({
		package: v.string(),
		/** All pools that have it where nothing is said. */
		pools: v.optional(v.array(v.string())),
		text: v.pipe(
			v.string(),
			v.trim(),
			v.nonEmpty('Write what they are to read.'),
			v.maxLength(400, 'At most 400 characters.')
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const p = packageOrThrow(ctx, input.package);
		const wants = new Map(
			deliveryStatesAt(ctx.db, now)
				.filter((d) => d.package === p.name && (input.pools?.includes(d.pool) ?? true))
				.map((d) => [d.pool, d.version])
		);
		const old = openAppsAt(ctx.db, now, p.name).filter((o) => wants.has(o.pool) && wants.get(o.pool) !== o.version);
		return {
			title: `Ask ${countWords(new Set(old.map((o) => o.login)).size, 'person', 'people')} to open ${titleOf(p)} again`,
			effects: {
				...noEffects(),
				people: [...new Map(old.map((o) => [o.login, o])).values()].map((o) => ({
					kind: 'person',
					id: o.login,
					name: o.person,
					how: `sees a message; has ${o.version} open`,
					helped: true
				}))
			},
			warnings: [],
			blocks: old.length ? [] : [{ words: 'nobody has an older version open', side: 'against' }],
			reasons: [
				{ words: `they will read: “${input.text}”`, source: 'you' },
				{
					words: 'nothing is closed for them: who goes on working keeps the older version',
					side: 'for',
					source: 'agents'
				}
			],
			objects: old.map((o) => `session/${o.session}`),
			steps: [
				{
					kind: 'package.ask',
					words: 'Show the message',
					input: { package: p.name, text: input.text, sessions: [...new Set(old.map((o) => o.session))] },
					expected: SECOND
				}
			],
			undo: null,
			undoWords: 'No: what was read was read.'
		};
	}
});

export const deliveryPlans = [deliverPlan, withdrawPlan, askPlan];

/** What a pool that is removed had of packages: its undo gives it back. */
export const deliveriesTo = (db: Db, pool: string) =>
	all<{ package: string; version: string; mode: AttachMode }>(
		db,
		`SELECT package, version, mode FROM deliveries WHERE pool_id = ? AND until = ${FOREVER}`,
		[pool]
	);
