import type { Fact } from '../why/explained';

/** What a step does; later steps of the library add to this list. */
export const STEP_KINDS = [
	'source',
	'updates',
	'trim',
	'language',
	'package',
	'profile client',
	'limits',
	'role',
	'script',
	'agent',
	'seal'
] as const;
export type StepKind = (typeof STEP_KINDS)[number];

export interface SheetStep {
	kind: StepKind;
	words: string;
	note?: string;
	/** Component that it puts into the version. */
	adds?: { name: string; version: string; size: number };
}

export interface BuildSheet {
	steps: SheetStep[];
	/** The build is stopped after this long, ms. */
	limit: number;
	builder: { cores: number; memory: number; disk: number };
}

/** Where a kind of step has to stand, and why. */
const ORDER: { kind: StepKind; rule: 'first' | 'last' | 'last but one'; why: string }[] = [
	{ kind: 'source', rule: 'first', why: 'everything else is installed on it' },
	{ kind: 'seal', rule: 'last', why: 'whatever comes after it would not be sealed' },
	{ kind: 'agent', rule: 'last but one', why: 'steps after it would change what it has registered' }
];
const BEFORE: { kind: StepKind; other: StepKind; why: string }[] = [
	{ kind: 'role', other: 'agent', why: 'the agent looks for system roles when it is installed' },
	{ kind: 'profile client', other: 'agent', why: 'the agent binds to the profile disk client it finds' },
	{ kind: 'updates', other: 'trim', why: 'updates bring back what was removed' }
];

export interface SheetProblem {
	/** Index of the step that stands wrong; -1 when a step is missing. */
	step: number;
	fact: Fact;
}

/** Checks a sheet's order. An empty list means that it can be built. */
export function checkSheet(sheet: BuildSheet): SheetProblem[] {
	const problems: SheetProblem[] = [];
	const add = (step: number, words: string) =>
		problems.push({ step, fact: { words, side: 'against', source: 'build sheet' } });
	const kinds = sheet.steps.map((s) => s.kind);
	for (const { kind, rule, why } of ORDER) {
		const where = kinds.flatMap((k, i) => (k === kind ? [i] : []));
		if (where.length === 0) add(-1, `there is no ${kind} step: a version needs one`);
		if (where.length > 1) add(where[1]!, `the ${kind} step stands twice`);
		const due = rule === 'first' ? 0 : rule === 'last' ? kinds.length - 1 : kinds.length - 2;
		if (where.length === 1 && where[0] !== due)
			add(where[0]!, `“${sheet.steps[where[0]!]!.words}” must be ${rule}: ${why}`);
	}
	for (const { kind, other, why } of BEFORE) {
		const first = kinds.indexOf(other);
		kinds.forEach((k, i) => {
			if (k === kind && first >= 0 && i > first)
				add(i, `“${sheet.steps[i]!.words}” must come before “${sheet.steps[first]!.words}”: ${why}`);
		});
	}
	if (sheet.limit <= 0) add(-1, 'the time limit must be longer than nothing');
	return problems;
}
