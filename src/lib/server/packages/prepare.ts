import { factsOf, HERE, ofTeams } from '../moment/people-sql';
import { newestOf } from '$lib/core/images/follow';
import * as v from 'valibot';
import { sameSystem, systemOf, systemWords } from '$lib/core/packages/fits';
import { judgeTrial, trialFacts, type Trial } from '$lib/core/packages/trial';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, MINUTE, SECOND, sizeWords } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, run, type Db } from '../db';
import { asOf, putAt } from '../db/intervals';
import { linesAt } from '../images';
import { stepHandler } from '../jobs/step';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { openAppsAt } from './delivery';
import { packageAt, type PackageVersionRow } from './queries';
import { fromJson } from '../db/json';

/** Preparing a package for people: trials, what is read ahead, and the overlays that it has written. */

export interface TrialRow {
	at: number;
	by: string;
	person: string;
	line: string;
	image: string;
	passed: boolean;
	trial: Trial;
}

/** The last trial of a version up to a moment, or null: what another of the same number came to, which is gone, is not its own. */
export function lastTrial(db: Db, name: string, number: string, at: number): TrialRow | null {
	const row = one<Omit<TrialRow, 'passed' | 'trial'> & { passed: number; results: string }>(
		db,
		`SELECT t.at, t.by, t.person, t.line_id AS line, t.image, t.passed, t.results
		 FROM package_trials t JOIN package_versions v ON v.name = t.name AND v.number = t.number AND v.made_at <= t.at
		 WHERE t.name = ? AND t.number = ? AND t.at <= ? ORDER BY t.id DESC LIMIT 1`,
		[name, number, at]
	);
	return row
		? { ...row, passed: row.passed === 1, trial: fromJson<Trial>('package_trials.results', row.results) }
		: null;
}

/** What is read ahead when a version is attached: learned by a trial, or brought along by the package. Empty: nothing. */
export function warmUpOf(db: Db, v: PackageVersionRow, at: number): { path: string; bytes: number }[] {
	const row = one<{ files: string }>(
		db,
		`SELECT files FROM warm_ups WHERE name = ? AND number = ? AND since >= ? AND ${asOf('warm_ups', '?')}`,
		[v.name, v.number, v.at, at, at]
	);
	return row ? fromJson<{ path: string; bytes: number }[]>('warm_ups.files', row.files) : v.spec.warmUp;
}

function versionOrThrow(ctx: Context, name: string, number: string): PackageVersionRow {
	const version = packageAt(ctx.db, name, ctx.clock.now())?.versions.find((x) => x.number === number);
	if (!version) throw new InputProblem([{ field: 'number', words: `There is no ${name} ${number}.` }]);
	return version;
}

