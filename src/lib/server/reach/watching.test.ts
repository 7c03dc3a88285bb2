import { beforeEach, describe, expect, test } from 'vitest';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import { all } from '../db';
import { cardOf } from '../house/cards';
import { EVERYTHING } from '$lib/core/scope/scope';
import { ProviderError } from '../providers';
import { Harness, testEstate } from '../testing/harness';
import { innerGateways, privateServices } from './lists';
import { gatewaysAt, servicesAt } from './queries';
import { reachNeeds, sweepGateways } from './watching';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			e.access.gateways = [
				{ id: 'quay-gate', name: 'Quay gate', site: 'quay', address: 'gate.testbay.example:8443' },
				{ id: 'isle-gate', name: 'Isle gate', site: 'isle', address: '10.2.0.9:443' }
			];
			const service = (id: string, hosts: string[], more: object = {}) => ({
				id,
				name: id,
				hosts,
				ports: ['443'],
				protocol: 'tcp' as const,
				...more
			});
			e.access.services = [
				service('archive', ['archive.testbay.example'], { gateway: 'quay-gate' }),
				service('far', ['10.1.0.9'], { gateway: 'quay-gate', runs_at: 'isle' }),
				service('times', ['10.1.0.0/24'], { gateway: 'quay-gate', protocol: 'udp' }),
				service('charts', ['*.charts.example'], { gateway: 'isle-gate' }),
				service('alone', ['alone.example'])
			];
			e.access.otherwise = { web: 'allow', services: 'allow' };
		})
	);
	await h.live(MINUTE);
});

const ask = () => ({ at: h.lab.now, scope: EVERYTHING, sort: '', descending: false, limit: 100, offset: 0 });
const look = () => sweepGateways(h.ctx, h.lab.now);
const services = () => privateServices.page(h.db, ask()).rows.map((s) => [s.id, s.state, s.ms]);
const gateways = () => innerGateways.page(h.db, ask()).rows.map((g) => [g.id, g.state, g.services]);
const fault = (kind: string, target: string) =>
	h.lab.apply({ kind: 'fault', fault: kind as 'service-down', target, value: null });

