import { chanceOver, expectDuration } from '$lib/core/images/duration';
import {
	betterOrder,
	checkSheet,
	rightsNeeded,
	stepNote,
	stepWords,
	trimWords,
	type BuildSheet,
	type SheetProblem,
	type Supplies
} from '$lib/core/images/sheet';
import { readSheet, writeSheet, type TextProblem } from '$lib/core/images/sheet-text';
import { HOUR } from '$lib/core/time/units';
import type { Context } from '../context';
import { builderPrice, stepHistories, suppliesOf, type KnownStep } from './builds';
import { lineAt } from './queries';

/** All that can be said of a sheet before it is built. */
export interface SheetReport {
	sheet: BuildSheet;
	/** The same sheet as text. */
	text: string;
	problems: (SheetProblem & { line?: number; column?: number })[];
	steps: { words: string; note: string; middle: number; ninety: number; runs: number; from: KnownStep['from'] }[];
	expected: { middle: number; ninety: number };
	/** Chance that a build runs past its limit, 0–1. */
	over: number;
	better: { order: number[]; words: string[] } | null;
	rights: { right: string; words: string; steps: string[]; granted: boolean }[];
	/** What other builders would make of it: time, and cost in cents. */
	builders: { cores: number; disk: number; middle: number; ninety: number; cost: number; own: boolean }[];
	saves: string | null;
}

const SIZES = [2, 4, 8, 16];

/** Looks a sheet of a line over, as far as it can be read. */
export async function reportOf(
	ctx: Context,
	lineId: string,
	sheet: BuildSheet,
	supplies?: Supplies
): Promise<SheetReport> {
	const line = lineAt(ctx.db, lineId, ctx.clock.now()) ?? undefined;
	const histories = stepHistories(ctx.db, lineId, sheet);
	const granted = new Set<string>(await ctx.providers.builder.rights());
	const expected = expectDuration(histories);
	const better = betterOrder(sheet);
	const builders = [...new Set([...SIZES, sheet.builder.cores])]
		.sort((a, b) => a - b)
		.map((cores) => ({ cores, disk: sheet.builder.disk, own: cores === sheet.builder.cores }));
	builders.push({ cores: sheet.builder.cores, disk: sheet.builder.disk * 2, own: false });
	return {
		sheet,
		text: writeSheet(sheet),
		problems: checkSheet(sheet, line, supplies ?? (await suppliesOf(ctx))),
		steps: sheet.steps.map((s, i) => {
			const e = expectDuration([histories[i]!]);
			return {
				words: stepWords(s),
				note: stepNote(s),
				middle: e.middle,
				ninety: e.ninety,
				runs: histories[i]!.runs.length,
				from: histories[i]!.from
			};
		}),
		expected: { middle: expected.middle, ninety: expected.ninety },
		over: chanceOver(histories, sheet.limit),
		better: better ? { order: better.order, words: better.words } : null,
		rights: rightsNeeded(sheet).map((r) => ({
			right: r.right,
			words: r.words,
			steps: r.steps.map((i) => stepWords(sheet.steps[i]!)),
			granted: granted.has(r.right)
		})),
		builders: builders.map((b) => {
			const e = expectDuration(
				stepHistories(ctx.db, lineId, { ...sheet, builder: { ...sheet.builder, cores: b.cores, disk: b.disk } })
			);
			return { ...b, middle: e.middle, ninety: e.ninety, cost: (e.mean / HOUR) * builderPrice(ctx.db, b.cores) };
		}),
		saves: trimWords(sheet)
	};
}

/** Looks a sheet's text over: its report, or where it cannot be read. */
export async function reportOfText(
	ctx: Context,
	line: string,
	text: string
): Promise<{ report: SheetReport; remarks: TextProblem[] } | { wrong: TextProblem[] }> {
	const read = readSheet(text);
	if ('problems' in read) return { wrong: read.problems };
	const report = await reportOf(ctx, line, read.sheet);
	return {
		report: { ...report, problems: report.problems.map((p) => ({ ...p, ...read.positionOf(p) })) },
		remarks: read.remarks
	};
}
