import { describe, expect, test } from 'vitest';
import { compareAccess } from './compare';
import {
	conditionsWords,
	decideAccess,
	decideOpening,
	type Door,
	type AccessRequest,
	type GrantRule,
	inDates
} from './decide';
import { UNKNOWN_DEVICE, type DeviceProof } from '../endpoints/proof';
import { AREAS, LEVELS, levelIn, may, ROLES, whoMay, rightsOf } from './rights';

const device = (certificate: DeviceProof['certificate']): DeviceProof => ({ name: 'desk-1', certificate });
const request: AccessRequest = {
	personId: 'anna',
	teams: ['harbour', 'everybody'],
	at: Date.parse('2026-11-17T10:00:00+01:00'),
	zone: 'Europe/Oslo',
	address: '10.1.0.20',
	device: device('good'),
	secondFactor: true
};
const grant = (more: Partial<GrantRule> = {}): GrantRule => ({
	id: '1',
	to: { kind: 'team', id: 'harbour', name: 'Harbour' },
	conditions: {},
	channels: ['printers'],
	...more
});
const office = { days: [1, 2, 3, 4, 5], from: 420, until: 1140 };

describe('a decision', () => {
	test('without a grant is no, and says so', () => {
		const d = decideAccess(request, []);
		expect(d.value.allowed).toBe(false);
		expect(d.facts[0]!.words).toMatch(/nobody has been granted/);
		expect(
			decideAccess(request, [grant({ to: { kind: 'team', id: 'visitors', name: 'Visitors' } })]).facts[0]!.words
		).toMatch(/none of the grants/);
	});

	test('reaches people through teams above theirs', () => {
		expect(
			decideAccess(request, [grant({ to: { kind: 'team', id: 'everybody', name: 'Everybody' } })]).value.allowed
		).toBe(true);
	});

	test.each([
		['hours', { hours: office }, { at: Date.parse('2026-11-17T06:00:00+01:00') }, /hours/],
		['a managed endpoint', { managedEndpoint: true }, { device: device('none') }, /device that your/],
		[
			'a managed endpoint whose certificate has ended',
			{ managedEndpoint: true },
			{ device: device('ended') },
			/device that your/
		],
		['a second factor', { secondFactor: true }, { secondFactor: false }, /second factor/],
		['networks', { networks: ['10.2.0.0/16'] }, {}, /office network/]
	])('fails on %s, with the fact and what to do', (_name, conditions, change, advice) => {
		const d = decideAccess({ ...request, ...change }, [grant({ conditions })]);
		expect(d.value.allowed).toBe(false);
		expect(d.value.advice).toMatch(advice);
		expect(d.facts.some((f) => f.side === 'against')).toBe(true);
	});

	test('all conditions hold: every one is a fact for it', () => {
		const d = decideAccess(request, [
			grant({ conditions: { hours: office, managedEndpoint: true, secondFactor: true, networks: ['10.0.0.0/8'] } })
		]);
		expect(d.value.allowed).toBe(true);
		expect(d.facts.filter((f) => f.side === 'for')).toHaveLength(5);
	});

	test('channels are those of every grant that holds, together', () => {
		const d = decideAccess(request, [
			grant(),
			grant({ id: '2', to: { kind: 'person', id: 'anna', name: 'Anna' }, channels: ['drives'] }),
			grant({ id: '3', channels: ['cameras'], conditions: { networks: ['192.0.2.0/24'] } })
		]);
		expect(d.value.grant).toBe('2');
		expect(d.value.channels).toEqual(['drives', 'printers']);
	});

	test('conditions read as one clause', () => {
		expect(conditionsWords({})).toBe('no conditions');
		expect(conditionsWords({ hours: office, managedEndpoint: true })).toBe('Mon–Fri 07:00–19:00 · managed endpoint');
	});
});

describe('comparing two sets of grants', () => {
	const people = [
		{ id: 'anna', name: 'Anna', requests: [request, { ...request, at: Date.parse('2026-11-17T05:00:00+01:00') }] },
		{ id: 'bo', name: 'Bo', requests: [{ ...request, personId: 'bo', device: UNKNOWN_DEVICE }] }
	];
	test('names who loses, who gains, and who is refused at times', () => {
		const way = (grants: GrantRule[], door: Door = {}) => ({ door, grants });
		expect(compareAccess(people, way([grant()]), way([grant({ conditions: { hours: office } })]))).toEqual({
			gains: [],
			loses: [],
			partly: [{ id: 'anna', name: 'Anna', refused: 1, of: 2 }]
		});
		expect(
			compareAccess(people, way([grant()]), way([grant({ conditions: { managedEndpoint: true } })])).loses
		).toEqual([{ id: 'bo', name: 'Bo' }]);
		expect(compareAccess(people, way([]), way([grant()])).gains).toHaveLength(2);
		expect(compareAccess(people, way([grant()]), way([grant()], { off: true })).loses).toHaveLength(2);
	});
});

