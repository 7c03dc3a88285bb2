import * as v from 'valibot';
import { COLUMN_KINDS, GROUPINGS, REPORT_LIMITS, specProblems } from '$lib/core/reports/spec';
import { fileHead, fileValue } from '$lib/core/reports/table';
import { knowsZone } from '$lib/core/time/zone';
import { homeZone } from '../capacity';
import { rowsOf } from '../calls/answers';
import { csvAnswer } from '../calls/csv';
import { endpoint, type Ask, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { text, whole } from '../lists/columns';
import { columnsOf, sourcesDeclared } from '../lists/sources';
import { asKnown } from '../moment';
import { NotAllowed, NotFound } from '../plans';
import { InputProblem } from '../plans/kind';
import { makeReport, mayRead, sourceCalled } from './making';
import { pdfOf } from './pdf';
import { runById, type Made, type Run } from './queries';

const column = v.strictObject({ key: text, words: text, kind: v.picklist(COLUMN_KINDS) });
const value = v.nullable(v.union([v.string(), v.number(), v.boolean()]));
const made = {
	columns: v.array(column),
	lines: v.array(v.array(value)),
	rows: whole,
	all: whole,
	bars: v.array(v.strictObject({ label: text, value: v.number() })),
	drawn: v.nullable(column),
	left: v.array(text)
};

type Asks = Pick<Ask<undefined, undefined, unknown>, 'ctx' | 'caller' | 'noteLook'>;

/** A report that was made, for whoever may read what it was made of. What tells what single people reached is on record each time it is read. */
function runFor({ ctx, caller, noteLook }: Asks, id: string): Run & { made: Made } {
	const run = /^\d{1,15}$/.test(id) ? runById(ctx.db, Number(id)) : null;
	if (!run) throw new NotFound(`report that was made with the number ${id.slice(0, 20)}`);
	const source = sourcesDeclared().get(run.source);
	if (!caller || (source && !mayRead(caller, source)))
		throw new NotAllowed(`As ${caller?.role ?? 'a stranger'} you may not read what it was made of.`);
	if (run.why !== null) noteLook(`read a report of what people reached: ${run.name}, number ${run.id}`);
	return run;
}

const params = { id: v.pipe(text, v.maxLength(20)) };
const fileName = (run: Run) => `report-${run.report.replace(/[^a-z0-9-]/g, '_').slice(0, 60)}-${run.id}`;
const flag = v.optional(v.picklist(['', '0', '1'], 'Either 0 or 1.'), '');
const key = v.pipe(v.string(), v.maxLength(60, 'At most 60 characters.'));
/** Lines of a report that is only looked at. */
const TRIED = 15;

export const reportEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/report-sources',
		summary: 'What reports are made of, and the columns of each',
		need: read('reports'),
		answer: rowsOf(
			v.strictObject({
				name: text,
				words: text,
				overDays: v.boolean(),
				/** It tells what single people reached: whoever makes a report of it says why. */
				asksWhy: v.boolean(),
				columns: v.array(v.strictObject({ key: text, kind: v.picklist(COLUMN_KINDS) }))
			})
		),
		handle: ({ caller }) => ({
			rows: [...sourcesDeclared().values()]
				.filter((s) => caller && mayRead(caller, s))
				.map((s) => ({ name: s.name, words: s.words, overDays: s.overDays, asksWhy: s.asksWhy, columns: columnsOf(s) }))
		})
	}),
	endpoint({
		method: 'GET',
		path: '/report-preview',
		summary: `What a report would be, its first ${TRIED} lines; not of what tells what single people reached`,
		need: read('reports'),
		looks: 'scope and moment',
		work: 'long',
		query: {
			source: v.pipe(v.string('Choose what it is made of.'), v.maxLength(60)),
			columns: v.pipe(
				v.string('Choose a column at least.'),
				v.maxLength(1300),
				v.description('Columns, parted by commas')
			),
			group: v.optional(key, ''),
			by: v.optional(v.picklist(GROUPINGS, `One of ${GROUPINGS.join(', ')}.`), 'value'),
			chart: v.optional(key, ''),
			sort: v.optional(key, ''),
			descending: flag,
			days: v.optional(
				v.pipe(v.number('From 1 to 90 days.'), v.integer('From 1 to 90 days.'), v.minValue(1), v.maxValue(90)),
				30
			),
			zone: v.optional(v.pipe(v.string(), v.check(knowsZone, 'Write a time zone such as Europe/Oslo.')))
		},
		answer: v.strictObject(made),
		handle({ ctx, caller, query, look }) {
			const source = sourceCalled(query.source);
			if (!caller || !mayRead(caller, source))
				throw new NotAllowed(`As ${caller?.role ?? 'a stranger'} you may not read what it is made of.`);
			if (source.asksWhy)
				throw new NotAllowed('It tells what single people reached: it is made saying why, and not shown before.');
			const spec = {
				columns: query.columns.split(',').filter(Boolean),
				group: query.group ? { column: query.group, by: query.by } : null,
				chart: query.chart || null,
				sort: query.sort,
				descending: query.descending === '1',
				limit: REPORT_LIMITS.bars
			};
			const zone = query.zone ?? homeZone(ctx.db);
			const problems = specProblems({ ...spec, zone }, columnsOf(source));
			if (problems.length) throw new InputProblem(problems);
			const seen = look();
			const found = makeReport(
				ctx.db,
				{
					id: '',
					name: '',
					question: '',
					by: '',
					since: null,
					ships: false,
					source: source.name,
					scope: seen.scopeText,
					days: query.days,
					spec,
					zone
				},
				asKnown(seen)
			);
			return { ...found, lines: found.lines.slice(0, TRIED) };
		}
	}),
	endpoint({
		method: 'GET',
		path: '/report-runs/{id}/made',
		summary: 'A report that was made, with its lines',
		need: read('reports'),
		params,
		answer: v.strictObject({ id: whole, name: text, question: text, ...made }),
		handle(ask) {
			const run = runFor(ask, ask.params.id);
			return { id: run.id, name: run.name, question: run.question, ...run.made };
		}
	}),
	endpoint({
		method: 'GET',
		path: '/report-runs/{id}/made.csv',
		summary: 'A report that was made, as CSV (RFC 4180)',
		need: read('reports'),
		work: 'long',
		params,
		answer: { file: 'text/csv' },
		handle(ask) {
			const run = runFor(ask, ask.params.id);
			const { columns, lines } = run.made;
			return csvAnswer(
				fileName(run),
				columns.map(fileHead),
				lines.map((l) => columns.map((c, i) => fileValue(c.kind, l[i] ?? null)))
			);
		}
	}),
	endpoint({
		method: 'GET',
		path: '/report-runs/{id}/made.pdf',
		summary: 'A report that was made, as PDF, with the question that it answers at the top',
		need: read('reports'),
		work: 'long',
		params,
		answer: { file: 'application/pdf' },
		async handle(ask) {
			const run = runFor(ask, ask.params.id);
			return new Response(new Uint8Array(await pdfOf(run)), {
				headers: {
					'content-type': 'application/pdf',
					'content-disposition': `attachment; filename="${fileName(run)}.pdf"`
				}
			});
		}
	})
];
