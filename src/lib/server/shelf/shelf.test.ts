import { beforeEach, describe, expect, test } from 'vitest';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { matrixAt, testAccess } from '../access';
import { all, one, run } from '../db';
import { grantsAt, publicationsAt } from '../publications';
import { poolsFor, remarksOn, targetsOf, titleIn } from '../publishing';
import { licencesAt, peakOf, peopleInUse, reachedBy } from '../publishing/people-using';
import { keepIcon, pictureType } from '../publications/icons';
import { Harness, testEstate } from '../testing/harness';
import { keepPackage } from '../testing/packages';
import { requestsAt, shelfOf } from './queries';

let h: Harness;
const app = { package: 'logline', target: 'logline-main' };
const LOGLINE = { name: 'Logline', internalName: 'Logline forms', icon: 'ledger', app, pools: ['quay'] };
const publication = (id = 'logline-forms') => publicationsAt(h.db, h.lab.now).find((p) => p.id === id)!;
const item = (login: string, at = h.lab.now, id = 'logline-forms') =>
	shelfOf(h.db, login, at, true)!.find((x) => x.id === id);
const grant = (more: object) => h.carryOut('grant.add', { publication: 'logline-forms', channels: [], ...more });

beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			for (const p of e.directory.people) p.pattern = 'none';
		})
	);
	keepPackage(h, 'logline', '3.0.0');
	await h.live(5 * MINUTE);
	await h.carryOut('package.deliver', { package: 'logline', pools: ['quay'] });
});

