import { countWords, durationWords, moneyWords, sizeWords } from '../time/units';
import type { Fact, Ref } from '../why/explained';

/** Somebody or something that a plan touches, and how. */
export interface Touched extends Ref {
	how?: string;
	/** They are better off for it, or it harms them in nothing: one more of them makes a plan no worse. */
	helped?: boolean;
}

/** What a plan does, before it does it. Lists are complete: counts are their lengths. */
export interface Effects {
	people: Touched[];
	sessionsEnded: Touched[];
	machines: Touched[];
	/** Devices that people sit at. */
	endpoints?: Touched[] | undefined;
	/** Bytes moved over networks or written to volumes. */
	bytes: number;
	/** Ms: the middle, and what nine in ten stay under. */
	duration: { middle: number; ninety: number };
	/** Cents a month; null where the plan does not bear on cost. */
	cost: { before: number; after: number } | null;
}

export const noEffects = (): Effects => ({
	people: [],
	sessionsEnded: [],
	machines: [],
	bytes: 0,
	duration: { middle: 1000, ninety: 2000 },
	cost: null
});

/** The effects as short clauses, those that are nothing left out. */
export function effectWords(effects: Effects): string[] {
	const words: string[] = [];
	if (effects.people.length) words.push(countWords(effects.people.length, 'person affected', 'people affected'));
	if (effects.sessionsEnded.length)
		words.push(countWords(effects.sessionsEnded.length, 'session ended', 'sessions ended'));
	if (effects.machines.length) words.push(countWords(effects.machines.length, 'machine'));
	if (effects.endpoints?.length) words.push(countWords(effects.endpoints.length, 'endpoint'));
	if (effects.bytes) words.push(sizeWords(effects.bytes));
	words.push(`about ${durationWords(effects.duration.middle)}`);
	if (effects.cost && effects.cost.after !== effects.cost.before) {
		const more = effects.cost.after - effects.cost.before;
		words.push(`${more > 0 ? '+' : ''}${moneyWords(more)} a month`);
	}
	return words;
}

/** What a plan would do, in short: as a form shows it while it is filled in. */
export interface Outline {
	title: string;
	/** Its effects, in short clauses. */
	effects: string[];
	people: { count: number; first: string[] };
	warnings: Fact[];
	blocks: Fact[];
	reasons: Fact[];
	undoWords: string;
}

/** So many facts of a kind an outline has at most: a plan may have one for each of 20,000 machines. */
const FACTS = 50;
const PEOPLE = 10;

/** A plan in short. Counts are of all of it; names and facts are the first. */
export const outlineOf = (plan: Omit<Outline, 'effects' | 'people'> & { effects: Effects }): Outline => ({
	title: plan.title,
	effects: effectWords(plan.effects),
	people: {
		count: plan.effects.people.length,
		first: plan.effects.people.slice(0, PEOPLE).map((p) => p.name ?? p.id)
	},
	warnings: plan.warnings.slice(0, FACTS),
	blocks: plan.blocks.slice(0, FACTS),
	reasons: plan.reasons.slice(0, FACTS),
	undoWords: plan.undoWords
});

/**
 * What has become worse between the plan as reviewed and as recomputed, in words; empty when it still holds.
 * Somebody new who is touched (and not helped), a session more that ends, another machine, or a fifth more bytes, time or cost
 * is worse. Fewer of anything is not: the plan then does less than was agreed to.
 */
export function whatGotWorse(before: Effects, after: Effects): Fact[] {
	const worse: Fact[] = [];
	const newcomers = (was: Touched[], is: Touched[], clause: (name: string) => string) => {
		const known = new Set(was.map((t) => `${t.kind}/${t.id}`));
		for (const t of is)
			if (!t.helped && !known.has(`${t.kind}/${t.id}`))
				worse.push({ words: clause(t.name ?? t.id), side: 'against', about: t });
	};
	newcomers(before.people, after.people, (name) => `${name} would now be affected`);
	newcomers(before.sessionsEnded, after.sessionsEnded, (name) => `the session of ${name} would now end`);
	newcomers(before.machines, after.machines, (name) => `${name} would now be touched`);
	newcomers(before.endpoints ?? [], after.endpoints ?? [], (name) => `${name} would now be touched`);
	if (after.bytes > before.bytes * 1.2)
		worse.push({ words: `${sizeWords(after.bytes)} would move, not ${sizeWords(before.bytes)}`, side: 'against' });
	if (after.duration.ninety > before.duration.ninety * 1.2 + 60_000) {
		worse.push({
			words: `it would take ${durationWords(after.duration.middle)}, not ${durationWords(before.duration.middle)}`,
			side: 'against'
		});
	}
	if (after.cost && before.cost && after.cost.after > before.cost.after * 1.2 + 100) {
		worse.push({
			words: `it would cost ${moneyWords(after.cost.after)} a month, not ${moneyWords(before.cost.after)}`,
			side: 'against'
		});
	}
	return worse;
}
