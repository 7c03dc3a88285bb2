import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { ENDED, Server } from './own-server';

/**
 * Kills the server hard in the middle of jobs, ten times for each kind, and compares what is left with a run that
 * nobody disturbed.
 */
const PORT = 4897;
/** A job that ends Sextant five times at one spot is set aside. One kill may fall at the spot after the one that was seen. */
const KILLS_AT_A_SPOT = 3;
/** Nothing here takes as long as this, ms. */
const LONG = 90_000;
const WORK: {
	name: string;
	before?: (s: Server) => Promise<void>;
	kind: string;
	input: unknown;
	speed?: string;
	/** How far it has come, of a job with one long step; others by their progress. */
	got?: (s: Server) => number;
	/** What somebody answers when it asks. */
	answer?: (s: Server) => Promise<void>;
}[] = [
	{
		name: 'a shipment',
		kind: 'image.ship',
		input: { line: 'desk', number: '1.1.0', sites: ['isle'], from: '00:00', until: '00:00', share: 100, nights: 2 },
		// A thin link takes hours of the lab.
		speed: '600',
		got: (s) => s.sent()
	},
	{
		name: 'a build',
		kind: 'image.build',
		input: { line: 'desk', number: '1.2.0' },
		// The lab goes on while the rest starts: where that is slow, its sheet’s limit of an hour must not pass meanwhile.
		speed: '30'
	},
	{
		name: 'making machines',
		kind: 'pool.create',
		input: {
			name: 'New desks',
			site: 'quay',
			line: 'desk',
			version: '1.0.0',
			cores: 2,
			memory: 4e9,
			disk: 40e9,
			count: 12,
			naming: 'nw-##',
			folder: 'desks/quay',
			network: 'quay-desks'
		}
	},
	{
		name: 'a repair',
		before: async (s) => {
			await s.call('POST', '/lab/faults', { kind: 'trust-lost', target: 'quay-01' });
			for (let i = 0; i < 600; i++) {
				const { rows } = await s.call<{ rows: { machine: string }[] }>('GET', '/checks');
				if (rows.some((r) => r.machine === 'quay-01')) return;
				await new Promise((done) => setTimeout(done, 50));
			}
			throw new Error('the check does not fail');
		},
		kind: 'runbook.run',
		input: { machine: 'quay-01', check: 'trust' }
	},
	{
		name: 'a rollout',
		kind: 'image.rollout',
		input: {
			line: 'desk',
			number: '1.1.0',
			pools: ['quay'],
			waves: [
				{ by: 'share', percent: 50 },
				{ by: 'share', percent: 100 }
			],
			people: 'grace',
			deadline: 600_000,
			// Nobody signs in meanwhile: too few numbers, and so it asks.
			pause: 60_000,
			longest: 120_000,
			least: 1000
		},
		got: (s) => s.moved(),
		answer: async (s) => {
			const rollout = s.asks();
			if (rollout !== null) await s.begin('rollout.decide', { rollout, decision: 'go on' }).catch(() => undefined);
		}
	},
	{
		name: 'a delivery',
		before: bringPackage,
		kind: 'package.deliver',
		input: { package: 'gaugetalk', pools: ['quay', 'isle'] }
	}
];

test.afterEach(() => Server.endAll());

for (const work of WORK) {
	test(`${work.name} survives ten hard kills and ends as it would have`, async () => {
		// A hang ends it by `LONG`; all of it takes some minutes, and more where others take the processors.
		test.setTimeout(600_000);
		const calm = new Server(PORT, work.speed);
		await calm.start();
		await work.before?.(calm);
		await calm.finish(await calm.begin(work.kind, work.input), work.answer);
		const expected = calm.leftBehind();
		await calm.end();

		const rough = new Server(PORT, work.speed);
		await rough.start();
		await work.before?.(rough);
		const job = await rough.begin(work.kind, work.input);
		const where = new Set<string>();
		let last = -1;
		/** What is done for good, and how often it was killed there. */
		let done = '';
		let there = 0;
		for (let kill = 0; kill < 10; kill++) {
			// Spread over the job: each kill waits until it has come a little further than at the one before, for a while.
			// However slow it is, it is not killed so often at one spot that it is set aside.
			const since = Date.now();
			for (let i = 0; i < 1000 || there >= KILLS_AT_A_SPOT; i++) {
				await work.answer?.(rough);
				const now = await rough.job(job);
				const got = work.got ? work.got(rough) : now.progress;
				const doneNow = now.steps.map((s) => `${s.state === 'done'} ${s.items.done} ${work.got ? got : ''}`).join();
				if (doneNow !== done) [done, there] = [doneNow, 0];
				const further = got > last && there < KILLS_AT_A_SPOT && (work.got !== undefined || got >= kill / 10.5);
				if (further || ENDED.includes(now.state)) {
					last = got;
					const running = now.steps.find((s) => s.state === 'running');
					where.add(running ? `${running.words}, ${running.items.done} done, ${got}` : 'between steps');
					break;
				}
				if (Date.now() - since > LONG) throw new Error(`it stands still: ${JSON.stringify(now)}`);
				await new Promise((done) => setTimeout(done, 10));
			}
			there++;
			await rough.kill();
			await rough.start();
		}
		await rough.finish(job, work.answer);
		const left = rough.leftBehind();
		await rough.end();
		expect(left).toEqual(expected);
		expect((left.jobs as { kind: string; state: string }[]).find((j) => j.kind === work.kind)!.state).toBe('done');
		expect(where.size).toBeGreaterThan(1);
	});
}

/** A small package, made from the command line and brought to the server's packages. */
async function bringPackage(s: Server): Promise<void> {
	const dir = mkdtempSync(join(tmpdir(), 'sextant-kill-'));
	const cli = (...args: string[]) =>
		execFileSync(process.execPath, [join(process.cwd(), 'build/node/cli.js'), ...args], { cwd: dir });
	const system = ['--system', 'Meridian Server 24', '--users', 'multi'];
	mkdirSync(join(dir, 'root/opt'), { recursive: true });
	cli('inventory', 'root', ...system, '-o', 'before.jsonl');
	mkdirSync(join(dir, 'root/opt/gauge'));
	writeFileSync(join(dir, 'root/opt/gauge/gauge'), '#!/bin/sh\nexit 0\n', { mode: 0o755 });
	cli('inventory', 'root', ...system, '-o', 'after.jsonl');
	cli(
		...['capture', '--before', 'before.jsonl', '--after', 'after.jsonl', '--folder', 'root', '--name', 'gaugetalk'],
		...['--take', '**', '-o', 'gaugetalk.tar']
	);
	const manifest = await s.upload(readFileSync(join(dir, 'gaugetalk.tar')));
	rmSync(dir, { recursive: true });
	await s.finish(await s.begin('package.import', { manifest }));
}
