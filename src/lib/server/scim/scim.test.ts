import { beforeAll, describe, expect, test } from 'vitest';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { ENTERPRISE, GROUP, OWN, PATCH, SCHEMAS, USER } from '$lib/core/people/scim';
import { EVERYTHING } from '$lib/core/scope/scope';
import type { Role } from '$lib/core/access/rights';
import { all } from '../db';
import { everybody, personCalled, recordOf, teamsAbove } from '../directory';
import { needsAt } from '../house/needs';
import { recordOf as toldOf } from '../simulator/directory';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { asRole } from '../identity/caller';
import { answerScim } from './answer';

let h: Harness;
beforeAll(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
});

interface Answered {
	status: number;
	body: Record<string, unknown>;
	headers: Headers;
}
async function ask(
	method: string,
	path: string,
	body?: unknown,
	headers: Record<string, string> = {},
	role: Role | null = 'directory'
): Promise<Answered> {
	const url = new URL(`https://s.example/scim/v2${path}`);
	const request = new Request(url, {
		method,
		headers,
		...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) })
	});
	const response = await answerScim({
		ctx: h.ctx,
		url,
		request,
		caller: role && {
			kind: 'token',
			id: 1,
			name: 'token hr',
			login: 'hr',
			...asRole(role),
			factor: false,
			signIn: null
		}
	});
	const text = await response.text();
	return {
		status: response.status,
		body: (text === '' ? {} : JSON.parse(text)) as Answered['body'],
		headers: response.headers
	};
}
const user = (userName: string, more: object = {}) => ({
	schemas: [USER],
	userName,
	displayName: `${userName} Person`,
	...more
});
const made = async (userName: string, more: object = {}) => {
	const { status, body } = await ask('POST', '/Users', user(userName, more));
	expect(status, JSON.stringify(body)).toBe(201);
	return String(body.id);
};
const group = async (displayName: string, ...members: object[]) => {
	const { status, body } = await ask('POST', '/Groups', { schemas: [GROUP], displayName, members });
	expect(status, JSON.stringify(body)).toBe(201);
	return String(body.id);
};
const patch = (path: string, ...Operations: object[]) => ask('PATCH', path, { schemas: [PATCH], Operations });
const changed = async (path: string, ...Operations: object[]) => {
	const answer = await patch(path, ...Operations);
	expect(answer.status, JSON.stringify(answer.body)).toBe(200);
	return answer;
};
const refusal = ({ status, body }: Answered) => [status, body.scimType ?? null, body.detail];
const names = ({ body }: Answered) =>
	(body.Resources as { userName?: string; displayName: string }[]).map((r) => r.userName ?? r.displayName);

describe('what the server is', () => {
	test('is told to whoever has a token of the right role alone', async () => {
		expect(refusal(await ask('GET', '/Users', undefined, {}, null))[0]).toBe(401);
		expect((await ask('GET', '/Users', undefined, {}, null)).headers.get('www-authenticate')).toBe('Bearer');
		expect(refusal(await ask('GET', '/Users', undefined, {}, 'helpdesk'))[0]).toBe(403);
		expect((await ask('GET', '/Users', undefined, {}, 'auditor')).status).toBe(200);
		expect(refusal(await ask('POST', '/Users', user('x'), {}, 'auditor'))[0]).toBe(403);
	});
	test('is described: what it can do, its kinds of resources, their schemas', async () => {
		expect((await ask('GET', '/ServiceProviderConfig')).body).toMatchObject({
			patch: { supported: true },
			filter: { supported: true },
			sort: { supported: true },
			etag: { supported: true },
			bulk: { supported: false }
		});
		expect((await ask('GET', '/ResourceTypes')).body).toMatchObject({ totalResults: 2 });
		expect((await ask('GET', '/ResourceTypes/User')).body).toMatchObject({ endpoint: '/Users', schema: USER });
		expect((await ask('GET', '/Schemas')).body).toMatchObject({ totalResults: SCHEMAS.length });
		expect((await ask('GET', `/Schemas/${ENTERPRISE}`)).body).toMatchObject({ name: 'EnterpriseUser' });
		expect((await ask('GET', '/Schemas/urn:moon')).status).toBe(404);
		expect((await ask('GET', '/Moon')).status).toBe(404);
		expect((await ask('PUT', '/Schemas', {})).status).toBe(405);
		expect((await ask('GET', '/Me')).status).toBe(501);
		expect((await ask('GET', '/Users')).headers.get('content-type')).toBe('application/scim+json');
	});
});

