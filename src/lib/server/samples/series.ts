import { DAY, HOUR, MINUTE } from '$lib/core/time/units';

/** A width of samples: one row for each thing and each `step` ms, at the beginning of it. */
export interface SampleTable {
	table: string;
	step: number;
	/** Ms that rows are kept; Infinity for good. */
	kept: number;
	/** The widest span that is drawn from it, ms: about five hundred points. */
	widest: number;
	words: string;
}

/**
 * What is sampled, and how it is kept: columns in the order in which they are written, and the tables from the finest to the coarsest, each
 * summed up from the one before. Shares and milliseconds are kept as thousandths, −1 where there is none; a coarser row is the mean of its
 * finer ones, and of the columns of `highest` the highest.
 */
export interface Series {
	key: string;
	columns: readonly string[];
	highest: readonly string[];
	tables: readonly [SampleTable, SampleTable, ...SampleTable[]];
}

const minutes = (table: string): SampleTable => ({
	table,
	step: MINUTE,
	kept: 48 * HOUR,
	widest: 8 * HOUR,
	words: 'minute'
});
const quarters = (table: string): SampleTable => ({
	table,
	step: 15 * MINUTE,
	kept: Infinity,
	widest: 5 * DAY,
	words: 'quarter hour'
});

export const SERIES = {
	machine: {
		key: 'machine_id',
		columns: ['cores', 'memory', 'disk', 'gpu', 'input', 'trip', 'sessions', 'strain'],
		highest: ['strain'],
		tables: [
			minutes('samples_1m'),
			quarters('samples_15m'),
			{ table: 'samples_6h', step: 6 * HOUR, kept: Infinity, widest: Infinity, words: 'six hours' }
		]
	},
	host: {
		key: 'host_id',
		columns: ['cores', 'memory', 'gpu'],
		highest: [],
		tables: [minutes('host_samples_1m'), quarters('host_samples_15m')]
	}
} as const satisfies Record<string, Series>;

export type Sampled = keyof typeof SERIES;

/** The steps by which samples are taken and first summed up, and how long the finest are kept, ms: alike for all. */
export const { step: FINEST, kept: MINUTES_KEPT } = SERIES.machine.tables[0];
export const { step: QUARTER } = SERIES.machine.tables[1];
