import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import { testEstate } from '$lib/server/testing/harness';
import { TwinThread } from './twin';

let dir: string;
let twin: TwinThread;
beforeEach(() => (dir = mkdtempSync(join(tmpdir(), 'sextant-test-twin-'))));
afterEach(async () => {
	await twin.end();
	rmSync(dir, { recursive: true, force: true });
});

/** A thread that, told something, does this with `m`, what it was told, and `reach`, which says that something was reached at these moments. */
function begin(told: string): void {
	const script = join(dir, 'twin.mjs');
	writeFileSync(
		script,
		`import { parentPort } from 'node:worker_threads';
		 const reach = (m, ...at) => parentPort.postMessage({ at: m.at, reached: at.map((at) => ({ kind: 'activity', seq: 1, at, flows: [] })) });
		 parentPort.on('message', (m) => { ${told} });`
	);
	twin = new TwinThread(script, testEstate(), { maxYoungGenerationSizeMb: 8 });
}
const at = (moment: number) => ({ command: null, at: moment, happened: 0 });
const moments = (reached: { at: number }[]) => reached.map((o) => o.at);

describe('a twin in a thread of its own', () => {
	test('tells what was reached once it has come as far as is asked for, each once and nothing of later', async () => {
		begin('reach(m, m.at - 5, m.at);');
		twin.tell(at(100));
		twin.tell(at(200));
		twin.tell(at(300));
		expect(moments(await twin.reached(195))).toEqual([95, 100, 195]);
		expect(moments(await twin.reached(200))).toEqual([200]);
		expect(moments(await twin.reached(300))).toEqual([295, 300]);
		expect(moments(await twin.reached(300))).toEqual([]);
	});

	test('has come to a moment when all that it was told of it is done', async () => {
		begin('setTimeout(() => reach(m, m.at), 20 * m.happened);');
		twin.tell(at(100));
		twin.tell({ ...at(100), happened: 1 });
		expect(moments(await twin.reached(100))).toEqual([100, 100]);
	});

	test('tells how it stands after all that it was told', async () => {
		begin(
			`if (m === 'standing') parentPort.postMessage({ standing: { flows: new Map([['a', 1]]), shares: new Map() } }); else reach(m);`
		);
		twin.tell(at(100));
		expect(await twin.standing()).toEqual({ flows: new Map([['a', 1]]), shares: new Map() });
	});

	test.each([
		['throws', `throw new Error('another life');`, 'another life'],
		['ends', 'process.exit(3);', 'ended with 3']
	])('that %s fails whoever waits for it, with the reason, and whoever comes later', async (_how, does, why) => {
		begin(does);
		const waits = expect(twin.reached(100)).rejects.toThrow(why);
		twin.tell(at(100));
		await waits;
		await expect(twin.reached(100)).rejects.toThrow(why);
		await expect(twin.standing()).rejects.toThrow(why);
	});
});
