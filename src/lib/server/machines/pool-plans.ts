import * as v from 'valibot';
import { accountBlocks, blocksAt } from '../network';
import { expectDuration } from '$lib/core/images/duration';
import { noEffects } from '$lib/core/plans/effects';
import { CORE_OVERCOMMIT, fitMachines, type MachineSize } from '$lib/core/pools/fitting';
import { packMachines } from '$lib/core/pools/packing';
import { parsePattern, planNames, type NamesPlan } from '$lib/core/pools/naming';
import { slug } from '../plans/slug';
import { countWords, FOREVER, GB, HOUR, MINUTE, SECOND, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { hoursById, poolAt, poolsAt, type PoolRow } from '../pools';
import { bootServerById, overlayFor } from '../capacity';
import type { Context } from '../context';
import { all, one, type Db } from '../db';
import { parseRule, ruleWords } from '$lib/core/images/follow';
import { linesAt, rulesAt, sitesWith, versionToMake } from '../images';
import { whole } from '../plans/fields';
import { InputProblem, planKind, stepOf, type Draft, type StepSpec } from '../plans/kind';
import { AS_FOUND } from '$lib/core/images/versions';
import { sessionsOn } from '../watch';
import { testFact, testServers } from './boot';
import { deliveriesTo } from '../packages';
import { publicationsAt } from '../publications';

export const policySchema = v.strictObject({
	hours: v.pipe(v.string(), v.nonEmpty('Choose hours.')),
	headroomIn: whole(0, 5000, 'the headroom'),
	headroomOut: whole(0, 5000, 'the headroom'),
	least: whole(0, 5000, 'the fewest machines'),
	most: whole(0, 5000, 'the most machines'),
	patience: v.pipe(
		v.number('Write a duration.'),
		v.minValue(MINUTE, 'At least a minute.'),
		v.maxValue(24 * HOUR, 'At most a day.')
	),
	placing: v.picklist(['fill', 'spread'])
});

/** What a pool may be called. */
export const poolName = v.pipe(
	v.string(),
	v.trim(),
	v.nonEmpty('Give the pool a name.'),
	v.maxLength(60, 'At most 60 characters.')
);

const spotsSchema = v.optional(
	v.strictObject({
		/** Fill few hosts, or spread over all. */
		over: v.optional(v.picklist(['few', 'all'], 'Choose few or all.'), 'all'),
		/** Keep room so that any one host may fail. */
		spareHost: v.optional(v.boolean(), false),
		/** No two of these machines on one host. */
		apart: v.optional(v.boolean(), false),
		/** Only on hosts where machines of this pool stand already, as long as they have room. */
		beside: v.optional(v.string(), '')
	}),
	{}
);
type SpotWish = v.InferOutput<typeof spotsSchema>;
const NO_WISH: SpotWish = { over: 'all', spareHost: false, apart: false, beside: '' };

const poolSchema = v.strictObject({
	id: v.optional(v.string()),
	name: poolName,
	site: v.pipe(v.string(), v.nonEmpty('Choose a site.')),
	line: v.pipe(v.string(), v.nonEmpty('Choose an image line.')),
	version: v.pipe(v.string(), v.nonEmpty('Choose a version.')),
	assignment: v.optional(v.picklist(['shared', 'personal']), 'shared'),
	perMachine: v.optional(whole(1, 60, 'the sessions'), 1),
	cores: whole(1, 128, 'the cores'),
	memory: v.pipe(v.number('Write the memory.'), v.minValue(2 * GB, 'At least 2 GB.')),
	gpus: v.optional(whole(0, 8, 'the GPUs'), 0),
	/** Bytes of the overlay disk. */
	disk: v.pipe(v.number('Write the disk.'), v.minValue(20 * GB, 'At least 20 GB.')),
	pageFile: v.optional(
		v.pipe(
			v.number('Write the page file.'),
			v.integer('Write whole bytes.'),
			v.minValue(0, 'Not less than nothing.'),
			v.maxValue(256 * GB, 'At most 256 GB.')
		),
		0
	),
	pageFileOn: v.optional(v.picklist(['overlay', 'apart'], 'Choose overlay or apart.'), 'overlay'),
	/** Servers that its machines start from, in the order in which they are tried; none: from their own disks. */
	bootServers: v.optional(v.array(v.string()), []),
	/** What is done with accounts that stand in the folder and belong to no machine: passed over, or used. */
	accounts: v.optional(v.picklist(['adopt', 'refuse'], 'Choose adopt or refuse.'), 'refuse'),
	count: whole(1, 2000, 'the machines'),
	naming: v.pipe(v.string(), v.trim(), v.nonEmpty('Write a naming pattern, such as desk-###.')),
	from: v.optional(whole(0, 999_999, 'the first number'), 1),
	folder: v.pipe(v.string(), v.nonEmpty('Choose a folder for the computer accounts.')),
	network: v.pipe(v.string(), v.nonEmpty('Choose a network.')),
	/** Which versions its machines take; exactly the one it is made from where nothing is said. */
	follows: v.optional(
		v.pipe(
			v.string(),
			v.check((t) => parseRule(t) !== null, 'Write newest, newest 3.x, exactly 3.1.4 or nothing.')
		)
	),
	spots: spotsSchema,
	policy: v.optional(policySchema)
});

/** Names that machines or accounts have already, with what has them; accounts in the folder `adopt` are free to use. */
async function takenNames(ctx: Context, adopt: string | null = null): Promise<Map<string, string>> {
	const taken = new Map(
		(await ctx.providers.directory.accounts())
			.filter((a) => a.folder !== adopt)
			.map((a) => [a.name, `an account in ${a.folder}`])
	);
	for (const m of await ctx.providers.compute.existing()) taken.set(m.name, `a machine at ${m.site}`);
	for (const m of all<{ name: string; pool_id: string }>(
		ctx.db,
		`SELECT name, pool_id FROM machines WHERE until = ${FOREVER}`
	))
		taken.set(m.name, `a machine of pool ${m.pool_id}`);
	return taken;
}

/** The names that a pattern would give now, or what is wrong with the pattern. */
export async function previewNames(
	ctx: Context,
	naming: string,
	count: number,
	from: number,
	adopt: string | null = null
): Promise<NamesPlan | { problem: string }> {
	const pattern = parsePattern(naming);
	return 'problem' in pattern ? pattern : planNames(pattern, count, await takenNames(ctx, adopt), from);
}

/** Hosts that machines of a pool stand on. */
const hostsOf = (ctx: Context, pool: string): Set<string> =>
	new Set(
		all<{ name: string }>(
			ctx.db,
			`SELECT DISTINCT h.name FROM machines m JOIN machine_spots p ON p.machine_id = m.id AND p.until = ${FOREVER} JOIN hosts h ON h.id = p.host_id
			 WHERE m.pool_id = ? AND m.until = ${FOREVER}`,
			[pool]
		).map((h) => h.name)
	);

/** Names, spots and shortages for `count` more machines of one size at a site. */
async function layMachines(
	ctx: Context,
	site: string,
	network: string,
	size: MachineSize & { folder: string },
	count: number,
	naming: string,
	from: number,
	spot: SpotWish,
	adopt: string | null = null
) {
	const names = await previewNames(ctx, naming, count, from, adopt);
	if ('problem' in names) throw new InputProblem([{ field: 'naming', words: names.problem }]);
	const beside = spot.beside ? hostsOf(ctx, spot.beside) : null;
	if (beside && beside.size === 0)
		throw new InputProblem([{ field: 'spots.beside', words: `No machine of pool ${spot.beside} stands anywhere.` }]);
	const up = (await ctx.providers.compute.hosts()).filter((h) => h.site === site && h.up);
	const hosts = up.filter((h) => beside?.has(h.name) ?? true);
	if (hosts.length === 0 && up.length > 0)
		throw new InputProblem([{ field: 'spots.beside', words: `Pool ${spot.beside} has no machine at this site.` }]);
	const volumes = (await ctx.providers.compute.volumes()).filter((x) => x.site === site);
	const free = await ctx.providers.network.free(network);
	const fit = fitMachines(size, count, hosts, volumes, free);
	const apart = names.names.slice(0, fit.value.spots.length);
	const over = size.gpus > 0 ? 1 : CORE_OVERCOMMIT;
	const machines = apart.map((name) => ({
		name,
		cores: size.cores,
		memory: size.memory,
		gpus: size.gpus,
		...(spot.apart ? { apart: naming } : {})
	}));
	const room = hosts.map((h) => ({
		name: h.name,
		cores: h.cores * over - h.coresPromised,
		memory: h.memory - h.memoryPromised,
		gpus: h.gpus - h.gpusPromised,
		promised: { cores: h.coresPromised, memory: h.memoryPromised, gpus: h.gpusPromised }
	}));
	// A host with GPUs is kept for machines that need one, as long as the others are enough.
	const plain = hosts.filter((h) => h.gpus === 0).map((h) => h.name);
	const first =
		size.gpus === 0
			? packMachines(
					machines,
					room.filter((h) => plain.includes(h.name)),
					spot
				)
			: null;
	const packed = first && first.value.left.length === 0 ? first : packMachines(machines, room, spot);
	const spots = fit.value.spots.map((p, i) => ({ ...p, host: packed.value.spots.get(apart[i]!) ?? p.host }));
	const now = ctx.clock.now();
	const blocks: Fact[] = [
		...blocksAt(ctx.db, [site], 'accounts', now),
		...(await accountBlocks(ctx, site, size.folder, now))
	];
	for (const s of fit.value.shortages)
		blocks.push({
			words: s.words,
			side: 'against',
			source: s.of === 'addresses' ? 'network' : 'compute provider'
		});
	if (names.short > 0)
		blocks.push({
			words: `the pattern ${naming} has numbers for only ${countWords(names.names.length, 'more machine')}`,
			side: 'against'
		});
	if (fit.value.shortages.length === 0) {
		for (const l of packed.value.left.slice(0, 5))
			blocks.push({ words: `${l.machine} finds no host: ${l.why}`, side: 'against', source: 'placement' });
		if (packed.value.stuck !== null)
			blocks.push({
				words: `there is no room for one host to fail: the machines of ${packed.value.stuck} would not fit on the others`,
				side: 'against',
				source: 'placement'
			});
	}
	const facts = [
		...(beside
			? [
					{
						words: `only hosts with machines of ${spot.beside} are looked at: ${hosts.map((h) => h.name).join(', ')}`,
						source: 'placement'
					}
				]
			: []),
		...fit.facts,
		...packed.facts
	];
	return { names, fit, spots, blocks, volumes, facts };
}

const MAKE = (disk: number) => 50 * SECOND + (disk / GB) * 1.7 * SECOND;
/** Machines made or removed side by side: more would only make volumes wait. */
export const MACHINES_AT_ONCE = 4;

function makeSteps(pool: string, machines: { name: string; host: string; volume: string }[], disk: number): StepSpec[] {
	return [
		{
			kind: 'machines.make',
			words: `Make ${countWords(machines.length, 'machine')} with their accounts`,
			input: { pool, machines },
			expected: (MAKE(disk) * machines.length) / MACHINES_AT_ONCE + 20 * SECOND
		},
		{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 }
	];
}

const durationOf = (steps: StepSpec[]) => {
	const d = expectDuration(steps.map((s) => ({ runs: [], fallback: s.expected })));
	return { middle: d.middle, ninety: d.ninety };
};

const HOURS_A_MONTH = 730;

/** What machines of a pool cost a month when they are up as much as all machines were in the last two weeks. */
const monthlyCost = (ctx: Context, count: number, priceHour: number): number =>
	Math.round(count * priceHour * HOURS_A_MONTH * Math.min(1, shareUp(ctx.db, ctx.clock.now()) ?? 0.5));

/** The share of an hour that was read last: two weeks of states are many rows, and what they come to changes by the hour at most. */
const shares = new WeakMap<Db, { hour: number; share: number | null }>();

/** The share of time that machines were up in the two weeks before the hour of a moment, 0–1; null where there was none. */
function shareUp(db: Db, now: number): number | null {
	const hour = now - (now % HOUR);
	const known = shares.get(db);
	if (known?.hour === hour) return known.share;
	const { share } = one<{ share: number | null }>(
		db,
		`SELECT sum(min(s.until, ?1) - max(s.since, ?2)) * 1.0 / ((?1 - ?2) * (SELECT count(*) FROM machines WHERE until = ${FOREVER})) AS share
		 FROM machine_states s WHERE s.state NOT IN ('off', 'failed') AND s.until > ?2 AND s.since < ?1`,
		{ 1: hour, 2: hour - 14 * 24 * HOUR }
	)!;
	shares.set(db, { hour, share });
	return share;
}

/** Cents an hour for a machine of a size: what the site's hosts cost, shared by cores promised and GPUs. */
function priceOf(ctx: Context, site: string, size: MachineSize): number {
	const similar = poolsAt(ctx.db, ctx.clock.now()).filter((p) => p.site === site && p.gpus === size.gpus);
	if (similar.length)
		return Math.max(
			1,
			Math.round(similar.reduce((n, p) => n + (p.priceHour * size.cores) / p.cores, 0) / similar.length)
		);
	const hosts = all<{ cores: number; price_hour: number }>(
		ctx.db,
		'SELECT cores, price_hour FROM hosts WHERE site_id = ?',
		[site]
	);
	const perCore = hosts.length ? hosts.reduce((n, h) => n + h.price_hour / h.cores, 0) / hosts.length : 3;
	return Math.max(1, Math.round((perCore * size.cores) / 2));
}

type Problems = { field: string; words: string }[];

/** The policy that was given, or the usual one for so many machines. */
export function policyOr(
	db: Db,
	given: v.InferOutput<typeof policySchema> | undefined,
	count: number,
	perMachine: number,
	problems: Problems
): v.InferOutput<typeof policySchema> {
	const policy = given ?? {
		hours: one<{ id: string }>(db, 'SELECT id FROM hours ORDER BY id <> ?, id', ['office'])?.id ?? '',
		headroomIn: Math.min(2 * perMachine, count),
		headroomOut: 0,
		least: 0,
		most: count,
		patience: 25 * MINUTE,
		placing: 'fill' as const
	};
	if (!hoursById(db).has(policy.hours)) problems.push({ field: 'policy.hours', words: 'Choose hours.' });
	return policy;
}

/** The id that a pool's name gives, which has to be free. */
export function poolId(db: Db, name: string, problems: Problems): string {
	const id = slug(name);
	if (!id) problems.push({ field: 'name', words: 'The name needs a letter or a digit.' });
	poolFree(db, id, name, problems);
	return id;
}

function poolFree(db: Db, id: string, name: string, problems: Problems): void {
	if (one(db, `SELECT 1 FROM pools WHERE until = ${FOREVER} AND (id = ? OR name = ?)`, [id, name]))
		problems.push({ field: 'name', words: 'There is a pool with this name already.' });
}

const createPool = planKind({
	kind: 'pool.create',
	words: 'Make a pool of machines from an image version',
	area: 'publishing',
	undo: 'back',
	schema: poolSchema,
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const problems: { field: string; words: string }[] = [];
		const site = one<{ name: string }>(db, 'SELECT name FROM sites WHERE id = ?', [input.site]);
		if (!site) problems.push({ field: 'site', words: `There is no site called ${input.site}.` });
		const line = linesAt(db, now).find((l) => l.id === input.line);
		const version = line?.versions.find((x) => x.number === input.version);
		if (!line) problems.push({ field: 'line', words: `There is no image line called ${input.line}.` });
		else if (!version) problems.push({ field: 'version', words: `${input.line} has no version ${input.version}.` });
		else if (line.users === 'single' && input.perMachine > 1)
			problems.push({ field: 'perMachine', words: `${input.line} is single-user: one session a machine.` });
		if (input.assignment === 'personal' && input.perMachine > 1)
			problems.push({ field: 'perMachine', words: 'A personal machine holds one session.' });
		if (!one(db, 'SELECT 1 FROM networks WHERE id = ? AND site_id = ?', [input.network, input.site]))
			problems.push({ field: 'network', words: `${site?.name ?? 'The site'} has no network called ${input.network}.` });
		for (const b of input.bootServers)
			if (!bootServerById(db, b))
				problems.push({ field: 'bootServers', words: `There is no boot server called ${b}.` });
		if (!one(db, 'SELECT 1 FROM folders WHERE name = ?', [input.folder]))
			problems.push({ field: 'folder', words: `The directory has no folder ${input.folder}.` });
		const policy = policyOr(db, input.policy, input.count, input.perMachine, problems);
		const id = input.id ?? poolId(db, input.name, problems);
		if (input.id !== undefined) poolFree(db, input.id, input.name, problems);
		if (problems.length) throw new InputProblem(problems);

		const laid = await layMachines(
			ctx,
			input.site,
			input.network,
			{ ...input, disk: input.disk + (input.pageFileOn === 'apart' ? input.pageFile : 0) },
			input.count,
			input.naming,
			input.from,
			input.spots,
			input.accounts === 'adopt' ? input.folder : null
		);
		const accounts = new Set((await ctx.providers.directory.accounts()).map((a) => a.name));
		const adopted = laid.names.names.filter((n) => accounts.has(n)).length;
		const boot = await testServers(ctx, input.bootServers, input.site);
		const overlay = overlayFor(ctx, {
			line: input.line,
			perMachine: input.perMachine,
			keeps: 1,
			pageFile: input.pageFile,
			pageOnOverlay: input.pageFileOn === 'overlay'
		});
		const machines = laid.spots.slice(0, laid.names.names.length).map((p, i) => ({ name: laid.names.names[i]!, ...p }));
		const steps: StepSpec[] = [
			{
				kind: 'pool.write',
				words: 'Write the pool',
				input: { ...input, id, policy, priceHour: priceOf(ctx, input.site, input) },
				expected: 200
			},
			...makeSteps(id, machines, input.disk)
		];
		const cost = monthlyCost(ctx, input.count, priceOf(ctx, input.site, input));
		return {
			title: `Make pool ${input.name}: ${countWords(input.count, 'machine')} from ${input.line} ${input.version} in ${site!.name}`,
			effects: {
				...noEffects(),
				machines: laid.names.names.map((n, i) => ({
					kind: 'machine',
					id: n,
					name: n,
					how: machines[i] ? `made on ${machines[i].host}` : 'made'
				})),
				bytes: input.count * version!.size,
				duration: durationOf(steps),
				cost: { before: 0, after: cost }
			},
			warnings: [
				...laid.names.clashes
					.slice(0, 8)
					.map((c): Fact => ({ words: `${c.name} is passed over: ${c.with} has that name`, side: 'against' })),
				...(laid.names.clashes.length > 8
					? [{ words: `${laid.names.clashes.length - 8} more names are passed over`, side: 'against' as const }]
					: []),
				...(version!.held ? [{ words: `${input.line} ${input.version} is held back`, side: 'against' as const }] : []),
				...(input.disk < overlay.value
					? [
							{
								words: `a disk of ${sizeWords(input.disk)} is smaller than what a day’s work asks for, ${sizeWords(overlay.value)}: ${overlay.facts[0]!.words}`,
								side: 'against' as const,
								source: 'measured'
							}
						]
					: []),
				...boot.filter((b) => !b.seen.ok).map(testFact)
			],
			blocks: [
				...laid.blocks,
				...(boot.length && boot.every((b) => !b.seen.ok)
					? [{ words: 'none of its boot servers answers: no machine could start', side: 'against' as const }]
					: []),
				...(sitesWith(db, input.line, input.version, ctx.clock.now()).includes(input.site)
					? []
					: [
							{
								words: `${site!.name} does not have ${input.line} ${input.version} yet: ship it there first`,
								side: 'against' as const
							}
						]),
				...(version!.open
					? [{ words: `${input.line} ${input.version} is open for work by hand`, side: 'against' as const }]
					: []),
				...(version!.retired ? [{ words: `${input.line} ${input.version} is retired`, side: 'against' as const }] : [])
			],
			reasons: [
				...laid.facts,
				...overlay.facts.slice(0, 1),
				...boot.filter((b) => b.seen.ok).map(testFact),
				...(adopted
					? [
							{
								words: `${countWords(adopted, 'account')} in ${input.folder} that no machine has ${adopted === 1 ? 'is' : 'are'} adopted`,
								source: 'directory'
							}
						]
					: []),
				{ words: `its machines follow ${input.follows ?? `exactly ${input.version}`}`, source: 'follow rules' },
				{
					words: `names run from ${laid.names.names[0] ?? '–'} to ${laid.names.names.at(-1) ?? '–'}`,
					source: 'naming pattern'
				},
				{ words: `cost: up as many hours as the estate’s machines were in the last 14 days`, source: 'measured' }
			],
			objects: [`pool/${id}`],
			steps,
			undo: { kind: 'pool.remove', input: { pool: id } },
			undoWords: 'Yes: the pool is removed with its machines and accounts.'
		};
	}
});

