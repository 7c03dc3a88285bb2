/** What a column holds: each kind is shown, summed and written in its own way. */
export const COLUMN_KINDS = ['text', 'number', 'moment', 'span', 'bytes', 'cents', 'share', 'yes', 'list'] as const;
export type ColumnKind = (typeof COLUMN_KINDS)[number];

export interface ReportColumn {
	key: string;
	kind: ColumnKind;
}

/** How rows are put together: by a value, or moments by the day, the weekday or the hour that the wall clock shows. */
export const GROUPINGS = ['value', 'day', 'weekday', 'hour'] as const;
export type Grouping = (typeof GROUPINGS)[number];

/** How the rows of a list become a report. */
export interface ReportSpec {
	/** Columns, in the order in which they stand. */
	columns: readonly string[];
	/** Rows that are alike in this are one line; null: each row is a line. */
	group: { column: string; by: Grouping } | null;
	/** What is drawn of each line: how many rows it stands for (`ROWS`), or a column that can be summed; null: nothing is drawn. */
	chart: string | null;
	/** A column of the report, or `ROWS`; empty: as the list has them, or the largest group first. */
	sort: string;
	descending: boolean;
	/** So many lines are kept. */
	limit: number;
	/** Whose wall clock it goes by. */
	zone: string;
}

/** How many rows a line stands for. */
export const ROWS = 'rows';

/** Columns, lines and bars of one report at most. */
export const REPORT_LIMITS = { columns: 20, lines: 10_000, bars: 20 } as const;

/** How what is put together of a column is worked out: added up, or its mean; null: different values are counted. */
export function summed(kind: ColumnKind): 'sum' | 'mean' | null {
	if (kind === 'number' || kind === 'bytes' || kind === 'cents') return 'sum';
	return kind === 'span' || kind === 'share' ? 'mean' : null;
}

/** Kinds that say how much: these can be drawn. */
export const isMeasured = (kind: ColumnKind): boolean => summed(kind) !== null;

/** What is wrong with a report of a list that has these columns, each beside its field; nothing where it can be made. */
export function specProblems(spec: ReportSpec, of: readonly ReportColumn[]): { field: string; words: string }[] {
	const problems: { field: string; words: string }[] = [];
	const known = new Map(of.map((c) => [c.key, c.kind]));
	const missing = (key: string) => `There is no column ${key}; there are ${of.map((c) => c.key).join(', ')}.`;
	if (spec.columns.length === 0) problems.push({ field: 'columns', words: 'Choose a column at least.' });
	if (spec.columns.length > REPORT_LIMITS.columns)
		problems.push({ field: 'columns', words: `At most ${REPORT_LIMITS.columns} columns.` });
	if (new Set(spec.columns).size < spec.columns.length)
		problems.push({ field: 'columns', words: 'A column stands in it twice.' });
	for (const key of spec.columns) if (!known.has(key)) problems.push({ field: 'columns', words: missing(key) });
	if (spec.group) {
		const kind = known.get(spec.group.column);
		if (kind === undefined) problems.push({ field: 'group', words: missing(spec.group.column) });
		else if (spec.group.by !== 'value' && kind !== 'moment')
			problems.push({ field: 'by', words: `Only moments lie in a ${spec.group.by}: ${spec.group.column} is none.` });
		else if (spec.group.by === 'value' && (kind === 'moment' || isMeasured(kind)) && kind !== 'number')
			problems.push({
				field: 'by',
				words:
					kind === 'moment'
						? 'Moments are put together by the day, the weekday or the hour.'
						: `Hardly two rows are alike in ${spec.group.column}: choose what they have in common.`
			});
	}
	const shown = shownKeys(spec);
	if (spec.chart !== null) {
		const kind = spec.chart === ROWS ? 'number' : known.get(spec.chart);
		if (spec.chart === ROWS && !spec.group)
			problems.push({ field: 'chart', words: 'Each line is one row: put rows together first.' });
		else if (kind === undefined) problems.push({ field: 'chart', words: missing(spec.chart) });
		else if (!isMeasured(kind))
			problems.push({ field: 'chart', words: `${spec.chart} says not how much: it cannot be drawn.` });
		else if (!shown.includes(spec.chart))
			problems.push({ field: 'chart', words: `${spec.chart} is none of the report’s columns.` });
	}
	if (spec.sort !== '' && !shown.includes(spec.sort))
		problems.push({ field: 'sort', words: `Sort by one of its columns: ${shown.join(', ')}.` });
	return problems;
}

/** Columns as they stand in a report, by key: where rows are put together what they are alike in, and how many they are, come first. */
export const shownKeys = (spec: Pick<ReportSpec, 'columns' | 'group'>): string[] =>
	spec.group
		? [spec.group.column, ROWS, ...spec.columns.filter((c) => c !== spec.group!.column && c !== ROWS)]
		: [...spec.columns];

/** A column in words: `signIn` is “sign in”. */
export const columnWords = (key: string): string =>
	key.replace(/([a-z\d])([A-Z])/g, (_m, a: string, b: string) => `${a} ${b.toLowerCase()}`);
