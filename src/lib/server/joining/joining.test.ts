import { sectionOf } from '$lib/core/why/card';
import { beforeEach, describe, expect, test } from 'vitest';
import { DAY, MINUTE } from '$lib/core/time/units';
import { parseScope } from '$lib/core/scope/scope';
import { cardOf } from '../house/cards';
import { changesBefore } from '../changes';
import { all, one } from '../db';
import { draftUndo } from '../plans';
import { beginning } from '$lib/core/estate/schema';
import { addReef, answerReef, REEF, REEF_ADDRESS } from '../testing/estates';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { needsAt } from '../house/needs';
import { blocksAt, checksAt, providerAt, readCertificate } from '../network';
import { beginJoining, checkJoining, endJoining, joiningOf, joiningsAt, saveAnswer } from './joinings';
import { vaultOf } from '../vault';

const ADDRESS = REEF_ADDRESS;
const PARTICULARS = REEF;

/** Quay and isle, and a reef that is still to be joined up. */
const estate = (change: Parameters<typeof addReef>[1] = () => {}) =>
	testEstate('e2e/small.yaml', (e) => addReef(e, change));

let h: Harness;
let id: number;
const begin = async (of = estate()) => {
	h = await Harness.of(of);
	await h.live(6 * MINUTE, MINUTE);
	id = beginJoining(h.ctx, 'Chidi', null);
};
const save = (step: string, input: unknown) => saveAnswer(h.ctx, id, step, input, 'Chidi');
const refused = (field: string, words: RegExp) => ({
	problems: [{ field, words: expect.stringMatching(words) as string }]
});
const fingerprint = async () => (await joiningOf(h.ctx, id)).certificate!.fingerprint;

const answerAll = () => answerReef(h.ctx, id);

