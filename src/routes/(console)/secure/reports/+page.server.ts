import { error } from '@sveltejs/kit';
import { columnWords } from '$lib/core/reports/spec';
import { unusedTerms } from '$lib/core/scope/scope';
import { occurrences, recurrenceWords } from '$lib/core/time/recurrence';
import { DAY } from '$lib/core/time/units';
import { homeZone } from '$lib/server/capacity';
import { columnsOf, sourcesDeclared } from '$lib/server/lists/sources';
import { asKnown, lookOf } from '$lib/server/moment';
import { note } from '$lib/server/record';
import { lastRuns, mayRead, reportAt, reportsAt, runById, runsAt, schedulesByReport } from '$lib/server/reports';
import { runtime, wholeRuntime } from '$lib/server/runtime';

/** Of one report so many that were made are listed, and of one that was made so many lines are shown: its files have all. */
const RUNS = 24;
const LINES = 200;

export const load = ({ url, depends, locals, getClientAddress }) => {
	depends('sextant:live');
	const context = runtime();
	const { db } = context;
	const look = lookOf(url, context);
	const at = asKnown(look);
	const caller = locals.caller!;
	const q = url.searchParams;
	const sources = [...sourcesDeclared().values()]
		.filter((s) => mayRead(caller, s))
		.map((s) => ({
			name: s.name,
			words: s.words,
			overDays: s.overDays,
			asksWhy: s.asksWhy,
			columns: columnsOf(s).map((c) => ({ ...c, words: columnWords(c.key) }))
		}));
	const wanted = q.get('report');
	const report = wanted === null ? null : reportAt(db, wanted, at);
	if (wanted !== null && !report) error(404, { message: `There is no report ${wanted.slice(0, 60)} at this moment.` });
	const source = report && sourcesDeclared().get(report.source);
	const readable = !report || !source || mayRead(caller, source);
	const runs = report ? runsAt(db, at, RUNS, report.id) : [];
	const number = /^\d{1,15}$/.test(q.get('run') ?? '') ? Number(q.get('run')) : (runs[0]?.id ?? null);
	// What tells what single people reached is read only where somebody asks for it: each time stays on record.
	const open = number !== null && readable && (q.has('run') || !source?.asksWhy) ? runById(db, number) : null;
	const run = open && report && open.report === report.id ? open : null;
	if (run && run.why !== null)
		note(wholeRuntime().db, context.clock.now(), {
			kind: 'looked',
			who: caller.name,
			role: caller.role,
			words: `read a report of what people reached: ${run.name}, number ${run.id}`,
			address: getClientAddress(),
			good: true
		});
	const schedules = schedulesByReport(context);
	const comes = report ? schedules.get(report.id) : undefined;
	const last = lastRuns(db, at);
	return {
		at,
		homeZone: homeZone(db),
		left: unusedTerms(look.scope.terms),
		sources,
		reports: reportsAt(db, at).map((r) => {
			const set = schedules.get(r.id);
			return {
				id: r.id,
				name: r.name,
				question: r.question,
				ships: r.ships,
				by: r.by,
				zone: r.zone,
				comes: set ? recurrenceWords(set) : null,
				last: last.get(r.id) ?? null
			};
		}),
		report: report && {
			...report,
			spec: { ...report.spec, columns: [...report.spec.columns] },
			made: source?.words ?? `${report.source}, which is not there any more`,
			overDays: source?.overDays ?? false,
			asksWhy: source?.asksWhy ?? false,
			readable,
			runs,
			comes: comes
				? {
						words: recurrenceWords(comes),
						zone: comes.zone,
						next: occurrences(comes, Math.max(at, comes.doneTo), at + 800 * DAY, 1)[0] ?? null,
						by: comes.by
					}
				: null
		},
		run: run && { ...run, made: { ...run.made, lines: run.made.lines.slice(0, LINES) }, shown: LINES }
	};
};
