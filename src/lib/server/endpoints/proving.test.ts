import { beforeEach, describe, expect, test } from 'vitest';
import { GOOD_FOR } from '$lib/core/endpoints/proof';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { matrixAt } from '../access/matrix';
import { testAccess } from '../access/circumstances';
import { all, one } from '../db';
import { changesBefore } from '../changes';
import { cardOf } from '../house/cards';
import { draftUndo } from '../plans';
import { publicationsAt } from '../publications';
import { withDesks } from '../testing/estates';
import { Harness, OWNER, QUIET, testEstate } from '../testing/harness';
import { endpointOf } from './queries';

/** Everybody of the Quay has a desk box but Cleo, and opens something only where a test says so. */
let h: Harness;
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			QUIET(e);
			withDesks(e);
		})
	);
	await h.live(MINUTE);
});

let asked = 0;
const opens = async (login: string) => {
	h.lab.apply({ kind: 'connect', login, publication: 'desk', secondFactor: true, key: `${login} ${++asked}` });
	await h.live(6 * MINUTE);
};
const lastConnection = () =>
	one<{ result: string; cause: string; endpoint: string | null }>(
		h.db,
		`SELECT c.result, c.cause, f.name AS endpoint FROM connections c LEFT JOIN endpoint_facts f ON f.endpoint_id = c.endpoint_id ORDER BY c.id DESC, f.since DESC LIMIT 1`
	)!;
const tested = (login: string, at = h.lab.now) =>
	testAccess(h.db, { login, publication: 'desk', at, address: null, managed: null, secondFactor: true })!;
const couldOpen = (at = h.lab.now) => {
	const m = matrixAt(h.db, at, publicationsAt(h.db, at));
	return m.now[m.teams.findIndex((t) => t.id === 'harbour') * m.publications.length + m.publications.indexOf('desk')];
};
const deviceOfPerson = (login: string) =>
	endpointOf(h.db, one<{ id: number }>(h.db, 'SELECT id FROM people WHERE login = ?', [login])!.id, h.lab.now)!;

describe('a sign-in', () => {
	test('knows the device that it was asked from, and what that proves', async () => {
		await opens('anna');
		expect(lastConnection()).toMatchObject({ result: 'open', endpoint: deviceOfPerson('anna').name });
		expect(tested('anna').request.device).toEqual({ name: deviceOfPerson('anna').name, certificate: 'good' });
		// Before it had called in there was nothing that it could prove.
		expect(tested('anna', h.lab.now - HOUR).request.device).toEqual({ name: null, certificate: 'none' });
		await opens('cleo');
		expect(lastConnection()).toMatchObject({ result: 'open', endpoint: null });
		expect(tested('cleo').request.device).toEqual({ name: null, certificate: 'none' });
		const session = one<{ id: number }>(h.db, 'SELECT min(id) AS id FROM sessions')!.id;
		const card = (await cardOf(h.ctx, 'session', String(session), { at: h.lab.now, live: true }))!;
		expect(card.rows).toContainEqual({
			name: 'endpoint',
			value: deviceOfPerson('anna').name,
			card: `endpoint/${deviceOfPerson('anna').id}`
		});
	});

	test('asks for a managed endpoint of what the device shows, not of what was ever said of its person', async () => {
		await h.carryOut('grant.change', { grant: 1, conditions: { managedEndpoint: true }, channels: [] });
		// The box has never called in: the very first time comes before its certificate.
		await opens('anna');
		expect(lastConnection().result).toBe('refused');
		await opens('anna');
		expect(lastConnection().result).toBe('open');
		expect(couldOpen()).toBe(1);
	});

	test('from a device whose certificate has ended is one from no managed device', async () => {
		await h.carryOut('grant.change', { grant: 1, conditions: { managedEndpoint: true }, channels: [] });
		await opens('bo');
		await opens('bo');
		expect(tested('bo').value.allowed).toBe(true);
		const late = h.lab.now + GOOD_FOR + DAY;
		expect(tested('bo', late)).toMatchObject({ value: { allowed: false, lack: { kind: 'managed' } } });
		expect(tested('bo', late).facts.map((f) => f.words)).toContain(
			`the certificate of ${deviceOfPerson('bo').name} has ended`
		);
	});
});

describe('a device that is shut out', () => {
	test('sets aside who is on it, lets nobody in, and everything says so alike', async () => {
		await opens('anna');
		await opens('bo');
		const e = deviceOfPerson('anna');
		const before = h.lab.now;
		expect(couldOpen()).toBe(4);
		const plan = await h.draft('endpoint.shut-out', { endpoints: [e.id], why: 'left in a taxi' });
		expect(plan.warnings.map((w) => w.words).join()).toMatch(
			/Anna Quill is on quay-\d+ from it, and would be set aside/
		);
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		await h.live(MINUTE);
		expect(
			all(
				h.db,
				`SELECT p.login, st.state FROM sessions s JOIN people p ON p.id = s.person_id JOIN session_states st ON st.session_id = s.id AND st.until > ${h.lab.now} ORDER BY 1`
			)
		).toEqual([
			{ login: 'anna', state: 'disconnected' },
			{ login: 'bo', state: 'active' }
		]);

		expect(tested('anna').value).toMatchObject({ allowed: false, lack: { kind: 'device' } });
		expect(tested('bo').value.allowed).toBe(true);
		expect(couldOpen()).toBe(3);
		expect((await cardOf(h.ctx, 'person', 'anna', { at: h.lab.now, live: true }))!.rows).toContainEqual({
			name: 'endpoint',
			value: `${e.name}, shut out`,
			card: `endpoint/${e.id}`
		});
		await opens('anna');
		expect(lastConnection().result).toBe('refused');
		expect((JSON.parse(lastConnection().cause) as { words: string }[]).map((f) => f.words)).toEqual(
			tested('anna')
				.facts.filter((f) => f.side === 'against')
				.map((f) => f.words)
		);
		// What was, was.
		expect(couldOpen(before)).toBe(4);
		expect(tested('anna', before).value.allowed).toBe(true);
	});

	test('is let in again with a new certificate, once it has been given one', async () => {
		await opens('anna');
		const e = deviceOfPerson('anna');
		await h.carryOut('endpoint.shut-out', { endpoints: [e.id], why: 'not found' });
		const undo = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
		expect((await h.finish(await h.commit(undo.id))).state).toBe('done');
		expect(tested('anna').value.allowed).toBe(false);
		h.lab.apply({ kind: 'switch on', endpoint: e.serial });
		await h.live(2 * MINUTE);
		expect(tested('anna').value.allowed).toBe(true);
		await opens('anna');
		expect(lastConnection().result).toBe('open');
	});
});