describe('joining up a site', () => {
	beforeEach(() => begin());

	test('question by question, each kept, until a plan makes the site', async () => {
		expect((await joiningOf(h.ctx, id)).next).toBe('address');
		expect((await save('address', { address: ADDRESS })).next).toBe('certificate');
		const seen = (await joiningOf(h.ctx, id)).certificate!;
		expect(seen).toMatchObject({
			subject: `CN=compute.reef.testbay.example, O=Test Bay`,
			issuer: expect.stringMatching(/Local authority/) as string,
			names: ['compute.reef.testbay.example', 'reef-compute'],
			standing: { value: 'to confirm' }
		});
		expect(seen.fingerprint).toMatch(/^([0-9A-F]{2}:){31}[0-9A-F]{2}$/);
		expect((await save('certificate', { fingerprint: seen.fingerprint })).next).toBe('account');
		const told = await save('account', { account: 'sextant', secret: 'tideline' });
		expect(told.account!.offer).toMatchObject({
			site: 'reef',
			hosts: [{ name: 'reef-h1', cores: 32 }],
			volumes: [{ id: 'reef-v1' }],
			networks: [{ id: 'reef-desks' }],
			links: [{ to: 'quay', mbit: 200 }]
		});
		expect((await save('particulars', PARTICULARS)).next).toBe('directory');
		expect((await save('directory', { folder: 'desks/isle', account: 'svc-join', secret: 'tideline' })).next).toBe(
			'prices'
		);
		expect((await save('prices', { hostHour: 1.5, volumeMonth: 30 })).next).toBeNull();
		expect(joiningsAt(h.db, h.lab.now)).toMatchObject([{ id, by: 'Chidi', words: 'Reef' }]);

		expect((await checkJoining(h.ctx, id)).filter((c) => !c.ok)).toEqual([]);
		const plan = await h.draft('site.join', { joining: id });
		expect(plan.blocks).toEqual([]);
		// One host at 1.50 an hour for 730 hours, 6 TB at 30.
		expect(plan.effects.cost).toEqual({ before: 0, after: 100 * (1.5 * 730 + 6 * 30) });
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect(one(h.db, `SELECT name, kind FROM sites WHERE id = 'reef'`)).toEqual({ name: 'Reef', kind: 'office' });
		expect(checksAt(h.db, 'reef', h.lab.now)).toHaveLength(8);
		expect(blocksAt(h.db, ['reef'], 'accounts', h.lab.now)).toEqual([]);
		expect(joiningsAt(h.db, h.lab.now)).toEqual([]);
		// The link is thick: what is released stands there, and a pool can be made at once.
		const pool = await h.draft('pool.create', {
			name: 'Reef desks',
			site: 'reef',
			line: 'desk',
			version: '1.0.0',
			cores: 2,
			memory: 8e9,
			disk: 40e9,
			count: 2,
			naming: 'reef-##',
			folder: 'desks/isle',
			network: 'reef-desks'
		});
		expect(pool.blocks).toEqual([]);
		expect((await h.finish(await h.commit(pool.id))).state).toBe('done');
		expect(all(h.db, `SELECT 1 FROM machines WHERE site_id = 'reef'`)).toHaveLength(2);
		await h.live(3 * MINUTE, MINUTE);
		expect(
			one<{ n: number }>(
				h.db,
				`SELECT count(*) AS n FROM host_samples_1m s JOIN hosts o ON o.id = s.host_id WHERE o.name = 'reef-h1'`
			)!.n
		).toBeGreaterThan(0);
	});

	test('no secret stands readable in the database, or is given out', async () => {
		await answerAll();
		const plan = await h.draft('site.join', { joining: id });
		await h.finish(await h.commit(plan.id));
		const tables = all<{ name: string }>(h.db, `SELECT name FROM sqlite_master WHERE type = 'table'`);
		for (const { name } of tables)
			expect(JSON.stringify(all(h.db, `SELECT * FROM ${name}`)), name).not.toContain('tideline');
		expect(JSON.stringify(await joiningOf(h.ctx, id))).not.toMatch(/tideline|secret/);
		expect(providerAt(h.db, h.ctx.vault, 'reef', h.lab.now)).toMatchObject({
			secret: 'tideline',
			joinSecret: 'tideline'
		});
		expect(providerAt(h.db, vaultOf(Buffer.alloc(32, 9)), 'reef', h.lab.now)).toMatchObject({
			secret: null,
			joinSecret: null
		});
	});

	test('is undone as long as no pool stands there', async () => {
		await answerAll();
		await h.carryOut('site.join', { joining: id });
		const undo = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
		expect((await h.finish(await h.commit(undo.id))).state).toBe('done');
		expect(all(h.db, `SELECT id FROM sites ORDER BY id`)).toEqual([{ id: 'isle' }, { id: 'quay' }]);
		expect((await h.draft('site.leave', { site: 'isle' })).blocks.map((b) => b.words).join()).toMatch(
			/pool .* stands there/
		);
		await expect(h.draft('site.leave', { site: 'reef' })).rejects.toMatchObject(refused('site', /no site called reef/));
	});

	test('is let go with its networks of endpoints, once none is announced for it', async () => {
		await answerAll();
		await h.carryOut('site.join', { joining: id });
		await h.carryOut('endpoint.networks', { site: 'reef', ranges: ['10.3.4.0/24'] });
		await h.carryOut('endpoint.announce', { site: 'reef', from: '2026-11-23', serials: ['RF-1'] });
		expect((await h.draft('site.leave', { site: 'reef' })).blocks.map((b) => b.words)).toEqual([
			'1 endpoint is announced for it: take them from the list first'
		]);
		await h.live(MINUTE);
		await h.carryOut('endpoint.withdraw', { serials: ['RF-1'] });
		const gate = { name: 'Reef gate', site: 'reef', address: 'gate.testbay.example:8443' };
		await h.carryOut('inner-gateway.put', gate);
		await h.carryOut('site.holidays', { site: 'reef', add: '2026-12-24 Christmas Eve' });
		expect((await h.draft('site.leave', { site: 'reef' })).blocks.map((b) => b.words)).toEqual([
			'inner gateway Reef gate stands there: remove it, or say where it is now'
		]);
		await h.live(MINUTE);
		await h.carryOut('inner-gateway.put', { ...gate, id: 'reef-gate', site: 'quay' });
		expect((await h.carryOut('site.leave', { site: 'reef' })).state).toBe('done');
		expect(all(h.db, `SELECT * FROM site_holidays`)).toEqual([]);
		expect(all(h.db, `SELECT range FROM endpoint_ranges WHERE site_id = 'reef'`)).toEqual([]);
	});

	test('an address that answers nothing is said beside it, and nothing is kept', async () => {
		await expect(save('address', { address: 'reef' })).rejects.toMatchObject(refused('address', /host and a port/));
		await expect(save('address', { address: 'nowhere.example:8443' })).rejects.toMatchObject(
			refused('address', /nowhere\.example does not resolve/)
		);
		await expect(save('address', { address: 'compute.reef.testbay.example:22' })).rejects.toMatchObject(
			refused('address', /Nothing answers at .*:22/)
		);
		expect((await joiningOf(h.ctx, id)).address).toBeNull();
	});

	test('a certificate for another name cannot be confirmed', async () => {
		await save('address', { address: '10.3.0.5:8443' });
		const seen = (await joiningOf(h.ctx, id)).certificate!;
		expect(seen.standing.value).toBe('refused');
		await expect(save('certificate', { fingerprint: seen.fingerprint })).rejects.toMatchObject(
			refused('fingerprint', /not for 10\.3\.0\.5/)
		);
		await expect(save('account', { account: 'sextant', secret: 'tideline' })).rejects.toMatchObject(
			refused('form', /certificate/)
		);
	});

	test('another fingerprint than that of the provider confirms nothing', async () => {
		await save('address', { address: ADDRESS });
		await expect(save('certificate', { fingerprint: 'AA:BB' })).rejects.toMatchObject(
			refused('fingerprint', /another certificate/)
		);
		expect((await joiningOf(h.ctx, id)).next).toBe('certificate');
	});

	test('an address that only the server resolves is a finding, and blocks the plan', async () => {
		await answerAll();
		await save('address', { address: 'reef-compute:8443' });
		expect((await joiningOf(h.ctx, id)).next).toBe('certificate');
		await save('certificate', { fingerprint: await fingerprint() });
		await save('account', { account: 'sextant', secret: 'tideline' });
		const provider = (await checkJoining(h.ctx, id)).find((c) => c.name === 'provider')!;
		expect(provider.saw).toBe('reef-compute is 10.3.0.5 for Sextant itself, but nothing for machines at Reef');
		const plan = await h.draft('site.join', { joining: id });
		expect(plan.blocks.map((b) => b.words).join()).toContain(provider.saw);
		await expect(h.commit(plan.id)).rejects.toThrow();
	});

	test('an account that is not taken, and a site that is joined already, are said beside it', async () => {
		await save('address', { address: ADDRESS });
		await save('certificate', { fingerprint: await fingerprint() });
		await expect(save('account', { account: 'sextant', secret: 'no' })).rejects.toMatchObject(
			refused('account', /does not take the account sextant/)
		);
		await expect(save('account', { account: '', secret: 'x' })).rejects.toMatchObject(
			refused('account', /Write the account/)
		);
		await save('address', { address: 'compute.isle.testbay.example:8443' });
		expect((await joiningOf(h.ctx, id)).next).toBe('account');
		await expect(save('account', { account: 'sextant', secret: 'tideline' })).rejects.toMatchObject(
			refused('account', /isle, which is joined up already/)
		);
	});

	test.each([
		[{ name: ' ' }, 'name', /Give the site a name/],
		[{ name: 'Isle' }, 'name', /with this name already/],
		[{ timeZone: 'Mars/Olympus' }, 'timeZone', /such as Europe\/Oslo/],
		[{ networks: [] }, 'networks', /at least one/],
		[{ networks: ['sea'] }, 'networks', /no network called sea/],
		[{ link: { to: 'quay', mbit: 0, latency_ms: 1, loss: 0 } }, 'link.mbit', /no speed carries nothing/],
		[{ link: { to: 'moon', mbit: 1, latency_ms: 1, loss: 0 } }, 'link.to', /no site called moon/],
		[{ link: { to: 'quay', mbit: 1, latency_ms: 1, loss: 1 } }, 'link.loss', /At most 95/],
		[{ planned: 1.5 }, 'planned', /whole number/],
		[{ kind: 'cave' }, 'kind', /office, ship or rented/]
	])('a site with %j is refused beside %s', async (change, field, words) => {
		await save('address', { address: ADDRESS });
		await save('certificate', { fingerprint: await fingerprint() });
		await save('account', { account: 'sextant', secret: 'tideline' });
		await expect(save('particulars', { ...PARTICULARS, ...change })).rejects.toMatchObject(refused(field, words));
		expect((await joiningOf(h.ctx, id)).particulars).toBeNull();
	});

	test('a folder that is not there, or where nothing may be made, is said beside it', async () => {
		await answerAll();
		const directory = (folder: string, secret = 'tideline') =>
			save('directory', { folder, account: 'svc-join', secret });
		await expect(directory('desks/moon')).rejects.toMatchObject(refused('folder', /no folder desks\/moon/));
		await expect(directory('desks/quay', 'no')).rejects.toMatchObject(refused('account', /does not take the account/));
		h.lab.apply({ kind: 'fault', fault: 'join-refused', target: 'desks/quay', value: null });
		await expect(directory('desks/quay')).rejects.toMatchObject(refused('folder', /may not create computer accounts/));
		expect((await joiningOf(h.ctx, id)).directory).toEqual({ folder: 'desks/isle', account: 'svc-join' });
	});

	test('questions are answered in order; one given up takes no answer and makes no plan', async () => {
		await expect(save('particulars', PARTICULARS)).rejects.toMatchObject(refused('form', /before first: address/));
		await expect(save('weather', {})).rejects.toThrow(/question called weather/);
		await expect(h.draft('site.join', { joining: id })).rejects.toMatchObject(
			refused('joining', /still open: address/)
		);
		endJoining(h.db, id, 'given up', h.lab.now);
		await expect(save('address', { address: ADDRESS })).rejects.toThrow(/under way/);
		expect(() => endJoining(h.db, id, 'given up', h.lab.now)).toThrow(/under way/);
		await expect(h.draft('site.join', { joining: id })).rejects.toMatchObject(refused('joining', /over: given up/));
		await expect(joiningOf(h.ctx, 99)).rejects.toThrow(/joining 99/);
	});

	test('a network that is named twice counts once', async () => {
		await answerAll();
		const { particulars } = await save('particulars', {
			...PARTICULARS,
			networks: ['reef-desks', 'reef-desks'],
			planned: 40
		});
		expect(particulars!.networks).toEqual(['reef-desks']);
		const addresses = (await checkJoining(h.ctx, id)).find((c) => c.name === 'addresses')!;
		expect(addresses).toMatchObject({ ok: false, saw: '31 addresses free, 40 machines still planned' });
		// Too few addresses are known beforehand, and hold nobody up: plans for machines count for themselves.
		const plan = await h.draft('site.join', { joining: id });
		expect(plan.blocks).toEqual([]);
		expect(plan.warnings.map((w) => w.words).join()).toContain('31 addresses free');
	});

	test('answers of two people to two questions at once are both kept', async () => {
		await answerAll();
		await Promise.all([
			save('prices', { hostHour: 9, volumeMonth: 9 }),
			save('directory', { folder: 'desks/quay', account: 'svc-join', secret: 'tideline' }),
			save('particulars', { ...PARTICULARS, planned: 3 })
		]);
		expect(await joiningOf(h.ctx, id)).toMatchObject({
			prices: { hostHour: 9 },
			directory: { folder: 'desks/quay' },
			particulars: { planned: 3 }
		});
	});

	test('another address opens the account again, the same one keeps it', async () => {
		await answerAll();
		expect((await save('address', { address: ADDRESS })).account).not.toBeNull();
		expect((await save('address', { address: 'reef-compute:8443' })).account).toBeNull();
		expect((await joiningOf(h.ctx, id)).particulars).toMatchObject({ name: 'Reef' });
	});

	test('of a thin link takes no version by itself', async () => {
		await answerAll();
		await save('particulars', { ...PARTICULARS, link: { ...PARTICULARS.link, mbit: 12 } });
		const plan = await h.draft('site.join', { joining: id });
		expect(plan.steps.map((s) => s.kind)).toEqual(['site.write', 'site.check']);
		expect(plan.reasons.map((r) => r.words)).toContain('versions come there by shipment: its link is thin');
	});
});