const tryPlan = planKind({
	kind: 'package.try',
	words:
		'Try a package version as an ordinary person on a machine that is made for it: every launch target has to start',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({
		name: v.string(),
		number: v.string(),
		/** The image line to try it on; one of the system that it fits where nothing is said. */
		line: v.optional(v.string()),
		/** Whose rights it is tried with; somebody who may start it where nothing is said. */
		person: v.optional(v.string())
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const version = versionOrThrow(ctx, input.name, input.number);
		const { spec } = version;
		const lines = linesAt(db, ctx.clock.now());
		const fits = (l: (typeof lines)[number]) => sameSystem(systemOf(l.system, l.users), spec.system);
		const line = input.line === undefined ? lines.find(fits) : lines.find((l) => l.id === input.line);
		if (!line)
			throw new InputProblem([
				{
					field: 'line',
					words:
						input.line === undefined
							? `No image line is of ${systemWords(spec.system)}.`
							: `There is no image line called ${input.line}.`
				}
			]);
		const image = newestOf(line.versions);
		if (!image) throw new InputProblem([{ field: 'line', words: `${line.id} has no version to make a machine from.` }]);
		const person = one<{ login: string; name: string }>(
			db,
			input.person !== undefined
				? 'SELECT login, name FROM people WHERE login = @person'
				: `SELECT p.login, p.name FROM people p JOIN ${factsOf('p.id')} WHERE ${HERE}
				   AND (json_array_length(@teams) = 0 OR p.id IN ${ofTeams('(SELECT value FROM json_each(@teams))')}) ORDER BY p.login LIMIT 1`,
			input.person !== undefined ? { person: input.person } : { teams: JSON.stringify(spec.teams), at: ctx.clock.now() }
		);
		if (!person)
			throw new InputProblem([
				{
					field: 'person',
					words: input.person ? `The directory knows nobody called ${input.person}.` : 'Nobody may start it.'
				}
			]);
		const takes = 2 * MINUTE + spec.targets.length * 25 * SECOND;
		return {
			title: `Try ${input.name} ${input.number} as ${person.name}`,
			effects: { ...noEffects(), duration: { middle: takes, ninety: takes * 1.4 } },
			warnings: fits(line)
				? []
				: [{ words: `${line.id} is not of the system that it was captured on`, side: 'against', source: 'image' }],
			blocks: spec.targets.length ? [] : [{ words: 'it starts nothing: there is nothing to try', side: 'against' }],
			reasons: [
				{
					words: `on a machine of ${line.id} ${image.number}, made for it and thrown away afterwards`,
					source: 'image'
				},
				{
					words: `${countWords(spec.targets.length, 'launch target')}: ${spec.targets.map((t) => t.name).join(', ')}`,
					source: 'package'
				},
				{ words: `${person.name} has no rights on the machine beyond those of everybody`, source: 'directory' }
			],
			objects: [`package/${input.name}`],
			steps: [
				{
					kind: 'package.try',
					words: 'Start each launch target, with nothing at hand and with what it reads read ahead',
					input: { name: input.name, number: input.number, line: line.id, image: image.number, person: person.login },
					expected: takes
				}
			],
			undo: null,
			undoWords: 'No: nothing is changed by it.'
		};
	}
});

const warmUpPlan = planKind({
	kind: 'package.warm-up',
	words: 'Read what an app reads at its start ahead, when its package is attached; or no longer',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ name: v.string(), number: v.string(), use: v.optional(v.boolean(), true) }),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const version = versionOrThrow(ctx, input.name, input.number);
		const trial = lastTrial(ctx.db, input.name, input.number, now);
		const has = warmUpOf(ctx.db, version, now);
		const list = trial?.trial.warmUp ?? [];
		const bytes = list.reduce((n, f) => n + f.bytes, 0);
		return {
			title: input.use
				? `Read what ${input.name} ${input.number} reads at its start ahead`
				: `No longer read anything of ${input.name} ${input.number} ahead`,
			effects: noEffects(),
			warnings: [],
			blocks: input.use
				? list.length
					? JSON.stringify(has) === JSON.stringify(list)
						? [{ words: 'that is so already', side: 'against' }]
						: []
					: [{ words: 'no trial has seen what it reads: try it first', side: 'against' }]
				: has.length
					? []
					: [{ words: 'nothing of it is read ahead', side: 'against' }],
			reasons: input.use
				? [
						{
							words: `${countWords(list.length, 'file')}, ${sizeWords(bytes)}, are read while it is attached`,
							source: 'trial'
						},
						...(trial ? trialFacts(trial.trial) : [])
					]
				: [],
			objects: [`package/${input.name}`],
			steps: [
				{
					kind: 'package.warm-up',
					words: 'Write it down',
					input: { ...input, files: input.use ? list : null },
					expected: 200
				},
				{ kind: 'agents.tell', words: 'Tell the agents', input: {}, expected: 500 }
			],
			undo: { kind: 'package.warm-up', input: { ...input, use: !input.use } },
			undoWords: input.use ? 'Yes: nothing is read ahead any more.' : 'Yes: it is read ahead again.'
		};
	}
});

