import type { ParamValues } from './library/params';

/** One step of a sheet: a kind with its parameters, all of them said. */
export interface SheetStep {
	kind: string;
	with: ParamValues;
	/** A name that other steps can refer to. */
	id?: string;
	/** Steps, by their names, that have to stand before this one. */
	after?: string[];
	/** A remark for people. */
	note?: string;
}
