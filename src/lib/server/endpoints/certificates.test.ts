import { execFileSync } from 'node:child_process';
import { X509Certificate } from 'node:crypto';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import { GOOD_FOR } from '$lib/core/endpoints/proof';
import { EVERYTHING } from '$lib/core/scope/scope';
import { DAY, MINUTE } from '$lib/core/time/units';
import { changesBefore } from '../changes';
import { cardOf } from '../house/cards';
import { needsAt } from '../house/needs';
import { putAt } from '../db/intervals';
import { draftUndo } from '../plans';
import { ProviderError } from '../providers';
import { requestOf } from '../simulator/device-keys';
import { letAllIn } from '../testing/estates';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { vaultOf } from '../vault';
import { authorityCertificate, readRequest, revocationList } from './authority';
import { certificatesOf, revokedAt } from './certificates';
import { endpointsIn } from './lists';

/** Three boxes that nobody has, and a rule that lets them in. */
let h: Harness;
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			e.sites[0]!.endpoint_ranges = ['10.1.4.0/24'];
			letAllIn(e, [{ id: 'new', site: 'quay', naming: 'new-##', serials: 'TB-', spare: 3 }]);
		})
	);
	await h.live(MINUTE);
});

const SERIALS = ['TB-1001', 'TB-1002', 'TB-1003'] as const;
const start = async (id: string) => {
	h.lab.apply({ kind: 'switch on', endpoint: id });
	await h.live(6 * MINUTE);
};
const items = () => endpointsIn(h.db, EVERYTHING, h.lab.now).items;
const own = (serial: string) => {
	const id = items().find((e) => e.serial === serial)?.id;
	return id === undefined ? [] : certificatesOf(h.db, id, h.lab.now).map((c) => ({ ...c, endpoint: id }));
};
const cardRow = async (id: number, name: string) =>
	(await cardOf(h.ctx, 'endpoint', String(id), { at: h.lab.now, live: true }))!.rows.find((r) => r.name === name)!
		.value;

