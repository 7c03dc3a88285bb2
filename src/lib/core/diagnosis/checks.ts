import type { Fact } from '../why/explained';

/** The checks along the way from a person to a machine, in the order in which a failure hides those after it. */
export const CHECKS = ['powered', 'agent', 'address', 'name', 'trust', 'protocol', 'gateway'] as const;
export type CheckName = (typeof CHECKS)[number];

export const CHECK_WORDS: Record<CheckName, { asks: string; fails: string }> = {
	powered: { asks: 'Is it powered?', fails: 'it has no power though it should be up' },
	agent: { asks: 'Does the agent answer?', fails: 'its agent does not answer' },
	address: { asks: 'Has it an address?', fails: 'it has no address' },
	name: { asks: 'Does its name resolve to it?', fails: 'its name resolves to something else' },
	trust: { asks: 'Does the directory trust it?', fails: 'the directory does not trust it' },
	protocol: { asks: 'Does the display protocol listen?', fails: 'its display protocol does not listen' },
	gateway: { asks: 'Does the gateway let people through to it?', fails: 'the gateway lets nobody through to it' }
};

/** What a probe saw of one check. `null` when a check before it made it pointless. */
export interface CheckResult {
	name: CheckName;
	ok: boolean | null;
	saw: string;
}

/** The remedies of a machine, mildest first. */
export const REMEDIES = ['restart service', 'restart machine', 'reset to image'] as const;
export type Remedy = (typeof REMEDIES)[number];

const CURES: Record<CheckName, Remedy[]> = {
	powered: ['restart machine', 'reset to image'],
	agent: ['restart service', 'restart machine', 'reset to image'],
	address: ['restart machine', 'reset to image'],
	name: ['restart service', 'restart machine', 'reset to image'],
	trust: ['restart machine', 'reset to image'],
	protocol: ['restart service', 'restart machine', 'reset to image'],
	// A gateway's fault is not cured on the machine.
	gateway: []
};

/** The runbook for a failing check: which remedies to try, in order, and why none where there is none. */
export function runbookFor(check: CheckName): { remedies: Remedy[]; facts: Fact[] } {
	const remedies = CURES[check];
	return {
		remedies,
		facts: remedies.length
			? [
					{
						words: `a machine where ${CHECK_WORDS[check].fails} is helped by ${remedies.join(', else ')}`,
						source: 'runbook'
					}
				]
			: [{ words: 'the gateway is at fault, not the machine: see the findings', side: 'against', source: 'runbook' }]
	};
}

/** The first failing check decides: those after it fail because of it. Null when the machine is usable. */
export function failingCheck(results: CheckResult[]): CheckResult | null {
	return CHECKS.map((name) => results.find((r) => r.name === name)).find((r) => r?.ok === false) ?? null;
}
