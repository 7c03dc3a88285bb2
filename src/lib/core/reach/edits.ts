import type { AccessRule } from './rules';
import { layOver } from './compare';

/** One change to rules in their order. `before`: the rule that it comes to stand before; null: at the end. */
export type Edit<R> =
	/** A new rule, or another in the place of the one of its id. Without `before` that one stays where it stands, and a new one comes last. */
	{ put: R; before?: string | null | undefined } | { move: string; before: string | null } | { remove: string };

/** Why an edit cannot be made, and the number of the edit. */
export interface EditProblem {
	edit: number;
	field: 'before' | 'move' | 'remove';
	words: string;
}

/** Makes edits one after another. @returns the rules, or what is wrong with the first edit that cannot be made */
export function editRules(
	rules: readonly AccessRule[],
	edits: readonly Edit<AccessRule>[]
): AccessRule[] | EditProblem {
	let list = [...rules];
	for (const [edit, e] of edits.entries()) {
		const missing = (field: EditProblem['field'], id: string): EditProblem => ({
			edit,
			field,
			words: `There is no rule ${id.slice(0, 80)}.`
		});
		const at = (id: string) => list.findIndex((r) => r.id === id);
		const standing = 'put' in e ? at(e.put.id) : at('move' in e ? e.move : e.remove);
		if ('remove' in e) {
			if (standing < 0) return missing('remove', e.remove);
			list = list.filter((_r, i) => i !== standing);
			continue;
		}
		if ('move' in e && standing < 0) return missing('move', e.move);
		const rule = 'put' in e ? e.put : list[standing]!;
		if (e.before === undefined) {
			if (standing < 0) list.push(rule);
			else list[standing] = rule;
			continue;
		}
		// Before itself is where it stands.
		if (e.before === rule.id && standing >= 0) {
			list[standing] = rule;
			continue;
		}
		if (standing >= 0) list.splice(standing, 1);
		const next = e.before === null ? list.length : at(e.before);
		if (next < 0) return missing('before', e.before!);
		list.splice(next, 0, rule);
	}
	return list;
}

/** Edits that make one list of rules of another: few where they differ in little. */
export function editsBetween(from: readonly AccessRule[], to: readonly AccessRule[]): Edit<AccessRule>[] {
	const stays = new Set(to.map((r) => r.id));
	const edits: Edit<AccessRule>[] = from.flatMap((r) => (stays.has(r.id) ? [] : [{ remove: r.id }]));
	const fresh = new Set(layOver(from, to).flatMap((l) => (l.in === 'after' ? [l.rule] : [])));
	// From the end on, so that what a rule comes to stand before is there.
	for (let i = to.length - 1; i >= 0; i--)
		if (fresh.has(to[i]!)) edits.push({ put: to[i]!, before: to[i + 1]?.id ?? null });
	return edits;
}