/** How long making a machine of a pool has taken lately, ms a machine: of its own makings where there are any, else of everybody's. */
function makingRuns(db: Db, pool: string): number[] {
	const runs = (own: boolean) =>
		all<{ ms: number }>(
			db,
			`SELECT (s.ended - s.began) * 1.0 / count(*) AS ms FROM job_steps s JOIN job_items i ON i.job_id = s.job_id AND i.n = s.n AND i.state = 'done'
			 WHERE s.kind = 'machines.make' AND s.state = 'done' AND s.ended > s.began ${own ? `AND json_extract(s.input, '$.pool') = @pool` : ''}
			 GROUP BY s.job_id, s.n ORDER BY s.ended DESC LIMIT 20`,
			{ pool }
		).map((r) => r.ms);
	const own = runs(true);
	return own.length ? own : runs(false);
}

/**
 * So many machines more of a pool: their names and spots, the steps that make them, how long that takes by what making has taken, and what
 * is in the way.
 * @param named names that they are to have, instead of the next ones of the pool's pattern
 */
export async function growBy(ctx: Context, pool: PoolRow, count: number, spot: SpotWish = NO_WISH, named?: string[]) {
	const laid = await layMachines(
		ctx,
		pool.site,
		pool.network,
		{ ...pool, disk: pool.disk + (pool.pageFileOn === 'apart' ? pool.pageFile : 0) },
		Math.max(1, count),
		pool.naming,
		1,
		spot
	);
	const names = named ?? laid.names.names;
	const machines = laid.spots.slice(0, names.length).map((p, i) => ({ name: names[i]!, ...p }));
	const steps = makeSteps(pool.id, machines, pool.disk);
	const version = versionToMake(ctx.db, pool, ctx.clock.now());
	const size =
		one<{ size: number }>(ctx.db, 'SELECT size FROM versions WHERE line_id = ? AND number = ?', [pool.line, version])
			?.size ?? 0;
	const runs = makingRuns(ctx.db, pool.id).map((ms) => ms * Math.max(1, count));
	const took = expectDuration(
		steps.map((s) => ({ runs: s.kind === 'machines.make' ? runs : [], fallback: s.expected }))
	);
	return {
		names,
		laid,
		steps,
		made: {
			bytes: count * size,
			duration: { middle: took.middle, ninety: took.ninety },
			from: {
				words: `they are made from ${pool.line} ${version}, which the pool’s rule asks for`,
				source: 'follow rules'
			} satisfies Fact,
			cost: {
				before: monthlyCost(ctx, machineTotal(ctx, pool.id), pool.priceHour),
				after: monthlyCost(ctx, machineTotal(ctx, pool.id) + count, pool.priceHour)
			}
		}
	};
}

