import { quantile } from '../measures/quantile';
import { countWords, GB, sizeWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';

/** What decides how large the overlay disk of a machine has to be. */
export interface OverlayNeed {
	/** Bytes that comparable machines wrote on a day of work: one figure a machine and day. */
	days: readonly number[];
	/** Sessions on a machine, and on those that were measured, one figure a machine and day. */
	perMachine: number;
	measuredPerMachine: number;
	/** Days of work until the overlay is emptied by a reset. */
	keeps: number;
	/** Bytes of the page file, and whether it lies on the overlay. */
	pageFile: number;
	pageOnOverlay: boolean;
}

/** Machine-days from which on what was measured is taken for what will be. */
const ENOUGH = 20;
/** What a day is taken to write for each session while too little has been measured. */
export const ASSUMED_DAY = 4 * GB;
/** Room kept free on top: a disk that is full stops the machine. */
const SPARE = 0.2;
/** No overlay is smaller. */
export const LEAST_OVERLAY = 20 * GB;

/**
 * The size of an overlay disk in bytes, a whole number of GB: what 99 of 100 measured machine-days wrote, for as many
 * days as it has to keep them and scaled to the sessions on a machine, with the page file where it lies there, and a fifth
 * to spare. Where fewer than 20 machine-days were measured, an assumption for each session.
 */
export function overlaySize(need: OverlayNeed): Explained<number> {
	const sorted = [...need.days].sort((a, b) => a - b);
	const measured = sorted.length >= ENOUGH;
	const scale = need.perMachine / Math.max(1, need.measuredPerMachine);
	const day = measured ? quantile(sorted, 0.99) * scale : ASSUMED_DAY * need.perMachine;
	const page = need.pageOnOverlay ? need.pageFile : 0;
	const size = Math.max(LEAST_OVERLAY, Math.ceil(((day * need.keeps + page) * (1 + SPARE)) / GB) * GB);
	const facts: Fact[] = [
		measured
			? {
					words: `99 of 100 machine-days wrote under ${sizeWords(quantile(sorted, 0.99))}, ${countWords(sorted.length, 'machine-day')} measured`,
					source: 'measured'
				}
			: {
					words: `only ${countWords(sorted.length, 'machine-day was', 'machine-days were')} measured: ${sizeWords(ASSUMED_DAY)} a session and day is assumed`,
					side: 'against',
					source: 'assumption'
				},
		...(measured && scale !== 1
			? [
					{
						words: `scaled from ${countWords(need.measuredPerMachine, 'session')} a machine to ${need.perMachine}`,
						source: 'measured'
					}
				]
			: []),
		{
			words: `it keeps ${countWords(need.keeps, 'day')} of work until the next reset: ${sizeWords(day * need.keeps)}`,
			source: 'plan'
		},
		...(need.pageFile > 0
			? [
					{
						words: need.pageOnOverlay
							? `its page file of ${sizeWords(need.pageFile)} lies on it`
							: `its page file of ${sizeWords(need.pageFile)} lies on a disk of its own`,
						source: 'plan'
					}
				]
			: []),
		{ words: 'a fifth stays free: a disk that is full stops the machine', source: 'plan' },
		...(size === LEAST_OVERLAY ? [{ words: `none is smaller than ${sizeWords(LEAST_OVERLAY)}`, source: 'plan' }] : [])
	];
	return { value: size, facts };
}
