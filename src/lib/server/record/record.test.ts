import { createHash, createPublicKey, generateKeyPairSync, verify } from 'node:crypto';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { extract } from 'tar-stream';
import { rightsOf, type Role } from '$lib/core/access/rights';
import { DAY } from '$lib/core/time/units';
import { all, openDb, run, type Db } from '../db';
import { actingAs, setAuditorsAlone } from '../identity/assignments';
import { asRole, type Caller } from '../identity/caller';
import { Harness, OWNER, QUIET, testEstate } from '../testing/harness';
import { askApi } from '../testing/pages';
import { verifyData } from '../verify';
import { entriesBefore, firstBrokenEntry, note, type NewEntry } from './entries';
import { recordFiles } from './files';
import { tellLog } from './manifest';

let db: Db;
let turn = 0;
const entry = (more: Partial<NewEntry> = {}): NewEntry => ({
	kind: 'sign-in',
	who: `ida ${turn}`,
	role: 'operator',
	words: 'signed in',
	address: '10.0.0.1',
	good: true,
	...more
});
beforeEach(() => {
	db = openDb(':memory:');
	turn++;
});
/** Alters the record as somebody would who has the database in hand. */
const byHand = (sql: string) => {
	db.exec('DROP TRIGGER record_entries_stay; DROP TRIGGER record_entries_remain');
	db.exec(sql);
};

describe('the record', () => {
	it('is chained: what is altered, taken out or cut shows', () => {
		for (let i = 0; i < 5; i++) note(db, i, entry());
		expect(firstBrokenEntry(db)).toBeNull();
		expect(entriesBefore(db, 3, 10).map((e) => e.number)).toEqual([4, 3, 2, 1]);
		expect(() => run(db, `UPDATE record_entries SET words = 'nothing' WHERE number = 2`)).toThrow(/append-only/);
		expect(() => run(db, 'DELETE FROM record_entries')).toThrow(/append-only/);
		byHand(`UPDATE record_entries SET good = 0 WHERE number = 3`);
		expect(firstBrokenEntry(db)).toBe(3);
		expect(verifyData(db)).toContain('record: broken at entry 3');
	});

	it('cut at its end is found by what the change log was told, once a day', () => {
		const ctx = { db } as never;
		note(db, 1, entry());
		note(db, 2, entry());
		tellLog(ctx, DAY);
		note(db, 3, entry());
		tellLog(ctx, DAY + 1);
		tellLog(ctx, 2 * DAY);
		tellLog(ctx, 4 * DAY);
		expect(all(db, `SELECT at FROM changes WHERE kind = 'record.head'`)).toEqual([{ at: DAY }, { at: 2 * DAY }]);
		expect(verifyData(db)).toEqual([]);
		byHand('DELETE FROM record_entries WHERE number = 3');
		expect(firstBrokenEntry(db)).toBeNull();
		expect(verifyData(db)).toEqual(['record: it was cut: the change log speaks of another entry 3']);
	});

	it('takes no more than so many lines a minute of one, and says that there were more', () => {
		for (let i = 0; i < 500; i++)
			note(db, i, entry({ kind: 'refused', who: 'loud', good: false, words: 'x'.repeat(9000) }));
		note(db, 501, entry({ who: 'quiet' }));
		const [last, before] = entriesBefore(db, 1000, 2);
		expect(last!.who).toBe('quiet');
		expect(before!.words).toMatch(/and more within a minute/);
		expect(before!.number).toBe(61);
		expect(entriesBefore(db, 0, 1)[0]!.words).toHaveLength(500);
	});

	it('is not filled by strangers, whatever they call themselves and wherever they come from', () => {
		const stranger = (who: string, address: string) => note(db, 1, entry({ who, address, good: false, role: '' }));
		for (let i = 0; i < 300; i++) stranger(`guess ${turn} ${i}`, `10.9.0.${turn}`);
		expect(entriesBefore(db, 2, 1)[0]!.number).toBe(61);
		for (let i = 0; i < 3000; i++) stranger('owner', `10.8.${turn}.${i}`);
		expect(entriesBefore(db, 2, 1)[0]!.number).toBeLessThanOrEqual(661);
		note(db, 3, entry({ who: `owner ${turn}` }));
		expect(entriesBefore(db, 3, 1)[0]!.who).toBe(`owner ${turn}`);
	});

	it('has a look once, however long somebody stays on the page', () => {
		const look = entry({ kind: 'looked', who: 'curious' });
		for (let i = 0; i < 10; i++) note(db, i, look);
		note(db, 11, { ...look, words: 'looked at somebody else' });
		expect(entriesBefore(db, 20, 20)).toHaveLength(2);
	});

	it('keeps nobody from what they came for while the disk is full', () => {
		const full = Object.assign(new Error('full'), { code: 'SQLITE_FULL' });
		vi.spyOn(db, 'transaction').mockImplementation(() => {
			throw full;
		});
		expect(() => note(db, 1, entry())).not.toThrow();
		vi.restoreAllMocks();
	});
});