test('an expired certificate cannot be confirmed, and fails the check of a site that is joined', async () => {
	const expired = testEstate('e2e/small.yaml');
	expired.sites[1]!.provider.until = expired.lab.opens - DAY;
	h = await Harness.of(expired);
	await h.live(6 * MINUTE, MINUTE);
	expect(checksAt(h.db, 'isle', h.lab.now).find((c) => c.name === 'certificate')).toMatchObject({
		ok: false,
		saw: expect.stringMatching(/expired .* ago/) as string
	});
	await begin(estate((reef) => (reef.provider.until = Date.UTC(2026, 0, 1))));
	await save('address', { address: ADDRESS });
	await expect(save('certificate', { fingerprint: await fingerprint() })).rejects.toMatchObject(
		refused('fingerprint', /expired/)
	);
});

test('certificates are real, and the same in every run', async () => {
	h = await Harness.of(estate());
	const { sites } = h.ctx.providers;
	const [pem] = await sites.authorities();
	expect(readCertificate(pem!)).toMatchObject({
		subject: 'CN=Root authority, O=Test Bay',
		issuer: 'CN=Root authority, O=Test Bay'
	});
	const again = (await Harness.of(estate())).ctx.providers.sites;
	expect(await again.certificate('compute.isle.testbay.example:8443')).toBe(
		await sites.certificate('compute.isle.testbay.example:8443')
	);
	expect(await sites.certificate('compute.isle.testbay.example:8443')).not.toBe(
		await sites.certificate('compute.quay.testbay.example:8443')
	);
});

