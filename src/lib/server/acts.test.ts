import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from 'vitest';
import { readEstate } from '$lib/core/estate/read';
import type { Estate } from '$lib/core/estate/schema';
import { actProblems } from './acts';
import { all, openDb, type Db } from './db';
import { makeHistory } from './history';
import type { Progress } from './process';
import { verifyData } from './verify';
import { vaultOf } from './vault';

const folders: string[] = [];
afterAll(() => folders.forEach((f) => rmSync(f, { recursive: true, force: true })));

/** The test estate over two days that people worked in; it opens at 13:30 on the 17th. */
const estateWith = (acts: string) =>
	readEstate(
		`${readFileSync('e2e/small.yaml', 'utf8').replace(/history_days: [\d.]+/, 'history_days: 2')}
operators:
  - { login: ida, name: Ida Rask, role: operator }
  - { login: odd, name: Odd Berg, role: auditor }
acts:
${acts}`,
		'small.yaml',
		() => null,
		actProblems
	);

async function lived(acts: string, told?: (p: Progress) => void): Promise<Db> {
	const read = estateWith(acts);
	if ('problems' in read) throw new Error(read.problems.map((p) => `${p.line}: ${p.path}: ${p.message}`).join('\n'));
	return livedBy(read.estate, told);
}

async function livedBy(estate: Estate, told?: (p: Progress) => void): Promise<Db> {
	const folder = mkdtempSync(join(tmpdir(), 'sextant-acts-'));
	folders.push(folder);
	const db = openDb(':memory:');
	await makeHistory(db, estate, vaultOf(Buffer.alloc(32)), folder, told);
	return db;
}

const ACTS = `
  - { at: 2026-11-16T09:00:00+01:00, undo: 2026-11-16T15:00:00+01:00, by: ida, plan: policy.set, input: { pool: quay, headroomIn: 4 } }
  - { at: 2026-11-16T10:00:00+01:00, by: ida, plan: pool.grow, input: { pool: isle, count: 1 } }
  - { at: 2026-11-16T11:00:00+01:00, by: odd, plan: policy.set, input: { pool: isle, headroomIn: 3 } }
  - { at: 2026-11-16T11:30:00+01:00, by: ida, plan: pool.grow, input: { pool: isle, count: 400 } }
  - { at: 2026-11-16T12:00:00+01:00, by: ida, plan: machine.start, input: { machines: [own-01] }, start: 2026-11-16T20:00:00+01:00 }
`;
const changes = (db: Db) =>
	all<{ at: number; by: string; via: string; kind: string; outcome: string }>(
		db,
		'SELECT at, by, via, kind, outcome FROM changes ORDER BY number'
	);

describe('the acts of an estate file', () => {
	test('go through their plans while the history is lived: done, undone, refused, and at a time of their own', async () => {
		const told: Progress[] = [];
		const db = await lived(ACTS, (p) => told.push(p));
		// Two are refused, and one is undone.
		expect([told[0]!.acts, told.at(-1)!.acts]).toEqual([0, 4]);
		expect(told.map((p) => p.share)).toEqual(told.map((p) => p.share).toSorted((a, b) => a - b));
		expect(changes(db).map((c) => [new Date(c.at).toISOString().slice(11, 13), c.by, c.kind, c.outcome])).toEqual([
			['08', 'Ida Rask', 'policy.set', 'done'],
			['09', 'Ida Rask', 'pool.grow', 'done'],
			['14', 'Ida Rask', 'policy.set', 'done'],
			['19', 'Ida Rask', 'machine.start', 'done']
		]);
		// Whoever may not, and what does not fit, changes nothing; what does not fit stays as a draft with the reason.
		const drafts = all<{ kind: string; refused: string | null }>(
			db,
			`SELECT kind, refused FROM plans WHERE state = 'draft'`
		);
		expect(drafts).toEqual([{ kind: 'pool.grow', refused: expect.stringMatching(/missing|room/) as string }]);
		const headroom = all<{ policy: string }>(db, `SELECT policy FROM pools WHERE id = 'quay' ORDER BY since`).map(
			(p) => (JSON.parse(p.policy) as { headroomIn: number }).headroomIn
		);
		expect(headroom).toHaveLength(3);
		expect(headroom[0]).toBe(headroom[2]);
		expect(headroom[1]).toBe(4);
		expect(verifyData(db)).toEqual([]);
	});

	test('come out the same each time, to the row', async () => {
		const rows = (db: Db) => ({
			changes: changes(db),
			steps: all(db, 'SELECT job_id, n, kind, began, ended FROM job_steps ORDER BY 1, 2'),
			states: all(db, 'SELECT machine_id, state, since, until FROM machine_states ORDER BY 1, 3'),
			sessions: all(db, 'SELECT id, person_id, since, until FROM sessions ORDER BY id')
		});
		const [a, b] = [await lived(ACTS), await lived(ACTS)];
		expect(rows(a)).toEqual(rows(b));
		expect(rows(a).sessions.length).toBeGreaterThan(0);
	});

	test('change nothing of what would have been without them before they begin', async () => {
		const before = (db: Db) =>
			all(db, `SELECT machine_id, state, since FROM machine_states WHERE since < ? ORDER BY 1, 3`, [
				Date.parse('2026-11-16T09:00:00+01:00')
			]);
		expect(before(await lived(ACTS))).toEqual(before(await lived('  []')));
	});

	test('one that makes no sense ends itself alone', async () => {
		const db = await lived(`
  - { at: 2026-11-16T09:00:00+01:00, undo: 2026-11-16T09:30:00+01:00, by: ida, plan: policy.set, input: { pool: nowhere, headroomIn: 4 } }
  - { at: 2026-11-16T10:00:00+01:00, by: anna, plan: policy.set, input: { pool: quay, headroomIn: 4 } }
  - { at: 2026-11-16T11:00:00+01:00, by: ida, plan: policy.set, input: { pool: quay, headroomIn: 5 } }
`);
		expect(changes(db).map((c) => [c.by, c.kind])).toEqual([['Ida Rask', 'policy.set']]);
	});

	test.each([
		[
			'{ at: 2026-11-16T09:00:00+01:00, by: ida, plan: policy.bend }',
			'acts.0.plan',
			'no kind of plan called policy.bend'
		],
		[
			'{ at: 2026-11-16T09:00:00+01:00, by: ida, plan: policy.set, input: { pool: quay, headroomIn: many } }',
			'acts.0.input.headroomIn',
			'Write the headroom as a number'
		],
		['{ at: 2026-11-16T09:00:00+01:00, by: nobody, plan: policy.set }', 'acts.0.by', 'no operator and no person'],
		['{ at: 2027-11-16T09:00:00+01:00, by: ida, plan: policy.set }', 'acts.0.at', 'lies within the history'],
		[
			'{ at: 2026-11-16T09:00:00+01:00, undo: 2026-11-16T08:00:00+01:00, by: ida, plan: policy.set }',
			'acts.0.undo',
			'undone after it is done'
		]
	])('%s is refused at its line', (act, path, words) => {
		const read = estateWith(`  - ${act}`);
		const problems = 'problems' in read ? read.problems : [];
		expect(problems.find((p) => p.path === path)?.message).toContain(words);
		expect(problems.every((p) => p.line > 1)).toBe(true);
	});
});
