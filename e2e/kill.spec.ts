import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import Database from 'better-sqlite3';

/**
 * Kills the server hard in the middle of jobs, ten times for each kind, and compares what is left with a run that
 * nobody disturbed.
 */
const PORT = 4897;
const SPEED = '120';

class Server {
	private process: ChildProcess | null = null;
	readonly data = mkdtempSync(join(tmpdir(), 'sextant-kill-'));
	private token = '';

	async start(): Promise<void> {
		const args = ['build/node/serve.js', '--port', String(PORT), '--data', this.data, '--speed', SPEED];
		const { existsSync } = await import('node:fs');
		if (!existsSync(join(this.data, 'sextant.db'))) args.push('--estate', 'e2e/small.yaml');
		const server = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'pipe'] });
		this.process = server;
		let output = '';
		await new Promise<void>((ready, wrong) => {
			const hear = (chunk: Buffer) => {
				output += chunk.toString();
				if (output.includes('looks after')) ready();
			};
			server.stdout.on('data', hear);
			server.stderr.on('data', hear);
			server.once('exit', (code) => wrong(new Error(`ended with ${code}: ${output}`)));
		});
		server.removeAllListeners('exit');
		if (!this.token)
			this.token = execFileSync(
				process.execPath,
				['build/node/cli.js', 'token', 'create', '--name', 'tests', '--role', 'owner', '--data', this.data],
				{ encoding: 'utf8' }
			).trim();
	}

	/** No time to say goodbye: SIGKILL. */
	async kill(): Promise<void> {
		const ended = new Promise((done) => this.process!.once('exit', done));
		this.process!.kill('SIGKILL');
		await ended;
	}

	async call<T>(method: string, path: string, body?: unknown): Promise<T> {
		const response = await fetch(`http://localhost:${PORT}/api/v1${path}`, {
			method,
			headers: { authorization: `Bearer ${this.token}`, 'content-type': 'application/json' },
			...(body === undefined ? {} : { body: JSON.stringify(body) })
		});
		const text = await response.text();
		if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${text}`);
		return (text ? JSON.parse(text) : null) as T;
	}

	async begin(kind: string, input: unknown): Promise<number> {
		const plan = await this.call<{ id: number }>('POST', '/plans', { kind, input });
		return (await this.call<{ job: number }>('POST', `/plans/${plan.id}/commit`, {})).job;
	}

	job = (id: number) =>
		this.call<{
			state: string;
			progress: number;
			steps: { words: string; state: string; items: { done: number } }[];
			result: unknown;
			error: string | null;
		}>('GET', `/jobs/${id}`);

	async finish(id: number): Promise<void> {
		for (let i = 0; i < 1200; i++) {
			const job = await this.job(id);
			if (['done', 'failed', 'cancelled'].includes(job.state)) return;
			await new Promise((done) => setTimeout(done, 50));
		}
		throw new Error(`job ${id} does not end`);
	}

	/** What the jobs have left behind, in a form that two runs can be compared in: no times, no numbers of rows. */
	leftBehind(): Record<string, unknown> {
		const db = new Database(join(this.data, 'sextant.db'), { readonly: true });
		const all = (sql: string) => db.prepare(sql).all();
		const left = {
			jobs: all('SELECT kind, title, state, result, error FROM jobs ORDER BY id'),
			steps: all('SELECT job_id, n, kind, state FROM job_steps ORDER BY job_id, n'),
			items: all('SELECT job_id, n, item, state FROM job_items ORDER BY job_id, n, item'),
			changes: all(`SELECT number, kind, title, outcome FROM changes WHERE kind <> 'token.create' ORDER BY number`),
			versions: all('SELECT line_id, number, size FROM versions ORDER BY 1, 2'),
			runs: all('SELECT line_id, words, count(*) AS n FROM step_runs GROUP BY 1, 2 ORDER BY 1, 2'),
			machines: all('SELECT name, pool_id FROM machines WHERE until > 9e15 ORDER BY name'),
			places: all(
				'SELECT m.name, p.host_id, p.version FROM machine_places p JOIN machines m ON m.id = p.machine_id WHERE p.until > 9e15 ORDER BY 1'
			),
			failing: all(
				'SELECT m.name, f.name FROM failing_checks f JOIN machines m ON m.id = f.machine_id WHERE f.until > 9e15'
			),
			unmade: all('SELECT pool_id, name FROM unmade_machines')
		};
		db.close();
		return left;
	}

	async end(): Promise<void> {
		await this.kill();
		// Throws, with what is wrong, when the database, the change log or an interval is not whole.
		execFileSync(process.execPath, ['build/node/cli.js', 'verify', '--data', this.data], { encoding: 'utf8' });
		rmSync(this.data, { recursive: true, force: true });
	}
}

const WORK: { name: string; before?: (s: Server) => Promise<void>; kind: string; input: unknown }[] = [
	{ name: 'a build', kind: 'image.build', input: { line: 'desk', number: '1.2.0' } },
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
	}
];

for (const work of WORK) {
	test(`${work.name} survives ten hard kills and ends as it would have`, async () => {
		test.setTimeout(900_000);
		const calm = new Server();
		await calm.start();
		await work.before?.(calm);
		await calm.finish(await calm.begin(work.kind, work.input));
		const expected = calm.leftBehind();
		await calm.end();

		const rough = new Server();
		await rough.start();
		await work.before?.(rough);
		const job = await rough.begin(work.kind, work.input);
		const where = new Set<string>();
		for (let kill = 0; kill < 10; kill++) {
			// Spread over the job: each kill waits until it has come a little further than at the one before.
			for (let i = 0; i < 400; i++) {
				const now = await rough.job(job);
				if (now.progress >= kill / 10.5 || now.state === 'done') {
					const running = now.steps.find((s) => s.state === 'running');
					where.add(running ? `${running.words}, ${running.items.done} done` : 'between steps');
					break;
				}
				await new Promise((done) => setTimeout(done, 10));
			}
			await rough.kill();
			await rough.start();
		}
		await rough.finish(job);
		const left = rough.leftBehind();
		await rough.end();
		expect(left).toEqual(expected);
		expect((left.jobs as { state: string }[])[0]!.state).toBe('done');
		expect(where.size).toBeGreaterThan(1);
	});
}
