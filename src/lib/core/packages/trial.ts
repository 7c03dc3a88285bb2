import { countWords, durationWords, sizeWords } from '../time/units';
import type { Fact } from '../why/explained';
import type { SystemKind } from './inventory';
import { whereWrites, type WriteRules } from './scope';

/** What one launch target did when an ordinary person started it. */
export interface TargetRun {
	id: string;
	name: string;
	/** Whether its window came up. */
	started: boolean;
	/** What it said, where it did not. */
	words: string;
	/** Ms to its window: with nothing at hand, and with what it reads read ahead. */
	cold: number;
	ahead: number;
	/** What it read until its window was there, in that order. */
	reads: { path: string; bytes: number }[];
	/** Where it wrote, or tried to. */
	writes: string[];
}

/** A trial, judged. */
export interface Trial {
	passed: boolean;
	targets: (Omit<TargetRun, 'writes' | 'reads'> & {
		passed: boolean;
		read: { files: number; bytes: number };
		writes: { path: string; to: 'overlay' | 'place' | 'refused' }[];
	})[];
	/** What all of them read, each file once, in the order in which it was first read. */
	warmUp: { path: string; bytes: number }[];
}

/** Judges a trial: every target has to start, and no write of it may be refused. */
export function judgeTrial(runs: readonly TargetRun[], rules: WriteRules, system: SystemKind): Trial {
	const warmUp = new Map<string, number>();
	const targets = runs.map(({ writes, reads, ...run }) => {
		const landed = writes.map((path) => ({ path, to: whereWrites(path, rules, system).value.to }));
		for (const r of reads) if (!warmUp.has(r.path)) warmUp.set(r.path, r.bytes);
		return {
			...run,
			passed: run.started && landed.every((w) => w.to !== 'refused'),
			read: { files: reads.length, bytes: reads.reduce((n, r) => n + r.bytes, 0) },
			writes: landed
		};
	});
	return {
		passed: targets.length > 0 && targets.every((t) => t.passed),
		targets,
		warmUp: [...warmUp].map(([path, bytes]) => ({ path, bytes }))
	};
}

/** A trial in sentences, each target by itself. */
export const trialFacts = (trial: Trial): Fact[] =>
	trial.targets.flatMap((t): Fact[] => {
		if (!t.started) return [{ words: `${t.name} does not start: ${t.words}`, side: 'against', source: 'trial' }];
		const refused = t.writes.filter((w) => w.to === 'refused');
		return [
			{
				words: `${t.name} starts in ${durationWords(t.cold)}, in ${durationWords(t.ahead)} with its ${countWords(t.read.files, 'file')} (${sizeWords(t.read.bytes)}) read ahead`,
				side: 'for',
				source: 'trial'
			},
			...refused.map((w): Fact => ({
				words: `${t.name} may not write to ${w.path}: the write was refused`,
				side: 'against',
				source: 'trial'
			}))
		];
	});
