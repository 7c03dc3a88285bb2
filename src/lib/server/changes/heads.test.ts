import { generateKeyPairSync } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import { openDb, run, type Db } from '../db';
import { addChange, firstBrokenChange } from './index';
import {
	compareHeads,
	countProblems,
	HEADS_FILE,
	HeadKeeper,
	headKeyIn,
	headLine,
	headOf,
	headProblems
} from './heads';

let dir: string;
let db: Db;
beforeEach(() => {
	dir = mkdtempSync(join(tmpdir(), 'sextant-heads-'));
	db = openDb(':memory:');
	for (let i = 0; i < 5; i++) change(i);
});
afterEach(() => rmSync(dir, { recursive: true, force: true }));

const change = (i: number, jobId: number | null = null) =>
	addChange(db, {
		at: i,
		by: 'Ada',
		via: 'test',
		kind: 'x',
		title: `Change ${i}`,
		objects: [],
		planId: null,
		jobId,
		outcome: 'done',
		undo: null
	});
const heads = () => readFileSync(join(dir, HEADS_FILE), 'utf8');
const untied = (sql: string) => {
	db.exec('DROP TRIGGER changes_stay; DROP TRIGGER changes_remain; DROP TRIGGER changes_in_turn');
	db.exec(sql);
};

describe('heads of the change log', () => {
	test('are kept when it has grown, signed, in a file for its owner only', () => {
		const keeper = new HeadKeeper(dir, headKeyIn(dir));
		expect(keeper.keep(db, 10)).toMatchObject({ number: 5 });
		expect(keeper.keep(db, 11)).toBeNull();
		change(6);
		// Another process goes on where the last one was.
		expect(new HeadKeeper(dir, headKeyIn(dir)).keep(db, 12)).toMatchObject({ number: 6 });
		expect(headProblems(db, heads(), 'heads')).toEqual([]);
		expect(statSync(join(dir, 'changes.key')).mode & 0o777).toBe(0o600);
		expect(statSync(join(dir, HEADS_FILE)).mode & 0o777).toBe(0o600);
	});

	test.each<[string, string, RegExp]>([
		['its end cut off', 'DELETE FROM changes WHERE number > 3', /has been cut/],
		['emptied', 'DELETE FROM changes', /has been cut/]
	])('show a log that has been %s, which the chain does not', (_how, sql, words) => {
		new HeadKeeper(dir, headKeyIn(dir)).keep(db, 10);
		untied(sql);
		expect(firstBrokenChange(db)).toBeNull();
		expect(headProblems(db, heads(), 'heads').join()).toMatch(words);
	});

	test('show a log that was written anew, its chain worked out again', () => {
		new HeadKeeper(dir, headKeyIn(dir)).keep(db, 10);
		untied('DELETE FROM changes WHERE number > 3');
		change(8);
		change(9);
		expect(firstBrokenChange(db)).toBeNull();
		expect(headProblems(db, heads(), 'heads').join()).toMatch(/written anew: change 5/);
	});

	test('kept elsewhere are compared with the log: how far they reach, and what does not agree', () => {
		const keeper = new HeadKeeper(dir, headKeyIn(dir));
		const kept = headLine(keeper.keep(db, 10)!);
		change(6);
		expect(compareHeads(db, kept)).toEqual({ heads: 1, last: 5, changes: 6, problems: [] });
		expect(compareHeads(db, 'no head\n')).toMatchObject({
			heads: 0,
			last: null,
			problems: [expect.stringMatching(/1 of its lines/)]
		});
		untied('DELETE FROM changes WHERE number > 3');
		change(8);
		change(9);
		expect(compareHeads(db, kept).problems.join()).toMatch(/written anew: change 5/);
		db.exec(`UPDATE changes SET by = 'nobody' WHERE number = 2`);
		expect(compareHeads(db, kept).problems[0]).toBe('change log: broken at change 2');
	});

	test('that are forged, altered or of another key are shown', () => {
		const key = headKeyIn(dir);
		const head = headOf(db, key, 1, new Date(0))!;
		const other = headOf(db, generateKeyPairSync('ed25519').privateKey, 1, new Date(0))!;
		expect(headProblems(db, headLine({ ...head, number: 4 }), 'heads').join()).toMatch(/signature .* does not hold/);
		expect(headProblems(db, headLine({ ...head, signature: other.signature }), 'h').join()).toMatch(/does not hold/);
		expect(headProblems(db, headLine(head) + headLine(other), 'heads').join()).toMatch(/2 keys/);
		expect(headProblems(db, 'nonsense\n{"number":1}\n', 'heads')).toEqual(['heads: 2 of its lines cannot be read']);
		writeFileSync(join(dir, HEADS_FILE), 'nonsense');
		expect(new HeadKeeper(dir, key).keep(db, 1)).toMatchObject({ number: 5 });
	});
});

test('no REPLACE and no number out of turn gets past the log’s own guards', () => {
	const columns = `'Ada', 'x', 'x', 'forged', '[]', NULL, NULL, 'done', NULL, 'b', 'c'`;
	for (const sql of [
		`INSERT OR REPLACE INTO changes VALUES (3, 1, ${columns})`,
		`REPLACE INTO changes VALUES (5, 1, ${columns})`,
		`INSERT INTO changes VALUES (2, 1, ${columns})`,
		'UPDATE changes SET title = 1',
		'UPDATE OR REPLACE changes SET number = 1 WHERE number = 5',
		'DELETE FROM changes'
	])
		expect(() => db.exec(sql), sql).toThrow(/append-only/);
	expect(firstBrokenChange(db)).toBeNull();
});

test('jobs that ended without a line, and lines of jobs that are not there, are counted', () => {
	expect(countProblems(db)).toEqual([]);
	db.pragma('foreign_keys = OFF');
	run(
		db,
		`INSERT INTO jobs(id, plan_id, kind, title, state, by, made_at, not_before, expected, ended) VALUES (7, 1, 'x', 'x', 'done', 'x', 1, 1, 1, 2)`
	);
	change(9, 8);
	expect(countProblems(db)).toHaveLength(2);
});
