import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { cpSync, existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import Database from 'better-sqlite3';

/** The small estate with its history and a token, made once for all the servers of a file of tests, and copied. */
let made: { data: string; token: string } | null = null;

function makeOnce(): { data: string; token: string } {
	if (made) return made;
	const data = mkdtempSync(join(tmpdir(), 'sextant-made-'));
	const node = (...args: string[]) => execFileSync(process.execPath, [...args, '--data', data], { encoding: 'utf8' });
	node('build/node/serve.js', '--estate', SMALL, '--make');
	const token = node('build/node/cli.js', 'token', 'create', '--name', 'tests', '--role', 'owner').trim();
	process.on('exit', () => rmSync(data, { recursive: true, force: true }));
	return (made = { data, token });
}

const SMALL = 'e2e/small.yaml';
/** How a job ends. */
export const ENDED: readonly string[] = ['done', 'failed', 'cancelled'];
/** A server that has not begun by then does not, ms. */
const BEGINS = 90_000;

/** A server of a test's own, over the small estate. */
export class Server {
	private static readonly running = new Set<Server>();
	/** After a test, however it ended: what goes on would keep its port from the next. */
	static async endAll(): Promise<void> {
		for (const server of Server.running) await server.kill();
	}

	private process: ChildProcess | null = null;
	token = '';
	/** All that it has said. */
	output = '';

	constructor(
		readonly port: number,
		private readonly speed = '120',
		readonly data = mkdtempSync(join(tmpdir(), 'sextant-own-')),
		private readonly estate = SMALL,
		private readonly more: readonly string[] = []
	) {}

	async start(): Promise<void> {
		const args = [
			'build/node/serve.js',
			'--port',
			String(this.port),
			'--data',
			this.data,
			'--speed',
			this.speed,
			...this.more
		];
		if (!existsSync(join(this.data, 'sextant.db'))) {
			if (this.estate !== SMALL) args.push('--estate', this.estate);
			else {
				const { data, token } = makeOnce();
				cpSync(data, this.data, { recursive: true });
				this.token = token;
			}
		}
		const server = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'pipe'] });
		this.process = server;
		Server.running.add(this);
		let output = '';
		let late: NodeJS.Timeout | undefined;
		await new Promise<void>((ready, wrong) => {
			const hear = (chunk: Buffer) => {
				output += chunk.toString();
				this.output += chunk.toString();
				if (output.includes('looks after')) ready();
			};
			server.stdout.on('data', hear);
			server.stderr.on('data', hear);
			server.once('exit', (code) => wrong(new Error(`ended with ${code}: ${output}`)));
			late = setTimeout(() => wrong(new Error(`has not begun:\n${output}`)), BEGINS);
		}).finally(() => clearTimeout(late));
		server.removeAllListeners('exit');
		if (!this.token)
			this.token = execFileSync(
				process.execPath,
				['build/node/cli.js', 'token', 'create', '--name', 'tests', '--role', 'owner', '--data', this.data],
				{ encoding: 'utf8' }
			).trim();
	}

	/** Whether the process is still there. */
	get alive(): boolean {
		return this.process !== null && this.process.exitCode === null && this.process.signalCode === null;
	}

	/** No time to say goodbye: SIGKILL. */
	async kill(): Promise<void> {
		Server.running.delete(this);
		if (!this.alive) return;
		const ended = new Promise((done) => this.process!.once('exit', done));
		this.process!.kill('SIGKILL');
		await ended;
	}

	async call<T>(method: string, path: string, body?: unknown): Promise<T> {
		const response = await fetch(`http://localhost:${this.port}/api/v1${path}`, {
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

	/** Waits for the end of a job; `answer` is what somebody does when it asks. */
	async finish(id: number, answer?: (s: Server) => Promise<void>): Promise<void> {
		for (let i = 0; i < 1200; i++) {
			await answer?.(this);
			const job = await this.job(id);
			if (ENDED.includes(job.state)) return;
			await new Promise((done) => setTimeout(done, 50));
		}
		throw new Error(`job ${id} does not end`);
	}

	/** Takes a package up; answers with its manifest. */
	async upload(body: Buffer): Promise<string> {
		const response = await fetch(`http://localhost:${this.port}/api/v1/packages`, {
			method: 'POST',
			headers: { authorization: `Bearer ${this.token}`, 'content-type': 'application/octet-stream' },
			body: new Uint8Array(body)
		});
		const answer = (await response.json()) as { manifest?: string };
		if (!answer.manifest) throw new Error(`the package is not taken: ${JSON.stringify(answer)}`);
		return answer.manifest;
	}

	/** Bytes that shipments have brought to their sites. */
	sent = (): number => this.number('SELECT coalesce(sum(sent), 0) FROM shipment_sites')!;
	/** Machines that rollouts have moved, and gates that they have passed. */
	moved = (): number =>
		this.number(
			`SELECT (SELECT count(*) FROM rollout_machines WHERE state = 'moved') + (SELECT coalesce(sum(wave), 0) FROM rollouts)`
		)!;
	/** A rollout that waits for somebody to decide, and whom nobody has told anything yet. */
	asks = (): number | null =>
		this.number(
			`SELECT id FROM rollouts WHERE state = 'paused' AND decision IS NULL
			 AND NOT EXISTS (SELECT 1 FROM jobs WHERE kind = 'rollout.decide' AND state NOT IN ('done', 'failed', 'cancelled'))`
		);

	private number(sql: string): number | null {
		const db = new Database(join(this.data, 'sextant.db'), { readonly: true });
		const n = db.prepare(sql).pluck().get() as number | undefined;
		db.close();
		return n ?? null;
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
			spots: all(
				'SELECT m.name, p.host_id, p.version FROM machine_spots p JOIN machines m ON m.id = p.machine_id WHERE p.until > 9e15 ORDER BY 1'
			),
			stores: all('SELECT site_id, line_id, number FROM site_versions WHERE until > 9e15 ORDER BY 1, 2, 3'),
			failing: all(
				'SELECT m.name, f.name FROM failing_checks f JOIN machines m ON m.id = f.machine_id WHERE f.until > 9e15'
			),
			unmade: all('SELECT pool_id, name FROM unmade_machines'),
			rollouts: all(
				'SELECT r.number, r.state, m.machine, m.wave, m.state AS moved FROM rollouts r JOIN rollout_machines m ON m.rollout_id = r.id ORDER BY 3'
			),
			deliveries: all('SELECT pool_id, package, version, mode FROM deliveries WHERE until > 9e15 ORDER BY 1, 2')
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
