import { kindOf } from '$lib/core/images/library/kinds';
import { stepKey, stepWords, type BuildSheet } from '$lib/core/images/sheet';
import type { Component } from '$lib/core/images/versions';
import { durationWords } from '$lib/core/time/units';
import { sleep, type Context } from '../context';
import { one, run, setting, type Db } from '../db';
import { insertRow } from '../db/rows';
import { putAt } from '../db/intervals';
import { Cancelled, stepHandler, type StepRun } from '../jobs/step';
import { StepFailed } from '../providers';
import { linksOf, THICK } from './shipping';
import { keepChunks, noteStores } from './stores';
import { markVersion } from './version-steps';
import { fromJson } from '../db/json';

interface BuildInput {
	line: string;
	number: string;
}

const buildOf = (db: Db, job: number) =>
	one<{ id: number; sheet: string; note: string; began: number; based_on: string | null }>(
		db,
		`SELECT b.id, b.sheet, b.note, coalesce(s.ended, s.began) AS began, json_extract(iif(json_valid(s.input), s.input, '{}'), '$.basedOn') AS based_on
		 FROM builds b JOIN job_steps s ON s.job_id = b.job_id AND s.n = 0 WHERE b.job_id = ?`,
		[job]
	)!;

/** Writes a finished version: held, with its contents, and whole at home. */
export function writeVersion(
	db: Db,
	version: {
		line: string;
		number: string;
		at: number;
		by: string;
		note: string;
		contents: Component[];
		job: number;
		sheet: string | null;
		basedOn: string | null;
	}
): void {
	run(
		db,
		`INSERT INTO versions(line_id, number, built_at, built_by, note, contents, size, job_id, sheet, based_on) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
		 ON CONFLICT DO NOTHING`,
		[
			version.line,
			version.number,
			version.at,
			version.by,
			version.note,
			JSON.stringify(version.contents),
			version.contents.reduce((n, c) => n + c.size, 0),
			version.job,
			version.sheet,
			version.basedOn
		]
	);
	markVersion(db, 'version_holds', version.line, version.number, true, version.at);
}

