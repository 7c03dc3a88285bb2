import * as v from 'valibot';
import { DAY } from '$lib/core/time/units';
import { addChange } from '../changes';
import { compareHeads, headKeyIn } from '../changes/heads';
import { endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import type { Context } from '../context';
import { putSetting, setting } from '../db';
import { moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import type { Manifest } from '../manifest';
import { ENTRY_KINDS, entriesBefore, lastEntry, toldTitle } from './entries';
import { recordFiles } from './files';

/** Entries that a list goes through: what lies further back is in the files. */
const LISTED = 20_000;

const entries = shortList({
	name: 'record-entries',
	words: 'Sign-ins, what was refused, and who looked at what somebody did, the latest first',
	card: null,
	need: { area: 'audit', level: 'read' },
	row: v.strictObject({
		number: whole,
		at: moment,
		wall: moment,
		kind: v.picklist(ENTRY_KINDS),
		who: text,
		role: text,
		words: text,
		address: text,
		good: v.boolean(),
		hash: text
	}),
	rows: (db, at) => entriesBefore(db, at, LISTED),
	idOf: (e) => String(e.number),
	why: (_db, e) => [
		{ words: e.words, side: e.good ? 'for' : 'against', at: e.at, source: 'record' },
		{ words: e.address === '' ? 'from within' : `from ${e.address}`, source: 'record' }
	]
});

const span = v.pipe(
	v.string(),
	v.check((t) => !Number.isNaN(Date.parse(t)), 'Write a moment such as 2026-11-01T00:00:00Z.'),
	v.transform((t) => Date.parse(t))
);

const files = endpoint({
	method: 'GET',
	path: '/record/files.tar',
	summary: 'The record between two moments, changes included, as signed files that common tools check',
	need: read('audit'),
	work: 'long',
	query: {
		from: v.pipe(span, v.description('The first moment')),
		to: v.optional(v.pipe(span, v.description('The first that is not in it')))
	},
	answer: { file: 'application/x-tar' },
	async handle({ ctx, query }) {
		const tar = await recordFiles(ctx.db, headKeyIn(ctx.dataDir), query.from, query.to ?? ctx.clock.now() + 1);
		return new Response(new Uint8Array(tar), {
			headers: {
				'content-type': 'application/x-tar',
				'content-disposition': 'attachment; filename="sextant-record.tar"'
			}
		});
	}
});

/** Characters of heads at most: one of them stands for all that came before it. */
const HEADS = 500_000;

const compare = endpoint({
	method: 'POST',
	path: '/changes/compare',
	summary:
		'Compare the change log with signed heads of it that were kept elsewhere: whether it was cut, altered or written anew',
	need: read('audit'),
	work: 'long',
	body: v.strictObject({
		heads: v.pipe(
			v.string('Bring the heads, one a line.'),
			v.regex(/\S/, 'Bring the heads, one a line.'),
			v.maxLength(HEADS, `At most ${HEADS} characters: the latest lines are enough.`)
		)
	}),
	answer: v.strictObject({ heads: whole, last: v.nullable(whole), changes: whole, problems: v.array(text) }),
	handle: ({ ctx: { db }, body }) => compareHeads(db, body.heads)
});

/** Up to which entry the change log has been told of, and when: its signed heads stand for the record, too. */
const TOLD = 'record told';

/** Once a day in which the record has grown, how far it has come stands in the change log. */
export function tellLog({ db }: Context, now: number): void {
	const last = lastEntry(db);
	const [number = 0, at = 0] = (setting(db, TOLD) ?? '').split(' ').map(Number);
	if (!last || last.number <= number || now - at < DAY) return;
	db.transaction(() => {
		addChange(db, {
			at: now,
			by: 'Sextant',
			via: 'itself',
			kind: 'record.head',
			title: toldTitle(last),
			objects: ['record/entries'],
			planId: null,
			jobId: null,
			outcome: 'done',
			undo: null
		});
		putSetting(db, TOLD, `${last.number} ${now}`);
	}).immediate();
}

export const manifest: Manifest = {
	name: 'record',
	lists: [entries],
	endpoints: [files, compare],
	chores: (ctx) => [{ name: 'how far the record has come', every: 'hour', run: (now) => tellLog(ctx, now) }]
};
