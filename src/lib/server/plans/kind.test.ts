import { expect, test } from 'vitest';
import { PLAN_KINDS } from '../areas';
import { stepOf, type StepSpec, type UndoSpec } from './kind';
import { STEP_HANDLERS } from '../areas';

test('steps are held to what their kind is given: what is wrong does not compile', () => {
	const right: StepSpec = { kind: 'grant.close', words: 'Take it back', input: { id: 1 }, expected: 200 };
	// @ts-expect-error there is no such kind
	const typo: StepSpec = { kind: 'grant.clse', words: 'Take it back', input: { id: 1 }, expected: 200 };
	// @ts-expect-error its input is another one
	const other: StepSpec = { kind: 'grant.close', words: 'Take it back', input: { grant: 1 }, expected: 200 };
	// @ts-expect-error the same, made by the function
	const made = stepOf('grant.close', 'Take it back', { id: 'one' }, 200);
	expect([right, typo, other, made].map((s) => s.kind in STEP_HANDLERS)).toEqual([true, false, true, true]);
});

test('an undo is held to what its kind of plan takes', () => {
	const right: UndoSpec = { kind: 'image.hold', input: { line: 'desk', number: '1.0.0', held: true } };
	// @ts-expect-error there is no such kind
	const typo: UndoSpec = { kind: 'image.hald', input: { line: 'desk', number: '1.0.0', held: true } };
	// @ts-expect-error something is missing of its input
	const less: UndoSpec = { kind: 'image.hold', input: { line: 'desk', number: '1.0.0' } };
	expect([right, typo, less].map((u) => PLAN_KINDS.some((k) => k.kind === u.kind))).toEqual([true, false, true]);
});

test('each kind of plan is named once', () => {
	expect(new Set(PLAN_KINDS.map((k) => k.kind)).size).toBe(PLAN_KINDS.length);
});
