import { describe, expect, test } from 'vitest';
import { CHECKS, failingCheck, runbookFor } from './checks';
import { gatewayFindings, networkFindings, poolFinding, signInFindings, volumeFindings } from './findings';

describe('checks', () => {
	test('the first failing one decides', () => {
		expect(
			failingCheck([
				{ name: 'protocol', ok: false, saw: '' },
				{ name: 'agent', ok: false, saw: 'x' }
			])
		).toMatchObject({ name: 'agent' });
		expect(
			failingCheck([
				{ name: 'powered', ok: true, saw: '' },
				{ name: 'agent', ok: null, saw: '' }
			])
		).toBeNull();
	});
	test('every check has a runbook that ends with the strongest remedy, but for the gateway’s', () => {
		for (const check of CHECKS) {
			const { remedies, facts } = runbookFor(check);
			expect(facts.length).toBeGreaterThan(0);
			expect(remedies.at(-1)).toBe(check === 'gateway' ? undefined : 'reset to image');
		}
	});
});

describe('findings', () => {
	const port = {
		gateway: 'g',
		site: 's',
		siteName: 'Quay',
		protocol: 'stream',
		announced: 3748,
		listens: 3478,
		since: 5,
		othersSay: [3478]
	};
	test('a gateway that announces another port than it listens on, with the plan that mends it', () => {
		expect(gatewayFindings([port, { ...port, announced: 3478 }])).toMatchObject([
			{ remedy: { kind: 'gateway.set-port', input: { port: 3478 } } }
		]);
	});
	test('volumes and networks near their end', () => {
		expect(
			volumeFindings([
				{ id: 'v', site: 's', size: 100, used: 91 },
				{ id: 'w', site: 's', size: 100, used: 80 }
			]).map((f) => f.subject.id)
		).toEqual(['v']);
		expect(networkFindings([{ id: 'n', site: 's', free: 2, size: 50 }])[0]!.title).toMatch(/2 addresses left/);
	});
	test('a version whose sign-ins are slow in one phase, named with the part; not from too few', () => {
		const v = (version: string, drives: number, count = 20) => ({
			line: 'desk',
			version,
			count,
			phases: { drives },
			worstPart: { drives: { name: 'drive T', ms: drives - 1000 } }
		});
		const found = signInFindings([v('1.0.0', 1600), v('1.1.0', 47_000), v('1.2.0', 90_000, 3)]);
		expect(found.map((f) => f.subject.id)).toEqual(['desk/1.1.0']);
		expect(found[0]!.facts.some((f) => /drive T/.test(f.words))).toBe(true);
	});
	const pool = {
		id: 'p',
		name: 'P',
		site: 's',
		holds: 40,
		inUse: 30,
		demand: 38,
		spread: 5,
		at: 0,
		clock: '15:00',
		usableMachines: 40,
		most: 40,
		perMachine: 1
	};
	test('a pool that may run out; with a plan where the policy is what holds it back', () => {
		expect(poolFinding(pool)).toMatchObject({ remedy: null });
		expect(poolFinding({ ...pool, usableMachines: 50 })!.remedy!.input).toEqual({ pool: 'p', most: 43 });
		expect(poolFinding({ ...pool, demand: 20 })).toBeNull();
	});
});
