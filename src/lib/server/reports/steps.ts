import { FOREVER } from '$lib/core/time/units';
import { all, run, type Db } from '../db';
import { closeAt, putAt } from '../db/intervals';
import { insertRow } from '../db/rows';
import { stepHandler } from '../jobs/step';
import { inPart } from '../part';
import { InputProblem } from '../plans/kind';
import { StepFailed } from '../providers';
import { noteEach } from '../record';
import { makeReport, makerOf, mayRead, sourceCalled } from './making';
import { reportAt } from './queries';
import type { KeptReport } from './report';

/** Of each report so many are kept, the latest; one is no larger than this, in characters, nor all of them together. */
const KEPT = 24;
const MOST = 8e6;
const ALTOGETHER = 400e6;

type Put = Pick<KeptReport, 'id' | 'name' | 'question' | 'source' | 'scope' | 'days' | 'spec' | 'zone'>;

function dropOld(db: Db, report: string): void {
	const old = all<{ id: number }>(
		db,
		'SELECT id FROM report_runs WHERE report_id = ? ORDER BY at DESC, id DESC LIMIT -1 OFFSET ?',
		[report, KEPT]
	);
	for (const { id } of old) run(db, 'DELETE FROM report_runs WHERE id = ?', [id]);
	run(
		db,
		'DELETE FROM report_runs WHERE id IN (SELECT id FROM (SELECT id, sum(size) OVER (ORDER BY at DESC, id DESC) AS upto FROM report_runs) WHERE upto > ?)',
		[ALTOGETHER]
	);
}

export const reportSteps = {
	'report.write': stepHandler<Put>({
		async run({ ctx, input, job }) {
			const { spec, zone, ...rest } = input;
			return {
				write: (db) =>
					putAt(db, 'reports', { ...rest, spec: JSON.stringify({ ...spec, zone }), by: job.by }, ctx.clock.now())
			};
		}
	}),
	'report.end': stepHandler<{ id: string }>({
		async run({ ctx, input }) {
			return { write: (db) => closeAt(db, 'reports', { id: input.id }, ctx.clock.now()) };
		}
	}),
	'report.make': stepHandler<{ report: string; why: string | null }>({
		async run({ ctx, input, job }) {
			await ctx.catchUp?.();
			const at = ctx.clock.now();
			const maker = makerOf(ctx.db, job.id, at);
			if (!maker) throw new StepFailed(`${job.by} has been shut out since`);
			const seen = maker.part ? inPart(ctx.db, maker.part, at, true) : ctx.db;
			const report = reportAt(seen, input.report, at);
			if (!report) throw new StepFailed('that report has been taken away since');
			const source = sourceCalled(report.source);
			if (!mayRead(maker, source)) throw new StepFailed(`as ${maker.role} nobody reads what it is made of`);
			let made;
			try {
				made = makeReport(seen, report, at);
			} catch (e) {
				if (e instanceof InputProblem) throw new StepFailed(e.problems.map((p) => p.words).join(' '));
				throw e;
			}
			const text = JSON.stringify(made);
			if (text.length > MOST) throw new StepFailed('it is too large to be kept: fewer columns, lines, or people');
			return {
				write: (db) => {
					insertRow(db, 'report_runs', {
						report_id: report.id,
						name: report.name,
						question: report.question,
						source: report.source,
						// A part is written as a scope is: it is no less than one.
						scope: [report.scope, maker.part ?? ''].filter(Boolean).join(' '),
						days: source.overDays ? report.days : null,
						zone: report.zone,
						at,
						by: maker.name || job.by,
						why: source.asksWhy ? input.why : null,
						part: maker.part ?? '',
						lines: made.lines.length,
						rows: made.rows,
						made: text,
						size: text.length
					});
					dropOld(db, report.id);
					if (source.asksWhy)
						noteEach(db, at, {
							kind: 'looked',
							who: maker.name,
							role: maker.role,
							words: `made a report of what people reached: ${report.name}, saying why: ${input.why}`,
							address: '',
							good: true
						});
				},
				result: { lines: made.lines.length }
			};
		}
	})
};

/** Lets go of reports that tell what single people reached once that is not kept any longer itself. */
export const letReportsGo = (db: Db, before: number): void => {
	if (before < FOREVER) run(db, 'DELETE FROM report_runs WHERE why IS NOT NULL AND at < ?', [before]);
};
