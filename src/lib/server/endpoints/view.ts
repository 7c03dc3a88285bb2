import { conditionText } from '$lib/core/endpoints/condition';
import {
	handAgainstRule,
	neverDecide,
	runThrough,
	type Remark,
	type RunThrough,
	type Tree
} from '$lib/core/endpoints/rules';
import { narrow, type Scope } from '$lib/core/scope/scope';
import { MINUTE } from '$lib/core/time/units';
import { setting, type Db } from '../db';
import type { PageAsk } from '../lists/kind';
import { CALLED_AT } from '../network';
import { admissionsAt, announcedBySite } from './announced';
import { firmwareWishes } from './firmware';
import { wishesView } from './firmware-plans';
import { announcedEndpoints, endpointCounts, endpointFirmware, firmwareIn } from './lists';
import {
	branchCounts,
	devicesNow,
	endpointsAt,
	NOWHERE,
	type RuleRow,
	rulesAt,
	startsBefore,
	treeAt,
	waits
} from './queries';
import { MANY } from './work-plans';

/** So long what rules have decided is shown as it was worked out, ms: starts of a month are many. */
const HOLDS = 5 * MINUTE;
const known = new WeakMap<Db, { key: string; made: { run: RunThrough; remarks: Remark[] } }>();

/**
 * What the rules of a moment make of the starts before it, up to the last five minutes. Known again by those very rules and branches: what
 * is shown may be a moment before a change that is written already.
 */
function decided(db: Db, at: number, rules: readonly RuleRow[], tree: Tree): { run: RunThrough; remarks: Remark[] } {
	const key = JSON.stringify([
		Math.floor(at / HOLDS),
		rules.map((r) => [r.id, r.text, r.into, r.bySite, r.whom, r.often, r.deeper]),
		tree.inOrder()
	]);
	const held = known.get(db);
	if (held?.key === key) return held.made;
	const run = runThrough(startsBefore(db, at), rules, tree);
	const made = { run, remarks: neverDecide(rules, run) };
	known.set(db, { key, made });
	return made;
}

/** What the view of endpoints shows at a moment: the tree, the rules with what they decide, who waits. */
export function endpointsView(db: Db, scope: Scope, at: number) {
	const tree = treeAt(db, at);
	const counts = branchCounts(db, tree, at);
	const rules = rulesAt(db, at);
	const { run, remarks } = decided(db, at, rules, tree);
	// Those alone that somebody has put by hand.
	const against = handAgainstRule(devicesNow(db, at, 'sp.by IS NOT NULL'), rules, tree);
	const inScope = endpointCounts(db, scope, at, MANY + 1);
	const nameOf = (id: string) => tree.get(id)?.name ?? id;
	return {
		...inScope,
		/** Those on a wire that sleep, where one plan can wake them all. */
		asleep: inScope.asleep.length <= MANY ? inScope.asleep : [],
		/** Those that are let in, and those of them that are awake, where one plan can be about them all. */
		letIn: inScope.letIn.length <= MANY ? inScope.letIn : [],
		wakeful: inScope.wakeful.length <= MANY ? inScope.wakeful : [],
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
		waiting: endpointsAt(db, at, NOWHERE)
			.filter(waits)
			.map((e) => ({ id: e.id, name: e.name, why: e.why, since: e.spotSince, copies: e.copies }))
	};
}

/** Which firmware is wished for which branch, how the devices of a scope stand to it, and a page of the devices for which any is. */
export function firmwareView(db: Db, ask: PageAsk) {
	const tree = treeAt(db, ask.at);
	const { rows, total } = endpointFirmware.page(db, ask);
	return {
		wishes: wishesView(
			firmwareIn(db, ask.scope, ask.at).items,
			firmwareWishes(db, ask.at),
			(branch) => tree.get(branch)?.name ?? branch
		),
		rows,
		total
	};
}

/** How devices come: where they are to call, how they are let in at each site of a scope, and a page of those that were announced. */
export function comingView(db: Db, ask: PageAsk) {
	const { items } = narrow(ask.scope, announcedBySite(db, ask.at), { site: (s) => s.id }, (s) => s.name);
	const { rows, total } = announcedEndpoints.page(db, ask);
	return {
		calledAt: setting(db, CALLED_AT) ?? '',
		elsewhere: admissionsAt(db, ask.at).get('') ?? ('rules' as const),
		sites: items.map((s) => ({ ...s, away: s.away.length })),
		rows,
		total
	};
}
