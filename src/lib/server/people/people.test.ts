import { beforeAll, describe, expect, test } from 'vitest';
import { DAY, FOREVER, MINUTE } from '$lib/core/time/units';
import { momentOf, wallTime } from '$lib/core/time/zone';
import { all, one } from '../db';
import { countPeople, everybody, personCalled, personNumber, recordOf, recordsAt, writePerson } from '../directory';
import { recordOf as toldOf } from '../simulator/directory';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { personCard } from './cards';
import { keepFile } from './files';
import { manifest } from './manifest';

let h: Harness;
beforeAll(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
});
const isoDay = (days: number, zone = 'Europe/Oslo') =>
	new Date((wallTime(zone, h.lab.now).day + days) * DAY).toISOString().slice(0, 10);
const put = (...people: object[]) => h.carryOut('people.put', { people });
const bring = (text: string | Buffer, name = 'list.csv') =>
	keepFile(h.db, name, Buffer.from(text as string), 'tests', h.lab.now);
const exported = async (path: string, query = {}) => {
	const found = manifest.endpoints!.find((e) => e.path === path)!;
	const answer = (await found.handle({
		ctx: h.ctx,
		query,
		params: {},
		look: () => ({ at: h.lab.now })
	} as never)) as Response;
	return answer.text();
};

describe('people of our own list', () => {
	test('are added by a plan that says where, work from their first day on, and have an account from then', async () => {
		const plan = await h.draft('people.put', {
			people: [
				{
					login: 'Fay',
					name: 'Fay Buoy',
					site: 'Isle',
					team: 'Harbour',
					manager: 'anna',
					begins: isoDay(1, 'America/Halifax')
				}
			]
		});
		expect(plan.title).toBe('Add Fay Buoy');
		expect(plan.effects.people[0]!.how).toMatch(/^begins .*: Harbour, Isle$/);
		expect(
			(
				await put({
					login: 'Fay',
					name: 'Fay Buoy',
					site: 'Isle',
					team: 'Harbour',
					manager: 'anna',
					begins: isoDay(1, 'America/Halifax')
				})
			).state
		).toBe('done');
		const begins = momentOf('America/Halifax', wallTime('America/Halifax', h.lab.now).day + 1, 0);
		const before = countPeople(h.db, h.lab.now);
		expect(personCalled(h.db, 'fay', h.lab.now)).toMatchObject({ site: 'isle', team: 'harbour', begins });
		expect(everybody(h.db, h.lab.now).some((p) => p.login === 'fay')).toBe(false);
		expect(everybody(h.db, begins).some((p) => p.login === 'fay')).toBe(true);
		expect(countPeople(h.db, begins)).toBe(before + 1);
		await h.live(2 * MINUTE);
		expect(h.lab.world.people.get('fay')).toMatchObject({ kept: true, teams: ['harbour', 'everybody'], begins });
		const open = (key: string) => h.ctx.providers.broker.connect('fay', 'desk', true, key);
		const { connection } = await open('early');
		await h.live(5 * MINUTE, 10_000);
		expect(h.lab.world.connections.get(connection)).toMatchObject({ result: 'refused' });
		expect(
			h.lab.world.connections
				.get(connection)!
				.cause.map((c) => c.words)
				.join()
		).toMatch(/they begin only on/);
		expect(personCard(h.ctx, 'fay', { at: h.lab.now, live: true } as never)).toMatchObject({
			sub: expect.stringMatching(/^begins /)
		});
	});

	test('are refused beside the field, name by name, and nobody is written', async () => {
		const wrong = h.draft('people.put', {
			people: [
				{ login: 'gil', name: 'Gil', site: 'moon' },
				{ login: 'gil', name: '', team: 'nowhere' }
			]
		});
		await expect(wrong).rejects.toMatchObject({
			problems: [
				{ field: 'people.0.site', words: 'There is no site moon.' },
				{ field: 'people.1.login', words: 'gil is named twice.' },
				{ field: 'people.1.name' },
				{ field: 'people.1.team' }
			]
		});
		expect(recordOf(h.db, 'gil', h.lab.now)).toBeNull();
	});

	test('are changed here alone: of whom the directory tells, a plan says where to change them', async () => {
		const plan = await h.draft('people.put', { people: [{ login: 'anna', mail: 'a@b.example' }] });
		expect(plan.blocks.map((b) => b.words)).toEqual(['Anna Quill is kept by the directory: change it there.']);
		const none = await h.draft('people.put', { people: [{ login: 'fay' }] });
		expect(none.blocks.map((b) => b.words)).toEqual(['it is so already']);
	});

	test('go elsewhere on the day that was planned, and are there in every view from then on', async () => {
		await put({ login: 'hal', name: 'Hal Spar', site: 'quay', team: 'visitors' });
		await put({ login: 'hal', moves: [{ on: isoDay(1), site: 'isle', team: 'harbour' }] });
		const day = momentOf('America/Halifax', wallTime('Europe/Oslo', h.lab.now).day + 1, 0);
		expect(personCalled(h.db, 'hal', h.lab.now)).toMatchObject({ team: 'visitors', site: 'quay' });
		expect(personCalled(h.db, 'hal', day)).toMatchObject({ team: 'harbour', site: 'isle', zone: 'America/Halifax' });
		const card = personCard(h.ctx, 'hal', { at: h.lab.now, live: true } as never)!;
		expect(card.sections).toContainEqual(
			expect.objectContaining({
				title: 'To come',
				lines: [expect.objectContaining({ words: 'goes to Harbour, Isle' })]
			})
		);
		const planned = h.lab.now;
		await h.live(day - h.lab.now + 2 * MINUTE, 10 * MINUTE);
		expect(recordOf(h.db, 'hal', h.lab.now)).toMatchObject({ site: 'isle', memberOf: ['harbour'], moves: [] });
		expect(personCalled(h.db, 'hal', planned)).toMatchObject({ team: 'visitors', site: 'quay' });
		await h.live(MINUTE);
		expect(h.lab.world.people.get('hal')).toMatchObject({ team: 'harbour', site: 'isle' });
	});

	test('called by another login are the same; who is called so already stays', async () => {
		await expect(h.draft('people.put', { people: [{ login: 'anna', was: 'hal' }] })).rejects.toMatchObject({
			problems: [{ field: 'people.0.login', words: 'Somebody else has the login anna.' }]
		});
		const { id } = recordOf(h.db, 'hal', h.lab.now)!;
		await put({ login: 'hal.spar', was: 'hal' });
		expect(recordOf(h.db, 'hal.spar', h.lab.now)).toMatchObject({ id, name: 'Hal Spar' });
		expect(recordOf(h.db, 'hal', h.lab.now)).toBeNull();
		await h.live(2 * MINUTE);
		expect(h.lab.world.people.get('hal.spar')).toMatchObject({ kept: true, ends: FOREVER });
		expect(h.lab.world.people.get('hal')!.ends).toBeLessThanOrEqual(h.lab.now);
	});

	test('who have ended are signed in nowhere, and come back with what they had', async () => {
		const { id } = recordOf(h.db, 'hal.spar', h.lab.now)!;
		h.db
			.prepare('INSERT INTO sign_ins(token, person_id, factor, began, seen) VALUES (?, ?, 0, ?, ?)')
			.run('t', id, 1, 1);
		await put({ login: 'hal.spar', ends: isoDay(-1) });
		await h.live(2 * MINUTE);
		expect(one(h.db, `SELECT 1 FROM sign_ins WHERE token = 't'`)).toBeUndefined();
		expect(everybody(h.db, h.lab.now).some((p) => p.login === 'hal.spar')).toBe(false);
		await put({ login: 'hal.spar', ends: null });
		expect(everybody(h.db, h.lab.now).find((p) => p.login === 'hal.spar')).toMatchObject({ team: 'harbour' });
	});
});

