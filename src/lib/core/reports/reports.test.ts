import { describe, expect, test } from 'vitest';
import { columnWords, ROWS, specProblems, type ReportColumn, type ReportSpec } from './spec';
import { fileHead, fileValue, reportOf, valueWords } from './table';

const OF: ReportColumn[] = [
	{ key: 'name', kind: 'text' },
	{ key: 'site', kind: 'text' },
	{ key: 'at', kind: 'moment' },
	{ key: 'size', kind: 'bytes' },
	{ key: 'signIn', kind: 'span' },
	{ key: 'tags', kind: 'list' }
];
const spec = (some: Partial<ReportSpec> = {}): ReportSpec => ({
	columns: ['name', 'size'],
	group: null,
	chart: null,
	sort: '',
	descending: false,
	limit: 100,
	zone: 'Asia/Kolkata',
	...some
});
const row = (name: string, site: string, at: string, size: number | null, signIn = 1000, tags: unknown = []) => ({
	name,
	site,
	at: Date.parse(at),
	size,
	signIn,
	tags
});
const ROWS_OF = [
	row('ada', 'reef', '2026-11-16T18:40Z', 300),
	row('bo', 'reef', '2026-11-16T18:20Z', 100, 3000),
	row('ada', 'quay', '2026-11-17T02:00Z', null, 5000, ['x', 'y'])
];

describe('a report', () => {
	test('has its columns in their order, each row a line', () => {
		const made = reportOf(ROWS_OF, OF, spec({ columns: ['size', 'name', 'tags'] }));
		expect(made.columns.map((c) => c.key)).toEqual(['size', 'name', 'tags']);
		expect(made.lines).toEqual([
			[300, 'ada', ''],
			[100, 'bo', ''],
			[null, 'ada', 'x, y']
		]);
		expect([made.rows, made.all, made.drawn, made.bars]).toEqual([3, 3, null, []]);
	});

	test('is sorted either way, with what has no value last', () => {
		const sizes = (descending: boolean) =>
			reportOf(ROWS_OF, OF, spec({ sort: 'size', descending })).lines.map((l) => l[1]);
		expect(sizes(false)).toEqual([100, 300, null]);
		expect(sizes(true)).toEqual([300, 100, null]);
	});

	test('is cut, and says how much there was', () => {
		const made = reportOf(ROWS_OF, OF, spec({ limit: 1, sort: 'size', descending: true }));
		expect([made.lines.length, made.all, made.rows]).toEqual([1, 3, 3]);
	});

	test('puts alike rows together: sums, means, and how many are different', () => {
		const made = reportOf(
			ROWS_OF,
			OF,
			spec({ columns: ['name', 'size', 'signIn'], group: { column: 'site', by: 'value' }, chart: 'size' })
		);
		expect(made.columns.map((c) => c.words)).toEqual(['site', 'rows', 'different name', 'size', 'sign in, on average']);
		expect(made.lines).toEqual([
			['reef', 2, 2, 400, 2000],
			['quay', 1, 1, 0, 5000]
		]);
		expect(made.bars).toEqual([
			{ label: 'reef', value: 400 },
			{ label: 'quay', value: 0 }
		]);
	});

	test('goes by the wall clock of its zone, half hours too', () => {
		const by = (g: 'day' | 'weekday' | 'hour') =>
			reportOf(ROWS_OF, OF, spec({ columns: ['name'], group: { column: 'at', by: g } })).lines.map((l) => [l[0], l[1]]);
		// 18:40 and 18:20 UTC are 00:10 of the next day, and 23:50, in Kolkata.
		expect(by('day')).toEqual([
			['2026-11-16', 1],
			['2026-11-17', 2]
		]);
		expect(by('weekday')).toEqual([
			['Monday', 1],
			['Tuesday', 2]
		]);
		expect(by('hour')).toEqual([
			['00:00', 1],
			['07:00', 1],
			['23:00', 1]
		]);
	});

	test('keeps every row, whatever groups there are', () => {
		for (const column of ['name', 'site'])
			for (const limit of [1, 2, 50]) {
				const made = reportOf(ROWS_OF, OF, spec({ columns: [], group: { column, by: 'value' }, limit }));
				expect(made.all).toBeGreaterThanOrEqual(made.lines.length);
				if (limit === 50) expect(made.lines.reduce((n, l) => n + (l[1] as number), 0)).toBe(ROWS_OF.length);
			}
	});

	test('takes rows with odd values', () => {
		const odd = [{ name: { deep: [1] }, size: Number.NaN, at: 'never' }, {}, { name: '', at: 1e300, size: '5' }];
		const made = reportOf(odd, OF, spec({ columns: ['name', 'size', 'at'] }));
		expect(made.lines[0]).toEqual(['{"deep":[1]}', null, 'never']);
		expect(made.lines[1]).toEqual([null, null, null]);
		for (const line of made.lines)
			for (const [i, c] of made.columns.entries()) {
				expect(typeof valueWords(c.kind, line[i]!, 'Europe/Oslo')).toBe('string');
				fileValue(c.kind, line[i]!);
			}
		for (const by of ['day', 'weekday', 'hour'] as const)
			for (const at of [9007199254740991, -9007199254740991, 8.64e15, 253_402_300_799_999, -1])
				expect(
					reportOf([{ at }], OF, spec({ columns: [], group: { column: 'at', by } })).lines[0]![1],
					`${by} of ${at}`
				).toBe(1);
		const grouped = reportOf(odd, OF, spec({ columns: ['size'], group: { column: 'name', by: 'value' } }));
		expect(grouped.lines.map((l) => l[0])).toEqual(['–', '{"deep":[1]}']);
		expect(grouped.lines.map((l) => l[1])).toEqual([2, 1]);
	});
});