const growPool = planKind({
	kind: 'pool.grow',
	words: 'Add machines to a pool, or retry those that could not be made',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		pool: v.string(),
		count: v.optional(whole(1, 2000, 'the machines')),
		retry: v.optional(v.boolean(), false),
		spots: spotsSchema
	}),
	async draft(ctx, input): Promise<Draft> {
		const pool = poolAt(ctx.db, input.pool, ctx.clock.now());
		if (!pool) throw new InputProblem([{ field: 'pool', words: `There is no pool called ${input.pool}.` }]);
		if (!input.retry && input.count === undefined)
			throw new InputProblem([{ field: 'count', words: 'Say how many machines.' }]);
		const unmade = input.retry
			? all<{ name: string; reason: string }>(
					ctx.db,
					'SELECT name, reason FROM unmade_machines WHERE pool_id = ? ORDER BY name',
					[pool.id]
				)
			: [];
		const count = input.retry ? unmade.length : input.count!;
		if (pool.version === AS_FOUND)
			throw new InputProblem([
				{ field: 'pool', words: `The machines of ${pool.name} were taken over: make a pool for new ones.` }
			]);
		const { names, laid, steps, made } = await growBy(
			ctx,
			pool,
			count,
			input.spots,
			input.retry ? unmade.map((u) => u.name) : undefined
		);
		return {
			title: input.retry
				? `Retry ${countWords(count, 'machine')} of ${pool.name}`
				: `Add ${countWords(count, 'machine')} to ${pool.name}`,
			effects: {
				...noEffects(),
				machines: names.map((n) => ({ kind: 'machine', id: n, name: n, how: 'made' })),
				bytes: made.bytes,
				duration: made.duration,
				cost: made.cost
			},
			warnings: [],
			blocks: count === 0 ? [{ words: 'every machine of the pool has been made', side: 'against' }] : laid.blocks,
			reasons: [
				made.from,
				...unmade.map((u): Fact => ({ words: `${u.name}: ${u.reason}`, side: 'against', source: 'job log' })),
				...laid.facts
			],
			objects: [`pool/${pool.id}`],
			steps,
			undo: { kind: 'machines.remove', input: { machines: names } },
			undoWords: 'Yes: these machines are removed again.'
		};
	}
});

