import { beforeEach, describe, expect, test } from 'vitest';
import { hoursById } from '../pools';
import { Harness, QUIET, testEstate } from '../testing/harness';

let h: Harness;
const NIGHT = { name: 'night', days: [7, 1, 1], from: '22:00', until: '06:00' };
const problems = (kind: string, input: object) =>
	h.draft(kind, input).then(
		() => [],
		(e: { problems: { field: string }[] }) => e.problems.map((p) => p.field)
	);

beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
});

describe('working hours', () => {
	test('are added as they are written, past midnight as well, each day once', async () => {
		await h.carryOut('hours.set', NIGHT);
		expect(hoursById(h.db).get('night')).toEqual({ days: [1, 7], from: 22 * 60, until: 6 * 60 });
		expect((await h.draft('hours.set', NIGHT)).blocks.map((b) => b.words)).toEqual(['they are so already']);
	});

	test('that are wrong are refused beside what is wrong, and nothing is written', async () => {
		expect(await problems('hours.set', { ...NIGHT, name: 'At Night' })).toEqual(['name']);
		expect(await problems('hours.set', { ...NIGHT, days: [] })).toEqual(['days']);
		expect(await problems('hours.set', { ...NIGHT, days: [0] })).toEqual(['days.0']);
		expect(await problems('hours.set', { ...NIGHT, from: 'soon', until: '25:00' })).toEqual(['from', 'until']);
		expect(await problems('hours.set', { ...NIGHT, from: '24:00' })).toEqual(['from']);
		expect(await problems('hours.remove', { name: 'none' })).toEqual(['name']);
		expect([...hoursById(h.db).keys()]).toEqual(['office']);
	});

	test('that pools go by: the plan names them, and they are not taken off', async () => {
		const change = await h.draft('hours.set', { name: 'office', days: [1, 2, 3], from: '06:00', until: '24:00' });
		expect(change.title).toBe('Change the hours office: Mon–Wed 06:00–24:00');
		expect(change.warnings.map((w) => w.words)).toContain(
			'Desks Quay, 6 machines, keeps its headroom in these hours from the next minute on'
		);
		expect(change.objects).toContain('pool/quay');
		expect((await h.draft('hours.remove', { name: 'office' })).blocks.map((b) => b.words)).toContain(
			'Desks Quay goes by them'
		);
	});
});