describe('the checks that run for ever', () => {
	beforeEach(async () => {
		h = await Harness.of();
		await h.live(6 * MINUTE, MINUTE);
	});
	const failing = (site: string) =>
		checksAt(h.db, site, h.lab.now)
			.filter((c) => c.ok === false)
			.map((c) => c.name);
	const grow = async () => (await h.draft('pool.grow', { pool: 'isle', count: 1 })).blocks.map((b) => b.words);

	test('pass at every site of an estate that is in order', () => {
		expect(failing('quay')).toEqual([]);
		expect(failing('isle')).toEqual([]);
	});

	test.each([
		['provider-silent', 'isle', 'provider', /out of reach \(nothing answers at compute\.isle/],
		['directory-silent', 'isle', 'directory', /does not answer there \(nothing answers at directory\.isle/],
		['names-wrong', 'isle', 'names', /names do not resolve there/],
		['clock-off', 'isle', 'clock', /its clock is off \(the provider at Isle is (7 min|6 min 59 s) ahead\)/],
		['join-refused', 'desks/isle', 'accounts', /may not create computer accounts in desks\/isle/]
	] as const)(
		'%s is found, blocks what needs it with the reason, and passes again afterwards',
		async (kind, target, name, words) => {
			expect(await grow()).toEqual([]);
			const began = h.lab.now;
			const fault = h.lab.apply({ kind: 'fault', fault: kind, target, value: null }) as number;
			await h.live(6 * MINUTE, MINUTE);
			expect(failing('isle')).toContain(name);
			expect((await grow()).join()).toMatch(words);
			const need = needsAt(h.db, parseScope('site:isle').scope, h.lab.now).needs.find((n) => n.card === 'site/isle')!;
			expect(need.facts.length).toBeGreaterThan(1);
			const card = (await cardOf(h.ctx, 'site', 'isle', { at: h.lab.now, live: true }))!;
			expect(sectionOf(card, 'checks')!.checks.find((c) => c.ok === false)!.since).toBeGreaterThanOrEqual(began);
			// As of before, nothing was wrong.
			expect(checksAt(h.db, 'isle', began).filter((c) => c.ok === false)).toEqual([]);
			h.lab.apply({ kind: 'clear fault', id: fault });
			await h.live(6 * MINUTE, MINUTE);
			expect(failing('isle')).toEqual([]);
			expect(await grow()).toEqual([]);
			expect(needsAt(h.db, parseScope('').scope, h.lab.now).needs.some((n) => n.card === 'site/isle')).toBe(false);
		}
	);

	test('a reset and a shipment are blocked by a silent provider, too', async () => {
		h.lab.apply({ kind: 'fault', fault: 'provider-silent', target: 'isle', value: null });
		await h.live(6 * MINUTE, MINUTE);
		expect((await h.draft('machines.reset', { pool: 'isle' })).blocks.map((b) => b.words).join()).toMatch(
			/out of reach/
		);
		const ship = await h.draft('image.ship', {
			line: 'desk',
			number: '1.1.0',
			sites: ['isle'],
			from: '00:00',
			until: '00:00',
			share: 100,
			nights: 5
		});
		expect(ship.blocks.map((b) => b.words).join()).toMatch(/out of reach/);
		expect((await h.draft('machines.reset', { pool: 'quay' })).blocks).toEqual([]);
	});

	test('a provider whose certificate is not trusted is shown no secret', async () => {
		const expired = testEstate('e2e/small.yaml');
		expired.sites[1]!.provider.until = beginning(expired) + 5 * MINUTE;
		h = await Harness.of(expired);
		const shown: string[] = [];
		const { sites } = h.ctx.providers;
		const offer = sites.offer.bind(sites);
		sites.offer = (address, account, secret) => {
			shown.push(address);
			return offer(address, account, secret);
		};
		await h.live(4 * MINUTE, MINUTE);
		await h.live(2 * MINUTE, MINUTE);
		shown.length = 0;
		await h.live(20 * MINUTE, MINUTE);
		expect(failing('isle')).toEqual(['certificate']);
		expect(new Set(shown)).toEqual(new Set(['compute.quay.testbay.example:8443']));
	});

	test('a link that is down takes the site out of reach', async () => {
		h.lab.apply({ kind: 'fault', fault: 'link-down', target: 'quay/isle', value: null });
		await h.live(6 * MINUTE, MINUTE);
		expect(failing('isle')).toContain('certificate');
		expect(failing('quay')).toEqual([]);
	});

	test('answers can be renewed, and take the place of those before', async () => {
		const renewal = beginJoining(h.ctx, 'Chidi', 'isle');
		expect(beginJoining(h.ctx, 'Chidi', 'isle')).toBe(renewal);
		expect(() => beginJoining(h.ctx, 'Chidi', 'moon')).toThrow(/no site called moon/);
		const answer = (step: string, input: unknown) => saveAnswer(h.ctx, renewal, step, input, 'Chidi');
		expect((await joiningOf(h.ctx, renewal)).address).toBe('compute.isle.testbay.example:8443');
		await answer('address', { address: 'compute.quay.testbay.example:8443' });
		await expect(answer('account', { account: 'sextant', secret: 'tideline' })).rejects.toMatchObject(
			refused('account', /This is quay, not isle/)
		);
		await answer('address', { address: 'compute.isle.testbay.example:8443' });
		await answer('account', { account: 'sextant', secret: 'tideline' });
		await expect(answer('prices', { hostHour: 1, volumeMonth: 1 })).rejects.toThrow(/question called prices/);
		await answer('directory', { folder: 'desks/quay', account: 'svc-join', secret: 'tideline' });
		await expect(h.draft('site.join', { joining: renewal })).rejects.toMatchObject(
			refused('joining', /renew it instead/)
		);
		const before = h.lab.now;
		expect((await h.carryOut('site.renew', { joining: renewal })).state).toBe('done');
		expect(providerAt(h.db, h.ctx.vault, 'isle', h.lab.now)!.folder).toBe('desks/quay');
		expect(providerAt(h.db, h.ctx.vault, 'isle', before)!.folder).toBe('desks/isle');
	});
});