const machineTotal = (ctx: Context, pool: string) =>
	one<{ n: number }>(ctx.db, `SELECT count(*) AS n FROM machines WHERE pool_id = ? AND until = ${FOREVER}`, [pool])!.n;

const removePool = planKind({
	kind: 'pool.remove',
	words: 'Remove a pool with its machines and computer accounts',
	area: 'publishing',
	undo: 'sometimes',
	schema: v.strictObject({ pool: v.string() }),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const pool = poolAt(ctx.db, input.pool, now);
		if (!pool) throw new InputProblem([{ field: 'pool', words: `There is no pool called ${input.pool}.` }]);
		const machines = all<{ id: number; name: string }>(
			ctx.db,
			`SELECT id, name FROM machines WHERE pool_id = ? AND until = ${FOREVER} ORDER BY name`,
			[pool.id]
		);
		const sessions = sessionsOn(
			ctx.db,
			machines.map((m) => m.id)
		);
		const serving = publicationsAt(ctx.db, now).filter((p) => p.pools.includes(pool.id));
		const takenOver = pool.version === AS_FOUND;
		const packages = deliveriesTo(ctx.db, pool.id);
		const steps: StepSpec[] = [
			{
				kind: 'machines.unmake',
				words: takenOver
					? `Let go of ${countWords(machines.length, 'machine')}`
					: `Remove ${countWords(machines.length, 'machine')} and their accounts`,
				input: { machines: machines.map((m) => m.name) },
				expected: (machines.length * 10 * SECOND) / MACHINES_AT_ONCE + 5 * SECOND
			},
			{ kind: 'pool.close', words: 'Remove the pool', input: { pool: pool.id }, expected: 200 },
			{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 },
			...(packages.length ? [stepOf('agents.tell', 'Tell the agents', {}, 500)] : [])
		];
		return {
			title: takenOver ? `Let go of pool ${pool.name}` : `Remove pool ${pool.name}`,
			effects: {
				...noEffects(),
				people: sessions.map((s) => ({ kind: 'person', id: s.login, name: s.person, how: 'signed out' })),
				sessionsEnded: sessions.map((s) => ({ kind: 'session', id: String(s.id), name: s.person })),
				machines: machines.map((m) => ({
					kind: 'machine',
					id: m.name,
					name: m.name,
					how: takenOver ? 'let go, as it is' : 'removed'
				})),
				duration: durationOf(steps),
				cost: { before: monthlyCost(ctx, machines.length, pool.priceHour), after: 0 }
			},
			warnings: packages.map((d) => ({
				words: `${d.package} ${d.version} is delivered to it: a pool that is made again has to be given it again`,
				side: 'against' as const,
				about: { kind: 'package', id: d.package, name: d.package }
			})),
			blocks: serving.map((p): Fact => ({
				words: `publication ${p.internalName} is served by it: take the pool out of it first`,
				side: 'against',
				about: { kind: 'publication', id: p.id, name: p.internalName }
			})),
			reasons: [
				{ words: `${countWords(sessions.length, 'session')} on it now`, source: 'measured' },
				...(takenOver
					? [{ words: 'its machines and their accounts stay as they are', source: 'compute provider' }]
					: pool.assignment === 'personal'
						? [{ words: 'personal machines hold their people’s work, which is lost', side: 'against' as const }]
						: [])
			],
			objects: [`pool/${pool.id}`, ...machines.map((m) => `machine/${m.name}`)],
			steps,
			undo: takenOver
				? null
				: {
						kind: 'pool.create',
						input: {
							id: pool.id,
							name: pool.name,
							site: pool.site,
							line: pool.line,
							version: pool.version,
							assignment: pool.assignment,
							perMachine: pool.perMachine,
							cores: pool.cores,
							memory: pool.memory,
							gpus: pool.gpus,
							disk: pool.disk,
							pageFile: pool.pageFile,
							pageFileOn: pool.pageFileOn,
							bootServers: pool.bootServers,
							count: Math.max(1, machines.length),
							naming: pool.naming,
							folder: pool.folder,
							network: pool.network,
							follows: ruleWords(rulesAt(ctx.db, now).get(`pool/${pool.id}`)?.rule ?? { takes: 'nothing' }),
							policy: { ...pool.policy, hours: pool.hoursId }
						}
					},
			undoWords: takenOver
				? 'Not by itself: take them over once more.'
				: 'Only in part: a pool like it is made again, with new machines; what was on the old ones is gone.'
		};
	}
});

