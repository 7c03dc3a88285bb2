import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { judgeMachineList, readMachineList } from '$lib/core/pools/takeover';
import { countWords, FOREVER, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { poolAt } from '../pools';
import { bootServersOf } from '../capacity';
import type { Context } from '../context';
import { all, one } from '../db';
import { lineAt } from '../images';
import { accountBlocks, blocksAt } from '../network';
import { InputProblem, planKind, stepOf, type Draft, type StepSpec } from '../plans/kind';
import { AS_FOUND } from '$lib/core/images/versions';
import { testFact, testServers } from './boot';
import { MACHINES_AT_ONCE, policyOr, policySchema, poolId, poolName } from './pool-plans';

/** Machines that are taken over, boot servers, and whose a machine is. */

const problem = (field: string, words: string) => new InputProblem([{ field, words }]);

const takeOver = planKind({
	kind: 'pool.take-over',
	words: 'Make a pool of machines that are there already, from a list (CSV), as they are',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		name: poolName,
		site: v.pipe(v.string(), v.nonEmpty('Choose a site.')),
		/** The line whose versions its machines may take later; until then they stay as they are. */
		line: v.pipe(v.string(), v.nonEmpty('Choose an image line.')),
		assignment: v.optional(v.picklist(['shared', 'personal']), 'personal'),
		perMachine: v.optional(
			v.pipe(v.number(), v.integer(), v.minValue(1, 'At least 1.'), v.maxValue(60, 'At most 60.')),
			1
		),
		/** The list: a heading with name, and kind and owner where wanted. */
		csv: v.pipe(v.string(), v.nonEmpty('Give a list of machines.'), v.maxLength(1_000_000, 'At most a megabyte.')),
		folder: v.pipe(v.string(), v.nonEmpty('Choose a folder for the computer accounts.')),
		accounts: v.optional(v.picklist(['adopt', 'refuse'], 'Choose adopt or refuse.'), 'adopt'),
		policy: v.optional(policySchema)
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const problems: { field: string; words: string }[] = [];
		const site = one<{ name: string }>(db, 'SELECT name FROM sites WHERE id = ?', [input.site]);
		if (!site) problems.push({ field: 'site', words: `There is no site called ${input.site}.` });
		const line = lineAt(db, input.line, now);
		if (!line) problems.push({ field: 'line', words: `There is no image line called ${input.line}.` });
		if (!one(db, 'SELECT 1 FROM folders WHERE name = ?', [input.folder]))
			problems.push({ field: 'folder', words: `The directory has no folder ${input.folder}.` });
		if (input.assignment === 'personal' && input.perMachine > 1)
			problems.push({ field: 'perMachine', words: 'A personal machine holds one session.' });
		const id = poolId(db, input.name, problems);
		const list = readMachineList(input.csv);
		const existing = new Map((await ctx.providers.compute.existing()).map((m) => [m.name, m]));
		const accounts = new Map((await ctx.providers.directory.accounts()).map((a) => [a.name, a.folder]));
		const wrong = [
			...list.problems,
			...judgeMachineList(list.lines, {
				site: input.site,
				existing,
				ours: new Map(
					all<{ name: string; pool: string }>(
						db,
						`SELECT name, pool_id AS pool FROM machines WHERE until = ${FOREVER}`
					).map((m) => [m.name, m.pool])
				),
				people: new Set(all<{ login: string }>(db, 'SELECT login FROM people').map((p) => p.login)),
				accounts,
				adopt: input.accounts === 'adopt',
				folder: input.folder,
				personal: input.assignment === 'personal',
				perMachine: input.perMachine
			})
		].sort((a, b) => a.line - b.line);
		problems.push(...wrong.map((w) => ({ field: `csv.${w.line}`, words: `Line ${w.line}: ${w.words}.` })));
		const policy = policyOr(db, input.policy, list.lines.length, input.perMachine, problems);
		if (problems.length) throw new InputProblem(problems);

		const machines = list.lines.map((l) => ({ ...existing.get(l.name)!, owner: l.owner }));
		const size = (of: 'cores' | 'memory' | 'gpus' | 'disk') => Math.max(...machines.map((m) => m[of]));
		const steps: StepSpec[] = [
			{
				kind: 'pool.write',
				words: 'Write the pool',
				input: {
					id,
					name: input.name,
					site: input.site,
					line: input.line,
					version: AS_FOUND,
					assignment: input.assignment,
					perMachine: input.perMachine,
					cores: size('cores'),
					memory: size('memory'),
					gpus: size('gpus'),
					disk: size('disk'),
					naming: 'as found',
					folder: input.folder,
					network: machines[0]!.network,
					follows: 'nothing',
					policy,
					priceHour: 0
				},
				expected: 200
			},
			{
				kind: 'machines.note',
				words: 'Write down what the machines are',
				input: { machines: machines.map(({ owner: _, ...m }) => m) },
				expected: 200
			},
			{
				kind: 'machines.take-over',
				words: `Take over ${countWords(machines.length, 'machine')} with their accounts`,
				input: { pool: id, machines: machines.map((m) => m.name) },
				expected: (machines.length * 11 * SECOND) / MACHINES_AT_ONCE
			},
			...(machines.some((m) => m.owner !== null)
				? [
						stepOf(
							'machines.give',
							'Give the machines to the people who keep them',
							{ give: machines.flatMap((m) => (m.owner === null ? [] : [{ machine: m.name, person: m.owner }])) },
							200
						)
					]
				: []),
			{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 }
		];
		const took = steps.reduce((n, s) => n + s.expected, 0);
		const adopted = machines.filter((m) => accounts.has(m.name));
		const moved = adopted.filter((m) => accounts.get(m.name) !== input.folder);
		const physical = machines.filter((m) => m.kind === 'physical').length;
		return {
			title: `Take over ${countWords(machines.length, 'machine')} as pool ${input.name} in ${site!.name}`,
			effects: {
				...noEffects(),
				machines: machines.map((m) => ({
					kind: 'machine',
					id: m.name,
					name: m.name,
					how: m.owner === null ? 'taken over as it is' : `taken over as it is, for ${m.owner}`
				})),
				duration: { middle: took, ninety: Math.round(took * 1.3) }
			},
			warnings: [
				...(moved.length
					? [
							{
								words: `the accounts of ${moved
									.map((m) => m.name)
									.slice(0, 6)
									.join(', ')} move to ${input.folder}`,
								side: 'against' as const,
								source: 'directory'
							}
						]
					: []),
				...systems(machines, line!.system)
			],
			blocks: [
				...blocksAt(db, [input.site], 'accounts', now),
				...(await accountBlocks(ctx, input.site, input.folder, now))
			],
			reasons: [
				{
					words: `${physical} physical and ${machines.length - physical} virtual, as the compute provider says`,
					source: 'compute provider'
				},
				{
					words: `${countWords(adopted.length, 'account is', 'accounts are')} adopted, ${machines.length - adopted.length} made`,
					source: 'directory'
				},
				{
					words: 'nothing on them is changed: they follow no version until you give them a rule',
					source: 'follow rules'
				}
			],
			objects: [`pool/${id}`, ...machines.map((m) => `machine/${m.name}`)],
			steps,
			undo: { kind: 'pool.remove', input: { pool: id } },
			undoWords: 'Yes: the pool is let go, its machines stay as they are.'
		};
	}
});

