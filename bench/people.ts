import library from 'ldif';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { entriesOf } from '$lib/core/people/entries';
import { writeLdif } from '$lib/core/people/ldif';
import type { PersonRecord } from '$lib/core/people/record';
import { EVERYTHING } from '$lib/core/scope/scope';
import { DAY, FOREVER } from '$lib/core/time/units';
import { asRole } from '$lib/server/identity/caller';
import type { Context } from '$lib/server/context';
import { openDb, run, type Db } from '$lib/server/db';
import { importNow, keepFile } from '$lib/server/people/files';
import { comingAt, comingGroups } from '$lib/server/people/coming';
import { answerScim } from '$lib/server/scim';
import { uniform } from '$lib/server/simulator/random';
import { machinesPage, peoplePage } from '$lib/server/watch';
import { settled } from './settled';

type Report = (name: string, value: number, unit: string, aim: string, met: boolean) => void;
type Median = (work: () => unknown, n?: number) => number;

/** People against what reads the same, writes the same, or lists as much. */
export async function peopleBench(report: Report, median: Median): Promise<void> {
	planned(report);
	await scim(report);
	lists(report, median);
}

const ESTATE = { domain: 'bench.example', name: 'Bench' };
const PEOPLE = 50_000;

/** Fifty thousand people as LDIF: a plan of what they come to, against a library that does nothing but read them. */
function planned(report: Report): void {
	const { db, now } = settled(3, 3);
	const teams = Array.from({ length: 200 }, (_v, i) => ({
		id: `t${i}`,
		name: `Team ${i}`,
		parent: i === 0 ? null : `t${i >> 2}`
	}));
	const people = Array.from({ length: PEOPLE }, (_v, i): PersonRecord => ({
		login: `person${i}`,
		name: `Påls ${i}`,
		mail: `person${i}@bench.example`,
		employment: 'employee',
		manager: i ? `person${i >> 3}` : null,
		site: ['north', 'middle', 'south'][i % 3]!,
		language: 'nb',
		pattern: 'day',
		begins: 0,
		ends: FOREVER,
		memberOf: [`t${Math.floor(uniform(3, i) * 200)}`],
		moves: []
	}));
	const text = writeLdif(entriesOf(people, teams, ESTATE, true));
	// A part of it: the library takes more than linear time for the whole.
	const part = text.slice(0, text.indexOf('\n\n', text.length / 20) + 1);
	const reading = time(() => library.parse(part)) * (text.length / part.length);
	const { id } = keepFile(db, 'people.ldif', Buffer.from(text), 'bench', now);
	let found = 0;
	const ours = time(() => (found = importNow(db, { file: id, as: 'ldif' }, now).outcomes.length));
	if (found !== PEOPLE) throw new Error(`${found} of ${PEOPLE} people came of the file`);
	report(
		'LDIF of 50,000 people planned, against reading it by a library',
		ours / reading,
		'×',
		'under 2',
		ours < 2 * reading
	);
	report('the same, in all', ours / 1000, 's', 'for the record', true);
}

function time(work: () => unknown): number {
	const began = performance.now();
	work();
	return performance.now() - began;
}

const USERS = 10_000;
const GROUPS = 200;
const PORTIONS = 10;

/** Ten thousand users and two hundred groups, one request each, against bare inserts of the same rows behind the same server. */
async function scim(report: Report): Promise<void> {
	const folder = mkdtempSync(join(tmpdir(), 'sextant-bench-people-'));
	try {
		const { db, now } = settled(3, 3, join(folder, 'ours.db'));
		const bare = openDb(join(folder, 'bare.db'));
		run(bare, `INSERT INTO sites SELECT 'north', 'North', 'office', 'Europe/Oslo', 0, '[]', 0`);
		const ctx = { db, clock: { now: () => now, speed: () => 0 } } as unknown as Context;
		const server = createServer((req, res) => {
			const parts: Buffer[] = [];
			req.on('data', (p: Buffer) => parts.push(p));
			req.on('end', () => {
				const body = Buffer.concat(parts).toString();
				if (req.url!.startsWith('/bare')) {
					insertBare(
						bare,
						JSON.parse(body) as { userName?: string; displayName: string; members?: { value: string }[] },
						now
					);
					res.statusCode = 201;
					return void res.end(body);
				}
				const url = new URL(req.url!, 'http://localhost');
				void answerScim({
					ctx,
					url,
					request: new Request(url, { method: req.method!, ...(body ? { body } : {}) }),
					caller: {
						kind: 'token',
						id: 1,
						name: 'token hr',
						login: 'hr',
						...asRole('directory'),
						factor: false,
						signIn: null
					}
				}).then(async (answer) => {
					res.statusCode = answer.status;
					res.end(await answer.text());
				});
			});
		});
		await new Promise<void>((ready) => server.listen(0, ready));
		const at = `http://localhost:${(server.address() as AddressInfo).port}`;
		let bareMs = 0;
		let oursMs = 0;
		// In turn: what else a machine does meanwhile is in both.
		for (let portion = 0; portion < PORTIONS; portion++) {
			bareMs += await told(`${at}/bare`, portion);
			oursMs += await told(`${at}/scim/v2`, portion);
		}
		server.close();
		report(
			'10,000 users and 200 groups by SCIM, against the same rows inserted bare behind the same server',
			oursMs / bareMs,
			'×',
			'under 2',
			oursMs < 2 * bareMs
		);
		report('a user by SCIM', oursMs / (USERS + GROUPS), 'ms', 'for the record', true);
	} finally {
		rmSync(folder, { recursive: true, force: true });
	}
}