describe('publishing an app', () => {
	test('says which pools can serve it and which not, with the reason; nobody sees it until it is granted', async () => {
		const plan = await h.draft('publication.create', { ...LOGLINE, pools: ['quay', 'isle'] });
		expect(plan.blocks).toEqual([]);
		expect(plan.warnings.map((w) => w.words)).toEqual([
			'Desks Isle cannot serve it yet: logline is not delivered to it'
		]);
		expect(plan.reasons.map((w) => w.words)).toContain('served by Desks Quay: logline 3.0.0 is delivered to it');
		await h.finish(await h.commit(plan.id));
		expect(publication()).toMatchObject({ app, look: { window: 'window', monitors: 'one', group: '' }, off: false });
		expect(item('anna')).toBeUndefined();
		const only = await h.draft('publication.create', { ...LOGLINE, name: 'L', internalName: 'L2', pools: ['isle'] });
		expect(only.blocks[0]!.words).toMatch(/none of its pools can serve it/);
		expect(only.warnings.map((w) => w.words).join()).toMatch(/Logline forms opens the same/);
	});

	test('what is wrong is said beside it, and nothing is written', async () => {
		await h.carryOut('publication.create', LOGLINE);
		const wrong = async (more: object) =>
			h
				.draft('publication.create', { ...LOGLINE, name: 'Other', internalName: 'Other', ...more })
				.then(() => [])
				.catch((e: { problems: { field: string }[] }) => e.problems.map((p) => p.field));
		expect(await wrong({ name: 'LOGLINE' })).toEqual(['name']);
		expect(await wrong({ internalName: 'Logline forms' })).toEqual(['internalName']);
		expect(await wrong({ icon: 'icon:nothing' })).toEqual(['icon']);
		expect(await wrong({ owner: 'nobody', visible: ['nowhere'], pools: ['none'] })).toEqual([
			'pools',
			'visible',
			'owner'
		]);
		expect(await wrong({ app: { package: 'logline', target: 'none' } })).toEqual(['app']);
		expect(await wrong({ app: { package: 'none', target: 'none' } })).toEqual(['app']);
		expect(await wrong({ licences: 0 })).toEqual(['licences']);
		expect(publicationsAt(h.db, h.lab.now)).toHaveLength(3);
	});

	test('a poor picture and one that another has are pointed out; pictures are kept once, and only pictures', async () => {
		const svg = new TextEncoder().encode('<svg xmlns="http://www.w3.org/2000/svg"/>');
		const kept = keepIcon(h.db, svg) as { icon: string };
		expect(kept).toEqual(keepIcon(h.db, svg));
		expect(pictureType(new Uint8Array([0xff, 0xd8, 0xff, 0]))).toBe('image/jpeg');
		expect(pictureType(new Uint8Array([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]))).toBe('image/png');
		expect(keepIcon(h.db, new TextEncoder().encode('<html><svg>'))).toEqual({
			problem: 'This is no PNG, JPEG or SVG picture.'
		});
		expect(keepIcon(h.db, new Uint8Array(300 * 1024))).toHaveProperty('problem');
		const plain = await h.draft('publication.create', { ...LOGLINE, icon: 'app' });
		expect(plain.warnings.map((w) => w.words).join()).toMatch(/stands for anything/);
		await h.carryOut('publication.create', { ...LOGLINE, icon: kept.icon });
		const twin = await h.draft('publication.create', { ...LOGLINE, icon: kept.icon, name: 'B', internalName: 'B' });
		expect(twin.warnings.map((w) => w.words).join()).toMatch(/Logline forms has the same picture/);
	});

	test('several of what a package or an image starts, at once', async () => {
		const plan = await h.draft('publication.create-many', {
			package: 'logline',
			targets: ['logline-main'],
			pools: ['quay'],
			group: 'Forms'
		});
		await h.finish(await h.commit(plan.id));
		expect(publication('logline-of-logline')).toMatchObject({ name: 'Logline', look: { group: 'Forms' } });
		await h.carryOut('grant.add', { publication: 'logline-of-logline', team: 'harbour', channels: [] });
		const back = plan.undo!;
		expect((await h.draft(back.kind, back.input)).blocks[0]!.words).toMatch(/is granted to Harbour/);
		await h.carryOut('grant.remove', { grant: Math.max(...grantsAt(h.db, h.lab.now).map((g) => g.id)) });
		await h.carryOut(back.kind, back.input);
		expect(publication('logline-of-logline')).toBeUndefined();
		// The newest image that is not held has nothing to start.
		await expect(
			h.draft('publication.create-many', { package: 'image/desk', targets: ['paperlane'], pools: ['quay'] })
		).rejects.toThrow(/No image of desk starts paperlane/);
	});

	test('an app of an image is served by the pools of its line, and needs no delivery', async () => {
		h = await Harness.of(
			testEstate('e2e/small.yaml', (e) => {
				const [old, next] = e.image_lines[0]!.versions;
				next!.held = false;
				old!.contents = [...next!.contents];
				for (const p of e.directory.people) p.pattern = 'none';
			})
		);
		await h.live(5 * MINUTE);
		const paperlane = { package: 'image/desk', target: 'paperlane' };
		await h.carryOut('publication.create', {
			name: 'Paperlane',
			internalName: 'Paperlane',
			icon: 'app',
			app: paperlane,
			pools: ['quay']
		});
		await h.carryOut('grant.add', { publication: 'paperlane', team: 'harbour', channels: [] });
		const { connection } = await h.ctx.providers.broker.connect('anna', 'paperlane', true, 'k');
		for (let i = 0; i < 30; i++) await h.live(30_000);
		expect(await h.ctx.providers.broker.connection(connection)).toMatchObject({ result: 'open', start: 'cold' });
		expect(all<{ package: string; version: string }>(h.db, 'SELECT package, version FROM app_runs')).toEqual([
			{ package: 'image/desk', version: '1.0.0' }
		]);
		expect(peopleInUse(h.db, publication('paperlane'), h.lab.now)).toHaveLength(1);
		// Pools of other lines cannot serve it, nor machines on a version that does not hold it.
		const can = (target: string) =>
			poolsFor(h.db, { package: 'image/desk', target }, h.lab.now).find((p) => p.id === 'quay')!.can;
		expect(can('paperlane')).toMatchObject({ value: true, facts: [{ side: 'for' }] });
		expect(can('chartloom').facts[0]!.words).toBe('desk 1.0.0, which its machines are on, does not hold it');
		expect(
			poolsFor(h.db, { package: 'image/other', target: 'x' }, h.lab.now).map((p) => p.can.facts[0]!.words)
		).toEqual(Array(3).fill('its machines are made from desk, not from other'));
		expect(poolsFor(h.db, null, h.lab.now).every((p) => p.can.value)).toBe(true);
	});

	test('is switched off for now, changed, put in another order, taken off, and each of it undone', async () => {
		await h.carryOut('publication.create', LOGLINE);
		await grant({ team: 'harbour' });
		expect(item('anna')).toMatchObject({ allowed: true, standing: 'required' });
		const off = await h.draft('publication.switch', { publication: 'logline-forms', off: true });
		expect(off.effects.people).toContainEqual({ kind: 'person', id: 'anna', name: 'Anna Quill', how: 'loses access' });
		await h.finish(await h.commit(off.id));
		expect(item('anna')).toMatchObject({
			allowed: false,
			off: true,
			advice: 'It is switched off for now. Try again later.'
		});
		const { connection } = await h.ctx.providers.broker.connect('anna', 'logline-forms', true, 'k');
		await h.live(MINUTE);
		expect((await h.ctx.providers.broker.connection(connection))!.result).toBe('refused');
		expect((await h.draft('publication.switch', { publication: 'logline-forms', off: true })).blocks).toHaveLength(1);
		await h.carryOut(off.undo!.kind, off.undo!.input);
		expect(item('anna')!.allowed).toBe(true);
		const change = await h.draft('publication.change', {
			...LOGLINE,
			id: 'logline-forms',
			description: 'Old forms',
			visible: ['visitors']
		});
		expect(change.effects.people).toContainEqual({
			kind: 'person',
			id: 'anna',
			name: 'Anna Quill',
			how: 'loses access'
		});
		await h.finish(await h.commit(change.id));
		expect(item('anna')).toBeUndefined();
		await h.carryOut(change.undo!.kind, change.undo!.input);
		expect(publication()).toMatchObject({ description: '', visible: [] });
		await h.carryOut('publication.order', { order: ['logline-forms'] });
		expect(publicationsAt(h.db, h.lab.now)[0]!.id).toBe('logline-forms');
		expect((await h.draft('publication.remove', { publication: 'logline-forms' })).blocks).toHaveLength(1);
	});
});

