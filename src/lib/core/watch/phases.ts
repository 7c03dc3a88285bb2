import { durationWords } from '../time/units';
import type { Fact } from '../why/explained';

/** The phases of a sign-in, in the order in which they pass; the last only where an app is opened. */
export const PHASES = [
	'gateway',
	'brokering',
	'waiting',
	'protocol',
	'directory',
	'profile',
	'policies',
	'drives',
	'shell',
	'app'
] as const;
export type PhaseName = (typeof PHASES)[number];

export const PHASE_WORDS: Record<PhaseName, string> = {
	gateway: 'reach the gateway',
	brokering: 'choose a machine',
	waiting: 'wait for a machine',
	protocol: 'set up the display',
	directory: 'directory sign-in',
	profile: 'profile disk',
	policies: 'policies',
	drives: 'drives and printers',
	shell: 'start the desktop',
	app: 'start the app'
};

/** A part of a phase: the settings group that it is of, where it is one, and what inside it took how long. */
export interface PhasePart {
	name: string;
	ms: number;
	group?: string;
	parts?: { name: string; ms: number }[];
}

/** One phase as it passed. Parts, where it has any, sum to no more than `ms`. */
export interface Phase {
	name: PhaseName;
	ms: number;
	/** What it depended on, when it took longer than it had to. */
	cause?: string;
	parts?: PhasePart[];
}

/**
 * The phase that is most out of the ordinary: most milliseconds over its usual time, when that is at least
 * 3 s and half of the usual again. `usual` holds the median of everybody's last sign-ins.
 */
export function unusualPhase(
	phases: Phase[],
	usual: Partial<Record<PhaseName, number>>
): { phase: Phase; over: number; facts: Fact[] } | null {
	let worst: { phase: Phase; over: number } | null = null;
	for (const phase of phases) {
		const normal = usual[phase.name];
		if (normal === undefined) continue;
		const over = phase.ms - normal;
		if (over >= 3000 && over >= normal / 2 && (!worst || over > worst.over)) worst = { phase, over };
	}
	if (!worst) return null;
	const part = slowestPart(worst.phase);
	return {
		...worst,
		facts: [
			{
				words: `${PHASE_WORDS[worst.phase.name]} took ${durationWords(worst.phase.ms)}, usually ${durationWords(usual[worst.phase.name]!)}`,
				side: 'against',
				source: 'measured'
			},
			...(part
				? [
						{
							words: `${durationWords(part.ms)} of it: ${part.name}${part.parts?.[0] ? `, there ${part.parts[0].name}` : ''}`,
							side: 'against' as const,
							source: 'measured'
						}
					]
				: []),
			...(worst.phase.cause ? [{ words: worst.phase.cause, source: 'measured' }] : [])
		]
	};
}

/** The part of a phase that took longest; undefined where it has none. */
export const slowestPart = (phase: Phase): PhasePart | undefined =>
	phase.parts?.reduce((a, b) => (b.ms > a.ms ? b : a));

/** Time of all phases together, ms. */
export const phasesTotal = (phases: Phase[]): number => phases.reduce((n, p) => n + p.ms, 0);