describe('a list that is brought', () => {
	test('as a table is a plan with who comes and changes, all of it undone', async () => {
		const file = bring(
			'Login,Name,Office,Department\nivy,Ivy Helm,Quay,Harbour\njon,Jon Keel,Isle,\nfay,Fay Buoy,Quay,Harbour\n'
		);
		expect(file).toMatchObject({
			format: 'csv',
			columns: ['login', 'name', 'site', 'team'],
			titles: ['Login', 'Name', 'Office', 'Department']
		});
		const input = { file: file.id, as: 'csv', team: 'visitors' };
		const plan = await h.draft('people.import', input);
		expect(plan.title).toBe('Take in list.csv: 2 people come, 1 changes');
		expect(plan.effects.people.map((p) => [p.id, p.how])).toEqual([
			['fay', 'from Isle to Quay'],
			['ivy', 'is new: Harbour, Quay'],
			['jon', 'is new: Visitors, Isle']
		]);
		const before = recordsAt(h.db, h.lab.now);
		const job = await h.carryOut('people.import', input);
		expect(job.state).toBe('done');
		expect(recordOf(h.db, 'jon', h.lab.now)).toMatchObject({ source: 'here', memberOf: ['visitors'] });
		expect((await h.draft('people.import', input)).blocks[0]!.words).toBe('it says what is known already');
		await h.live(MINUTE);
		const undo = one<{ undo: string }>(
			h.db,
			`SELECT undo FROM plans WHERE kind = 'people.import' AND state = 'done' OR job_id = ?`,
			[job.id]
		)!;
		const { kind, input: back } = JSON.parse(undo.undo) as { kind: string; input: unknown };
		await h.carryOut(kind, back);
		const here = [...recordsAt(h.db, h.lab.now)].filter(([, p]) => p.ends > h.lab.now);
		expect(here).toEqual([...before].filter(([, p]) => p.ends > h.lab.now));
	});

	test('with anything wrong in it takes nobody in, and says each line', async () => {
		const file = bring('login,name,site\nkit,Kit,Quay\nlou,Lou,Moon\nanna,Anna Other,Quay\n');
		const plan = await h.draft('people.import', { file: file.id, as: 'csv' });
		expect(plan.blocks.map((b) => b.words)).toEqual([
			'line 3: site: There is no site Moon.',
			'line 4: Anna Quill is kept by the directory: change it there.'
		]);
		await expect(h.commit(plan.id)).rejects.toThrow();
		expect(recordOf(h.db, 'kit', h.lab.now)).toBeNull();
	});

	test('in another encoding, or of nothing, is refused at its line; a file that is gone is said', async () => {
		const latin = Buffer.from('login,name\nkit,Kit\nå,\xc5sa\n', 'latin1');
		expect(() => bring(latin)).toThrow('Line 3 is not UTF-8');
		expect(() => bring(' \n')).toThrow('The file is empty.');
		expect(
			bring(Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from('login,name\nkit,Kit\n', 'utf16le')])).columns
		).toEqual(['login', 'name']);
		await expect(h.draft('people.import', { file: 9999, as: 'csv' })).rejects.toMatchObject({
			problems: [{ field: 'file' }]
		});
		await expect(
			h.draft('people.import', { file: bring('login\nx\n').id, as: 'csv', site: 'moon' })
		).rejects.toMatchObject({
			problems: [{ field: 'site' }]
		});
	});

	test('that is what was written out changes nothing; in an estate with nobody it makes everybody', async () => {
		for (const [path, as, name] of [
			['/directory.ldif', 'ldif', 'people.ldif'],
			['/directory.csv', 'csv', 'people.csv']
		] as const) {
			const text = await exported(path);
			const own = await Harness.of(
				testEstate('e2e/small.yaml', (e) => {
					QUIET(e);
					e.directory.people = [];
					e.grants = e.grants.filter((g) => g.person === undefined);
					if (as === 'ldif') {
						e.directory.teams = [];
						e.grants = [];
					}
				})
			);
			const { id } = keepFile(own.db, name, Buffer.from(text), 'tests', own.lab.now);
			const plan = await own.draft('people.import', { file: id, as });
			expect(plan.blocks).toEqual([]);
			await own.carryOut('people.import', { file: id, as });
			const plain = (x: Harness) =>
				[...recordsAt(x.db, x.lab.now).values()]
					.filter((p) => p.ends > h.lab.now)
					.map(({ id: _, source: __, ...p }) => ({ ...p, memberOf: [p.memberOf[0], ...p.memberOf.slice(1).sort()] }))
					.sort((a, b) => (a.login < b.login ? -1 : 1));
			expect(plain(own)).toEqual(plain(h));
			expect((await own.draft('people.import', { file: id, as, whole: true })).blocks.map((b) => b.words)).toEqual([
				'it says what is known already'
			]);
		}
	});
});