describe('a second look at publications', () => {
	const remarks = (id: string) =>
		remarksOn(h.db, publication(id), publicationsAt(h.db, h.lab.now), h.lab.now).map((f) => f.words);
	test('points out what nobody can open, poor and equal pictures, twins, and what nobody was granted', async () => {
		await h.carryOut('publication.create', { ...LOGLINE, icon: 'app', pools: ['quay', 'isle'] });
		expect(remarks('logline-forms')).toEqual([
			'1 of its pools cannot serve it',
			'its picture stands for anything',
			'nobody has been granted it'
		]);
		await h.carryOut('publication.create', { ...LOGLINE, name: 'Forms', internalName: 'Forms' });
		await grant({ team: 'harbour' });
		expect(remarks('logline-forms')).toContain('Forms opens the same');
		await h.carryOut('package.withdraw', { package: 'logline', pools: ['quay'] });
		expect(remarks('forms')).toContain('no pool can serve it');
		// It may be given another name all the same; another such is not made.
		const renamed = await h.draft('publication.change', { ...LOGLINE, id: 'forms', name: 'F', internalName: 'Forms' });
		expect(renamed.blocks).toEqual([]);
		const third = await h.draft('publication.create', { ...LOGLINE, name: 'Third', internalName: 'Third' });
		expect(third.blocks[0]!.words).toMatch(/nobody could open it/);
		// A desktop is served by whatever pool it names.
		expect(remarks('desk')).toEqual([]);
	});
	test('what can be published is what the newest packages start, with a name for where it comes from', async () => {
		const targets = await targetsOf(h.ctx, h.lab.now);
		expect(targets).toContainEqual({ ...app, name: 'Logline', of: 'package logline', pictured: false });
		expect(titleIn(targets, app)).toBe('Logline, package logline');
		expect(titleIn(targets, { package: 'gone', target: 'x' })).toBe('x of gone');
	});
	test('a withdrawal says which publications nobody could open any more', async () => {
		await h.carryOut('publication.create', LOGLINE);
		const plan = await h.draft('package.withdraw', { package: 'logline', pools: ['quay'] });
		expect(plan.warnings.map((w) => w.words).join()).toMatch(/Logline forms is served by no other pool that has it/);
	});
});

