import * as v from 'valibot';
import { MOST_HOLIDAYS, readHolidays, type Holiday } from '$lib/core/time/holidays';
import { noEffects } from '$lib/core/plans/effects';
import { countWords } from '$lib/core/time/units';
import { isoDate, isoWords } from '$lib/core/time/zone';
import { all, type Db } from '../db';
import { asOf, openAt } from '../db/intervals';
import { fromJson } from '../db/json';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { sitesOf } from './queries';

/** Days on which sites do not work as on others: rules of access ask for them. */

/** The holidays of each site, by its id. */
export const holidaysAt = (db: Db, at: number): Map<string, Holiday[]> =>
	new Map(
		all<{ site: string; days: string }>(
			db,
			`SELECT site_id AS site, days FROM site_holidays WHERE ${asOf('site_holidays')}`,
			{ at }
		).map((r) => [r.site, fromJson<Holiday[]>('site_holidays.days', r.days)])
	);

/** Writes down what an estate file says of them. */
export function settleHolidays(db: Db, site: string, written: readonly string[], at: number): void {
	const read = readHolidays(written.join('\n'), isoDate('UTC', at));
	if ('days' in read && read.days.length)
		openAt(db, 'site_holidays', { site_id: site, days: JSON.stringify(read.days), by: 'the estate file' }, at);
}

/** A holiday in words: `24 Dec 2026, Christmas Eve`. */
export const holidayWords = ({ day, name }: Holiday): string => `${isoWords(day)}${name ? `, ${name}` : ''}`;

export const setHolidays = planKind({
	kind: 'site.holidays',
	words: 'Say on which days a site has a holiday',
	area: 'access',
	undo: 'back',
	longTexts: ['add', 'all'],
	schema: v.pipe(
		v.strictObject({
			site: v.pipe(v.string(), v.nonEmpty('Choose a site.')),
			/** Days to add, one a line: `24 Dec 2026 Christmas Eve`. */
			add: v.optional(v.pipe(v.string('Write days, one a line.'), v.maxLength(60_000, 'At most 60,000 characters.'))),
			/** All days that it has from then on, in the place of those that it had. */
			all: v.optional(v.pipe(v.string('Write days, one a line.'), v.maxLength(60_000, 'At most 60,000 characters.')))
		}),
		v.check((i) => (i.add === undefined) !== (i.all === undefined), 'Say which days to add, or all that it has.')
	),
	async draft({ db, clock }, input): Promise<Draft> {
		const now = clock.now();
		const site = sitesOf(db).find((s) => s.id === input.site);
		if (!site) throw new InputProblem([{ field: 'site', words: `There is no site ${input.site.slice(0, 60)}.` }]);
		const was = holidaysAt(db, now).get(site.id) ?? [];
		const field = input.add === undefined ? 'all' : 'add';
		const read = readHolidays(input.add ?? input.all!, isoDate(site.zone, now));
		if ('problems' in read)
			throw new InputProblem(read.problems.map((p) => ({ field, words: `Line ${p.line}: ${p.words}` })));
		if (field === 'add' && read.days.length === 0)
			throw new InputProblem([{ field, words: 'Write days, one a line, such as 24 Dec 2026 Christmas Eve.' }]);
		const added = read.days.filter((d) => !was.some((w) => w.day === d.day));
		const days = field === 'all' ? read.days : [...was, ...added].sort((a, b) => (a.day < b.day ? -1 : 1));
		if (days.length > MOST_HOLIDAYS)
			throw new InputProblem([{ field, words: `At most ${MOST_HOLIDAYS} days in all.` }]);
		const gone = was.filter((w) => !days.some((d) => d.day === w.day));
		return {
			title:
				field === 'add'
					? `Add ${countWords(added.length, 'holiday')} of ${site.name}`
					: `${site.name} has ${countWords(days.length, 'holiday')}`,
			effects: noEffects(),
			warnings: gone.length
				? [
						{
							words: `${countWords(gone.length, 'day is', 'days are')} no holiday any more: ${gone.slice(0, 5).map(holidayWords).join('; ')}`,
							side: 'against',
							source: 'holidays'
						}
					]
				: [],
			blocks: JSON.stringify(days) === JSON.stringify(was) ? [{ words: 'it is so already', side: 'against' }] : [],
			reasons: days
				.filter((d) => !was.some((w) => w.day === d.day && w.name === d.name))
				.slice(0, 12)
				.map((d) => ({ words: holidayWords(d), source: 'holidays' })),
			objects: [`site-holidays/${site.id}`],
			steps: [stepOf('site.holidays.write', 'Write the days down', { site: site.id, days }, 200)],
			undo: {
				kind: 'site.holidays',
				input: { site: site.id, all: was.map((w) => `${w.day} ${w.name}`.trim()).join('\n') }
			},
			undoWords: 'Yes: it has again the days that it had.'
		};
	}
});
