import { durationWords, moneyWords, numberWords, sizeWords } from '../time/units';
import { isoDate, momentWords, wallTime } from '../time/zone';
import { columnWords, REPORT_LIMITS, ROWS, shownKeys, summed } from './spec';
import type { ColumnKind, Grouping, ReportColumn, ReportSpec } from './spec';

export type Value = string | number | boolean | null;

export interface ShownColumn {
	key: string;
	words: string;
	kind: ColumnKind;
}

/** A line as it is drawn. */
export interface Bar {
	label: string;
	value: number;
}

/** A report, as it was made. */
export interface ReportTable {
	columns: ShownColumn[];
	lines: Value[][];
	/** Rows that it was made of, and lines that there were before it was cut. */
	rows: number;
	all: number;
	/** What is drawn, and what it says; empty: nothing. */
	bars: Bar[];
	drawn: ShownColumn | null;
}

type Row = Readonly<Record<string, unknown>>;

/**
 * Makes a report of rows: its columns, put together, sorted and cut. What the spec asks for has to be there (`specProblems`).
 * @param rows in the order of their list
 * @param of the columns of the list
 */
export function reportOf(rows: readonly Row[], of: readonly ReportColumn[], spec: ReportSpec): ReportTable {
	const kinds = new Map(of.map((c) => [c.key, c.kind]));
	const { columns, lines } = spec.group ? together(rows, kinds, spec) : single(rows, kinds, spec);
	const sorted = sortLines(columns, lines, spec);
	const kept = sorted.slice(0, Math.min(spec.limit, REPORT_LIMITS.lines));
	const drawn = spec.chart === null ? -1 : columns.findIndex((c) => c.key === spec.chart);
	return {
		columns,
		lines: kept,
		rows: rows.length,
		all: lines.length,
		bars: drawn < 0 ? [] : barsOf(columns, kept, drawn, spec.zone),
		drawn: columns[drawn] ?? null
	};
}

function single(rows: readonly Row[], kinds: ReadonlyMap<string, ColumnKind>, spec: ReportSpec) {
	const columns = spec.columns.map((key) => ({ key, words: columnWords(key), kind: kinds.get(key)! }));
	return { columns, lines: rows.map((row) => columns.map((c) => plain(row[c.key]))) };
}

/** Rows that are alike, as one line: how many they are, and of each other column its sum, its mean, or how many different values there are. */
function together(rows: readonly Row[], kinds: ReadonlyMap<string, ColumnKind>, spec: ReportSpec) {
	const { column, by } = spec.group!;
	const others = shownKeys(spec).slice(2);
	const columns: ShownColumn[] = [
		{ key: column, words: by === 'value' ? columnWords(column) : `${columnWords(column)}, by ${by}`, kind: 'text' },
		{ key: ROWS, words: ROWS, kind: 'number' },
		...others.map((key): ShownColumn => {
			const kind = kinds.get(key)!;
			const how = summed(kind);
			const words = columnWords(key);
			if (how === null) return { key, words: `different ${words}`, kind: 'number' };
			return { key, words: how === 'mean' ? `${words}, on average` : words, kind };
		})
	];
	const groups = new Map<string, { order: number | string; rows: Row[] }>();
	for (const row of rows) {
		const { label, order } = groupOf(plain(row[column]), by, spec.zone);
		const group = groups.get(label);
		if (group) group.rows.push(row);
		else groups.set(label, { order, rows: [row] });
	}
	const inOrder = [...groups].sort(([a, x], [b, y]) =>
		by === 'value' ? y.rows.length - x.rows.length || (a < b ? -1 : 1) : x.order < y.order ? -1 : 1
	);
	const lines = inOrder.map(([label, group]): Value[] => [
		label,
		group.rows.length,
		...others.map((key) => aggregate(group.rows, key, kinds.get(key)!))
	]);
	return { columns, lines };
}

const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];
/** What lies beyond has no words: it ends at no time, or is no moment at all. Ms UTC, the end of the year 9999. */
const LATEST = 253_402_300_800_000;
const isMoment = (value: number): boolean => Math.abs(value) < LATEST;
/** What a row that has no value is put under. */
const NONE = '–';