describe('a grant', () => {
	beforeEach(() => h.carryOut('publication.create', LOGLINE));

	test('required stands on the shelf by itself, optional is fetched, and says who gains and who had it', async () => {
		await grant({ person: 'eve', kind: 'optional' });
		expect(item('eve')).toMatchObject({ standing: 'can fetch', by: 'Eve Sloop' });
		const fetch = await h.draft('shelf.fetch', { publication: 'logline-forms', person: 'eve' });
		await h.finish(await h.commit(fetch.id));
		expect(item('eve')!.standing).toBe('fetched');
		expect((await h.draft('shelf.fetch', { publication: 'logline-forms', person: 'eve' })).blocks).toHaveLength(1);
		const plan = await h.draft('grant.add', { publication: 'logline-forms', team: 'everybody', channels: [] });
		expect(plan.effects.people.filter((p) => p.how === 'gains access')).toHaveLength(4);
		expect(plan.reasons.map((r) => r.words)).toContain('1 person had it already, by the grant to Eve Sloop');
		await h.carryOut(fetch.undo!.kind, fetch.undo!.input);
		expect(item('eve')!.standing).toBe('can fetch');
		expect((await h.draft('shelf.drop', { publication: 'logline-forms', people: ['anna'] })).blocks).toHaveLength(1);
	});

	test('from a date to a date: the shelf of any day can be looked at', async () => {
		const plan = await h.draft('grant.add', {
			publication: 'logline-forms',
			team: 'harbour',
			channels: [],
			conditions: { from: '2026-11-20', to: '2026-11-22' }
		});
		// What it does is what it does once it counts.
		expect(plan.effects.people.map((x) => x.how)).toEqual(Array(4).fill('gains access'));
		expect(plan.warnings).toEqual([]);
		expect(plan.reasons.map((r) => r.words)).toContain('it begins on 20 Nov 2026: this is what it does from then on');
		await h.finish(await h.commit(plan.id));
		const given = Math.max(...grantsAt(h.db, h.lab.now).map((g) => g.id));
		expect((await h.draft('grant.remove', { grant: given })).effects.people).toHaveLength(4);
		const own = grantsAt(h.db, h.lab.now).find((g) => g.publication === 'desk')!;
		const later = await h.draft('grant.change', { grant: own.id, conditions: { from: '2026-11-20' } });
		expect(later.effects.people.map((x) => x.how)).toEqual(Array(4).fill('loses access'));
		const day = (d: number) => Date.UTC(2026, 10, d, 12);
		expect(item('anna')).toMatchObject({ allowed: false, advice: 'It is yours from 20 Nov 2026.' });
		expect(item('anna', day(20))!.allowed).toBe(true);
		// Who sits further west still has the last evening.
		expect(item('dag', Date.UTC(2026, 10, 23, 1))!.allowed).toBe(true);
		expect(item('anna', Date.UTC(2026, 10, 23, 1))).toBeUndefined();
		await expect(grant({ team: 'visitors', conditions: { from: '2026-11-30', to: '2026-11-22' } })).rejects.toThrow(
			/before it begins/
		);
		await expect(grant({ team: 'visitors', conditions: { to: '2026-11-02' } })).rejects.toThrow(/has passed/);
		await expect(grant({ team: 'visitors', conditions: { to: 'soon' } })).rejects.toThrow(/Write a day/);
	});

	test('is changed from required to optional and back; what is not said stays', async () => {
		await grant({ team: 'harbour', machines: 2 });
		const id = grantsAt(h.db, h.lab.now).find((g) => g.publication === 'logline-forms')!.id;
		const plan = await h.draft('grant.change', { grant: id, kind: 'optional' });
		expect(plan.reasons.map((r) => r.words)).toContain('it was required, and is optional');
		expect(plan.effects.people.map((x) => `${x.name} ${x.how}`)).toContain('Bo Rigg has to fetch it from the shelf');
		await h.finish(await h.commit(plan.id));
		expect(grantsAt(h.db, h.lab.now).find((g) => g.id === id)).toMatchObject({ kind: 'optional', machines: 2 });
		await h.carryOut(plan.undo!.kind, plan.undo!.input);
		expect(grantsAt(h.db, h.lab.now).find((g) => g.id === id)!.kind).toBe('required');
		expect((await h.draft('grant.change', { grant: id })).blocks).toHaveLength(1);
	});
});

