import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, DAY, durationWords, numberWords } from '$lib/core/time/units';
import { one } from '../db';
import { personCalled } from '../directory';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { LOOK_LASTS } from './looking';
import { keptDays } from './rolling';
import { aspectWords, unusualById } from './unusual';

const WHY = 'Write why: it stays on record.';
const DAYS = 'A whole number of days from 1 to 3,650.';

const look = planKind({
	kind: 'activity.look',
	words: 'Look at what somebody reached and was refused, saying why',
	area: 'activity',
	undo: 'never',
	schema: v.strictObject({
		person: v.pipe(v.string('Say who.'), v.trim(), v.nonEmpty('Say who.'), v.maxLength(200)),
		why: v.pipe(v.string(WHY), v.trim(), v.minLength(3, WHY), v.maxLength(300, 'At most 300 characters.'))
	}),
	async draft({ db, clock }, { person, why }): Promise<Draft> {
		const found = personCalled(db, person, clock.now());
		if (!found) throw new InputProblem([{ field: 'person', words: 'The directory knows nobody of that login.' }]);
		return {
			title: `Look at what ${found.name} reached`,
			effects: {
				...noEffects(),
				people: [{ kind: 'person', id: found.login, name: found.name, how: 'is looked at', helped: true }],
				duration: { middle: 100, ninety: 400 }
			},
			warnings: [],
			blocks: [],
			reasons: [
				{ words: why, source: 'what stays on record' },
				{
					words: `you alone may look for ${durationWords(LOOK_LASTS)}; that you did, and why, is read by whoever reads the record`,
					source: 'activity'
				}
			],
			objects: [`person/${found.login}`],
			steps: [stepOf('activity.note-look', 'Write down who looks, and why', { person: found.login, why }, 100)],
			undo: null,
			undoWords: 'It ends by itself, and stays on record.'
		};
	}
});

const keep = planKind({
	kind: 'activity.keep',
	words: 'Set for how long it is kept who reached what',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		days: v.pipe(v.number(DAYS), v.integer(DAYS), v.minValue(1, DAYS), v.maxValue(3650, DAYS))
	}),
	async draft({ db, clock }, { days }): Promise<Draft> {
		const before = keptDays(db);
		const now = clock.now();
		const rows = (from: number) =>
			one<{ n: number }>(db, 'SELECT count(*) AS n FROM activity_person_hours WHERE hour < ?', [
				Math.floor((now - from * DAY) / 3_600_000)
			])!.n;
		const goes = days < before ? rows(days) - rows(before) : 0;
		return {
			title: `Keep who reached what for ${countWords(days, 'day', 'days')}`,
			effects: { ...noEffects(), duration: { middle: 100, ninety: 400 } },
			warnings: goes
				? [
						{
							words: `${numberWords(goes)} hours of people lie further back: of them only sums are kept from then on, and that cannot be undone`,
							side: 'against'
						}
					]
				: [],
			blocks: before === days ? [{ words: 'it is so already', side: 'against' }] : [],
			reasons: [{ words: `${countWords(before, 'day', 'days')} until now`, source: 'activity' }],
			objects: ['activity/kept'],
			steps: [stepOf('activity.keep', 'Write the days', { days }, 100)],
			undo: { kind: 'activity.keep', input: { days: before } },
			undoWords: 'The days can be set again; what was let go is not brought back.'
		};
	}
});

const answer = planKind({
	kind: 'unusual-activity.answer',
	words: 'Say whether something was wrong with what somebody did that was unlike them',
	area: 'activity',
	undo: 'back',
	schema: v.strictObject({
		id: v.pipe(v.number('Say which.'), v.integer('Say which.')),
		/** Null: it is not known after all. */
		wrong: v.nullable(v.boolean('Say yes or no.')),
		words: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(300, 'At most 300 characters.')), '')
	}),
	async draft({ db, clock }, { id, wrong, words }): Promise<Draft> {
		const found = unusualById(db, id, clock.now());
		if (!found) throw new InputProblem([{ field: 'id', words: `Nothing of the number ${id} was found.` }]);
		const said = wrong === null ? null : wrong ? 'yes' : 'no';
		return {
			title: `${wrong === null ? 'Leave open whether something was' : wrong ? 'Something was' : 'Nothing was'} wrong with what ${found.name} did`,
			effects: { ...noEffects(), duration: { middle: 100, ninety: 400 } },
			warnings: [],
			blocks:
				found.answer === said && (found.words ?? '') === words
					? [{ words: 'that is said already', side: 'against' }]
					: [],
			reasons: [
				...found.aspects.map((a) => ({ words: a.words, at: found.at, source: aspectWords(a.aspect) })),
				...(words ? [{ words, source: 'what is said of it' }] : [])
			],
			objects: [`person/${found.login}`],
			steps: [stepOf('activity.answer-unusual', 'Write the answer', { id, answer: said, words }, 100)],
			undo: {
				kind: 'unusual-activity.answer',
				input: { id, wrong: found.answer === null ? null : found.answer === 'yes', words: found.words ?? '' }
			},
			undoWords: 'It is again what was said before.'
		};
	}
});

export const activityPlans = [look, keep, answer] as const;