describe('a device that stands in a branch', () => {
	test('is given a certificate of its own key, which the authority has signed, and keeps it', async () => {
		await start(SERIALS[0]);
		const [c] = own(SERIALS[0]);
		expect(c).toMatchObject({ state: 'good', revokedAt: null });
		const x = new X509Certificate(c!.pem);
		const authority = new X509Certificate((await authorityCertificate(h.ctx)).pem);
		expect(x.checkIssued(authority) && x.verify(authority.publicKey)).toBe(true);
		expect(x.subject).toBe(`CN=${SERIALS[0]}`);
		expect(x.serialNumber.toLowerCase()).toBe(c!.number);
		expect(Date.parse(x.validTo)).toBe(c!.ends);
		const request = (await readRequest(await requestOf(SERIALS[0], SERIALS[0])))!;
		expect(Buffer.from(request.spki).equals(x.publicKey.export({ format: 'der', type: 'spki' }))).toBe(true);
		expect(h.lab.world.endpoints.get(SERIALS[0])!.certificate).toEqual({ number: c!.number, ends: c!.ends });
		expect(await cardRow(c!.endpoint, 'certificate')).toMatch(/^good until \d+ Feb 2027, number [0-9a-f]{8}…$/);
		await start(SERIALS[0]);
		expect(own(SERIALS[0])).toHaveLength(1);
	});

	test('has it renewed once a third of its time is left, and the next when it starts after it has ended', async () => {
		await start(SERIALS[0]);
		const [first] = own(SERIALS[0]);
		h.lab.world.people.clear();
		await h.live(62 * DAY, DAY);
		await start(SERIALS[0]);
		expect(own(SERIALS[0]).map((c) => c.state)).toEqual(['good', 'renewed']);
		expect(own(SERIALS[0])[0]!.ends).toBeGreaterThan(first!.ends);
		await h.live(GOOD_FOR + DAY, DAY);
		expect(own(SERIALS[0])[0]!.state).toBe('ended');
		await start(SERIALS[0]);
		expect(own(SERIALS[0]).map((c) => c.state)).toEqual(['good', 'renewed', 'renewed']);
	});

	test.each([
		[
			'of another serial number',
			() => requestOf(SERIALS[0], 'TB-1'),
			/for the serial number TB-1, and it calls itself TB-1001/
		],
		['of another key', () => requestOf('another', SERIALS[0]), /for another key/],
		['that cannot be read', async () => 'x'.repeat(5000), /cannot be read/],
		[
			'that is far too long',
			async () => `${await requestOf(SERIALS[0], SERIALS[0])}${' '.repeat(9000)}`,
			/cannot be read/
		],
		[
			'whose signature is of something else',
			async () => {
				const pem = await requestOf(SERIALS[0], SERIALS[0]);
				const der = Buffer.from(pem.replace(/-----[^-]+-----/g, ''), 'base64');
				der[der.length - 1]! ^= 1;
				return `-----BEGIN CERTIFICATE REQUEST-----\n${der.toString('base64')}\n-----END CERTIFICATE REQUEST-----`;
			},
			/not signed by the key/
		]
	])('and asks with a request %s is given none, and waits until somebody has looked', async (_what, request, words) => {
		h.ctx.providers.endpoints.request = request;
		await start(SERIALS[0]);
		expect(own(SERIALS[0])).toEqual([]);
		const [e] = items();
		expect(e).toMatchObject({ state: 'waits', branch: null });
		const need = needsAt(h.db, EVERYTHING, h.lab.now).needs.find((n) => n.key === 'endpoints-waiting')!;
		expect(need.facts[0]!.words).toMatch(words);
		// The rules, which would let it in, are not asked again.
		await start(SERIALS[0]);
		expect(items()[0]!.branch).toBeNull();
	});

	test('is given none where somebody shuts it out while it is asked', async () => {
		const { request } = h.ctx.providers.endpoints;
		h.ctx.providers.endpoints.request = async (serial, key) => {
			const { id } = items()[0]!;
			const spot = { endpoint_id: id, branch_id: null, rule_id: null, by: OWNER.name, why: 'shut out' };
			putAt(h.db, 'endpoint_spots', spot, h.lab.now);
			return request(serial, key);
		};
		await start(SERIALS[0]);
		expect(own(SERIALS[0])).toEqual([]);
		expect(items()[0]!.state).toBe('shut out');
		expect(h.lab.world.endpoints.get(SERIALS[0])!.certificate).toBeUndefined();
	});

	test('and does not take what it is given is asked again, and what it did not take is revoked', async () => {
		const { give } = h.ctx.providers.endpoints;
		h.ctx.providers.endpoints.give = () => Promise.reject(new ProviderError('it has gone to sleep'));
		await start(SERIALS[0]);
		expect(own(SERIALS[0]).map((c) => [c.state, c.revokedBy])).toEqual([['revoked', 'Sextant']]);
		h.ctx.providers.endpoints.give = give;
		await h.live(30 * MINUTE);
		await start(SERIALS[0]);
		expect(own(SERIALS[0]).map((c) => c.state)).toEqual(['good', 'revoked']);
		expect(h.lab.world.endpoints.get(SERIALS[0])!.certificate!.number).toBe(own(SERIALS[0])[0]!.number);
	});

	test('and does not answer, or that something odd comes from, is asked again later, and keeps nobody waiting', async () => {
		const { request } = h.ctx.providers.endpoints;
		h.ctx.providers.endpoints.request = (serial, key) =>
			serial === SERIALS[0]
				? Promise.reject(new ProviderError('nothing answers'))
				: serial === SERIALS[1]
					? Promise.reject(new Error('of a kind that nobody thought of'))
					: request(serial, key);
		for (const s of SERIALS) await start(s);
		expect(own(SERIALS[0])).toEqual([]);
		expect(own(SERIALS[1])).toEqual([]);
		expect(own(SERIALS[2])).toHaveLength(1);
		expect(items().map((e) => e.branch)).toEqual(['all', 'all', 'all']);
		await h.live(30 * MINUTE);
		h.ctx.providers.endpoints.request = request;
		await start(SERIALS[0]);
		expect(own(SERIALS[0])).toHaveLength(1);
	});
});