describe('inner gateways', () => {
	test('answer, and what stands behind them does as far as that can be asked', async () => {
		await look();
		expect(gateways()).toEqual([
			['isle-gate', 'answers', 1],
			['quay-gate', 'answers', 3]
		]);
		expect(services()).toEqual([
			['alone', 'not asked', null],
			['archive', 'reached', 3],
			['charts', 'not asked', null],
			['far', 'reached', expect.any(Number)],
			['times', 'not asked', null]
		]);
		// The one that runs elsewhere is further away than the one beside its gateway.
		const ms = Object.fromEntries(services().map(([id, , far]) => [id, far]));
		expect(ms.far).toBeGreaterThan(ms.archive as number);
		expect(reachNeeds(h.db, h.lab.now)).toEqual([]);
	});

	test('that are silent shut what stands behind them, for everybody who may reach it; and it is on record', async () => {
		await look();
		const before = h.lab.now;
		await h.live(10 * MINUTE);
		fault('inner-gateway-down', 'quay-gate');
		await look();
		expect(gateways()).toContainEqual(['quay-gate', 'silent', 3]);
		expect(services().filter(([, state]) => state === 'shut')).toHaveLength(3);
		const people = all(h.db, 'SELECT id FROM people').length;
		expect(reachNeeds(h.db, h.lab.now)).toMatchObject([
			{
				people,
				card: 'inner-gateway/quay-gate',
				title: 'archive, far, times cannot be reached',
				about: { site: ['quay'] },
				facts: expect.arrayContaining([
					expect.objectContaining({ words: 'archive: its inner gateway Quay gate does not answer' })
				]) as unknown
			}
		]);
		expect(reachNeeds(h.db, before)).toEqual([]);
		const card = (await cardOf(h.ctx, 'private-service', 'archive', { at: h.lab.now, live: true }))!;
		expect(card.facts[0]).toMatchObject({ words: 'its inner gateway Quay gate does not answer', side: 'against' });
	});

	test('reach one service and not another: that one alone is shut', async () => {
		fault('service-down', 'far');
		await look();
		expect(reachNeeds(h.db, h.lab.now)).toMatchObject([
			{ card: 'private-service/far', title: 'far cannot be reached' }
		]);
		const gate = (await cardOf(h.ctx, 'inner-gateway', 'quay-gate', { at: h.lab.now, live: true }))!;
		expect(gate.sections[0]).toMatchObject({
			lines: expect.arrayContaining([
				expect.objectContaining({ words: 'far', note: 'answers: no' }),
				expect.objectContaining({ words: 'archive', note: 'answers: yes, 3 ms away' })
			]) as unknown
		});
	});

	test('leave one row while nothing changes, and keep what was known while nobody says', async () => {
		await look();
		await h.live(HOUR);
		await look();
		expect(all(h.db, 'SELECT * FROM inner_gateway_states')).toHaveLength(2);
		h.ctx.providers.network.innerGateway = () => Promise.reject(new ProviderError('no answer', true));
		await look();
		expect(gateways().map(([, state]) => state)).toEqual(['answers', 'answers']);
	});

	test('that answer nonsense have not answered', async () => {
		h.ctx.providers.network.innerGateway = (address) =>
			Promise.resolve(
				address === '10.2.0.9:443'
					? { ms: NaN, doors: [] }
					: { ms: 4.6, doors: [-1, Infinity, 'soon' as unknown as number, 3, 3] }
			);
		await look();
		expect(gateways().map(([id, state]) => [id, state])).toEqual([
			['isle-gate', 'silent'],
			['quay-gate', 'answers']
		]);
		expect(services().filter(([, state]) => state === 'reached')).toEqual([]);
	});

	test('that go, or move, while they are asked leave nothing behind', async () => {
		await h.carryOut('private-service.remove', { service: 'charts' });
		const asks = h.ctx.providers.network.innerGateway;
		h.ctx.providers.network.innerGateway = async (address, doors) => {
			if (address === '10.2.0.9:443') await h.carryOut('inner-gateway.remove', { gateway: 'isle-gate' });
			else {
				const far = { id: 'far', name: 'far', hosts: ['10.1.0.9'], ports: ['443'], gateway: null };
				await h.carryOut('private-service.put', far);
			}
			return asks(address, doors);
		};
		await look();
		expect(all(h.db, `SELECT gateway_id FROM inner_gateway_states WHERE until = ${FOREVER}`)).toEqual([
			{ gateway_id: 'quay-gate' }
		]);
		expect(all(h.db, `SELECT service_id FROM private_service_states WHERE until = ${FOREVER}`)).toEqual([
			{ service_id: 'archive' }
		]);
	});

	test('that move are asked anew; one that services stand behind stays', async () => {
		await look();
		const moved = await h.carryOut('inner-gateway.put', {
			id: 'quay-gate',
			name: 'Quay gate',
			site: 'quay',
			address: 'nowhere.testbay.example:8443'
		});
		expect(moved.state).toBe('done');
		expect(gateways()).toContainEqual(['quay-gate', 'not asked', 3]);
		await look();
		expect(gateways()).toContainEqual(['quay-gate', 'silent', 3]);
		const plan = await h.draft('inner-gateway.remove', { gateway: 'quay-gate' });
		expect(plan.blocks.map((b) => b.words)).toEqual(['3 private services stand behind it: archive, far, times']);
		await expect(
			h.draft('inner-gateway.put', { name: 'isle gate', site: 'moon', address: 'nowhere' })
		).rejects.toMatchObject({
			problems: [
				{ field: 'address', words: 'Write where it answers, such as gate.example:8443.' },
				{ field: 'site', words: 'There is no site moon.' },
				{ field: 'name', words: 'Another inner gateway is called so.' }
			]
		});
		await expect(
			h.draft('private-service.put', { name: 'New', hosts: ['new.example'], ports: ['1'], gateway: 'moon' })
		).rejects.toMatchObject({ problems: [{ field: 'gateway', words: 'There is no inner gateway moon.' }] });
		expect([gatewaysAt(h.db, h.lab.now).length, servicesAt(h.db, h.lab.now).length]).toEqual([2, 5]);
	});
});