describe('a user', () => {
	let id = '';
	test('is made, read, and lives by what was told', async () => {
		const { status, body, headers } = await ask('POST', '/Users', {
			schemas: [USER, ENTERPRISE, OWN],
			userName: 'Fay.Buoy@bay.example',
			externalId: 'ext-7',
			name: { givenName: 'Fay', familyName: 'Buoy' },
			emails: [{ value: 'other@bay.example' }, { value: 'fay@bay.example', primary: true }],
			userType: 'contractor',
			preferredLanguage: 'nb',
			title: 'Pilot',
			[ENTERPRISE]: {
				department: 'Harbour',
				manager: { value: String(recordOf(h.db, 'anna', h.lab.now)!.id) },
				costCenter: '7'
			},
			[OWN]: { site: 'Isle' }
		});
		expect([status, body]).toMatchObject([
			201,
			{
				userName: 'fay.buoy@bay.example',
				displayName: 'Fay Buoy',
				active: true,
				timezone: 'America/Halifax',
				emails: [{ value: 'fay@bay.example' }],
				groups: [{ value: 'harbour', display: 'Harbour' }],
				[ENTERPRISE]: { department: 'Harbour', manager: { displayName: 'Anna Quill' } },
				[OWN]: { site: 'isle' }
			}
		]);
		id = String(body.id);
		expect(headers.get('location')).toBe(`https://s.example/scim/v2/Users/${id}`);
		expect(personCalled(h.db, 'fay.buoy@bay.example', h.lab.now)).toMatchObject({ team: 'harbour', site: 'isle' });
		await h.live(2 * MINUTE);
		expect(h.lab.world.people.get('fay.buoy@bay.example')).toMatchObject({
			kept: true,
			teams: ['harbour', 'everybody']
		});
	});
	test('is found by filters, sorted and paged, and shown in part', async () => {
		await made('gus', { userType: 'contractor' });
		await made('hal');
		expect(names(await ask('GET', `/Users?filter=${encodeURIComponent('userName eq "GUS"')}`))).toEqual(['gus']);
		expect(names(await ask('GET', `/Users?filter=${encodeURIComponent('externalId eq "ext-7"')}`))).toEqual([
			'fay.buoy@bay.example'
		]);
		const filter = 'usertype EQ "contractor" and not (userName sw "g")';
		expect(names(await ask('GET', `/Users?filter=${encodeURIComponent(filter)}`))).toEqual(['fay.buoy@bay.example']);
		expect(
			names(
				await ask('GET', `/Users?filter=${encodeURIComponent('emails[value ew "@bay.example" and primary eq true]')}`)
			)
		).toEqual(['fay.buoy@bay.example']);
		expect(
			names(
				await ask(
					'GET',
					`/Users?filter=${encodeURIComponent(`${ENTERPRISE}:department eq "harbour" and userName co "@"`)}`
				)
			)
		).toEqual(['fay.buoy@bay.example']);
		const { body } = await ask(
			'GET',
			'/Users?startIndex=2&count=3&sortBy=userName&sortOrder=descending&attributes=userName'
		);
		expect(body).toMatchObject({ totalResults: 8, startIndex: 2, itemsPerPage: 3 });
		expect((body.Resources as object[]).map((r) => Object.keys(r).sort().join())).toEqual(
			Array(3).fill('id,meta,schemas,userName')
		);
		expect(names(await ask('GET', '/Users?count=0'))).toEqual([]);
		const search = {
			schemas: ['urn:ietf:params:scim:api:messages:2.0:SearchRequest'],
			filter: 'userName eq "hal"',
			attributes: ['userName']
		};
		expect(names(await ask('POST', '/Users/.search', search))).toEqual(['hal']);
		expect((await ask('GET', `/Users/${id}?excludedAttributes=groups,emails`)).body).not.toHaveProperty('groups');
	});
	test.each([
		['userName eq', 'invalidFilter'],
		['moon eq "x"', 'invalidFilter'],
		['(((((', 'invalidFilter'],
		[Array.from({ length: 60 }, () => 'active pr').join(' or '), 'invalidFilter'],
		['x'.repeat(3000), 'invalidFilter']
	])('asked for by the filter %.20s is refused', async (filter, kind) => {
		expect(refusal(await ask('GET', `/Users?filter=${encodeURIComponent(filter)}`)).slice(0, 2)).toEqual([400, kind]);
	});
	test('is changed by operations: attributes, extensions, values of a list; and back again', async () => {
		await changed(
			`/Users/${id}`,
			{ op: 'Replace', path: 'displayName', value: 'Fay Buoyant' },
			{ op: 'add', value: { preferredlanguage: 'fr', [`${ENTERPRISE}:department`]: 'Visitors' } },
			{ op: 'replace', path: 'emails[primary eq true].value', value: 'new@bay.example' },
			{ op: 'remove', path: `${ENTERPRISE}:manager` }
		);
		expect(recordOf(h.db, 'fay.buoy@bay.example', h.lab.now)).toMatchObject({
			name: 'Fay Buoyant',
			language: 'fr',
			mail: 'new@bay.example',
			manager: null,
			memberOf: ['visitors'],
			site: 'isle'
		});
		const renamed = await changed(`/Users/${id}`, { op: 'replace', path: 'userName', value: 'fay' });
		expect(renamed.body).toMatchObject({ id, userName: 'fay' });
	});
	test('is made inactive, and there again; taken out, it is no longer shown, and comes back as the same', async () => {
		expect((await patch(`/Users/${id}`, { op: 'replace', path: 'active', value: false })).body.active).toBe(false);
		expect(everybody(h.db, h.lab.now).some((p) => p.login === 'fay')).toBe(false);
		expect((await patch(`/Users/${id}`, { op: 'replace', value: { active: 'True' } })).body.active).toBe(true);
		expect(everybody(h.db, h.lab.now).find((p) => p.login === 'fay')).toMatchObject({ team: 'visitors' });
		expect((await ask('DELETE', `/Users/${id}`)).status).toBe(204);
		expect((await ask('GET', `/Users/${id}`)).status).toBe(404);
		expect(await made('fay')).toBe(id);
		expect(recordOf(h.db, 'fay', h.lab.now)!.ends).toBe(FOREVER);
	});
	test('that has changed since it was read is not written over', async () => {
		const read = await ask('GET', `/Users/${id}`);
		const etag = read.headers.get('etag')!;
		expect((read.body.meta as { version: string }).version).toBe(etag);
		expect((await ask('GET', `/Users/${id}`, undefined, { 'if-none-match': etag })).status).toBe(304);
		await changed(`/Users/${id}`, { op: 'replace', path: 'userType', value: 'employee' });
		await changed(`/Users/${id}`, { op: 'replace', path: 'userType', value: 'trainee' });
		expect((await ask('PUT', `/Users/${id}`, user('fay'), { 'if-match': etag })).status).toBe(412);
		expect((await ask('DELETE', `/Users/${id}`, undefined, { 'if-match': etag })).status).toBe(412);
		expect(recordOf(h.db, 'fay', h.lab.now)!.employment).toBe('trainee');
	});
	test.each<[string, object | string, number, string | null, RegExp]>([
		['no JSON', '{', 400, 'invalidSyntax', /no JSON/],
		['a list', [], 400, 'invalidSyntax', /no JSON object/],
		['an unknown attribute', user('zed', { shoeSize: 43 }), 400, 'invalidSyntax', /“shoeSize”/],
		['an unknown attribute of an extension', user('zed', { [ENTERPRISE]: { boat: 1 } }), 400, 'invalidSyntax', /boat/],
		['an unknown schema', user('zed', { schemas: ['urn:moon'] }), 400, 'invalidSyntax', /urn:moon/],
		['no login', { displayName: 'Zed' }, 400, 'invalidValue', /userName/],
		['a login that is none', user('z d'), 400, 'invalidValue', /“userName”/],
		['no name', { userName: 'zed' }, 400, 'invalidValue', /“displayName”/],
		['a login that is taken', user('ANNA'), 409, 'uniqueness', /anna already/],
		['a site that is none', user('zed', { [OWN]: { site: 'Moon' } }), 400, 'invalidValue', /“site”/],
		['a team that is none', user('zed', { [ENTERPRISE]: { department: 'Moon' } }), 400, 'invalidValue', /“department”/],
		[
			'a manager who is none',
			user('zed', { [ENTERPRISE]: { manager: { value: '999' } } }),
			400,
			'invalidValue',
			/manager/
		],
		['mail that is none', user('zed', { emails: [{ value: 'zed' }] }), 400, 'invalidValue', /“emails”/],
		['another type', user('zed', { active: 'maybe' }), 400, 'invalidValue', /true or false/],
		['a list of texts', user('zed', { emails: ['z@x.example'] }), 400, 'invalidValue', /list of objects/]
	])('with %s is refused, and nothing is saved', async (_, body, status, kind, says) => {
		const before = all(h.db, 'SELECT * FROM person_facts');
		const answer = await ask('POST', '/Users', body);
		expect(refusal(answer)).toEqual([status, kind, expect.stringMatching(says)]);
		expect(answer.body.schemas).toEqual(['urn:ietf:params:scim:api:messages:2.0:Error']);
		expect(all(h.db, 'SELECT * FROM person_facts')).toEqual(before);
	});
	test.each([
		[[{ op: 'move', path: 'userName' }], 'invalidSyntax'],
		[[{ op: 'replace', path: 'shoeSize', value: 1 }], 'invalidPath'],
		[[{ op: 'remove' }], 'noTarget'],
		[[{ op: 'replace', path: 'groups', value: [] }], 'mutability'],
		[[], 'invalidSyntax'],
		[Array.from({ length: 1001 }, () => ({ op: 'add', path: 'title', value: 'x' })), 'invalidSyntax']
	])('changed by operations that cannot be is refused: %.60j', async (operations, kind) => {
		expect(refusal(await patch(`/Users/${id}`, ...operations)).slice(0, 2)).toEqual([400, kind]);
	});
	test('whom others tell of is read, and not changed', async () => {
		const { id: anna } = recordOf(h.db, 'anna', h.lab.now)!;
		expect((await ask('GET', `/Users/${anna}`)).body).toMatchObject({ userName: 'anna' });
		for (const answer of [
			await ask('PUT', `/Users/${anna}`, user('anna')),
			await patch(`/Users/${anna}`, { op: 'replace', path: 'active', value: false }),
			await ask('DELETE', `/Users/${anna}`)
		])
			expect(refusal(answer)).toEqual([403, 'mutability', 'anna is kept by the directory: change it there.']);
	});
});

