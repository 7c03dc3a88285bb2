import { createHash } from 'node:crypto';
import { copyFileSync, existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { pack } from 'tar-stream';
import { beforeEach, describe, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { all } from '../db';
import { Harness, testEstate } from '../testing/harness';
import type { Estate } from '$lib/core/estate/schema';
import { beginBrought, compareBrought, takePart } from './brought';
import { trialFacts } from '$lib/core/packages/trial';
import { lastTrial, warmUpOf } from './prepare';
import { captureById, clashesAt, packageAt, packagesAt } from './queries';

const START = {
	arguments: '',
	icon: 'logline.ico',
	at: ['menu' as const],
	opens: ['.svy'],
	terminal: false,
	broken: false,
	missing: false
};
const installer = (more: Partial<Estate['installers'][number]> = {}): Estate['installers'][number] => ({
	id: 'logline-3.0',
	name: 'Logline',
	version: '3.0.0',
	system: 'Meridian Server 24',
	users: 'multi',
	takes: 2 * MINUTE,
	restarts: 1,
	folder: 'C:/Program Files/Logline',
	files: 12,
	size: 240_000,
	starts: [
		{ ...START, name: 'Logline', command: 'logline.exe' },
		{ ...START, name: 'Editor', command: 'editor.exe', icon: 'application.ico', opens: [] }
	],
	shared: [{ file: 'C:/Meridian/System/forms.dll', content: 'three' }],
	settings: [
		{
			setting: 'Machine/Software/Harbour Forms/Logline',
			name: 'Path',
			type: 'text',
			value: 'C:/Program Files/Logline'
		},
		{ setting: 'Machine/Software/Harbour Forms/Logline', name: 'Updates', type: 'number', value: '1' }
	],
	...more
});
const estate = () =>
	testEstate('e2e/small.yaml', (e) => {
		e.lab.failure = 0;
		for (const p of e.directory.people) p.pattern = 'none';
		e.installers = [
			installer(),
			installer({ id: 'logline-3.1', version: '3.1.0', files: 13, size: 260_000 }),
			installer({
				id: 'soundings',
				name: 'Soundings',
				folder: 'C:/Program Files/Soundings',
				restarts: 0,
				starts: [{ ...START, name: 'Soundings', command: 'soundings.exe', icon: 'soundings.ico' }],
				shared: [{ file: 'C:/Meridian/System/forms.dll', content: 'two' }],
				settings: []
			}),
			...['a', 'b'].map((x) =>
				installer({
					id: `gauge-${x}`,
					name: `Gauge ${x}`,
					folder: `C:/Program Files/Gauge ${x}`,
					starts: [],
					shared: [],
					settings: [{ setting: 'Machine/System/Services/gauge-link', name: 'Port', type: 'number', value: '7071' }]
				})
			),
			installer({ id: 'desk-only', system: 'Meridian Desktop 9', users: 'single' })
		];
	});
let h: Harness;
beforeEach(async () => {
	h = await Harness.of(estate());
	await h.live(2 * MINUTE);
});
const capture = { name: 'Logline', line: 'desk', installer: 'logline-3.0' };
const choose = (id: number, choices: object[]) =>
	h.db.prepare('UPDATE captures SET choices = ? WHERE id = ?').run(JSON.stringify(choices), id);
/** Captures, takes what is doubtful as well, and makes a package. */
async function made(installerId: string, name: string, more: object = {}) {
	expect((await h.carryOut('package.capture', { name, line: 'desk', installer: installerId })).state).toBe('done');
	const { id } = all<{ id: number }>(h.db, 'SELECT max(id) AS id FROM captures')[0]!;
	choose(id, [
		{ branch: 'C:/Meridian/System', take: true },
		{ branch: 'settings:/Machine/System/Services', take: true }
	]);
	const job = await h.carryOut('package.make', { capture: id, name, ...more });
	expect(job.state).toBe('done');
	return packageAt(h.db, name, h.lab.now)!.versions.at(-1)!;
}

describe('a capture', () => {
	test('tells the app from the noise of the machine and from what is doubtful, and leaves nothing behind', async () => {
		const plan = await h.draft('package.capture', { ...capture, number: '1.0.0' });
		expect(plan.blocks).toEqual([]);
		expect(plan.reasons.map((r) => r.words).join()).toMatch(/will fit Meridian Server 24, multi-user/);
		const job = await h.finish(await h.commit(plan.id));
		expect(job.state).toBe('done');
		expect((job.ended! - job.began!) / plan.effects.duration!.middle).toBeGreaterThan(0.7);
		const c = captureById(h.db, 1)!;
		expect(c).toMatchObject({ state: 'sorted', line: 'desk', number: '1.0.0', system: { name: 'Meridian Server' } });
		const { summary } = c;
		expect(summary!.learned).toBeGreaterThan(5);
		expect(summary!.sorts.app.changes).toBeGreaterThan(15);
		expect(summary!.sorts.noise.changes).toBeGreaterThan(5);
		expect(summary!.sorts.doubtful.changes).toBe(1);
		const doubtful = await h.ctx.packer.captures.children(1, [], 'C:/Meridian/System', 'doubtful');
		expect(doubtful).toEqual([
			expect.objectContaining({ name: 'forms.dll', what: 'added', why: expect.stringMatching(/folder of the system/) })
		]);
		expect(h.lab.world.captures.size).toBe(0);
		expect((await h.ctx.packer.captures.search(1, [], 'LOGLINE.EXE'))[0]).toMatchObject({ sort: 'app', taken: 1 });
	});
	test('says what is odd of machine and installer; an installer for another system fails with its words', async () => {
		const odd = await h.draft('package.capture', { ...capture, number: '1.1.0', installer: 'desk-only', idle: false });
		expect(odd.warnings.map((w) => w.words).join(' ')).toMatch(
			/installer is for Meridian Desktop 9.*noise is known by rules alone/
		);
		const job = await h.finish(await h.commit(odd.id));
		expect(job.state).toBe('failed');
		expect(job.error).toMatch(/exit code 1633: .* is not for Meridian Server/);
		// Its machine goes with the capture.
		expect(h.lab.world.captures.size).toBe(1);
		await h.carryOut('capture.discard', { capture: 1 });
		expect(h.lab.world.captures.size).toBe(0);
		expect(captureById(h.db, 1)!.state).toBe('thrown away');
		expect(readdirSync(join(h.dataDir, 'captures'))).toEqual([]);
		expect((await h.draft('capture.discard', { capture: 1 })).blocks[0]!.words).toBe('it has been thrown away');
	});
	test('values that were set in the app go along', async () => {
		await h.carryOut('package.capture', {
			...capture,
			settings: [{ setting: 'Machine/Software/Harbour Forms/Logline', name: 'Updates', type: 'number', value: '0' }]
		});
		const branch = (await h.ctx.packer.captures.search(1, [], 'Logline/Updates'))[0]!;
		expect(branch.shows).toBe('0');
	});
	test.each([
		['package.capture', { ...capture, name: ' ' }, 'name'],
		['package.capture', { ...capture, line: 'moon' }, 'line'],
		['package.capture', { ...capture, number: '9.9.9' }, 'number'],
		['package.capture', { ...capture, installer: 'moon' }, 'installer'],
		['package.make', { capture: 7, name: 'logline' }, 'capture'],
		['package.make', { capture: 7, name: 'Log Line' }, 'name'],
		['package.import', { manifest: 'x' }, 'manifest'],
		['package.import', { manifest: `sha256:${'0'.repeat(64)}` }, 'manifest'],
		['package.remove', { name: 'moon', number: '1.0.0' }, 'name'],
		['package.order', { order: ['moon'] }, 'order'],
		['package.vouch', { name: 'moon', number: '1.0.0', system: 'X 1', users: 'single', why: 'x' }, 'name'],
		['capture.discard', { capture: 7 }, 'capture']
	])('%s with %j is refused beside %s', async (kind, input, field) => {
		await expect(h.draft(kind, input)).rejects.toMatchObject({ problems: [expect.objectContaining({ field })] });
	});
});

describe('a package', () => {
	test('is made of what was taken, starts what is in order, and can be read back', async () => {
		await h.carryOut('package.capture', capture);
		const plan = await h.draft('package.make', { capture: 1, name: 'logline' });
		expect(plan.title).toBe('Make the package logline 1.0.0');
		expect(plan.warnings[0]!.words).toMatch(/1 doubtful change has not been decided about, and stays out/);
		await h.finish(await h.commit(plan.id));
		const v = packageAt(h.db, 'logline', h.lab.now)!.versions[0]!;
		// The editor has an icon that stands for any program: it is not proposed.
		expect(v.spec.targets.map((t) => [t.name, t.opens])).toEqual([['Logline', ['.svy']]]);
		const { files, settings } = await h.ctx.packer.packages.contents(v.manifest);
		expect(files.some((f) => f.file === 'C:/Program Files/Logline/logline.exe')).toBe(true);
		expect(files.some((f) => f.file.startsWith('C:/Meridian'))).toBe(false);
		expect(settings).toHaveLength(2);
		expect(captureById(h.db, 1)).toMatchObject({ state: 'packaged', outcome: 'logline 1.0.0' });
		// Whether it is wanted with what is doubtful, or without the editor, is said by whoever makes it.
		const all_ = await h.draft('package.make', { capture: 1, name: 'logline', targets: ['editor'] });
		expect(all_.title).toMatch(/logline 1\.1\.0/);
		expect(all_.warnings.map((w) => w.words).join()).toMatch(/Editor: its icon .* stands for any program/);
		await expect(h.draft('package.make', { capture: 1, name: 'logline', targets: ['moon'] })).rejects.toThrow(
			/starts nothing called moon/
		);
		await expect(h.draft('package.make', { capture: 1, name: 'logline', teams: ['moon'] })).rejects.toThrow(
			/no team called moon/
		);
		expect((await h.draft('package.make', { capture: 1, name: 'logline', number: '1.0.0' })).blocks[0]!.words).toMatch(
			/there is a version 1\.0\.0/
		);
		choose(1, [
			{ branch: 'C:', take: false },
			{ branch: 'settings:', take: false }
		]);
		expect((await h.draft('package.make', { capture: 1, name: 'logline' })).blocks[0]!.words).toMatch(
			/nothing is taken/
		);
	});
	test('a second version shares what did not change; removed, only its own content goes', async () => {
		const one = await made('logline-3.0', 'logline');
		const two = await made('logline-3.1', 'logline');
		expect(two.number).toBe('1.1.0');
		expect(two.added).toBeLessThan(one.size / 2);
		const job = await h.carryOut('package.remove', { name: 'logline', number: two.number });
		expect(job.state).toBe('done');
		expect(packageAt(h.db, 'logline', h.lab.now)!.versions.map((v) => v.number)).toEqual(['1.0.0']);
		expect(await h.ctx.packer.packages.contents(one.manifest)).toBeDefined();
		await expect(h.ctx.packer.packages.contents(two.manifest)).rejects.toThrow();
		// As it was an hour ago, both are there.
		expect(packagesAt(h.db, h.lab.now - 1)[0]!.versions.length).toBeGreaterThan(0);
	});
	test('leaves as one file and comes back the same, to the digest', async () => {
		const v = await made('logline-3.0', 'logline');
		const path = await h.ctx.packer.packages.write(v.manifest, 'logline-1.0.0');
		expect(existsSync(path)).toBe(true);
		const there = await Harness.of(estate());
		const taken = await there.ctx.packer.packages.take(path);
		expect(taken.manifest).toBe(v.manifest);
		const plan = await there.draft('package.import', { manifest: taken.manifest });
		expect(plan.title).toBe('Take in the package logline 1.0.0');
		expect((await there.finish(await there.commit(plan.id))).state).toBe('done');
		expect(packageAt(there.db, 'logline', there.lab.now)!.versions[0]).toMatchObject({
			manifest: v.manifest,
			files: v.files
		});
		expect((await there.draft('package.import', { manifest: taken.manifest })).blocks[0]!.words).toMatch(
			/there already: the same/
		);
		const bent = readFileSync(path);
		bent[bent.length >> 1]! ^= 1;
		const { writeFileSync } = await import('node:fs');
		writeFileSync(`${path}.bent`, bent);
		await expect(there.ctx.packer.packages.take(`${path}.bent`)).rejects.toThrow(/changed or damaged/);
	});
	test('clashes with another over a file and a file type; the order says who wins, and can be turned', async () => {
		await made('logline-3.0', 'logline');
		expect(clashesAt(h.db, h.lab.now)).toEqual([]);
		await made('soundings', 'soundings');
		const [pair] = clashesAt(h.db, h.lab.now);
		expect(pair).toMatchObject({ a: 'logline', b: 'soundings', counts: { file: 1, 'file type': 1 } });
		expect(pair!.clashes.every((c) => c.wins === 'logline')).toBe(true);
		const before = h.lab.now;
		const plan = await h.draft('package.order', { order: ['soundings'] });
		expect(plan.reasons[0]!.words).toBe('soundings wins over logline in 2 things from now on');
		await h.finish(await h.commit(plan.id));
		expect(clashesAt(h.db, h.lab.now)[0]!.clashes.every((c) => c.wins === 'soundings')).toBe(true);
		// As it was before, it is still to be seen.
		expect(clashesAt(h.db, before)[0]!.clashes.every((c) => c.wins === 'logline')).toBe(true);
		expect(packagesAt(h.db, before).map((p) => p.name)).toEqual(['logline', 'soundings']);
		expect((await h.draft('package.order', { order: ['soundings'] })).blocks[0]!.words).toMatch(
			/in that order already/
		);
	});
	test('clashes over a service and a port that both want, whatever stands behind them', async () => {
		await made('gauge-a', 'gauge-a');
		await made('gauge-b', 'gauge-b');
		expect(clashesAt(h.db, h.lab.now)[0]!.counts).toMatchObject({ service: 1, port: 1 });
	});
	test('what an import adds is what no other package has; thrown away, a capture says which package stays', async () => {
		const one = await made('logline-3.0', 'logline');
		const two = await made('logline-3.1', 'logline');
		const path = await h.ctx.packer.packages.write(two.manifest, 'logline-1.1.0');
		const kept = join(h.dataDir, 'kept.tar');
		copyFileSync(path, kept);
		await h.carryOut('package.remove', { name: 'logline', number: two.number });
		const { manifest } = await h.ctx.packer.packages.take(kept);
		await h.carryOut('package.import', { manifest });
		const back = packageAt(h.db, 'logline', h.lab.now)!.versions.at(-1)!;
		expect(back).toMatchObject({ number: two.number, manifest: two.manifest, size: two.size, added: two.added });
		expect(back.added).toBeLessThan(one.size);
		expect((await h.draft('capture.discard', { capture: 1 })).reasons.map((r) => r.words)).toEqual([
			'the package logline 1.0.0 that was made of it stays'
		]);
	});
	test('fits the system that it was captured on, and those that somebody vouches for, with the reason on record', async () => {
		const v = await made('logline-3.0', 'logline');
		const vouch = { name: 'logline', number: v.number, system: 'Meridian Desktop 11', users: 'single' };
		await expect(h.draft('package.vouch', vouch)).rejects.toThrow(/Say why/);
		await h.carryOut('package.vouch', { ...vouch, why: 'tried on two machines' });
		expect(packageAt(h.db, 'logline', h.lab.now)!.versions[0]!.spec.vouched[0]).toMatchObject({
			by: 'Runa Solheim',
			why: 'tried on two machines'
		});
		expect((await h.draft('package.vouch', { ...vouch, why: 'again' })).blocks[0]!.words).toMatch(
			/vouches for it already/
		);
		await h.carryOut('package.vouch', { ...vouch, vouch: false });
		expect(packageAt(h.db, 'logline', h.lab.now)!.versions[0]!.spec.vouched).toEqual([]);
		expect(
			(await h.draft('package.vouch', { ...vouch, system: 'Meridian Server 24', users: 'multi', why: 'x' })).blocks[0]!
				.words
		).toBe('it was captured on that system');
	});
});

describe('inventories that somebody brings', () => {
	const body = (bytes: Uint8Array) => new Blob([bytes as Uint8Array<ArrayBuffer>]).stream();
	const text = (s: string) => new TextEncoder().encode(s);
	const heading = (more = '') => `{"inventory":1,"of":"old-pc","at":1760000000000${more}}`;
	const system = ',"system":{"name":"Meridian Server","version":"24","users":"multi"}';
	const content = 'run it\n';
	const sha = createHash('sha256').update(content).digest('hex');
	const entries = [
		{ file: 'opt', kind: 'folder', size: 0, mode: '0755', mtime: 1 },
		{ file: 'opt/tide', kind: 'folder', size: 0, mode: '0755', mtime: 1 },
		{ file: 'opt/tide/bin', kind: 'folder', size: 0, mode: '0755', mtime: 1 },
		{ file: 'opt/tide/bin/tide', kind: 'file', size: content.length, mode: '0755', mtime: 1, sha256: sha }
	].map((e) => JSON.stringify(e));
	const after = text([heading(system), ...entries].join('\n'));
	const ctx = () => ({ ...h.ctx, dataDir: h.dataDir });
	async function tar(files: [string, string][]): Promise<Uint8Array> {
		const out = pack();
		for (const [name, bytes] of files) out.entry({ name }, bytes);
		out.finalize();
		const parts: Uint8Array[] = [];
		for await (const part of out) parts.push(part as Uint8Array);
		return Buffer.concat(parts);
	}

	test('are compared, and with the folder become a package', async () => {
		const id = beginBrought(h.ctx, 'Runa Solheim', 'Tide');
		expect(captureById(h.db, id)).toMatchObject({ state: 'taking', jobId: null, by: 'Runa Solheim' });
		await expect(compareBrought(h.ctx, id)).rejects.toThrow(/two inventories is missing/);
		expect(await takePart(ctx(), id, 'before', body(text(heading(system))))).toEqual({ part: 'before', entries: 0 });
		expect(await takePart(ctx(), id, 'after', body(after))).toEqual({ part: 'after', entries: 4 });
		expect(await compareBrought(h.ctx, id)).toMatchObject({ state: 'sorted', notes: [], system: { version: '24' } });
		const without = await h.draft('package.make', { capture: id, name: 'tide' });
		expect(without.blocks[0]!.words).toBe(
			'1 file that is taken has no content here: leave it out, or bring the folder'
		);
		expect(await takePart(ctx(), id, 'folder', body(await tar([['opt/tide/bin/tide', content]])))).toEqual({
			part: 'folder',
			entries: 1
		});
		const plan = await h.draft('package.make', { capture: id, name: 'tide' });
		expect(plan.blocks).toEqual([]);
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect(packageAt(h.db, 'tide', h.lab.now)!.versions[0]).toMatchObject({
			files: 1,
			spec: { system: { version: '24' } }
		});
		await expect(takePart(ctx(), id, 'before', body(after))).rejects.toThrow(/Nothing can be brought/);
	});
	test('that are wrong are refused with their line, folders that climb with their path, and nothing is kept', async () => {
		const id = beginBrought(h.ctx, 'Runa Solheim', 'Tide');
		const refused = (part: string, bytes: Uint8Array, words: RegExp) =>
			expect(takePart(ctx(), id, part, body(bytes))).rejects.toThrow(words);
		await refused('before', text('nonsense'), /Line 1, column 1: this is not JSON/);
		await refused('after', text([heading(), entries[1], entries[0]].join('\n')), /Line 3.*opt stands behind opt\/tide/);
		await refused('folder', await tar([['../../etc/passwd', 'x']]), /climbs out of the folder/);
		await refused('folder', text('no tar at all, but long enough to be looked at'), /no tar that can be read/);
		await refused('moon', after, /part moon/);
		await expect(takePart(ctx(), id, 'before', null)).rejects.toThrow(/Send the file/);
		expect(existsSync(join(h.dataDir, 'captures', String(id)))).toBe(false);
		expect(readdirSync(join(h.dataDir, 'uploads'))).toEqual([]);
		await takePart(ctx(), id, 'before', body(text(heading())));
		await takePart(ctx(), id, 'after', body(text([heading(), ...entries].join('\n'))));
		expect((await compareBrought(h.ctx, id)).notes[0]).toMatch(/does not say which system it is of/);
	});
});

describe('a package that is prepared', () => {
	const last = () => lastTrial(h.db, 'logline', '1.0.0', h.lab.now)!;
	test('is tried as an ordinary person: without the doubtful file it needs, it does not start', async () => {
		expect(
			(await h.carryOut('package.capture', { name: 'Logline', line: 'desk', installer: 'logline-3.0' })).state
		).toBe('done');
		await h.carryOut('package.make', { capture: 1, name: 'logline' });
		const plan = await h.draft('package.try', { name: 'logline', number: '1.0.0' });
		expect(plan.reasons.map((r) => r.words).join()).toMatch(/on a machine of desk 1.0.0.*no rights on the machine/);
		const job = await h.finish(await h.commit(plan.id));
		expect(job.result).toMatchObject({ passed: 'no' });
		expect(trialFacts(last().trial)[0]!.words).toMatch(
			/Logline does not start: C:\/Meridian\/System\/forms.dll is not there/
		);
		await expect(h.draft('package.try', { name: 'logline', number: '1.0.0', person: 'nobody' })).rejects.toThrow(
			/nobody called/
		);
		await expect(h.draft('package.try', { name: 'logline', number: '1.0.0', line: 'none' })).rejects.toThrow(
			/no image line/
		);
		expect((await h.draft('package.warm-up', { name: 'logline', number: '1.0.0' })).blocks).toHaveLength(1);
		// Delivered all the same, people meet what the trial has met, in a sentence.
		const delivery = await h.draft('package.deliver', { package: 'logline', pools: ['quay'] });
		expect(delivery.warnings.map((w) => w.words).join()).toMatch(/when 1.0.0 was tried: Logline does not start/);
		await h.finish(await h.commit(delivery.id));
		const [target] = packageAt(h.db, 'logline', h.lab.now)!.versions[0]!.spec.targets;
		await h.carryOut('publication.create', {
			name: 'Logline',
			internalName: 'Logline',
			icon: 'ledger',
			app: { package: 'logline', target: target!.id },
			pools: ['quay']
		});
		await h.carryOut('grant.add', { publication: 'logline', team: 'harbour', channels: [] });
		const { connection } = await h.ctx.providers.broker.connect('anna', 'logline', true, 'k');
		for (let i = 0; i < 40; i++) await h.live(30_000);
		expect(await h.ctx.providers.broker.connection(connection)).toMatchObject({
			result: 'lost',
			advice: 'Logline does not start: something that it needs is missing. The helpdesk has been told.',
			cause: [
				{ words: 'Logline 1.0.0: C:/Meridian/System/forms.dll is not there, or is another one than it was made for' }
			]
		});
	});
	test('with it, it passes; what it reads is read ahead from then on, and first starts are shorter', async () => {
		await made('logline-3.0', 'logline');
		await h.carryOut('package.try', { name: 'logline', number: '1.0.0', person: 'anna' });
		expect(last()).toMatchObject({ passed: true, person: 'anna', line: 'desk', image: '1.0.0' });
		const [target] = last().trial.targets;
		expect(target!.cold).toBeGreaterThan(target!.ahead);
		expect(last().trial.warmUp.map((w) => w.path)).toContain('C:/Program Files/Logline/logline.exe');
		const plan = await h.draft('package.warm-up', { name: 'logline', number: '1.0.0' });
		await h.finish(await h.commit(plan.id));
		const [wished] = h.lab.world.packages.wishes.packages;
		expect(wished!.warmUp).toMatchObject({ files: last().trial.warmUp.length });
		expect((await h.draft('package.warm-up', { name: 'logline', number: '1.0.0' })).blocks).toHaveLength(1);
		await h.carryOut(plan.undo!.kind, plan.undo!.input);
		expect(h.lab.world.packages.wishes.packages[0]!.warmUp).toBe(null);
	});
	test('what was found, decided and vouched for of a version goes with it: another of its number has none of it', async () => {
		await made('logline-3.0', 'logline');
		const version = { name: 'logline', number: '1.0.0' };
		const vouch = { ...version, system: 'Meridian Desktop 11', users: 'single', why: 'tried on two machines' };
		await h.carryOut('package.try', version);
		await h.carryOut('package.warm-up', version);
		await h.carryOut('package.vouch', vouch);
		const found = () => {
			const [v] = packageAt(h.db, 'logline', h.lab.now)!.versions;
			return [
				lastTrial(h.db, 'logline', '1.0.0', h.lab.now) !== null,
				warmUpOf(h.db, v!, h.lab.now).length > 0,
				v!.spec.vouched.length > 0
			];
		};
		expect(found()).toEqual([true, true, true]);
		await h.carryOut('package.remove', version);
		await h.carryOut('package.capture', { name: 'Logline', line: 'desk', installer: 'logline-3.0' });
		await h.carryOut('package.make', { capture: 2, name: 'logline', number: '1.0.0' });
		expect(found()).toEqual([false, false, false]);
		await h.carryOut('package.try', version);
		await h.carryOut('package.vouch', vouch);
		expect(found()).toEqual([true, false, true]);
	});
	test('its overlays are emptied, but not under somebody who has it open', async () => {
		await made('logline-3.0', 'logline');
		const kept = (person: string, bytes: number, machine: string | null = null) =>
			h.lab.world.packages.overlays.set(`logline ${person} ${machine}`, {
				package: 'logline',
				person,
				machine,
				session: null,
				bytes
			});
		kept('anna', 3e6);
		kept('anna', 1e6, 'quay-01');
		kept('bo', 2e6);
		const plan = await h.draft('package.empty-overlay', { package: 'logline', person: 'anna' });
		expect(plan.effects.people).toMatchObject([{ id: 'anna', how: 'loses 4 MB that the app kept on quay-01' }]);
		await h.finish(await h.commit(plan.id));
		expect([...h.lab.world.packages.overlays.values()].map((o) => o.person)).toEqual(['bo']);
		h.db
			.prepare(
				`INSERT INTO app_runs VALUES (1, 1, (SELECT id FROM people WHERE login = 'bo'), (SELECT min(id) FROM machines), 'logline', '1.0.0', 'x', ?, 9007199254740991, 'warm', 1)`
			)
			.run(h.lab.now - 1);
		expect((await h.draft('package.empty-overlay', { package: 'logline' })).blocks[0]!.words).toMatch(
			/has to be closed first/
		);
		await expect(h.draft('package.empty-overlay', { package: 'none' })).rejects.toThrow(/no package/);
	});
});

describe('the picture of an app', () => {
	const publish = (target: string) =>
		h.draft('publication.create', {
			name: 'Logline',
			internalName: 'Logline',
			icon: 'package',
			app: { package: 'logline', target },
			pools: ['quay']
		});
	test('comes out of its package, the same from every version that has it, and is kept once', async () => {
		h = await Harness.of(
			testEstate('e2e/small.yaml', (e) => {
				e.lab.failure = 0;
				for (const p of e.directory.people) p.pattern = 'none';
				e.installers = [
					installer({ starts: [{ ...START, name: 'Logline', command: 'logline.exe', icon: 'logline.svg' }] })
				];
			})
		);
		await h.live(2 * MINUTE);
		const version = await made('logline-3.0', 'logline');
		await h.carryOut('package.deliver', { package: 'logline', pools: ['quay'] });
		const target = version.spec.targets[0]!.id;
		const plan = await publish(target);
		await publish(target);
		expect(all(h.db, 'SELECT 1 FROM icons')).toHaveLength(1);
		await h.finish(await h.commit(plan.id));
		const [icon] = all<{ digest: string; type: string; bytes: Buffer }>(h.db, 'SELECT * FROM icons');
		expect(icon!.type).toBe('image/svg+xml');
		expect(icon!.bytes.toString()).toMatch(/^<svg .*>L<\/text><\/svg>$/);
		expect(all<{ icon: string }>(h.db, `SELECT icon FROM publications WHERE id = 'logline'`)[0]!.icon).toBe(
			`icon:${icon!.digest}`
		);
		// What the package holds is read to the byte; what it does not hold is not there.
		const exe = await h.ctx.packer.packages.file(version.manifest, 'C:/Program Files/Logline/logline.exe');
		expect(exe!.length).toBe(40_000);
		expect(await h.ctx.packer.packages.file(version.manifest, 'C:/Program Files/Logline/none.exe')).toBe(null);
	});
	test('that is none that can be shown is said beside the field', async () => {
		const version = await made('logline-3.0', 'logline');
		await h.carryOut('package.deliver', { package: 'logline', pools: ['quay'] });
		await expect(publish(version.spec.targets[0]!.id)).rejects.toThrow(/no picture for it that can be shown/);
	});
});