describe('teams of our own', () => {
	test('are added, hung elsewhere and taken out again; none stands above itself, or goes while anybody is of it', async () => {
		await h.carryOut('team.add', { name: 'Night Pilots', parent: 'harbour' });
		expect(all(h.db, `SELECT above_id AS id FROM team_nesting WHERE team_id = 'night-pilots' ORDER BY 1`)).toEqual([
			{ id: 'everybody' },
			{ id: 'harbour' },
			{ id: 'night-pilots' }
		]);
		await put({ login: 'mo', name: 'Mo Tide', site: 'quay', team: 'night-pilots' });
		const above = () => [...personCalled(h.db, 'mo', h.lab.now)!.teams].sort();
		expect(above()).toEqual(['everybody', 'harbour', 'night-pilots']);
		await h.carryOut('team.add', { name: 'Junior Pilots', parent: 'night-pilots' });
		await expect(h.draft('team.change', { team: 'night-pilots', parent: 'junior-pilots' })).rejects.toMatchObject({
			problems: [{ field: 'parent', words: 'It cannot be so: Night Pilots would stand above itself.' }]
		});
		await expect(h.draft('team.add', { name: 'Harbour' })).rejects.toMatchObject({ problems: [{ field: 'name' }] });
		await expect(h.draft('team.change', { team: 'harbour', name: 'Port' })).rejects.toMatchObject({
			problems: [{ field: 'team', words: 'Harbour is kept by the directory: change it there.' }]
		});
		await h.carryOut('team.change', { team: 'night-pilots', parent: 'visitors' });
		expect(above()).toEqual(['everybody', 'night-pilots', 'visitors']);
		expect((await h.draft('team.remove', { team: 'night-pilots' })).blocks.map((b) => b.words)).toEqual([
			'1 person is of it',
			'Junior Pilots stands below it'
		]);
		await h.carryOut('team.remove', { team: 'junior-pilots' });
		expect(one(h.db, `SELECT gone FROM teams WHERE id = 'junior-pilots'`)).toEqual({ gone: 1 });
	});
});

