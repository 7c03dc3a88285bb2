import { describe, expect, test } from 'vitest';
import { leavingFacts, ownerless, type Belongings, type Heir } from './handover';

const NOTHING: Belongings = {
	answersFor: [],
	machines: [],
	profile: 0,
	reports: [],
	schedules: [],
	requests: 0,
	grants: [],
	role: null,
	tokens: [],
	devices: [],
	sessions: [],
	factor: false
};
const heir = (more: Partial<Heir> = {}): Heir => ({ login: 'bo', name: 'Bo', operates: false, keeps: [], ...more });
const words = (b: Partial<Belongings>, h: Heir | null, after: 'remove' | 'hand' = 'remove') =>
	ownerless({ ...NOTHING, ...b }, h, after).map((f) => f.words);

describe('what would be left without an owner', () => {
	test('is nothing where nothing hangs on them', () => {
		expect(words({ machines: [{ name: 'm-1', pool: 'own', poolName: 'Own' }], profile: 5, requests: 2 }, null)).toEqual(
			[]
		);
	});
	test('is what requests go to and who reports to them, as long as nobody takes over', () => {
		const b = {
			answersFor: [{ id: 'p', name: 'Charts' }],
			reports: [
				{ login: 'x', name: 'Xeno', told: false },
				{ login: 'y', name: 'Yan', told: true }
			]
		};
		expect(words(b, null)).toEqual(['requests for Charts would go to nobody', 'Xeno would report to nobody']);
		expect(words(b, heir())).toEqual([]);
	});
	test('is what runs in their name where whoever takes over cannot sign in to the console', () => {
		const b = { schedules: [{ id: 1, title: 'Nightly' }] };
		expect(words(b, null)).toEqual(['Nightly would stop']);
		expect(words(b, heir())).toEqual(['Nightly would stop: Bo may not sign in to the console']);
		expect(words(b, heir({ operates: true }))).toEqual([]);
	});
	test('is a machine that is handed to somebody who has one of its pool, or to nobody', () => {
		const b = { machines: [{ name: 'm-1', pool: 'own', poolName: 'Own' }] };
		expect(words(b, null, 'hand')).toEqual(['say who is handed what they leave, or let it be removed']);
		expect(words(b, heir({ keeps: ['own'] }), 'hand')).toEqual([
			'Bo keeps a machine of Own already: m-1 cannot be theirs as well'
		]);
		expect(words(b, heir({ keeps: ['other'] }), 'hand')).toEqual([]);
	});
});

test('what becomes of each thing is said, with whom it goes to and until when it is kept', () => {
	const said = leavingFacts(
		{
			...NOTHING,
			answersFor: [{ id: 'p', name: 'Charts' }],
			machines: [{ name: 'm-1', pool: 'own', poolName: 'Own' }],
			profile: 3e9,
			sessions: [{ id: 4, machine: 'm-1' }],
			requests: 1,
			factor: true,
			role: 'operator',
			tokens: ['nightly']
		},
		heir(),
		{ sessions: 'ask', after: 'hand', kept: 'Tue 1 Dec' }
	).map((f) => f.words);
	expect(said).toEqual([
		'1 session is open: they are asked to finish, and signed out a quarter of an hour later',
		'requests for Charts go to Bo',
		'1 request of theirs is withdrawn',
		'm-1: kept until Tue 1 Dec, is Bo’s then',
		expect.stringMatching(/^their profile, .*: kept until Tue 1 Dec, is Bo’s then$/),
		'their second factor is forgotten',
		'their account in the console (operator) and the token that they have made (nightly): for an owner to end, as Today will say'
	]);
});