describe('a group', () => {
	test('has people and groups below it, and grants to what stands above reach them', async () => {
		const [a, b] = [await made('ida'), await made('jon')];
		const pilots = await group('Pilots', { value: a });
		const crews = await group('Crews', { value: pilots, type: 'Group' }, { value: b });
		expect((await ask('GET', `/Groups/${crews}`)).body).toMatchObject({
			members: [
				{ value: b, type: 'User', display: 'jon Person' },
				{ value: pilots, type: 'Group' }
			]
		});
		expect(teamsAbove(h.db, h.lab.now).get(pilots)!.sort()).toEqual([crews, pilots].sort());
		expect(personCalled(h.db, 'ida', h.lab.now)!.team).toBe('pilots');
		expect([...personCalled(h.db, 'ida', h.lab.now)!.teams].sort()).toEqual(['crews', 'pilots']);
		await changed(
			`/Groups/${crews}`,
			{ op: 'add', path: 'members', value: [{ value: a }] },
			{ op: 'remove', path: `members[value eq "${b}"]` }
		);
		expect(personCalled(h.db, 'ida', h.lab.now)!.memberOf).toEqual(['pilots', 'crews']);
		expect(personCalled(h.db, 'jon', h.lab.now)!.memberOf).toEqual([]);
		await changed(
			`/Groups/${pilots}`,
			{ op: 'replace', value: { displayName: 'Harbour Pilots' } },
			{ op: 'remove', path: 'members' }
		);
		expect(personCalled(h.db, 'ida', h.lab.now)).toMatchObject({ team: 'crews', memberOf: ['crews'] });
		expect(
			names(
				await ask(
					'GET',
					`/Groups?filter=${encodeURIComponent('displayName eq "harbour pilots"')}&excludedAttributes=members`
				)
			)
		).toEqual(['Harbour Pilots']);
		expect((await ask('DELETE', `/Groups/${crews}`)).status).toBe(204);
		expect((await ask('GET', `/Groups/${crews}`)).status).toBe(404);
		expect(personCalled(h.db, 'ida', h.lab.now)!.memberOf).toEqual([]);
	});
	test('never stands above itself, below two others, or with whom there is not', async () => {
		const one = await group('One');
		const two = await group('Two', { value: one, type: 'Group' });
		const three = await group('Three');
		expect(refusal(await patch(`/Groups/${one}`, { op: 'add', path: 'members', value: [{ value: two }] }))).toEqual([
			400,
			'invalidValue',
			'“members”: Two would stand above itself.'
		]);
		expect(refusal(await patch(`/Groups/${three}`, { op: 'add', path: 'members', value: [{ value: one }] }))).toEqual([
			400,
			'invalidValue',
			'“members”: One is a member of another group: a team stands below one other.'
		]);
		expect(
			refusal(await patch(`/Groups/${three}`, { op: 'add', path: 'members', value: [{ value: '999999' }] })).slice(0, 2)
		).toEqual([400, 'invalidValue']);
		expect(refusal(await ask('POST', '/Groups', { displayName: 'Harbour' })).slice(0, 2)).toEqual([409, 'uniqueness']);
		expect(refusal(await ask('POST', '/Groups', { displayName: ' ' })).slice(0, 2)).toEqual([400, 'invalidValue']);
		expect(refusal(await patch('/Groups/harbour', { op: 'remove', path: 'members' })).slice(0, 2)).toEqual([
			403,
			'mutability'
		]);
	});
	test('may have people whom the directory tells of, who stay in it whatever that tells', async () => {
		const { id } = recordOf(h.db, 'bo', h.lab.now)!;
		const choir = await group('Choir', { value: String(id) });
		const bo = h.lab.world.people.get('bo')!;
		h.lab.world.directoryChanges.push({ at: h.lab.now, kind: 'person', is: { ...toldOf(bo), memberOf: ['visitors'] } });
		await h.live(2 * MINUTE);
		expect(personCalled(h.db, 'bo', h.lab.now)!.memberOf).toEqual(['visitors', choir]);
	});
});

test('a program that takes more people out than may be is held, said on Today, and goes on an hour later', async () => {
	const own = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	h = own;
	const ids: string[] = [];
	for (let i = 0; i < 14; i++) ids.push(await made(`crowd${i}`, { [ENTERPRISE]: { department: 'harbour' } }));
	const remove = async (from: number, to: number) => {
		const answers: number[] = [];
		for (const id of ids.slice(from, to)) answers.push((await ask('DELETE', `/Users/${id}`)).status);
		return answers;
	};
	expect(await remove(0, 12)).toEqual([...Array<number>(10).fill(204), 403, 403]);
	expect(needsAt(own.db, EVERYTHING, own.lab.now).needs.some((n) => n.key === 'scim-held')).toBe(true);
	expect(recordOf(own.db, 'crowd10', own.lab.now)!.ends).toBe(FOREVER);
	await own.live(HOUR + MINUTE, 5 * MINUTE);
	expect(await remove(10, 12)).toEqual([204, 204]);
	expect(needsAt(own.db, EVERYTHING, own.lab.now + 2 * HOUR).needs.some((n) => n.key === 'scim-held')).toBe(false);
});
