import type { Fact } from '../why/explained';
import { compile, whyNot, type Condition, type Device } from './condition';
import { leftTo } from './covering';

/** A branch of the tree that endpoints stand in. */
export interface Branch {
	id: string;
	name: string;
	/** Null: it hangs on nothing. */
	parent: string | null;
	/** The site that it is for, so that a rule can put devices there by their site. */
	site: string | null;
}

/** A rule that puts devices into a branch. */
export interface EnrolmentRule {
	id: number;
	name: string;
	condition: Condition;
	/** The branch that it puts them into. */
	into: string;
	/** Not there itself, but into the branch below that is for their site, where there is one. */
	bySite: boolean;
	/** Devices that have never stood anywhere, or all. */
	whom: 'new' | 'all';
	/** At every start, or the first time that it decides. */
	often: 'start' | 'once';
	/** What somebody has put deeper by hand: left there, or moved. */
	deeper: 'stay' | 'move';
}

/** Where a device stands, and how it came there. */
export interface Stands {
	branch: string | null;
	/** The rule that put it there; null: somebody did by hand, or nobody yet. */
	rule: number | null;
	/** When somebody put it there by hand; null: nobody did. */
	byHand: number | null;
}

/** A tree of branches, for asking what lies below what. */
export class Tree {
	private readonly byId: ReadonlyMap<string, Branch>;
	constructor(readonly branches: readonly Branch[]) {
		this.byId = new Map(branches.map((b) => [b.id, b]));
	}
	get(id: string): Branch | undefined {
		return this.byId.get(id);
	}
	/** A branch and all above it, itself first; cut where they would go round. */
	above(id: string): Branch[] {
		const path: Branch[] = [];
		for (let b = this.byId.get(id); b && !path.includes(b); b = b.parent === null ? undefined : this.byId.get(b.parent))
			path.push(b);
		return path;
	}
	/** All branches as they are read: each before those below it, those beside each other in their order. */
	inOrder(): Branch[] {
		const below = (parent: string | null, path: readonly string[]): Branch[] =>
			this.branches
				.filter((b) => b.parent === parent && !path.includes(b.id))
				.flatMap((b) => [b, ...below(b.id, [...path, b.id])]);
		const found = below(null, []);
		// What hangs on something that is not there, or goes round, comes last.
		return [...found, ...this.branches.filter((b) => !found.includes(b))];
	}
	/** Whether a branch lies below another, at any depth. */
	isBelow(id: string, above: string): boolean {
		return id !== above && this.above(id).some((b) => b.id === above);
	}
	/** Where a rule puts a device of a site. */
	target(rule: Pick<EnrolmentRule, 'into' | 'bySite'>, site: string | null): string {
		if (!rule.bySite || site === null) return rule.into;
		return this.branches.find((b) => b.site === site && this.isBelow(b.id, rule.into))?.id ?? rule.into;
	}
}

/** Where a device comes to stand. */
export interface Placed {
	branch: string | null;
	/** The rule that decided; null where none did. */
	rule: number | null;
	/** It is put there, rather than left where it stood. */
	moves: boolean;
}

/** Why a rule that fits leaves a device where it stands; null: it does not. */
function leaves(rule: EnrolmentRule, stands: Stands, target: string, tree: Tree): string | null {
	const { branch, byHand } = stands;
	if (branch === null || branch === target) return null;
	if (rule.often === 'once' && stands.rule === rule.id) return 'it has put this device once, and does so no more';
	if (rule.often === 'once' && byHand !== null) return 'somebody has put it elsewhere since, and the rule decides once';
	if (rule.deeper === 'stay' && byHand !== null && tree.isBelow(branch, target))
		return `somebody has put it deeper, into ${tree.get(branch)?.name ?? branch}, and it is left there`;
	return null;
}

/** Where a device stands after a start: the first rule that fits decides. One that no rule fits stays where it is; one that has never stood anywhere waits. */
export function decide(
	device: Device,
	stands: Stands,
	rules: readonly EnrolmentRule[],
	tree: Tree,
	fits: (rule: EnrolmentRule, d: Device) => boolean
): Placed {
	for (const rule of rules) {
		if ((rule.whom === 'new' && stands.branch !== null) || !fits(rule, device)) continue;
		const target = tree.target(rule, device.site);
		return leaves(rule, stands, target, tree) === null
			? { branch: target, rule: rule.id, moves: stands.branch !== target }
			: { branch: stands.branch, rule: rule.id, moves: false };
	}
	return { branch: stands.branch, rule: null, moves: false };
}

/** The same, with the rule that decided, and why those before it did not. */
export function place(
	device: Device,
	stands: Stands,
	rules: readonly EnrolmentRule[],
	tree: Tree
): Placed & { facts: Fact[] } {
	const placed = decide(device, stands, rules, tree, ready(rules));
	const source = 'enrolment rules';
	const at = placed.rule === null ? rules.length : rules.findIndex((r) => r.id === placed.rule);
	const called = (i: number) => `rule ${i + 1}, ${rules[i]!.name}`;
	const before = rules.slice(0, at).map((rule, i): Fact => ({
		words:
			rule.whom === 'new' && stands.branch !== null
				? `${called(i)}: for new devices alone`
				: `${called(i)}, does not fit: ${whyNot(rule.condition, device) ?? 'by its condition'}`,
		source
	}));
	if (placed.rule === null)
		return {
			...placed,
			facts: [
				stands.branch === null
					? { words: 'no rule lets it in: it waits', side: 'against', source }
					: { words: 'no rule fits: it stays where it stands', source },
				...before.reverse()
			]
		};
	const rule = rules[at]!;
	const target = tree.target(rule, device.site);
	const left = leaves(rule, stands, target, tree);
	return {
		...placed,
		facts: [
			{ words: `${called(at)}, fits: ${tree.get(target)?.name ?? target}`, side: 'for', source },
			...(left === null ? [] : [{ words: left, source }]),
			...before.reverse()
		]
	};
}

