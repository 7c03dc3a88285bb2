import { describe, expect, test } from 'vitest';
import { rightsOf } from '$lib/core/access/rights';
import { mayAsk } from '../calls/need';
import { ENDPOINTS, endpointFor, endpointsAt, mayAskFor } from './endpoints';
import { mayRequest, ROUTES } from './routes';

describe('the table of routes', () => {
	test('shuts what it does not name', () => {
		expect(mayRequest(null, 'GET', rightsOf('owner'))).toBe('no');
		expect(mayRequest('/(console)', 'PUT', rightsOf('owner'))).toBe('no');
		expect(mayRequest('/(console)', 'HEAD', rightsOf('auditor'))).toBe('yes');
	});
	test('asks everybody unknown to sign in, but for what is open', () => {
		for (const [id, needs] of Object.entries(ROUTES))
			for (const [method, need] of Object.entries(needs))
				expect(mayRequest(id, method, null)).toBe(need === 'open' ? 'yes' : 'sign in');
	});
	test('lets people into the portal, and to nothing else that is not open to all', () => {
		const open = Object.entries(ROUTES).flatMap(([id, needs]) =>
			Object.entries(needs).flatMap(([method, need]) =>
				need !== 'open' && need !== 'signed in' && mayRequest(id, method, rightsOf('person')) === 'yes' ? [id] : []
			)
		);
		expect(open.filter((id) => !id.startsWith('/(portal)/'))).toEqual([]);
	});
	test('lets auditors change nothing but their own settings', () => {
		const open = Object.entries(ROUTES).flatMap(([id, needs]) =>
			Object.entries(needs).flatMap(([method, need]) =>
				method !== 'GET' && need !== 'open' && mayRequest(id, method, rightsOf('auditor')) === 'yes' ? [id] : []
			)
		);
		expect(open.sort()).toEqual(['/(console)/settings', '/here', '/sign-out']);
	});
});

describe('the addresses of the API', () => {
	test('are found by what stands in them, whole, decoded, the fixed ones first', () => {
		const at = (method: string, path: string) => {
			const found = endpointFor(method, `/api/v1${path}`);
			return found && [found.endpoint.path, found.params];
		};
		expect(at('GET', '/machines')).toEqual(['/machines', {}]);
		expect(at('HEAD', '/machines/desk%2F1')).toEqual(['/machines/{id}', { id: 'desk/1' }]);
		expect(at('GET', '/deliveries/quay/log%20line')).toEqual(['/deliveries/{id}', { id: 'quay/log line' }]);
		expect(at('POST', '/joinings/7/checks')).toEqual(['/joinings/{id}/checks', { id: '7' }]);
		expect(at('POST', '/joinings/7/address')).toEqual(['/joinings/{id}/address', { id: '7' }]);
		for (const nowhere of [
			'',
			'/',
			'/moon',
			'/machines/',
			'/plans/1/commit/2',
			'/joinings/7/moon',
			'/%E0%A4%A',
			'/constructor'
		])
			expect(at('POST', nowhere), nowhere).toBeUndefined();
		expect([...endpointsAt('/api/v1/plans/1').keys()].sort()).toEqual(['DELETE', 'GET']);
		expect(endpointsAt('/api/v2/machines').size).toBe(0);
	});
	test('are shut where nothing is, and ask everybody unknown to sign in', () => {
		expect(mayAskFor('GET', '/api/v1/forgotten', rightsOf('owner'))).toBe('no');
		expect(mayAskFor('DELETE', '/api/v1/machines', rightsOf('owner'))).toBe('no');
		for (const e of ENDPOINTS) expect(mayAsk(e.need, null), e.path).toBe('sign in');
	});
	test('give people of the portal nothing', () => {
		const open = ENDPOINTS.filter((e) => e.need !== 'signed in' && mayAsk(e.need, rightsOf('person')) === 'yes');
		expect(open).toEqual([]);
	});
	test('let auditors change nothing but their own notices; a sheet is looked over, and heads are compared, without changing anything', () => {
		const open = ENDPOINTS.filter((e) => e.method !== 'GET' && mayAsk(e.need, rightsOf('auditor')) === 'yes');
		expect(open.map((e) => e.path).sort()).toEqual(['/changes/compare', '/notices', '/sheets/{line}/check']);
	});
});
