import { columnWords } from '$lib/core/reports/spec';
import { recurrenceWords } from '$lib/core/time/recurrence';
import { countWords, numberWords } from '$lib/core/time/units';
import { momentWords } from '$lib/core/time/zone';
import type { Card } from '$lib/core/why/card';
import type { Context } from '../context';
import { sourcesDeclared } from '../lists/sources';
import type { Then } from '../things/catalogue';
import { schedulesByReport } from './planner';
import { reportAt, runsAt } from './queries';

/** Those that were made last are on the card. */
const SHOWN = 8;

export function reportCard(ctx: Context, id: string, { at }: Then): Card | null {
	const report = reportAt(ctx.db, id, at);
	if (!report) return null;
	const source = sourcesDeclared().get(report.source);
	const { spec } = report;
	const comes = schedulesByReport(ctx).get(id);
	return {
		kind: 'report',
		id,
		title: report.name,
		sub: report.ships ? 'a report that ships' : `a report, kept by ${report.by}`,
		rows: [
			{ name: 'made of', value: source?.words ?? `${report.source}, which is not there any more` },
			{ name: 'of', value: report.scope || 'everything' },
			...(source?.overDays ? [{ name: 'over', value: `the last ${countWords(report.days, 'day')}` }] : []),
			{ name: 'columns', value: spec.columns.map(columnWords).join(', ') },
			...(spec.group ? [{ name: 'put together by', value: columnWords(spec.group.column) }] : []),
			{ name: 'made by itself', value: comes ? recurrenceWords(comes) : 'no' }
		],
		links: [{ words: 'Make, change, let it come back', href: `/secure/reports?report=${encodeURIComponent(id)}` }],
		facts: [
			{ words: report.question, source: 'what it answers' },
			...(source?.asksWhy
				? [{ words: 'it tells what single people reached: whoever makes it says why, on record', source: 'activity' }]
				: [])
		],
		actions: [
			{
				words: 'Make it now',
				kind: 'report.run',
				input: { report: id },
				main: true,
				...(source?.asksWhy ? { ask: { field: 'why', words: 'Why: it stays on record' } } : {})
			},
			...(report.ships ? [] : [{ words: 'Take it away', kind: 'report.remove', input: { report: id } }])
		],
		sections: [
			{
				kind: 'lines',
				title: 'Made last',
				lines: runsAt(ctx.db, at, SHOWN, id).map((r) => ({
					words: momentWords(r.zone, r.at),
					href: `/secure/reports?report=${encodeURIComponent(id)}&run=${r.id}`,
					note: `${countWords(r.lines, 'line')} of ${numberWords(r.rows)} rows, by ${r.by}`
				}))
			}
		]
	};
}