function groupOf(value: Value, by: Grouping, zone: string): { label: string; order: number | string } {
	if (value === null || value === '') return { label: NONE, order: by === 'day' ? '' : -1 };
	if (by === 'value' || typeof value !== 'number') return { label: textOf(value), order: textOf(value) };
	if (!isMoment(value)) return { label: NONE, order: by === 'day' ? '' : -1 };
	if (by === 'day') {
		const day = isoDate(zone, value);
		return { label: day, order: day };
	}
	const { weekday, minute } = wallTime(zone, value);
	if (by === 'weekday') return { label: WEEKDAYS[weekday - 1]!, order: weekday };
	const hour = Math.floor(minute / 60);
	return { label: `${String(hour).padStart(2, '0')}:00`, order: hour };
}

function aggregate(rows: readonly Row[], key: string, kind: ColumnKind): Value {
	const values = rows.map((r) => plain(r[key])).filter((v) => v !== null && v !== '');
	const how = summed(kind);
	if (how === null) return new Set(values).size;
	const numbers = values.filter((v): v is number => typeof v === 'number' && Number.isFinite(v));
	if (how === 'mean' && numbers.length === 0) return null;
	const sum = numbers.reduce((a, b) => a + b, 0);
	return how === 'mean' ? sum / numbers.length : sum;
}

function sortLines(columns: readonly ShownColumn[], lines: Value[][], { sort, descending }: ReportSpec): Value[][] {
	const i = columns.findIndex((c) => c.key === sort);
	if (i < 0) return lines;
	const way = descending ? -1 : 1;
	// What has no value stands last, whichever way it goes.
	return lines.toSorted((a, b) => {
		const [x, y] = [a[i] ?? null, b[i] ?? null];
		if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1;
		return way * (typeof x === 'number' && typeof y === 'number' ? x - y : textOf(x).localeCompare(textOf(y), 'en'));
	});
}

function barsOf(columns: readonly ShownColumn[], lines: readonly Value[][], drawn: number, zone: string): Bar[] {
	const names = columns.flatMap((c, i) => (i !== drawn && (c.kind === 'text' || c.kind === 'moment') ? [i] : []));
	return lines.slice(0, REPORT_LIMITS.bars).map((line) => ({
		label: names
			.slice(0, 2)
			.map((i) => valueWords(columns[i]!.kind, line[i]!, zone))
			.filter((w) => w !== '')
			.join(' · '),
		value: typeof line[drawn] === 'number' ? Math.max(0, line[drawn]) : 0
	}));
}

/** What stands in a cell of a list, as one value: of several, their texts; of what is more than that, its JSON. */
function plain(value: unknown): Value {
	if (value === null || value === undefined) return null;
	if (typeof value === 'string' || typeof value === 'boolean') return value;
	if (typeof value === 'number') return Number.isFinite(value) ? value : null;
	if (Array.isArray(value) && value.every((v) => typeof v !== 'object' || v === null))
		return value.map(String).join(', ');
	return JSON.stringify(value) ?? null;
}

const textOf = (value: Value): string => (value === true ? 'yes' : value === false ? 'no' : String(value ?? ''));

/** A value as people read it. Empty where there is none. */
export function valueWords(kind: ColumnKind, value: Value, zone: string): string {
	if (value === null) return '';
	if (typeof value !== 'number') return textOf(value);
	switch (kind) {
		case 'text':
			return String(value);
		case 'moment':
			return isMoment(value) ? momentWords(zone, value) : '';
		case 'span':
			return durationWords(value);
		case 'bytes':
			return sizeWords(value);
		case 'cents':
			return moneyWords(value);
		case 'share':
			return `${(100 * value).toFixed(1)} %`;
		default:
			return numberWords(Math.round(value * 100) / 100);
	}
}

const UNITS: Partial<Record<ColumnKind, string>> = { moment: 'UTC', span: 'ms', bytes: 'bytes', cents: 'cents' };

/** What a column is called in a file that programs read: with its unit. */
export const fileHead = ({ words, kind }: ShownColumn): string =>
	UNITS[kind] === undefined ? words : `${words} (${UNITS[kind]})`;

/** A value in a file that programs read: moments as ISO 8601, everything else as it is. */
export const fileValue = (kind: ColumnKind, value: Value): Value =>
	kind === 'moment' && typeof value === 'number' ? (isMoment(value) ? new Date(value).toISOString() : '') : value;