describe('the door of a publication', () => {
	const all5 = ['anna', 'bo', 'cleo', 'dag', 'eve'];
	/** Who could open it now: by the shelf, by the tester, by the matrix, and by the broker that is told. */
	const letIn = () => {
		const p = publication();
		const shelves = all5.filter((login) => item(login)?.allowed);
		const tester = all5.filter(
			(login) =>
				testAccess(h.db, {
					login,
					publication: p.id,
					at: h.lab.now,
					address: null,
					managed: null,
					secondFactor: true
				})!.value.allowed
		);
		const m = matrixAt(h.db, h.lab.now, [p]);
		const seen = all5.filter((login) => item(login));
		expect(tester).toEqual(shelves);
		expect(m.now[m.teams.findIndex((t) => t.id === 'everybody')]).toBe(shelves.length);
		expect(m.has[m.teams.findIndex((t) => t.id === 'everybody')]).toBe(seen.length);
		expect(reachedBy(h.db, p, h.lab.now).size).toBe(seen.length);
		return shelves.join(' ');
	};
	test('is the same on the shelf, for the tester, in the matrix and for licences', async () => {
		await h.carryOut('publication.create', LOGLINE);
		await grant({ team: 'everybody' });
		expect(letIn()).toBe('anna bo cleo dag eve');
		await h.carryOut('publication.change', { ...LOGLINE, id: 'logline-forms', visible: ['harbour'] });
		expect(letIn()).toBe('anna bo cleo dag');
		const more = await h.draft('grant.add', { publication: 'logline-forms', team: 'visitors', channels: [] });
		expect(more.warnings.map((w) => w.words)).toContain('1 person does not see it: it is shown to Harbour alone');
		expect(more.effects.people).toEqual([]);
		await h.carryOut('publication.change', { ...LOGLINE, id: 'logline-forms' });
		keepPackage(h, 'logline', '3.1.0', { teams: ['visitors'], refusal: 'For visitors.' });
		// What the pools have counts, not what there is.
		expect(letIn()).toBe('anna bo cleo dag eve');
		await h.carryOut('package.deliver', { package: 'logline', pools: ['quay'] });
		expect(letIn()).toBe('eve');
		expect(item('anna')!.advice).toBe('For visitors.');
		await h.carryOut('publication.switch', { publication: 'logline-forms', off: true });
		expect(letIn()).toBe('');
	});
	test('fewer licences than holders are warned of, not refused', async () => {
		await h.carryOut('publication.create', LOGLINE);
		await grant({ team: 'harbour' });
		const plan = await h.draft('publication.change', {
			...LOGLINE,
			id: 'logline-forms',
			licences: 2,
			beyond: 'block'
		});
		expect(plan.blocks).toEqual([]);
		expect(plan.warnings.map((w) => w.words)).toContain('4 people would hold one of 2 licences');
	});
});

describe('whom grants reach', () => {
	test('is told with how they have it and by which grant; a required one counts before an optional one', async () => {
		await h.carryOut('publication.create', LOGLINE);
		await grant({ team: 'everybody', kind: 'optional' });
		await grant({ person: 'eve' });
		await h.carryOut('shelf.fetch', { publication: 'logline-forms', person: 'bo' });
		const reached = reachedBy(h.db, publication(), h.lab.now);
		const having = Object.fromEntries([...reached].map(([login, r]) => [login, `${r.having}, ${r.by.toName}`]));
		expect(having).toEqual({
			anna: 'can fetch, Everybody',
			bo: 'fetched, Everybody',
			cleo: 'can fetch, Everybody',
			dag: 'can fetch, Everybody',
			eve: 'required, Eve Sloop'
		});
		expect(reachedBy(h.db, { id: 'nothing', visible: [] }, h.lab.now).size).toBe(0);
	});
	test('a person who is not there has no shelf, and cannot be given anything', async () => {
		expect(shelfOf(h.db, 'zoe', h.lab.now, true)).toBe(null);
		await h.carryOut('publication.create', LOGLINE);
		await expect(h.draft('shelf.fetch', { publication: 'logline-forms', person: 'zoe' })).rejects.toThrow(
			/nobody called zoe/
		);
		await expect(h.draft('shelf.fetch', { publication: 'none', person: 'eve' })).rejects.toThrow(
			/no publication called none/
		);
		expect((await h.draft('shelf.fetch', { publication: 'logline-forms', person: 'eve' })).blocks[0]!.words).toBe(
			'no grant lets them fetch it'
		);
	});
});