const overlayPlan = planKind({
	kind: 'package.empty-overlay',
	words: 'Throw away what an app of a package has written to its overlay, for one person or for all',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({
		package: v.string(),
		/** A login; everybody who does not have it open where nothing is said. */
		person: v.optional(v.pipe(v.string(), v.trim()), '')
	}),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		if (!packageAt(ctx.db, input.package, now))
			throw new InputProblem([{ field: 'package', words: `There is no package called ${input.package}.` }]);
		if (input.person && !one(ctx.db, 'SELECT 1 FROM people WHERE login = ?', [input.person]))
			throw new InputProblem([{ field: 'person', words: `The directory knows nobody called ${input.person}.` }]);
		const names = new Map(
			all<{ login: string; name: string }>(ctx.db, 'SELECT login, name FROM people').map((p) => [p.login, p.name])
		);
		const open = new Set(openAppsAt(ctx.db, now, input.package).map((o) => o.login));
		const overlays = (await ctx.providers.agent.overlays(input.package)).filter(
			(o) => !input.person || o.person === input.person
		);
		const kept = overlaysByPerson(overlays);
		const free = kept.filter((o) => !open.has(o.person));
		const busy = kept.filter((o) => open.has(o.person));
		return {
			title: `Empty the overlay of ${input.package} ${input.person ? `of ${names.get(input.person)}` : `of ${countWords(free.length, 'person', 'people')}`}`,
			effects: {
				...noEffects(),
				people: free.map((o) => ({
					kind: 'person',
					id: o.person,
					name: names.get(o.person) ?? o.person,
					how: `loses ${sizeWords(o.bytes)} that the app kept${o.machines.length ? ` on ${o.machines.join(', ')}` : ''}`
				}))
			},
			warnings: [
				...(free.length ? [{ words: 'what the app kept there is lost', side: 'against' as const }] : []),
				...busy.map((o) => ({
					words: `${names.get(o.person)} has it open, and is passed over`,
					side: 'against' as const
				}))
			],
			blocks: free.length
				? []
				: [
						{ words: busy.length ? 'it is open: it has to be closed first' : 'there is nothing in it', side: 'against' }
					],
			reasons: [
				{
					words: `${sizeWords(free.reduce((n, o) => n + o.bytes, 0))} in ${countWords(free.length, 'overlay')}`,
					source: 'agents'
				}
			],
			objects: free.map((o) => `overlay/${input.package}/${o.person}`),
			steps: [
				{
					kind: 'package.empty-overlay',
					words: 'Empty it',
					input: { package: input.package, people: free.map((o) => o.person) },
					expected: 2 * SECOND
				}
			],
			undo: null,
			undoWords: 'No: what was in it is gone.'
		};
	}
});

/** Overlays put together by person; `machines`: those on whose disks some lie. */
function overlaysByPerson(overlays: { person: string; machine: string | null; bytes: number }[]) {
	const people = new Map<string, { person: string; bytes: number; machines: string[] }>();
	for (const { person, machine, bytes } of overlays) {
		const known = people.get(person) ?? { person, bytes: 0, machines: [] };
		known.bytes += bytes;
		if (machine) known.machines.push(machine);
		people.set(person, known);
	}
	return [...people.values()];
}

export const preparePlans = [tryPlan, warmUpPlan, overlayPlan];

export const prepareSteps = {
	'package.try': stepHandler<{ name: string; number: string; line: string; image: string; person: string }>({
		async run({ ctx, input, key, job, log }) {
			const version = versionOrThrow(ctx, input.name, input.number);
			const { files } = await ctx.packer.packages.contents(version.manifest);
			const runs = await ctx.providers.installer.tryOut(
				{
					line: input.line,
					version: input.image,
					person: input.person,
					targets: version.spec.targets,
					files: files.flatMap((f) =>
						f.kind === 'file' ? [{ path: f.file, size: f.size, sha256: f.sha256 ?? '' }] : []
					)
				},
				key('try')
			);
			const trial = judgeTrial(runs, version.spec.writes, version.spec.system);
			for (const f of trialFacts(trial)) log(f.words);
			const now = ctx.clock.now();
			return {
				result: { passed: trial.passed ? 'yes' : 'no', targets: trial.targets.length },
				write: (db) =>
					run(
						db,
						'INSERT INTO package_trials(name, number, at, by, job_id, person, line_id, image, passed, results) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)',
						[
							input.name,
							input.number,
							now,
							job.by,
							job.id,
							input.person,
							input.line,
							input.image,
							trial.passed ? 1 : 0,
							JSON.stringify(trial)
						]
					)
			};
		}
	}),

	'package.warm-up': stepHandler<{ name: string; number: string; files: { path: string; bytes: number }[] | null }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					// No list at all is a list of nothing: what the package brings along is not used either.
					const files = JSON.stringify(input.files ?? []);
					putAt(db, 'warm_ups', { name: input.name, number: input.number, files, by: job.by }, now);
				}
			};
		}
	}),

	'package.empty-overlay': stepHandler<{ package: string; people: string[] }>({
		async run({ ctx, input, each }) {
			let bytes = 0;
			const { done, failed } = await each(input.people, 8, async (person, key) => {
				bytes += await ctx.providers.agent.emptyOverlay(input.package, person, key);
			});
			return {
				result: { emptied: done.length, freed: sizeWords(bytes), ...(failed.length ? { failed: failed.length } : {}) }
			};
		}
	})
};
