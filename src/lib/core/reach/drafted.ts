import { layOver } from './compare';
import type { AccessRule } from './rules';

/** What a draft makes of a rule. */
export const MARKS = ['same', 'new', 'changed', 'moved', 'gone'] as const;
export type Mark = (typeof MARKS)[number];

/** A rule of a draft, beside what it is in force. */
export interface DraftedRule {
	rule: AccessRule;
	mark: Mark;
	/** Its number in the draft, and in force, from 1 on; null: it does not stand there. */
	number: number | null;
	was: number | null;
	/** What it says in force, where the draft has it say something else. */
	earlier: AccessRule | null;
}

/**
 * The rules of a draft in their order, and those that it removes behind the rule that they stand behind in force.
 * @param moved ids of rules that somebody has moved; without it those that the fewest moves account for
 */
export function draftedRules(
	before: readonly AccessRule[],
	after: readonly AccessRule[],
	moved: ReadonlySet<string> = new Set(layOver(before, after).flatMap((l) => (l.in === 'after' ? [l.rule.id] : [])))
): DraftedRule[] {
	const numbers = new Map(before.map((r, i) => [r.id, i + 1]));
	const stays = new Set(after.map((r) => r.id));
	/** Rules that go, by the one that stays before them. */
	const gone = new Map<string | null, DraftedRule[]>();
	let behind: string | null = null;
	for (const rule of before) {
		if (stays.has(rule.id)) behind = rule.id;
		else {
			const row: DraftedRule = { rule, mark: 'gone', number: null, was: numbers.get(rule.id)!, earlier: null };
			gone.set(behind, [...(gone.get(behind) ?? []), row]);
		}
	}
	const rows = after.map((rule, i): DraftedRule => {
		const number = i + 1;
		const was = numbers.get(rule.id) ?? null;
		if (was === null) return { rule, mark: 'new', number, was, earlier: null };
		const earlier = before[was - 1]!;
		if (JSON.stringify(earlier) !== JSON.stringify(rule)) return { rule, mark: 'changed', number, was, earlier };
		return { rule, mark: moved.has(rule.id) && number !== was ? 'moved' : 'same', number, was, earlier: null };
	});
	return [...(gone.get(null) ?? []), ...rows.flatMap((row) => [row, ...(gone.get(row.rule.id) ?? [])])];
}
