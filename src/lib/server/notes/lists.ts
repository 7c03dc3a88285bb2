import * as v from 'valibot';
import { moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { notesAt } from './queries';

export const notes = shortList({
	name: 'notes',
	words: 'Notes that operators left on things, the newest wording first',
	card: 'note',
	row: v.strictObject({ id: whole, kind: text, of: text, text, by: text, since: moment }),
	rows: (db, at) => notesAt(db, at),
	called: (n) => `${n.text.slice(0, 60)} (${n.of})`
});
