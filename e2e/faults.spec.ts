import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { Server } from './own-server';

/** What must not bring the house down: a disk that is full, a thread that ends, a job that ends threads. */

const wait = (ms: number) => new Promise((done) => setTimeout(done, ms));
async function until(what: () => Promise<boolean>, most = 60_000): Promise<void> {
	const end = Date.now() + most;
	while (Date.now() < end) {
		if (await what().catch(() => false)) return;
		await wait(200);
	}
	throw new Error(`it did not come to be within ${most} ms: ${what.toString()}`);
}

/** What a server answers to the bytes of a request, up to the end of its first line that is no interim answer. */
const raw = (port: number, text: string): Promise<string> =>
	new Promise((done, wrong) => {
		const socket = connect(port, 'localhost');
		let answer = '';
		socket.setTimeout(20_000, () => socket.destroy(new Error('no answer')));
		socket.on('error', wrong);
		socket.on('data', (part) => {
			answer += part.toString('latin1');
			const line = answer.replace(/^HTTP\/1\.1 100 .*\r\n\r\n/, '').split('\r\n');
			if (line.length < 2) return;
			done(line[0]!);
			socket.destroy();
		});
		socket.write(text);
	});

test.afterEach(() => Server.endAll());

test('a full disk: everything is read, writes are refused in words, and it recovers', async ({ page }) => {
	const disk = mkdtempSync(join(tmpdir(), 'sextant-disk-'));
	execFileSync('mount', ['-t', 'tmpfs', '-o', 'size=160m', 'tmpfs', disk]);
	const server = new Server(4896, '60', join(disk, 'data'));
	try {
		await server.start();
		const clock = () => server.call<{ now: number }>('GET', '/lab/clock').then((c) => c.now);
		await until(async () => (await server.call<{ total: number }>('GET', '/machines')).total > 0);
		// To the last byte: what SQLite itself meets is met as well.
		try {
			for (let i = 0; i < 1000; i++) writeFileSync(join(disk, `filler-${i}`), Buffer.alloc(1 << 20));
		} catch (e) {
			expect((e as NodeJS.ErrnoException).code).toBe('ENOSPC');
		}
		await until(async () => {
			const answer = await fetch(`http://localhost:4896/api/v1/plans`, {
				method: 'POST',
				headers: { authorization: `Bearer ${server.token}`, 'content-type': 'application/json' },
				body: JSON.stringify({ kind: 'policy.set', input: {} })
			});
			return answer.status === 507 && /disk is full/i.test(await answer.text());
		});
		// Time goes on on the wall, and nothing that writes each second ends the process.
		await wait(6000);
		expect(server.alive).toBe(true);
		expect((await server.call<{ total: number }>('GET', '/machines')).total).toBeGreaterThan(0);
		// Nobody has an operator yet: pages go on being made, too.
		expect((await page.goto('http://localhost:4896/welcome'))!.status()).toBe(200);
		for (let i = 0; i < 1000; i++) rmSync(join(disk, `filler-${i}`), { force: true });
		await until(async () => {
			const before = await clock();
			await wait(500);
			return (await clock()) > before;
		});
		await until(async () => {
			const plan = await server.call<{ id: number }>('POST', '/plans', {
				kind: 'policy.set',
				input: { pool: 'quay', patience: 1_800_000 }
			});
			return plan.id > 0;
		});
		expect(server.alive).toBe(true);
		await server.end();
	} finally {
		if (server.alive) await server.kill();
		execFileSync('umount', ['-l', disk]);
		rmSync(disk, { recursive: true, force: true });
	}
});

test('each thread that ends is started anew; jobs go on where they were, and Today says so', async () => {
	const server = new Server(4896, '120');
	await server.start();
	try {
		for (const thread of ['lab', 'packer', 'engine']) {
			await server.call('POST', '/lab/threads', { thread });
			// What was asked while it ended is refused with “try again in a moment”, and nothing else.
			const clock = async () => {
				for (;;) {
					const answer = await server
						.call<{ now: number }>('GET', '/lab/clock')
						.catch((e: Error) => expect(e.message).toMatch(/: 503 .*\/problems\/away/));
					if (answer) return answer.now;
					await new Promise((done) => setTimeout(done, 100));
				}
			};
			const before = await clock();
			await until(async () => (await clock()) > before);
		}
		expect(server.alive).toBe(true);
		// Plans and long scopes are worked out by readers: one that ends is asked of the next.
		const long = '/machines?scope=-strain%3E99%20-strain%3E98%20-strain%3E97%20-strain%3E96%20-state%3Afailed';
		const ended = () => server.output.split('has ended and is started anew').length - 1;
		// While the first of them are coming up, somebody else answers.
		await until(async () => {
			await server.call('POST', '/lab/threads', { thread: 'readers' });
			expect((await server.call<{ rows: unknown[] }>('GET', long)).rows).toBeInstanceOf(Array);
			return ended() >= 3;
		});
		await until(async () => {
			const plan = await server.call<{ id: number }>('POST', '/plans', {
				kind: 'policy.set',
				input: { pool: 'quay', patience: 1_800_000 }
			});
			return plan.id > 0;
		});
		// No header or address, a stranger's or not, ends a reader or keeps it.
		expect(server.output).toMatch(/the reader \d+ has ended and is started anew/);
		// The last of them may still be ending.
		let before: number;
		do {
			before = ended();
			await new Promise((done) => setTimeout(done, 3000));
		} while (ended() !== before);
		const odd = [`Trailer: x`, `X-Long: ${'a'.repeat(15_500)}`, `TE: trailers\r\nExpect: 100-continue`];
		for (const headers of odd)
			for (const who of ['X-Nobody: 1', `Authorization: Bearer ${server.token}`]) {
				const answer = await raw(
					4896,
					`GET /api/v1${long} HTTP/1.1\r\nHost: localhost\r\n${who}\r\n${headers}\r\n\r\n`
				);
				expect(answer).toMatch(who.startsWith('X') ? / 401 / : / 200 /);
			}
		expect(await raw(4896, `GET ${long}&to=${'"'.repeat(14_000)} HTTP/1.1\r\nHost: localhost\r\n\r\n`)).toMatch(
			/ 404 | 303 /
		);
		expect((await server.call<{ rows: unknown[] }>('GET', long)).rows).toBeInstanceOf(Array);
		expect(ended()).toBe(before);
		const job = await server.begin('image.build', { line: 'desk', number: '1.7.0' });
		await until(async () => (await server.job(job)).steps.some((s) => s.state === 'done'));
		await server.call('POST', '/lab/threads', { thread: 'engine' });
		await server.finish(job);
		expect(await server.job(job)).toMatchObject({ state: 'done' });
		// A second end while the next is running sets that one aside, and not the server.
		await server.call('POST', '/lab/clock', { speed: 20 });
		const next = await server.begin('image.build', { line: 'desk', number: '1.8.0' });
		for (let i = 0; i < 2; i++) {
			await until(async () => (await server.job(next)).state === 'running');
			const ends = () => server.output.split('the engine thread ended').length;
			const before = ends();
			// While it is being started anew there is none to end.
			await until(async () => {
				await server.call('POST', '/lab/threads', { thread: 'engine' });
				await wait(500);
				return ends() > before;
			});
		}
		await server.call('POST', '/lab/clock', { speed: 300 });
		await server.finish(next);
		const aside = await server.job(next);
		expect(aside.state).toBe('failed');
		expect(aside.error).toMatch(/set aside: a thread of Sextant ended 2 times/);
	} finally {
		await server.end();
	}
});
