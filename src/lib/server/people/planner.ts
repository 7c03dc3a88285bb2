import * as v from 'valibot';
import { mayMove, movedWords } from '$lib/core/people/changes';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, SECOND } from '$lib/core/time/units';
import { one, type Db } from '../db';
import { planKind, stepOf, type Draft } from '../plans/kind';
import { everybody } from './directory';
import { directoryPercent, movedNow, waitingChanges } from './learning';
import { teamsByName } from './teams';

const countPeople = (db: Db): number => one<{ n: number }>(db, 'SELECT count(*) AS n FROM people')!.n;
const limitWords = (db: Db, percent: number): string =>
	countWords(mayMove(countPeople(db), percent / 100), 'person', 'people');

const takeChanges = planKind({
	kind: 'directory.take',
	words:
		'Take in what the directory has changed of who is of which team, where it is so much that somebody has to look first',
	area: 'access',
	undo: 'never',
	schema: v.strictObject({}),
	async draft(ctx): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const { through, changes } = await waitingChanges(ctx);
		const moved = movedNow(db, changes, now);
		const teams = new Map(teamsByName(db).map((t) => [t.id, t.name]));
		const names = new Map(everybody(db, now).map((p) => [p.login, p.name]));
		const nameOf = (team: string) => teams.get(team) ?? team;
		const ways = new Map<string, number>();
		for (const m of moved) {
			const words = movedWords(m, nameOf);
			ways.set(words, (ways.get(words) ?? 0) + 1);
		}
		const most = [...ways].sort((a, b) => b[1] - a[1]).slice(0, 8);
		return {
			title: `Take in what the directory has changed: ${countWords(moved.length, 'person', 'people')} of other teams`,
			effects: {
				...noEffects(),
				people: moved.map((m) => ({
					kind: 'person',
					id: m.login,
					name: names.get(m.login) ?? m.login,
					how: movedWords(m, nameOf)
				})),
				duration: { middle: SECOND, ninety: 5 * SECOND }
			},
			warnings: [],
			blocks: moved.length ? [] : [{ words: 'nothing that the directory has changed waits', side: 'against' }],
			reasons: [
				...most.map(([words, n]) => ({ words: `${countWords(n, 'person', 'people')}: ${words}`, source: 'directory' })),
				{
					words: `what moves at most ${limitWords(db, directoryPercent(db))} is taken in without anybody looking`,
					source: 'settings'
				}
			],
			objects: ['directory/changes'],
			steps: [stepOf('directory.take', 'Take the changes in', { through }, 1000)],
			undo: null,
			undoWords: 'The directory says who is of which team: it is changed back there.'
		};
	}
});

const limitChanges = planKind({
	kind: 'directory.limit',
	words: 'Say what share of people the directory may move to other teams before somebody has to look',
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
			title: `Let the directory move ${percent} % of people before somebody looks`,
			effects: noEffects(),
			warnings: [],
			blocks: before === percent ? [{ words: 'it is so already', side: 'against' }] : [],
			reasons: [
				{
					words: `${limitWords(ctx.db, before)} until now, ${limitWords(ctx.db, percent)} from then on`,
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

export const peoplePlans = [takeChanges, limitChanges];
