import { valueWords, type Bar, type ShownColumn } from '$lib/core/reports/table';
import { countWords, numberWords } from '$lib/core/time/units';
import { momentWords } from '$lib/core/time/zone';
import { sourcesDeclared } from '../lists/sources';
import { faces, stretches, type Stretch } from './letters';
import type { Made, Run } from './queries';

/** Lines that stand on paper, and values: all that there are are in the CSV. More would take longer than anybody waits. */
const LINES = 2000;
const VALUES = 14_000;
/** Letters of one value. */
const LETTERS = 300;
const INK = '#15253B';
const SOFT = '#5B6675';
const HAIR = '#DDD8CB';
const SEA = '#0A5C7D';

/** Texts in their faces; counts what no face has. */
class Writer {
	lost = 0;
	text(words: string): Stretch[] {
		const cut = words.length > LETTERS ? `${words.slice(0, LETTERS - 1)}…` : words;
		const { stretches: found, lost } = stretches(cut);
		this.lost += lost;
		return found.length ? found : [{ text: ' ', font: faces()[0]!.name }];
	}
}

const right = (c: ShownColumn): boolean => !['text', 'list', 'yes', 'moment'].includes(c.kind);

/** Points from edge to edge of what is written on a page, and the most that a bar takes of it. */
const BARS = { label: 200, bar: 250, high: 13 };

function chart(w: Writer, bars: readonly Bar[], drawn: ShownColumn, zone: string) {
	const most = Math.max(1, ...bars.map((b) => b.value));
	return bars.map((b) => ({
		columns: [
			{ width: BARS.label, text: w.text(b.label || '–'), fontSize: 8.5 },
			{
				width: BARS.bar,
				canvas: [
					{ type: 'rect', x: 0, y: 3, w: Math.max(0.5, (BARS.bar * b.value) / most), h: BARS.high - 6, color: SEA }
				]
			},
			{ width: '*', text: w.text(valueWords(drawn.kind, b.value, zone)), fontSize: 8.5, margin: [6, 0, 0, 0] }
		],
		margin: [0, 0, 0, 2]
	}));
}

/** A report that was made, as a document: the question at the top, what it was made of, a chart, and its lines. */
export function documentOf(run: Run & { made: Made }) {
	const { made, zone } = run;
	const w = new Writer();
	const lines = made.lines.slice(0, Math.min(LINES, Math.floor(VALUES / Math.max(1, made.columns.length))));
	const source = sourcesDeclared().get(run.source)?.words ?? run.source;
	const about = [
		source,
		run.scope === '' ? 'of everything' : `of ${run.scope}`,
		run.days === null
			? `as of ${momentWords(zone, run.at)}`
			: `over ${countWords(run.days, 'day')} up to ${momentWords(zone, run.at)}`,
		`times in ${zone}`,
		`made by ${run.by}`,
		...(run.why === null ? [] : [`because: ${run.why}`]),
		...(made.left.length ? [`left out, since it says nothing of these: ${made.left.join(', ')}`] : [])
	].join('; ');
	const counted =
		`${countWords(made.all, 'line')} of ${countWords(made.rows, 'row')}` +
		(lines.length < made.all ? `; the first ${numberWords(lines.length)} stand here` : '') +
		(made.lines.length > lines.length ? ', the CSV has more' : '');
	const body = [
		made.columns.map((c) => ({ text: w.text(c.words), bold: true, alignment: right(c) ? 'right' : 'left' })),
		...lines.map((line) =>
			made.columns.map((c, i) => ({
				text: w.text(valueWords(c.kind, line[i] ?? null, zone)),
				alignment: right(c) ? 'right' : 'left'
			}))
		)
	];
	const drawing = made.drawn && made.bars.length ? chart(w, made.bars, made.drawn, zone) : [];
	const content = [
		{ text: w.text(run.question), fontSize: 15, bold: true, margin: [0, 0, 0, 3] },
		{ text: w.text(run.name), color: SOFT, margin: [0, 0, 0, 3] },
		{ text: w.text(about), fontSize: 8.5, color: SOFT, margin: [0, 0, 0, 10] },
		...(drawing.length
			? [{ text: w.text(made.drawn!.words), bold: true, margin: [0, 0, 0, 4] }, ...drawing, { text: ' ', fontSize: 4 }]
			: []),
		{ text: w.text(counted), fontSize: 8.5, color: SOFT, margin: [0, 4, 0, 4] },
		...(lines.length && made.columns.length
			? [
					{
						table: {
							headerRows: 1,
							widths: made.columns.map((c) => (right(c) ? 'auto' : '*')),
							body,
							dontBreakRows: true
						},
						layout: {
							hLineWidth: (i: number) => (i === 0 ? 0 : 0.5),
							vLineWidth: () => 0,
							hLineColor: () => HAIR,
							paddingLeft: (i: number) => (i === 0 ? 0 : 4),
							paddingRight: () => 4,
							paddingTop: () => 2,
							paddingBottom: () => 2
						}
					}
				]
			: [{ text: 'There is nothing of it.' }])
	];
	const wide = made.columns.length > 6;
	return {
		pageSize: 'A4',
		pageOrientation: wide ? 'landscape' : 'portrait',
		pageMargins: [36, 36, 36, 40],
		info: { title: run.name, subject: run.question, creator: 'Sextant', producer: 'Sextant' },
		defaultStyle: { font: faces()[0]!.name, fontSize: made.columns.length > 9 ? 7.5 : 9, color: INK },
		content: [
			...content,
			...(w.lost
				? [
						{
							text: `${countWords(w.lost, 'letter')} could not be set: there is no face here for that script. The CSV has them.`,
							fontSize: 8.5,
							color: SOFT,
							margin: [0, 8, 0, 0]
						}
					]
				: [])
		],
		footer: (page: number, pages: number) => ({
			columns: [
				{ text: `Sextant, report ${run.id}`, color: SOFT },
				{ text: `${page} of ${pages}`, alignment: 'right', color: SOFT }
			],
			margin: [36, 12, 36, 0],
			fontSize: 8
		})
	};
}

/** A report that was made, as PDF. Takes a second or two for a thousand lines. */
export async function pdfOf(run: Run & { made: Made }): Promise<Buffer> {
	// Dear to read, and used here alone.
	const { default: pdfmake } = await import('pdfmake');
	const own = new Set(faces().flatMap((f) => [f.normal, f.bold]));
	pdfmake.setUrlAccessPolicy(() => false);
	pdfmake.setLocalAccessPolicy((path: string) => own.has(path));
	pdfmake.setFonts(Object.fromEntries(faces().map(({ name, normal, bold }) => [name, { normal, bold }])));
	return pdfmake.createPdf(documentOf(run)).getBuffer();
}
