import { MessageChannel } from 'node:worker_threads';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import { ProviderError } from './index';
import { answerCalls, callThrough } from './remote';

interface Far {
	compute: {
		start(machine: string): Promise<string>;
		stop(machine: string): Promise<void>;
		slow(ms: number): Promise<number>;
	};
}
let channel: MessageChannel;
let far: Far;
beforeEach(() => {
	channel = new MessageChannel();
	answerCalls(channel.port1, {
		compute: {
			start: async (machine: string) => `${machine} starts`,
			stop: async (machine: string) => {
				if (machine === 'gone') throw new ProviderError('no machine gone', false);
				if (machine === 'broken') throw new TypeError('a bug');
				throw new ProviderError('not now');
			},
			slow: async (ms: number) => new Promise((done) => setTimeout(() => done(ms), ms))
		}
	} as never);
	far = callThrough<Far>(channel.port2);
});
afterEach(() => channel.port1.close());

describe('calls across threads', () => {
	test('look like calls', async () => expect(await far.compute.start('a')).toBe('a starts'));
	test('answer each caller with its own, in whatever order they end', async () => {
		expect(await Promise.all([far.compute.slow(30), far.compute.slow(1), far.compute.slow(15)])).toEqual([30, 1, 15]);
	});
	test('carry a provider’s no with whether to try again; a bug stays a bug', async () => {
		await expect(far.compute.stop('gone')).rejects.toMatchObject({
			name: 'ProviderError',
			retry: false,
			message: 'no machine gone'
		});
		await expect(far.compute.stop('x')).rejects.toMatchObject({ retry: true });
		const bug = await far.compute.stop('broken').catch((e: unknown) => e);
		expect(bug instanceof ProviderError).toBe(false);
	});
	test('to what is not there fail', async () => {
		await expect((far as unknown as { disks: { wipe(): Promise<void> } }).disks.wipe()).rejects.toThrow(
			/no such call: disks.wipe/
		);
	});
	test('a provider’s no is known by name, from whichever bundle it comes', () => {
		const other = Object.assign(new Error('no'), { name: 'ProviderError', retry: true });
		expect(other instanceof ProviderError).toBe(true);
		expect(new Error('no') instanceof ProviderError).toBe(false);
	});
});
