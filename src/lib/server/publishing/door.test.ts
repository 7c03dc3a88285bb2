import { beforeAll, describe, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { type PublicationRow, publicationsAt } from '../publications';
import { Harness, testEstate } from '../testing/harness';
import { keepPackage } from '../testing/packages';
import { requestsFor } from '../access/circumstances';
import { doorsAt, openTo } from './door';
import { changeFacts, effectsOf } from './access-change';
import { changeOfWay } from '../access/circumstances';

let h: Harness;
let desk: PublicationRow;
const forms = (more: Partial<PublicationRow> = {}): PublicationRow => ({
	...desk,
	id: 'forms',
	name: 'Forms',
	app: { package: 'logline', target: 'logline-main' },
	pools: ['quay'],
	...more
});
const door = (p: PublicationRow) => doorsAt(h.db, h.lab.now)(p);

beforeAll(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			for (const p of e.directory.people) p.pattern = 'none';
		})
	);
	desk = publicationsAt(h.db, h.lab.now).find((p) => p.id === 'desk')!;
	await h.live(5 * MINUTE);
});

describe('the door of a publication', () => {
	test('keeps nobody out where it says nothing', () => {
		expect(door(desk)).toEqual({});
		expect(door({ ...desk, off: true, visible: ['harbour', 'gone'] })).toEqual({
			off: true,
			visible: [
				{ id: 'harbour', name: 'Harbour' },
				{ id: 'gone', name: 'gone' }
			]
		});
	});

	test('has the teams of the versions that its pools have; of the newest where none has any', async () => {
		// Nothing is known of a package that is not there.
		expect(door(forms())).toEqual({});
		keepPackage(h, 'logline', '1.0.0', { teams: ['harbour'], refusal: 'Ask Bo.' });
		expect(door(forms())).toEqual({ starters: [{ id: 'harbour', name: 'Harbour' }], refusal: 'Ask Bo.' });
		keepPackage(h, 'logline', '1.1.0', { teams: ['visitors'] });
		expect(door(forms()).starters!.map((t) => t.id)).toEqual(['visitors']);
		expect(door(forms()).refusal).toBe('Forms is not for your team. Ask the helpdesk.');
		await h.carryOut('package.deliver', { package: 'logline', version: '1.0.0', pools: ['quay'] });
		expect(door(forms()).starters!.map((t) => t.id)).toEqual(['harbour']);
		await h.carryOut('package.deliver', { package: 'logline', version: '1.1.0', pools: ['isle'] });
		expect(door(forms()).starters!.map((t) => t.id)).toEqual(['harbour']);
		expect(door(forms({ pools: ['quay', 'isle'] })).starters!.map((t) => t.id)).toEqual(['harbour', 'visitors']);
		// One version for everybody opens it to everybody: the machine has the last word.
		keepPackage(h, 'logline', '1.2.0');
		await h.carryOut('package.deliver', { package: 'logline', version: '1.2.0', pools: ['isle'] });
		expect(door(forms({ pools: ['quay', 'isle'] }))).toEqual({});
		// An app of an image has no package.
		expect(door(forms({ app: { package: 'image/desk', target: 'paperlane' } }))).toEqual({});
	});

	test('says with the grants who can open it, at whatever hour', async () => {
		const open = (more: Partial<PublicationRow> = {}) =>
			[...openTo(h.db, { ...desk, ...more }, h.lab.now).keys()].sort();
		expect(open()).toEqual(['anna', 'bo', 'cleo', 'dag']);
		expect(open({ off: true })).toEqual([]);
		expect(open({ visible: ['visitors'] })).toEqual([]);
		expect(open({ visible: ['everybody'] })).toEqual(['anna', 'bo', 'cleo', 'dag']);
		const grant = await h.draft('grant.change', {
			grant: 1,
			conditions: { hours: { days: [7], from: 0, until: 60 } }
		});
		await h.finish(await h.commit(grant.id));
		expect(open()).toEqual(['anna', 'bo', 'cleo', 'dag']);
		await h.carryOut(grant.undo!.kind, grant.undo!.input);
	});
});

describe('a change of the way into a publication', () => {
	const grants = (conditions: object = {}) => [
		{
			id: '1',
			to: { kind: 'team' as const, id: 'harbour', name: 'Harbour' },
			conditions,
			channels: []
		}
	];
	const change = (before: object, after: object, on?: number) =>
		changeOfWay(
			h.db,
			'desk',
			h.lab.now,
			{ door: {}, grants: grants(), ...before },
			{ door: {}, grants: grants(), ...after },
			on
		);

	test('is tried for everybody whom either way reaches', () => {
		expect(requestsFor(h.db, 'desk', h.lab.now, grants()).map((p) => p.id)).toEqual(['anna', 'bo', 'cleo', 'dag']);
		expect(change({}, {})).toEqual({ gains: [], loses: [], partly: [] });
		expect(change({ grants: [] }, {}).gains.map((p) => p.id)).toEqual(['anna', 'bo', 'cleo', 'dag']);
		expect(change({}, { door: { off: true } }).loses).toHaveLength(4);
		expect(change({}, { grants: grants({ networks: ['10.0.0.0/8'] }) }).loses).toEqual([
			{ id: 'cleo', name: 'Cleo Mast' }
		]);
	});

	test('asks for the dates of grants on the day of a moment', () => {
		const from = { grants: grants({ from: '2026-12-01', to: '2026-12-03' }) };
		const day = (d: number) => Date.UTC(2026, 11, d, 12);
		expect(change({}, from).loses).toHaveLength(4);
		expect(change({}, from, day(1)).loses).toEqual([]);
		expect(change({}, from, day(5)).loses).toHaveLength(4);
	});

	test('is told in words: who loses first, and who would have been refused at times', () => {
		const said = {
			gains: [{ id: 'eve', name: 'Eve' }],
			loses: [{ id: 'bo', name: 'Bo' }],
			partly: [{ id: 'anna', name: 'Anna', refused: 2, of: 5 }]
		};
		expect(effectsOf(said).people.map((p) => `${p.name} ${p.how}`)).toEqual([
			'Bo loses access',
			'Anna 2 of their last 5 sign-ins would be refused',
			'Eve gains access'
		]);
		const { warnings, reasons } = changeFacts(said);
		expect(warnings.map((w) => w.words)).toEqual([
			'1 person loses access',
			'1 person would have been refused at some of their last sign-ins'
		]);
		expect(reasons[0]!.words).toBe('1 person gains access');
		expect(changeFacts({ gains: [], loses: [], partly: [] }).warnings).toEqual([]);
	});
});
