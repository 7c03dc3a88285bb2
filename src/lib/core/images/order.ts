import type { Fact } from '../why/explained';
import { kindOf } from './library/kinds';
import type { SheetStep } from './sheet-step';

/** One step has to stand before another; `by` is the step whose rule says so, `rule` numbers that rule. */
export interface Must {
	before: number;
	after: number;
	by: number;
	rule: number;
	why: string;
	/** The rule as words without its reason: “must be last”. */
	says: string;
}

const quoted = (step: SheetStep) => `“${wordsOf(step)}”`;
const wordsOf = (step: SheetStep) => kindOf(step.kind)?.words(step.with) ?? step.kind;

/** Every order that the steps' kinds and their own `after` ask for. */
export function mustsOf(steps: readonly SheetStep[]): Must[] {
	const musts: Must[] = [];
	const closes = steps.map((s) => kindOf(s.kind)?.closes === true);
	steps.forEach((step, i) => {
		const rules = kindOf(step.kind)?.rules ?? [];
		rules.forEach((rule, n) => {
			const must = (before: number, after: number, says: string) =>
				musts.push({ before, after, by: i, rule: n, why: rule.why, says });
			steps.forEach((other, j) => {
				if (i === j) return;
				// Two of a kind that may stand once are another complaint: neither can be made to be first.
				if (other.kind === step.kind) return;
				switch (rule.kind) {
					case 'first':
						must(i, j, 'must be first');
						break;
					case 'last':
						must(j, i, 'must be last');
						break;
					case 'last but closing':
						if (!closes[j]) must(j, i, 'must be last but for what closes the image');
						break;
					case 'before':
						if (other.kind === rule.step) must(i, j, `must come before ${quoted(other)}`);
						break;
					case 'after':
					case 'needs':
						if (other.kind === rule.step) must(j, i, `must come after ${quoted(other)}`);
						break;
				}
			});
		});
		for (const id of step.after ?? []) {
			const j = steps.findIndex((other) => other.id === id);
			if (j >= 0 && j !== i)
				musts.push({
					before: j,
					after: i,
					by: i,
					rule: rules.length + j,
					why: 'its own line “after” says so',
					says: `must come after ${quoted(steps[j]!)}`
				});
		}
	});
	return musts;
}

/** What stands in the wrong order: one complaint for each rule that is broken, at the step that has the rule. */
export function brokenMusts(steps: readonly SheetStep[], musts: readonly Must[]): { step: number; fact: Fact }[] {
	const said = new Set<string>();
	const broken: { step: number; fact: Fact }[] = [];
	for (const m of musts) {
		if (m.before < m.after) continue;
		const key = `${m.by}/${m.rule}`;
		if (said.has(key)) continue;
		said.add(key);
		broken.push({
			step: m.by,
			fact: { words: `${quoted(steps[m.by]!)} ${m.says}: ${m.why}`, side: 'against', source: 'build sheet' }
		});
	}
	return broken;
}

/** Steps that wait for one another, in a circle, or null where an order exists. */
export function circle(n: number, musts: readonly Must[]): number[] | null {
	const next: number[][] = Array.from({ length: n }, () => []);
	for (const m of musts) next[m.before]!.push(m.after);
	const state = new Uint8Array(n);
	const path: number[] = [];
	const visit = (i: number): number[] | null => {
		state[i] = 1;
		path.push(i);
		for (const j of next[i]!) {
			if (state[j] === 1) return path.slice(path.indexOf(j));
			if (state[j] === 0) {
				const found = visit(j);
				if (found) return found;
			}
		}
		path.pop();
		state[i] = 2;
		return null;
	};
	for (let i = 0; i < n; i++) {
		if (state[i] !== 0) continue;
		const found = visit(i);
		if (found) return found;
	}
	return null;
}

export interface Nearest {
	/** Steps by their old position, in the new order. */
	order: number[];
	/** Steps that have to be moved, by their old position: as few as there can be. */
	moved: number[];
}