test('a person is nobody’s twice: one row of facts, one home team, at any moment', () => {
	const rows = all<{ person_id: number; since: number; until: number }>(
		h.db,
		'SELECT person_id, since, until FROM person_facts'
	);
	for (const a of rows)
		for (const b of rows)
			if (a !== b && a.person_id === b.person_id) expect(a.until <= b.since || b.until <= a.since).toBe(true);
	expect(
		all(h.db, `SELECT person_id FROM memberships WHERE home = 1 AND until = ${FOREVER} GROUP BY 1 HAVING count(*) > 1`)
	).toEqual([]);
});

test('what is written in the very millisecond of its plan is undone all the same', async () => {
	const own = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	const plan = await own.draft('people.put', {
		people: [{ login: 'fay', name: 'Fay Buoy', site: 'isle', team: 'harbour' }]
	});
	const at = own.lab.now;
	const id = personNumber(own.db, { login: 'fay', name: 'Fay Buoy' }, 'here');
	writePerson(
		own.db,
		id,
		{ ...toldOf(own.lab.world.people.get('anna')!), login: 'fay', name: 'Fay Buoy', site: 'isle', manager: null },
		at
	);
	expect(everybody(own.db, at).some((p) => p.login === 'fay')).toBe(true);
	await own.live(MINUTE);
	const { kind, input } = plan.undo as { kind: string; input: unknown };
	await own.carryOut(kind, input);
	expect(everybody(own.db, own.lab.now).some((p) => p.login === 'fay')).toBe(false);
});

test('who came after the house was opened is seen at work: their sessions and machines are on record', async () => {
	const own = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	await own.carryOut('people.put', { people: [{ login: 'fay', name: 'Fay Buoy', site: 'quay', team: 'harbour' }] });
	await own.live(2 * MINUTE);
	await own.ctx.providers.broker.connect('fay', 'desk', true, 'first day');
	await own.live(10 * MINUTE, 10_000);
	expect(
		all(own.db, `SELECT p.login FROM sessions s JOIN people p ON p.id = s.person_id WHERE p.login = 'fay'`)
	).toHaveLength(1);
	expect(
		one<{ n: number }>(
			own.db,
			`SELECT count(*) AS n FROM connections c JOIN people p ON p.id = c.person_id WHERE p.login = 'fay'`
		)!.n
	).toBe(1);
});

test('no more lists are kept than there is room for, and no more are taken at once than can be held', async () => {
	const own = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	const large = Buffer.concat([Buffer.from('login,name\n'), Buffer.alloc(30 << 20, 'a')]);
	for (let i = 0; i < 10; i++) keepFile(own.db, `l${i}.csv`, large, 'tests', own.lab.now);
	const { n, bytes } = one<{ n: number; bytes: number }>(
		own.db,
		'SELECT count(*) AS n, sum(length(content)) AS bytes FROM brought_files'
	)!;
	expect([n, bytes <= 256 << 20]).toEqual([8, true]);
	const bring = manifest.endpoints!.find((e) => e.path === '/directory/files')!;
	let close = () => {};
	const slow = () =>
		new ReadableStream<Uint8Array>({
			start(c) {
				const before = close;
				close = () => {
					before();
					c.enqueue(Buffer.from('login,name\nx,X\n'));
					c.close();
				};
			}
		});
	const ask = (body: ReadableStream<Uint8Array>) =>
		bring.handle({ ctx: own.ctx, query: {}, params: {}, body, caller: { name: 'x' } } as never) as Promise<unknown>;
	const coming = Array.from({ length: 4 }, () => ask(slow()));
	await expect(ask(slow())).rejects.toThrow('Others are bringing lists right now');
	close();
	expect(await Promise.all(coming)).toHaveLength(4);
	const much = new ReadableStream<Uint8Array>({
		pull: (c) => c.enqueue(new Uint8Array(1 << 20))
	});
	await expect(ask(much)).rejects.toThrow('The file is larger than 32 MB.');
});
