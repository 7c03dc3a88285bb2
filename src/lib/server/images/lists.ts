import * as v from 'valibot';
import { newestOf } from '$lib/core/images/follow';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { bytes, moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { usedLinesAt } from './queries';

const version = v.strictObject({
	line: text,
	number: text,
	builtAt: moment,
	builtBy: text,
	note: text,
	contents: v.array(v.strictObject({ name: text, version: text, size: bytes })),
	size: bytes,
	held: v.boolean(),
	retired: v.boolean(),
	open: v.boolean(),
	basedOn: v.nullable(text),
	machines: whole,
	people: whole
});

export const imageLines = shortList({
	name: 'image-lines',
	words: 'Image lines with their versions, and the machines on each',
	card: null,
	row: v.strictObject({
		id: text,
		line: text,
		name: text,
		system: text,
		users: v.picklist(['single', 'multi']),
		generation: v.picklist([1, 2]),
		machines: whole,
		versions: v.array(version)
	}),
	rows: (db, at) => usedLinesAt(db, at).map((l) => ({ ...l, line: l.id })),
	why(_db, line) {
		const newest = newestOf(line.versions);
		return [
			newest
				? { words: `newest version that may be taken is ${newest.number}`, side: 'for', source: 'follow rules' }
				: { words: 'no version may be taken', side: 'against', source: 'follow rules' },
			...line.versions
				.filter((x) => x.held)
				.map((x): Fact => ({ words: `${x.number} is held back`, side: 'against', source: 'follow rules' })),
			{ words: `${countWords(line.machines, 'machine is', 'machines are')} on it`, source: 'measured' }
		];
	}
});