/** Systems among the machines that the line does not have, so that they cannot take its versions unseen. */
function systems(machines: { name: string; system: string }[], system: string): Fact[] {
	const others = machines.filter((m) => m.system !== system);
	return others.length
		? [
				{
					words: `${countWords(others.length, 'machine runs', 'machines run')} ${[...new Set(others.map((m) => m.system))].join(', ')}, the line ${system}: a version of it would replace that`,
					side: 'against',
					source: 'compute provider'
				}
			]
		: [];
}

const setBoot = planKind({
	kind: 'pool.boot-servers',
	words: 'Set what the machines of a pool start from, and in which order servers are tried',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		pool: v.pipe(v.string(), v.nonEmpty('Choose a pool.')),
		/** In the order in which they are tried; none: from their own disks. */
		servers: v.array(v.string())
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const pool = poolAt(db, input.pool, ctx.clock.now());
		if (!pool) throw problem('pool', `There is no pool called ${input.pool}.`);
		const known = new Map(bootServersOf(db).map((b) => [b.id, b]));
		for (const s of input.servers) if (!known.has(s)) throw problem('servers', `There is no boot server called ${s}.`);
		if (new Set(input.servers).size < input.servers.length) throw problem('servers', 'Each server once.');
		const machines = machinesIn(ctx, pool.id);
		const tests = await testServers(ctx, input.servers, pool.site);
		const same = JSON.stringify(pool.bootServers) === JSON.stringify(input.servers);
		return {
			title: input.servers.length
				? `Let ${pool.name} start from ${input.servers.join(', then ')}`
				: `Let ${pool.name} start from its own disks`,
			effects: {
				...noEffects(),
				machines: machines.map((m) => ({ kind: 'machine', id: m.name, name: m.name, how: 'from its next start on' })),
				duration: { middle: 3 * SECOND, ninety: 5 * SECOND }
			},
			warnings: tests.filter((t) => !t.seen.ok).map(testFact),
			blocks: [
				...(same ? [{ words: 'it does so already', side: 'against' as const }] : []),
				...(input.servers.length && tests.every((t) => !t.seen.ok)
					? [{ words: 'none of these servers answers: no machine could start', side: 'against' as const }]
					: [])
			],
			reasons: [
				...tests.filter((t) => t.seen.ok).map(testFact),
				{ words: 'machines that are up run on; nothing is built anew', source: 'compute provider' }
			],
			objects: [`pool/${pool.id}`],
			steps: [{ kind: 'pool.boot-servers', words: 'Set the servers', input, expected: 3 * SECOND }],
			undo: { kind: 'pool.boot-servers', input: { pool: pool.id, servers: pool.bootServers } },
			undoWords: 'Yes: the order of before is set again.'
		};
	}
});

