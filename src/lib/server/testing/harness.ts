import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { GB } from '$lib/core/time/units';
import { readEstate } from '$lib/core/estate/read';
import type { Estate } from '$lib/core/estate/schema';
import { assign } from '../identity/accounts';
import { asRole, type Caller } from '../identity/caller';
import type { Context } from '../context';
import { openDb, run, type Db } from '../db';
import { settleEstate } from '../settle';
import { Lockstep } from '../lockstep';
import { vaultOf } from '../vault';
import { BlobStore } from '../packing/blobs';
import { definitionOf } from '../packing/reading';
import { makePacker } from '../packing/packer';
import { tellAgents } from '../packages';
import { configureBroker } from '../publishing';
import type { Engine } from '../engine/engine';
import { jobById } from '../jobs';
import type { JobRunner } from '../engine/runner';
import { commitPlan, draftPlan, type PlanRow } from '../plans';
import '../areas';
import '../house/lists';
import { planKindOf } from '../plans/catalogue';
import { beginning } from '$lib/core/estate/schema';
import { wholeDirectory } from '../simulator/directory';
import { Lab } from '../simulator/lab';
import type { LabServer } from '../simulator/server';

/** Estate files, each read once: hundreds of tests begin with the same one. */
const estates = new Map<string, Estate>();
function read(file: string): Estate {
	const read = readEstate(readFileSync(file, 'utf8'), file, () => null);
	if ('problems' in read) throw new Error(read.problems.map((p) => `${p.line}: ${p.message}`).join('\n'));
	estates.set(file, read.estate);
	return read.estate;
}

/** An estate for tests, the caller's own; `change` may alter the plain values first. */
export function testEstate(file = 'e2e/small.yaml', change: (estate: Estate) => void = () => {}): Estate {
	const estate = structuredClone(estates.get(file) ?? read(file));
	change(estate);
	return estate;
}

/** Nobody comes by themselves. */
export const QUIET = (estate: Estate): void => {
	for (const p of estate.directory.people) p.pattern = 'none';
};

export const OWNER: Caller = {
	kind: 'operator',
	id: 1,
	name: 'Runa Solheim',
	login: 'owner',
	...asRole('owner'),
	factor: false,
	signIn: null
};

/** What makes a pool of three machines at the quay. */
export const NEW_POOL = {
	name: 'New desks',
	site: 'quay',
	line: 'desk',
	version: '1.0.0',
	cores: 2,
	memory: 8 * GB,
	disk: 40 * GB,
	count: 3,
	naming: 'nw-##',
	folder: 'desks/quay',
	network: 'quay-desks'
};

const folders: string[] = [];
process.on('exit', () => folders.forEach((f) => rmSync(f, { recursive: true, force: true })));

/** An estate, its lab, engine and job runner in one thread, with a clock that tests move by hand. */
export class Harness {
	readonly db: Db;
	readonly lab: Lab;
	readonly server: LabServer;
	readonly ctx: Context;
	readonly lockstep: Lockstep;
	/** Where captures and packages lie; gone when the process ends. */
	readonly dataDir: string;

	private constructor(estate: Estate) {
		this.dataDir = mkdtempSync(join(tmpdir(), 'sextant-test-'));
		folders.push(this.dataDir);
		this.lab = new Lab(estate);
		this.db = openDb(':memory:');
		const vault = vaultOf(Buffer.alloc(32, 7));
		settleEstate(this.db, estate, beginning(estate), {
			directory: wholeDirectory(estate, this.lab.world),
			vault
		});
		// Those who commit plans are there when their jobs begin.
		run(this.db, `INSERT INTO operators(id, login, name, password) VALUES (?, ?, ?, '')`, [
			OWNER.id,
			OWNER.login,
			OWNER.name
		]);
		assign(this.db, OWNER.login, { role: 'owner', part: '', ends: null, by: 'the test' }, 0);
		const packages = new BlobStore(join(this.dataDir, 'packages'));
		this.lockstep = new Lockstep(this.lab, { db: this.db, vault, packer: makePacker(this.dataDir) }, (manifest) =>
			definitionOf(packages, manifest)
		);
		({ server: this.server, ctx: this.ctx } = this.lockstep);
	}

	get engine(): Engine {
		return this.lockstep.engine;
	}

	get runner(): JobRunner {
		return this.lockstep.runner;
	}

	static async of(estate: Estate = testEstate()): Promise<Harness> {
		const h = new Harness(estate);
		await h.engine.observe();
		await configureBroker(h.ctx);
		await tellAgents(h.ctx);
		return h;
	}

	/** Lets the estate live for `ms`, in steps of `step`, engine and jobs along with it. */
	async live(ms: number, step = 5000): Promise<void> {
		await this.lockstep.live(this.lab.now + ms, step);
	}

	/** Drafts; what a kind says of being undone holds of each of its plans. */
	async draft(kind: string, input: unknown, caller = OWNER): Promise<PlanRow> {
		const plan = await draftPlan(this.ctx, caller, kind, input, 'test');
		const says = planKindOf(kind)!.undo;
		if (says !== 'sometimes' && (plan.undo === null) !== (says === 'never'))
			throw new Error(`${kind} says that it is undone ${says}, and its plan another thing`);
		return plan;
	}

	commit(plan: number, at: number | null = null, caller = OWNER): Promise<number> {
		return commitPlan(this.ctx, caller, plan, at, 'test');
	}

	/** Drafts, commits and carries out; answers with the ended job. */
	async carryOut(kind: string, input: unknown): Promise<NonNullable<ReturnType<typeof jobById>>> {
		return this.finish(await this.commit((await this.draft(kind, input)).id));
	}

	/** Lets time pass in steps of `step` until a job has ended; long ones, for a job of days. */
	async finish(job: number, step = 5000): Promise<NonNullable<ReturnType<typeof jobById>>> {
		for (let i = 0; i < 20_000; i++) {
			const row = jobById(this.db, job, this.lab.now)!;
			if (row.ended !== null) {
				await this.engine.observe();
				return row;
			}
			await this.live(step, step);
		}
		throw new Error(`job ${job} does not end`);
	}
}
