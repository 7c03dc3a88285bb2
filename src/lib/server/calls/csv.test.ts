import { expect, test } from 'vitest';
import { csvAnswer } from './csv';

test('what a spreadsheet would take for a formula is text, and nothing breaks out of its cell', async () => {
	const rows = [
		['=cmd|" /C calc"!A0', '+1+1', '-2', '@SUM(A1)', '\t=1'],
		['a "word"', 'two\r\nlines', { of: ['more'] }, null, 7]
	];
	const answer = csvAnswer('machines', ['a', 'b', 'c', 'd', 'e'], rows);
	expect(answer.headers.get('content-disposition')).toBe('attachment; filename="machines.csv"');
	const text = await answer.text();
	expect(text.split('\r\n')[1]).toBe(`"'=cmd|"" /C calc""!A0","'+1+1","'-2","'@SUM(A1)","'\t=1"`);
	expect(text).toContain('"a ""word""","two\r\nlines","{""of"":[""more""]}",,7\r\n');
});
