import { beforeEach, describe, expect, test } from 'vitest';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { lineAt, sheetAt } from './queries';

let h: Harness;
const SECOND = { name: 'Second desk', system: 'meridian-server-24' };
const problems = (input: object) =>
	h.draft('line.add', input).then(
		() => [],
		(e: { problems: { field: string }[] }) => e.problems.map((p) => p.field)
	);

beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	await h.live(60_000);
});

describe('an image line that is begun', () => {
	test('has a sheet that can be built, and was not there before', async () => {
		const before = h.lab.now;
		const plan = await h.draft('line.add', SECOND);
		expect(plan.warnings).toEqual([]);
		await h.live(60_000);
		await h.finish(await h.commit(plan.id));
		expect(lineAt(h.db, 'second-desk', h.lab.now)).toMatchObject({ name: 'Second desk', users: 'multi', versions: [] });
		expect(lineAt(h.db, 'second-desk', before)).toBeNull();
		expect(sheetAt(h.db, 'second-desk', h.lab.now)!.steps[0]).toMatchObject({ kind: 'source' });
		expect((await h.draft('image.build', { line: 'second-desk', note: '' })).blocks).toEqual([]);
	});

	test('is refused beside what is wrong with it', async () => {
		expect(await problems({ ...SECOND, name: 'desk' })).toEqual(['name']);
		expect(await problems({ ...SECOND, name: '***' })).toEqual(['name']);
		expect(await problems({ name: '', system: '' })).toEqual(['name', 'system']);
		expect(await problems({ ...SECOND, system: 'none' })).toEqual(['system']);
		await h.carryOut('line.add', SECOND);
		expect(await problems(SECOND)).toEqual(['name']);
	});

	test('is taken off again as long as nothing was ever made of it', async () => {
		await h.carryOut('line.add', SECOND);
		await h.carryOut('line.remove', { line: 'second-desk' });
		expect(lineAt(h.db, 'second-desk', h.lab.now)).toBeNull();
		const blocks = (await h.draft('line.remove', { line: 'desk' })).blocks.map((b) => b.words);
		expect(blocks[0]).toBe('it has had 2 versions: they are on record');
		expect(blocks).toContain('pool Desks Quay is of it');
	});
});
