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