/**
 * The valid order that is reached by moving the fewest steps, or null when steps wait for one another in a circle.
 *
 * Steps that stay keep their order among themselves, and that is possible exactly when no two of them stand the
 * wrong way round (a later one that must precede an earlier one). “Must precede, and stands later” is itself a partial
 * order, so the largest set that may stay is a largest antichain of it: by Dilworth's theorem (1950) the number of
 * chains in a least chain cover, found by bipartite matching (Fulkerson 1956) with the antichain read off König's
 * vertex cover. The moved steps go as near to their old positions as the order lets them.
 */
export function nearestOrder(n: number, musts: readonly Must[]): Nearest | null {
	if (circle(n, musts)) return null;
	const precedes = closure(n, musts);
	// wrong[b] = steps a that stand before b although b must precede them.
	const wrong: number[][] = Array.from({ length: n }, (_v, b) => {
		const list: number[] = [];
		for (let a = 0; a < b; a++) if (precedes[b]![a]) list.push(a);
		return list;
	});
	const stays = largestAntichain(n, wrong);

	const waits = new Int32Array(n);
	const next: number[][] = Array.from({ length: n }, () => []);
	const edge = (a: number, b: number) => {
		next[a]!.push(b);
		waits[b]!++;
	};
	for (const m of musts) edge(m.before, m.after);
	let last = -1;
	for (let i = 0; i < n; i++) {
		if (!stays[i]) continue;
		if (last >= 0) edge(last, i);
		last = i;
	}
	const order: number[] = [];
	const ready = Array.from({ length: n }, (_v, i) => i).filter((i) => waits[i] === 0);
	while (ready.length) {
		let best = 0;
		for (let k = 1; k < ready.length; k++) if (ready[k]! < ready[best]!) best = k;
		const i = ready.splice(best, 1)[0]!;
		order.push(i);
		for (const j of next[i]!) if (--waits[j]! === 0) ready.push(j);
	}
	return { order, moved: Array.from({ length: n }, (_v, i) => i).filter((i) => !stays[i]) };
}

/** precedes[a][b]: a must stand before b, directly or by way of others. */
function closure(n: number, musts: readonly Must[]): Uint8Array[] {
	const reach = Array.from({ length: n }, () => new Uint8Array(n));
	for (const m of musts) reach[m.before]![m.after] = 1;
	for (let k = 0; k < n; k++)
		for (let i = 0; i < n; i++) {
			if (!reach[i]![k]) continue;
			const [to, via] = [reach[i]!, reach[k]!];
			for (let j = 0; j < n; j++) if (via[j]) to[j] = 1;
		}
	return reach;
}

/** The largest set without two that are related, of a partial order given by each one's relations (all of them). */
function largestAntichain(n: number, related: readonly (readonly number[])[]): boolean[] {
	const right = new Int32Array(n).fill(-1);
	const left = new Int32Array(n).fill(-1);
	const augment = (u: number, seen: Uint8Array): boolean => {
		for (const w of related[u]!) {
			if (seen[w]) continue;
			seen[w] = 1;
			if (right[w]! < 0 || augment(right[w]!, seen)) {
				right[w] = u;
				left[u] = w;
				return true;
			}
		}
		return false;
	};
	for (let u = 0; u < n; u++) augment(u, new Uint8Array(n));
	// Reachable from what is unmatched on the left, by edges not matched, then matched: König's cover is the rest.
	const seenLeft = new Uint8Array(n);
	const seenRight = new Uint8Array(n);
	const stack = Array.from({ length: n }, (_v, u) => u).filter((u) => left[u]! < 0);
	for (const u of stack) seenLeft[u] = 1;
	for (let u = stack.pop(); u !== undefined; u = stack.pop())
		for (const w of related[u]!) {
			if (seenRight[w]) continue;
			seenRight[w] = 1;
			const back = right[w]!;
			if (back >= 0 && !seenLeft[back]) {
				seenLeft[back] = 1;
				stack.push(back);
			}
		}
	return Array.from({ length: n }, (_v, i) => seenLeft[i] === 1 && seenRight[i] === 0);
}
