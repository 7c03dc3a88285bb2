import { conditionText } from '$lib/core/endpoints/condition';
import { handAgainstRule, neverDecide, runThrough } from '$lib/core/endpoints/rules';
import type { Scope } from '$lib/core/scope/scope';
import type { Db } from '../db';
import { endpointsIn } from './lists';
import { branchCounts, devicesNow, endpointsAt, rulesAt, startsBefore, treeAt } from './queries';

/** What the view of endpoints shows at a moment: the tree, the rules with what they decide, who waits. */
export function endpointsView(db: Db, scope: Scope, at: number) {
	const tree = treeAt(db, at);
	const counts = branchCounts(db, tree, at);
	const rules = rulesAt(db, at);
	const run = runThrough(startsBefore(db, at), rules, tree);
	const remarks = neverDecide(rules, run);
	const against = handAgainstRule(devicesNow(db, at), rules, tree);
	const { items, left } = endpointsIn(db, scope, at);
	const known = endpointsAt(db, at);
	const nameOf = (id: string) => tree.get(id)?.name ?? id;
	return {
		left,
		total: items.length,
		awake: items.filter((e) => e.state === 'awake').length,
		waits: items.filter((e) => e.state === 'waits').length,
		rows: items,
		branches: tree.inOrder().map((b) => ({
			...b,
			depth: tree.above(b.id).length - 1,
			path: tree
				.above(b.id)
				.map((x) => x.name)
				.reverse()
				.join(' › '),
			count: counts.get(b.id)!.all
		})),
		rules: rules.map((r, i) => ({
			id: r.id,
			name: r.name,
			condition: r.text,
			words: conditionText(r.condition),
			into: r.into,
			intoName: nameOf(r.into),
			bySite: r.bySite,
			whom: r.whom,
			often: r.often,
			deeper: r.deeper,
			...run.rules[i]!,
			remarks: [
				...remarks.filter((x) => x.rule === r.id).map((x) => x.words),
				...(against.some((x) => x.rule === r.id)
					? [`takes back ${against.filter((x) => x.rule === r.id).length} that somebody has put elsewhere`]
					: [])
			]
		})),
		starts: run.rules.reduce((n, r) => n + r.starts, 0) + run.missed.starts,
		fro: run.fro.length,
		waiting: known
			.filter((e) => e.branch === null)
			.map((e) => ({ id: e.id, name: e.name, why: e.why, since: e.spotSince, copies: e.copies }))
	};
}
