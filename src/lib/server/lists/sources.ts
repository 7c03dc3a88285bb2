import type { ColumnKind, ReportColumn } from '$lib/core/reports/spec';
import { bytes, cents, moment, share, span } from './columns';
import type { ListKind, Page, PageAsk, RowSchema } from './kind';

/** What is asked of a source: of one that goes over time, the days up to a moment. */
export interface SourceAsk extends PageAsk {
	days: number;
	/** Whose wall clock hours and days go by, where nothing nearer says. */
	zone: string;
}

/** What reports are made of: every list, and what areas have beside them that stands on no screen of its own. */
export interface ReportSource<S extends RowSchema = RowSchema> extends Pick<
	ListKind<S>,
	'name' | 'words' | 'row' | 'need'
> {
	/** It is about days up to a moment, not about a moment alone. */
	overDays: boolean;
	/** It tells what single people reached: whoever makes a report of it says why, and is on record. */
	asksWhy: boolean;
	page(db: Parameters<ListKind<S>['page']>[0], ask: SourceAsk): Page<Record<string, unknown>>;
}

/** Keeps the rows tied to their schema. */
export const reportSource = <S extends RowSchema>(source: ReportSource<S>): ReportSource =>
	source as unknown as ReportSource;

let sources: ReadonlyMap<string, ReportSource> | null = null;

/** Every list, and whatever else reports are made of; `house/lists.ts` gathers them. */
export function declareSources(lists: readonly ListKind[], others: readonly ReportSource[]): void {
	const ofList = (l: ListKind): ReportSource => ({
		name: l.name,
		words: l.words,
		row: l.row,
		...(l.need ? { need: l.need } : {}),
		overDays: false,
		asksWhy: false,
		page: (db, ask) => l.page(db, ask)
	});
	sources = new Map([...others, ...lists.map(ofList)].map((s) => [s.name, s]));
}

/** Everything that reports are made of, by name. */
export function sourcesDeclared(): ReadonlyMap<string, ReportSource> {
	if (sources === null) throw new Error('No list has been gathered: import house/lists.ts first.');
	return sources;
}

const BY_SCHEMA = new Map<unknown, ColumnKind>([
	[moment, 'moment'],
	[span, 'span'],
	[bytes, 'bytes'],
	[cents, 'cents'],
	[share, 'share']
]);

/** What a column holds, by its schema. */
function kindOf(key: string, schema: unknown): ColumnKind {
	const known = BY_SCHEMA.get(schema);
	if (known) return known;
	const s = schema as { type?: string; wrapped?: unknown; pipe?: readonly unknown[] };
	if (s.wrapped !== undefined) return kindOf(key, s.wrapped);
	if (s.pipe !== undefined && s.pipe[0] !== s) return kindOf(key, s.pipe[0]);
	if (s.type === 'number') return key === 'id' ? 'text' : 'number';
	if (s.type === 'boolean') return 'yes';
	return s.type === 'string' || s.type === 'picklist' ? 'text' : 'list';
}

/** The columns of a source, with what each holds. */
export const columnsOf = (source: Pick<ReportSource, 'row'>): ReportColumn[] =>
	Object.entries(source.row.entries).map(([key, schema]) => ({ key, kind: kindOf(key, schema) }));
