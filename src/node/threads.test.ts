import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { MessageChannel } from 'node:worker_threads';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import { answerCalls, Line, ThreadLost } from '$lib/server/providers/remote';
import { Keeper, type Ended } from './threads';

let dir: string;
beforeEach(() => (dir = mkdtempSync(join(tmpdir(), 'sextant-threads-'))));
afterEach(() => rmSync(dir, { recursive: true, force: true }));

function keep(code: string, memory?: number) {
	const script = join(dir, 'thread.mjs');
	writeFileSync(script, `import { parentPort, workerData } from 'node:worker_threads';\n${code}`);
	const seen = { ups: 0, ends: [] as Ended[] };
	const keeper = new Keeper({
		name: 'test',
		script,
		data: () => ({ ups: seen.ups }),
		...(memory ? { memory } : {}),
		waits: [10],
		up: () => seen.ups++,
		ended: (how) => seen.ends.push(how)
	});
	return { keeper, seen };
}
async function until(what: () => boolean): Promise<void> {
	for (let i = 0; i < 1000 && !what(); i++) await new Promise((done) => setTimeout(done, 10));
	expect(what()).toBe(true);
}

describe('a thread that is kept running', () => {
	test.each([
		['throws where nobody catches it', `if (workerData.ups < 3) setTimeout(() => { throw new Error('odd'); }, 5);`],
		[
			'throws before it is ready',
			`if (workerData.tries !== 1 && Math.random() < 2 && workerData.ups > 0 && workerData.ups < 3) throw new Error('odd'); else if (workerData.ups === 0) setTimeout(() => { throw new Error('odd') }, 5);`
		],
		['throws nothing at all', `if (workerData.ups < 3) setTimeout(() => { throw undefined; }, 5);`],
		['ends by itself', `if (workerData.ups < 3) setTimeout(() => process.exit(0), 5);`]
	])('and %s is started anew', async (how, code) => {
		const ready = `parentPort.postMessage({ ready: true }); parentPort.on('message', () => parentPort.postMessage({ stopped: true }));`;
		const { keeper, seen } = keep(how.includes('before') ? `${code}\n${ready}` : `${ready}\n${code}`);
		expect(await keeper.start()).toEqual({ ready: true });
		await until(() => seen.ends.length >= (how.includes('before') ? 1 : 3));
		expect(seen.ends[0]).toMatchObject({ thread: 'test', times: 1 });
		await keeper.stop(1000);
	});

	test('and takes more memory than it may ends alone', async () => {
		const { keeper, seen } = keep(
			`parentPort.postMessage({ ready: true });
			 if (workerData.ups === 0) { const all = []; setInterval(() => { for (let i = 0; i < 1e5; i++) all.push({ i }); }, 1); }`,
			24
		);
		await keeper.start();
		await until(() => seen.ups === 2);
		expect(seen.ends[0]!.why).toMatch(/memory/i);
		await keeper.stop(10);
	});

	test('that refuses for good is not tried again, and says why', async () => {
		const { keeper, seen } = keep(`parentPort.postMessage({ refused: 'another version' }); throw new Error('no');`);
		expect(await keeper.start()).toMatchObject({ ready: false, refused: 'another version' });
		await new Promise((done) => setTimeout(done, 100));
		expect(seen.ends).toHaveLength(1);
	});
});

describe('a line to a thread that ends', () => {
	interface Far {
		a: { slow(): Promise<void>; quick(n: number): Promise<number>; odd(): Promise<unknown> };
	}
	function connect(line: Line<Far>): () => void {
		const { port1, port2 } = new MessageChannel();
		answerCalls(port1, {
			a: { slow: () => new Promise(() => {}), quick: async (n: number) => n, odd: async () => ({ call: () => {} }) }
		} as never);
		line.connect(port2);
		return () => port1.close();
	}
	test('loses what was asked and not answered; what is asked while nobody is there waits', async () => {
		const line = new Line<Far>('packer', 2000);
		const first = connect(line);
		const slow = line.api.a.slow();
		line.cut();
		await expect(slow).rejects.toMatchObject({ name: 'ThreadLost', during: true });
		const later = line.api.a.quick(7);
		const second = connect(line);
		expect(await later).toBe(7);
		first();
		second();
	});
	test('gives up after a while when nobody comes', async () => {
		const line = new Line<Far>('packer', 20);
		const lost = await line.api.a.quick(1).catch((e: unknown) => e);
		expect(lost).toBeInstanceOf(ThreadLost);
		expect((lost as ThreadLost).during).toBe(false);
	});
	test('an answer that cannot be sent is a refusal, and leaves nobody waiting', async () => {
		const line = new Line<Far>('packer', 20);
		const close = connect(line);
		await expect(line.api.a.odd()).rejects.toThrow(/could not be cloned/);
		// What every object has is nothing that may be called from outside.
		await expect((line.api.a as unknown as Record<string, () => Promise<unknown>>)['toString']!()).rejects.toThrow(
			/no such call/
		);
		close();
	});
});
