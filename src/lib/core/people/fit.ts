import { quantile } from '../measures/quantile';
import { countWords, sizeWords } from '../time/units';
import type { Fact } from '../why/explained';

/** What somebody's work asks of a machine in their busy hours: cores in use, bytes of memory, GPUs (a share of one counts as that). */
export interface Demand {
	cores: number;
	memory: number;
	gpus: number;
}

/** A desk that somebody could be given. */
export interface Desk {
	id: string;
	name: string;
	assignment: 'shared' | 'personal';
	/** Sessions that one machine holds. */
	perMachine: number;
	cores: number;
	memory: number;
	gpus: number;
	/** Money a month for one seat, cents, with the hours that such machines are up. */
	month: number;
	/** Seats or machines that are free. */
	free: number;
}

/** How well a desk fits: the share of peers (0–1) whose busy hours it has room for. */
export interface Fit extends Desk {
	share: number;
	/** What those find too small for whom it does not fit. */
	short: readonly ('cores' | 'memory' | 'GPU')[];
}

/** A desk fits when it does for so many of the peers. */
export const ENOUGH = 0.9;
/** With fewer peers than this nothing is said for sure. */
export const FEW = 5;

/**
 * A demand by what was sampled through somebody's sessions: the 95th percentile of each, so that a moment's peak does not count and an hour's
 * does. Null where nothing was.
 * @param samples cores in use, bytes of memory and GPUs, at equal steps
 */
export function demandOf(samples: readonly Demand[]): Demand | null {
	if (samples.length === 0) return null;
	const high = (of: (s: Demand) => number) =>
		quantile(
			samples.map(of).sort((a, b) => a - b),
			0.95
		);
	return { cores: high((s) => s.cores), memory: high((s) => s.memory), gpus: high((s) => s.gpus) };
}

/**
 * The desks by how well they fit what peers really use; the first is the cheapest that does for nine in ten of them, or, where none does,
 * the one that does for most.
 */
export function fitDesks(
	peers: readonly Demand[],
	desks: readonly Desk[]
): { best: string | null; fits: Fit[]; facts: Fact[] } {
	const fits = desks.map((d): Fit => {
		// A machine that several share is there for all of them: what one may have without harm is their part, and what others leave of it.
		const room = {
			cores: d.cores / Math.max(1, d.perMachine),
			memory: d.memory / Math.max(1, d.perMachine),
			gpus: d.gpus
		};
		const lacks = (p: Demand) => ({
			cores: p.cores > room.cores,
			memory: p.memory > room.memory,
			GPU: p.gpus > 0 && d.gpus === 0
		});
		const short = new Set<'cores' | 'memory' | 'GPU'>();
		let good = 0;
		for (const p of peers) {
			const l = lacks(p);
			if (!l.cores && !l.memory && !l.GPU) good++;
			for (const k of ['cores', 'memory', 'GPU'] as const) if (l[k]) short.add(k);
		}
		return { ...d, share: peers.length ? good / peers.length : 0, short: [...short] };
	});
	if (peers.length === 0)
		return {
			best: null,
			fits: fits.sort((a, b) => a.month - b.month),
			facts: [{ words: 'none of their peers has been measured: nothing says which desk fits', source: 'samples' }]
		};
	const enough = fits.filter((f) => f.share >= ENOUGH).sort((a, b) => a.month - b.month || b.share - a.share);
	const rest = fits.filter((f) => f.share < ENOUGH).sort((a, b) => b.share - a.share || a.month - b.month);
	const high = (of: (p: Demand) => number) =>
		quantile(
			peers.map(of).sort((a, b) => a - b),
			0.9
		);
	const gpus = peers.filter((p) => p.gpus > 0).length;
	const [best] = [...enough, ...rest];
	return {
		best: best && best.share > 0 ? best.id : null,
		fits: [...enough, ...rest],
		facts: [
			{
				words: `nine in ten of ${countWords(peers.length, 'peer')} stay within ${high((p) => p.cores).toFixed(1)} cores and ${sizeWords(high((p) => p.memory))} in their busy hours${gpus ? `; ${gpus} use a GPU` : ''}`,
				source: 'samples'
			},
			...(peers.length < FEW
				? [{ words: `so few peers say little: it is a guess`, side: 'against' as const, source: 'samples' }]
				: []),
			...(enough.length === 0 && best
				? [
						{
							words: `no desk does for nine in ten of them: ${best.name} does for ${Math.round(best.share * 100)} %`,
							side: 'against' as const,
							source: 'samples'
						}
					]
				: [])
		]
	};
}