export const buildSteps = {
	'image.begin': stepHandler<
		BuildInput & { note: string; sheet: BuildSheet; from: number; build?: number; basedOn?: string }
	>({
		async run({ ctx, input, job, log, cancelled }) {
			const { db } = ctx;
			// The build stands in the queue from now on, before anything is waited for.
			if (input.build === undefined)
				run(
					db,
					`INSERT INTO builds(line_id, number, sheet, state, done_steps, job_id, began, by, note) VALUES (?, ?, ?, 'queued', 0, ?, ?, ?, ?) ON CONFLICT DO NOTHING`,
					[input.line, input.number, JSON.stringify(input.sheet), job.id, ctx.clock.now(), job.by, input.note]
				);
			else
				run(db, `UPDATE builds SET state = 'queued', ended = NULL, job_id = ?, sheet = ? WHERE id = ?`, [
					job.id,
					JSON.stringify(input.sheet),
					input.build
				]);
			let said = 0;
			for (;;) {
				const first = one<{ job: number; number: string }>(
					db,
					`SELECT b.job_id AS job, b.number FROM builds b JOIN jobs j ON j.id = b.job_id
					 WHERE b.line_id = ? AND b.state IN ('queued', 'running') AND j.state = 'running' AND b.job_id < ? ORDER BY b.job_id`,
					[input.line, job.id]
				);
				if (!first) break;
				if (first.job !== said) log(`waits for ${first.number}, which job ${first.job} builds`);
				said = first.job;
				if (cancelled()) throw new Cancelled('cancelled while it waited');
				await sleep(ctx.clock, 20_000);
			}
			log(input.from ? `takes up at step ${input.from + 1}` : 'builder machine started');
			return { write: (d) => run(d, `UPDATE builds SET state = 'running' WHERE job_id = ?`, [job.id]) };
		}
	}),

	'image.step': stepHandler<BuildInput & { step: number }>({
		async run(step) {
			const { ctx, input, job, n } = step;
			const build = buildOf(ctx.db, job.id);
			const sheet = fromJson<BuildSheet>('builds.sheet', build.sheet);
			const what = sheet.steps[input.step]!;
			const began = one<{ began: number }>(ctx.db, 'SELECT began FROM job_steps WHERE job_id = ? AND n = ?', [
				job.id,
				n
			])!.began;
			await withinLimit(step, sheet, build.began + sheet.limit);
			const took = ctx.clock.now() - began;
			return {
				write: (db) => {
					const { cores, disk } = sheet.builder;
					const of = { line_id: input.line, kind: what.kind, words: stepKey(what) };
					insertRow(db, 'step_runs', { ...of, at: began, cores, took, disk });
					run(db, 'UPDATE builds SET done_steps = ? WHERE job_id = ?', [input.step + 1, job.id]);
				}
			};
		}
	}),

	'image.keep': stepHandler<BuildInput>({
		async run({ ctx, input, job, key, log }) {
			const { contents } = await ctx.providers.builder.keep(input.line, input.number, key('keep'));
			await ctx.providers.builder.discard(input.line, key('discard'));
			const write = await keepChunks(ctx, input.line, input.number);
			log('kept; staging removed, only this log is left');
			const build = buildOf(ctx.db, job.id);
			const now = ctx.clock.now();
			return {
				result: { version: `${input.line} ${input.number}` },
				write: (db) => {
					writeVersion(db, {
						...input,
						at: now,
						by: job.by,
						note: build.note,
						contents,
						job: job.id,
						sheet: build.sheet,
						basedOn: build.based_on
					});
					write(db);
					noteStores(db, [setting(db, 'home') ?? ''], input.line, input.number, now);
					run(db, `UPDATE builds SET state = 'done', ended = ? WHERE job_id = ?`, [now, job.id]);
				}
			};
		}
	}),

	'image.hand-out': stepHandler<BuildInput>({
		async run({ ctx, input, each, log }) {
			const sites = thickSites(ctx);
			const { done } = await each(sites, 3, async (site, key) => {
				await ctx.providers.builder.handOut(input.line, input.number, site, key);
				return (db) => noteStores(db, [site], input.line, input.number, ctx.clock.now());
			});
			log(done.length ? `whole at ${done.join(', ')}` : 'no other site has a thick link');
		}
	}),

	'image.trial': stepHandler<BuildInput>({
		async run({ ctx, input, job, key, log }) {
			const trial = await ctx.providers.builder.tryOut(input.line, input.number, key('trial'));
			const passed = trial.checks.every((c) => c.ok);
			for (const c of trial.checks) log(`${c.asks} ${c.ok ? 'yes' : 'no'}: ${c.saw}`);
			log(passed ? 'it passed: it can be released' : 'it did not pass: it stays held');
			return {
				result: { trial: passed ? 'passed' : 'failed' },
				write: (db) => {
					const of = { line_id: input.line, number: input.number, at: ctx.clock.now(), job_id: job.id };
					const saw = { passed: passed ? 1 : 0, boot: Math.round(trial.boot), checks: JSON.stringify(trial.checks) };
					insertRow(db, 'trials', { ...of, ...saw }, 'replace');
				}
			};
		}
	}),

	'image.abandon': stepHandler<{ line: string; build: number }>({
		async run({ ctx, input, key, log }) {
			await ctx.providers.builder.discard(input.line, key('discard'));
			log('staging removed, only the logs are left');
			const now = ctx.clock.now();
			return {
				write: (db) => run(db, `UPDATE builds SET state = 'abandoned', ended = ? WHERE id = ?`, [now, input.build])
			};
		}
	}),

	'image.write-sheet': stepHandler<{ line: string; sheet: BuildSheet }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => putAt(db, 'sheets', { line_id: input.line, body: JSON.stringify(input.sheet) }, now)
			};
		}
	})
};

/** Sites that versions are handed out to without anybody asking: those with a thick link to home. */
function thickSites(ctx: Context): string[] {
	const home = setting(ctx.db, 'home') ?? '';
	return linksOf(ctx.db).flatMap((l) => (l.mbit < THICK ? [] : l.a === home ? [l.b] : l.b === home ? [l.a] : []));
}

/** Runs a step; stops waiting for it when the build's limit comes first. */
async function withinLimit(
	{ ctx, input, key, log }: StepRun<BuildInput & { step: number }>,
	sheet: BuildSheet,
	limitAt: number
): Promise<void> {
	const over = () => new StepFailed(`the build has reached its limit of ${durationWords(sheet.limit)}`);
	const left = limitAt - ctx.clock.now();
	if (left <= 0) throw over();
	const step = sheet.steps[input.step]!;
	let ended = false;
	const work = ctx.providers.builder
		.runStep(input.line, { kind: step.kind, with: step.with }, sheet.builder, key('run'))
		.finally(() => (ended = true));
	const limit = (async () => {
		while (!ended && ctx.clock.now() < limitAt)
			await sleep(ctx.clock, Math.min(60_000, Math.max(1, limitAt - ctx.clock.now())));
		return null;
	})();
	const result = await Promise.race([work, limit]);
	if (result === null && !ended) {
		work.catch(() => {});
		throw over();
	}
	const { exitCode, log: lines } = result ?? (await work);
	for (const line of lines) log(line);
	const good = goodCodes(step.kind, step.with.codes);
	if (!good.includes(exitCode))
		throw new StepFailed(`“${stepWords(step)}” ended with exit code ${exitCode}; good are ${good.join(', ')}`);
}

const goodCodes = (kind: string, said: unknown): number[] => {
	const param = kindOf(kind)?.params.codes;
	return Array.isArray(said) ? said.map(Number) : param?.kind === 'codes' ? param.default : [0];
};
