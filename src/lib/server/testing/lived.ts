import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { one } from '../db';
import { takeActivity } from '../activity/write';
import { openAt } from '../db/intervals';
import { insertRow } from '../db/rows';
import { note } from '../record';
import { recordOf } from '../directory';
import { takeEndpoint } from '../endpoints/learning';
import { Harness, testEstate } from './harness';
import { keepPackage } from './packages';

/** The test estate after a morning that left something in every list: a delivery, a request, a rule that changed, a note, somebody who is to begin, faults. */
export async function livedIn(): Promise<Harness> {
	const h = await Harness.of(testEstate());
	await h.live(4 * HOUR, 20_000);
	keepPackage(h, 'logline', '3.0.0');
	await h.carryOut('package.deliver', { package: 'logline', pools: ['quay', 'isle'] });
	await h.carryOut('publication.create', {
		name: 'Boat',
		internalName: 'Boat',
		icon: 'ship',
		pools: ['quay'],
		owner: 'bo'
	});
	await h.carryOut('request.make', { publication: 'boat', person: 'eve', why: 'to sail' });
	await h.carryOut('policy.set', { pool: 'quay', headroomIn: 4 });
	await h.carryOut('people.put', {
		people: [{ login: 'fay', name: 'Fay Buoy', site: 'isle', team: 'harbour', begins: '2026-11-23' }]
	});
	// For whom it is kept holds nothing that it asks for: nothing is made.
	await h.carryOut('pool.keep-for', { pool: 'own', team: 'visitors', publication: 'boat' });
	await h.carryOut('branch.add', { name: 'Offices' });
	await h.carryOut('rules.set', { rules: [{ name: 'All', condition: 'any device', into: 'offices' }] });
	await h.carryOut('endpoint.announce', { site: 'isle', from: '2026-11-23', serials: ['TB-7'] });
	takeEndpoint(
		h.db,
		{
			kind: 'endpoint',
			battery: false,
			seq: 0,
			at: h.lab.now,
			serial: 'TB-1',
			name: 'box-1',
			device: 'desk box',
			model: 'Tern 5',
			hardware: '52:54:00:00:00:01',
			firmware: '4.1.9',
			key: 'a1b2c3d4',
			address: '10.1.4.9',
			person: 'anna',
			event: 'started'
		},
		{ machine: () => undefined, person: (login) => recordOf(h.db, login, h.lab.now)?.id }
	);
	const endpoint_id = one<{ id: number }>(h.db, 'SELECT id FROM endpoints')!.id;
	openAt(
		h.db,
		'firmware_wishes',
		{ branch_id: 'offices', model: 'Tern 5', version: '4.2.0', bytes: 1e6, thin: 0, by: 'owner' },
		h.lab.now
	);
	const issued = { number: '40ab', ends: h.lab.now + 90 * DAY, pem: '', authority: '' };
	openAt(h.db, 'endpoint_certificates', { endpoint_id, ...issued }, h.lab.now);
	await h.carryOut('role.put', { name: 'Night desk', rights: { sessions: 'commit', estate: 'read' } });
	note(h.db, h.lab.now, {
		kind: 'sign-in',
		who: 'owner',
		role: 'owner',
		words: 'signed in',
		address: '::1',
		good: true
	});
	await h.carryOut('inner-gateway.put', { name: 'Quay gate', site: 'quay', address: 'gate.testbay.example:8443' });
	await h.carryOut('private-service.put', { name: 'Depot', group: 'Stores', hosts: ['10.1.0.9'], ports: ['5432'] });
	await h.carryOut('site-categories.bring', { text: 'name,category\nfilms.example,Films\n' });
	await h.carryOut('access-rules.change', {
		edits: [
			{ put: { id: 'depot', decide: 'allow', who: ['team/harbour'], what: ['service/depot', 'category/films'] } }
		],
		tests: [{ name: 'Harbour reaches the depot', who: 'team/harbour', what: 'service/depot', expect: 'allow' }]
	});
	const at = h.lab.now;
	takeActivity(
		h.db,
		{
			kind: 'activity',
			seq: 0,
			at,
			flows: [
				{
					person: 'anna',
					endpoint: null,
					machine: null,
					address: '10.1.4.9',
					target: { kind: 'service', name: 'depot' },
					way: 'device',
					rule: 'depot',
					effect: 'allow',
					through: true,
					asked: null,
					since: at - MINUTE,
					until: at,
					decisions: 4,
					down: 2000,
					up: 100
				}
			]
		},
		{ machine: () => undefined, person: (login) => recordOf(h.db, login, at)?.id }
	);
	await h.carryOut('settings.set', { name: 'Sleep', values: { 'lock.after': '5 min' }, assigned: ['everything'] });
	await h.carryOut('activity.look', { person: 'anna', why: 'they asked what shut the depot' });
	await h.carryOut('note.write', { about: 'pool/quay', text: 'Ask Bo first' });
	await h.carryOut('report.run', { report: 'unused-access' });
	insertRow(h.db, 'unusual_activity', {
		person_id: one<{ id: number }>(h.db, `SELECT id FROM people WHERE login = 'anna'`)!.id,
		hour: Math.floor(h.lab.now / HOUR) - 1,
		bits: 14.5,
		aspects: JSON.stringify([
			{
				aspect: 'hour',
				bits: 9,
				words: 'at 02:00 in their zone. Before, on none of 12 days; of their peers’, on none'
			},
			{
				aspect: 'place',
				bits: 11,
				words: 'from outside of all sites. Before, on none of 12 days; of their peers’, on none'
			}
		]),
		found_at: h.lab.now
	});
	h.lab.apply({ kind: 'fault', fault: 'agent-stopped', target: 'quay-01', value: null });
	h.lab.apply({ kind: 'fault', fault: 'volume-full', target: 'isle-v1', value: 0.96 });
	await h.live(7 * MINUTE);
	return h;
}