/** Sends a portion of them, one after the other, as such programs do. Ms. */
async function told(at: string, portion: number): Promise<number> {
	const users = USERS / PORTIONS;
	const groups = GROUPS / PORTIONS;
	const send = async (path: string, body: object): Promise<string> => {
		const answer = await fetch(`${at}/${path}`, { method: 'POST', body: JSON.stringify(body) });
		if (answer.status !== 201) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
		return ((await answer.json()) as { id?: string }).id ?? '1';
	};
	const began = performance.now();
	const ids: string[] = [];
	for (let i = portion * users; i < (portion + 1) * users; i++)
		ids.push(
			await send('Users', {
				userName: `user${i}`,
				displayName: `User ${i}`,
				emails: [{ value: `user${i}@bench.example` }]
			})
		);
	for (let g = 0; g < groups; g++)
		await send('Groups', {
			displayName: `Group ${portion * groups + g}`,
			members: ids.slice(g * (USERS / GROUPS), (g + 1) * (USERS / GROUPS)).map((value) => ({ value }))
		});
	return performance.now() - began;
}

let bareId = 0;
/** The rows that a user or a group comes to, and nothing else: one transaction each. */
function insertBare(
	db: Db,
	sent: { userName?: string; displayName: string; members?: { value: string }[] },
	now: number
): void {
	db.transaction(() => {
		if (sent.userName !== undefined) {
			const id = ++bareId;
			run(db, `INSERT INTO people(id, login, name, profile, address, source) VALUES (?, ?, ?, 0, '', 'scim')`, [
				id,
				sent.userName,
				sent.displayName
			]);
			run(
				db,
				`INSERT INTO person_facts(person_id, since, until, login, name, mail, employment, site_id, pattern, begins, ends) VALUES (?, ?, ?, ?, ?, ?, 'employee', 'north', 'day', 0, ?)`,
				[id, now, FOREVER, sent.userName, sent.displayName, `${sent.userName}@bench.example`, FOREVER]
			);
			return;
		}
		const team = sent.displayName.toLowerCase().replace(' ', '-');
		run(db, `INSERT INTO teams(id, name, source) VALUES (?, ?, 'scim')`, [team, sent.displayName]);
		run(db, `INSERT INTO team_nesting(team_id, above_id, since, until, depth) VALUES (?, ?, 0, ${FOREVER}, 0)`, [
			team,
			team
		]);
		sent.members!.forEach((_m, i) => {
			const person = Number(sent.displayName.split(' ')[1]) * (USERS / GROUPS) + i + 1;
			run(db, 'INSERT INTO memberships VALUES (?, ?, ?, ?, 1)', [person, team, now, FOREVER]);
		});
	}).immediate();
}

/** Lists of people as of a moment, against those of machines of as many rows; who begins, moves and ends. */
function lists(report: Report, median: Median): void {
	const { db, now } = settled(20_000, 20_000);
	const ask = { scope: EVERYTHING, descending: false, offset: 0, limit: 100 };
	const machines = median(() => machinesPage(db, { ...ask, at: now, sort: 'name' }));
	const people = median(() => peoplePage(db, { ...ask, at: now, sort: 'name' }));
	report(
		'a page of 20,000 people as of a moment, against one of as many machines',
		people / machines,
		'×',
		'under 1.5',
		people < 1.5 * machines
	);
	run(db, `UPDATE person_facts SET begins = ? + person_id % 50 * ${DAY} WHERE person_id % 200 = 0`, [now]);
	const items = median(() => comingAt(db, EVERYTHING, now));
	const groups = median(() => comingGroups(db, now), 3);
	report('who begins, of 20,000 people, with what each will find', groups, 'ms', 'under 1,000', groups < 1000);
	report('the same without it', items, 'ms', 'for the record', true);
}
