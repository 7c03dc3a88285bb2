import * as v from 'valibot';
import { isMoved, mayMove } from '$lib/core/people/changes';
import { changeWords } from '$lib/core/people/record';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, SECOND } from '$lib/core/time/units';
import type { Db } from '../db';
import { planKind, stepOf, type Draft } from '../plans/kind';
import { saidBy } from './everybody';
import { directoryPercent, outcomesNow, waitingChanges } from './learning';
import { countPeople } from './records';

const limitWords = (db: Db, percent: number, now: number): string =>
	countWords(mayMove(countPeople(db, now), percent / 100), 'person', 'people');

const takeChanges = planKind({
	kind: 'directory.take',
	words: 'Take in what the directory has changed of people, where it is so much that somebody has to look first',
	area: 'access',
	undo: 'never',
	schema: v.strictObject({}),
	async draft(ctx): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const { through, changes, anew } = await waitingChanges(ctx);
		const found = outcomesNow(db, changes, now);
		const moved = found.filter(isMoved).length;
		const say = saidBy(db);
		const words = found.map((o) => changeWords(o.before, o.after, say).join('; '));
		const ways = new Map<string, number>();
		for (const w of words) ways.set(w, (ways.get(w) ?? 0) + 1);
		const most = [...ways].sort((a, b) => b[1] - a[1]).slice(0, 8);
		return {
			title: `Take in what the directory has changed of ${countWords(found.length, 'person', 'people')}`,
			effects: {
				...noEffects(),
				people: found.map((o, i) => ({ kind: 'person', id: o.login, name: o.after.name, how: words[i]! })),
				duration: { middle: SECOND, ninety: 5 * SECOND }
			},
			warnings: [],
			blocks: found.length ? [] : [{ words: 'nothing that the directory has changed waits', side: 'against' }],
			reasons: [
				...(anew
					? [
							{
								words: `the directory does not know any more what it has changed: it was read whole, ${countWords(anew.people, 'person', 'people')} now, and compared with who is known`,
								source: 'directory'
							}
						]
					: []),
				...(moved
					? [
							{
								words: `${countWords(moved, 'person is', 'people are')} taken out of teams, a site or the directory`,
								source: 'directory'
							}
						]
					: []),
				...most.map(([words, n]) => ({ words: `${countWords(n, 'person', 'people')}: ${words}`, source: 'directory' })),
				{
					words: `what takes at most ${limitWords(db, directoryPercent(db), now)} out of what they had is taken in without anybody looking`,
					source: 'settings'
				}
			],
			objects: ['directory/changes'],
			steps: [stepOf('directory.take', 'Take the changes in', { through }, 1000)],
			undo: null,
			undoWords: 'The directory says what people are: it is changed back there.'
		};
	}
});

const limitChanges = planKind({
	kind: 'directory.limit',
	words: 'Say what share of people the directory may move or remove before somebody has to look',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		/** Percent of everybody. */
		percent: v.pipe(
			v.number('Write a share.'),
			v.minValue(0, 'Not less than nothing.'),
			v.maxValue(100, 'At most everybody.')
		)
	}),
	async draft(ctx, { percent }): Promise<Draft> {
		const before = directoryPercent(ctx.db);
		return {
			title: `Let the directory move or remove ${percent} % of people before somebody looks`,
			effects: noEffects(),
			warnings: [],
			blocks: before === percent ? [{ words: 'it is so already', side: 'against' }] : [],
			reasons: [
				{
					words: `${limitWords(ctx.db, before, ctx.clock.now())} until now, ${limitWords(ctx.db, percent, ctx.clock.now())} from then on`,
					source: 'settings'
				},
				{ words: 'what moves more waits on Today, with their names' }
			],
			objects: ['directory/limit'],
			steps: [stepOf('directory.limit', 'Write the share', { percent }, 100)],
			undo: { kind: 'directory.limit', input: { percent: before } },
			undoWords: 'The share goes back to what it was.'
		};
	}
});

export const directoryPlans = [takeChanges, limitChanges];
