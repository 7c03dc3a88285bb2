import type { ReportSpec } from '$lib/core/reports/spec';

/** How lines are made of rows; whose wall clock it goes by stands beside it. */
export type KeptSpec = Omit<ReportSpec, 'zone'>;

/** A report that can be made. */
export interface KeptReport {
	id: string;
	name: string;
	/** What it answers, as a sentence. */
	question: string;
	/** The list, or other source, that it is made of. */
	source: string;
	/** As it is typed. */
	scope: string;
	/** Days up to when it is made, of what goes over time. */
	days: number;
	spec: KeptSpec;
	zone: string;
	by: string;
	/** Null: it came with Sextant. */
	since: number | null;
	ships: boolean;
}