/** Rules ready to be asked of many devices. */
export function ready(rules: readonly EnrolmentRule[]): (rule: EnrolmentRule, d: Device) => boolean {
	const tests = new Map(rules.map((r) => [r, compile(r.condition)]));
	return (rule, d) => tests.get(rule)!(d);
}

/** Some starts of one device that are alike: from the same address, with the same firmware. */
export interface Starts {
	device: Device;
	/** How often. */
	times: number;
}

/** What rules make of starts. */
export interface RunThrough {
	/** For each rule, in their order: starts that it decides, devices, and starts that it fits and an earlier one decides. */
	rules: { starts: number; devices: number; behind: number }[];
	/** Starts that no rule fits, and their devices. */
	missed: { starts: number; devices: number };
	/** Devices that rules put into one branch at some starts and into another at others, with the branches. */
	fro: { serial: string; branches: string[] }[];
}

/** Runs starts through rules: which decides how many. Whom a rule is for, and how often, is left aside: what counts is which fits first. */
export function runThrough(starts: readonly Starts[], rules: readonly EnrolmentRule[], tree: Tree): RunThrough {
	const tests = rules.map((r) => compile(r.condition));
	const found = rules.map(() => ({ starts: 0, behind: 0, devices: new Set<string>() }));
	const missed = { starts: 0, devices: new Set<string>() };
	const targets = new Map<string, Set<string>>();
	for (const { device, times } of starts) {
		let first = -1;
		for (let i = 0; i < tests.length; i++) {
			if (!tests[i]!(device)) continue;
			if (first < 0) {
				first = i;
				found[i]!.starts += times;
				found[i]!.devices.add(device.serial);
			} else found[i]!.behind += times;
		}
		if (first < 0) {
			missed.starts += times;
			missed.devices.add(device.serial);
			continue;
		}
		const rule = rules[first]!;
		if (rule.whom === 'all' && rule.often === 'start') {
			const to = targets.get(device.serial);
			const target = tree.target(rule, device.site);
			if (to) to.add(target);
			else targets.set(device.serial, new Set([target]));
		}
	}
	return {
		rules: found.map((f) => ({ starts: f.starts, behind: f.behind, devices: f.devices.size })),
		missed: { starts: missed.starts, devices: missed.devices.size },
		fro: [...targets].filter(([, to]) => to.size > 1).map(([serial, to]) => ({ serial, branches: [...to].sort() }))
	};
}

/** What is to be said of a rule beside what it decides. */
export interface Remark {
	rule: number;
	/** Whether it holds whatever devices there are, or of those that are known. */
	sure: boolean;
	words: string;
}

/**
 * Rules that never decide: because their condition can hold of nothing, because earlier ones take all of it, or, where patterns are in play, because
 * no device that is known has ever come to them.
 */
export function neverDecide(rules: readonly EnrolmentRule[], run: RunThrough): Remark[] {
	return leftTo(rules.map((r) => r.condition)).flatMap((l, i): Remark[] => {
		const { id } = rules[i]!;
		if (l.left === 'impossible')
			return [{ rule: id, sure: true, words: 'never decides: its condition can hold of no device' }];
		if (l.left === 'none') {
			const by = l.by.map((n) => String(n + 1));
			return [
				{
					rule: id,
					sure: true,
					words: `never decides: rule${by.length === 1 ? '' : 's'} ${by.join(', ')} ${by.length === 1 ? 'has' : 'have'} all of it`
				}
			];
		}
		const seen = run.rules[i]!;
		if (seen.starts === 0 && seen.behind > 0)
			return [
				{
					rule: id,
					sure: false,
					words: 'has decided nothing: all that it fits, earlier rules have, as far as devices are known'
				}
			];
		return [];
	});
}

/** A device that would stand elsewhere. */
export interface Moved {
	serial: string;
	from: string | null;
	to: string | null;
	rule: number | null;
}

/** Where each of some devices would come to stand by one list of rules and by another: those that differ, and those that no rule of the later fits. */
export function compareRules(
	devices: readonly { device: Device; stands: Stands }[],
	before: readonly EnrolmentRule[],
	after: readonly EnrolmentRule[],
	tree: Tree,
	afterTree: Tree = tree
): { moves: Moved[]; missed: string[] } {
	const fitsBefore = ready(before);
	const fitsAfter = ready(after);
	const moves: Moved[] = [];
	const missed: string[] = [];
	for (const { device, stands } of devices) {
		const was = decide(device, stands, before, tree, fitsBefore);
		const is = decide(device, stands, after, afterTree, fitsAfter);
		if (is.rule === null && was.rule !== null && is.branch === null) missed.push(device.serial);
		if (is.branch !== was.branch) moves.push({ serial: device.serial, from: was.branch, to: is.branch, rule: is.rule });
	}
	return { moves, missed };
}

/** Devices that somebody has put by hand where a rule takes them away from at every start. */
export function handAgainstRule(
	devices: readonly { device: Device; stands: Stands }[],
	rules: readonly EnrolmentRule[],
	tree: Tree
): { serial: string; rule: number; from: string; to: string }[] {
	const fits = ready(rules);
	return devices.flatMap(({ device, stands }) => {
		if (stands.byHand === null || stands.branch === null) return [];
		const p = decide(device, stands, rules, tree, fits);
		return p.moves && p.rule !== null
			? [{ serial: device.serial, rule: p.rule, from: stands.branch, to: p.branch! }]
			: [];
	});
}