describe('the files of the record', () => {
	const unpack = async (tar: Buffer): Promise<Map<string, Buffer>> => {
		const files = new Map<string, Buffer>();
		const from = extract();
		from.end(tar);
		for await (const part of from) {
			const parts: Buffer[] = [];
			for await (const p of part) parts.push(p as Buffer);
			files.set(part.header.name, Buffer.concat(parts));
		}
		return files;
	};

	it('hold what is between two moments, with digests and a signature over them that others can check', async () => {
		for (let i = 0; i < 5; i++) note(db, i * 10, entry());
		const { privateKey } = generateKeyPairSync('ed25519');
		const files = await unpack(await recordFiles(db, privateKey, 10, 40));
		const lines = files
			.get('record.jsonl')!
			.toString()
			.trim()
			.split('\n')
			.map((l) => JSON.parse(l) as { of: string; number: number });
		expect(lines.map((l) => [l.of, l.number])).toEqual([
			['entry', 2],
			['entry', 3],
			['entry', 4]
		]);
		const sums = files.get('SHA256SUMS')!;
		for (const line of sums.toString().trim().split('\n')) {
			const [digest, name] = line.split('  ');
			expect(createHash('sha256').update(files.get(name!)!).digest('hex')).toBe(digest);
		}
		const key = createPublicKey(files.get('key.pem')!);
		expect(verify(null, sums, key, files.get('SHA256SUMS.sig')!)).toBe(true);
		expect(verify(null, Buffer.concat([sums, Buffer.from(' ')]), key, files.get('SHA256SUMS.sig')!)).toBe(false);
	});
});

describe('who reads it', () => {
	const may = (role: Role) => actingAs(db, role, '')!.rights.audit ?? 'none';
	it('owners and auditors, or auditors alone; nobody for a part', () => {
		expect(['owner', 'auditor', 'operator', 'helpdesk'].map((r) => may(r as Role))).toEqual([
			'read',
			'read',
			'none',
			'none'
		]);
		setAuditorsAlone(db, true);
		expect([may('owner'), may('auditor')]).toEqual(['none', 'read']);
		expect(actingAs(db, 'auditor', 'site:quay')!.rights.audit).toBeUndefined();
	});

	it('what the API refuses is on record, with who asked and from where', async () => {
		const h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
		const clerk: Caller = { ...OWNER, ...asRole('helpdesk'), name: `Clerk ${turn}`, rights: rightsOf('helpdesk') };
		const plan = JSON.stringify({ kind: 'policy.set', input: { pool: 'quay', headroomIn: 1 } });
		expect((await askApi(h, 'POST', '/api/v1/plans', plan, clerk)).status).toBe(403);
		expect(entriesBefore(h.db, h.lab.now, 5)).toMatchObject([
			{
				kind: 'refused',
				who: clerk.name,
				role: 'helpdesk',
				good: false,
				words: expect.stringContaining('POST /api/v1/plans')
			}
		]);
		const listed = await askApi(h, 'GET', '/api/v1/record-entries?limit=5');
		expect(String(listed.body)).toContain(clerk.name);
		const tar = await askApi(h, 'GET', '/api/v1/record/files.tar?from=2020-01-01T00:00:00Z');
		expect(tar.status).toBe(200);
		expect((await askApi(h, 'GET', '/api/v1/record/files.tar?from=soon')).status).toBe(422);
	});
});