const removeMachines = planKind({
	kind: 'machines.remove',
	words: 'Remove machines and their computer accounts',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({ machines: v.pipe(v.array(v.string()), v.minLength(1, 'Choose machines.')) }),
	async draft(ctx, input): Promise<Draft> {
		const machines = all<{ id: number; name: string; pool_id: string }>(
			ctx.db,
			`SELECT id, name, pool_id FROM machines WHERE until = ${FOREVER} AND name IN (SELECT value FROM json_each(?)) ORDER BY name`,
			[JSON.stringify(input.machines)]
		);
		const sessions = sessionsOn(
			ctx.db,
			machines.map((m) => m.id)
		);
		const steps: StepSpec[] = [
			{
				kind: 'machines.unmake',
				words: `Remove ${countWords(machines.length, 'machine')} and their accounts`,
				input: { machines: machines.map((m) => m.name) },
				expected: (machines.length * 10 * SECOND) / MACHINES_AT_ONCE + 5 * SECOND
			},
			{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 }
		];
		return {
			title: `Remove ${machines.length === 1 ? machines[0]!.name : countWords(machines.length, 'machine')}`,
			effects: {
				...noEffects(),
				people: sessions.map((s) => ({ kind: 'person', id: s.login, name: s.person, how: 'signed out' })),
				sessionsEnded: sessions.map((s) => ({ kind: 'session', id: String(s.id), name: s.person })),
				machines: machines.map((m) => ({ kind: 'machine', id: m.name, name: m.name, how: 'removed' })),
				duration: durationOf(steps)
			},
			warnings: [],
			blocks: machines.length === 0 ? [{ words: 'none of these machines is there', side: 'against' }] : [],
			reasons: [{ words: `${countWords(sessions.length, 'session')} on them now`, source: 'measured' }],
			objects: machines.map((m) => `machine/${m.name}`),
			steps,
			undo: null,
			undoWords: 'No: what was on them is gone. Add machines to the pool to make new ones.'
		};
	}
});

export const poolPlans = [createPool, growPool, removePool, removeMachines];
