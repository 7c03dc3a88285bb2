import { describe, expect, test } from 'vitest';
import { ATTACH_CAUSES, mayAttach, sentenceFor, type AttachingMachine, type PackageNeeds } from './attaching';
import { judgeTrial, trialFacts, type TargetRun } from './trial';
import { USUAL_WRITES } from './scope';

const SYSTEM = { name: 'Meridian Server', version: '24', users: 'multi' as const };
const needs = (more: Partial<PackageNeeds> = {}): PackageNeeds => ({
	package: 'tide',
	version: '1.0.0',
	title: 'Tide',
	manifest: 'sha256:1',
	system: SYSTEM,
	vouched: [],
	size: 5e6,
	unpacked: 20e6,
	agent: '',
	services: [],
	ports: [],
	order: 2,
	...more
});
const machine = (more: Partial<AttachingMachine> = {}): AttachingMachine => ({
	system: SYSTEM,
	agent: '9.2',
	diskFree: 1e9,
	storeTrouble: null,
	others: [],
	...more
});
const other = (more: object) => ({ package: 'gauge', services: ['link'], ports: ['7071'], order: 1, open: 0, ...more });

describe('whether a package can be attached to a machine', () => {
	test.each<[string, Partial<PackageNeeds>, Partial<AttachingMachine>, string | null]>([
		['it fits', {}, {}, null],
		['another system', {}, { system: { ...SYSTEM, version: '22' } }, 'system'],
		[
			'another system that somebody vouches for',
			{ vouched: [{ system: { ...SYSTEM, version: '22' }, by: 'Ada', at: 0, why: 'tried' }] },
			{ system: { ...SYSTEM, version: '22' } },
			null
		],
		['a silent agent', {}, { agent: null }, 'agent'],
		['an old agent', { agent: '9.10' }, {}, 'agent'],
		['a new enough agent', { agent: '9.2' }, {}, null],
		['a service that an earlier package has', { services: ['link'] }, { others: [other({})] }, 'clash'],
		['a port that an earlier package has', { ports: ['7071'] }, { others: [other({})] }, 'clash'],
		['a port that a later package has', { ports: ['7071'] }, { others: [other({ order: 3 })] }, null],
		['a later one with the port, open', { ports: ['7071'] }, { others: [other({ order: 3, open: 1 })] }, 'clash'],
		['another version of itself', { ports: ['7071'] }, { others: [other({ package: 'tide' })] }, null],
		['no room', {}, { diskFree: 19e6 }, 'disk'],
		['the store out of reach', {}, { storeTrouble: 'the link is down' }, 'store']
	])('%s', (_name, n, m, cause) => {
		const answer = mayAttach(needs(n), machine(m));
		expect(answer.value).toBe(cause);
		expect(answer.facts.some((f) => f.side === 'against')).toBe(cause !== null || (n.vouched?.length ?? 0) > 0);
	});
	test('the person is told in a sentence what to do, whatever the cause', () => {
		for (const cause of [...ATTACH_CAUSES, null]) {
			const words = sentenceFor('Tide', cause);
			expect(words).toMatch(/^Tide [^:]+\. .+\.$/);
			expect(words).not.toMatch(/error|code|failed|null/i);
		}
		expect(new Set([...ATTACH_CAUSES, null].map((c) => sentenceFor('Tide', c))).size).toBeGreaterThan(3);
	});
});

describe('a trial', () => {
	const run = (more: Partial<TargetRun> = {}): TargetRun => ({
		id: 'a',
		name: 'A',
		started: true,
		words: '',
		cold: 2000,
		ahead: 1100,
		reads: [
			{ path: 'C:/P/a.exe', bytes: 10 },
			{ path: 'C:/P/x.dll', bytes: 5 }
		],
		writes: ['C:/P/a.log', 'C:/Users/ann/Documents/a.dat'],
		...more
	});
	test('passes when every target starts and no write is refused; what all read is the warm-up list', () => {
		const trial = judgeTrial(
			[run(), run({ id: 'b', name: 'B', reads: [{ path: 'C:/P/x.dll', bytes: 5 }] })],
			USUAL_WRITES,
			SYSTEM
		);
		expect(trial.passed).toBe(true);
		expect(trial.targets[0]!.writes.map((w) => w.to)).toEqual(['overlay', 'place']);
		expect(trial.warmUp.map((w) => w.path)).toEqual(['C:/P/a.exe', 'C:/P/x.dll']);
		expect(trialFacts(trial)[0]!.words).toBe('A starts in 2 s, in 1.1 s with its 2 files (15 B) read ahead');
	});
	test('fails when one does not start, when a write is refused, or when there is nothing to start', () => {
		const one = judgeTrial([run(), run({ started: false, words: 'x.dll is not there' })], USUAL_WRITES, SYSTEM);
		expect(one.passed).toBe(false);
		expect(trialFacts(one).at(-1)!.words).toBe('A does not start: x.dll is not there');
		const refused = judgeTrial(
			[run({ writes: ['C:/Meridian/System/a.ini'] })],
			{ ...USUAL_WRITES, usual: 'anywhere' },
			SYSTEM
		);
		expect(refused.passed).toBe(false);
		expect(trialFacts(refused).at(-1)!.words).toMatch(/the write was refused/);
		expect(judgeTrial([], USUAL_WRITES, SYSTEM).passed).toBe(false);
	});
});