test('a device that was shut out lets nobody in, whatever is granted', () => {
	const d = decideOpening({ ...request, device: device('revoked') }, {}, [grant()]);
	expect(d.value).toMatchObject({ allowed: false, channels: [], lack: { kind: 'device' } });
	expect(d.value.advice).toMatch(/has been shut out/);
	expect(d.facts.at(-1)).toMatchObject({ words: 'desk-1 is shut out: its certificate was revoked', side: 'against' });
	expect(decideOpening({ ...request, device: UNKNOWN_DEVICE }, {}, [grant()]).value.allowed).toBe(true);
});

describe('the door of a publication', () => {
	const team = (id: string) => ({ id, name: id.toUpperCase() });
	test('comes before its grants: off, not seen, not for their team', () => {
		expect(decideOpening(request, {}, [grant()])).toEqual(decideAccess(request, [grant()]));
		const shut = (door: Door) => {
			const { value, facts } = decideOpening(request, door, [grant()]);
			return [value.allowed, value.channels.length, value.advice, facts.at(-1)!.words];
		};
		expect(shut({ off: true })).toEqual([
			false,
			0,
			'It is switched off for now. Try again later.',
			'it is switched off'
		]);
		expect(shut({ visible: [team('visitors')] })).toEqual([
			false,
			0,
			'Ask the helpdesk to show it to your team.',
			'it is shown to VISITORS alone'
		]);
		expect(shut({ starters: [team('visitors'), team('office')], refusal: 'Call Bo.' })).toEqual([
			false,
			0,
			'Call Bo.',
			'its package is for VISITORS, OFFICE alone'
		]);
	});
	test('lets in the teams that it names, and those below them', () => {
		for (const door of [
			{ visible: [team('everybody')] },
			{ starters: [team('harbour'), team('visitors')] },
			{ visible: [] }
		])
			expect(decideOpening(request, door, [grant()]).value.allowed).toBe(true);
		expect(decideOpening(request, { visible: [team('harbour')] }, []).value.allowed).toBe(false);
	});
});

describe('rights', () => {
	test('levels include those before them', () => {
		for (const role of ROLES)
			for (const area of AREAS)
				LEVELS.forEach((level, i) =>
					expect(may(rightsOf(role), area, level)).toBe(i <= LEVELS.indexOf(levelIn(rightsOf(role), area)))
				);
	});
	test('an auditor changes nothing, a person sees only the portal and their shelf, only the owner manages operators', () => {
		for (const area of AREAS) expect(may(rightsOf('auditor'), area, 'draft')).toBe(false);
		for (const area of AREAS) expect(may(rightsOf('person'), area, 'read')).toBe(area === 'portal' || area === 'shelf');
		expect(whoMay('identity', 'commit')).toEqual(['owner']);
	});
});

describe('the dates of a grant', () => {
	const noon = (day: number) => Date.UTC(2026, 10, day, 12);
	test.each<[{ from?: string; to?: string }, number, string]>([
		[{}, noon(1), 'in'],
		[{ from: '2026-11-20' }, noon(19), 'before'],
		[{ from: '2026-11-20' }, noon(20), 'in'],
		[{ to: '2026-11-22' }, noon(22), 'in'],
		[{ to: '2026-11-22' }, noon(23), 'over'],
		[{ from: '2026-11-20', to: '2026-11-22' }, noon(25), 'over']
	])('%j at %d: %s', (dates, at, state) => {
		expect(inDates(dates, 'Europe/Oslo', at)).toBe(state);
	});
	test('are read on the clock of the place: the last day ends later in the west', () => {
		const at = Date.UTC(2026, 10, 23, 2);
		expect(inDates({ to: '2026-11-22' }, 'Europe/Oslo', at)).toBe('over');
		expect(inDates({ to: '2026-11-22' }, 'America/Halifax', at)).toBe('in');
		expect(inDates({ from: '2026-11-23' }, 'America/Halifax', at)).toBe('before');
		expect(inDates({ from: '2026-11-24' }, 'Australia/Hobart', Date.UTC(2026, 10, 23, 14))).toBe('in');
	});
	test('stand in the words of its conditions', () => {
		expect(conditionsWords({ from: '2026-11-20', to: '2026-12-24', managedEndpoint: true })).toBe(
			'from 20 Nov 2026 · to 24 Dec 2026 · managed endpoint'
		);
	});
});
