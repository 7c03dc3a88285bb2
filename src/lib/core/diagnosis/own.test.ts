import { expect, test } from 'vitest';
import { CHECKS } from './checks';
import { ownRemedies } from './own';

test('somebody may start anew what is theirs, and never resets it', () => {
	expect(ownRemedies('agent', { kept: true, others: 0 }).value).toEqual(['restart service', 'restart machine']);
	for (const check of CHECKS)
		for (const machine of [
			{ kept: true, others: 0 },
			{ kept: false, others: 0 },
			{ kept: false, others: 9 }
		])
			expect(ownRemedies(check, machine).value).not.toContain('reset to image');
});

test('nobody ends the sessions of others', () => {
	const shared = ownRemedies('protocol', { kept: false, others: 3 });
	expect(shared.value).toEqual(['restart service']);
	expect(shared.facts.map((f) => f.words)).toContain('others are on it: only its service may be started anew');
	expect(ownRemedies('address', { kept: false, others: 3 }).value).toEqual([]);
	expect(ownRemedies('address', { kept: false, others: 0 }).value).toEqual(['restart machine']);
});

test('a gateway is not mended on a machine', () => {
	expect(ownRemedies('gateway', { kept: true, others: 0 }).value).toEqual([]);
});