export const machinesIn = (ctx: Context, pool: string): { id: number; name: string }[] =>
	all(ctx.db, `SELECT id, name FROM machines WHERE pool_id = ? AND until = ${FOREVER} ORDER BY name`, [pool]);

const give = planKind({
	kind: 'machine.give',
	words: 'Give a personal machine to somebody, or take it from whoever keeps it',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		machine: v.pipe(v.string(), v.nonEmpty('Choose a machine.')),
		/** A login; empty takes it from whoever keeps it. */
		person: v.pipe(v.string(), v.trim())
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const m = one<{ id: number; pool: string; owner: string | null }>(
			db,
			`SELECT m.id, m.pool_id AS pool, pe.login AS owner FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER}
			 LEFT JOIN people pe ON pe.id = pl.owner_id WHERE m.name = ? AND m.until = ${FOREVER}`,
			[input.machine]
		);
		if (!m) throw problem('machine', `There is no machine called ${input.machine}.`);
		const pool = poolAt(db, m.pool, now)!;
		const person = one<{ login: string; name: string }>(db, 'SELECT login, name FROM people WHERE login = ?', [
			input.person
		]);
		if (input.person !== '' && !person)
			throw problem('person', `The directory knows nobody called ${input.person}. Write a login.`);
		const other =
			person &&
			one<{ name: string }>(
				db,
				`SELECT m.name FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND pl.until = ${FOREVER} JOIN people pe ON pe.id = pl.owner_id
				 WHERE m.pool_id = ? AND pe.login = ? AND m.until = ${FOREVER} AND m.id <> ?`,
				[m.pool, person.login, m.id]
			);
		const sessions = one<{ n: number }>(
			db,
			`SELECT count(*) AS n FROM sessions WHERE machine_id = ? AND until = ${FOREVER}`,
			[m.id]
		)!.n;
		const against = (words: string): Fact => ({ words, side: 'against' });
		return {
			title: person ? `Give ${input.machine} to ${person.name}` : `Take ${input.machine} from ${m.owner ?? 'nobody'}`,
			effects: {
				...noEffects(),
				people: person ? [{ kind: 'person', id: person.login, name: person.name, how: `keeps ${input.machine}` }] : [],
				machines: [
					{
						kind: 'machine',
						id: input.machine,
						name: input.machine,
						how: person ? `kept by ${person.name}` : 'kept by nobody'
					}
				],
				duration: { middle: SECOND, ninety: 2 * SECOND }
			},
			warnings: sessions ? [against('the session that is open on it goes on')] : [],
			blocks: [
				...(pool.assignment === 'shared' ? [against(`pool ${pool.name} is shared: nobody keeps a machine of it`)] : []),
				...((person?.login ?? null) === m.owner ? [against(person ? 'it is theirs already' : 'nobody keeps it')] : []),
				...(other ? [against(`${person.name} keeps ${other.name} of this pool already`)] : [])
			],
			reasons: [
				{ words: m.owner ? `${m.owner} keeps it now` : 'nobody keeps it now', source: 'broker' },
				{ words: 'what is on its disk stays on it', source: 'compute provider' }
			],
			objects: [`machine/${input.machine}`],
			steps: [
				{
					kind: 'machines.give',
					words: 'Write down who keeps it',
					input: { give: [{ machine: input.machine, person: input.person || null }] },
					expected: 200
				},
				{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 }
			],
			undo: { kind: 'machine.give', input: { machine: input.machine, person: m.owner ?? '' } },
			undoWords: 'Yes: it goes back to whoever kept it.'
		};
	}
});

export const machinePlans = [takeOver, setBoot, give];
