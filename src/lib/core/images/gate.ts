import type { Explained, Fact } from '../why/explained';
import { apdexOf } from '../watch/apdex';

/** What was counted on some machines over some time. */
export interface Counted {
	starts: number;
	failedStarts: number;
	/** Sign-ins, the lost ones included. */
	signIns: number;
	satisfied: number;
	tolerating: number;
	machines: number;
	/** Machines with a failing check. */
	failing: number;
}

/** When a wave is good enough for the next one. Shares 0–1. */
export interface GateLimits {
	/** Largest share of starts that fail. */
	failedStarts: number;
	/** Least sign-in Apdex. */
	apdex: number;
	/** Largest share of machines with a failing check. */
	failing: number;
	/** Fewest starts and sign-ins that tell anything. */
	least: number;
}

export type Verdict = 'passes' | 'fails' | 'too few';

/** One-sided level at which a difference counts: one gate in twenty would stop a version that is no worse. */
const LEVEL = 0.05;
const Z = 1.6449;

/**
 * Judges a wave: each measure against its limit, and against the same machines at the same hours before and the machines
 * that have not moved. A measure fails when it is beyond its limit and not explained by what was so before or is so
 * elsewhere: clearly worse (one-sided, 5 %) than every comparison that has numbers enough, or without any comparison.
 * Shares are compared by Fisher's exact test (1922), Apdex by the difference of two means with their standard errors.
 */
export function judgeGate(limits: GateLimits, wave: Counted, before: Counted, others: Counted): Explained<Verdict> {
	const facts: Fact[] = [];
	const verdicts = [
		judgeShare('starts failed', 'start', limits.failedStarts, limits.least, facts, [
			[wave.failedStarts, wave.starts],
			[before.failedStarts, before.starts],
			[others.failedStarts, others.starts]
		]),
		judgeApdex(limits, wave, before, others, facts),
		judgeShare('machines have a failing check', 'machine', limits.failing, Math.min(limits.least, 3), facts, [
			[wave.failing, wave.machines],
			[before.failing, before.machines],
			[others.failing, others.machines]
		])
	];
	return {
		value: verdicts.includes('fails') ? 'fails' : verdicts.includes('too few') ? 'too few' : 'passes',
		facts
	};
}

type Count = [number, number];

function judgeShare(
	what: string,
	unit: string,
	limit: number,
	least: number,
	facts: Fact[],
	[own, before, others]: [Count, Count, Count]
): Verdict {
	const say = (words: string, side?: Fact['side']) => facts.push({ words, ...(side ? { side } : {}), source: 'gate' });
	const [k, n] = own;
	const shares = `${k} of ${n} ${what}; before ${before[0]} of ${before[1]}, on machines not moved ${others[0]} of ${others[1]}`;
	if (n < least) {
		say(`${shares}: fewer than ${least} ${unit}s are too few to tell`);
		return 'too few';
	}
	if (k / n <= limit) {
		say(`${shares}: within the limit of ${percent(limit)}`, 'for');
		return 'passes';
	}
	const compared = [before, others].filter(([, m]) => m >= least);
	const worse = compared.every((c) => fisherGreater(own, c) < LEVEL);
	if (!worse) {
		say(`${shares}: over the limit of ${percent(limit)}, but no worse than elsewhere or before`);
		return 'passes';
	}
	say(`${shares}: over the limit of ${percent(limit)}${compared.length ? ', and clearly worse' : ''}`, 'against');
	return 'fails';
}

function judgeApdex(limits: GateLimits, wave: Counted, before: Counted, others: Counted, facts: Fact[]): Verdict {
	const say = (words: string, side?: Fact['side']) => facts.push({ words, ...(side ? { side } : {}), source: 'gate' });
	const shown = (c: Counted) => apdexOf(c.satisfied, c.tolerating, c.signIns)?.toFixed(2) ?? 'none';
	const figures = `sign-in Apdex ${shown(wave)} of ${wave.signIns} sign-ins; before ${shown(before)} of ${before.signIns}, on machines not moved ${shown(others)} of ${others.signIns}`;
	if (wave.signIns < limits.least) {
		say(`${figures}: fewer than ${limits.least} sign-ins are too few to tell`);
		return 'too few';
	}
	if (apdexOf(wave.satisfied, wave.tolerating, wave.signIns)! >= limits.apdex) {
		say(`${figures}: not under ${limits.apdex}`, 'for');
		return 'passes';
	}
	const compared = [before, others].filter((c) => c.signIns >= limits.least);
	const worse = compared.every((c) => apdexWorse(wave, c) > Z);
	if (!worse) {
		say(`${figures}: under ${limits.apdex}, but no worse than elsewhere or before`);
		return 'passes';
	}
	say(`${figures}: under ${limits.apdex}${compared.length ? ', and clearly worse' : ''}`, 'against');
	return 'fails';
}

const percent = (share: number) => `${Math.round(share * 1000) / 10} %`;

/** How many standard errors the Apdex of `a` lies under that of `b`. Every sign-in scores 1, ½ or 0. */
function apdexWorse(a: Counted, b: Counted): number {
	const of = (c: Counted) => {
		const mean = apdexOf(c.satisfied, c.tolerating, c.signIns) ?? 0;
		const square = (c.satisfied + c.tolerating / 4) / Math.max(1, c.signIns);
		return { mean, error: Math.max(square - mean * mean, 1e-9) / Math.max(1, c.signIns) };
	};
	const [x, y] = [of(a), of(b)];
	return (y.mean - x.mean) / Math.sqrt(x.error + y.error);
}

/**
 * Chance of seeing at least so many in `a` when both had the same share: the upper tail of Fisher's exact test for
 * k of n against k of n.
 */
export function fisherGreater([k1, n1]: Count, [k2, n2]: Count): number {
	const k = k1 + k2;
	const top = Math.min(n1, k);
	let sum = 0;
	for (let x = k1; x <= top; x++) sum += Math.exp(logChoose(n1, x) + logChoose(n2, k - x) - logChoose(n1 + n2, k));
	return Math.min(1, sum);
}

function logChoose(n: number, k: number): number {
	if (k < 0 || k > n) return Number.NEGATIVE_INFINITY;
	let sum = 0;
	const small = Math.min(k, n - k);
	for (let i = 1; i <= small; i++) sum += Math.log((n - small + i) / i);
	return sum;
}
