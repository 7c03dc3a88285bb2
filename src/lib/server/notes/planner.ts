import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { SECOND } from '$lib/core/time/units';
import type { Context } from '../context';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { thingCalled } from '../things/catalogue';
import { nextNote, noteAt, wordingsOf, type NoteRow } from './queries';

/** The most that a note may hold: what is longer is no note. */
const MOST = 1000;

const number = v.pipe(v.number('Say which note.'), v.integer('Say which note.'));

/** What a note is on, as cards are named: who may change that may say something on it. */
function onWhat(ctx: Context, note: number): string[] {
	const last = wordingsOf(ctx.db, note, ctx.clock.now())[0];
	return [last ? `${last.kind}/${last.of}` : ''];
}

const writeNote = planKind({
	kind: 'note.write',
	words: 'Leave a note on something, or word one anew',
	area: 'repair',
	undo: 'back',
	schema: v.strictObject({
		/** A note that there is, or was. */
		note: v.optional(number),
		/** What it is on, as cards are named: `machine/desk-001`. A note that there is, or was, stays on what it was on. */
		about: v.optional(v.pipe(v.string(), v.maxLength(300))),
		text: v.pipe(
			v.string('Write the note.'),
			v.trim(),
			v.nonEmpty('Write the note.'),
			v.maxLength(MOST, `At most ${MOST} characters.`)
		)
	}),
	decides: (ctx, input) => (input.note === undefined ? [input.about ?? ''] : onWhat(ctx, input.note)),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const before = input.note === undefined ? null : noteAt(ctx.db, input.note, now);
		// A note that was taken away is put back where it was.
		const last = input.note === undefined ? undefined : wordingsOf(ctx.db, input.note, now)[0];
		if (input.note !== undefined && !last)
			throw new InputProblem([{ field: 'note', words: `There is no note ${input.note}.` }]);
		const about = last ? `${last.kind}/${last.of}` : input.about;
		if (about === undefined) throw new InputProblem([{ field: 'about', words: 'Say what the note is on.' }]);
		const called = await thingCalled(ctx, about, now);
		if (called === null) throw new InputProblem([{ field: 'about', words: `There is no ${about.replace('/', ' ')}.` }]);
		const id = last?.id ?? nextNote(ctx.db);
		const cut = about.indexOf('/');
		return {
			title: before ? `Word the note on ${called} anew` : `Note on ${called}`,
			effects: { ...noEffects(), duration: { middle: SECOND, ninety: SECOND } },
			warnings: [],
			blocks:
				before?.text === input.text
					? [{ words: 'it says so already', side: 'against', about: { kind: 'note', id: String(id) } }]
					: [],
			reasons: [
				...(before ? [{ words: `it said “${before.text}”, by ${before.by}`, at: before.since, source: 'notes' }] : []),
				{ words: `it says “${input.text}”`, source: 'notes' },
				{ words: 'it stands on the card, in lists, and is found by search; what it said before stays on record' }
			],
			objects: [`note/${id}`],
			steps: [
				{
					kind: 'note.write',
					words: 'Write the note',
					input: { id, kind: about.slice(0, cut), of: about.slice(cut + 1), text: input.text },
					expected: 100
				}
			],
			undo: before
				? { kind: 'note.write', input: { note: id, text: before.text } }
				: { kind: 'note.remove', input: { note: id } },
			undoWords: before ? 'It says again what it said before.' : 'It is taken away.'
		};
	}
});

const removeNote = planKind({
	kind: 'note.remove',
	words: 'Take a note away',
	area: 'repair',
	undo: 'back',
	schema: v.strictObject({ note: number }),
	decides: (ctx, input) => onWhat(ctx, input.note),
	async draft(ctx, input): Promise<Draft> {
		const note: NoteRow | null = noteAt(ctx.db, input.note, ctx.clock.now());
		if (!note) throw new InputProblem([{ field: 'note', words: `There is no note ${input.note}.` }]);
		const { id, of, text, by, since } = note;
		return {
			title: `Take the note on ${of} away`,
			effects: { ...noEffects(), duration: { middle: SECOND, ninety: SECOND } },
			warnings: [],
			blocks: [],
			reasons: [
				{ words: `it says “${text}”, by ${by}`, at: since, source: 'notes' },
				{ words: 'what it said stays on record' }
			],
			objects: [`note/${id}`],
			steps: [{ kind: 'note.remove', words: 'Take the note away', input: { id }, expected: 100 }],
			undo: { kind: 'note.write', input: { note: id, text } },
			undoWords: 'It is put back.'
		};
	}
});

export const notePlans = [writeNote, removeNote];
