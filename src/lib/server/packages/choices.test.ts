import { sectionOf } from '$lib/core/why/card';
import { beforeEach, describe, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { Harness, testEstate } from '../testing/harness';
import { packageCard } from './package-card';
import { captureOrGone, saveChoices, sortedCapture } from './choices';
import { packageAt } from './queries';

/** An app with a menu entry, a file type, a service, and a file in a folder of the system. */
const estate = () =>
	testEstate('e2e/small.yaml', (e) => {
		e.lab.failure = 0;
		for (const p of e.directory.people) p.pattern = 'none';
		e.installers = [
			{
				id: 'tide-1',
				name: 'Tide',
				version: '1.0.0',
				system: 'Meridian Server 24',
				users: 'multi',
				takes: MINUTE,
				restarts: 0,
				folder: 'C:/Program Files/Tide',
				files: 8,
				size: 40_000,
				starts: [
					{
						name: 'Tide',
						command: 'tide.exe',
						arguments: '/now',
						icon: 'tide.ico',
						at: ['menu'],
						opens: ['.tide'],
						broken: false,
						terminal: false,
						missing: false
					}
				],
				shared: [{ file: 'C:/Meridian/System/tide.dll', content: 'one' }],
				settings: [
					{ setting: 'Machine/Software/Harbour/Tide', name: 'Path', type: 'text', value: 'C:/Program Files/Tide' }
				]
			}
		];
	});
let h: Harness;
beforeEach(async () => {
	h = await Harness.of(estate());
	await h.live(2 * MINUTE);
	await h.carryOut('package.capture', { name: 'Tide', line: 'desk', installer: 'tide-1' });
});

describe('what is decided about a capture', () => {
	test('is kept in the order of the decisions; one of a branch replaces those of it and below it', async () => {
		await saveChoices(h.ctx, 1, [
			{ branch: 'C:/Program Files/Tide/help', take: false },
			{ pattern: '**/*.dll', take: true },
			{ branch: 'C:/Program Files/Tide', take: false },
			{ branch: 'C:/Program Files/Tidewater', take: false },
			{ pattern: '**/*.dll', take: false },
			{ branch: 'C:/Program Files/Tide', take: true }
		]);
		expect(captureOrGone(h.ctx, 1).choices).toEqual([
			{ branch: 'C:/Program Files/Tidewater', take: false },
			{ pattern: '**/*.dll', take: false },
			{ branch: 'C:/Program Files/Tide', take: true }
		]);
	});
	test('changes what is taken, its size, what it starts, and what is still doubtful', async () => {
		const { result } = await sortedCapture(h.ctx, 1);
		expect(result).toMatchObject({ undecided: 1, missing: 0, left: [], settings: 1 });
		expect(result!.targets.map((t) => t.best.name)).toEqual(['Tide']);
		const more = await saveChoices(h.ctx, 1, [{ branch: 'C:/Meridian/System', take: true }]);
		expect(more.undecided).toBe(0);
		expect(more.root.takenBytes).toBeGreaterThan(result!.root.takenBytes);
		const less = await saveChoices(h.ctx, 1, [{ pattern: '**/*.exe', take: false }]);
		// The menu entry is still there, but leads to nothing that the package holds.
		expect(less.targets[0]!.problems.map((p) => p.words).join()).toMatch(/tide\.exe is not there/);
		const none = await saveChoices(h.ctx, 1, [{ branch: '', take: false }]);
		expect(none.root.taken).toBe(0);
		expect(none.targets).toEqual([]);
	});
	test('taking what is noise is missed where its content was not fetched, and the plan says so', async () => {
		const noise = await saveChoices(h.ctx, 1, [{ branch: 'C:/Temp', take: true }]);
		expect(noise.missing).toBeGreaterThan(0);
		const plan = await h.draft('package.make', { capture: 1, name: 'tide' });
		expect(plan.blocks[0]!.words).toMatch(/no content here: leave (it|them) out, or bring the folder/);
	});
	test('a capture that is not there, or was thrown away, has nothing to choose from', async () => {
		expect(() => captureOrGone(h.ctx, 7)).toThrow(/capture 7/);
		await h.carryOut('capture.discard', { capture: 1 });
		await expect(saveChoices(h.ctx, 1, [])).rejects.toThrow(
			'The capture is thrown away: there is nothing to choose from.'
		);
		expect((await sortedCapture(h.ctx, 1)).result).toBe(null);
	});
	test('changes of a branch come with their sort, their reason and what they show', async () => {
		const at = (path: string) => h.ctx.packer.captures.children(1, [], path, null);
		const settings = await at('settings:/Machine/Software/Harbour/Tide');
		expect(settings).toEqual([
			expect.objectContaining({ name: 'Path', what: 'added', sort: 'app', shows: 'C:/Program Files/Tide', taken: 1 })
		]);
		const [dll] = await at('C:/Meridian/System');
		expect(dll).toMatchObject({ name: 'tide.dll', sort: 'doubtful', taken: 0, bytes: 12_000 });
		const logs = await at('C:/Meridian/Event Logs');
		expect(logs.length).toBeGreaterThan(2);
		expect(logs.every((l) => l.sort === 'noise' && l.what === 'changed')).toBe(true);
		expect(await at('C:/nowhere')).toEqual([]);
	});
});

describe('the card of a package', () => {
	async function made(more: object = {}): Promise<void> {
		const plan = await h.draft('package.make', { capture: 1, name: 'tide', ...more });
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
	}
	const card = () => packageCard(h.ctx, 'tide', { at: h.lab.now, live: true })!;
	const value = (name: string) => card().rows.find((r) => r.name === name)?.value;

	test('says what it is, what it starts, where it may write and who may start it', async () => {
		await made({
			note: 'tide tables',
			writes: { usual: 'overlay', overlay: { lives: 'machine', outlasts: false } },
			teams: ['harbour'],
			refusal: 'Ask the harbour office.'
		});
		expect(card()).toMatchObject({ title: 'tide 1.0.0', sub: 'tide tables' });
		expect(value('captured on')).toBe('Meridian Server 24, multi-user');
		expect(value('may write to')).toBe('its own overlay only');
		expect(value('its overlay')).toBe('on the machine, emptied at sign-out');
		expect(value('for')).toBe('harbour');
		expect(sectionOf(card(), 'lines')!.lines).toEqual([
			{ words: 'Tide', note: 'C:/Program Files/Tide/tide.exe /now; opens .tide' }
		]);
		expect(packageAt(h.db, 'tide', h.lab.now)!.versions[0]!.spec.refusal).toBe('Ask the harbour office.');
	});
	test('offers every version as a file and to be removed, the newest first', async () => {
		await made();
		await saveChoices(h.ctx, 1, [{ branch: 'C:/Meridian/System', take: true }]);
		await made();
		expect(card().links!.map((l) => l.href)).toEqual(['/api/v1/packages/tide/1.1.0', '/api/v1/packages/tide/1.0.0']);
		const removals = card().actions.filter((a) => a.kind === 'package.remove');
		expect(removals.map((a) => a.input)).toEqual([
			{ name: 'tide', number: '1.1.0' },
			{ name: 'tide', number: '1.0.0' }
		]);
	});
	test('names whoever vouches, with the reason, and offers to vouch and to take it back', async () => {
		await made();
		// The only line is of the system that it was captured on: there is nothing to vouch for.
		expect(card().actions.map((a) => a.kind)).not.toContain('package.vouch');
		h.db
			.prepare(
				`INSERT INTO lines(id, name, system, users, position) VALUES ('solo', 'solo', 'Meridian Desktop 11', 'single', 9)`
			)
			.run();
		const vouch = card().actions.find((a) => a.kind === 'package.vouch')!;
		expect(vouch).toMatchObject({ words: 'Vouch for Meridian Desktop 11, single-user', ask: { field: 'why' } });
		await expect(h.draft(vouch.kind, vouch.input)).rejects.toThrow(/Say why/);
		await h.carryOut(vouch.kind, { ...(vouch.input as object), why: 'tried on two' });
		expect(value('vouched for')).toBe('Meridian Desktop 11, single-user, by Runa Solheim');
		expect(
			card()
				.facts.map((f) => f.words)
				.join()
		).toMatch(/Runa Solheim vouches .*: tried on two/);
		const back = card().actions.find((a) => a.kind === 'package.vouch')!;
		expect(back.words).toBe('No longer vouch for Meridian Desktop 11, single-user');
		await h.carryOut(back.kind, back.input);
		expect(value('vouched for')).toBe(undefined);
	});
	test('there is none for a package that is not there, or was not yet', async () => {
		await made();
		expect(packageCard(h.ctx, 'moon', { at: h.lab.now, live: true })).toBe(null);
		// Before it was made there was none.
		expect(packageCard(h.ctx, 'tide', { at: h.lab.now - 60 * MINUTE, live: false })).toBe(null);
	});
});