describe('a device that is shut out', () => {
	let folder: string;
	beforeEach(() => void (folder = mkdtempSync(join(tmpdir(), 'certificates-'))));
	afterEach(() => rmSync(folder, { recursive: true }));

	test('loses its certificate, stands on the signed list, and comes back with another by undoing it', async () => {
		await start(SERIALS[0]);
		await start(SERIALS[1]);
		const [c] = own(SERIALS[0]);
		const [other] = own(SERIALS[1]);
		const plan = await h.draft('endpoint.shut-out', { endpoints: [c!.endpoint], why: 'stolen' });
		expect(plan.title).toBe('Shut new-01 out');
		expect(plan.reasons[0]!.words).toBe('1 certificate of theirs would be revoked');
		await h.finish(await h.commit(plan.id));
		expect(items().map((e) => e.state)).toEqual(['shut out', expect.stringMatching(/awake|asleep/)]);
		expect(needsAt(h.db, EVERYTHING, h.lab.now).needs.filter((n) => n.key === 'endpoints-waiting')).toEqual([]);
		expect(own(SERIALS[0])[0]).toMatchObject({ state: 'revoked', revokedBy: OWNER.name });
		expect(await cardRow(c!.endpoint, 'certificate')).toMatch(/^revoked on 17 Nov 2026 by /);
		expect(revokedAt(h.db, h.lab.now).map((r) => r.number)).toEqual([c!.number]);
		// What has ended need not stand on the list.
		expect(revokedAt(h.db, c!.ends)).toEqual([]);
		await start(SERIALS[0]);
		expect(items()[0]!.state).toBe('shut out');
		expect((await h.draft('endpoint.shut-out', { endpoints: [c!.endpoint], why: 'x' })).blocks).toHaveLength(1);

		// By the words of a program that others check certificates with, where there is one.
		if (existsSync('/usr/bin/openssl')) {
			const file = (name: string, text: string) => {
				writeFileSync(join(folder, name), text);
				return join(folder, name);
			};
			const authority = file('authority.pem', (await authorityCertificate(h.ctx)).pem);
			const list = file('list.pem', await revocationList(h.ctx, revokedAt(h.db, h.lab.now), h.lab.now));
			const verify = (pem: string) => {
				const at = String(Math.floor(h.lab.now / 1000));
				const args = [
					'verify',
					'-attime',
					at,
					'-crl_check',
					'-CAfile',
					authority,
					'-CRLfile',
					list,
					file('own.pem', pem)
				];
				try {
					return execFileSync('/usr/bin/openssl', args, { encoding: 'utf8', stdio: 'pipe' });
				} catch (e) {
					return String((e as { stderr: string }).stderr);
				}
			};
			expect(verify(other!.pem)).toMatch(/OK/);
			expect(verify(c!.pem)).toMatch(/revoked/);
		}

		const undo = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
		await h.finish(await h.commit(undo.id));
		await start(SERIALS[0]);
		expect(items()[0]).toMatchObject({ branch: 'all' });
		expect(own(SERIALS[0]).map((x) => x.state)).toEqual(['good', 'revoked']);
	});
});

test('devices have a certificate of another authority replaced', async () => {
	await start(SERIALS[0]);
	const [first] = own(SERIALS[0]);
	Object.assign(h.ctx, { vault: vaultOf(Buffer.alloc(32, 9)) });
	await start(SERIALS[0]);
	expect(own(SERIALS[0]).map((c) => c.state)).toEqual(['good', 'renewed']);
	const now = new X509Certificate((await authorityCertificate(h.ctx)).pem);
	expect(new X509Certificate(own(SERIALS[0])[0]!.pem).verify(now.publicKey)).toBe(true);
	expect(new X509Certificate(first!.pem).verify(now.publicKey)).toBe(false);
});

test('the authority is the same for one vault, and another for another', async () => {
	const first = await authorityCertificate(h.ctx);
	expect(await authorityCertificate(h.ctx)).toEqual(first);
	const other = await authorityCertificate({ vault: vaultOf(Buffer.alloc(32, 9)) });
	expect(other.fingerprint).not.toBe(first.fingerprint);
	expect(await authorityCertificate({ vault: vaultOf(Buffer.alloc(32, 9)) })).toEqual(other);
});