describe('licences', () => {
	const limited = (more: object) => h.carryOut('publication.create', { ...LOGLINE, licences: 3, ...more });

	test('are counted: who holds one, who used it, most at once, and who could give it back', async () => {
		await limited({});
		await grant({ team: 'visitors' });
		await grant({ team: 'harbour', kind: 'optional' });
		for (const person of ['anna', 'bo']) await h.carryOut('shelf.fetch', { publication: 'logline-forms', person });
		const now = h.lab.now;
		const id = (login: string) => one<{ id: number }>(h.db, 'SELECT id FROM people WHERE login = ?', [login])!.id;
		const used = (n: number, login: string, from: number, to: number) =>
			run(h.db, `INSERT INTO app_runs VALUES (?, 1, ?, 1, 'logline', '3.0.0', 'logline-main', ?, ?, 'warm', 900)`, [
				n,
				id(login),
				now - from,
				now - to
			]);
		used(1, 'anna', 3 * HOUR, HOUR);
		used(2, 'anna', 2.5 * HOUR, 2 * HOUR);
		used(3, 'eve', 2 * HOUR, HOUR);
		used(4, 'bo', 40 * DAY, 39 * DAY);
		const state = licencesAt(h.db, publication(), now);
		expect(state).toMatchObject({ licences: 3, holders: 3, used: 2, peak: 2 });
		expect(state.giveBack).toEqual([
			{ login: 'bo', name: 'Bo Rigg', having: 'fetched', by: 'Harbour', last: now - 40 * DAY }
		]);
		expect(peopleInUse(h.db, publication(), now - 1.5 * HOUR)).toHaveLength(2);
		await h.carryOut('shelf.drop', { publication: 'logline-forms', people: ['bo'] });
		expect(licencesAt(h.db, publication(), h.lab.now).holders).toBe(2);
	});

	test('a peak counts each person once, and not those who come as others leave', () => {
		const use = (person: number, since: number, until: number) => ({ person, since, until });
		expect(peakOf([use(1, 0, 10), use(1, 5, 20), use(2, 10, 15), use(3, 20, 30)], 0)).toBe(2);
		expect(peakOf([], 0)).toBe(0);
	});

	test.each([
		['warn', 'warnings'],
		['block', 'blocks']
	] as const)('beyond them a grant or a fetch is a %s', async (beyond, where) => {
		await limited({ beyond });
		const plan = await h.draft('grant.add', { publication: 'logline-forms', team: 'harbour', channels: [] });
		expect(plan[where].map((f) => f.words)).toContain('4 people would hold one of 3 licences');
		await grant({ team: 'harbour', kind: 'optional' });
		for (const person of ['anna', 'bo', 'cleo'])
			await h.carryOut('shelf.fetch', { publication: 'logline-forms', person });
		const fourth = await h.draft('shelf.fetch', { publication: 'logline-forms', person: 'dag' });
		expect(fourth[where].map((f) => f.words)).toEqual(['all 3 licences of Logline are held']);
		const id = grantsAt(h.db, h.lab.now).find((g) => g.publication === 'logline-forms')!.id;
		const must = await h.draft('grant.change', { grant: id, kind: 'required' });
		expect(must[where].map((f) => f.words)).toContain('4 people would hold one of 3 licences');
	});
});

describe('a request', () => {
	test('is made for what is not granted, answered by whoever owns it, and a yes puts it on the shelf', async () => {
		await h.carryOut('publication.create', { ...LOGLINE, owner: 'bo' });
		expect(item('eve')).toMatchObject({ standing: 'can ask', allowed: false });
		const ask = (more: object = {}) => ({ publication: 'logline-forms', person: 'eve', why: 'Old reports', ...more });
		await expect(h.draft('request.make', ask({ why: ' ' }))).rejects.toThrow(/what you need it for/);
		await h.carryOut('request.make', ask());
		expect((await h.draft('request.make', ask())).blocks[0]!.words).toMatch(/waits for an answer/);
		const [r] = requestsAt(h.db, h.lab.now);
		expect(r).toMatchObject({ login: 'eve', answer: null, why: 'Old reports', owner: 'bo' });
		await expect(h.draft('request.answer', { request: r!.id, approve: false })).rejects.toThrow(/Say why/);
		await h.carryOut('request.answer', { request: r!.id, approve: true });
		expect(item('eve')).toMatchObject({ standing: 'required', news: { words: 'new on your shelf' } });
		expect((await h.draft('request.answer', { request: r!.id, approve: true })).blocks).toHaveLength(1);
		await expect(h.draft('request.answer', { request: 99, approve: true })).rejects.toThrow(/no request 99/);
		await h.carryOut('request.make', ask({ person: 'dag' }));
		const second = requestsAt(h.db, h.lab.now).find((x) => x.login === 'dag')!;
		await h.carryOut('request.answer', { request: second.id, approve: false, words: 'Use the new forms.' });
		expect(requestsAt(h.db, h.lab.now).find((x) => x.login === 'dag')).toMatchObject({
			answer: 'declined',
			words: 'Use the new forms.'
		});
		expect(all(h.db, 'SELECT 1 FROM grants')).toHaveLength(3);
	});
});
