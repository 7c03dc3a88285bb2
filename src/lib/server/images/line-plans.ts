import * as v from 'valibot';
import { firstSheet } from '$lib/core/images/first-sheet';
import { checkSheet, stepWords } from '$lib/core/images/sheet';
import { expectDuration } from '$lib/core/images/duration';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, durationWords, FOREVER, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all, one } from '../db';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { slug } from '../plans/slug';
import { lineOrThrow } from './build-plans';
import { stepHistories, suppliesOf } from './builds';

const quick = { middle: SECOND, ninety: SECOND };

const addLine = planKind({
	kind: 'line.add',
	words: 'Begin an image line from a stock system, with a build sheet of what every version needs',
	area: 'images',
	undo: 'back',
	schema: v.strictObject({
		name: v.pipe(
			v.string('Write a name.'),
			v.trim(),
			v.nonEmpty('Write a name.'),
			v.maxLength(80, 'At most 80 characters.')
		),
		/** A stock system, by its id. */
		system: v.pipe(v.string('Choose a stock system.'), v.nonEmpty('Choose a stock system.'))
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const supplies = await suppliesOf(ctx);
		const problems: { field: string; words: string }[] = [];
		const id = slug(input.name);
		if (!id) problems.push({ field: 'name', words: 'The name needs a letter or a digit.' });
		else if (one(db, 'SELECT 1 FROM lines WHERE id = ? OR name = ?', [id, input.name]))
			problems.push({ field: 'name', words: 'There is a line with this name already.' });
		const stock = supplies.stock.find((s) => s.id === input.system);
		if (!stock) problems.push({ field: 'system', words: `No stock system is called ${input.system.slice(0, 60)}.` });
		if (problems.length) throw new InputProblem(problems);
		const sheet = firstSheet(stock!, supplies.packages);
		const line = { id, name: input.name, system: stock!.system, users: stock!.users, generation: stock!.generation };
		const expected = expectDuration(stepHistories(db, id, sheet));
		return {
			title: `Begin the image line ${input.name}, of ${stock!.name}`,
			effects: { ...noEffects(), duration: quick },
			warnings: checkSheet(sheet, line, supplies).map((p) => p.fact),
			blocks: [],
			reasons: [
				{ words: `its sheet: ${sheet.steps.map(stepWords).join('; ')}`, source: 'library' },
				{
					words: `a build is expected to take ${durationWords(expected.middle)}, and is stopped after ${durationWords(sheet.limit)}`,
					source: 'library'
				},
				{ words: 'nothing is built by this: the first version is a plan of its own', source: 'build sheet' }
			],
			objects: [`line/${id}`],
			steps: [stepOf('line.write', 'Write the line and its sheet', { ...line, sheet }, 100)],
			undo: { kind: 'line.remove', input: { line: id } },
			undoWords: 'Yes, as long as it has no version.'
		};
	}
});

const removeLine = planKind({
	kind: 'line.remove',
	words: 'Take off an image line that has no version',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({ line: v.pipe(v.string('Choose a line.'), v.nonEmpty('Choose a line.')) }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const line = lineOrThrow(ctx, input.line);
		const versions = one<{ n: number }>(db, 'SELECT count(*) AS n FROM versions WHERE line_id = ?', [line.id])!.n;
		const pools = all<{ name: string }>(db, 'SELECT name FROM pools WHERE line_id = ? AND until = ?', [
			line.id,
			FOREVER
		]);
		const builds = one<{ n: number }>(db, 'SELECT count(*) AS n FROM builds WHERE line_id = ?', [line.id])!.n;
		const against = (words: string): Fact => ({ words, side: 'against', source: 'image lines' });
		return {
			title: `Take off the image line ${line.name}`,
			effects: { ...noEffects(), duration: quick },
			warnings: [],
			blocks: [
				...(versions ? [against(`it has had ${countWords(versions, 'version')}: they are on record`)] : []),
				...(builds && !versions ? [against(`it has had ${countWords(builds, 'build')}: they are on record`)] : []),
				...pools.map((p) => against(`pool ${p.name} is of it`))
			],
			reasons: [],
			objects: [`line/${line.id}`],
			steps: [stepOf('line.forget', 'Take off the line and its sheet', { line: line.id }, 100)],
			undo: null,
			undoWords: 'No: it is begun again.'
		};
	}
});

export const linePlans = [addLine, removeLine] as const;
