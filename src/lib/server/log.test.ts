import { closeSync, mkdtempSync, openSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { openLog } from './log';

test('a line says when, how bad, which part, and what, with the error', () => {
	const folder = mkdtempSync(join(tmpdir(), 'log-'));
	const fd = openSync(join(folder, 'log'), 'w');
	openLog(fd, 'info')
		.child({ part: 'jobs' })
		.error({ job: 7, err: new Error('no room') }, 'a step failed');
	const line = JSON.parse(readFileSync(join(folder, 'log'), 'utf8')) as Record<string, unknown>;
	expect(line).toMatchObject({
		level: 'error',
		part: 'jobs',
		job: 7,
		words: 'a step failed',
		err: { message: 'no room' }
	});
	expect(Date.parse(String(line.time))).toBeGreaterThan(0);
	closeSync(fd);
	rmSync(folder, { recursive: true });
});

test('what is logged is one line, whatever stands in it', () => {
	const folder = mkdtempSync(join(tmpdir(), 'log-'));
	const fd = openSync(join(folder, 'log'), 'w');
	openLog(fd, 'info').warn({ who: 'ann\n{"level":"error","words":"forged"}\r\u2028' }, 'odd\nlogin');
	closeSync(fd);
	const lines = readFileSync(join(folder, 'log'), 'utf8').trimEnd().split(/\r?\n/);
	rmSync(folder, { recursive: true });
	expect(lines.length).toBe(1);
	expect(JSON.parse(lines[0]!)).toMatchObject({ level: 'warn', words: 'odd\nlogin' });
});

test('where nothing can be written nobody is harmed, again and again', () => {
	const full = openSync('/dev/full', 'w');
	const log = openLog(full, 'info');
	for (let i = 0; i < 50; i++) expect(() => log.error({ err: new Error('x'.repeat(10_000)) }, 'lost')).not.toThrow();
	closeSync(full);
});

test('a level that there is not counts as none said', () => {
	const full = openSync('/dev/null', 'w');
	expect(openLog(full, 'loud').level).toBe('info');
	expect(openLog(full, 'silent').level).toBe('silent');
	closeSync(full);
});