describe('what cannot be made is said beside its field', () => {
	test.each([
		[{}, []],
		[{ columns: [] }, ['columns']],
		[{ columns: ['name', 'name'] }, ['columns']],
		[{ columns: ['nothing'] }, ['columns']],
		[{ group: { column: 'nothing', by: 'value' } }, ['group']],
		[{ group: { column: 'name', by: 'hour' } }, ['by']],
		[{ group: { column: 'at', by: 'value' } }, ['by']],
		[{ group: { column: 'size', by: 'value' } }, ['by']],
		[{ group: { column: 'at', by: 'hour' }, chart: ROWS }, []],
		[{ chart: ROWS }, ['chart']],
		[{ chart: 'name' }, ['chart']],
		[{ chart: 'signIn' }, ['chart']],
		[{ chart: 'size' }, []],
		[{ sort: 'site' }, ['sort']],
		[{ sort: ROWS, group: { column: 'site', by: 'value' } }, []]
	] as const)('%j', (some, fields) => {
		expect(specProblems(spec(some as Partial<ReportSpec>), OF).map((p) => p.field)).toEqual(fields);
	});
});

test('values read as people read them, and as programs do', () => {
	const zone = 'Australia/Lord_Howe';
	expect(valueWords('bytes', 1.5e9, zone)).toBe('1.5 GB');
	expect(valueWords('share', 0.125, zone)).toBe('12.5 %');
	expect(valueWords('number', 12345.678, zone)).toBe('12,345.68');
	expect(valueWords('text', 12345, zone)).toBe('12345');
	expect(valueWords('yes', false, zone)).toBe('no');
	expect(valueWords('moment', Date.parse('2026-11-17T00:00Z'), zone)).toBe('Tue 17 Nov 11:00');
	expect(valueWords('moment', 9007199254740991, zone)).toBe('');
	expect(fileValue('moment', Date.parse('2026-11-17T00:00Z'))).toBe('2026-11-17T00:00:00.000Z');
	expect(fileHead({ key: 'signIn', words: columnWords('signIn'), kind: 'span' })).toBe('sign in (ms)');
});
