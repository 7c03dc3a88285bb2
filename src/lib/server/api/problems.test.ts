import { readFileSync } from 'node:fs';
import { describe, expect, test } from 'vitest';
import { PROBLEMS } from '$lib/core/why/problems';
import { Cancelled } from '../jobs/step';
import { InputProblem } from '../plans/kind';
import { NotAllowed, NotFound, PlanRefused } from '../plans';
import { BrokenFile, Failure, ProviderError, StepFailed } from '../providers';
import { failureOf } from '../providers/failures';
import { ThreadLost } from '../providers/remote';
import { answer, problem, problemOf } from './problems';

describe('the catalogue of errors', () => {
	test('stands in docs/errors.md, row for row', () => {
		const rows = readFileSync('docs/errors.md', 'utf8')
			.split('\n')
			.filter((l) => l.startsWith('| `'));
		expect(rows).toEqual(
			Object.entries(PROBLEMS).map(
				([code, p]) => `| \`${code}\` | ${p.status} | ${p.title} | ${p.safe} | ${p.advice} |`
			)
		);
	});

	test('says a sentence of each thing', () => {
		for (const [code, p] of Object.entries(PROBLEMS)) {
			expect(p.status, code).toBeGreaterThanOrEqual(400);
			expect(p.title, code).not.toMatch(/[.!]$/);
			for (const sentence of [p.safe, p.advice]) expect(sentence, code).toMatch(/^[A-Z].*\.$/);
		}
		expect(new Set(Object.values(PROBLEMS).map((p) => p.title)).size).toBe(Object.keys(PROBLEMS).length);
	});
});

describe('an error', () => {
	const cases: [Error, string][] = [
		[new InputProblem([{ field: 'count', words: 'At least 1.' }]), 'input'],
		[new PlanRefused([{ words: 'a pool was changed' }]), 'refused'],
		[new NotAllowed('not you'), 'not-allowed'],
		[new NotFound('pool x'), 'not-found'],
		[new ProviderError('the host is down'), 'provider-failed'],
		[new ProviderError('there is no such machine', false), 'provider-refused'],
		[new StepFailed('quay-01 did not come up'), 'step-failed'],
		[new BrokenFile('it is no tar'), 'broken-file'],
		[new Cancelled('what has arrived stays'), 'cancelled'],
		[new ThreadLost('lab', true), 'away'],
		[Object.assign(new Error('no room'), { code: 'ENOSPC' }), 'disk-full'],
		[new SyntaxError('Unexpected token'), 'json']
	];
	test.each(cases)('%s is %s', (e, code) => {
		const p = problemOf(e)!;
		expect(p).toMatchObject({ type: `/api/v1/problems/${code}`, status: PROBLEMS[code as 'input'].status });
		expect(p.safe + p.advice).not.toBe('');
	});

	test('that nobody foresaw is none of them, and is answered under the number of its request', async () => {
		expect(problemOf(new TypeError('x is not a function'))).toBeNull();
		const said = await answer(() => {
			throw new TypeError('x is not a function');
		}, 'r-7');
		expect(said.status).toBe(500);
		expect(await said.json()).toMatchObject({
			type: '/api/v1/problems/fault',
			detail: expect.stringContaining('r-7') as string
		});
	});

	test('of a file names the file, of an input its fields, of a plan the reasons', () => {
		expect(problemOf(cases[7]![0])!.errors).toEqual([{ field: 'file', words: 'it is no tar' }]);
		expect(problemOf(cases[0]![0])!.errors).toEqual([{ field: 'count', words: 'At least 1.' }]);
		expect(problemOf(cases[1]![0])!.reasons).toEqual([{ words: 'a pool was changed' }]);
	});

	test('keeps what it is from one thread to another', () => {
		for (const [e, code] of cases) {
			const again = failureOf(code, e.message);
			expect(again === null).toBe(!(e instanceof Failure));
			if (again) expect(problemOf(again)).toEqual(problemOf(e));
		}
	});

	test('with nothing more to say says what is safe and what to do', () =>
		expect(problem('streams').detail).toBe('Nothing was changed. Close some of your pages, then try again.'));
});
