import { copyFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { changesBefore } from '../changes';
import { all, one, putSetting, run, setting } from '../db';
import { closeAt, openAt } from '../db/intervals';
import { insertRow } from '../db/rows';
import { verifyData } from '../verify';
import { beginJoining } from '../joining/joinings';
import { packageAt } from '../packages';
import { keptDays } from '../activity';
import { directoryPercent, personNumber, recordOf, writePerson } from '../directory';
import { addressOfPortal, SERVED_AT, signInPolicy } from '../identity/portal';
import { linesAt, sheetAt } from '../images';
import { hoursById } from '../pools';
import { ownChannels, ownMachines } from '../portal';
import { CALLED_AT } from '../network';
import { keepFile } from '../people/files';
import { staffPolicy } from '../identity/staff';
import { assignmentsOf, auditorsAlone } from '../identity/assignments';
import { consentRules } from './consent';
import { decided } from '../testing/decided';
import { addReef, answerReef, COMPUTER } from '../testing/estates';
import { Harness, NEW_POOL, OWNER, QUIET, testEstate } from '../testing/harness';
import { keepPackage } from '../testing/packages';
import { PLAN_KINDS } from '../areas';
import { asPart, inFile } from '../testing/part';
import { commitPlan, draftPlan, draftUndo, openDrafts } from './index';

interface Case {
	/** What has to be there first. */
	first?: (h: Harness) => Promise<void> | void;
	input: unknown;
	/** What is looked at beside what has been decided. */
	beside?: (h: Harness) => unknown;
	/** Its undo waits for the consent of another: it is committed without. */
	emergency?: string;
	/** Tables that an undo leaves otherwise, and rightly: what a package was, stays known. */
	but?: string[];
}

/** Quay and isle, a reef to be joined up, computers to be taken over, boot servers, and something to install. */
const estate = () =>
	testEstate('e2e/small.yaml', (e) => {
		QUIET(e);
		e.boot_servers = ['boot-1', 'boot-2'].map((id) => ({ id, site: 'quay', address: `${id}.testbay.example` }));
		e.existing = [
			{ ...COMPUTER, name: 'old-1', kind: 'virtual', host: 'quay-h1', volume: 'quay-v1', folder: 'desks/quay' }
		];
		addReef(e);
		e.installers = ['Logline', 'Soundings'].map((name) => ({
			id: name.toLowerCase(),
			name,
			version: '3.0.0',
			system: 'Meridian Server 24',
			users: 'multi' as const,
			takes: 2 * MINUTE,
			restarts: 0,
			folder: `C:/Program Files/${name}`,
			files: 5,
			size: 90_000,
			starts: [
				{
					name,
					command: `${name}.exe`,
					arguments: '',
					icon: `${name}.ico`,
					at: ['menu' as const],
					opens: [],
					terminal: false,
					broken: false,
					missing: false
				}
			],
			shared: [{ file: 'C:/Program Files/Common/forms.dll', content: name }],
			settings: []
		}));
	});

const given = (h: Harness) =>
	assignmentsOf(h.db, one<{ id: number }>(h.db, `SELECT id FROM operators WHERE login = 'second'`)!.id, h.lab.now).map(
		({ role, part, ends }) => ({ role, part, ends })
	);
const states = (h: Harness) => [...h.lab.world.machines.values()].map((m) => [m.name, m.state === 'off']).sort();
const delivered = async (h: Harness) => {
	keepPackage(h, 'logline', '3.0.0');
	keepPackage(h, 'gaugetalk', '1.0.0');
	await h.carryOut('package.deliver', { package: 'logline', pools: ['quay'] });
};
const made =
	(...names: string[]) =>
	async (h: Harness) => {
		for (const [i, name] of names.entries()) {
			await h.carryOut('package.capture', { name, line: 'desk', installer: name });
			expect((await h.carryOut('package.make', { capture: i + 1, name })).error).toBeNull();
		}
	};
const APP = { package: 'logline', target: 'logline-main' };
const published = async (h: Harness) => {
	await delivered(h);
	const of = { name: 'Logline', internalName: 'Logline', icon: 'ledger', owner: 'anna' };
	await h.carryOut('publication.create', { ...of, app: APP, pools: ['quay'] });
	await h.carryOut('grant.add', { publication: 'logline', team: 'harbour', channels: [], kind: 'optional' });
};
const fetched = async (h: Harness) => {
	await published(h);
	await h.carryOut('shelf.fetch', { publication: 'logline', person: 'bo' });
};
const operator = { login: 'second', name: 'Second', role: 'operator', password: 'a line of ten fathoms' };
const MACHINES_REPORT = {
	name: 'Machines',
	question: 'How many machines are in which state?',
	source: 'machines',
	columns: ['name', 'state', 'sessions'],
	group: { column: 'state', by: 'value' },
	chart: 'rows',
	sort: 'rows',
	descending: true
};
const foundOfAnna = (h: Harness) => ({
	person_id: recordOf(h.db, 'anna', h.lab.now)!.id,
	hour: Math.floor(h.lab.now / HOUR) - 1,
	bits: 13,
	aspects: '[]',
	found_at: h.lab.now
});
const daily = {
	title: 'Nightly',
	kind: 'machines.reset',
	input: { pool: 'quay' },
	rule: 'FREQ=DAILY',
	begins: '2026-11-17T22:00',
	zone: 'Europe/Oslo'
};
const opened = async (h: Harness) => void (await h.carryOut('image.open', { line: 'desk', number: '1.0.0' }));

const ownPerson = async (h: Harness) =>
	void (await h.carryOut('people.put', {
		people: [{ login: 'fay', name: 'Fay Buoy', site: 'isle', team: 'harbour' }]
	}));
/** Branches, a rule, and a box that stands in one of them. */
const sleepGroups = (h: Harness) =>
	void openAt(
		h.db,
		'settings_groups',
		{
			id: 'sleep',
			name: 'Sleep',
			note: 'as agreed',
			rank: 100,
			said: '{"power.sleep-after":"20 min","drives.shared":["S: a"]}',
			assigned: '["everything"]',
			excluded: '["machines"]',
			by: 'x'
		},
		h.lab.now
	);
/** Services, a catalogue, and four rules. */
const services = async (h: Harness) => {
	for (const name of ['Depot', 'Spare'])
		await h.carryOut('private-service.put', { name, hosts: ['10.1.0.7'], ports: ['443'] });
	await h.carryOut('site-categories.bring', { text: 'name,category\na.example,Films\nb.example,Films\n' });
	await h.carryOut('access-rules.change', {
		edits: ['one', 'two', 'three', 'four'].map((id) => ({
			put: { id, decide: 'allow', who: ['team/harbour'], what: ['category/films'] }
		}))
	});
};
const gates = async (h: Harness) => {
	await h.carryOut('inner-gateway.put', { name: 'Quay gate', site: 'quay', address: 'gate.testbay.example:8443' });
};
const boxes = (h: Harness) => {
	const at = h.lab.now;
	for (const [id, parent] of [
		['all', null],
		['loft', 'all'],
		['empty', 'all']
	] as const)
		openAt(h.db, 'branches', { id, name: id, parent_id: parent, site_id: null }, at);
	const rule = { id: 1, position: 0, name: 'All', condition: 'any device', into_id: 'all', by_site: 0 };
	openAt(h.db, 'enrolment_rules', { ...rule, whom: 'all', often: 'once', deeper: 'stay' }, at);
	insertRow(h.db, 'endpoints', { id: 1, serial: 'x', key: 'y', first_at: at });
	const facts = {
		name: 'x',
		device: 'desk box',
		model: 'x',
		hardware: '',
		firmware: '1.0.0',
		address: '',
		site_id: null
	};
	openAt(h.db, 'endpoint_facts', { endpoint_id: 1, ...facts, person_id: null }, at);
	openAt(h.db, 'endpoint_states', { endpoint_id: 1, state: 'asleep', person_id: null }, at);
	openAt(h.db, 'endpoint_spots', { endpoint_id: 1, branch_id: 'all', rule_id: 1, by: null, why: 'x' }, at);
};
/** The box, in somebody's hands as soon as anybody says so. */
const handed = (h: Harness): void => {
	boxes(h);
	h.ctx.providers.endpoints.hand = () => Promise.resolve();
};
/** Firmware for the box that can be had. */
const fetchable = (h: Harness): void => {
	boxes(h);
	h.ctx.providers.endpoints.firmware = () =>
		Promise.resolve(['2.0.0', '3.0.0'].map((version) => ({ model: 'x', version, bytes: 1e6 })));
};
/** A version of it that is wished. */
const wishing = (h: Harness): void => {
	fetchable(h);
	const wish = { branch_id: 'all', model: 'x', version: '2.0.0', bytes: 1e6, thin: 0, by: OWNER.name };
	openAt(h.db, 'firmware_wishes', wish, h.lab.now);
};
/** A serial number that was announced, and one that is no more. */
const announced = (h: Harness): void =>
	void openAt(h.db, 'announced_endpoints', { serial: 'TB-1', site_id: 'isle', expected_at: h.lab.now }, h.lab.now);
const withdrawn = async (h: Harness) => {
	announced(h);
	await h.live(HOUR);
	closeAt(h.db, 'announced_endpoints', { serial: 'TB-1' }, h.lab.now);
};
const ownLeaver = async (h: Harness) => {
	await ownPerson(h);
	await h.carryOut('people.put', {
		people: [{ login: 'gil', name: 'Gil', site: 'quay', team: 'harbour', manager: 'fay' }]
	});
	await h.carryOut('machine.give', { machine: 'own-01', person: 'fay' });
};
const ownTeam = async (h: Harness) => void (await h.carryOut('team.add', { name: 'Pilots', parent: 'harbour' }));
const brought = (h: Harness) => ({
	file: keepFile(
		h.db,
		'a.csv',
		Buffer.from('login,name,team\nfay,Fay Mast,visitors\ngil,Gil,harbour\n'),
		'x',
		h.lab.now
	).id,
	as: 'csv'
});

const CASES: Record<string, Case[]> = {
	'people.put': [
		{ input: { people: [{ login: 'fay', name: 'Fay Buoy', site: 'isle', team: 'harbour' }] } },
		{
			first: ownPerson,
			input: {
				people: [
					{ login: 'fay', teams: ['visitors'], mail: 'f@b.example', moves: [{ on: '2027-01-04', site: 'quay' }] }
				]
			}
		},
		{ first: ownPerson, input: { people: [{ login: 'faye', was: 'fay', name: 'Faye Buoy' }] } }
	],
	'people.import': [
		{ first: ownPerson, input: brought },
		{
			input: (h: Harness) => ({
				file: keepFile(
					h.db,
					'a.ldif',
					Buffer.from(
						'dn: cn=Pilots,o=x\nobjectClass: groupOfNames\ncn: Pilots\nmember: uid=zoe,o=x\n\ndn: uid=zoe,o=x\nuid: zoe\ncn: Zoe\n'
					),
					'x',
					h.lab.now
				).id,
				as: 'ldif'
			})
		}
	],
	'people.as-then': [
		{
			first: ownPerson,
			input: (h: Harness) => ({ then: h.lab.now - 30 * MINUTE, logins: ['fay'] })
		}
	],
	'endpoint.move': [{ first: boxes, input: { endpoints: [1], branch: 'loft' } }],
	'endpoint.shut-out': [{ first: boxes, input: { endpoints: [1], why: 'lost' } }],
	'firmware.want': [
		{ first: fetchable, input: { branch: 'all', model: 'x', version: '2.0.0' } },
		{ first: wishing, input: { branch: 'all', model: 'x', version: '3.0.0', thin: true } }
	],
	'firmware.want-no-more': [{ first: wishing, input: { branch: 'all', model: 'x' } }],
	'endpoint.keep': [{ first: handed, input: { give: [{ endpoint: 1, person: 'anna' }] } }],
	'endpoint.forget': [{ first: boxes, input: { endpoints: [1] } }],
	'endpoint.know-again': [
		{
			first: async (h) => {
				boxes(h);
				await h.live(HOUR);
				for (const table of ['endpoint_facts', 'endpoint_states', 'endpoint_spots'] as const)
					closeAt(h.db, table, { endpoint_id: 1 }, h.lab.now);
			},
			input: (h: Harness) => ({ endpoints: [1], then: h.lab.now - 30 * MINUTE })
		}
	],
	'endpoint.announce': [{ input: { site: 'isle', from: '2026-11-23', serials: ['TB-1', 'TB-2'] } }],
	'endpoint.withdraw': [{ first: announced, input: { serials: ['TB-1'] } }],
	'endpoint.announce-again': [
		{
			first: withdrawn,
			input: (h: Harness) => ({ serials: ['TB-1'], then: h.lab.now - 30 * MINUTE })
		}
	],
	'endpoint.admit': [{ input: { site: 'isle', way: 'hand' } }, { input: { site: null, way: 'list' } }],
	'endpoint.networks': [
		{
			input: { site: 'isle', ranges: ['10.2.4.0/24', '10.2.6.0/24'] },
			beside: (h) => all(h.db, 'SELECT site_id, range FROM endpoint_ranges ORDER BY site_id, range')
		}
	],
	'endpoint.called-at': [
		{ input: { address: 'sextant.testbay.example:8443' }, beside: (h) => setting(h.db, CALLED_AT) ?? '' }
	],
	'branch.add': [
		{ input: { name: 'Loft' } },
		{ first: boxes, input: { name: 'Cellar', parent: 'loft', site: 'isle' } }
	],
	'branch.change': [{ first: boxes, input: { branch: 'loft', name: 'Attic', parent: null } }],
	'branch.remove': [{ first: boxes, input: { branch: 'empty' } }],
	'rules.set': [
		{
			first: boxes,
			input: { rules: [{ id: 1, name: 'Other', condition: 'site is quay', into: 'loft', whom: 'new' }] }
		},
		{ first: boxes, input: { rules: [] } }
	],
	'access-rules.change': [
		{ input: { edits: [{ put: { id: 'depot', decide: 'allow', what: ['service/depot'] } }] }, first: services },
		{
			first: services,
			input: {
				edits: [
					{ put: { id: 'one', decide: 'refuse', say: 'Not now.' } },
					{ move: 'three', before: 'two' },
					{ remove: 'four' },
					{ put: { id: 'five', decide: 'window' }, before: 'two' }
				],
				otherwise: { web: 'refuse', services: 'refuse' },
				tests: [{ name: 'Nobody does', who: 'team/harbour', what: 'service/depot', expect: 'refuse' }]
			}
		}
	],
	'access-rules.bring': [
		{
			first: services,
			input: {
				text: 'access-rules: 1\nrules:\n  - { id: three, decide: allow }\n  - { id: one, decide: refuse }\notherwise: { web: allow, services: allow }\n'
			}
		}
	],
	'activity.keep': [{ input: { days: 30 }, beside: (h) => keptDays(h.db) }],
	'private-service.put': [
		{ input: { name: 'Depot', hosts: ['depot.testbay.example', '10.1.0.9'], ports: ['5432', '8000-8010'] } },
		{ first: services, input: { id: 'depot', name: 'Depot', group: 'stores', hosts: ['10.1.0.9'], ports: ['1'] } }
	],
	'private-service.remove': [{ first: services, input: { service: 'spare' } }],
	'site.holidays': [
		{ input: { site: 'quay', add: '24 Dec 2026 Christmas Eve\n2026-12-25' } },
		{
			first: async (h) => void (await h.carryOut('site.holidays', { site: 'quay', add: '1 May 2027 Labour Day' })),
			input: { site: 'quay', all: '17 May 2027 Constitution Day' }
		}
	],
	'publication.relies-on': [
		{ first: services, input: { publication: 'desk', services: ['depot', 'spare'] } },
		{
			first: async (h) => {
				await services(h);
				await h.carryOut('publication.relies-on', { publication: 'desk', services: ['depot'] });
			},
			input: { publication: 'desk', services: [] }
		}
	],
	'inner-gateway.put': [
		{ input: { name: 'Quay gate', site: 'quay', address: 'gate.testbay.example:8443' } },
		{ first: gates, input: { id: 'quay-gate', name: 'Isle gate', site: 'isle', address: '10.2.0.9:443' } }
	],
	'inner-gateway.remove': [{ first: gates, input: { gateway: 'quay-gate' } }],
	'site-categories.put': [
		{
			first: services,
			input: {
				categories: [{ id: 'news', name: 'News' }],
				sites: [
					{ name: 'a.example', category: 'news' },
					{ name: 'new.example', category: 'films' }
				],
				remove: ['b.example']
			}
		}
	],
	'site-categories.bring': [
		{ first: services, input: { text: 'name,category\nb.example,News\nc.example,Films\n', others: 'go' } }
	],
	'settings.set': [
		{ input: { name: 'Sleep', values: { 'lock.after': '5 min' }, assigned: ['everything'], excluded: ['machines'] } },
		{
			first: sleepGroups,
			input: {
				id: 'sleep',
				name: 'Sleep well',
				rank: 7,
				values: { 'power.sleep-after': 'never' },
				assigned: ['pool/quay']
			}
		}
	],
	'settings.remove': [{ first: sleepGroups, input: { group: 'sleep' } }],
	'settings.rank': [{ first: sleepGroups, input: { group: 'sleep', rank: 300 } }],
	'settings.leave-out': [
		{ first: sleepGroups, input: { group: 'sleep', from: 'pool/quay' } },
		{ first: sleepGroups, input: { group: 'sleep', from: 'everything' } }
	],
	'settings.bring': [
		{
			first: sleepGroups,
			input: {
				text: 'settings-groups: 1\ngroups:\n  - { id: other, name: Other, values: { lock.after: 7 min }, assigned: [machines] }\n',
				others: 'go'
			}
		},
		{
			input: { text: 'settings-groups: 1\ngroups:\n  - { id: other, name: Other, values: { lock.after: 7 min } }\n' }
		}
	],
	'people.leave': [
		{ first: ownLeaver, input: { person: 'fay', at: 'now', to: 'bo' } },
		{ first: ownLeaver, input: { person: 'fay', at: '2026-12-31', to: 'bo', after: 'hand', keepDays: 3 } }
	],
	'people.hand-over': [
		{
			// What it is undone to is that they are here: with what they had, and no last day.
			first: async (h) => {
				await ownLeaver(h);
				await h.carryOut('people.leave', { person: 'fay', at: '2026-11-17', to: 'bo' });
				// Sextant would do it itself within the minute.
				run(h.db, `INSERT INTO handover_refusals SELECT id, ?, 'x' FROM people WHERE login = 'fay'`, [h.lab.now]);
				writePerson(
					h.db,
					personNumber(h.db, { login: 'fay', name: 'Fay' }, 'here'),
					{ ...recordOf(h.db, 'fay', h.lab.now)!, ends: h.lab.now },
					h.lab.now
				);
			},
			input: { person: 'fay' },
			but: ['handovers', 'people']
		}
	],
	'people.return': [
		{
			first: async (h) => {
				await ownLeaver(h);
				await h.carryOut('people.leave', { person: 'fay', at: '2026-12-31', to: 'bo' });
			},
			input: { person: 'fay' }
		},
		{
			first: async (h) => {
				await ownLeaver(h);
				await h.carryOut('people.leave', { person: 'fay', at: 'now', to: 'bo' });
			},
			input: { person: 'fay' },
			but: ['people']
		}
	],
	'people.welcome': [
		{
			first: async (h) => {
				await ownPerson(h);
				putSetting(h.db, SERVED_AT, 'http://localhost:1');
				await h.carryOut('people.put', { people: [{ login: 'fay', mail: 'fay@testbay.example' }] });
			},
			input: { people: ['fay', 'anna'], pool: 'own', publications: ['own'] }
		}
	],
	'portal.address': [{ input: { address: 'https://desk.testbay.example' }, beside: (h) => addressOfPortal(h.db) }],
	'line.add': [
		{
			input: { name: 'Second desk', system: 'meridian-server-24' },
			beside: (h) => [linesAt(h.db, h.lab.now), sheetAt(h.db, 'second-desk', h.lab.now)]
		}
	],
	'hours.set': [
		{ input: { name: 'night', days: [1, 3], from: '22:00', until: '06:00' }, beside: (h) => [...hoursById(h.db)] },
		{ input: { name: 'office', days: [1, 2], from: '08:30', until: '24:00' }, beside: (h) => [...hoursById(h.db)] }
	],
	'hours.remove': [
		{
			first: async (h) =>
				void (await h.carryOut('hours.set', { name: 'night', days: [1], from: '22:00', until: '06:00' })),
			input: { name: 'night' },
			beside: (h) => [...hoursById(h.db)].sort()
		}
	],
	'people.move': [
		{ first: ownPerson, input: { person: 'fay', team: 'visitors', site: 'isle' } },
		{ first: ownPerson, input: { person: 'fay', on: '2030-01-07', team: 'visitors', teams: ['harbour'] } }
	],
	'portal.sign-in': [
		{ input: { passkeys: false, ownDays: 14, ownFor: ['employee'] }, beside: (h) => signInPolicy(h.db) }
	],
	'own.channels': [
		{
			first: async (h) => void (await h.carryOut('own.channels', { person: 'anna', pass: { drives: false } })),
			input: { person: 'anna', pass: { drives: true, clipboard: false } },
			beside: (h) => ownChannels(h.db, recordOf(h.db, 'anna', h.lab.now)!.id)
		}
	],
	'own.rename': [
		{
			first: async (h) => void (await h.carryOut('machine.give', { machine: 'own-01', person: 'anna' })),
			input: { person: 'anna', kind: 'machine', thing: 'own-01', name: 'Drawing board' },
			beside: (h) => ownMachines(h.ctx, recordOf(h.db, 'anna', h.lab.now)!.id).map((m) => m.name)
		}
	],
	'pool.keep-for': [
		{ input: { pool: 'own', team: 'visitors', publication: 'desk' } },
		{
			first: async (h) =>
				void (await h.carryOut('pool.keep-for', { pool: 'own', team: 'visitors', publication: 'desk' })),
			input: { pool: 'own', team: 'visitors', publication: 'desk', aheadDays: 0 }
		}
	],
	'pool.keep-no-more': [
		{
			first: async (h) =>
				void (await h.carryOut('pool.keep-for', { pool: 'own', team: 'visitors', publication: 'desk' })),
			input: { pool: 'own' }
		}
	],
	'desks.make': [{ input: { pool: 'own', people: ['anna', 'bo'] } }],
	'team.add': [{ input: { name: 'Pilots', parent: 'harbour' } }],
	'team.change': [{ first: ownTeam, input: { team: 'pilots', name: 'Senior Pilots', parent: 'visitors' } }],
	'team.remove': [{ first: ownTeam, input: { team: 'pilots' } }],
	'directory.limit': [{ input: { percent: 12 }, beside: (h) => directoryPercent(h.db) }],
	'note.write': [
		{ input: { about: 'pool/quay', text: 'Ask Bo first' } },
		{
			first: async (h) => void (await h.carryOut('note.write', { about: 'pool/quay', text: 'Ask Bo first' })),
			input: { note: 1, text: 'Ask Anna first' }
		}
	],
	'note.remove': [
		{
			first: async (h) => void (await h.carryOut('note.write', { about: 'pool/quay', text: 'Ask Bo first' })),
			input: { note: 1 }
		}
	],
	'image.sheet': [
		{
			input: (h: Harness) => {
				const sheet = JSON.parse(one<{ body: string }>(h.db, 'SELECT body FROM sheets')!.body) as { limit: number };
				return { line: 'desk', ...sheet, limit: sheet.limit * 2 };
			}
		}
	],
	'image.hold': [
		{ input: { line: 'desk', number: '1.0.0', held: true } },
		{ input: { line: 'desk', number: '1.1.0', held: false } }
	],
	'image.retire': [{ input: { line: 'desk', number: '1.1.0' } }],
	'image.follow': [
		{ input: { pool: 'isle', rule: 'newest 1.0.x', takesAt: 'next start' } },
		{ input: { machine: 'quay-02', rule: 'exactly 1.0.0' } }
	],
	'image.open': [{ input: { line: 'desk', number: '1.0.0' } }],
	// What was opened stays closed: its undo takes the version away that came of it.
	'image.close': [{ first: opened, input: { line: 'desk', note: 'by hand' }, but: ['openings', 'version_holds'] }],
	'machines.move': [{ input: { pool: 'quay', number: '1.1.0', people: 'now' } }],
	'pool.create': [{ input: NEW_POOL }],
	'pool.grow': [{ input: { pool: 'isle', count: 2 } }],
	'pool.remove': [
		{
			first: async (h) => {
				await h.carryOut('pool.create', { ...NEW_POOL, count: 2 });
			},
			input: { pool: 'new-desks' }
		}
	],
	'pool.take-over': [
		{
			input: {
				name: 'Old desks',
				site: 'quay',
				line: 'desk',
				folder: 'desks/quay',
				csv: 'name,kind,owner\nold-1,virtual,bo\n'
			},
			but: ['hosts']
		}
	],
	'pool.boot-servers': [{ input: { pool: 'quay', servers: ['boot-2', 'boot-1'] } }],
	'machine.give': [{ input: { machine: 'own-01', person: 'anna' } }],
	'publication.create': [
		{ input: { name: 'Second desk', internalName: 'Second', pools: ['quay'] } },
		{ input: { name: 'Tides', internalName: 'Tides', icon: 'wave', reaches: 'site/tides.example' } }
	],
	'publication.create-many': [
		{ first: delivered, input: { package: 'logline', targets: ['logline-main'], pools: ['quay'] } }
	],
	'publication.change': [
		{ input: { id: 'own', name: 'Mine', internalName: 'Own machine', pools: ['own'] } },
		{
			first: published,
			input: { id: 'logline', name: 'Log', internalName: 'Log', icon: 'ledger', app: APP, pools: ['quay'], off: true }
		}
	],
	'publication.switch': [{ input: { publication: 'own', off: true } }],
	'publication.order': [{ input: { order: ['own', 'desk'] } }],
	'publication.remove': [
		{
			first: async (h) => {
				await h.carryOut('publication.create', { name: 'Second desk', internalName: 'Second', pools: ['quay'] });
			},
			input: { publication: 'second' }
		}
	],
	'package.make': [
		{
			first: async (h) => {
				await h.carryOut('package.capture', { name: 'Logline', line: 'desk', installer: 'logline' });
			},
			input: { capture: 1, name: 'logline' },
			but: ['package_positions']
		}
	],
	'package.import': [
		{
			first: made('logline'),
			input: async (h: Harness) => {
				const { manifest } = packageAt(h.db, 'logline', h.lab.now)!.versions[0]!;
				const kept = join(h.dataDir, 'kept.tar');
				copyFileSync(await h.ctx.packer.packages.write(manifest, 'logline'), kept);
				await h.carryOut('package.remove', { name: 'logline', number: '1.0.0' });
				await h.ctx.packer.packages.take(kept);
				return { manifest };
			},
			but: ['package_positions']
		}
	],
	'package.order': [{ first: made('logline', 'soundings'), input: { order: ['soundings', 'logline'] } }],
	'package.warm-up': [
		{
			first: async (h) => {
				await made('logline')(h);
				await h.carryOut('package.deliver', { package: 'logline', pools: ['quay'] });
				await h.carryOut('package.try', { name: 'logline', number: '1.0.0' });
			},
			input: { name: 'logline', number: '1.0.0' },
			// A list of nothing is as good as none.
			but: ['warm_ups'],
			beside: (h) => h.lab.world.packages.wishes.packages[0]?.warmUp
		}
	],
	'package.vouch': [
		{
			first: (h) => keepPackage(h, 'logline', '3.0.0'),
			input: { name: 'logline', number: '3.0.0', system: 'Meridian Desktop 9', users: 'single', why: 'tried' }
		}
	],
	'package.deliver': [
		{ first: (h) => keepPackage(h, 'logline', '3.0.0'), input: { package: 'logline', pools: ['quay', 'isle'] } },
		{
			first: async (h) => {
				await delivered(h);
				keepPackage(h, 'logline', '3.1.0');
			},
			input: { package: 'logline', pools: ['quay'], version: '3.1.0' }
		}
	],
	'package.withdraw': [{ first: delivered, input: { package: 'logline', pools: ['quay'] } }],
	'grant.add': [{ input: { publication: 'desk', team: 'visitors', channels: ['drives'] } }],
	'grant.change': [{ input: { grant: 1, conditions: { managedEndpoint: true }, channels: [] } }],
	'grant.remove': [{ input: { grant: 2 } }],
	'shelf.fetch': [{ first: published, input: { publication: 'logline', person: 'bo' } }],
	'shelf.drop': [{ first: fetched, input: { publication: 'logline', people: ['bo'] } }],
	'request.answer': [
		{
			first: async (h) => {
				await published(h);
				await h.carryOut('request.make', { publication: 'logline', person: 'eve', why: 'for the forms' });
			},
			input: { request: 1, approve: true }
		}
	],
	'policy.set': [{ input: { pool: 'quay', headroomIn: 1, most: 5, patience: 40 * MINUTE } }],
	'machine.start': [{ input: { machines: ['own-01'] }, beside: states }],
	'machine.stop': [
		{
			first: async (h) => {
				await h.carryOut('machine.start', { machines: ['own-01'] });
			},
			input: { machines: ['own-01'] },
			beside: states
		}
	],
	'gateway.set-port': [{ input: { gateway: 'isle-gw', protocol: 'stream', port: 4000 } }],
	'gateway.set-relay': [{ input: { gateway: 'isle-gw', address: '203.0.113.99' } }],
	'network.set-range': [{ input: { network: 'isle-desks', last: '10.2.0.100' } }],
	'site.join': [
		{
			first: async (h) => {
				await answerReef(h.ctx, beginJoining(h.ctx, 'Chidi', null));
			},
			input: { joining: 1 }
		}
	],
	// The account stays on record, shut, with what it was there for.
	'operator.add': [{ input: operator, but: ['assignments'] }],
	'assignment.give': [
		{
			first: async (h) => {
				await h.carryOut('operator.add', operator);
			},
			input: { login: 'second', role: 'helpdesk', part: 'site:quay' }
		}
	],
	'assignment.take': [
		{
			first: async (h) => {
				await h.carryOut('operator.add', operator);
			},
			input: { login: 'second', role: 'operator', part: '' },
			// Another row of the same.
			but: ['assignments'],
			beside: (h) => given(h)
		}
	],
	'role.put': [
		{ input: { name: 'Night desk', rights: { sessions: 'commit', estate: 'read' } } },
		{
			first: async (h) => {
				await h.carryOut('role.put', { name: 'Night desk', rights: { sessions: 'commit', estate: 'read' } });
			},
			input: { id: 'night-desk', name: 'Night desk', note: 'at night', rights: { sessions: 'draft', estate: 'read' } }
		}
	],
	'role.remove': [
		{
			first: async (h) => {
				await h.carryOut('role.put', { name: 'Night desk', rights: { sessions: 'commit', estate: 'read' } });
			},
			input: { id: 'night-desk' }
		}
	],
	'operator.disable': [
		{
			first: async (h) => {
				await h.carryOut('operator.add', operator);
			},
			input: { login: 'second', disabled: true }
		}
	],
	'token.create': [{ input: { name: 'night', role: 'auditor', hash: 'a'.repeat(64) } }],
	'consent.rules': [
		{ input: { kinds: ['access-rules.change'], people: 200 }, beside: (h) => consentRules(h.db), emergency: 'the test' }
	],
	'operators.sign-in': [
		{ input: { factorFor: ['owner'], idle: 30 * MINUTE, most: 600 * MINUTE }, beside: (h) => staffPolicy(h.db) }
	],
	'record.readers': [{ input: { auditorsAlone: true }, beside: (h) => auditorsAlone(h.db) }],
	'record.heads': [{ input: { mail: 'records@kept.example', hook: '' } }],
	'unusual-activity.answer': [true, false].map((wrong) => ({
		first: (h: Harness) => void insertRow(h.db, 'unusual_activity', foundOfAnna(h)),
		input: { id: 1, wrong, words: 'she was on call' },
		beside: (h: Harness) => all(h.db, 'SELECT answer, answered_by, words FROM unusual_activity')
	})),
	'report.put': [
		{ input: MACHINES_REPORT },
		{
			first: async (h) => void (await h.carryOut('report.put', MACHINES_REPORT)),
			input: { ...MACHINES_REPORT, id: 'machines', name: 'Up and down', columns: ['name', 'pool'], limit: 5 }
		},
		// One that ships, kept otherwise.
		{
			input: {
				...MACHINES_REPORT,
				id: 'unused-access',
				name: 'Never opened',
				source: 'unused-access',
				columns: ['person'],
				group: null,
				chart: null,
				sort: ''
			}
		}
	],
	'report.remove': [
		{
			first: async (h) => void (await h.carryOut('report.put', MACHINES_REPORT)),
			input: { report: 'machines' }
		}
	],
	'report.schedule': [
		{
			input: {
				report: 'largest-transfers',
				why: 'the month’s review',
				rule: 'FREQ=WEEKLY;BYDAY=MO',
				begins: '2026-11-23T06:00',
				zone: 'Europe/Oslo'
			}
		}
	],
	'report.unschedule': [
		{
			first: async (h) =>
				void (await h.carryOut('report.schedule', {
					report: 'unused-access',
					rule: 'FREQ=DAILY',
					begins: '2026-11-23T06:00',
					zone: 'Asia/Kolkata'
				})),
			input: { report: 'unused-access' }
		}
	],
	'schedule.add': [{ input: daily }],
	'schedule.remove': [
		{
			first: async (h) => {
				await h.carryOut('schedule.add', daily);
			},
			input: { schedule: 'Nightly' }
		}
	]
};

describe('every kind of plan', () => {
	test('that can be undone has its case here', () => {
		const can = PLAN_KINDS.filter((k) => k.undo !== 'never').map((k) => k.kind);
		expect(Object.keys(CASES).sort()).toEqual(can.sort());
	});
});

describe('a plan and its undo', () => {
	const cases = Object.entries(CASES).flatMap(([kind, of]) => of.map((c, i) => ({ kind, n: i + 1, c })));
	test.each(cases)('$kind $n returns to the same state', async ({ kind, c }) => {
		const h = await Harness.of(estate());
		await h.live(6 * MINUTE, MINUTE);
		await c.first?.(h);
		await h.live(MINUTE);
		const look = () => ({ ...decided(h), ...(c.beside ? { beside: c.beside(h) } : {}) });
		const input: unknown = typeof c.input === 'function' ? await (c.input as (h: Harness) => unknown)(h) : c.input;
		const before: Record<string, unknown> = look();
		const plan = await h.draft(kind, input);
		expect(plan.blocks).toEqual([]);
		expect(look()).toEqual(before);
		// Whoever is there for a part that has nothing of it does not get as far as a draft.
		const file = inFile(h);
		await expect(draftPlan(file, asPart('owner', 'pool:none'), kind, input, 'test')).rejects.toThrow();
		expect(openDrafts(file.db).map((p) => p.id)).toEqual([plan.id]);
		file.db.close();
		const job = await h.finish(await h.commit(plan.id));
		expect([job.state, job.error]).toEqual(['done', null]);
		expect(look()).not.toEqual(before);
		await h.live(MINUTE);
		const undo = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
		expect(undo.blocks).toEqual([]);
		const back = await h.finish(await commitPlan(h.ctx, OWNER, undo.id, null, 'test', c.emergency));
		expect([back.state, back.error]).toEqual(['done', null]);
		await h.live(MINUTE);
		const after: Record<string, unknown> = look();
		const without = (state: Record<string, unknown>) =>
			Object.fromEntries(Object.entries(state).filter(([table]) => !c.but?.includes(table)));
		expect(without(after)).toEqual(without(before));
		expect(verifyData(h.db)).toEqual([]);
	});
});
