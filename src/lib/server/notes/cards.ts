import { countWords, durationWords } from '$lib/core/time/units';
import type { Card, CardSection } from '$lib/core/why/card';
import type { Context } from '../context';
import type { Then } from '../things/catalogue';
import { noteAt, notesOn, wordingsOf } from './queries';

export function noteCard({ db }: Context, id: string, { at }: Then): Card | null {
	const note = noteAt(db, Number(id), at);
	if (!note) return null;
	const wordings = wordingsOf(db, note.id, at);
	return {
		kind: 'note',
		id,
		title: note.text.length > 80 ? `${note.text.slice(0, 79)}…` : note.text,
		sub: `a note by ${note.by}, ${durationWords(at - note.since)} before`,
		rows: [
			{ name: `on the ${note.kind}`, value: note.of, card: `${note.kind}/${note.of}` },
			{ name: 'worded', value: countWords(wordings.length, 'time') }
		],
		facts: wordings.map((w) => ({ words: `${w.by} wrote “${w.text}”`, at: w.since, source: 'notes' })),
		actions: [
			{
				words: 'Word it anew',
				kind: 'note.write',
				input: { note: note.id },
				ask: { field: 'text', words: 'What the next one should know' }
			},
			{ words: 'Take it away', kind: 'note.remove', input: { note: note.id } }
		],
		sections: []
	};
}

/** What notes add to the cards of everything else: what they say comes first. */
export function noteAdds(
	{ db }: Context,
	kind: string,
	id: string,
	{ at }: Then
): Pick<Card, 'actions'> & { lead: CardSection[] } {
	if (kind === 'note' || kind === 'change') return { lead: [], actions: [] };
	return {
		lead: [
			{
				kind: 'lines',
				title: 'Notes',
				lines: notesOn(db, kind, id, at).map((n) => ({
					words: n.text,
					card: `note/${n.id}`,
					note: `${n.by}, ${durationWords(at - n.since)} before`
				}))
			}
		],
		actions: [
			{
				words: 'Leave a note',
				kind: 'note.write',
				input: { about: `${kind}/${id}` },
				ask: { field: 'text', words: 'What the next one should know' }
			}
		]
	};
}
