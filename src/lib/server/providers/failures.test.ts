import { describe, expect, test } from 'vitest';
import { BrokenFile, Failure, failureOf, problemCodeOf, ProviderError, StepFailed } from './failures';

const ALL = [
	new ProviderError('it is off'),
	new ProviderError('no', false),
	new StepFailed('late'),
	new BrokenFile('odd')
];

describe('a failure', () => {
	test.each(ALL)('made again of its code on another side of a thread is the same: %s', (failure) => {
		const again = failureOf(failure.problem, failure.message)!;
		expect([again.name, again.message, again.retry]).toEqual([failure.name, failure.message, failure.retry]);
		expect(again).toBeInstanceOf(Failure);
	});

	test('is known by its name, whichever bundle it was made in', () => {
		const elsewhere = Object.assign(new Error('it is off'), { name: 'ProviderError' });
		expect(elsewhere).toBeInstanceOf(ProviderError);
		expect(elsewhere).toBeInstanceOf(Failure);
		expect(elsewhere).not.toBeInstanceOf(StepFailed);
		expect(new TypeError('x is undefined')).not.toBeInstanceOf(Failure);
		expect({ name: 'ProviderError' }).not.toBeInstanceOf(ProviderError);
	});

	test('of no code there is none', () => {
		for (const code of ['refused', 'nonsense', '', null, undefined, 7, {}]) expect(failureOf(code, 'so')).toBeNull();
	});

	test('says which of the catalogue it is; what says nothing, or something else, is of none', () => {
		expect(ALL.map(problemCodeOf)).toEqual(['provider-failed', 'provider-refused', 'step-failed', 'broken-file']);
		for (const e of [null, undefined, 'text', new Error('x'), { problem: 'constructor' }, { problem: 3 }])
			expect(problemCodeOf(e)).toBeNull();
	});
});
